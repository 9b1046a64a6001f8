"""Mounts on the sheet, with the fixtures they hold, as they work and as they stand open."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product

from markupsafe import Markup

from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.mounting.mount import PANELS, Mount, open_place
from corlume.core.mounting.mount_collisions import Box, body_box, solids_of
from corlume.store.tables import Kept
from corlume.web.drawing.drag_handles import drag_group
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group
from corlume.web.drawing.tank import rect


def draw_mounts(view: View, mounts: Sequence[Kept[Mount]]) -> Markup:
    """Mounts of a setup as boxes to drag; panels and wires in outline, as all hangs under them."""
    parts = []
    for kept in mounts:
        mount = kept.value
        x, y, w, h = _box(view, mount)
        kind = "mount-bar" if mount.type not in PANELS | {"wires", "lift"} else "mount-panel"
        values = {"x": mount.x, "y": mount.y, "base": mount.height, "length": mount.length, "width": mount.width}
        values["height"] = mount.thick
        label = el("text", mount.name, x=x + 4, y=y - 4, class_="mount-name")
        drawn = [rect(x, y, w, h, class_=kind, data_y=f"{y:.1f}", data_width=f"{w:.1f}", data_height=f"{h:.1f}")]
        if view.kind == "plan":
            drawn += [rect(x + w - 5, y - 5, 10, 10, class_="corner-grip"), label]
        parts.append(drag_group(view, kept.id, mount.name, drawn, values))
    return group(parts, class_="grips mounts")


def _box(view: View, mount: Mount) -> tuple[float, float, float, float]:
    """Left, top, width and height of a mount in a view, in drawing units."""
    if view.kind == "plan":
        (x0, y0), (x1, y1) = view.at(mount.x, mount.y1), view.at(mount.x1, mount.y)
    else:
        start, end = (mount.x, mount.x1) if view.kind == "front" else (mount.y, mount.y1)
        (x0, y0), (x1, y1) = view.at(start, -mount.height - mount.thick), view.at(end, -mount.height)
    return x0, y0, max(3.0, x1 - x0), max(3.0, y1 - y0)


def draw_held(view: View, fixtures: Sequence[Fixture], mounts: Sequence[Mount], *, open_too: bool = True) -> Markup:
    """Bodies of the fixtures; mounts that open, and the bodies on them, as they stand open too."""
    parts = []
    for k, fixture in enumerate(fixtures):
        e = fixture.emitter
        parts.append(_outline(view, body_box(fixture), "held-body"))
        if view.kind == "plan":
            x, y = view.at(e.x, e.y)
            parts.append(el("text", letter(k), x=x, y=y, dy="0.35em", class_="held-letter"))
    for mount in mounts if open_too and view.kind != "plan" else ():
        if mount.opens:
            boxes = solids_of(mount) + [body_box(f) for f in fixtures if f.held_by == mount.name]
            parts += [_outline(view, box, "held-open", mount) for box in boxes]
    return group(parts, class_="held")


def _outline(view: View, box: Box, kind: str, opened: Mount | None = None) -> Markup:
    """A box in a view, as it stands while its mount is ``opened``."""
    (x0, x1), (y0, y1), (low, high) = box
    if view.kind == "plan":
        (left, top), (right, bottom) = view.at(x0, y1), view.at(x1, y0)
        return rect(left, top, right - left, bottom - top, class_=kind)
    heights = (low, low, high, high)
    if view.kind == "front":
        corners = [(x, y0, height) for x, height in zip((x0, x1, x1, x0), heights, strict=True)]
    else:
        corners = [(x0, y, height) for y, height in zip((y0, y1, y1, y0), heights, strict=True)]
    if opened and (opened.hinge in ("back", "front")) != (view.kind == "side"):
        # seen along what it turns from: as high and as wide as all its corners
        every = [open_place(opened, *corner) for corner in product(*box)]
        return _polygon(view, _around(view, every), kind)
    return _polygon(view, [_seen(view, open_place(opened, *c) if opened else c) for c in corners], kind)


def _seen(view: View, place: tuple[float, float, float]) -> tuple[float, float]:
    return place[0] if view.kind == "front" else place[1], place[2]


def _around(view: View, places: Sequence[tuple[float, float, float]]) -> list[tuple[float, float]]:
    across, up = zip(*(_seen(view, place) for place in places), strict=True)
    (a, b), (low, high) = (min(across), max(across)), (min(up), max(up))
    return [(a, low), (b, low), (b, high), (a, high)]


def _polygon(view: View, corners: Sequence[tuple[float, float]], kind: str) -> Markup:
    points = " ".join(f"{x:.1f},{y:.1f}" for at, height in corners for x, y in [view.at(at, -height)])
    return el("polygon", points=points, class_=kind)

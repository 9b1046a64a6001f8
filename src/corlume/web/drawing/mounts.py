"""Mounts on the sheet, with the fixtures they hold, as they work and as they stand open."""

from __future__ import annotations

from collections.abc import Sequence

from markupsafe import Markup

from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.mounting.collisions import BODY_HEIGHT
from corlume.core.mounting.mount import PANELS, Mount, open_place
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
    """Bodies of the fixtures, and where those on a mount that opens are while it stands open."""
    parts, named = [], {mount.name: mount for mount in mounts}
    for k, fixture in enumerate(fixtures):
        e, (half_x, half_y) = fixture.emitter, fixture.emitter.half_extent()
        parts.append(_body(view, e.x, e.y, e.height, half_x, half_y, "held-body"))
        if view.kind == "plan":
            x, y = view.at(e.x, e.y)
            parts.append(el("text", letter(k), x=x, y=y, dy="0.35em", class_="held-letter"))
        mount = named.get(fixture.held_by)
        if open_too and mount and mount.opens and view.kind != "plan":
            x, y, height = open_place(mount, e.x, e.y, e.height)
            parts.append(_body(view, x, y, height, half_x, half_y, "held-open", mount))
    return group(parts, class_="held")


def _body(
    view: View, x: float, y: float, height: float, half_x: float, half_y: float, kind: str, mount: Mount | None = None
) -> Markup:
    if view.kind == "plan":
        (x0, y0), (x1, y1) = view.at(x - half_x, y + half_y), view.at(x + half_x, y - half_y)
        return rect(x0, y0, x1 - x0, y1 - y0, class_=kind)
    at, half = (x, half_x) if view.kind == "front" else (y, half_y)
    (x0, y0), (x1, y1) = view.at(at - half, -height - BODY_HEIGHT), view.at(at + half, -height)
    turned = mount is not None and mount.swing > 0 and (mount.hinge in ("back", "front")) == (view.kind == "side")
    if not turned or mount is None:
        return rect(x0, y0, x1 - x0, y1 - y0, class_=kind)
    degrees = mount.swing * 57.29578 * (1 if mount.hinge in ("back", "right") else -1)
    cx, cy = view.at(at, -height)
    return rect(x0, y0, x1 - x0, y1 - y0, class_=kind, transform=f"rotate({degrees:.1f} {cx:.1f} {cy:.1f})")

"""The tank on the sheet: panes, water line, sand, rock as land, braces, rulers."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache

import numpy as np
from markupsafe import Markup
from numpy.typing import NDArray

from corlume.core.light.geometry import Pane, Tank
from corlume.core.light.rockwork import Box
from corlume.core.units import CM, INCH
from corlume.formats.measure import Measure
from corlume.formats.rock_outlines import rock_cut, rock_plan
from corlume.web.drawing.sheet import Sheet, View
from corlume.web.drawing.svg import el, group, pieces_path


def draw_frame(sheet: Sheet, tank: Tank, measure: Measure) -> Markup:
    """Panes, rulers and titles, which stay while light and fixtures change."""
    parts = [_rulers(sheet, measure)]
    for view in sheet.views():
        parts += [_panes(view, tank), _title(view)]
    parts.append(_water_line(sheet))
    parts += [_ceiling(view, tank) for view in sheet.elevations()]
    return group(parts, class_="frame")


def draw_caption(view: View, at: float, measure: Measure) -> Markup:
    """Name of a view, and where its slice lies (depth, y or x) [m]."""
    words = {
        "plan": f"Plan, {measure.length(at)} down",
        "front": f"From the front, {measure.length(at)} behind the front pane",
        "side": f"From the side, {measure.length(at)} from the left pane",
    }
    y = view.bottom + (14 if view.kind == "plan" else 38)
    return el("text", words[view.kind], x=view.left, y=y, class_="caption")


@lru_cache(maxsize=64)
def draw_rock(view: View, tank: Tank, at: float) -> Markup:
    """Rock and sand in a view whose slice lies ``at`` (depth, y or x) [m].

    Rock that the slice cuts is land. The plan shows what stands over the slice as land, shaded by height, and what lies
    below it by contours of depth; elevations show what lies behind the slice paler, and what lies before it dashed.
    """
    parts: list[Markup] = []
    if view.kind == "plan":
        plan = rock_plan(tank, at)
        parts += [_rock(view, plan.below, "rock beyond"), _rock(view, plan.below_lines, "rock-contour beyond")]
        if plan.over[0]:
            parts += [_rock(view, plan.over[0], "rock cut"), _rock(view, plan.over[0], "rock-grain")]
            parts += [_rock(view, rings, "rock-step") for rings in plan.over[1:]]
        parts += [_brace(view, b.x, b.x1, b.y, b.y1) for b in tank.braces]
        if tank.rim_inset > 0:
            parts.append(_rim(view, tank.rim_inset))
        return Markup("").join(parts)
    cut = rock_cut(tank, view.kind, at)
    parts.append(_rock(view, cut.behind, "rock behind"))
    if tank.sand > 0:
        x, y = view.at(0.0, tank.sand_depth)
        parts.append(rect(x, y, view.right - x, view.bottom - y, class_="sand"))
    parts += [
        _rock(view, cut.before, "rock beyond"),
        _rock(view, cut.cut, "rock cut"),
        _rock(view, cut.cut, "rock-grain"),
    ]
    return Markup("").join(parts)


def draw_rock_lines(view: View, tank: Tank) -> Markup:
    """Outline of the rock in the plan, and its contours of depth, over what lies on it."""
    plan = rock_plan(tank, tank.sand_depth)
    outline, *steps = plan.over
    return _rock(view, outline, "rock") + Markup("").join(_rock(view, rings, "rock-contour") for rings in steps)


def _rock(view: View, rings: Sequence[NDArray[np.float64]], class_: str) -> Markup:
    """Rings [m] as one path."""
    if not rings:
        return Markup("")
    return el("path", d=pieces_path([on_view(view, ring) for ring in rings], closed=True), class_=class_)


def on_view(view: View, places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Places (n, 2) [m] in drawing units; see ``View.at``."""
    down = view.v_size - places[:, 1] if view.kind == "plan" else places[:, 1]
    return np.column_stack((view.left + places[:, 0] * view.scale, view.top + down * view.scale))


def outline(view: View, box: Box) -> tuple[float, float, float, float]:
    """Corner and size of a box in drawing units."""
    if view.kind == "plan":
        x, y = view.at(box.x0, box.y1)
        return x, y, (box.x1 - box.x0) * view.scale, (box.y1 - box.y0) * view.scale
    start, end = (box.x0, box.x1) if view.kind == "front" else (box.y0, box.y1)
    x, y = view.at(start, box.top)
    return x, y, (end - start) * view.scale, (box.bottom - box.top) * view.scale


def rect(x: float, y: float, width: float, height: float, **attributes: object) -> Markup:
    return el("rect", x=float(x), y=float(y), width=float(width), height=float(height), **attributes)


def _brace(view: View, x0: float, x1: float, y0: float, y1: float) -> Markup:
    x, y = view.at(x0, y1)
    return rect(x, y, (x1 - x0) * view.scale, (y1 - y0) * view.scale, class_="brace")


def _rim(view: View, inset: float) -> Markup:
    i = inset * view.scale
    x, y, w, h = view.left, view.top, view.right - view.left, view.bottom - view.top
    outer = f"M{x} {y}h{w}v{h}h{-w}z"
    inner = f"M{x + i} {y + i}v{h - 2 * i}h{w - 2 * i}v{-(h - 2 * i)}z"
    return el("path", d=outer + inner, class_="brace")


def _panes(view: View, tank: Tank) -> Markup:
    """The panes cut by a view: a thin pair of lines for clear glass, one heavy line for film or background."""
    rim = 0.0 if view.kind == "plan" else tank.rim_height * view.scale
    top, left, right, bottom = view.top - rim, view.left, view.right, view.bottom
    sides: list[tuple[Pane | None, float, float, float, float]]
    if view.kind == "plan":
        sides = [
            (tank.left, left, top, left, bottom),
            (tank.right, right, top, right, bottom),
            (tank.back, left, top, right, top),
            (tank.front, left, bottom, right, bottom),
        ]
    else:
        first, last = (tank.left, tank.right) if view.kind == "front" else (tank.front, tank.back)
        sides = [
            (first, left, top, left, bottom),
            (last, right, top, right, bottom),
            (None, left, bottom, right, bottom),
        ]
    parts = []
    for pane, x1, y1, x2, y2 in sides:
        kind = "bottom" if pane is None else pane.kind
        parts.append(el("line", x1=x1, y1=y1, x2=x2, y2=y2, class_=f"pane pane-{kind}"))
        if kind == "glass":
            parts.append(el("line", x1=x1, y1=y1, x2=x2, y2=y2, class_="pane pane-core"))
    return group(parts)


ROOM_FOR_TITLE = 170.0
"""A side view narrower than this has room for the title of its ruler alone, which says where the front is."""


def _title(view: View) -> Markup:
    """Say in which direction a view looks, where that is not plain."""
    if view.kind == "plan":
        return el("text", "front pane", x=view.right, y=view.bottom + 13, class_="note", text_anchor="end")
    if view.kind == "front" or view.right - view.left < ROOM_FOR_TITLE:
        return Markup("")
    y = view.bottom + 24
    return group(
        [
            el("text", "front", x=view.left, y=y, class_="note"),
            el("text", "back", x=view.right, y=y, class_="note", text_anchor="end"),
        ]
    )


def _water_line(sheet: Sheet) -> Markup:
    parts = []
    for view in sheet.elevations():
        parts.append(el("line", x1=view.left - 6, y1=view.top, x2=view.right + 6, y2=view.top, class_="waterline"))
    return group(parts)


def _ceiling(view: View, tank: Tank) -> Markup:
    """The canopy or ceiling, when low enough to be on the sheet."""
    if tank.room_height > view.above + 1e-9:
        return Markup("")
    y = view.top - tank.room_height * view.scale
    return group(
        [
            el("line", x1=view.left - 6, y1=y, x2=view.right + 6, y2=y, class_="ceiling"),
            el("text", "canopy or ceiling", x=view.left, y=y - 4, class_="note"),
        ]
    )


def _rulers(sheet: Sheet, measure: Measure) -> Markup:
    """Scales with their titles: along the front and the side, depth and height beside both elevations."""
    parts: list[Markup] = []
    plan = sheet.plan
    for view, title in zip(sheet.elevations(), ("from left pane", "from front pane"), strict=False):
        y = view.bottom
        for at, text in _ticks(view.u_size, view.scale, measure):
            x = view.left + at * view.scale
            parts.append(el("line", x1=x, y1=y, x2=x, y2=y + 4, class_="tick"))
            parts.append(el("text", text, x=x, y=y + 13, class_="scale", text_anchor="middle"))
        middle = (view.left + view.right) / 2
        parts.append(el("text", f"{title}, {measure.unit}", x=middle, y=y + 24, class_="note", text_anchor="middle"))
    for at, text in _ticks(plan.v_size, plan.scale, measure):
        y = plan.at(0.0, at)[1]
        parts.append(el("line", x1=plan.left - 4, y1=y, x2=plan.left, y2=y, class_="tick"))
        parts.append(el("text", text, x=plan.left - 7, y=y, dy="0.35em", class_="scale", text_anchor="end"))
    parts.append(_upright(f"from front pane, {measure.unit}", 12.0, (plan.top + plan.bottom) / 2))
    for view in sheet.elevations():
        for at, text in _ticks(view.v_size, view.scale, measure):
            y = view.top + at * view.scale
            parts.append(el("line", x1=view.left - 4, y1=y, x2=view.left, y2=y, class_="tick"))
            parts.append(el("text", text, x=view.left - 7, y=y, dy="0.35em", class_="scale", text_anchor="end"))
        at_left = view.left - 40
        parts.append(_upright(f"depth, {measure.unit}", at_left, (view.top + view.bottom) / 2))
    return group(parts, class_="rulers")


def _upright(text: str, x: float, y: float) -> Markup:
    return el("text", text, class_="note", text_anchor="middle", transform=f"translate({x:.1f} {y:.1f}) rotate(-90)")


def _ticks(size: float, scale: float, measure: Measure) -> Iterator[tuple[float, str]]:
    """Round places along a ruler, far enough apart to be read."""
    unit = CM if measure.unit == "cm" else INCH
    steps = (5, 10, 20, 50) if measure.unit == "cm" else (2, 4, 6, 12, 24)
    step = next((s for s in steps if s * unit * scale >= 26), steps[-1])
    for k in range(int(size / unit / step + 1e-6) + 1):
        yield k * step * unit, str(k * step)

"""Flow on a view: tinted classes, arrows with their speed, and pumps to drag and aim."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from markupsafe import Markup

from corlume.core.flow.first_estimate import CLASS_ENDS, CLASSES
from corlume.core.flow.observed_flow import FlowMark
from corlume.core.flow.pump import Pump
from corlume.core.judging.targets import Band
from corlume.services.flow.tank_flow import FlowPlane
from corlume.services.light.fields import Plane
from corlume.store.tables import Kept
from corlume.web.drawing.light import draw_bands
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group

WORDS = {"dead": "dead spot", "low": "low", "medium": "medium", "high": "high"}
_ENDS = (0.0, *(100 * end for end in CLASS_ENDS), 1e4)
FLOW_BANDS = tuple(
    Band(
        f"flow-{name}",
        f"{WORDS[name]}, under {high:g} cm/s" if low == 0
        else f"{WORDS[name]}, {low:g} cm/s up" if high > 1e3 else f"{WORDS[name]}, {low:g} to {high:g} cm/s",
        low,
        high,
    )
    for name, low, high in zip(CLASSES, _ENDS, _ENDS[1:], strict=False)
)  # fmt: skip
AIM = 0.22
"""So far ahead of a pump lies the mark by which it is aimed [m]."""
ARROW, APART = 24.0, 66.0
"""Length of an arrow, and how far it is from the next one, at least two thirds of that from the one below [drawing
units].
"""


def draw_classes(view: View, plane: FlowPlane) -> Markup:
    """Classes of flow in a slice, tinted."""
    return draw_bands(view, Plane(plane.u, plane.v, 100 * plane.speed), FLOW_BANDS)


def draw_arrows(view: View, plane: FlowPlane) -> Markup:
    """Arrows along a slice with their speed in cm/s."""
    parts = []
    across, down = (round(size * view.scale / APART) for size in (view.u_size, view.v_size * 1.5))
    columns = np.linspace(0, len(plane.u) - 1, min(8, across) + 2).round().astype(int)[1:-1]
    rows = np.linspace(0, len(plane.v) - 1, min(5, down) + 2).round().astype(int)[1:-1]
    for i in columns:
        for j in rows:
            if math.isfinite(plane.speed[i, j]):
                parts.append(_arrow(view, plane, int(i), int(j)))
    return group(parts, class_="flow-arrows")


def _arrow(view: View, plane: FlowPlane, i: int, j: int) -> Markup:
    x, y = view.at(float(plane.u[i]), float(plane.v[j]))
    along = plane.way[i, j]
    right, down = (along[0], -along[1]) if view.kind == "plan" else (along[0], along[2])
    flat = math.hypot(right, down)
    number = el("text", f"{100 * plane.speed[i, j]:.0f}", x=x, y=y + 14, class_="sounding")
    if flat < 0.25:  # where streams meet, or the flow goes through the slice, no arrow is true
        return el("circle", cx=x, cy=y, r=2.0, class_="flow-dot") + number
    ux, uy = right / flat, down / flat
    half = 0.5 * ARROW * min(1.0, flat)
    tip, tail = (x + ux * half, y + uy * half), (x - ux * half, y - uy * half)
    wings = [(tip[0] - 6 * ux + s * 3.5 * uy, tip[1] - 6 * uy - s * 3.5 * ux) for s in (1, -1)]
    (ax, ay), (bx, by) = wings
    path = f"M{tail[0]:.1f} {tail[1]:.1f}L{tip[0]:.1f} {tip[1]:.1f}M{ax:.1f} {ay:.1f}L{tip[0]:.1f} {tip[1]:.1f}"
    return el("path", d=f"{path}L{bx:.1f} {by:.1f}", class_="flow-arrow") + number


def draw_pumps(view: View, pumps: Sequence[Kept[Pump]]) -> Markup:
    """Pumps by letter, each with a mark ahead that aims it; both can be dragged and nudged."""
    parts = []
    for k, kept in enumerate(pumps):
        one, plan = kept.value, view.kind == "plan"
        ahead = one.direction * AIM
        aimed = (one.x + ahead[0], one.y + ahead[1], one.depth + ahead[2])
        x, y = view.at(one.x, one.y if plan else one.depth)
        ax, ay = view.at(aimed[0], aimed[1] if plan else aimed[2])
        parts.append(el("line", x1=x, y1=y, x2=ax, y2=ay, class_="pump-line"))
        parts.append(_held(view, f"aim-{kept.id}", f"Aim of {one.name}", aimed,
                           [el("circle", cx=ax, cy=ay, r=14.0, class_="hit"),
                            el("circle", cx=ax, cy=ay, r=5.0, class_="pump-aim")]))  # fmt: skip
        shapes = [
            el("circle", cx=x, cy=y, r=15.0, class_="hit"),
            el("rect", x=x - 9, y=y - 9, width=18.0, height=18.0, rx=4.0, class_="pump-body"),
            el("text", chr(65 + k % 26), x=x, y=y, dy="0.35em", class_="pump-letter"),
        ]
        parts.append(_held(view, str(kept.id), one.name, (one.x, one.y, one.depth), shapes))
    return group(parts, class_="pumps")


def _held(view: View, key: str, name: str, at: Sequence[float], shapes: list[Markup]) -> Markup:
    keys = "arrow keys move it" + ("" if view.kind == "plan" else ", up and down its depth")
    return group(
        [el("title", name), *shapes], data_spot=key, data_view=view.kind, data_scale=f"{view.scale:.6g}",
        data_x=f"{at[0]:.6g}", data_y=f"{at[1]:.6g}", data_depth=f"{at[2]:.6g}", tabindex="0", role="button",
        aria_label=f"{name}, {'from above' if view.kind == 'plan' else 'from the front'}: {keys}", class_="pump",
    )  # fmt: skip


def draw_marks(view: View, marks: Sequence[Kept[FlowMark]]) -> Markup:
    """Painted places, as rings."""
    parts = []
    for kept in marks:
        mark = kept.value
        x, y = view.at(mark.x, mark.y if view.kind == "plan" else mark.depth)
        parts.append(el("circle", cx=x, cy=y, r=float(mark.radius * view.scale), class_="flow-mark"))
    return group(parts, class_="flow-marks")

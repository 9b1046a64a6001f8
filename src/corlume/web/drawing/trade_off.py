"""The trade-off of height: evenness of a layout against its light per watt."""

from __future__ import annotations

from collections.abc import Sequence

from markupsafe import Markup

from corlume.formats.measure import Measure
from corlume.web.drawing.svg import el, group, points_path

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 420.0, 230.0, 52.0, 26.0, 18.0, 44.0
LABEL_ROOM = 26.0
"""Least distance between the heights that are printed, in drawing units."""


def draw_trade_off(curve: Sequence[tuple[float, float, float]], measure: Measure) -> Markup:
    """Draw uniformity over PAR per 100 W, a point for each height [m]."""
    points = [point for point in curve if point[1] == point[1]]
    if len(points) < 2:
        return Markup("")
    most = max(par for _, _, par in points) * 1.1
    low = min(0.7, *(even for _, even, _ in points)) - 0.05
    high = max(1.0, *(even for _, even, _ in points)) + 0.05

    def at(even: float, par: float) -> tuple[float, float]:
        x = LEFT + par / most * (WIDTH - LEFT - RIGHT)
        return x, HEIGHT - BOTTOM - (even - low) / (high - low) * (HEIGHT - TOP - BOTTOM)

    base = HEIGHT - BOTTOM
    parts = [
        el("line", x1=LEFT, y1=base, x2=WIDTH - RIGHT, y2=base, class_="tick"),
        el("line", x1=LEFT, y1=TOP, x2=LEFT, y2=base, class_="tick"),
    ]
    step = next(s for s in (10, 20, 50, 100, 200, 500, 1e9) if most / s <= 6)
    for k in range(int(most / step) + 1):
        x = at(low, k * step)[0]
        parts.append(el("line", x1=x, y1=base, x2=x, y2=base + 4, class_="tick"))
        parts.append(el("text", f"{k * step:g}", x=x, y=base + 15, class_="scale", text_anchor="middle"))
    for percent in range(round(100 * low) // 10 * 10 + 10, round(100 * high) + 1, 10):
        y = at(percent / 100, 0.0)[1]
        parts.append(el("line", x1=LEFT - 4, y1=y, x2=LEFT, y2=y, class_="tick"))
        parts.append(el("text", f"{percent}", x=LEFT - 7, y=y, dy="0.35em", class_="scale", text_anchor="end"))
    middle = (LEFT + WIDTH - RIGHT) / 2
    parts.append(
        el("text", "PAR at the rock top by 100 W", x=middle, y=HEIGHT - 8, class_="note", text_anchor="middle")
    )
    turn = f"translate(14 {(TOP + base) / 2:.0f}) rotate(-90)"
    parts.append(el("text", "uniformity: tenth over mean, %", class_="note", text_anchor="middle", transform=turn))
    places = [at(even, par) for _, even, par in points]
    parts.append(el("path", d=points_path(places), class_="trade-line"))
    labelled: list[tuple[float, float]] = []
    for (x, y), (height, _, _) in zip(places, points, strict=True):
        parts.append(el("circle", cx=x, cy=y, r=3.0, class_="trade-dot"))
        if all(abs(x - a) > LABEL_ROOM or abs(y - b) > 0.6 * LABEL_ROOM for a, b in labelled):
            labelled.append((x, y))
            parts.append(el("text", measure.number(height), x=x, y=y - 8, class_="scale", text_anchor="middle"))
    label = f"Uniformity over PAR by 100 W; numbers at the dots are heights in {measure.unit}"
    return el("svg", group(parts), viewBox=f"0 0 {WIDTH:.0f} {HEIGHT:.0f}", role="img", aria_label=label)

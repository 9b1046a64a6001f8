"""Costs of setups over the years as lines, with the times at which two have cost the same."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from markupsafe import Markup

from corlume.core.upkeep.cost_line import CostLine
from corlume.services.upkeep.running_costs import AHEAD, Crossing
from corlume.web.drawing.svg import el, group

WIDE, NARROW, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 640.0, 300.0, 300.0, 58.0, 190.0, 18.0, 42.0
LABEL = 15.0
"""Least distance between the names at the ends of lines."""
STEPS = (10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 20_000, 50_000, 100_000, 1e12)
STYLES = 5
"""Lines differ by dashes, which begin again after so many."""


def draw_cost_lines(
    lines: Sequence[CostLine], met: Sequence[Crossing], currency: str, *, narrow: bool = False
) -> Markup:
    """The drawing, on a ``narrow`` screen with names over the ends of lines; empty where nothing costs anything."""
    width, right = (NARROW, 8.0) if narrow else (WIDE, RIGHT)
    most = 1.05 * max((line.after(AHEAD) for line in lines), default=0.0)
    if most <= 0:
        return Markup("")

    def at(years: float, cost: float) -> tuple[float, float]:
        x = LEFT + years / AHEAD * (width - LEFT - right)
        return x, HEIGHT - BOTTOM - cost / most * (HEIGHT - TOP - BOTTOM)

    base, end = HEIGHT - BOTTOM, width - right
    parts = [el("path", d=f"M{LEFT} {TOP}V{base}H{end}", class_="line-axis")]
    for years in range(0, AHEAD + 1, 2):
        x = at(years, 0)[0]
        parts.append(el("line", x1=x, y1=base, x2=x, y2=base + 4, class_="tick"))
        parts.append(el("text", str(years), x=x, y=base + 16, class_="scale", text_anchor="middle"))
    parts += draw_levels(most, lambda cost: at(0, cost)[1], end)
    parts.append(el("text", "years", x=(LEFT + end) / 2, y=HEIGHT - 8, class_="note", text_anchor="middle"))
    parts.append(el("text", currency, x=LEFT - 7, y=TOP - 7, class_="note", text_anchor="end"))
    taken = -LABEL
    for k, line in sorted(enumerate(lines), key=lambda one: -one[1].after(AHEAD)):
        (x0, y0), (x1, y1) = at(0, line.buy), at(AHEAD, line.after(AHEAD))
        parts.append(el("line", x1=x0, y1=y0, x2=x1, y2=y1, class_=f"cost-line cost-{k % STYLES}"))
        taken = max(y1, taken + LABEL)
        name = line.name if len(line.name) <= 26 else f"{line.name[:25]}…"
        if narrow:
            parts.append(el("text", name, x=x1, y=taken - 8, class_="scale", text_anchor="end"))
        else:
            parts.append(el("text", name, x=x1 + 8, y=taken, dy="0.35em", class_="scale"))
    for one in met:
        x, y = at(one.years, one.cost)
        parts.append(el("circle", cx=x, cy=y, r=4.0, class_="cost-cross"))
    label = f"Costs over {AHEAD} years in {currency}"
    return el("svg", group(parts), viewBox=f"0 0 {width:.0f} {HEIGHT:.0f}", role="img", aria_label=label)


def draw_levels(most: float, height: Callable[[float], float], end: float) -> list[Markup]:
    """Lines at round values from 0 to ``most`` with their numbers, from the axis to ``end``; ``height`` of a value."""
    step, parts = next(step for step in STEPS if most / step <= 6), list[Markup]()
    for k in range(int(most / step) + 1):
        y = height(k * step)
        parts.append(el("line", x1=LEFT - 4, y1=y, x2=end, y2=y, class_="day-grid"))
        parts.append(el("text", f"{k * step:g}", x=LEFT - 7, y=y, dy="0.35em", class_="scale", text_anchor="end"))
    return parts

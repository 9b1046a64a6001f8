"""Load on the circuit over the day: the power of each setup with what else it bears, and what it bears for hours."""

from __future__ import annotations

from collections.abc import Sequence

from markupsafe import Markup

from corlume.services.upkeep.running_costs import SetupCost
from corlume.web.drawing.cost_lines import HEIGHT, LEFT, NARROW, STYLES, WIDE, draw_levels
from corlume.web.drawing.svg import el, group, points_path

TOP, BOTTOM, RIGHT, EVERY = 18.0, 42.0, 20.0, 10
"""Drawn every so many minutes."""


def draw_load(rows: Sequence[SetupCost], *, narrow: bool = False) -> Markup:
    """The drawing, with the limit where it is within twice the greatest load."""
    width = NARROW if narrow else WIDE
    greatest = max(row.load for row in rows)
    limit = rows[0].bears
    most = 1.08 * (limit if limit < 2 * greatest else greatest)

    def at(minute: float, watts: float) -> tuple[float, float]:
        x = LEFT + minute / 1440 * (width - LEFT - RIGHT)
        return x, HEIGHT - BOTTOM - watts / most * (HEIGHT - TOP - BOTTOM)

    base = HEIGHT - BOTTOM
    parts = [el("path", d=f"M{LEFT} {TOP}V{base}H{width - RIGHT}", class_="line-axis")]
    for hour in range(0, 25, 6 if narrow else 3):
        x = at(60 * hour, 0)[0]
        parts.append(el("line", x1=x, y1=base, x2=x, y2=base + 4, class_="tick"))
        parts.append(el("text", f"{hour:02}:00", x=x, y=base + 16, class_="scale", text_anchor="middle"))
    parts += draw_levels(most, lambda watts: at(0, watts)[1], width - RIGHT)
    parts.append(el("text", "W", x=LEFT - 7, y=TOP - 7, class_="note", text_anchor="end"))
    for k, row in enumerate(rows):
        line = [at(minute, float(row.watts[minute])) for minute in range(0, len(row.watts), EVERY)]
        parts.append(el("path", d=points_path(line), class_=f"cost-line cost-{k % STYLES}", fill="none"))
    if limit < 2 * greatest:
        y = at(0, limit)[1]
        parts.append(el("line", x1=LEFT, y1=y, x2=width - RIGHT, y2=y, class_="day-now"))
        parts.append(el("text", f"limit {limit:.0f} W", x=LEFT + 6, y=y - 5, class_="scale"))
    label = f"Load by the clock, at most {greatest:.0f} W; the circuit bears {limit:.0f} W"
    return el("svg", group(parts), viewBox=f"0 0 {width:.0f} {HEIGHT:.0f}", role="img", aria_label=label)

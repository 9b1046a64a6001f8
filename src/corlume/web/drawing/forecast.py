"""PAR at a coral over the months to come: kept up, and left alone, over its target range, with readings of surveys."""

from __future__ import annotations

import datetime
from collections.abc import Sequence

from markupsafe import Markup

from corlume.services.upkeep.forecast import CoralForecast
from corlume.web.drawing.svg import el, group

WIDTH, HEIGHT, LEFT, BOTTOM, TOP = 290.0, 124.0, 34.0, 20.0, 10.0
BACK = 365
"""Readings of so many days before today are shown [d]."""


def draw_forecast(one: CoralForecast, days: Sequence[datetime.date]) -> Markup:
    """The drawing; time runs from the earliest reading that is shown to the last day."""
    today, card = days[0], one.coral.card
    readings = [(day, par) for day, par in one.readings if 0 <= (today - day).days <= BACK]
    begin = min([today, *(day for day, _ in readings)])
    span = max(1, (days[-1] - begin).days)
    most = 1.08 * max(card.par_high, float(one.kept.max()), float(one.left.max()), *(par for _, par in readings))

    def x(day: datetime.date) -> float:
        return LEFT + (WIDTH - LEFT - 6) * (day - begin).days / span

    def y(par: float) -> float:
        return TOP + (HEIGHT - TOP - BOTTOM) * (1 - par / most)

    def path(values: Sequence[float]) -> str:
        return "M" + "L".join(f"{x(day):.1f} {y(par):.1f}" for day, par in zip(days, values, strict=True))

    base = HEIGHT - BOTTOM
    parts = [
        el("rect", x=LEFT, y=y(card.par_high), width=WIDTH - LEFT - 6,
           height=y(card.par_low) - y(card.par_high), class_="line-band"),
        el("path", d=f"M{LEFT} {TOP}V{base}H{WIDTH - 6}", class_="line-axis"),
        el("path", d=path(one.left.tolist()), class_="change-before"),
        el("path", d=path(one.kept.tolist()), class_="line-light"),
        el("path", d=f"M{x(today):.1f} {TOP}V{base}", class_="day-now"),
        el("text", "today", x=x(today) + 3, y=TOP + 7, class_="scale"),
        el("text", "0", x=LEFT - 4, y=base, dy="0.35em", class_="line-tick"),
        el("text", f"{card.par_high:g}", x=LEFT - 4, y=y(card.par_high), dy="0.35em", class_="line-tick"),
        el("text", f"{card.par_low:g}", x=LEFT - 4, y=y(card.par_low), dy="0.35em", class_="line-tick"),
        el("text", "PAR", x=2, y=TOP, class_="scale"),
        el("text", f"{begin:%b %Y}", x=LEFT, y=HEIGHT - 5, class_="scale"),
        el("text", f"{days[-1]:%b %Y}", x=WIDTH - 6, y=HEIGHT - 5, class_="scale", text_anchor="end"),
        *(el("circle", cx=x(day), cy=y(par), r=3.2, class_="forecast-reading") for day, par in readings),
    ]  # fmt: skip
    label = f"PAR from {one.left[0]:.0f} today to {one.left[-1]:.0f} in two years when nothing is done"
    return el("svg", group(parts), viewBox=f"0 0 {WIDTH:.0f} {HEIGHT:.0f}", role="img", aria_label=label)

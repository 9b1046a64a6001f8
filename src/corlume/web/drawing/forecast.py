"""A tank run forward: PAR at a coral over the months, and all bodies at the size and in the light of a month."""

from __future__ import annotations

import datetime
from collections.abc import Sequence

from markupsafe import Markup

from corlume.core.placement.coral_card import CoralCard
from corlume.services.upkeep.forecast import CoralForecast, Forecast
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group

WIDTH, HEIGHT, LEFT, BOTTOM, TOP = 300.0, 124.0, 34.0, 20.0, 10.0
BACK = 365
"""Readings of so many days before today are shown [d]."""
SLIDER_STEP = 3
"""The slider goes by so many months."""


def draw_forecast(one: CoralForecast, days: Sequence[datetime.date]) -> Markup:
    """The chart of a coral: PAR kept up, and left alone with its limits, over its target range, with readings near it;
    time runs from the earliest reading that is shown to the last day.
    """
    today, card = days[0], one.coral.card
    readings = [(day, par) for day, par in one.readings if 0 <= (today - day).days <= BACK]
    begin = min([today, *(day for day, _ in readings)])
    span = max(1, (days[-1] - begin).days)
    most = 1.08 * max(card.par_high, float(one.kept.max()), float(one.high.max()), *(par for _, par in readings))

    def x(day: datetime.date) -> float:
        return LEFT + (WIDTH - LEFT - 6) * (day - begin).days / span

    def y(par: float) -> float:
        return TOP + (HEIGHT - TOP - BOTTOM) * (1 - par / most)

    def points(values: Sequence[float]) -> list[str]:
        return [f"{x(day):.1f} {y(par):.1f}" for day, par in zip(days, values, strict=True)]

    base = HEIGHT - BOTTOM
    around = "M" + "L".join([*points(one.high.tolist()), *reversed(points(one.low.tolist()))]) + "Z"
    parts = [
        el("rect", x=LEFT, y=y(card.par_high), width=WIDTH - LEFT - 6,
           height=y(card.par_low) - y(card.par_high), class_="line-band"),
        el("path", d=around, class_="forecast-limits"),
        el("path", d=f"M{LEFT} {TOP}V{base}H{WIDTH - 6}", class_="line-axis"),
        el("path", d="M" + "L".join(points(one.left.tolist())), class_="change-before"),
        el("path", d="M" + "L".join(points(one.kept.tolist())), class_="line-light"),
        el("path", d=f"M{x(today):.1f} {TOP}V{base}", class_="forecast-month",
           data_run=f"{x(days[-1]) - x(today):.1f}"),
        el("text", "0", x=LEFT - 4, y=base, dy="0.35em", class_="line-tick"),
        el("text", f"{card.par_high:g}", x=LEFT - 4, y=y(card.par_high), dy="0.35em", class_="line-tick"),
        el("text", f"{card.par_low:g}", x=LEFT - 4, y=y(card.par_low), dy="0.35em", class_="line-tick"),
        el("text", "PAR", x=2, y=TOP, class_="scale"),
        el("text", f"{begin:%b %Y}", x=LEFT, y=HEIGHT - 5, class_="scale"),
        el("text", f"{days[-1]:%b %Y}", x=WIDTH - 6, y=HEIGHT - 5, class_="scale", text_anchor="end"),
        *(el("circle", cx=x(day), cy=y(par), r=3.2, class_="forecast-reading") for day, par in readings),
    ]  # fmt: skip
    label = (
        f"PAR from {one.kept[0]:.0f} today to {one.kept[-1]:.0f} in five years kept up, {one.left[-1]:.0f} left alone"
    )
    return el("svg", group(parts), viewBox=f"0 0 {WIDTH:.0f} {HEIGHT:.0f}", role="img", aria_label=label)


def draw_bodies(view: View, found: Forecast) -> Markup:
    """All corals by number at their size today, with their sizes and their state at every step of the slider."""
    parts = []
    for one in sorted(found.corals, key=lambda one: -one.across[0]):
        place = one.coral.place
        assert place is not None
        cx, cy = view.at(place.x, place.y if view.kind == "plan" else place.depth)
        radii = _steps((0.5 * view.scale * one.across).tolist())
        if view.kind == "plan":
            body = el("circle", cx=cx, cy=cy, r=radii.split(" ")[0], class_="ahead-body", data_r=radii)
        else:
            highs = _steps((0.5 * view.scale * one.height).tolist())
            ry = float(highs.split(" ")[0])
            body = el("ellipse", cx=cx, cy=cy - ry, rx=radii.split(" ")[0], ry=ry, class_="ahead-body",
                      data_rx=radii, data_ry=highs, data_foot=f"{cy:.1f}")  # fmt: skip
        states = {worn: " ".join(_states(one.coral.card, course.tolist(), one.fed)) for worn, course in
                  (("kept", one.kept), ("left", one.left))}  # fmt: skip
        marks = [el("title", one.coral.card.name), body, el("text", str(one.number), x=cx, y=cy, dy="0.35em",
                                                            class_="coral-number ahead-number")]  # fmt: skip
        parts.append(group(marks, class_=f"ahead {states['kept'].split(' ')[0]}", data_kept=states["kept"],
                           data_left=states["left"]))  # fmt: skip
    return group(parts, class_="corals-ahead")


def _steps(values: Sequence[float]) -> str:
    return " ".join(f"{value:.1f}" for value in values[::SLIDER_STEP])


def _states(card: CoralCard, course: Sequence[float], fed: bool) -> list[str]:
    return [
        "inside" if fed or card.par_low <= par <= card.par_high else "weak" if par < card.par_low else "strong"
        for par in course[::SLIDER_STEP]
    ]

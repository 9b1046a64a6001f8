"""A coral's PAR over time: logged values as a stepped line over its target range, and its checks."""

from __future__ import annotations

import datetime
from collections.abc import Sequence

from markupsafe import Markup

from corlume.core.acclimation.acclimation_status import LightsOn, is_unhappy
from corlume.core.acclimation.log_entry import LogEntry
from corlume.core.placement.coral_card import CoralCard
from corlume.web.drawing.svg import el, group

WIDTH, HEIGHT = 520.0, 190.0
LEFT, RIGHT, TOP, BOTTOM = 46.0, 12.0, 12.0, 34.0


def draw_light_line(notes: Sequence[LogEntry], card: CoralCard, light: LightsOn, today: datetime.date) -> Markup:
    """The line; empty where no PAR was logged."""
    known = [note for note in notes if note.par is not None]
    if not known:
        return Markup("")
    first = notes[0].day
    days = max(7, (today - first).days)
    most = 1.15 * max(card.par_high, *(note.par or 0.0 for note in known))

    def x(day: datetime.date) -> float:
        return LEFT + (WIDTH - LEFT - RIGHT) * (day - first).days / days

    def y(par: float) -> float:
        return TOP + (HEIGHT - TOP - BOTTOM) * (1 - par / most)

    parts = [
        el("rect", x=LEFT, y=y(card.par_high), width=WIDTH - LEFT - RIGHT, height=y(card.par_low) - y(card.par_high),
           class_="line-band"),
        el("text", "its range", x=WIDTH - RIGHT - 4, y=y(card.par_high) + 13, class_="line-word"),
        el("path", d=f"M{LEFT} {TOP}V{HEIGHT - BOTTOM}H{WIDTH - RIGHT}", class_="line-axis"),
        el("text", "PAR", x=LEFT - 6, y=TOP + 2, class_="line-tick"),
    ]  # fmt: skip
    step = next(s for s in (25, 50, 100, 200, 500, 1000, 5000) if most / s <= 6)
    for par in range(0, int(most) + 1, step):
        if y(par) > TOP + 14:
            parts.append(el("text", str(par), x=LEFT - 6, y=y(par), dy="0.35em", class_="line-tick"))
    for part in (0.0, 0.5, 1.0):
        day = first + datetime.timedelta(days=round(part * days))
        anchor = ("start", "middle", "end")[round(2 * part)]
        parts.append(
            el("text", day.isoformat(), x=x(day), y=HEIGHT - BOTTOM + 15, class_="line-day", text_anchor=anchor)
        )
    path = f"M{x(known[0].day):.1f} {y(known[0].par or 0):.1f}"
    for note in known[1:]:
        path += f"H{x(note.day):.1f}V{y(note.par or 0):.1f}"
    parts.append(el("path", d=f"{path}H{x(today):.1f}", class_="line-light"))
    for note in notes:
        if note.kind == "watch":
            bad = is_unhappy(note, light)
            at = (x(note.day), HEIGHT - BOTTOM - 7)
            shape = (
                el("path", d=f"M{at[0] - 4:.1f} {at[1] - 4:.1f}l8 8m0 -8l-8 8", class_="look bad")
                if bad
                else el("circle", cx=at[0], cy=at[1], r=4.0, class_="look")
            )
            parts.append(shape)
        elif note.kind in ("moved", "loose", "temporary", "fixed"):
            parts.append(el("path", d=f"M{x(note.day):.1f} {TOP}V{HEIGHT - BOTTOM}", class_="line-event"))
    return el(
        "svg", group(parts), viewBox=f"0 0 {WIDTH:.0f} {HEIGHT:.0f}", role="img", class_="light-line",
        aria_label=f"Light over time, {known[0].par:.0f} PAR at first and {known[-1].par:.0f} now, and the looks",
    )  # fmt: skip

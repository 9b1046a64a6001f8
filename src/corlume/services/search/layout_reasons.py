"""Reasons for a layout in the words of the trade; comparisons are computed on the same tank."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from corlume.core.judging.figures import Figures
from corlume.core.light.fixture import Fixture
from corlume.core.light.lens import LENSES
from corlume.core.search.layout import Layout

LEAST_MOVE, LEAST_STEP = 0.01, 0.1
"""Moves shorter than this [m] and differences of level less than this [-] are not spoken of."""


@dataclass(frozen=True, slots=True)
class LayoutReason:
    """One sentence; ``lengths`` go into it by name [m]."""

    words: str
    lengths: dict[str, float] = field(default_factory=dict)


def reasons_for(
    layout: Layout, even: Layout, figures: Figures, rule: Figures | None, now: Sequence[Fixture], *, blanket: bool
) -> Iterator[LayoutReason]:
    """Say what distinguishes a layout.

    Parameters
    ----------
    even : the same at balanced spacing, with the figures ``rule``; None for one column, or where it has no room.
    now : what hangs at present.
    blanket : whether evenness and the band are what was asked for; otherwise what counts is how far off it is.
    """
    if rule is not None:
        there, here = (_percent(f) if blanket else f"{100 * one.off:.0f} % off what was wanted"
                       for f, one in ((rule, even), (figures, layout)))  # fmt: skip
        yield from _spacing(layout, even, f" Equal spacing, at its own best levels, comes to {there}; this to {here}.")
    yield from _levels(layout)
    lit = [f.emitter.height for f in now if f.output > 0]
    up = layout.height - sum(lit) / len(lit) if lit else 0.0
    if up > 2 * LEAST_MOVE:
        yield LayoutReason("On average {up} higher than now: seated viewers see more of it.", {"up": up})
    elif up < -2 * LEAST_MOVE:
        yield LayoutReason(
            "It is {down} lower than the present fixtures on average: more of the light goes into the water.",
            {"down": -up},
        )
    if layout.lens:
        words = LENSES[layout.lens].words
        yield LayoutReason(
            f"{words[0].upper()}{words[1:]} in place of what they have: without the change it comes less near."
        )
    if layout.outer:
        yield LayoutReason("Two sizes in one row: with one size alone it comes less near.")
    if layout.lean:
        yield LayoutReason("The outer ones lean inward, so that less light falls on the end panes.")


def _spacing(layout: Layout, even: Layout, against: str) -> Iterator[LayoutReason]:
    out = 0.5 * (even.places[0] - layout.places[0] + layout.places[-1] - even.places[-1])
    if abs(out) < LEAST_MOVE:
        return
    sides = "the ends" if layout.along == "x" else "front and back"
    why = (
        f"The outer ones are {{out}} further out than equally spaced: less overlap in the middle, more for {sides}."
        if out > 0
        else "The outer ones are {out} further in than equally spaced: less light is lost over the panes."
    )
    yield LayoutReason(why + against, {"out": abs(out)})


def _percent(figures: Figures) -> str:
    tenth = figures.plane.tenth_share
    even = f"{100 * tenth:.0f} % uniformity" if tenth == tenth else "no uniformity"
    return f"{even} and {100 * figures.coverage:.0f} % in range"


def _levels(layout: Layout) -> Iterator[LayoutReason]:
    if len(layout.levels) < 3:
        return
    outer = 0.5 * (layout.levels[0] + layout.levels[-1])
    inner = sum(layout.levels[1:-1]) / len(layout.levels[1:-1])
    if outer > inner + LEAST_STEP:
        yield LayoutReason(
            f"The outer ones run at {100 * outer:.0f} %, the inner at {100 * inner:.0f} %: the middle has light from "
            "both sides."
        )
    elif inner > outer + LEAST_STEP:
        yield LayoutReason(f"The inner ones run at {100 * inner:.0f} %, the outer at {100 * outer:.0f} %.")

"""What is wrong with the day of a setup: gaps, hot restarts, too long a day, more than the circuit bears."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.fixture import Fixture
from corlume.core.light.light_group import DAY, LightGroup
from corlume.core.mounting.power_checks import CONTINUOUS
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.schedule.day import Day, clock

Array = NDArray[np.float64]
LONGEST = 12.0
"""The longest day that keepers run; common practice, no source [h]."""
GAP = 6 * 60.0
"""A time with all lights out counts as a gap in the day when it is shorter [min]."""
MINUTES = np.arange(0.0, DAY)
"""Every minute of a day [min]."""


@dataclass(frozen=True, slots=True)
class DayProblem:
    """A problem of a day: its key, what is wrong, and the rule with its reason."""

    key: str
    words: str
    rule: str


def day_problems(day: Day, fixtures: Sequence[Fixture], around: Surroundings) -> list[DayProblem]:
    """Find the problems of the day of some fixtures that need no light model."""
    lit = [f for f in fixtures if f.output > 0]
    if not lit:
        return []
    groups = {day.group_of(f).name: day.group_of(f) for f in lit}
    return [*_dark(groups), *_restarts(day, lit), *_length(groups), *_circuit(day, lit, around)]


def _dark(groups: Mapping[str, LightGroup]) -> list[DayProblem]:
    """Gaps between times in which any group is on, and days without light."""
    times = lit_times(list(groups.values()))
    rule = "The lights go off during the day and come on again: corals and fish need one day and one night."
    if not times:
        return [DayProblem("dark", "No light comes on at all.", "Every group is at 0 % all day.")]
    gaps = [((b + n) % DAY, (then - b - n) % DAY) for (b, n), (then, _) in itertools.pairwise([*times, times[0]])]
    return [
        DayProblem("gap", f"All lights are out from {clock(at):%H:%M} to {clock(at + long):%H:%M}.", rule)
        for at, long in gaps
        if 0 < long < GAP and len(times) > 1
    ]


def lit_times(groups: Sequence[LightGroup]) -> list[tuple[float, float]]:
    """Times in which any of some groups is on: beginnings and lengths, those that touch joined [min]."""
    return _joined([run for group in groups for run in group.runs()])


def _joined(runs: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    joined: list[tuple[float, float]] = []
    for begin, length in sorted(runs):
        if joined and begin <= joined[-1][0] + joined[-1][1]:
            start, before = joined[-1]
            joined[-1] = (start, max(before, begin + length - start))
        else:
            joined.append((begin, length))
    while len(joined) > 1 and joined[-1][0] + joined[-1][1] >= joined[0][0] + DAY:  # past midnight
        start, before = joined[-1]
        first, length = joined.pop(0)
        joined[-1] = (start, max(before, first + DAY + length - start))
    return joined


def _restarts(day: Day, fixtures: Sequence[Fixture]) -> list[DayProblem]:
    """Lamps that are to strike again before they have cooled."""
    found = {}
    for fixture in fixtures:
        runs, cools = day.group_of(fixture).runs(), fixture.emitter.made_by.cools / 60
        for (begin, length), (then, _) in itertools.pairwise([*runs, *runs[:1]]):
            out = (then - begin - length) % DAY
            if length < DAY and 0 < out < cools:
                at = f"{clock(begin + length):%H:%M}"
                found[fixture.group, at] = DayProblem(
                    "restart",
                    f"{fixture.name} goes out at {at} and is to strike again after {out:.0f} minutes.",
                    f"A hot lamp of this sort does not strike: leave it out for {cools:.0f} minutes.",
                )
    return list(found.values())


def _length(groups: Mapping[str, LightGroup]) -> list[DayProblem]:
    """A day that is longer than keepers run."""
    longest = max(
        ((sum(length for _, length in bright(group)) / 60, group.name) for group in groups.values()), default=(0.0, "")
    )
    if longest[0] <= LONGEST + 0.01:
        return []
    words = f"{longest[1]} is on for {longest[0]:.1f} h."
    return [
        DayProblem("long", words, f"Nine to {LONGEST:g} hours are usual: more feeds algae, and corals rest by night.")
    ]


def main_day(day: Day, fixtures: Sequence[Fixture]) -> tuple[float, float]:
    """Beginning and length of the longest time in which any fixture is brighter than moonlight [min]."""
    groups = {day.group_of(f).name: day.group_of(f) for f in fixtures if f.output > 0}
    times = _joined([run for group in groups.values() for run in bright(group)])
    return max(times, key=lambda time: time[1], default=(0.0, 0.0))


DIM = 0.1
"""Moonlight is no part of the day: levels below this share [-]."""


def bright(group: LightGroup) -> list[tuple[float, float]]:
    """Times in which a group is brighter than moonlight: beginnings and lengths [min]."""
    levels = group.master(MINUTES) >= DIM
    if levels.all():
        return [(0.0, DAY)]
    edges = np.flatnonzero(levels & ~np.roll(levels, 1)), np.flatnonzero(~levels & np.roll(levels, 1))
    return [(float(b), float(min((e - b) % DAY for e in edges[1]))) for b in edges[0]]


def _circuit(day: Day, fixtures: Sequence[Fixture], around: Surroundings) -> list[DayProblem]:
    """The minute at which a circuit has more to bear than it may for hours."""
    drawn = sum((day.power(f, MINUTES) for f in fixtures), np.full(len(MINUTES), around.others))
    most, at = CONTINUOUS * around.volts * around.breaker, int(np.argmax(drawn))
    if drawn[at] <= most:
        return []
    words = f"At {clock(at):%H:%M} the circuit bears {drawn[at]:.0f} W, {around.others:.0f} W of it from other things."
    rule = (
        f"A breaker of {around.breaker:g} A at {around.volts:g} V bears {most:.0f} W for hours, four fifths of all. "
        "Local code goes first, and wiring is work for a licensed electrician."
    )
    return [DayProblem("circuit", words, rule)]


def past_ceiling(alone: Mapping[str, float], together: float, ceiling: float, minute: float) -> list[DayProblem]:
    """Lights of several technologies that pass the ceiling together and not alone.

    ``alone`` is the greatest PAR of each, ``together`` that of all at the same minute [umol/m2/s].
    """
    if together <= ceiling or len(alone) < 2 or max(alone.values()) > ceiling:
        return []
    parts = " and ".join(f"{name} {par:.0f}" for name, par in alone.items())
    words = f"At {clock(minute):%H:%M} the lights together reach {together:.0f} PAR; alone: {parts}."
    return [DayProblem("ceiling", words, f"Your ceiling is {ceiling:.0f} PAR: dim one of them while the other is on.")]

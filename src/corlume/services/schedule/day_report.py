"""What the Day page says of a setup: when its lights are on, what they draw and cost, and its problems."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.mounting.mounting_checks import CONTINUOUS
from corlume.core.schedule.day import clock
from corlume.core.schedule.day_checks import DayProblem, day_problems, lit_times, past_ceiling
from corlume.services.light.fields import judged_planes
from corlume.services.light.points import same_tank
from corlume.services.schedule.day_light import MINUTES, GroupPower, power_by_group
from corlume.store.tanks import StoredSetup, StoredTank


@dataclass(frozen=True, slots=True)
class DayReport:
    """A day in figures.

    Parameters
    ----------
    on : times in which any light is on, as beginning and end in words.
    powers : power of each group over the day.
    energy : electrical energy of a day [kWh]; all of it ends as heat.
    price : what a day costs [currency].
    most, at : greatest power [W], and when.
    bears : what the circuit bears for the lights [W].
    """

    on: tuple[str, ...]
    powers: tuple[GroupPower, ...]
    energy: float
    price: float
    most: float
    at: str
    bears: float
    problems: tuple[DayProblem, ...]


def report_day(stored: StoredTank, setup: StoredSetup) -> DayReport:
    """The report of a setup's day."""
    day, around = stored.running.day, stored.surroundings
    powers = power_by_group(stored, setup)
    total = sum((one.watts for one in powers), np.zeros(len(MINUTES)))
    groups = {day.group_of(f).name: day.group_of(f) for f in setup.hung if f.output > 0}
    times = lit_times(list(groups.values()))
    problems = day_problems(day, setup.hung, around) + _ceiling(stored, setup.hung)
    return DayReport(
        tuple(f"{clock(begin):%H:%M} to {clock(begin + length):%H:%M}" for begin, length in times),
        tuple(powers),
        sum(one.energy for one in powers),
        stored.running.yearly(setup.hung) / 365,
        float(total.max()),
        f"{clock(float(np.argmax(total))):%H:%M}",
        CONTINUOUS * around.volts * around.breaker - around.others,
        tuple(problems),
    )


def _ceiling(stored: StoredTank, fixtures: Sequence[Fixture]) -> list[DayProblem]:
    """Whether lights of several technologies pass the ceiling together, at the minute of most light."""
    day, tank = stored.running.day, same_tank(stored.lit_tank())
    flux = sum(
        f.emitter.ppf * np.array([c.share for c in f.emitter.channels]) @ day.levels(f, MINUTES) for f in fixtures
    )
    if np.ndim(flux) == 0 or not np.any(flux):
        return []
    minute = float(np.argmax(flux))
    lit = day.at(fixtures, minute)
    alone = {}
    for name in dict.fromkeys(f.emitter.made_by.name for f in lit):
        mine = [f for f in lit if f.emitter.made_by.name == name]
        if any(f.strength > 0 for f in mine):
            alone[name] = _hottest(tank, mine)
    return past_ceiling(alone, _hottest(tank, lit), stored.targets.ceiling, minute)


def _hottest(tank: Tank, fixtures: Sequence[Fixture]) -> float:
    """Greatest PAR over the rock top and in the water below it [umol/m2/s]."""
    plane, water, _ = judged_planes(tank, fixtures)
    return float(np.nanmax(np.concatenate([plane.ravel(), water]), initial=0.0))

"""What the Day page says of a setup: when its lights are on, what they draw and cost, and its problems."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from corlume.core.light.fixture import Fixture, scheduled
from corlume.core.light.geometry import Tank
from corlume.core.mounting.power_checks import CONTINUOUS
from corlume.core.schedule.day import clock
from corlume.core.schedule.day_checks import MINUTES, DayProblem, day_problems, lit_times, past_ceiling
from corlume.core.schedule.starts import STARTS, group_name
from corlume.services.keeping.light_groups import groups_from
from corlume.services.light.fields import judged_planes
from corlume.services.light.points import same_tank
from corlume.services.schedule.change_light import fixtures_on
from corlume.services.schedule.day_light import NOON, CoralDay, GroupPower, coral_days, flux_over, power_by_group
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
    flux = flux_over(day, fixtures)
    if not flux.any():
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


def start_effects(stored: StoredTank, setup: StoredSetup) -> dict[str, str]:
    """What each approach of ``STARTS`` would do to the daily light of the corals, in words; nothing without corals."""
    before = {one.id: one for one in coral_days(stored, setup.hung, NOON)}
    found = {}
    for key in STARTS if before else ():
        fixtures = scheduled([replace(f, group=group_name(f)) for f in setup.hung], groups_from(stored, setup, key))
        after = coral_days(stored, fixtures, NOON)
        shares = [one.dose / before[one.id].dose - 1 for one in after if before[one.id].dose > 0]
        gone = [
            one for one in after
            if one.verdict and one.verdict.dose != "in range" and _in_range(before[one.id])
        ]  # fmt: skip
        if shares:
            low, high = (f"{100 * share:+.0f}" for share in (min(shares), max(shares)))
            words = (
                f"Daily light of the corals {low} %" if low == high else f"Daily light of the corals {low} to {high} %"
            )
            if low == high == "+0":
                words = "Daily light of the corals stays"
            found[key] = f"{words}; {len(gone)} would leave their target." if gone else f"{words}."
    return found


def _in_range(one: CoralDay) -> bool:
    return one.verdict is not None and one.verdict.dose == "in range"


@dataclass(frozen=True, slots=True)
class LightsNow:
    """What the lights do at a minute: the level of each group, in words, and the power of all [W]."""

    levels: tuple[tuple[str, str], ...]
    watts: float


def lights_now(stored: StoredTank, setup: StoredSetup, today: datetime.date, minute: float) -> LightsNow:
    """What the lights of a setup do at a minute of a day, at the step of its running plan [min]."""
    day, at, full = stored.running.day, np.array([minute]), {f.name: f.output for f in setup.hung}
    levels, watts = dict[str, str](), 0.0
    for fixture in fixtures_on(stored, setup, today):
        group, was = day.group_of(fixture), full.get(fixture.name, fixture.output)
        level = (fixture.output / was if was else 1.0) * float(group.master(at)[0])
        words = f"{100 * level:.0f} %" if group.ramp != "switch" else "on" if level else "off"
        levels.setdefault(group.name, words)
        watts += float(day.power(fixture, at)[0])
    return LightsNow(tuple(levels.items()), watts)

"""At what level the lights are when a reading is taken, by the schedule and a running plan."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from corlume.core.light.fixture import Fixture, scheduled
from corlume.core.light.light_group import minute_of
from corlume.core.survey.survey_record import Survey
from corlume.services.light.fields import par_at
from corlume.services.schedule.change_light import on_step
from corlume.store.tanks import StoredSetup, StoredTank

WARM = 0.97
"""Lamps count as warm when they give so much of their steady light [-]."""


@dataclass(frozen=True, slots=True)
class ReadingLevel:
    """Share of the light as set that a place gets at a time [-], and lamps that still warm up then, by name."""

    level: float
    warming: tuple[str, ...]


def reading_level(
    stored: StoredTank, survey: Survey, place: tuple[float, float, float], at: datetime.time, day: datetime.date
) -> ReadingLevel | None:
    """The level at a place at a time of day; None where the survey's setup has no schedule."""
    setup = next((one for one in stored.setups if one.name == survey.setup), None)
    if setup is None or not setup.groups:
        return None
    groups = {f.name: f.group for f in setup.hung}  # they may have come into groups since the survey was planned
    hung = [replace(f, group=groups.get(f.name, f.group)) for f in survey.fixtures]
    fixtures = scheduled(hung, [kept.value for kept in setup.groups])
    now, clock = on_step(stored, setup, fixtures, day), stored.running.day
    minute, lit, warming = minute_of(at), [], list[str]()
    for fixture in now:
        levels = clock.levels(fixture, np.array([minute]))
        steady = fixture.output * clock.group_of(fixture).levels(fixture.mix, np.array([minute]))
        lit.append(replace(fixture, lit=tuple(levels[:, 0].tolist())))
        if steady.any() and float(levels.max()) < WARM * float(steady.max()):
            warming.append(fixture.name)
    tank, point = stored.surveyed(survey), np.array([place])
    whole = float(par_at(tank, fixtures, point)[0])
    part = float(par_at(tank, lit, point)[0])
    return ReadingLevel(part / whole if whole > 0 else 1.0, tuple(warming))


def lights_at(
    stored: StoredTank, setup: StoredSetup, fixtures: Sequence[Fixture], moment: datetime.datetime
) -> tuple[Fixture, ...]:
    """Fixtures of a setup as they are lit at a moment by its schedule and plan; as set where it has no schedule."""
    if not setup.groups:
        return tuple(fixtures)
    minute = minute_of(moment.time())
    return stored.running.day.at(on_step(stored, setup, fixtures, moment.date()), minute)

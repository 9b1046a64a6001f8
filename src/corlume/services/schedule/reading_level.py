"""At what level the lights are when a reading is taken, by the schedule and a running plan."""

from __future__ import annotations

import datetime
from dataclasses import dataclass, replace

import numpy as np

from corlume.core.light.fixture import scheduled
from corlume.core.light.light_group import minute_of
from corlume.core.survey.survey_record import Survey
from corlume.services.light.fields import par_at
from corlume.services.schedule.change_light import planned, running_plan
from corlume.store.tanks import StoredTank

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
    plan, clock = running_plan(stored, setup), stored.running.day
    step = plan.step_on(day) if plan else None
    now = planned(stored, plan, fixtures, plan.steps[step]) if plan and step is not None else fixtures
    minute, lit, warming = minute_of(at), [], list[str]()
    for fixture in now:
        levels = clock.levels(fixture, np.array([minute]))
        steady = clock.group_of(fixture).levels((1.0,), np.array([minute]))
        lit.append(replace(fixture, lit=tuple(levels[:, 0].tolist())))
        full = fixture.output * float(steady[0, 0]) * max(fixture.mix)
        if full > 0 and float(levels.max()) < WARM * full:
            warming.append(fixture.name)
    tank, point = stored.surveyed(survey), np.array([place])
    whole = float(par_at(tank, fixtures, point)[0])
    part = float(par_at(tank, lit, point)[0])
    return ReadingLevel(part / whole if whole > 0 else 1.0, tuple(warming))

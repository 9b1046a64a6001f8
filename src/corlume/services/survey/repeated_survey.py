"""A survey read again at the points of an earlier one, and what changed at each point."""

from __future__ import annotations

import datetime
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from corlume.core.survey.survey_record import Survey
from corlume.services.keeping.setups import free_name
from corlume.services.keeping.surveys import StoredSurvey, add_survey, all_surveys, open_survey
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

SAME_POINT = 0.015
"""Points so near to each other are one [m]."""


@dataclass(frozen=True, slots=True)
class PointChange:
    """A point that was read twice: its name, and its PAR then and now [umol/m2/s]."""

    name: str
    then: float
    now: float

    @property
    def change(self) -> float:
        """The difference over the PAR then [-]."""
        return self.now / self.then - 1.0


def repeat_survey(db: Database, stored: StoredTank, survey_id: int, today: datetime.date) -> int:
    """Begin a survey at the points of another, under the lights in use as they are today; returns its id."""
    survey, setup = open_survey(db, stored.id, survey_id).value, stored.under(None).setup()
    names = {one.value.name for one in all_surveys(db, stored.id)}
    spots = tuple(replace(spot, readings=(), level=1.0, time=None, skipped=False, note="") for spot in survey.spots)
    again = replace(
        survey, name=free_name(f"{survey.name[:60]} again", names), day=today, setup=setup.name, session="", note="",
        spots=spots, fixtures=tuple(setup.hung), correction=None, in_use=False, kind="",
    )  # fmt: skip
    return add_survey(db, stored.id, again)


def earlier_survey(kept: Sequence[StoredSurvey], survey: StoredSurvey) -> StoredSurvey | None:
    """The latest survey before another with points in common that were read in both; None without one."""
    before = [one for one in kept if (one.value.day, one.id) < (survey.value.day, survey.id)]
    before.sort(key=lambda one: (one.value.day, one.id), reverse=True)
    return next((one for one in before if point_changes(one.value, survey.value)), None)


def point_changes(then: Survey, now: Survey) -> list[PointChange]:
    """Points that were read in both of two surveys, those that changed most first."""
    found = []
    for spot, par in now.read():
        for other, was in then.read():
            if math.dist(spot.place, other.place) <= SAME_POINT:
                found.append(PointChange(spot.name, was, par))
                break
    return sorted(found, key=lambda one: -abs(one.change))

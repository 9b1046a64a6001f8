"""Rental week: readings of each day, and their results.

The order is the trade's (common practice, no source): before anything is moved, height at the rock top, spacing, only
then the sliders, and the final survey. Two days are left for what did not fit.
"""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from corlume.core.survey.point_templates import rock_tops, sliders
from corlume.core.survey.survey_record import Kind, MeasuringPoint, Survey
from corlume.formats.measure import Measure
from corlume.services.keeping import surveys
from corlume.services.keeping.surveys import StoredSurvey
from corlume.services.survey import balance_rounds
from corlume.services.survey.seen_light import HIGHEST, LOWEST, raised_to
from corlume.services.survey.survey_plan import offer
from corlume.services.survey.survey_results import predicted
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredSetup, StoredTank

Part = Literal["before", "heights", "spacing", "sliders", "after"]
PARTS: dict[Part, tuple[str, str]] = {
    "before": ("Before", "Read the tank before you move anything. Later readings are compared with these."),
    "heights": ("Height", "Set the lights to each of these heights and read the rock top. Use the lowest "
    "height at which readings are within about 100 of each other."),
    "spacing": ("Spacing", "Read 15 cm down under the lights, between them and at the ends; shift them, and read "
                           "again, until all agree within about 10."),
    "sliders": ("Sliders", "Only now the sliders: read one place at full, three quarters, half and a quarter, and see "
                           "whether half on the slider is half of the light."),
    "after": ("Final survey", "Read the final state. The PAR map is corrected by this survey once the meter is back."),
}  # fmt: skip
SPOTS = 12
RAISE, MOST_HEIGHTS = 0.08, 4
"""Heights are tried so far apart, and so many of them [m]."""
WITHIN = 100.0
"""Readings at the rock top are to lie within so much of each other; common practice, no source [umol/m2/s]."""
OFF_LEVEL = 0.08
"""A slider that is off by more than this share of full is told [-]; ours."""


@dataclass(frozen=True, slots=True)
class Level:
    """A level of the sliders: its setting, and its reading as a share of full, None before that [-]."""

    set_to: float
    read: float | None


@dataclass(frozen=True, slots=True)
class HeightRead:
    """Spread at the rock top at one height [m]: strongest less weakest as predicted, and as read once all is read
    [umol/m2/s].
    """

    survey: StoredSurvey
    height: float
    predicted: float
    read: float | None

    @property
    def even(self) -> bool:
        """Whether the readings lie close enough together; the prediction, before they are there."""
        return (self.predicted if self.read is None else self.read) <= WITHIN


@dataclass(frozen=True, slots=True)
class WeekDay:
    """A day of the week with its surveys, none before it has begun, and PAR predicted at their points, by id."""

    number: int
    part: Part
    title: str
    task: str
    surveys: tuple[StoredSurvey, ...]
    predicted: dict[int, float]
    heights: tuple[HeightRead, ...] = ()
    levels: tuple[Level, ...] = ()

    @property
    def done(self) -> tuple[int, int]:
        """How many points are read, of how many."""
        return sum(s.done for s in self.surveys), sum(len(s.spots) for s in self.surveys)


def begin(db: Database, stored: StoredTank, setup: StoredSetup, day: datetime.date, measure: Measure) -> int:
    """Plan a week for a setup, and its first day; returns the id of that day's survey."""
    taken = {s.value.session for s in surveys.all_surveys(db, stored.id)}
    session = next(name for k in range(1, 1000) if (name := f"Week {k}") not in taken)
    return begin_day(db, stored, setup, session, "before", day, measure)


def begin_day(
    db: Database, stored: StoredTank, setup: StoredSetup, session: str, part: Part, day: datetime.date, measure: Measure
) -> int:
    """Plan a day's points under a setup as it hangs now; returns the id of its first survey."""
    told = stored.under(None)
    hung = tuple(told.setup(setup.id).hung)
    base = Survey(f"{session}: {PARTS[part][0].lower()}", day, setup.name, session, fixtures=hung)
    if part == "spacing":
        return balance_rounds.begin(db, stored, setup, day, f"{session}, spacing")
    if part in ("before", "after"):
        kind: Kind = "before" if part == "before" else "after"
        made = [replace(base, kind=kind, spots=offer(stored, setup).plan(SPOTS))]
    elif part == "sliders":
        made = [replace(base, kind="sliders", spots=tuple(sliders(told.tank)))]
    else:
        spots = tuple(rock_tops(told.tank))
        made = [
            replace(base, name=f"{session}: lights at {measure.length(height)}", kind="heights",
                    fixtures=raised_to(hung, height), spots=spots)
            for height in heights_to_try(told, setup)
        ]  # fmt: skip
    return surveys.add_surveys(db, stored.id, made, f"begin {base.name}")[0]


def heights_to_try(stored: StoredTank, setup: StoredSetup) -> list[float]:
    """Three or four heights of the lowest fixture that the room allows, the one it hangs at among them [m]."""
    hung = stored.setup(setup.id).hung
    if not hung:
        return []
    now = min(f.emitter.height for f in hung)
    span = max(f.emitter.height for f in hung) - now
    top = max(now, min(HIGHEST, stored.tank.room_height - span))
    tried = [now + k * RAISE for k in range(-MOST_HEIGHTS, MOST_HEIGHTS)]
    fitting = [round(h, 3) for h in tried if min(LOWEST, now) - 1e-9 <= h <= top + 1e-9]
    # those nearest to where it hangs, higher ones first
    near = sorted(fitting, key=lambda h: abs(h - now - 0.5 * RAISE))[:MOST_HEIGHTS]
    return sorted(near)


def session_of(db: Database, stored: StoredTank, survey_id: int) -> str:
    """Week of a survey; ``NotFound`` when it belongs to none."""
    survey = surveys.open_survey(db, stored.id, survey_id).value
    if not survey.session or survey.kind in ("", "balance"):
        raise NotFound(f"survey {survey_id} is no day of a week")
    return survey.session


def days(stored: StoredTank, kept: Sequence[StoredSurvey], session: str) -> list[WeekDay]:
    """Days of a week, from all surveys of a tank."""
    found = []
    for number, (part, (title, task)) in enumerate(PARTS.items(), 1):
        if part == "spacing":
            own = [s for s in kept if s.value.session == f"{session}, spacing"]
        else:
            own = [s for s in kept if s.value.session == session and s.value.kind == part]
        own.sort(key=lambda s: s.id)
        par = {spot: value for survey in own for spot, value in predicted(stored, survey).items()}
        heights = tuple(_height(s, par) for s in own if s.value.fixtures) if part == "heights" else ()
        levels = _levels(own[0].value) if part == "sliders" and own else ()
        found.append(WeekDay(number, part, title, task, tuple(own), par, heights, levels))
    return found


def _height(survey: StoredSurvey, par: dict[int, float]) -> HeightRead:
    told = [par[kept.id] for kept in survey.spots]
    read = [value for kept in survey.spots if (value := survey.value.par(kept.value)) is not None]
    whole = len(read) == len(survey.spots) and read
    height = min(f.emitter.height for f in survey.value.fixtures)
    apart = max(told) - min(told) if told else 0.0
    return HeightRead(survey, height, apart, max(read) - min(read) if whole else None)


def _levels(survey: Survey) -> tuple[Level, ...]:
    """Reading at each level over that at the highest, where that is full."""
    full = next((s.median for s in survey.spots if s.level == 1.0 and s.median), None)
    return tuple(Level(s.level, _share(s, full)) for s in survey.spots)


def _share(spot: MeasuringPoint, full: float | None) -> float | None:
    return spot.median / full if spot.median is not None and full else None

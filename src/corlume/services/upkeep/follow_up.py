"""Follow-up of a big change of light a month later: readings, corals and photos before and after it, on one page."""

from __future__ import annotations

import datetime
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from corlume.core.acclimation.acclimation_status import is_unhappy
from corlume.core.acclimation.log_entry import PLACED, LogEntry
from corlume.core.placement.coral import Coral
from corlume.core.schedule.slow_change import BOUND
from corlume.services.acclimation.acclimation import lights_on
from corlume.services.keeping.acclimation_log import checked_by, latest_logs, light_by, light_jumps
from corlume.services.keeping.surveys import StoredSurvey, all_surveys
from corlume.services.survey.repeated_survey import PointChange, point_changes
from corlume.services.upkeep.log import Entry, entries, events_of
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank

AFTER = 30
"""A month after a big change it is measured again; common practice, no source [d]."""
MOST = 30
"""The latest so many changes are shown."""
PHOTOS = 6
"""So many photos are shown of each side."""


@dataclass(frozen=True, slots=True)
class BigChange:
    """A day on which the light changed much: new lamps, another setup, the end of a slow change, or other levels."""

    day: datetime.date
    words: str

    @property
    def due(self) -> datetime.date:
        """The day of its follow-up."""
        return self.day + datetime.timedelta(days=AFTER)


def big_changes(db: Database, stored: StoredTank, today: datetime.date) -> list[BigChange]:
    """Big changes of a tank's light up to today, the newest first, those of one day together.

    Other levels count where the light of a coral changed by more than ``BOUND``.
    """
    found: dict[datetime.date, list[str]] = {}
    outs = {(kept.value.fixture, kept.value.taken_out) for kept in stored.lamps}
    for lamp in (kept.value for kept in stored.lamps):
        if (lamp.fixture, lamp.installed) in outs or lamp.taken_out is None:
            found.setdefault(lamp.installed, []).append(f"new {lamp.label}")
    for plan in (kept.value for kept in stored.plans):
        if plan.ends:
            found.setdefault(plan.ends, []).append(f"the end of {plan.name}")
    jumps = light_jumps(db, stored.id, BOUND)
    for event in events_of(db, stored.id, ("setup", "levels", "schedule")):
        if event.day in jumps or "in place of" in event.words:
            found.setdefault(event.day, []).append(event.words.rstrip("."))
    days = sorted((day for day in found if day <= today), reverse=True)
    return [BigChange(day, _joined(found[day])) for day in days[:MOST]]


def _joined(words: Sequence[str]) -> str:
    return ", ".join(words[:3]) + (f" and {len(words) - 3} more" if len(words) > 3 else "")


@dataclass(frozen=True, slots=True)
class CoralThen:
    """A coral before and after: its PAR [umol/m2/s], None where it was not known, and the checks of both sides.

    ``moved`` says whether it sat elsewhere before.
    """

    number: int
    id: int
    coral: Coral
    before: float | None
    after: float | None
    moved: bool
    check_before: LogEntry | None
    check_after: LogEntry | None
    worse: bool

    @property
    def change(self) -> float | None:
        """The difference over the PAR before [-]."""
        return self.after / self.before - 1.0 if self.before and self.after is not None else None


@dataclass(frozen=True, slots=True)
class FollowUp:
    """What was before a day, and what after it.

    Parameters
    ----------
    surveys : the one before and the one after, None where there is none; ``points`` those read in both.
    corals : that were in the tank before, those that look worse first, then those whose light changed most.
    photos : before and after.
    others : changes other than of light in the month before the day and since.
    """

    day: datetime.date
    until: datetime.date
    surveys: tuple[StoredSurvey | None, StoredSurvey | None]
    points: tuple[PointChange, ...]
    corals: tuple[CoralThen, ...]
    photos: tuple[tuple[Entry, ...], tuple[Entry, ...]]
    others: tuple[Entry, ...]

    @property
    def middle(self) -> float:
        """Median change of the points [-]."""
        return statistics.median(point.change for point in self.points) if self.points else 0.0

    @property
    def worse(self) -> tuple[CoralThen, ...]:
        """Corals that were not well at the check after it, and were before or not checked."""
        return tuple(one for one in self.corals if one.worse)

    @property
    def rose(self) -> bool:
        """Whether the light of one of these rose by more than ``BOUND``."""
        return any((one.change or 0.0) > BOUND for one in self.worse)

    @property
    def checked(self) -> int:
        """How many corals were checked after it."""
        return sum(one.check_after is not None for one in self.corals)


def follow_up(db: Database, stored: StoredTank, day: datetime.date, today: datetime.date) -> FollowUp:
    """Compare what is recorded from before a day with what is recorded up to ``AFTER`` days, or some more, after it."""
    before, until = day - datetime.timedelta(days=1), min(today, day + datetime.timedelta(days=2 * AFTER))
    kept = [one for one in all_surveys(db, stored.id) if one.value.read()]
    surveys = _surveys(kept, day)
    points = point_changes(surveys[0].value, surveys[1].value) if surveys[0] and surveys[1] else []
    light = light_by(db, stored.id, before), light_by(db, stored.id, until)
    checks = checked_by(db, stored.id, before), checked_by(db, stored.id, until)
    hours, logs, found = lights_on(stored), latest_logs(db, stored.id), list[CoralThen]()
    for number, coral in enumerate(stored.corals, 1):
        was, now = (side.get(coral.id) for side in light)
        seen, look = (side.get(coral.id) for side in checks)
        look = look if look and look.day >= day else None
        if not (was or now or look) or _came_after(day, coral.value, logs.get(coral.id, ())):
            continue
        found.append(
            CoralThen(
                number=number,
                id=coral.id,
                coral=coral.value,
                before=was.par if was else None,
                after=now.par if now else None,
                moved=was is not None and now is not None and was.place != now.place,
                check_before=seen,
                check_after=look,
                worse=look is not None and is_unhappy(look, hours) and not (seen and is_unhappy(seen, hours)),
            )
        )
    found.sort(key=lambda one: (not one.worse, -abs(one.change or 0.0)))
    month = datetime.timedelta(days=AFTER)
    lines = entries(db, stored.id, since=day - 12 * month, until=until, pictures=True, most=500)
    sides = [one for one in lines if one.day < day], [one for one in reversed(lines) if one.day >= day]
    photos = tuple(sides[0][:PHOTOS]), tuple(sides[1][-PHOTOS:])
    others = entries(db, stored.id, group="other", since=day - month, until=until)
    return FollowUp(day, until, surveys, tuple(points), tuple(found), photos, tuple(others))


def _came_after(day: datetime.date, coral: Coral, notes: Sequence[Kept[LogEntry]]) -> bool:
    """Whether a coral came on a day or later: before and after say nothing of it."""
    arrived = notes[0].value.day if notes and notes[0].value.kind in ("dip", *PLACED) else None
    came = coral.course.bought or arrived
    return came is not None and came >= day


def _surveys(kept: Sequence[StoredSurvey], day: datetime.date) -> tuple[StoredSurvey | None, StoredSurvey | None]:
    """The latest survey before a day and the one nearest to a month after it, with points in common where there are."""
    due = day + datetime.timedelta(days=AFTER)
    before = sorted((one for one in kept if one.value.day < day), key=lambda one: one.value.day, reverse=True)
    after = sorted((one for one in kept if one.value.day >= day), key=lambda one: abs(one.value.day - due))
    pairs = ((old, new) for new in after for old in before if point_changes(old.value, new.value))
    return next(pairs, (next(iter(before), None), next(iter(after), None)))

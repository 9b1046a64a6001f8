"""Acclimation of corals: status of each, checks due today, a better spot, what changed lately, and their PAR."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from corlume.core.acclimation.acclimation_status import (
    LATELY,
    AcclimationStatus,
    LightsOn,
    PlacementPar,
    many_unhappy,
    status_on,
)
from corlume.core.acclimation.log_entry import LogEntry
from corlume.core.message_text import escape_slots
from corlume.core.placement.coral import Coral
from corlume.core.placement.coral_type import CoralType
from corlume.core.schedule.day import clock
from corlume.core.schedule.day_checks import main_day
from corlume.services.keeping import tanks
from corlume.services.keeping.acclimation_log import Notes, logs, note_light
from corlume.services.keeping.coral_types import type_of
from corlume.services.placement.better_spot import BetterSpot, find_better_spot
from corlume.services.placement.zone_placement import coral_light
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank


@dataclass(frozen=True, slots=True)
class WatchedCoral:
    """A coral with its number, its PAR [umol/m2/s], its log, oldest entry first, and its status."""

    number: int
    coral: Kept[Coral]
    par: float | None
    notes: tuple[Kept[LogEntry], ...]
    standing: AcclimationStatus
    kind: CoralType | None

    @property
    def last_look(self) -> LogEntry | None:
        """The latest entry that says how the coral looked."""
        return next((kept.value for kept in reversed(self.notes) if kept.value.kind == "watch"), None)


def lights_on(stored: StoredTank) -> LightsOn:
    """When the tank has light: by the schedule of the setup in use, or by its plain hours."""
    day, hung = stored.running.day, stored.setup().hung
    if all(fixture.day is None for fixture in hung):
        return LightsOn(stored.running.lights_out, stored.running.hours)
    begin, length = main_day(day, hung)
    return LightsOn(clock(begin + length) if length else None, length / 60)


def watch_all(stored: StoredTank, notes: Notes, today: datetime.date) -> list[WatchedCoral]:
    """Status of every coral of a tank on a day, lost corals last."""
    light = coral_light(stored, stored.setup().hung)
    lit = lights_on(stored)
    found = []
    for number, kept in enumerate((*stored.corals, *stored.lost), 1):
        mine = notes.get(kept.id, ())
        line = [one.value for one in mine]
        card, par = kept.value.card, light.get(kept.id)
        reading = None if par is None else PlacementPar(par, card.par_low, card.par_high)
        standing = status_on(line, kept.value.course, kept.value.place, today=today, light=lit, reading=reading)
        found.append(WatchedCoral(number, kept, par, mine, standing, type_of(stored, card)))
    return found


def all_at_once(watched: Sequence[WatchedCoral], today: datetime.date) -> list[str] | None:
    """What changed lately, when several corals are unhappy at once; None otherwise."""
    if not many_unhappy([one.standing for one in watched]):
        return None
    since = today - datetime.timedelta(days=LATELY)
    found = []
    for one in watched:
        known = [kept.value for kept in one.notes if kept.value.par is not None]
        for before, after in pairwise(known):
            if after.day >= since and after.kind == "light" and before.par and after.par:
                there = "" if before.place == after.place else ", at another place"
                found.append(
                    f"{after.day.isoformat()}: {one.number} {escape_slots(one.coral.value.card.name)}, light "
                    f"{before.par:.0f} to {after.par:.0f} PAR under {escape_slots(after.setup)}{there}"
                )
    return sorted(found, reverse=True)


def spot_for(stored: StoredTank, one: WatchedCoral) -> BetterSpot | None:
    """A better spot for an unhappy coral, by its last entry; None where there is none or none is needed."""
    if one.standing.bad_days == 0 or one.par is None or one.last_look is None:
        return None
    return find_better_spot(stored, stored.setup(), one.coral.id, one.par, one.last_look.colour)


def log_light(db: Database, tank_id: int, today: datetime.date) -> int:
    """Log the PAR of placed corals under the setup in use, where it changed; returns how many."""
    stored = tanks.open_tank(db, tank_id)
    setup = stored.setup()
    return note_light(db, stored, coral_light(stored, setup.hung), setup.name, today)


def watched_one(db: Database, stored: StoredTank, coral_id: int, today: datetime.date) -> WatchedCoral:
    """Status of one coral; ``NotFound`` when there is none."""
    stored.coral(coral_id)
    watched = watch_all(stored, logs(db, stored.id), today)
    return next(one for one in watched if one.coral.id == coral_id)

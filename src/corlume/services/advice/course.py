"""The first weeks of corals: where each stands, what is due today, a better seat, what changed lately, their light."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from corlume.core.coral_kind import CoralKind
from corlume.core.course.note import CoralNote
from corlume.core.course.watch import LATELY, Light, Reading, Standing, several, stand
from corlume.core.scene import Coral
from corlume.core.words import plain
from corlume.services.advice.better_seat import BetterSeat, better_seat
from corlume.services.advice.coral_sites import coral_light
from corlume.services.keeping import tanks
from corlume.services.keeping.coral_kinds import kind_of
from corlume.services.keeping.course import Notes, note_light, time_lines
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank


@dataclass(frozen=True, slots=True)
class Watched:
    """A coral with its number, the light that it has [umol/m2/s], its time line, oldest first, and where it stands."""

    number: int
    coral: Kept[Coral]
    par: float | None
    notes: tuple[Kept[CoralNote], ...]
    standing: Standing
    kind: CoralKind | None

    @property
    def last_look(self) -> CoralNote | None:
        """What was seen of it last."""
        return next((kept.value for kept in reversed(self.notes) if kept.value.kind == "watch"), None)


def watch_all(stored: StoredTank, notes: Notes, today: datetime.date) -> list[Watched]:
    """Every coral of a tank, those that were lost last, as they stand on a day."""
    light = coral_light(stored, stored.setup().hung)
    lit = Light(stored.running.lights_out, stored.running.hours)
    found = []
    for number, kept in enumerate((*stored.corals, *stored.lost), 1):
        mine = notes.get(kept.id, ())
        line = [one.value for one in mine]
        card, par = kept.value.card, light.get(kept.id)
        reading = None if par is None else Reading(par, card.par_low, card.par_high)
        standing = stand(line, kept.value.course, kept.value.place, today=today, light=lit, reading=reading)
        found.append(Watched(number, kept, par, mine, standing, kind_of(stored, card)))
    return found


def all_at_once(watched: Sequence[Watched], today: datetime.date) -> list[str] | None:
    """What changed lately, where several corals are unhappy at once; None where they are not."""
    if not several([one.standing for one in watched]):
        return None
    since = today - datetime.timedelta(days=LATELY)
    found = []
    for one in watched:
        known = [kept.value for kept in one.notes if kept.value.par is not None]
        for before, after in pairwise(known):
            if after.day >= since and after.kind == "light" and before.par and after.par:
                there = "" if before.place == after.place else ", at another place"
                found.append(
                    f"{after.day.isoformat()}: {one.number} {plain(one.coral.value.card.name)}, light "
                    f"{before.par:.0f} to {after.par:.0f} PAR under {plain(after.setup)}{there}"
                )
    return sorted(found, reverse=True)


def seat_for(stored: StoredTank, one: Watched) -> BetterSeat | None:
    """A better seat for an unhappy coral, by what was seen of it last; None where there is none, or it is not asked."""
    if one.standing.bad_days == 0 or one.par is None or one.last_look is None:
        return None
    return better_seat(stored, stored.setup(), one.coral.id, one.par, one.last_look.colour)


def keep_light(db: Database, tank_id: int, today: datetime.date) -> int:
    """Write down the light of the placed corals, under the setup in use, where it is not what it was; of how many."""
    stored = tanks.open_tank(db, tank_id)
    setup = stored.setup()
    return note_light(db, stored, coral_light(stored, setup.hung), setup.name, today)


def watched_one(db: Database, stored: StoredTank, coral_id: int, today: datetime.date) -> Watched:
    """One coral as it stands; ``NotFound`` otherwise."""
    stored.coral(coral_id)
    watched = watch_all(stored, time_lines(db, stored.id), today)
    return next(one for one in watched if one.coral.id == coral_id)

"""New and moved corals that had less light than their spots give."""

from __future__ import annotations

import datetime
import math
from collections.abc import Sequence
from dataclasses import dataclass

from corlume.core.acclimation.acclimation_status import ACCLIMATED, is_acclimating
from corlume.core.acclimation.log_entry import LogEntry
from corlume.core.placement.coral import Coral
from corlume.core.schedule.new_coral import NewCoralPlan, plan_for_new
from corlume.services.keeping.acclimation_log import Notes
from corlume.services.placement.zone_placement import coral_light
from corlume.store.tanks import StoredTank

MOVED = 0.02
"""A coral that is so far from where it was has another spot; ours [m]."""


@dataclass(frozen=True, slots=True)
class NewCoral:
    """A new coral, or one that was ``moved``, by its id and number, with its plan."""

    id: int
    number: int
    coral: Coral
    plan: NewCoralPlan
    moved: bool


def new_corals(stored: StoredTank, notes: Notes, today: datetime.date) -> list[NewCoral]:
    """Placed corals that came or were moved lately, and get more light than they are known to have had."""
    light, found = coral_light(stored, stored.setup().hung), list[NewCoral]()
    for number, kept in enumerate(stored.corals, 1):
        course, log = kept.value.course, [note.value for note in notes.get(kept.id, ())]
        before = light_before_move(kept.value, log, today)
        had = before if before is not None else course.had if is_acclimating(log, course, today) else None
        if kept.id in light and had is not None and (plan := plan_for_new(had, light[kept.id])):
            found.append(NewCoral(kept.id, number, kept.value, plan, before is not None))
    return found


def light_before_move(coral: Coral, log: Sequence[LogEntry], today: datetime.date) -> float | None:
    """PAR that a coral had at the spot before this one [umol/m2/s]; None where it has been here for weeks, or no other
    spot is known.
    """
    lit = [note for note in log if note.par is not None and note.place is not None]
    elsewhere = [k for k, note in enumerate(lit) if not _is_here(coral, note)]
    if not elsewhere:
        return None
    since = next((note.day for note in lit[elsewhere[-1] + 1 :]), today)
    return lit[elsewhere[-1]].par if (today - since).days < ACCLIMATED else None


def _is_here(coral: Coral, note: LogEntry) -> bool:
    place = coral.place
    if place is None or note.place is None:
        return False
    return math.dist((place.x, place.y, place.depth), note.place) < MOVED

"""New corals that had less light than their spots give."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from corlume.core.acclimation.acclimation_status import is_acclimating
from corlume.core.placement.coral import Coral
from corlume.core.schedule.new_coral import NewCoralPlan, plan_for_new
from corlume.services.keeping.acclimation_log import Notes
from corlume.services.placement.zone_placement import coral_light
from corlume.store.tanks import StoredTank


@dataclass(frozen=True, slots=True)
class NewCoral:
    """A new coral by its id and number, with its plan."""

    id: int
    number: int
    coral: Coral
    plan: NewCoralPlan


def new_corals(stored: StoredTank, notes: Notes, today: datetime.date) -> list[NewCoral]:
    """Placed corals that still acclimate, know less light than they get, and say what they had."""
    light, found = coral_light(stored, stored.setup().hung), list[NewCoral]()
    for number, kept in enumerate(stored.corals, 1):
        course = kept.value.course
        log = [note.value for note in notes.get(kept.id, ())]
        if kept.id not in light or course.had is None or not is_acclimating(log, course, today):
            continue
        if plan := plan_for_new(course.had, light[kept.id]):
            found.append(NewCoral(kept.id, number, kept.value, plan))
    return found

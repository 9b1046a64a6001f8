"""Light that rose at the corals lately without a plan."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from corlume.core.schedule.slow_change import BOUND
from corlume.services.placement.zone_placement import coral_places
from corlume.services.schedule.change_light import fixtures_on, light_at_corals, running_plan
from corlume.services.schedule.change_plans import coral_names, light_then
from corlume.services.schedule.earlier_light import light_edits, tank_before
from corlume.store.database import Database
from corlume.store.journal import PastEdit
from corlume.store.tanks import StoredTank

LATELY = datetime.timedelta(days=7)
"""A rise is recent for so long; our estimate."""


@dataclass(frozen=True, slots=True)
class RecentRise:
    """How many corals have more light than the usual bound since an edit, and the one that gained most [-]."""

    edit: PastEdit
    count: int
    coral: str
    rise: float


def find_recent_rise(db: Database, stored: StoredTank, now: datetime.datetime) -> RecentRise | None:
    """Rise of light at the corals under the setup in use within ``LATELY``; None where no coral gained more than
    ``BOUND``, or a plan runs.
    """
    setup = stored.setup()
    recent = [edit for edit in light_edits(db, stored.id) if now - edit.at <= LATELY]
    if not recent or running_plan(stored, setup) is not None:
        return None
    then = tank_before(db, stored.id, recent[-1].id)
    had = light_then(stored, setup, then, fixtures_on(then, then.setup(), recent[-1].at.date()))
    rises = had.rises(light_at_corals(stored, setup.hung))
    if not len(rises) or rises.max() <= BOUND:
        return None
    names = coral_names(stored, coral_places(stored)[0])
    return RecentRise(recent[-1], int((rises > BOUND).sum()), names[int(rises.argmax())], float(rises.max()))

"""A lower spot for the coral that limits a plan of slow change, as an alternative to more steps."""

from __future__ import annotations

from dataclasses import dataclass, replace

from corlume.core.placement.coral import Placement
from corlume.services.placement.better_spot import BetterSpot, find_better_spot
from corlume.services.schedule.change_plans import PlanRequest, TriedPlan, coral_names, try_plan
from corlume.store.tanks import StoredSetup, StoredTank


@dataclass(frozen=True, slots=True)
class LowerSpot:
    """A coral by its id and name, the dimmer spot for it, and how many steps the plan has with it there."""

    coral: int
    name: str
    spot: BetterSpot
    steps: int


def find_lower_spot(
    stored: StoredTank, was: StoredSetup, setup: StoredSetup, asked: PlanRequest, tried: TriedPlan, *,
    then: StoredTank | None = None,
) -> LowerSpot | None:  # fmt: skip
    """A dimmer spot for one of the corals that limit a plan, where it makes the plan shorter or keeps it in bounds;
    None without one.
    """
    names = coral_names(stored, tried.change.ids)
    for index, _ in tried.limits:
        coral_id = tried.change.ids[index]
        spot = find_better_spot(stored, setup, coral_id, float(tried.change.after.peak[index]), "paler")
        if spot is None:
            continue
        moved = tuple(
            replace(kept, value=replace(kept.value, place=Placement(*spot.place))) if kept.id == coral_id else kept
            for kept in stored.corals
        )
        again = try_plan(replace(stored, corals=moved), was, setup, asked, then=then)
        at = again.change.ids.index(coral_id)
        first, had = float(again.states[0].peak[at]), float(tried.change.before.peak[index])
        shorter = (len(again.breaks), len(again.steps)) < (len(tried.breaks), len(tried.steps))
        if shorter and first <= (1 + asked.bound) * had:
            return LowerSpot(coral_id, names[index], spot, len(again.steps))
    return None

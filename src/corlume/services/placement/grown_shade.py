"""Shade of grown corals on those already placed, shown before corals are placed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from corlume.core.light.fixture import Fixture
from corlume.core.placement.coral import Placement
from corlume.core.placement.coral_card import CoralCard
from corlume.services.keeping.coral_types import lives_off_food
from corlume.services.placement.zone_placement import SHADED, CoralChange, coral_light, light_change, mature
from corlume.store.tanks import StoredTank

Place = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Shaded:
    """A placed coral that others would shade: its id, number and card, its PAR as shown now, and its PAR with all
    corals at mature size, ``before`` and ``after`` the others are placed [umol/m2/s].
    """

    id: int
    number: int
    card: CoralCard
    now: float
    before: float
    after: float
    leaves: bool
    """Whether it would leave its range with that."""


def placed_at(stored: StoredTank, places: Mapping[int, Place]) -> StoredTank:
    """The tank with some corals at other places [m], by id."""
    corals = tuple(
        replace(kept, value=replace(kept.value, place=Placement(*places[kept.id]))) if kept.id in places else kept
        for kept in stored.corals
    )
    return replace(stored, corals=corals)


def shaded_by(stored: StoredTank, fixtures: Sequence[Fixture], places: Mapping[int, Place]) -> tuple[Shaded, ...]:
    """Placed corals that would lose more than a tenth of their PAR under corals grown at ``places``."""
    if not places:
        return ()
    lifted = replace(
        stored,
        corals=tuple(
            replace(kept, value=replace(kept.value, place=None)) if kept.id in places else kept
            for kept in stored.corals
        ),
    )
    now = coral_light(stored, fixtures)
    before = coral_light(mature(lifted), fixtures)
    after = coral_light(mature(placed_at(stored, places)), fixtures)
    found = []
    for number, kept in enumerate(stored.corals, 1):
        card, was = kept.value.card, before.get(kept.id)
        if was is None or after[kept.id] >= SHADED * was:
            continue
        dark = after[kept.id] < card.par_low <= was and not lives_off_food(stored, card)
        found.append(Shaded(kept.id, number, card, now[kept.id], was, after[kept.id], dark))
    return tuple(sorted(found, key=lambda one: (not one.leaves, one.after / one.before)))


def switch_change(stored: StoredTank, fixtures: Sequence[Fixture]) -> CoralChange:
    """Effect on the placed corals of switching the shade of grown corals on or off."""
    other = mature(stored, shade=not stored.tank.colony_shade)
    return light_change(stored, coral_light(stored, fixtures), coral_light(other, fixtures))

"""Costs of every setup of a tank over ten years, by kind of fixture, counting what is owned; and its greatest load."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.fixture import Fixture
from corlume.core.mounting.power_checks import CONTINUOUS
from corlume.core.schedule.day import clock
from corlume.core.schedule.day_checks import MINUTES
from corlume.core.upkeep.cost_line import CostLine, crossing
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.schedule.day_light import power_by_group
from corlume.services.search.costs import Costs, five_year_costs, lamp_costs
from corlume.store.tanks import StoredSetup, StoredTank

Array = NDArray[np.float64]
AHEAD = 10
"""Years that are compared."""
Owned = Literal["here", "all", "none"]
OWNED: dict[Owned, str] = {
    "here": "what hangs over this tank",
    "all": "what hangs over all my tanks",
    "none": "nothing: all is bought new",
}
"""What need not be bought."""


@dataclass(frozen=True, slots=True)
class KindCost:
    """Fixtures of one kind in a setup: how many, and their electricity and lamps [currency a year]."""

    name: str
    count: int
    electricity: float
    lamps: float


@dataclass(frozen=True, slots=True)
class SetupCost:
    """Costs of a setup.

    Parameters
    ----------
    costs : over five years, as on every other page where what this tank has is counted.
    kinds : yearly costs by kind of fixture.
    line : over the years.
    watts : power over the day with what else is on the circuit (minutes,) [W]; ``load`` the greatest, ``at`` when.
    bears : what the circuit bears for hours [W].
    """

    setup: StoredSetup
    costs: Costs
    kinds: tuple[KindCost, ...]
    line: CostLine
    watts: Array
    load: float
    at: str
    bears: float


@dataclass(frozen=True, slots=True)
class Crossing:
    """Two setups that have cost the same after some years: the dearer one at first, the dearer one after it."""

    first: str
    then: str
    years: float
    cost: float


def setup_costs(
    stored: StoredTank, others: Sequence[StoredTank], entries: Sequence[CatalogueEntry] = (), owned: Owned = "here"
) -> list[SetupCost]:
    """Costs of every setup of a tank; ``others`` are the keeper's other tanks, ``entries`` of the fixture library."""
    spare = [fixture for tank in others for fixture in tank.setup().hung] if owned == "all" else []
    bare = replace(stored, setups=tuple(replace(s, fixtures=()) if s.in_use else s for s in stored.setups))
    around, found = stored.surroundings, []
    for setup in stored.setups:
        costs = five_year_costs(bare if owned == "none" else stored, setup.hung, entries, hung=spare)
        total = sum((one.watts for one in power_by_group(stored, setup)), np.full(len(MINUTES), around.others))
        running = stored.running.yearly(setup.hung) + lamp_costs(stored, setup.hung)
        found.append(
            SetupCost(
                setup=setup,
                costs=costs,
                kinds=_by_kind(stored, setup.hung),
                line=CostLine(setup.name, costs.buy, running),
                watts=total,
                load=float(total.max()),
                at=f"{clock(float(MINUTES[int(np.argmax(total))])):%H:%M}",
                bears=CONTINUOUS * around.volts * around.breaker,
            )
        )
    return found


def crossings(found: Sequence[SetupCost]) -> list[Crossing]:
    """Pairs of setups of which one becomes the dearer within ``AHEAD`` years, the soonest first."""
    met = []
    for one, other in combinations([row.line for row in found], 2):
        years = crossing(one, other, AHEAD)
        if years is not None:
            dear, cheap = (one, other) if one.buy > other.buy else (other, one)
            met.append(Crossing(dear.name, cheap.name, years, one.after(years)))
    return sorted(met, key=lambda row: row.years)


def _by_kind(stored: StoredTank, hung: Sequence[Fixture]) -> tuple[KindCost, ...]:
    kinds = dict[str, list[Fixture]]()
    for fixture in hung:
        kinds.setdefault(fixture.emitter.made_by.name, []).append(fixture)
    return tuple(
        KindCost(name, len(some), stored.running.yearly(some), lamp_costs(stored, some)) for name, some in kinds.items()
    )

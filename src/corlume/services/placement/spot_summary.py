"""Summary of spots by where they are: their number, light, softness of shade, flow, and reach."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.flow.first_estimate import CLASSES
from corlume.core.light.fixture import Fixture
from corlume.core.placement.spot_score import SpotTable
from corlume.core.placement.surface_orientation import SAT, Sat, reach_to
from corlume.services.light.fields import par_at
from corlume.services.light.layers import PLATE
from corlume.services.light.points import same_tank
from corlume.services.placement.spots import relit
from corlume.store.tanks import StoredTank

ARM = 0.65
"""What lies further than this from the rim is hard to reach for most hands [m]; ours."""


@dataclass(frozen=True, slots=True)
class SpotSummary:
    """Spots of one name.

    Parameters
    ----------
    name : what they are on; ``sat`` of which sort; ``count`` how many.
    par, meter : weakest and strongest light as a coral turns there, and as a meter reads it [umol/m2/s].
    dose : least and most daily light as a coral turns there [mol/m2/d].
    soft : what of the light still gets under a plate, on average [-].
    flow : classes there, from weak to strong, as words; empty where none is known.
    room : least and most room to panes and surface [m]; ``arm`` how far a hand goes to the furthest [m].
    """

    name: str
    sat: Sat
    count: int
    par: tuple[float, float]
    meter: tuple[float, float]
    dose: tuple[float, float]
    soft: float
    flow: str
    room: tuple[float, float]
    arm: float

    @property
    def sort(self) -> str:
        """Sort of the spots in words."""
        return SAT[self.sat]

    @property
    def slope(self) -> str:
        """Slope of the spots in words."""
        return {"face": "upright", "pane": "upright", "under": "hanging"}.get(self.sat, "level")

    @property
    def far(self) -> bool:
        """Whether the furthest of them is hard to reach."""
        return self.arm > ARM


def summarise_spots(stored: StoredTank, seats: SpotTable, fixtures: Sequence[Fixture]) -> list[SpotSummary]:
    """Group spots by what they are on, in their order: from the top down, then steep ones."""
    tank = same_tank(stored.lit_tank())
    under = par_at(tank, fixtures, seats.points, ledge=PLATE) if len(seats.points) else np.empty(0)
    day = daily_at(stored, seats, fixtures)
    reach = reach_to(stored.tank, seats.points)
    names, found = np.array(seats.names), []
    for name in dict.fromkeys(seats.names):
        here = names == name
        words = set(np.array(seats.flow)[here].tolist())
        known = [word for word in CLASSES if word in words]
        light = seats.meter[here]
        found.append(
            SpotSummary(
                name=name,
                sat=seats.sat[here][0],
                count=int(here.sum()),
                par=(float(seats.par[here].min()), float(seats.par[here].max())),
                meter=(float(light.min()), float(light.max())),
                dose=(float(day[here].min()), float(day[here].max())),
                soft=float(under[here].sum() / max(float(light.sum()), 1e-9)),
                flow=known[0] if len(known) == 1 else f"{known[0]} to {known[-1]}" if known else "",
                room=(float(seats.room[here].min()), float(seats.room[here].max())),
                arm=float(reach[here].max()),
            )
        )
    return found


def daily_at(stored: StoredTank, seats: SpotTable, fixtures: Sequence[Fixture]) -> NDArray[np.float64]:
    """Daily light (s,) at spots as a coral turns there [mol/m2/d]."""
    if all(fixture.day is None for fixture in fixtures):
        return seats.par * stored.running.hours * 3600e-6
    return relit(stored, seats, stored.running.day.averaged(fixtures)).par * 86_400e-6

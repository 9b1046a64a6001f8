"""PAR at corals over the months to come, as lamps fade and glass dims; with what surveys read there."""

from __future__ import annotations

import datetime
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.placement.coral import Coral
from corlume.core.upkeep.wear import Upkeep
from corlume.services.keeping.surveys import all_surveys
from corlume.services.light.points import PlaneSpec, same_tank
from corlume.services.placement.zone_placement import coral_places
from corlume.services.schedule.day_light import channel_light
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
AHEAD, STEP = 730, 7
"""How far ahead is looked, and how often [d]."""
NEAR = 0.08
"""A reading so near to a coral counts as one of its light [m]."""


@dataclass(frozen=True, slots=True)
class CoralForecast:
    """A coral by its id and number, with its PAR on some days (n,) [umol/m2/s].

    ``kept`` is with lamps changed and parts cleaned when they are due, ``left`` with neither; ``readings`` are days and
    PAR of surveys near it.
    """

    id: int
    number: int
    coral: Coral
    kept: Array
    left: Array
    readings: tuple[tuple[datetime.date, float], ...]

    @property
    def range_ends(self) -> int | None:
        """Index of the day on which it leaves its target range when nothing is done; None where it does not."""
        inside = (self.left >= self.coral.card.par_low) & (self.left <= self.coral.card.par_high)
        out = np.flatnonzero(~inside)
        return int(out[0]) if inside[0] and len(out) else None


def forecast_days(today: datetime.date) -> list[datetime.date]:
    """The days of a forecast."""
    return [today + datetime.timedelta(days=days) for days in range(0, AHEAD + 1, STEP)]


def forecast(
    db: Database, stored: StoredTank, today: datetime.date, chosen: Collection[int] = ()
) -> list[CoralForecast]:
    """The forecast of chosen corals, or of all that are placed, those that lose most first."""
    ids, places = coral_places(stored)
    if places is None or not stored.setup().fixtures:
        return []
    days, upkeep = forecast_days(today), stored.upkeep
    new = [replace(fixture, worn=1.0) for fixture in stored.setup().hung]
    light = channel_light(same_tank(stored.lit_tank()), new, PlaneSpec("places", places))
    each = np.array([f.output * np.array(f.mix) @ mine for f, mine in zip(new, light, strict=True)])
    names = [fixture.name for fixture in new]
    kept = _over(upkeep.kept_up(today, days[-1]), names, days).T @ each
    left = _over(upkeep, names, days).T @ each
    read = [(one.value.day, spot, par) for one in all_surveys(db, stored.id) for spot, par in one.value.read()]
    numbers = {one.id: (number, one.value) for number, one in enumerate(stored.corals, 1)}
    found = []
    for k, coral_id in enumerate(ids):
        if chosen and coral_id not in chosen:
            continue
        number, coral = numbers[coral_id]
        near = tuple(
            sorted((day, par) for day, spot, par in read
                   if coral.place is not None and np.linalg.norm(np.subtract(spot.place, tuple(coral.place))) <= NEAR)
        )  # fmt: skip
        found.append(CoralForecast(coral_id, number, coral, kept[:, k], left[:, k], near))
    return sorted(found, key=lambda one: float(one.left[-1] / max(one.left[0], 1e-9)))


def _over(upkeep: Upkeep, names: Sequence[str], days: Sequence[datetime.date]) -> Array:
    """Wear (fixtures, days) of fixtures by their names [-]."""
    by_name = {name: [upkeep.worn(name, day) for day in days] for name in dict.fromkeys(names)}
    return np.array([by_name[name] for name in names])

"""A tank whose corals grow: bodies, light and flow at any step of growth, and the wear of its fixtures."""

from __future__ import annotations

import datetime
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.flow.local_flow import STAND
from corlume.core.flow.wake import wake_left
from corlume.core.judging.intent import Places
from corlume.core.light.fixture import Fixture
from corlume.core.placement.coral_growth import BODIES, PACES, USUAL_GROWTH, GrowingCorals
from corlume.core.upkeep.wear import Upkeep
from corlume.services.keeping.coral_types import height_of, type_of
from corlume.services.light.fields import parts_at
from corlume.services.light.points import same_tank
from corlume.services.placement.growth import size_on
from corlume.services.placement.zone_placement import coral_places, mature
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
Told = Callable[[float], object]
AHEAD = 60
"""Months ahead that are looked at."""


def growth_steps(until: float, coarse: int = 1) -> list[float]:
    """Months of growth at the usual pace at which shade is computed, until all are mature: every month, or after the
    first year every so many; and every third beyond ``AHEAD``, where fast growth alone comes.
    """
    last = min(math.ceil(until), round(AHEAD * PACES["fast"]))
    steps = (*range(12), *range(12, AHEAD, coarse), *range(AHEAD, last, 3))
    return [float(step) for step in (*(step for step in steps if step < last), last)]


class TankAhead:
    """A tank whose corals grow: their light and flow at any step of their growth.

    ``moves`` are other places of some corals, by id: place [m] and unit vector; ``trimmed`` are those that are kept at
    their present size, by id; ``fixtures`` hang instead of those of the setup in use.
    """

    def __init__(
        self,
        stored: StoredTank,
        today: datetime.date,
        *,
        moves: Mapping[int, tuple[Array, Array]] | None = None,
        trimmed: Sequence[int] = (),
        fixtures: Sequence[Fixture] | None = None,
    ) -> None:
        self.stored, self.today = stored, today
        self.ids, places = coral_places(stored)
        assert places is not None
        self.fixtures = [replace(f, worn=1.0) for f in (stored.setup().hung if fixtures is None else fixtures)]
        self.tank = same_tank(mature(stored, shade=False).lit_tank())
        corals = growing_corals(stored, self.ids, places, today)
        for coral_id, (foot, way) in (moves or {}).items():
            corals = corals.moved(self.ids.index(coral_id), foot, way)
        self.corals = corals.trimmed([self.ids.index(one) for one in trimmed])
        self.steps = growth_steps(self.corals.mature_after())
        self._known = dict[tuple[float, ...], Array]()

    def light(self, steps: Sequence[float] | None = None, told: Told = lambda _: None) -> Array:
        """PAR (steps, fixtures, n) of each fixture, as new and clean, at the tops of the corals [umol/m2/s]."""
        steps = tuple(self.steps if steps is None else steps)
        if steps in self._known:
            return self._known[steps]
        found, feet = np.zeros((len(steps), len(self.fixtures), len(self.ids))), self.corals.feet
        for k, step in enumerate(steps):
            told(k / len(steps))
            tops = self.corals.tops(step)
            buried = self.tank.in_rock(tops)
            tops[buried] = feet[buried]
            found[k] = self._light_at(step, tops, self.corals.ways)
        self._known[steps] = found
        return found

    def base_light(self, steps: Sequence[float], which: Sequence[int]) -> Array:
        """PAR (steps, fixtures, m) at the feet of some corals by index, under their own bodies [umol/m2/s]."""
        feet, ways = self.corals.feet[list(which)], self.corals.ways[list(which)]
        return np.array([self._light_at(step, feet, ways) for step in steps])

    def _light_at(self, step: float, points: Array, ways: Array) -> Array:
        grown = replace(self.tank, colonies=self.corals.discs(step))
        level = bool((ways[:, 2] > 1.0 - 1e-12).all())
        return parts_at(grown, self.fixtures, points, normals=None if level else ways)

    def flow_left(self, steps: Sequence[float], ways: Array) -> Array:
        """Share (steps, n) of today's speed that is left behind the others as they grow [-]."""
        met = self.corals.feet - np.array([0.0, 0.0, STAND])
        own = np.arange(len(self.ids), dtype=np.int64)
        blocks = self.corals.bodies[:, 2]
        rows = [
            wake_left(met, ways, self.corals.feet, self.corals.across(s), self.corals.heights(s), blocks, own)
            for s in steps
        ]
        return np.array(rows) / np.maximum(rows[0], 1e-6)


def growing_corals(stored: StoredTank, ids: Sequence[int], places: Places, today: datetime.date) -> GrowingCorals:
    """The placed corals of a tank as they grow from today on."""
    corals = [stored.coral(one).value for one in ids]
    kinds = [type_of(stored, coral.card) for coral in corals]
    most = np.array([coral.card.size for coral in corals])
    ways = np.tile([0.0, 0.0, 1.0], (len(ids), 1)) if places.normals is None else places.normals
    return GrowingCorals(
        feet=places.points,
        ways=ways,
        now=np.array([size_on(stored, coral, today) for coral in corals]),
        most=most,
        growth=np.array([kind.growth if kind else USUAL_GROWTH for kind in kinds]),
        slender=np.array([height_of(stored, coral.card) for coral in corals]) / most,
        bodies=np.array([BODIES[kind.form if kind else "mound"] for kind in kinds]),
    )


def at_months(steps: Sequence[float], found: Array, months: Array) -> Array:
    """Values (steps, ...) read at months of growth (m,), evenly between steps, and as at the last step after it."""
    at = np.clip(months, steps[0], steps[-1])
    k = np.clip(np.searchsorted(steps, at, side="right") - 1, 0, max(0, len(steps) - 2))
    if len(steps) == 1:
        return np.repeat(found, len(months), axis=0)
    edges = np.asarray(steps)
    share = ((at - edges[k]) / (edges[k + 1] - edges[k])).reshape(-1, *(1,) * (found.ndim - 1))
    read: Array = (1 - share) * found[k] + share * found[k + 1]
    return read


def wear_over(upkeep: Upkeep, ahead: TankAhead, days: Sequence[datetime.date]) -> Array:
    """Wear (days, fixtures) of the fixtures [-]."""
    names = [fixture.name for fixture in ahead.fixtures]
    by_name = {name: [upkeep.worn(name, day) for day in days] for name in dict.fromkeys(names)}
    return np.array([by_name[name] for name in names]).reshape(len(names), len(days)).T

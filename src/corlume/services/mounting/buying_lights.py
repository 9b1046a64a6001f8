"""Lights that can hang over a tank when something is bought, and the packs in which they do."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.field import channel_fields
from corlume.core.light.fixture import Fixture, bodies_below
from corlume.core.mounting.buying_stages import Held, Hung, Pack
from corlume.core.mounting.mount import Mount, mounted, units_on
from corlume.core.search.layout import Layout
from corlume.core.search.rules_of_thumb import balanced, wider
from corlume.services.light.fields import medium_of
from corlume.services.mounting.owned import Owned
from corlume.services.search.arrangement import CLEARANCE, Arrangement, arrangement_of
from corlume.services.search.costs import body_of
from corlume.services.search.on_mounts import MountRows, rows_on
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
MOST_OF_ONE = 4
"""Columns of one fixture that a pack has at most."""
HIGHER, LOWEST = 0.12, 0.22
"""A second height is tried so much over the first, which is this where nothing hangs yet [m]."""


class Lights:
    """Lights that can hang over a tank, each with its field at the corals; equal ones at one place are kept once.

    Parameters
    ----------
    points, normals : of the corals (c, 3) [m]; ``normals`` is None where all face up.
    mounts : that new lights keep to; with none they hang anywhere.
    """

    def __init__(self, stored: StoredTank, points: Array, normals: Array | None, mounts: Sequence[Mount] = ()) -> None:
        self.stored, self.points, self.normals, self.mounts = stored, points, normals, tuple(mounts)
        self.medium = medium_of(stored.lit_tank())
        self.units = list[tuple[Fixture, ...]]()
        self._fields = list[Array]()
        self._least = list[float]()
        self._columns: dict[tuple[object, ...], tuple[int, ...]] = {}

    @property
    def fields(self) -> Array:
        """PAR (n, c) of each light at full output at the corals [umol/m2/s]."""
        return np.array(self._fields).reshape(-1, len(self.points))

    @property
    def least(self) -> Array:
        """Lowest level of each light (n,) [-]."""
        return np.array(self._least)

    def add_hung(self, shelf: Sequence[Owned]) -> Hung:
        """What hangs now, with what of it the shelf has."""
        fixtures = self.stored.setup().hung
        lights = tuple(light for fixture in fixtures for light in self._add([fixture]))
        bodies = {body_of(one.entry.parts[0]): kind for kind, one in enumerate(shelf) if len(one.entry.parts) == 1}
        counts = Counter(bodies[body] for f in fixtures if (body := body_of(f)) in bodies)
        held = [
            (mount.name, 1, sum(fixtures[k].weight for k in unit))
            for mount in self.stored.setup().mount_values
            for unit in units_on(mount, fixtures)
        ]
        return Hung(lights, tuple(sorted(counts.items())), tuple(held))

    def packs_of(self, kind: int, one: Owned) -> list[Pack]:
        """One to four columns of a fixture in the usual places, or on the mounts, at two heights.

        ``InvalidInput`` by the field "mounts" where these have no room for it, or do not bear it.
        """
        tank = self.stored.tank
        laid = arrangement_of(tank, one.entry.parts)
        first = min((f.emitter.height for f in self.stored.setup().hung), default=LOWEST)
        room = tank.room_height - CLEARANCE
        if not self.mounts:
            return list(self._packs(kind, one, laid, {min(first, room), min(first + HIGHER, room)}))
        found = list[Pack]()
        for on in rows_on(tank, laid, self.mounts):
            low, high = on.heights[0], min(on.heights[1], room)
            if high < low:  # the mount holds its lights higher than the canopy or ceiling allows
                continue
            heights = {min(max(height, low), high) for height in (first, first + HIGHER)}
            found += self._packs(kind, one, replace(laid, rows=on.rows), heights, on)
        return found

    def _packs(
        self, kind: int, one: Owned, laid: Arrangement, heights: Collection[float], on: MountRows | None = None
    ) -> Iterator[Pack]:
        weight = sum(part.weight for part in one.entry.parts)
        for count in range(1, min(on.most if on else MOST_OF_ONE, laid.most, MOST_OF_ONE) + 1):
            for places in sorted(_ways(laid, count, on.places if on else (0.0, laid.side))):
                for height in sorted(heights):
                    lights, held = list[int](), list[Held]()
                    for column, place in enumerate(places):
                        holders = [on.holder(row, column) for row in range(len(laid.rows))] if on else []
                        lights += self._column(one, laid, place, height, holders)
                        held += [(name, 1, weight) for name in holders]
                    yield Pack(kind, count * len(laid.rows), tuple(lights), held=tuple(held))

    def blocked(self, packs: Sequence[Pack]) -> list[Pack]:
        """Packs with the lights that they cannot hang beside: nothing hangs over anything else."""
        boxes = np.array([(e.x, e.y, *e.half_extent()) for unit in self.units for e in [unit[0].emitter]]).reshape(
            -1, 4
        )
        away = abs(boxes[:, None] - boxes[None])
        touch = away[..., 0] < boxes[:, None, 2] + boxes[None, :, 2]
        touch &= away[..., 1] < boxes[:, None, 3] + boxes[None, :, 3]
        beside = [frozenset(np.flatnonzero(row).tolist()) for row in touch]
        return [replace(pack, blocked=frozenset().union(*(beside[light] for light in pack.lights))) for pack in packs]

    def _column(
        self, one: Owned, laid: Arrangement, place: float, height: float, holders: Sequence[str]
    ) -> tuple[int, ...]:
        """A column of a fixture, row by row, each held by a mount where there are any."""
        key = (one.entry.key, round(place, 4), height, laid.rows, *holders)
        if key not in self._columns:
            layout = Layout((place,), height, laid.rows, (1.0,), along=laid.along)
            column, size = layout.column(laid.module, place), len(laid.module.parts)
            lights = list[int]()
            for row in range(len(laid.rows)):
                parts = column[row * size : (row + 1) * size]
                if holders:
                    parts = list(mounted((replace(part, held_by=holders[row]) for part in parts), self.mounts))
                lights += self._add(parts)
            self._columns[key] = tuple(lights)
        return self._columns[key]

    def _add(self, parts: Sequence[Fixture]) -> tuple[int, ...]:
        """Lights of a body: what dims by one level, and what does not."""
        found = []
        for dims in (True, False):
            group = tuple(part for part in parts if part.dimmable == dims)
            if group:
                found.append(len(self.units))
                self.units.append(group)
                self._fields.append(np.sum([self._field(part) for part in group], axis=0))
                self._least.append(0.0 if dims else 1.0)
        return tuple(found)

    def _field(self, fixture: Fixture) -> Array:
        bodies = bodies_below([fixture], 0)
        found = channel_fields(self.medium, fixture.emitter, self.points, normals=self.normals, bodies=bodies)
        field: Array = np.array(replace(fixture, output=1.0, lit=None).strengths) @ found
        return field


def _ways(laid: Arrangement, count: int, side: tuple[float, float]) -> set[tuple[float, ...]]:
    """Places of so many columns from one end to another, usual ones and as far apart as they go [m]."""
    low, high = side
    if laid.along == "y":
        middle = 0.5 * (low + high - laid.side)
        ways = [tuple(place + middle for place in laid.packed(count))]
    else:
        ways = [balanced(count, laid.side), wider(count, laid.side)]
        if high - low < laid.side:
            ways.append(tuple(low + part * (high - low) for part in (np.linspace(0, 1, count) if count > 1 else [0.5])))
    held = {tuple(min(max(float(place), low), high) for place in way) for way in ways}
    return {way for way in held if laid.apart(way)}

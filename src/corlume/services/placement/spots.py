"""Spots of a tank: on tops, sand, faces, under overhangs, on the back pane, on racks, and custom ones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.light.rock_surface import plugs
from corlume.core.placement.spot_score import SpotTable
from corlume.core.placement.suitability import room_at
from corlume.core.placement.surface_orientation import (
    HELD,
    UP,
    Sat,
    custom_normal,
    growing_ways,
    in_crevice,
    orientations,
    steep_spots,
)
from corlume.services.flow.tank_flow import flow_seen
from corlume.services.light.fields import par_at
from corlume.services.light.points import same_tank, surfaces_of
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
SPACING = 0.05
"""How far apart seats on tops and ledges are, on racks as well [m]; on the sand twice as far. Ours."""
STEEP_SPACING = 0.07
"""The same on faces and under overhangs [m]; on the back pane twice as far. Ours."""
MOST: dict[str, int] = {"flat": 400, "face": 120, "under": 60, "pane": 50, "rack": 80}
"""More seats of a sort are thinned evenly to about so many; ours."""
HAND = 0.08
"""Spots so near to a place marked unusable are left out [m]; our estimate."""


@dataclass(frozen=True)
class _Some:
    """Spots of one sort: names, points (n, 3), what they are on, and the direction of growth there (n, 3)."""

    names: list[str]
    points: Array
    sat: NDArray[np.str_]
    way: Array

    def thinned(self, most: int) -> _Some:
        """About as many of the spots as asked, evenly."""
        return self.where(np.arange(len(self.names)) % max(1, -(-len(self.names) // most)) == 0)

    def where(self, kept: NDArray[np.bool_]) -> _Some:
        """Spots selected by a mask."""
        names = [name for name, keep in zip(self.names, kept.tolist(), strict=True) if keep]
        return _Some(names, self.points[kept], self.sat[kept], self.way[kept])


def spots_of(stored: StoredTank, fixtures: Sequence[Fixture]) -> SpotTable:
    """All spots of a tank with their light and flow."""
    tank = same_tank(stored.lit_tank())
    found = [_flat(tank).thinned(MOST["flat"]), *_steep(tank), _racks(stored)]
    taken_away = [kept.value for kept in stored.perches if kept.value.holds == "none"]
    some = _joined(found)
    for one in taken_away:
        some = some.where(np.linalg.norm(some.points - np.array(one.place), axis=1) >= HAND)
    some = _joined([some, _own(stored)])
    free = np.ones(len(some.names), dtype=bool)
    for kept in stored.kept_free:
        free &= ~kept.value.holds(some.points)
    some = some.where(free)
    par, meter = _light(tank, fixtures, some.points, some.way)
    words, speed = flow_seen(stored, some.points)
    room = room_at(stored.tank, some.points)
    return SpotTable(
        tuple(some.names), some.points, room, par, meter, some.way, tuple(words), np.array(speed), some.sat
    )


def relit(stored: StoredTank, seats: SpotTable, fixtures: Sequence[Fixture]) -> SpotTable:
    """The spots under other lights."""
    par, meter = lit_at(stored, fixtures, seats.points, seats.way)
    return replace(seats, par=par, meter=meter)


def lit_at(stored: StoredTank, fixtures: Sequence[Fixture], points: Array, way: Array) -> tuple[Array, Array]:
    """PAR (n,) at places on a coral's orientation, and as a meter reads it [umol/m2/s]."""
    return _light(same_tank(stored.lit_tank()), fixtures, points, way)


def _light(tank: Tank, fixtures: Sequence[Fixture], points: Array, way: Array) -> tuple[Array, Array]:
    """PAR (s,) at spots on a coral's orientation, and as a meter reads it [umol/m2/s]."""
    meter = par_at(tank, fixtures, points) if len(points) else np.empty(0)
    steep = way[:, 2] < 1.0
    par = meter.copy()
    if steep.any():
        par[steep] = par_at(tank, fixtures, points[steep], normals=way[steep])
    return par, meter


def _joined(parts: Sequence[_Some]) -> _Some:
    return _Some(
        [name for part in parts for name in part.names],
        np.concatenate([part.points for part in parts]).reshape(-1, 3),
        np.concatenate([part.sat for part in parts]).astype("<U5"),
        np.concatenate([part.way for part in parts]).reshape(-1, 3),
    )


def _upward(names: list[str], points: Array, sat: Sequence[Sat]) -> _Some:
    return _Some(names, points.reshape(-1, 3), np.array(sat, dtype="<U5"), np.tile(np.array(UP), (len(names), 1)))


def _flat(tank: Tank) -> _Some:
    names, points, sat, rock = list[str](), [np.empty((0, 3))], list[Sat](), tank.rockwork
    for surface in surfaces_of(tank):
        on_sand = surface.is_sand
        spacing = 2 * SPACING if on_sand else SPACING
        steps = [max(1, round(spacing / cell)) for cell in surface.cell]
        free = np.zeros_like(surface.free)
        free[steps[0] // 2 :: steps[0], steps[1] // 2 :: steps[1]] = True
        free &= surface.free
        names += [surface.name] * int(free.sum())
        sat += ["sand" if on_sand else "top"] * int(free.sum())
        points.append(surface.points[free])
    places = np.concatenate(points)
    rest, on_sand = plugs(rock, places), np.array(sat) == "sand"
    wedged = in_crevice(tank, places) & ~on_sand
    names = [f"{name}, crevice" if narrow else name for name, narrow in zip(names, wedged.tolist(), strict=True)]
    way = np.where(on_sand[:, None], UP, growing_ways(rest.normal))
    return _Some(names, places, np.array(sat, dtype="<U5"), way).where(on_sand | (rest.held >= HELD))


def _steep(tank: Tank) -> list[_Some]:
    found = steep_spots(replace(tank, colonies=(), plates=()), STEEP_SPACING)
    names = [name for name, _, points in found for _ in range(len(points))]
    points = np.concatenate([np.empty((0, 3)), *(points for _, _, points in found)])
    what, way = orientations(tank, points)
    together = _Some(names, points, what, way)
    return [together.where(what == sat).thinned(MOST[sat]) for sat in ("face", "under", "pane")]


def _racks(stored: StoredTank) -> _Some:
    names, points = list[str](), [np.empty((0, 3))]
    for kept in stored.racks:
        rack = kept.value
        axes = [low + (np.arange(n) + 0.5) / n * size for low, size in ((rack.x, rack.length), (rack.y, rack.width))
                for n in [max(1, round(size / SPACING))]]  # fmt: skip
        # on the rack, so that it does not shade them itself
        here = np.stack(np.meshgrid(*axes, [rack.depth - 0.001], indexing="ij"), axis=-1).reshape(-1, 3)
        names += [rack.name] * len(here)
        points.append(here)
    return _upward(names, np.concatenate(points), ["rack"] * len(names)).thinned(MOST["rack"])


def _own(stored: StoredTank) -> _Some:
    own = [kept.value for kept in stored.perches if kept.value.holds != "none"]
    if not own:
        return _upward([], np.empty((0, 3)), [])
    points = np.array([one.place for one in own])
    what, _ = orientations(stored.tank, points)
    sorts = {"face": "face", "under": "under", "pane": "pane"}
    sat = [sorts.get(one.facing, seen) for one, seen in zip(own, what.tolist(), strict=True)]
    way = np.array([custom_normal(one.facing, one.turn) for one in own])
    return _Some([one.name for one in own], points, np.array(sat, dtype="<U5"), way)

"""Points of a tank by purpose: slices, the planes of the judgement, spots, a probe; and their surfaces."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.cache import cached
from corlume.core.judging.intent import Places
from corlume.core.judging.light_zones import Surface, surfaces
from corlume.core.light.field import grid
from corlume.core.light.geometry import Tank

Array = NDArray[np.float64]
SliceKind = Literal["plan", "front", "side"]
STEP = 0.028
"""Distance between the nodes of a drawn plane [m]; planes are capped at 90 nodes a side."""


@dataclass(frozen=True, slots=True)
class WaterPoint:
    """A point in the water [m]."""

    x: float
    y: float
    depth: float


@dataclass(frozen=True, slots=True)
class PlaneSpec:
    """A set of points: a drawn slice, the plane at the rock top ("judge"), the same with the water below ("judged"), a
    plane for ring means, all surfaces, places, or one point.

    ``coarse`` asks for half the nodes along each axis of a slice.
    """

    kind: Literal["plan", "front", "side", "judge", "judged", "ring", "surfaces", "places", "point"]
    at: float | int | WaterPoint | Places = 0.0
    coarse: bool = False


@lru_cache(maxsize=64)
def same_tank(tank: Tank) -> Tank:
    """The tank, or the first equal one, so that caches keyed by the object are hit."""
    return tank


@cached(8_000_000)
def rock_mask(tank: Tank, spec: PlaneSpec) -> NDArray[np.bool_]:
    """Which of the points lie in rock or sand."""
    return tank.in_rock(points_of(tank, spec))


def surfaces_of(tank: Tank) -> tuple[Surface, ...]:
    """Surfaces that corals can sit on, cached; corals do not change them."""
    return _surfaces(replace(tank, colonies=(), plates=()))


@lru_cache(maxsize=16)
def _surfaces(tank: Tank) -> tuple[Surface, ...]:
    return tuple(surfaces(tank))


def axes_of(tank: Tank, kind: SliceKind, coarse: bool = False) -> tuple[Array, Array]:
    """Positions of the nodes along the two axes of a slice [m]."""
    sizes = {"x": tank.length, "y": tank.width, "depth": tank.water_depth}
    names = {"plan": ("x", "y"), "front": ("x", "depth"), "side": ("y", "depth")}[kind]
    counts = (min(90, max(12, round(sizes[name] / STEP))) for name in names)
    u, v = (np.linspace(0.0, sizes[n], count // 2 if coarse else count) for n, count in zip(names, counts, strict=True))
    return u, v


@cached(24_000_000)
def points_of(tank: Tank, spec: PlaneSpec) -> Array:
    """Points (..., 3) of a specification, as x, y, depth [m]; ``ValueError`` for one that no tank has."""
    match spec.kind, spec.at:
        case "point", WaterPoint() as place:
            return np.array([[place.x, place.y, place.depth]])
        case "places", Places() as places:
            return places.points
        case "surfaces", _:
            return np.concatenate([np.empty((0, 3)), *(s.points.reshape(-1, 3) for s in surfaces_of(tank))])
        case "judge", _:
            depth = tank.rock_top()
            return grid(tank, (42, 20, 1), depths=(depth, depth))
        case "judged", _:
            # the plane and the water below it in one go: asking for points one time too many costs as much as hundreds
            water = grid(tank, (20, 10, 7), depths=(tank.rock_top(), tank.sand_depth))
            return np.concatenate([points_of(tank, PlaneSpec("judge")).reshape(-1, 3), water.reshape(-1, 3)])
        case "ring", float() as depth:
            return grid(tank, (24, 15, 1), depths=(depth, depth))
        case ("plan" | "front" | "side") as kind, float() as at:
            u, v = np.meshgrid(*axes_of(tank, kind, spec.coarse), indexing="ij")
            w = np.full_like(u, at)
            order = {"plan": (u, v, w), "front": (u, w, v), "side": (w, u, v)}[kind]
            return np.stack(order, axis=-1)
    raise ValueError(f"no points for {spec}")

"""Flow in a tank, solved where that was done, else estimated: at spots, at places, and over a slice."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.cache import cached
from corlume.core.flow.circulation import flow_in, flow_key, from_bytes, solve_pumps, to_bytes
from corlume.core.flow.first_estimate import CLASSES, FlowClass, flow_at
from corlume.core.flow.local_flow import STAND, LocalFlow, local_flow_at
from corlume.core.flow.observed_flow import FlowMark
from corlume.core.flow.pump import Pump
from corlume.core.flow.solver import SolvedFlow
from corlume.core.light.geometry import Tank
from corlume.services.light.points import PlaneSpec, SliceKind, axes_of, points_of, rock_mask, same_tank, surfaces_of
from corlume.store.flow_fields import FlowField
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]


def _flow(stored: StoredTank) -> tuple[Tank, tuple[Pump, ...], tuple[FlowMark, ...]]:
    """The tank reduced to what the flow depends on, so that results are cached over changes of the light."""
    tank = same_tank(replace(stored.tank, colonies=(), plates=(), correction=None))
    return tank, tuple(kept.value for kept in stored.pumps), tuple(kept.value for kept in stored.flow_marks)


def solved_flow(stored: StoredTank) -> SolvedFlow | None:
    """The solved flow of a tank's pumps, or None where it is only estimated."""
    if stored.flow_field is None:
        return None
    tank, pumps, _ = _flow(stored)
    return _solved(tank, pumps, stored.flow_field) if _key(tank, pumps) == stored.flow_field.key else None


@cached(100_000)
def _key(tank: Tank, pumps: tuple[Pump, ...]) -> str:
    return flow_key(tank, pumps)


@cached(32_000_000)
def _solved(tank: Tank, pumps: tuple[Pump, ...], field: FlowField) -> SolvedFlow | None:
    try:
        return from_bytes(tank, pumps, field.data)
    except ValueError:  # of another version: it is solved anew
        return None


def solve(stored: StoredTank, told: Callable[[float], object] = lambda _: None) -> FlowField:
    """Solve the flow of a tank's pumps, in the form in which it is kept; takes seconds. See ``solve_flow`` for
    ``told``.
    """
    tank, pumps, _ = _flow(stored)
    return FlowField(_key(tank, pumps), to_bytes(solve_pumps(tank, pumps, told=told)))


def flow_seen(stored: StoredTank, points: Array) -> tuple[list[str], list[float]]:
    """Words and speeds [m/s] of the flow at the feet of corals (n, 3), one of each per point."""
    found = local_flow_at(*_flow(stored), points, solved_flow(stored))
    return found.words.tolist(), found.speed.tolist()


def flow_ways(stored: StoredTank, points: Array) -> tuple[Array, Array]:
    """Speed (n,) of the flow at the feet of corals (n, 3), NaN where it was not estimated [m/s], and its direction
    (n, 3), 0 without pumps.
    """
    tank, pumps, marks = _flow(stored)
    solved = solved_flow(stored)
    speed = local_flow_at(tank, pumps, marks, points, solved).speed
    if not pumps:
        return speed, np.zeros((len(points), 3))
    met = points - np.array([0.0, 0.0, STAND])
    return speed, (flow_in(solved, met) if solved else flow_at(tank, pumps, met)).way


def surface_flow(stored: StoredTank) -> list[LocalFlow]:
    """The flow (nx, ny) on the cells of every surface of ``surfaces_of``, in its order."""
    tank, pumps, marks = _flow(stored)
    whole, found, start = _on_surfaces(tank, pumps, marks, solved_flow(stored)), [], 0
    for surface in surfaces_of(tank):
        cells = slice(start, start + surface.free.size)
        shape = surface.free.shape
        found.append(LocalFlow(whole.words[cells].reshape(shape), whole.speed[cells].reshape(shape)))
        start += surface.free.size
    return found


@cached(8_000_000)
def _on_surfaces(
    tank: Tank, pumps: tuple[Pump, ...], marks: tuple[FlowMark, ...], solved: SolvedFlow | None
) -> LocalFlow:
    return local_flow_at(tank, pumps, marks, points_of(tank, PlaneSpec("surfaces")).reshape(-1, 3), solved)


@dataclass(frozen=True, slots=True)
class FlowPlane:
    """A slice: nodes along its axes [m], speed (nu, nv), NaN in rock and sand [m/s], and direction (nu, nv, 3).

    Where the keeper painted, the speed is one in the middle of the class that was seen.
    """

    u: Array
    v: Array
    speed: Array
    way: Array


AMID: dict[FlowClass, float] = {"dead": 0.01, "low": 0.035, "medium": 0.1, "high": 0.2}
"""A speed in the middle of each class [m/s]."""


def flow_plane(stored: StoredTank, kind: SliceKind, at: float) -> FlowPlane:
    """Flow over a slice, solved or estimated, with what the keeper painted over it."""
    tank, pumps, marks = _flow(stored)
    spec = PlaneSpec(kind, at)
    nodes = points_of(tank, spec)
    points = nodes.reshape(-1, 3)
    solved = solved_flow(stored)
    found = flow_in(solved, points) if solved else flow_at(tank, pumps, points)
    speed = found.speed.copy()
    for mark in marks:
        speed[mark.holds(points)] = AMID[mark.flow]
    shape = nodes.shape[:2]
    hidden = rock_mask(tank, spec).reshape(shape)
    u, v = axes_of(tank, kind, False)
    return FlowPlane(u, v, np.where(hidden, np.nan, speed.reshape(shape)), found.way.reshape(*shape, 3))


def spot_flow(stored: StoredTank) -> dict[str, float]:
    """Share of spots in each class of flow, and under "" where the flow is not known [-]."""
    words = [
        flow.words[surface.free] for surface, flow in zip(surfaces_of(stored.tank), surface_flow(stored), strict=True)
    ]
    found = np.concatenate(words) if words else np.array([""])
    return {word: float((found == word).mean()) for word in (*CLASSES, "")}

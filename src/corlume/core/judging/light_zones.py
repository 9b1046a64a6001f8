"""Zones: connected places on the sand and the rock tops that lie in one light band.

Sites are cells of ``PITCH`` on every surface that faces up and is open to the water.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from corlume.core.flow.local_flow import LocalFlow
from corlume.core.judging.targets import Band, LightTargets
from corlume.core.light.geometry import Tank
from corlume.core.light.rock_surface import plugs
from corlume.core.light.rockwork import X0, X1, Y0, Y1, Flow, tops_of

Array = NDArray[np.float64]
PITCH = 0.025
LEVELS = 2
"""So many tops over each other count in one place of a piece of rock: its own and that of a cave in it."""
JUST_ABOVE = np.array([0.0, 0.0, 0.001])
STEEPEST = math.cos(math.radians(45))
"""Rock leans no further where a coral can sit on top [-]; ours."""
LEAST_CELLS = 10
"""A zone smaller than this many cells (about 60 cm2) is not listed: less than one small colony takes."""


@dataclass(frozen=True)
class Surface:
    """A surface that corals can sit on, cut into cells.

    ``points`` (nx, ny, 3) are the cells' centres [m]; ``free`` (nx, ny) says which are open water just
    above the surface, and not under a rock that lies on it; ``cell`` is a cell's size along x and y [m].
    """

    name: str
    flow: Flow
    points: Array
    free: NDArray[np.bool_]
    cell: tuple[float, float]
    is_sand: bool = False

    @cached_property
    def depth(self) -> float:
        """Mean depth of the surface where it is free [m]."""
        return float(self.points[self.free][:, 2].mean()) if self.free.any() else float(self.points[0, 0, 2])


@dataclass(frozen=True)
class LightZone:
    """Connected cells of one surface in one light band.

    ``points`` (n, 3) [m], ``par`` (n,) [umol/m2/s] and ``flow`` (n,) belong together; ``area`` [m2]; ``third`` is the
    trade's top, middle or low third of the water.
    """

    key: str
    name: str
    third: str
    surface: Surface
    band: Band
    points: Array
    par: Array
    area: float
    flow: LocalFlow

    @property
    def par_range(self) -> tuple[float, float]:
        """Minimum and maximum PAR in the zone [umol/m2/s]."""
        return float(self.par.min()), float(self.par.max())


def surfaces(tank: Tank) -> list[Surface]:
    """Cut the sand and the tops of every piece of rock under water into cells, from the top of the tank to the sand.

    A piece has a second surface where it lies over itself, as the floor of a cave does.
    """
    axes, cell = _cells((0.0, tank.length), (0.0, tank.width))
    points = np.stack(np.meshgrid(*axes, [tank.sand_depth], indexing="ij"), axis=-1)[:, :, 0]
    found = [Surface("Sand", tank.sand_flow, points, ~tank.in_rock(points - JUST_ABOVE), cell, True)]
    for number, (name, flow) in enumerate(tank.rock_pieces()):
        found += _tops(tank, number, name, flow)
    found = [s for s in found if s.free.any()]
    return sorted(found, key=lambda s: s.depth)


def _cells(x: tuple[float, float], y: tuple[float, float]) -> tuple[list[Array], tuple[float, float]]:
    """Middles of the cells along x and y, and their sizes [m]."""
    counts = [max(1, round((high - low) / PITCH)) for low, high in (x, y)]
    cell = ((x[1] - x[0]) / counts[0], (y[1] - y[0]) / counts[1])
    return [
        low + (np.arange(float(n)) + 0.5) * step for n, (low, _), step in zip(counts, (x, y), cell, strict=True)
    ], cell


def _tops(tank: Tank, number: int, name: str, flow: Flow) -> list[Surface]:
    """The tops of one piece that are under water, open above, and no steeper than a coral sits on."""
    rock = tank.rockwork
    runs = rock.runs[rock.piece == number]
    if not len(runs):
        return []
    axes, cell = _cells((runs[:, X0].min(), runs[:, X1].max()), (runs[:, Y0].min(), runs[:, Y1].max()))
    tops = tops_of(rock, number, axes[0], axes[1], LEVELS)
    x, y = np.meshgrid(*axes, indexing="ij")
    found = []
    for level in range(LEVELS):
        there = (tops[..., level] > 0.0) & (tops[..., level] < tank.sand_depth)
        points = np.stack((x, y, np.where(there, tops[..., level], tank.sand_depth)), axis=-1)
        level_enough = plugs(rock, points.reshape(-1, 3)).normal[:, 2] >= STEEPEST
        free = there & ~tank.in_rock(points - JUST_ABOVE) & level_enough.reshape(there.shape)
        if level == 0 or free.sum() >= LEAST_CELLS:
            found.append(Surface(name + ", below" * level, flow, points, free, cell))
    return found


def find_zones(
    tank: Tank, targets: LightTargets, lit: list[tuple[Surface, Array]], flows: Sequence[LocalFlow] = ()
) -> list[LightZone]:
    """Join the cells of every surface into zones.

    Parameters
    ----------
    lit : each surface with the PAR (nx, ny) on its cells.
    flows : the flow (nx, ny) on each; what is noted for a surface when it is left out.

    Returns
    -------
    Zones from the highest surface down, left to right within it, named Z1, Z2 ...
    """
    from scipy import ndimage

    bands = targets.bands()
    found: list[LightZone] = []
    for k_surface, (surface, par) in enumerate(lit):
        flow = flows[k_surface] if flows else LocalFlow.noted(surface.flow, par.shape)
        index = np.where(surface.free, targets.band_index(par), -1)
        pieces: list[tuple[float, LightZone]] = []
        for k, band in enumerate(bands):
            # nothing narrower than two cells: the edge of a shadow is no place for a coral
            labels, count = ndimage.label(ndimage.binary_opening(index == k, np.ones((2, 2))))
            for n in range(1, count + 1):
                cells = labels == n
                if cells.sum() < LEAST_CELLS:
                    continue
                points = surface.points[cells]
                zone = LightZone(
                    key="",
                    name=f"{surface.name}, {_part(surface, points)}",
                    third=_third(tank, float(points[:, 2].mean())),
                    surface=surface,
                    band=band,
                    points=points,
                    par=par[cells],
                    area=float(cells.sum()) * surface.cell[0] * surface.cell[1],
                    flow=flow.at(cells),
                )
                pieces.append((float(points[:, 0].mean()), zone))
        found += [zone for _, zone in sorted(pieces, key=lambda piece: piece[0])]
    return [replace(zone, key=f"Z{i}") for i, zone in enumerate(found, 1)]


def _part(surface: Surface, points: Array) -> str:
    """Say which part of its surface a zone takes up."""
    words = []
    for axis, names in ((0, ("left", "right")), (1, ("front", "back"))):
        low, high = surface.points[..., axis].min(), surface.points[..., axis].max()
        size = max(high - low, 1e-9)
        middle = (points[:, axis].mean() - low) / size
        extent = (points[:, axis].max() - points[:, axis].min()) / size
        if extent < 0.75 and abs(middle - 0.5) > 0.12:
            words.append(names[int(middle > 0.5)])
    return " ".join(words) or ("all of it" if points.shape[0] > 0.8 * surface.free.sum() else "middle")


def _third(tank: Tank, depth: float) -> str:
    """The trade's three parts of the tank: thirds of the water above the sand."""
    return ("top", "middle", "low")[min(2, int(3 * depth / tank.sand_depth))]

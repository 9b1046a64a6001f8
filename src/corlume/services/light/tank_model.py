"""A tank in three dimensions: the light on its rock and sand, PAR through the water, and surfaces of equal PAR."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from corlume.core.judging.intent import Places
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.light.rock_surface import SurfaceMesh, surface_mesh
from corlume.services.light.fields import par_in
from corlume.services.light.points import same_tank

Array = NDArray[np.float64]
PITCH, MOST_CORNERS = 0.025, 20_000
"""Cells of the surface are so long [m], longer where there would be more corners."""
STEP, MOST_NODES = 0.03, 40_000
"""Nodes in the water are so far apart [m], further where there would be more."""


@dataclass(frozen=True)
class WaterGrid:
    """Nodes in the water along x, y and depth [m], and PAR (nx, ny, nz) at them, NaN in rock and sand [umol/m2/s]."""

    x: Array
    y: Array
    depth: Array
    par: Array


@lru_cache(maxsize=8)
def _mesh(tank: Tank) -> tuple[SurfaceMesh, Places]:
    coarser, pitch = 1, PITCH
    mesh = surface_mesh(tank, pitch)
    while len(mesh.corners) > MOST_CORNERS:
        coarser, pitch = coarser + 1, 1.3 * pitch
        mesh = surface_mesh(tank, pitch, coarser)
    return mesh, Places("surface", "rock and sand", mesh.lit_points(), normals=mesh.normals)


def lit_surface(tank: Tank, fixtures: Sequence[Fixture]) -> tuple[SurfaceMesh, Array]:
    """Rock and sand of a tank, and the PAR (n,) that falls on each corner as it faces [umol/m2/s].

    Corners that lie in other rock have the mean of their triangles' other corners.
    """
    mesh, places = _mesh(same_tank(_bare(tank)))
    par = np.where(tank.in_rock(places.points), np.nan, par_in(tank, fixtures, places))
    for _ in range(2):
        around = par[mesh.triangles]
        known = np.isfinite(around)
        mean = np.where(known, around, 0.0).sum(axis=1) / np.maximum(1, known.sum(axis=1))
        total, count = np.zeros(len(par)), np.zeros(len(par))
        for k in range(3):
            np.add.at(total, mesh.triangles[:, k], mean * known.any(axis=1))
            np.add.at(count, mesh.triangles[:, k], known.any(axis=1))
        par = np.where(np.isfinite(par) | (count == 0), par, total / np.maximum(1, count))
    return mesh, np.nan_to_num(par)


def _bare(tank: Tank) -> Tank:
    """The tank reduced to what its surface depends on."""
    kept = ("length", "width", "water_depth", "sand", "rocks", "natural_rocks", "brushed_rock")
    return Tank(**{name: getattr(tank, name) for name in kept})


@lru_cache(maxsize=8)
def _nodes(length: float, width: float, depth: float) -> tuple[Array, Array, Array, Places]:
    step = max(STEP, (length * width * depth / MOST_NODES) ** (1 / 3))
    axes = [np.linspace(0.0, size, max(3, round(size / step) + 1)) for size in (length, width, depth)]
    inside = [np.clip(axis, 1e-3, axis[-1] - 1e-3) for axis in axes]
    points = np.stack(np.meshgrid(*inside, indexing="ij"), axis=-1).reshape(-1, 3)
    return axes[0], axes[1], axes[2], Places("water", "the water", points)


def water_grid(tank: Tank, fixtures: Sequence[Fixture]) -> WaterGrid:
    """PAR through the water."""
    x, y, depth, places = _nodes(tank.length, tank.width, tank.water_depth)
    par = np.where(tank.in_rock(places.points), np.nan, par_in(tank, fixtures, places))
    return WaterGrid(x, y, depth, par.reshape(len(x), len(y), len(depth)))


def equal_par(grid: WaterGrid, level: float) -> tuple[Array, NDArray[np.int64]]:
    """The surface of one PAR [umol/m2/s]: corners (n, 3) at x, y and depth [m] and triangles (m, 3); none where no
    place has it. Marching cubes of scikit-image; rock counts as dark.
    """
    from skimage.measure import marching_cubes  # seconds to import, which no other page waits for

    values = np.nan_to_num(grid.par)
    if not values.min() < level < values.max():
        return np.zeros((0, 3)), np.zeros((0, 3), dtype=np.int64)
    steps = tuple(float(axis[1] - axis[0]) for axis in (grid.x, grid.y, grid.depth))
    corners, triangles, _, _ = marching_cubes(values, level, spacing=steps)  # type: ignore[no-untyped-call]
    return corners.astype(np.float64), triangles.astype(np.int64)

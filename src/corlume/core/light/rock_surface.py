"""The surface of rock: as triangles with their normals, and where a frag plug rests on it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy import ndimage
from scipy.spatial import cKDTree

from corlume.core.light.geometry import Tank
from corlume.core.light.rockwork import Rockwork
from corlume.core.light.surface_net import surface_net

Array = NDArray[np.float64]
SMOOTHING = 1.4
"""Occupancy is smoothed over so many columns, so that normals are not those of the grid [-]; ours."""
OVER = 0.006
"""The light on a surface is read so far over it, clear of the grain of its columns [m]."""
PLUG = 0.01
"""Radius of a frag plug [m]; common practice, no source."""
PLUG_STEP = 0.012
"""What of the rock under a plug is no further up or down than this holds it [m]; ours."""
FLAT_NEAR = 0.02
"""A top so near to the height of a place is the one that it is on [m]."""


@dataclass(frozen=True)
class SurfaceMesh:
    """Triangles (m, 3) of corners (n, 3) at x, y, depth [m], each with its normal (n, 3), x right, y back and z up."""

    corners: Array
    normals: Array
    triangles: NDArray[np.int64]

    @cached_property
    def tree(self) -> cKDTree:
        """The corners, to be searched by place."""
        return cKDTree(self.corners)

    def lit_points(self) -> Array:
        """Places (n, 3) just over the surface at its corners, where its light is read [m]."""
        over: Array = self.corners + OVER * self.normals * np.array([1.0, 1.0, -1.0])
        return over


@dataclass(frozen=True, slots=True)
class Occupancy:
    """Share of each cell that is rock (nx, ny, nz), smoothed; the middle of the first cell at x, y, depth and the
    cells' sizes [m].
    """

    values: Array
    first: Array
    steps: Array

    def normals(self, points: Array) -> Array:
        """Unit vectors (n, 3), x right, y back and z up, out of the rock at points (n, 3) near its surface."""
        at = ((points - self.first) / self.steps).T
        slopes = np.stack([
            ndimage.map_coordinates(slope, at, order=1, mode="nearest") for slope in np.gradient(self.values,
            *self.steps)
        ], axis=1)  # fmt: skip
        out = -slopes * np.array([1.0, 1.0, -1.0])
        found: Array = out / np.maximum(np.linalg.norm(out, axis=1), 1e-12)[:, None]
        return found


def occupancy(tank: Tank, coarser: int = 1) -> Occupancy:
    """Share of rock in cells as wide as so many columns."""
    rock = tank.rockwork
    step = 0.5 * (rock.wide + rock.deep)
    nz = math.ceil(tank.water_depth / step)
    cells = np.zeros((*rock.highest.shape, nz))
    _fill(rock, step, cells)
    np.minimum(cells, 1.0, out=cells)
    room = 3 * coarser
    # nothing beyond panes and surface; the rock goes on below the bottom pane
    shape = [n + 2 * room + (-(n + 2 * room)) % coarser for n in cells.shape]
    after = [shape[a] - cells.shape[a] - room for a in range(3)]
    cells = np.pad(cells, [(room, after[0]), (room, after[1]), (room, 0)])
    cells = np.pad(cells, [(0, 0), (0, 0), (0, after[2])], mode="edge")
    if coarser > 1:
        parts = (part for n in cells.shape for part in (n // coarser, coarser))
        cells = cells.reshape(*parts).mean(axis=(1, 3, 5))
    steps = coarser * np.array([rock.wide, rock.deep, step])
    first = 0.5 * steps - room * np.array([rock.wide, rock.deep, step])
    return Occupancy(ndimage.gaussian_filter(cells, SMOOTHING), first, steps)


@njit(cache=True, error_model="numpy")
def _fill(rock: Rockwork, step: float, cells: Array) -> None:
    ny, nz = cells.shape[1], cells.shape[2]
    for k in range(rock.starts.shape[0] - 1):
        for r in range(rock.starts[k], rock.starts[k + 1]):
            run = rock.runs[r]
            share = (run[7] - run[6]) * (run[9] - run[8]) / (rock.wide * rock.deep)
            for level in range(max(0, int(run[0] / step)), min(nz, int(run[3] / step) + 1)):
                inside = min(run[3], (level + 1) * step) - max(run[0], level * step)
                if inside > 0.0:
                    cells[k // ny, k % ny, level] += share * inside / step


def rock_surface(tank: Tank, coarser: int = 1) -> SurfaceMesh:
    """The surface of a tank's rock, under water, in cells as wide as so many columns; cached."""
    bare = Tank(
        tank.length,
        tank.width,
        tank.water_depth,
        sand=0.0,
        rocks=tank.rocks,
        natural_rocks=tank.natural_rocks,
        brushed_rock=tank.brushed_rock,
    )
    return _surface(bare, coarser)


@lru_cache(maxsize=16)
def _surface(tank: Tank, coarser: int) -> SurfaceMesh:
    if not len(tank.rockwork.runs):
        return SurfaceMesh(np.empty((0, 3)), np.empty((0, 3)), np.empty((0, 3), dtype=np.int64))
    rock = occupancy(tank, coarser)
    corners, triangles = surface_net(rock.values, 0.5)
    corners = rock.first + rock.steps * corners
    # the net turns over with the axis that points down
    triangles = triangles[:, ::-1]
    inside = (corners[:, 2] > 0.0) & (corners[:, 2] < tank.water_depth)
    triangles = triangles[inside[triangles].all(axis=1)]
    used, where = np.unique(triangles, return_inverse=True)
    corners = corners[used]
    corners[:, :2] = np.clip(corners[:, :2], 1e-3, np.array([tank.length, tank.width]) - 1e-3)
    return SurfaceMesh(corners, rock.normals(corners), where.reshape(-1, 3).astype(np.int64))


def surface_mesh(tank: Tank, pitch: float, coarser: int = 1) -> SurfaceMesh:
    """Rock and sand in the water as triangles: sand in cells no longer than ``pitch`` [m], rock in cells as wide as so
    many columns; sand under rock is left out.
    """
    rock = rock_surface(tank, coarser)
    buried = (rock.corners[rock.triangles, 2] >= tank.sand_depth).all(axis=1)
    counts = [max(1, math.ceil(size / pitch)) for size in (tank.length, tank.width)]
    axes = [np.linspace(0.0, size, n + 1) for size, n in zip((tank.length, tank.width), counts, strict=True)]
    x, y = (part.ravel() for part in np.meshgrid(*axes, indexing="ij"))
    corners = np.column_stack((x, y, np.full(len(x), tank.sand_depth)))
    i, j = (part.ravel() for part in np.meshgrid(*map(np.arange, counts), indexing="ij"))
    at = i * (counts[1] + 1) + j
    quads = np.column_stack([at, at + counts[1] + 1, at + counts[1] + 2, at + 1])
    around = corners[quads]
    middle = around.mean(axis=1, keepdims=True)
    over = np.concatenate([middle, around + 0.02 * (middle - around)], axis=1) - np.array([0.0, 0.0, OVER])
    quads = quads[~tank.in_rock(over).all(axis=1)]
    used, where = np.unique(quads, return_inverse=True)
    around = where.reshape(-1, 4)
    return SurfaceMesh(
        np.concatenate([corners[used], rock.corners]),
        np.concatenate([np.tile([0.0, 0.0, 1.0], (len(used), 1)), rock.normals]),
        np.concatenate([around[:, [0, 1, 2]], around[:, [0, 2, 3]], rock.triangles[~buried] + len(used)]).astype(
            np.int64
        ),
    )


@dataclass(frozen=True)
class Plugs:
    """How a plug rests at places on rock: depth of the rock there [m], share of the plug that is held [-], the normal
    (n, 3) of what holds it, and the number of the piece, -1 where there is no rock within reach.
    """

    depth: Array
    held: Array
    normal: Array
    piece: NDArray[np.int64]


def plugs(rock: Rockwork, points: Array, near: float = FLAT_NEAR) -> Plugs:
    """Rest a plug on the tops of rock nearest to places (n, 3), no further off than ``near`` [m]."""
    found = np.zeros((len(points), 6))
    _rest(rock, np.ascontiguousarray(points, dtype=np.float64), near, PLUG, PLUG_STEP, found)
    normal = np.column_stack((found[:, 2], found[:, 3], np.ones(len(points))))
    normal /= np.linalg.norm(normal, axis=1)[:, None]
    return Plugs(found[:, 0], found[:, 1], normal, found[:, 4].astype(np.int64))


@njit(cache=True, error_model="numpy")
def _rest(rock: Rockwork, points: Array, near: float, radius: float, step: float, out: Array) -> None:
    """Write for each point: depth of the top there, share of the plug held, slopes of depth along x and y, piece."""
    side = 5
    for k in range(points.shape[0]):
        x, y = points[k, 0], points[k, 1]
        depth, piece = _top_near(rock, x, y, points[k, 2], near)
        out[k, 0], out[k, 4] = depth, piece
        if piece < 0:
            continue
        on, of = 0, 0
        sums = np.zeros(8)
        for i in range(side):
            for j in range(side):
                dx, dy = (2.0 * i / (side - 1) - 1.0) * radius, (2.0 * j / (side - 1) - 1.0) * radius
                if dx * dx + dy * dy > 1.1 * radius * radius:
                    continue
                of += 1
                top, found = _top_near(rock, x + dx, y + dy, depth, step)
                if found >= 0:
                    on += 1
                    d = top - depth
                    sums[0] += dx
                    sums[1] += dy
                    sums[2] += d
                    sums[3] += dx * dx
                    sums[4] += dy * dy
                    sums[5] += dx * dy
                    sums[6] += dx * d
                    sums[7] += dy * d
        out[k, 1] = on / of
        xx, yy = sums[3] - sums[0] * sums[0] / on, sums[4] - sums[1] * sums[1] / on
        xy = sums[5] - sums[0] * sums[1] / on
        xd, yd = sums[6] - sums[0] * sums[2] / on, sums[7] - sums[1] * sums[2] / on
        det = xx * yy - xy * xy
        if det > 1e-14:
            out[k, 2], out[k, 3] = (xd * yy - yd * xy) / det, (yd * xx - xd * xy) / det


@njit(cache=True, error_model="numpy")
def _top_near(rock: Rockwork, x: float, y: float, depth: float, near: float) -> tuple[float, int]:
    """Depth and piece of the top of rock at (x, y) nearest to a depth; piece -1 where none is as near as asked."""
    nx, ny = rock.highest.shape
    a, b = math.floor(x / rock.wide), math.floor(y / rock.deep)
    best, piece, far = depth, -1, near
    if a < 0 or a >= nx or b < 0 or b >= ny:
        return best, piece
    k = a * ny + b
    dx, dy = x - (a + 0.5) * rock.wide, y - (b + 0.5) * rock.deep
    for r in range(rock.starts[k], rock.starts[k + 1]):
        if x < rock.runs[r, 6] or x > rock.runs[r, 7] or y < rock.runs[r, 8] or y > rock.runs[r, 9]:
            continue
        top = rock.runs[r, 0] + rock.runs[r, 1] * dx + rock.runs[r, 2] * dy
        if abs(top - depth) <= far:
            best, piece, far = top, rock.piece[r], abs(top - depth)
    return best, piece

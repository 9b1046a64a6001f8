"""Interreflection: light that sand and pale rock send up, and the underside of the surface reflects down again.

A floor patch with irradiance E gives off E times its albedo by Lambert's law. Seen from an upward-looking
sensor it stands mirrored above the surface, dimmed by the surface's inner reflection (total past the
critical angle) and by the path; a spherical sensor sees the floor itself as well. As that is smooth, it is
worked out on a coarse grid of nodes once a tank, and read off between them. Light that meets the side of
rock is lost, and rock does not hide the floor from a sphere. Water takes from this light what it takes from
light even over 400-700 nm, in proportion to the path: it is a small part of the whole.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from corlume.core.light.field_kernel import crossings_return
from corlume.core.light.geometry import Tank
from corlume.core.light.rockwork import TOP, TOP_X, TOP_Y, X0, X1, Y0, Y1, Rockwork
from corlume.core.light.shadow import blocked, mirror
from corlume.core.light.water import Water
from corlume.core.light.water_surface import fresnel_transmittance
from corlume.core.parallel import shared_out

Array = NDArray[np.float64]
NODES = (12, 7, 7)
PATCHES = (12, 6)
GATHER = (8, 4)
"""Sand and the tops of rock are gathered into so many patches along x and y."""
FINER, LIFT = 4, 0.005
"""The sand is cut so much finer to see what of it is free; patches lie so far over their surface [m]."""
ORDERS = 4
"""Light from the floor leans at any angle, so that panes send it on several times."""
LEAST = 0.01
FAINT = 1e-5
"""Light of one patch and image that is fainter is not followed through rock: it counts as if there were none [-]."""


@dataclass(frozen=True)
class Interreflection:
    """Light from the floor, per irradiance on it.

    ``patches`` (k, 3) are the floor's points [m]; ``back`` (nodes, k) gives the irradiance at the nodes per
    irradiance at the patches, all orders of the exchange between them included [-]; ``round`` the same for a
    spherical sensor.
    """

    tank: Tank
    patches: Array
    back: Array
    round: Array

    def at(self, points: Array, floor: Array, sensor: str = "planar") -> Array:
        """Interreflected irradiance (c, n) at points (n, 3) for direct irradiance (c, k) of the channels on the
        patches.
        """
        nodes = floor @ (self.back if sensor == "planar" else self.round).T
        size = np.array([self.tank.length, self.tank.width, self.tank.water_depth])
        read: Array = _between(nodes.reshape(-1, *NODES), points, (np.array(NODES) - 1) / size)
        return read


@njit(cache=True, error_model="numpy")
def _between(nodes: Array, points: Array, scale: Array) -> Array:
    """Interpolate grids of nodes (c, x, y, z) linearly at points (n, 3); the outermost nodes hold outside."""
    out = np.zeros((nodes.shape[0], points.shape[0]))
    at, part = np.empty(3, np.int64), np.empty(3)
    for k in range(points.shape[0]):
        for axis in range(3):
            where = min(max(points[k, axis] * scale[axis], 0.0), nodes.shape[axis + 1] - 1.0)
            at[axis] = min(int(where), nodes.shape[axis + 1] - 2)
            part[axis] = where - at[axis]
        for i in range(2):
            for j in range(2):
                weight = (part[0] if i else 1.0 - part[0]) * (part[1] if j else 1.0 - part[1])
                for c in range(nodes.shape[0]):
                    low, high = nodes[c, at[0] + i, at[1] + j, at[2]], nodes[c, at[0] + i, at[1] + j, at[2] + 1]
                    out[c, k] += weight * (low + part[2] * (high - low))
    return out


def find_interreflection(tank: Tank, panes: Array, rock: Rockwork) -> Interreflection | None:
    """Build the interreflection of a tank's floor; None when neither sand nor rock reflects.

    ``panes`` are return tables and ``rock`` its coarse columns of rock.
    """
    floor = np.concatenate([_sand_patches(tank), _rock_patches(tank, rock)])
    floor = floor[(floor[:, 3] > 0) & (floor[:, 4] > 0)]
    if not len(floor):
        return None
    axes = [np.linspace(0, s, n) for s, n in zip((tank.length, tank.width, tank.water_depth), NODES, strict=True)]
    nodes = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    size = (tank.length, tank.width)
    loss = _mean_loss(tank.water)
    to_nodes, round_nodes = np.zeros((2, len(nodes), len(floor)))
    to_floor, unused = np.zeros((2, len(floor), len(floor)))
    given = (floor, size, tank.index, loss, panes, rock)
    shared_out(len(nodes), _exchange, to_nodes, round_nodes, nodes, *given, True)
    shared_out(len(floor), _exchange, to_floor, unused, floor[:, :3].copy(), *given, False)
    everything = np.linalg.inv(np.eye(len(floor)) - to_floor)
    # whole copies: the compiled kernels are made anew for arrays that lie otherwise in memory
    return Interreflection(tank, floor[:, :3].copy(), to_nodes @ everything, round_nodes @ everything)


def _sand_patches(tank: Tank) -> Array:
    """Patches of the sand: x, y, depth [m], area that no rock lies on [m2], albedo, and their normal."""
    counts = PATCHES[0] * FINER, PATCHES[1] * FINER
    x, y = (((np.arange(n) + 0.5) / n) * size for n, size in zip(counts, (tank.length, tank.width), strict=True))
    points = np.stack(np.meshgrid(x, y, [tank.sand_depth - LIFT], indexing="ij"), axis=-1)[:, :, 0]
    free = ~tank.in_rock(points)
    area = tank.length * tank.width / free.size
    rows = np.concatenate([points.reshape(-1, 3), np.full((free.size, 1), area)], axis=1)
    return _gathered(tank, rows[free.ravel()], np.zeros((int(free.sum()), 2)), tank.sand_albedo, PATCHES)


def _rock_patches(tank: Tank, rock: Rockwork) -> Array:
    """Patches of the tops of rock under water that no other rock lies on, as rows like those of the sand."""
    runs = rock.runs
    column = np.repeat(np.arange(rock.highest.size), np.diff(rock.starts))
    middle = np.column_stack((column // rock.highest.shape[1] + 0.5, column % rock.highest.shape[1] + 0.5))
    x, y = 0.5 * (runs[:, X0] + runs[:, X1]), 0.5 * (runs[:, Y0] + runs[:, Y1])
    top = (
        runs[:, TOP] + runs[:, TOP_X] * (x - middle[:, 0] * rock.wide) + runs[:, TOP_Y] * (y - middle[:, 1] * rock.deep)
    )
    points = np.column_stack((x, y, top - LIFT))
    open_top = (top > 0.02) & (top < tank.sand_depth) & ~tank.in_rock(points)
    area = (runs[:, X1] - runs[:, X0]) * (runs[:, Y1] - runs[:, Y0])
    rows = np.column_stack((points, area))[open_top]
    return _gathered(tank, rows, runs[open_top][:, [TOP_X, TOP_Y]], tank.rock_albedo, GATHER)


def _gathered(tank: Tank, rows: Array, slopes: Array, albedo: float, counts: tuple[int, int]) -> Array:
    """One patch for each part of the tank that has any of the surfaces (n, 4), so that no rock costs more than a few
    dozen patches. It lies in the middle of its part, or where the surface nearest to that does, has the area of all of
    them seen from above, which is what catches light, and faces as their mean slope (n, 2) does.

    In scapes of 60 and 200 random blocks this moved PAR by 0.09 and 0.12 % of its mean (rms), and by 0.5 % of it at
    worst.
    """
    across, deep = (
        np.minimum((rows[:, k] / size * count).astype(int), count - 1)
        for k, size, count in ((0, tank.length, counts[0]), (1, tank.width, counts[1]))
    )
    part = across * counts[1] + deep
    found = [np.empty((0, 8))]
    for one in np.unique(part):
        mine, weights = rows[part == one], rows[part == one][:, 3]
        middle = np.average(mine[:, :3], axis=0, weights=weights)
        off = np.linalg.norm(mine[:, :3] - middle, axis=1)
        # the middle itself where it lies on the surface, as on sand; else the surface nearest to it
        flat = np.ptp(mine[:, 2]) == 0 and not tank.in_rock(middle[None])[0]
        place = middle if flat else mine[off.argmin(), :3]
        # depth grows with the slope: the surface faces the way in which it falls
        normal = np.array([*np.average(slopes[part == one], axis=0, weights=weights), 1.0])
        found.append(np.array([[*place, weights.sum(), albedo, *(normal / np.linalg.norm(normal))]]))
    return np.concatenate(found)


def _mean_loss(water: Water, *, path: float = 0.6) -> float:
    """Mean attenuation of even light over a typical path of interreflected light [1/m]."""
    return -math.log(water.kept(None, path)) / path


@njit(cache=True, nogil=True, error_model="numpy")
def _exchange(
    first: int,
    end: int,
    down: Array,
    around: Array,
    points: Array,
    floor: Array,
    size: tuple[float, float],
    n: float,
    attenuation: float,
    panes: Array,
    rock: Rockwork,
    sphere: bool,
) -> None:
    """Add the irradiance at points (k, 3), from the first to before the end, per irradiance at floor patches (m, 8) to
    ``down`` and ``around`` (k, m) [-].

    First downward, by way of the surface; then, if asked for, on a sphere, from the floor itself as well.
    """
    length, width = size
    for k in range(first, end):
        px, py, d = points[k, 0], points[k, 1], points[k, 2]
        for i in range(-ORDERS, ORDERS + 1):
            if i != 0 and crossings_return(panes[0], panes[1], i, 0.5) < LEAST:
                continue
            for j in range(-ORDERS, ORDERS + 1):
                for m in range(floor.shape[0]):
                    fx, fy, deep = mirror(floor[m, 0], i, length), mirror(floor[m, 1], j, width), floor[m, 2]
                    dx, dy, rise, fall = px - fx, py - fy, d + deep, deep - d
                    flat2 = dx * dx + dy * dy
                    # a patch that leans sends more to the side that it faces
                    faces = floor[m, 5] * dx * (1 - 2 * (i % 2)) + floor[m, 6] * dy * (1 - 2 * (j % 2))
                    if sphere and fall > 0.01:
                        up2 = flat2 + fall * fall + 0.2 * floor[m, 3]  # a patch is no point, near by
                        up = math.sqrt(up2)
                        seen = max(0.0, faces + floor[m, 7] * fall) / (math.pi * up2 * up) * math.exp(-attenuation * up)
                        around[k, m] += seen * _crossed(panes, i, j, abs(dx) / up, abs(dy) / up)
                    far2 = flat2 + rise * rise
                    far = math.sqrt(far2)
                    cosine = rise / far
                    sine2 = n * n * (1.0 - cosine * cosine)
                    sends = (faces + floor[m, 7] * rise) / far
                    if sends <= 0.0:
                        continue
                    value = sends * rise / (math.pi * far2 * far)
                    if sine2 < 1.0:  # short of the critical angle some of it leaves
                        value *= 1.0 - fresnel_transmittance(cosine, math.sqrt(1.0 - sine2), n, 1.0)
                    value *= _crossed(panes, i, j, abs(dx) / far, abs(dy) / far)
                    if value * floor[m, 3] > FAINT:
                        share = d / rise
                        qx, qy = px - dx * share, py - dy * share
                        if rock.peak < d and blocked(px, py, d, qx, qy, i, j, length, width, rock):
                            continue
                        if rock.peak < deep and blocked(fx, fy, deep, qx, qy, i, j, length, width, rock):
                            continue
                    value *= math.exp(-attenuation * far)
                    down[k, m] += value
                    around[k, m] += value * far / rise
        for m in range(floor.shape[0]):
            down[k, m] *= floor[m, 3] * floor[m, 4]
            around[k, m] *= floor[m, 3] * floor[m, 4]


@njit(cache=True, inline="always", error_model="numpy")
def _crossed(panes: Array, i: int, j: int, cosine_x: float, cosine_y: float) -> float:
    """Reflectance of the panes on the way to the image cell (i, j) [-]."""
    left = 1.0
    if i != 0:
        left = crossings_return(panes[0], panes[1], i, cosine_x)
    if j != 0:
        left *= crossings_return(panes[2], panes[3], j, cosine_y)
    return left

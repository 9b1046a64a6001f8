"""Light that sand and pale rock send up, and the underside of the surface sends down again.

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
from numba import njit, prange
from numpy.typing import NDArray

from corlume.core.geometry import Tank
from corlume.core.kernel import blocked, crossings_return
from corlume.core.surface import transmittance
from corlume.core.water import Water

Array = NDArray[np.float64]
NODES = (12, 7, 7)
PATCHES = (12, 6)
ROCK_PATCHES = (2, 2)
ORDERS = 4
"""Light from the floor leans at any angle, so that panes send it on several times."""
LEAST = 0.01


@dataclass(frozen=True)
class Scatter:
    """How irradiance on the floor comes back down.

    ``patches`` (k, 3) are the floor's points [m]; ``back`` (nodes, k) gives the irradiance at the nodes per
    irradiance at the patches, all orders of the exchange between them included [-]; ``round`` the same for a
    spherical sensor.
    """

    tank: Tank
    patches: Array
    back: Array
    round: Array

    def at(self, points: Array, floor: Array, sensor: str = "planar") -> Array:
        """Returned irradiance (c, n) at points (n, 3) for direct irradiance (c, k) of channels on the patches."""
        nodes = floor @ (self.back if sensor == "planar" else self.round).T
        size = np.array([self.tank.length, self.tank.width, self.tank.water_depth])
        read: Array = _between(nodes.reshape(-1, *NODES), points, (np.array(NODES) - 1) / size)
        return read


@njit(cache=True, error_model="numpy")
def _between(nodes: Array, points: Array, scale: Array) -> Array:
    """Read grids of nodes (c, x, y, z) at points (n, 3), straight between them; the outermost nodes hold outside."""
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


def find_scatter(tank: Tank, panes: Array, rocks: Array) -> Scatter | None:
    """Lay out a tank's floor; None when neither sand nor rock sends anything back.

    ``panes`` are return tables and ``rocks`` boxes as the kernel reads them.
    """
    pieces = [_patches((0.0, tank.length), (0.0, tank.width), tank.sand_depth, PATCHES, tank.sand_albedo)]
    for box in tank.boxes() if len(rocks) else ():
        if 0.02 < box.top < tank.sand_depth:
            pieces.append(_patches((box.x0, box.x1), (box.y0, box.y1), box.top, ROCK_PATCHES, tank.rock_albedo))
    floor = np.concatenate(pieces)
    # what a rock stands on sends nothing back
    if len(rocks):
        floor = floor[~tank.in_rock(floor[:, :3] - np.array([0.0, 0.0, 0.002]))]
    floor = floor[floor[:, 4] > 0]
    if not len(floor):
        return None
    axes = [np.linspace(0, s, n) for s, n in zip((tank.length, tank.width, tank.water_depth), NODES, strict=True)]
    nodes = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    size = (tank.length, tank.width)
    loss = _mean_loss(tank.water)
    to_nodes, round_nodes = _exchange(nodes, floor, size, tank.index, loss, panes, rocks)
    to_floor, _ = _exchange(floor[:, :3].copy(), floor, size, tank.index, loss, panes, rocks)
    everything = np.linalg.inv(np.eye(len(floor)) - to_floor)
    # whole copies: the compiled kernels are made anew for arrays that lie otherwise in memory
    return Scatter(tank, floor[:, :3].copy(), to_nodes @ everything, round_nodes @ everything)


def _mean_loss(water: Water, *, path: float = 0.6) -> float:
    """Loss of even light over a path that is typical of light sent back [1/m]."""
    return -math.log(water.kept(None, path)) / path


def _patches(
    x: tuple[float, float], y: tuple[float, float], depth: float, counts: tuple[int, int], albedo: float
) -> Array:
    """Rows of x, y, depth [m], area [m2] and albedo [-]."""
    steps = [(high - low) / n for (low, high), n in zip((x, y), counts, strict=True)]
    axes = [low + (np.arange(n) + 0.5) * step for (low, _), n, step in zip((x, y), counts, steps, strict=True)]
    u, v = (a.ravel() for a in np.meshgrid(*axes, indexing="ij"))
    same = np.ones_like(u)
    return np.column_stack((u, v, depth * same, steps[0] * steps[1] * same, albedo * same))


@njit(cache=True, parallel=True, error_model="numpy")
def _exchange(
    points: Array,
    floor: Array,
    size: tuple[float, float],
    n: float,
    attenuation: float,
    panes: Array,
    rocks: Array,
) -> tuple[Array, Array]:
    """Irradiance at points (k, 3) per irradiance at floor patches (m, 5), twice (k, m) [-].

    First downward, by way of the surface; then on a sphere, from the floor itself as well.
    """
    length, width = size
    out = np.zeros((points.shape[0], floor.shape[0]))
    sphere = np.zeros((points.shape[0], floor.shape[0]))
    for k in prange(points.shape[0]):
        px, py, d = points[k, 0], points[k, 1], points[k, 2]
        for m in range(floor.shape[0]):
            rise = d + floor[m, 2]
            fall = floor[m, 2] - d
            total, around = 0.0, 0.0
            for i in range(-ORDERS, ORDERS + 1):
                fx = i * length + (floor[m, 0] if i % 2 == 0 else length - floor[m, 0])
                along = crossings_return(panes[0], panes[1], i, 0.5) if i != 0 else 1.0
                if along < LEAST:
                    continue
                for j in range(-ORDERS, ORDERS + 1):
                    fy = j * width + (floor[m, 1] if j % 2 == 0 else width - floor[m, 1])
                    dx, dy = px - fx, py - fy
                    far2 = dx * dx + dy * dy + rise * rise
                    far = math.sqrt(far2)
                    if fall > 0.01:
                        flat2 = dx * dx + dy * dy
                        up2 = flat2 + fall * fall + 0.2 * floor[m, 3]  # a patch is no point, near by
                        up = math.sqrt(up2)
                        seen = fall / (math.pi * up2 * up) * math.exp(-attenuation * up)
                        if i != 0:
                            seen *= crossings_return(panes[0], panes[1], i, abs(dx) / up)
                        if j != 0:
                            seen *= crossings_return(panes[2], panes[3], j, abs(dy) / up)
                        around += seen
                    value = rise * rise / (math.pi * far2 * far2)
                    value *= 1.0 - transmittance(math.acos(rise / far), n, 1.0)
                    if i != 0:
                        value *= crossings_return(panes[0], panes[1], i, abs(dx) / far)
                    if j != 0:
                        value *= crossings_return(panes[2], panes[3], j, abs(dy) / far)
                    if rocks.shape[0] and value > 0.0:
                        share = d / rise
                        qx, qy = px - dx * share, py - dy * share
                        if blocked(px, py, d, qx, qy, i, j, length, width, rocks):
                            continue
                        if blocked(fx, fy, floor[m, 2], qx, qy, i, j, length, width, rocks):
                            continue
                    value *= math.exp(-attenuation * far)
                    total += value
                    around += value * far / rise
            out[k, m] = total * floor[m, 3] * floor[m, 4]
            sphere[k, m] = around * floor[m, 3] * floor[m, 4]
    return out, sphere

"""Light that sand and pale rock send up, and the underside of the surface sends down again.

A floor patch with irradiance E gives off E times its albedo by Lambert's law. Seen from an upward-looking
sensor it stands mirrored above the surface, dimmed by the surface's inner reflection (total past the
critical angle) and by the path. As that is smooth, it is worked out on a coarse grid of nodes once a
tank, and read off between them. Light that meets the side of rock is lost.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from scipy import ndimage

from corlume.core.geometry import Tank
from corlume.core.kernel import blocked, crossings_return
from corlume.core.surface import transmittance

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
    irradiance at the patches, all orders of the exchange between them included [-].
    """

    tank: Tank
    patches: Array
    back: Array

    def at(self, points: Array, floor: Array) -> Array:
        """Returned irradiance at points (..., 3) for direct irradiance (k,) on the floor's patches."""
        nodes = (self.back @ floor).reshape(NODES)
        size = np.array([self.tank.length, self.tank.width, self.tank.water_depth])
        where = (points.reshape(-1, 3) / size * (np.array(NODES) - 1)).T
        read: Array = ndimage.map_coordinates(nodes, where, order=1, mode="nearest")
        return read.reshape(points.shape[:-1])


def find_scatter(tank: Tank, panes: Array, rocks: Array) -> Scatter | None:
    """Lay out a tank's floor; None when neither sand nor rock sends anything back.

    ``panes`` are return tables and ``rocks`` boxes as the kernel reads them.
    """
    pieces = [_patches((0.0, tank.length), (0.0, tank.width), tank.sand_depth, PATCHES, tank.sand_albedo)]
    for rock in tank.rocks:
        top = rock.top_depth(tank.water_depth)
        if 0.02 < top < tank.sand_depth and len(rocks):
            x, y = (rock.x, rock.x + rock.length), (rock.y, rock.y + rock.width)
            pieces.append(_patches(x, y, top, ROCK_PATCHES, tank.rock_albedo))
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
    to_nodes = _exchange(nodes, floor, size, tank.index, tank.attenuation, panes, rocks)
    to_floor = _exchange(floor[:, :3].copy(), floor, size, tank.index, tank.attenuation, panes, rocks)
    everything = np.linalg.inv(np.eye(len(floor)) - to_floor)
    return Scatter(tank, floor[:, :3], to_nodes @ everything)


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
) -> Array:
    """Downward irradiance at points (k, 3) per irradiance at floor patches (m, 5), (k, m) [-]."""
    length, width = size
    out = np.zeros((points.shape[0], floor.shape[0]))
    for k in prange(points.shape[0]):
        px, py, d = points[k, 0], points[k, 1], points[k, 2]
        for m in range(floor.shape[0]):
            rise = d + floor[m, 2]
            total = 0.0
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
                    total += value * math.exp(-attenuation * far)
            out[k, m] = total * floor[m, 3] * floor[m, 4]
    return out

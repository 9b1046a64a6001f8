"""A piece of rock as a closed surface of triangles, where it lies in the tank, and its rock along upright lines."""

from __future__ import annotations

import hashlib
import math
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from corlume.core.light.rockwork import columns_of
from corlume.core.light.sampled_rock import SampledRock, sampled_from

Array = NDArray[np.float64]
Triangles = NDArray[np.int64]
ASIDE = (1.3e-7, 2.7e-7)
"""Lines run so far beside their places, so that none meets an edge or a corner of a mesh that is made on a grid [m]."""


@dataclass(frozen=True, slots=True, eq=False)
class RockMesh:
    """Triangles (m, 3) of corners (n, 3), x right, y back, z up [m], about the upright line through the middle of its
    footprint and with its lowest point at 0. Equal when all corners and triangles are.
    """

    corners: Array
    triangles: Triangles
    digest: bytes = field(init=False)

    def __post_init__(self) -> None:
        found = hashlib.blake2b(self.corners.tobytes(), digest_size=16)
        found.update(self.triangles.tobytes())
        object.__setattr__(self, "digest", found.digest())

    def __eq__(self, other: object) -> bool:
        return isinstance(other, RockMesh) and self.digest == other.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    @property
    def size(self) -> tuple[float, float, float]:
        """Length, width and height of the box around it [m]."""
        x, y, z = np.ptp(self.corners, axis=0).tolist()
        return x, y, z

    @property
    def volume(self) -> float:
        """Volume that its surface encloses, as far as it is closed [m3]."""
        a, b, c = (self.corners[self.triangles[:, k]] for k in range(3))
        return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


def centred(corners: Array, triangles: Triangles) -> RockMesh:
    """The mesh of some triangles, moved over the origin."""
    low, high = corners.min(axis=0), corners.max(axis=0)
    moved = corners - np.array([*(0.5 * (low + high))[:2], low[2]])
    return RockMesh(np.ascontiguousarray(moved), np.ascontiguousarray(triangles, dtype=np.int64))


class Placing(NamedTuple):
    """Where a piece lies: the middle of its footprint from left and front, its lowest point over the bottom pane [m],
    how it is turned about the upright line and tilted to the back and to the right [rad], and its scale [-].
    """

    x: float
    y: float
    base: float
    turn: float = 0.0
    tilt_back: float = 0.0
    tilt_right: float = 0.0
    scale: float = 1.0


def placed(mesh: RockMesh, placing: Placing, water_depth: float) -> Array:
    """Corners (n, 3) of a piece in the tank at x, y and depth [m]; it is tilted first, then turned anticlockwise from
    above.
    """
    (cb, sb), (cr, sr), (ct, st) = (
        (math.cos(a), math.sin(a)) for a in (placing.tilt_back, placing.tilt_right, placing.turn)
    )
    back = np.array([[1, 0, 0], [0, cb, sb], [0, -sb, cb]])
    right = np.array([[cr, 0, sr], [0, 1, 0], [-sr, 0, cr]])
    turn = np.array([[ct, -st, 0], [st, ct, 0], [0, 0, 1]])
    corners = placing.scale * mesh.corners @ (turn @ right @ back).T
    low, high = corners.min(axis=0), corners.max(axis=0)
    x, y, z = (corners - np.array([*(0.5 * (low + high))[:2], low[2]])).T
    return np.column_stack((x + placing.x, y + placing.y, water_depth - placing.base - z))


def sample_mesh(
    corners: Array,
    triangles: Triangles,
    length: float,
    width: float,
    name: str = "",
    flow: str = "",
    *,
    cells: tuple[int, int] | None = None,
) -> SampledRock:
    """Rock inside a mesh along the lines of a tank's columns.

    What a surface leaves open below is taken to reach down to its lowest point; a line that falls through a hole in its
    top takes what its neighbours have. What lies beside the tank or over the water is cut off.

    Parameters
    ----------
    corners : (n, 3) at x, y and depth [m].
    triangles : (m, 3), which face outwards.
    length, width : inside of the tank [m].
    name, flow : of the piece.
    cells : columns of the tank along x and y, by default its own.
    """
    nx, ny = cells or columns_of(length, width)
    counts = (2 * nx, 2 * ny)
    steps = np.array([length / counts[0], width / counts[1]])
    units = corners.copy()
    units[:, :2] = (corners[:, :2] + ASIDE) / steps - 0.5
    crossings = np.zeros(counts, dtype=np.int64)
    _cross(units, triangles, crossings, np.empty(0, np.int64), np.empty(0), np.empty(0, np.int8))
    starts = np.concatenate([[0], np.cumsum(crossings.ravel())])
    depth, sign = np.empty(starts[-1]), np.empty(starts[-1], np.int8)
    _cross(units, triangles, crossings, starts[:-1].copy(), depth, sign)
    line = np.repeat(np.arange(counts[0] * counts[1]), np.diff(starts))
    order = np.lexsort((depth, line))
    lowest = float(corners[:, 2].max()) if len(corners) else 0.0
    at, tops, bottoms, odd = _paired(line[order], depth[order], sign[order], lowest)
    at, tops, bottoms = _mended(at, tops, bottoms, odd, counts)
    return sampled_from(at // counts[1], at % counts[1], np.maximum(tops, 0.0), bottoms, name, flow)


@njit(cache=True, error_model="numpy")
def _cross(
    units: Array,
    triangles: Triangles,
    crossings: NDArray[np.int64],
    starts: NDArray[np.int64],
    depth: Array,
    sign: NDArray[np.int8],
) -> None:
    """Count where triangles cross lines, or write depth and direction (1 into rock, going down) where there is room."""
    nx, ny = crossings.shape
    writes = depth.shape[0] > 0
    for t in range(triangles.shape[0]):
        ax, ay, az = units[triangles[t, 0], 0], units[triangles[t, 0], 1], units[triangles[t, 0], 2]
        bx, by, bz = units[triangles[t, 1], 0], units[triangles[t, 1], 1], units[triangles[t, 1], 2]
        cx, cy, cz = units[triangles[t, 2], 0], units[triangles[t, 2], 1], units[triangles[t, 2], 2]
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if area == 0.0:
            continue
        for i in range(max(0, math.ceil(min(ax, bx, cx))), min(nx - 1, math.floor(max(ax, bx, cx))) + 1):
            for j in range(max(0, math.ceil(min(ay, by, cy))), min(ny - 1, math.floor(max(ay, by, cy))) + 1):
                a = ((bx - i) * (cy - j) - (cx - i) * (by - j)) / area
                b = ((cx - i) * (ay - j) - (ax - i) * (cy - j)) / area
                c = 1.0 - a - b
                if a < 0.0 or b < 0.0 or c < 0.0:
                    continue
                if writes:
                    at = starts[i * ny + j]
                    depth[at] = a * az + b * bz + c * cz
                    sign[at] = 1 if area > 0.0 else -1
                    starts[i * ny + j] = at + 1
                else:
                    crossings[i, j] += 1


@njit(cache=True, error_model="numpy")
def _paired(
    line: NDArray[np.int64], depth: Array, sign: NDArray[np.int8], lowest: float
) -> tuple[NDArray[np.int64], Array, Array, NDArray[np.int64]]:
    """Stretches of rock (line, top, bottom) from crossings sorted by line and depth, and the lines where rock ends that
    did not begin.
    """
    most = line.shape[0]
    at, tops, bottoms = np.empty(most, np.int64), np.empty(most), np.empty(most)
    odd, many, odds, k = np.empty(most, np.int64), 0, 0, 0
    while k < most:
        end = k
        while end < most and line[end] == line[k]:
            end += 1
        inside, top = 0, 0.0
        for c in range(k, end):
            before = inside
            inside += sign[c]
            if inside < 0:
                inside = 0
                if odds == 0 or odd[odds - 1] != line[k]:
                    odd[odds] = line[k]
                    odds += 1
            elif before == 0 and inside == 1:
                top = depth[c]
            elif before == 1 and inside == 0:
                at[many], tops[many], bottoms[many] = line[k], top, depth[c]
                many += 1
        if inside > 0:
            at[many], tops[many], bottoms[many] = line[k], top, lowest
            many += 1
        k = end
    return at[:many], tops[:many], bottoms[:many], odd[:odds]


def _mended(
    at: NDArray[np.int64], tops: Array, bottoms: Array, odd: NDArray[np.int64], counts: tuple[int, int]
) -> tuple[NDArray[np.int64], Array, Array]:
    """Fill lines under holes in the top from those beside them, from the edge of a hole inwards."""
    if not len(odd):
        return at, tops, bottoms
    size = counts[0] * counts[1]
    top, bottom = np.full(size, np.nan), np.full(size, np.nan)
    good = ~np.isin(at, odd)
    np.fmin.at(top, at[good], tops[good])
    np.fmax.at(bottom, at[good], bottoms[good])
    top, bottom = top.reshape(counts), bottom.reshape(counts)
    left = odd
    while len(left):
        i, j = left // counts[1], left % counts[1]
        near = [
            (np.clip(i + a, 0, counts[0] - 1), np.clip(j + b, 0, counts[1] - 1))
            for a in (-1, 0, 1)
            for b in (-1, 0, 1)
            if a or b
        ]
        around = np.array([top[there] for there in near]), np.array([bottom[there] for there in near])
        known = np.isfinite(around[0]).sum(axis=0) >= 3
        if not known.any():
            break
        filled = [np.nanmedian(values[:, known], axis=0) for values in around]
        top[i[known], j[known]], bottom[i[known], j[known]] = filled
        left = left[~known]
    done = odd[np.isfinite(top.ravel()[odd])]
    kept = ~np.isin(at, odd)
    return (
        np.concatenate([at[kept], done]),
        np.concatenate([tops[kept], top.ravel()[done]]),
        np.concatenate([bottoms[kept], bottom.ravel()[done]]),
    )

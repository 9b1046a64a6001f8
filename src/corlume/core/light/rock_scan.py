"""Scans of rock made ready: loose crumbs and holes, which way is up, units, and the fit of a whole tank by its
corners.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from corlume.core.errors import InvalidInput, Rules

Array = NDArray[np.float64]
Triangles = NDArray[np.int64]
Up = Literal["+z", "-z", "+y", "-y", "+x", "-x"]
UPS: dict[Up, str] = {
    "+z": "z", "+y": "y", "+x": "x", "-z": "z, upside down", "-y": "y, upside down", "-x": "x, upside down",
}  # fmt: skip
Unit = Literal["mm", "cm", "in", "m"]
UNITS: dict[Unit, float] = {"mm": 0.001, "cm": 0.01, "in": 0.0254, "m": 1.0}
"""Units of scans [m]."""
LIKELY: tuple[Unit, ...] = ("m", "mm", "cm", "in")
PEBBLE = 0.1
"""A scan is likely no smaller than this share of the tank [-]; ours."""
SMALLEST, LARGEST = 0.03, 5.0
"""A scan is at least and at most so large [m]."""
THINNEST = 0.005
"""A scan is at least so thick along each axis [m]."""
CRUMB = 0.01
"""Loose parts with less than this share of the surface are crumbs of the scan [-]; ours."""
MOST_EDGE = 400
"""Holes with a longer edge than this many sides are left to the lines that fall through them."""
FLOOR_NOISE = 0.005
"""The floor lies where all but this share of the corners are above it [-]; ours."""
FLOOR_SKIN = 0.015
"""What of a whole tank lies no higher over its bottom is the bottom itself, or thin sand [m]; ours."""


@dataclass(frozen=True, slots=True)
class Scan:
    """A scan made ready, in its own units: corners (n, 3), triangles (m, 3) that face outwards, and what was done to
    it.
    """

    corners: Array
    triangles: Triangles
    crumbs: int = 0
    closed: int = 0
    open_edges: int = 0
    open_to: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """The way in which its surface was open before that, as the sum of its area vectors over its area [-]."""


def made_ready(corners: Array, triangles: Triangles) -> Scan:
    """Take crumbs off a scan, face it outwards and close its smaller holes; ``InvalidInput`` where nothing is left."""
    rules = Rules()
    rules.that(bool(len(triangles)), "file", "has no surface in it: no triangles")
    rules.finish()
    rules.that(bool(np.isfinite(corners).all()), "file", "has coordinates that are no numbers")
    rules.finish()
    triangles, crumbs = _without_crumbs(corners, triangles)
    used, where = np.unique(triangles, return_inverse=True)
    corners, triangles = corners[used], where.reshape(-1, 3).astype(np.int64)
    areas = _areas(corners, triangles)
    open_to = areas.sum(axis=0) / np.linalg.norm(areas, axis=1).sum()
    corners, triangles, closed, left = _closed(corners, triangles)
    if _volume(corners, triangles) < 0:
        triangles, open_to = triangles[:, ::-1], -open_to
    x, y, z = (-open_to).tolist()
    return Scan(corners, np.ascontiguousarray(triangles), crumbs, closed, left, (x, y, z))


def _volume(corners: Array, triangles: Triangles) -> float:
    a, b, c = (corners[triangles[:, k]] - corners.mean(axis=0) for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


def _areas(corners: Array, triangles: Triangles) -> Array:
    """Area vectors (m, 3) of triangles."""
    a, b, c = (corners[triangles[:, k]] for k in range(3))
    found: Array = 0.5 * np.cross(b - a, c - a)
    return found


def _without_crumbs(corners: Array, triangles: Triangles) -> tuple[Triangles, int]:
    """Triangles of the parts that are no crumbs, and how many crumbs there were."""
    area = np.linalg.norm(_areas(corners, triangles), axis=1)
    triangles, area = triangles[area > 0], area[area > 0]
    rows = np.concatenate([triangles[:, 0], triangles[:, 1]])
    columns = np.concatenate([triangles[:, 1], triangles[:, 2]])
    links = coo_array((np.ones(len(rows), dtype=np.int8), (rows, columns)), shape=(len(corners), len(corners)))
    _, part = connected_components(links, directed=False)
    sizes = np.bincount(part[triangles[:, 0]], weights=area)
    large = sizes >= CRUMB * area.sum()
    kept: Triangles = triangles[large[part[triangles[:, 0]]]]
    return kept, int((sizes > 0).sum() - large.sum())


def _closed(corners: Array, triangles: Triangles) -> tuple[Array, Triangles, int, int]:
    """The surface with its holes closed by fans, how many were closed, and how many edges are still open."""
    sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    low, high = sides.min(axis=1), sides.max(axis=1)
    order = np.lexsort((high, low))
    key = low[order] * len(corners) + high[order]
    alone = np.ones(len(key), dtype=bool)
    same = key[1:] == key[:-1]
    alone[1:] &= ~same
    alone[:-1] &= ~same
    onward = {b: a for a, b in sides[order[alone]].tolist()}
    points, faces, closed, left = [corners], [triangles], 0, len(onward)
    number = len(corners)
    while onward:
        start, at = next(iter(onward.items()))
        del onward[start]
        ring = [start, at]
        while at in onward and at != start:
            at = onward.pop(at)
            ring.append(at)
        if ring[-1] != start or len(ring) > MOST_EDGE:
            continue
        points.append(corners[ring[:-1]].mean(axis=0, keepdims=True))
        faces.append(np.array([(a, b, number) for a, b in pairwise(ring)], dtype=np.int64))
        number, closed, left = number + 1, closed + 1, left - len(ring) + 1
    return np.concatenate(points), np.concatenate(faces), closed, left


def likely_up(scan: Scan, usual: Up = "+z") -> Up:
    """Direction in which a scan stands: away from where its surface is open or flat; ``usual`` where nothing tells."""
    areas = _areas(scan.corners, scan.triangles)
    whole = np.linalg.norm(areas, axis=1)
    scores = dict.fromkeys(UPS, 0.0)
    low, high = scan.corners.min(axis=0), scan.corners.max(axis=0)
    middles = scan.corners[scan.triangles].mean(axis=1)
    for up in UPS:
        axis, sign = "xyz".index(up[1]), 1.0 if up[0] == "+" else -1.0
        flat = -sign * areas[:, axis] > 0.95 * whole
        height = (middles[:, axis] - low[axis]) / max(high[axis] - low[axis], 1e-12)
        at_foot = height < 0.12 if sign > 0 else height > 0.88
        scores[up] = -sign * scan.open_to[axis] + float(whole[flat & at_foot].sum() / whole.sum())
    best = max(UPS, key=lambda up: scores[up])
    return best if scores[best] > scores[usual] + 0.03 else usual


_TURNS: dict[Up, tuple[tuple[int, int, int], ...]] = {
    "+z": ((1, 0, 0), (0, 1, 0), (0, 0, 1)),
    "-z": ((1, 0, 0), (0, -1, 0), (0, 0, -1)),
    "+y": ((1, 0, 0), (0, 0, -1), (0, 1, 0)),
    "-y": ((1, 0, 0), (0, 0, 1), (0, -1, 0)),
    "+x": ((0, 0, -1), (0, 1, 0), (1, 0, 0)),
    "-x": ((0, 0, 1), (0, 1, 0), (-1, 0, 0)),
}


def turned_up(corners: Array, up: Up) -> Array:
    """Corners (n, 3) with the direction ``up`` along z, and their floor at 0: all but the noise lies above it."""
    turned = corners @ np.array(_TURNS[up], dtype=np.float64).T
    floor = float(np.quantile(turned[:, 2], FLOOR_NOISE))
    found: Array = np.column_stack((turned[:, :2], np.maximum(turned[:, 2] - floor, 0.0)))
    return found


def likely_unit(size: Array, tank: tuple[float, float, float], usual: Unit | None = None) -> Unit:
    """Unit in which a scan of a size (3,) fits a tank of inside measures [m], the likelier ones first: neither a pebble
    in it nor larger than the tank.
    """
    most = float(size.max())
    for unit in ((usual,) if usual else ()) + LIKELY:
        metres = UNITS[unit]
        if PEBBLE * max(tank) <= metres * most <= 1.1 * max(tank) and metres * float(size[2]) <= 1.6 * tank[2]:
            return unit
    return usual or "m"


def check_size(size: Array) -> None:
    """Raise ``InvalidInput`` by the field "unit" for a scan that is too small, too large or flat [m]."""
    rules, most, least = Rules(), float(size.max()), float(size.min())
    rules.that(most <= LARGEST, "unit", "makes it {value} across; at most {high}", "length", most, high=LARGEST)
    rules.that(most >= SMALLEST, "unit", "makes it {value} across; at least {low}", "length", most, low=SMALLEST)
    words = "has no thickness: it is {value} thin"
    rules.that(least >= THINNEST, "file", words, "length", least)
    rules.finish()


def fitted_to_bottom(corners: Array, bottom: Array, length: float, width: float) -> Array:
    """Corners (n, 3) of the scan of a whole tank moved, turned and scaled so that the four corners of its bottom (4,
    2), from the front left one clockwise as seen from above, lie on those of the tank [m].

    Returns x, y from the inside of the tank and z over its bottom, without its skin. Least squares (Umeyama 1991, from
    memory); ``InvalidInput`` by the field "bottom" for corners that do not make such a rectangle to a tenth.
    """
    there = np.array([[0.0, 0.0], [0.0, width], [length, width], [length, 0.0]])
    a, b = bottom - bottom.mean(axis=0), there - there.mean(axis=0)
    spread = float((a**2).sum())
    rules = Rules()
    rules.that(spread > 0, "bottom", "must be four different places")
    rules.finish()
    cosine, sine = float((a * b).sum()) / spread, float((a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum()) / spread
    turn = np.array([[cosine, -sine], [sine, cosine]])
    off = float(np.abs(a @ turn.T - b).max())
    words = "do not fit the tank: they are {value} off; tap front left, back left, back right, front right"
    rules.that(off <= 0.1 * min(length, width), "bottom", words, "length", off)
    rules.finish()
    flat = (corners[:, :2] - bottom.mean(axis=0)) @ turn.T + there.mean(axis=0)
    found: Array = np.column_stack((flat, np.hypot(cosine, sine) * corners[:, 2]))
    return found


def without_skin(corners: Array, triangles: Triangles) -> Triangles:
    """Triangles of a whole tank's scan that rise over its bottom; ``InvalidInput`` when none does [m]."""
    kept: Triangles = triangles[(corners[triangles, 2] > FLOOR_SKIN).any(axis=1)]
    if not len(kept):
        rules = Rules()
        rules.that(False, "bottom", "leave no rock over the bottom")
        raise InvalidInput(rules.errors)
    return kept

"""Outlines of rock for drawings: its plan with contours of depth, its cut, and what lies behind and before the cut."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from contourpy import LineType, contour_generator
from numpy.typing import NDArray

from corlume.core.light.geometry import Tank
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.light.rock_views import section, top_depths
from corlume.core.light.rockwork import rockwork

Array = NDArray[np.float64]
Elevation = Literal["front", "side"]
CONTOUR = 0.05
"""Contours of depth are so far apart [m]."""
SMOOTH = 0.0008
"""Corners of an outline that lie so near to the line between their neighbours are left out [m]."""


@dataclass(frozen=True)
class RockPlan:
    """Rock from above, in rings (n, 2) of x and y [m]: what stands over the plane of the plan, from the whole of it to
    its highest parts, one set of rings for each contour of depth; and what lies below the plane.
    """

    over: tuple[tuple[Array, ...], ...]
    below: tuple[Array, ...]
    below_lines: tuple[Array, ...]


@dataclass(frozen=True)
class RockCut:
    """Rock in an elevation, in rings (n, 2) of x or y and depth [m]: cut, behind the cut, and before it."""

    cut: tuple[Array, ...]
    behind: tuple[Array, ...]
    before: tuple[Array, ...]


@lru_cache(maxsize=64)
def rock_plan(tank: Tank, depth: float) -> RockPlan:
    """Outlines of a tank's rock around a plane at a depth [m]."""
    rock = tank.rockwork
    covered, tops = top_depths(rock)
    axes = _nodes(rock.wide, tops.shape[0]), _nodes(rock.deep, tops.shape[1])
    deep = np.where(np.isfinite(tops), tops, tank.water_depth)
    stands = np.where(deep < depth - 1e-9, covered, 0.0)
    over = [rings_above(axes, stands, 0.5, 0.0)]
    least = float(deep.min(initial=depth))
    level = np.floor((depth - 1e-6) / CONTOUR) * CONTOUR
    while level > least:
        over.append(rings_above(axes, np.where(covered > 0.5, level - deep, -CONTOUR), 0.0, -CONTOUR))
        level -= CONTOUR
    under = np.where(deep < depth - 1e-9, 0.0, covered)
    lines, step = list[Array](), np.ceil((depth + 1e-6) / CONTOUR) * CONTOUR
    while step < tank.sand_depth:
        lines += rings_above(axes, np.where((covered > 0.5) & (deep >= depth), step - deep, -CONTOUR), 0.0, -CONTOUR)
        step += CONTOUR
    return RockPlan(tuple(over), rings_above(axes, under, 0.5, 0.0), tuple(lines))


@lru_cache(maxsize=64)
def rock_cut(tank: Tank, view: Elevation, at: float) -> RockCut:
    """Outlines of a tank's rock in an elevation that is cut at a place [m] from the front or from the left."""
    axis = 1 if view == "front" else 0
    rock = tank.rockwork
    size = (rock.wide, rock.deep)[axis]
    # the columns that the cut runs through; seen from the front, what is behind lies at the back
    first = min(int(at / size), rock.highest.shape[axis] - 1) * size
    end = (tank.length, tank.width)[axis]
    parts = ((first, first + 0.5 * size), (first + size, end), (0.0, first))
    found = []
    for low, high in parts:
        cells, step = section(rock, axis, low, high, tank.water_depth)
        axes = _nodes((rock.wide, rock.deep)[1 - axis], cells.shape[0]), _nodes(step, cells.shape[1])
        found.append(rings_above(axes, cells, 0.5, 0.0))
    return RockCut(*found)


def silhouette(
    rock: NaturalRock, length: float, width: float, depth: float, view: Literal["plan", "front", "side"]
) -> tuple[Array, ...]:
    """Rings (n, 2) around a piece as seen from above, the front or the left, at x and y, x and depth, or y and depth
    [m].
    """
    sampled = rock.sampled(length, width, depth)
    if sampled is None:
        return ()
    alone = rockwork([], length, width, [sampled])
    if view == "plan":
        covered, _ = top_depths(alone)
        return rings_above(
            (_nodes(alone.wide, covered.shape[0]), _nodes(alone.deep, covered.shape[1])), covered, 0.5, 0.0
        )
    axis, end, cell = (1, width, alone.wide) if view == "front" else (0, length, alone.deep)
    cells, step = section(alone, axis, 0.0, end, depth)
    return rings_above((_nodes(cell, cells.shape[0]), _nodes(step, cells.shape[1])), cells, 0.5, 0.0)


def _nodes(step: float, count: int) -> Array:
    """Middles of cells, with one more at each end [m]."""
    return step * (np.arange(-1.0, count + 1.0) + 0.5)


def rings_above(axes: tuple[Array, Array], values: Array, level: float, outside: float) -> tuple[Array, ...]:
    """Rings around where values (n, m) are above a level, with another value ``outside`` of them."""
    around = np.pad(values, 1, constant_values=outside)
    lines = contour_generator(*axes, around.T, line_type=LineType.Separate).lines(level)
    rings = (_fewer(np.asarray(line, dtype=np.float64)) for line in lines)
    return tuple(ring for ring in rings if len(ring) > 2)


def _fewer(ring: Array) -> Array:
    """A ring without the corners that lie on the line between their neighbours."""
    kept = ring
    for _ in range(3):
        if len(kept) < 6:
            break
        before, after = kept[:-2], kept[2:]
        along = after - before
        off = np.abs(along[:, 0] * (kept[1:-1, 1] - before[:, 1]) - along[:, 1] * (kept[1:-1, 0] - before[:, 0]))
        drop = off < SMOOTH * np.maximum(np.hypot(*along.T), 1e-9)
        drop[1::2] = False
        kept = np.concatenate([kept[:1], kept[1:-1][~drop], kept[-1:]])
    return kept

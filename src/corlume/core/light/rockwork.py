"""Rockwork as runs of rock in upright columns: the one form in which light, flow, spots and drawings meet rock.

The footprint of the tank is cut into columns of about 1 cm. Each column lists its runs, stretches of rock from a top to
a bottom, so that caves, arches and overhangs are kept. The top and the bottom of a run are planes, so that a slope has
no stairs, and a run may fill a part of its column alone, so that an upright edge lies where it is and not where the
grid is. Runs of one column may overlap where two pieces of rock do.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from corlume.core.light.sampled_rock import SampledRock, cut_lines, fitted_runs, lines_of_runs, thinned

Array = NDArray[np.float64]
Flow = Literal["", "low", "medium", "high"]
FLOWS: dict[Flow, str] = {"": "not noted", "low": "low", "medium": "medium", "high": "high"}
FINEST, COARSEST, CELLS_ALONG = 0.005, 0.02, 150
"""Columns are at least and at most so wide [m], and about so many along the tank; ours."""
BLOCK = 5
"""Columns of a block along each axis: a ray passes a block in one step where it is above all of its rock."""
TOP, TOP_X, TOP_Y, BOTTOM, BOTTOM_X, BOTTOM_Y, X0, X1, Y0, Y1, LEAST, MOST = range(12)
"""Values of a run: depth of its top in the middle of its column [m] and its slopes along x and y [-], the same of its
bottom, its extent [m], and the least and greatest depth of both planes in it [m].
"""


class Rockwork(NamedTuple):
    """All rock of a tank, as kernels read it.

    The runs of column (a, b) are ``runs[starts[k] : starts[k + 1]]`` (n, 12) with k = a * columns along y + b, the
    highest first; ``partial`` (n,) tells which of them fill a part of their column alone, and ``piece`` (n,) which
    piece of rock each is of. ``highest`` (nx, ny) is the least depth of rock in each column, ``blocks`` in each block
    of columns, ``peak`` of all [m]; ``wide`` and ``deep`` are a column's sizes along x and y [m].
    """

    runs: Array
    starts: NDArray[np.int64]
    partial: NDArray[np.bool_]
    piece: NDArray[np.int64]
    highest: Array
    blocks: Array
    wide: float
    deep: float
    peak: float


@dataclass(frozen=True, slots=True)
class Box:
    """An upright box of rock: x0..x1 by y0..y1, from ``top`` to ``bottom`` below the water line [m]."""

    x0: float
    x1: float
    y0: float
    y1: float
    top: float
    bottom: float
    name: str = ""
    flow: Flow = ""


def columns_of(length: float, width: float) -> tuple[int, int]:
    """How many columns a tank has along x and y: whole blocks of them."""
    cell = min(COARSEST, max(FINEST, max(length, width) / CELLS_ALONG))
    nx, ny = (BLOCK * max(1, round(size / cell / BLOCK)) for size in (length, width))
    return nx, ny


def rockwork(
    boxes: Sequence[Box],
    length: float,
    width: float,
    sampled: Sequence[SampledRock] = (),
    carved: SampledRock | None = None,
    *,
    coarse: bool = False,
) -> Rockwork:
    """Cut rock into runs.

    Parameters
    ----------
    boxes, sampled : pieces of rock; a run's ``piece`` counts through both, boxes first.
    length, width : inside of the tank [m].
    carved : what is taken out of all of them.
    coarse : for rays that pass the whole tank and carry little: columns as wide as a block.
    """
    (nx, ny), side = columns_of(length, width), BLOCK
    if coarse:
        nx, ny, side = nx // BLOCK, ny // BLOCK, 1
        sampled = [thinned(one, BLOCK) for one in sampled]
        carved = thinned(carved, BLOCK) if carved else None
    wide, deep = length / nx, width / ny
    rows = np.array([(b.x0, b.x1, b.y0, b.y1, b.top, b.bottom) for b in boxes], dtype=np.float64).reshape(-1, 6)
    many = _cut_boxes(rows, wide, deep, nx, ny, np.empty(0, np.int64), np.empty((0, 12)), np.empty(0, np.int64))
    column, runs, piece = np.empty(many, np.int64), np.empty((many, 12)), np.empty(many, np.int64)
    _cut_boxes(rows, wide, deep, nx, ny, column, runs, piece)
    parts = [(column, runs, piece)]
    for number, one in enumerate(sampled, len(rows)):
        found = fitted_runs(one, nx, ny, wide, deep)
        parts.append((*found, np.full(len(found[0]), number)))
    column, runs, piece = (np.concatenate(some) for some in zip(*parts, strict=True))
    if carved is not None and len(carved.tops):
        column, runs, piece = _carved(column, runs, piece, carved, nx, ny, wide, deep)
    order = np.lexsort((runs[:, LEAST], column))
    column, runs, piece = column[order], np.ascontiguousarray(runs[order]), piece[order]
    starts = np.searchsorted(column, np.arange(nx * ny + 1)).astype(np.int64)
    least = np.full(nx * ny, np.inf)
    least[column[::-1]] = runs[::-1, LEAST]
    highest = least.reshape(nx, ny)
    blocks = np.ascontiguousarray(highest.reshape(nx // side, side, ny // side, side).min(axis=(1, 3)))
    partial = ((runs[:, X1] - runs[:, X0]) < wide - 1e-9) | ((runs[:, Y1] - runs[:, Y0]) < deep - 1e-9)
    peak = float(runs[:, LEAST].min(initial=np.inf))
    return Rockwork(runs, starts, partial, piece, highest, blocks, wide, deep, peak)


def _carved(
    column: NDArray[np.int64],
    runs: Array,
    piece: NDArray[np.int64],
    carved: SampledRock,
    nx: int,
    ny: int,
    wide: float,
    deep: float,
) -> tuple[NDArray[np.int64], Array, NDArray[np.int64]]:
    """The runs less what is carved: those in columns that it touches are sampled, cut, and fitted again."""
    touched = np.zeros(nx * ny, dtype=bool)
    touched[(carved.lines[:, 0] // 2) * ny + carved.lines[:, 1] // 2] = True
    hit = touched[column]
    parts = [(column[~hit], runs[~hit], piece[~hit])]
    for number in np.unique(piece[hit]).tolist():
        mine = hit & (piece == number)
        left = cut_lines(lines_of_runs(column[mine], runs[mine], ny, wide, deep), carved)
        found = fitted_runs(left, nx, ny, wide, deep)
        parts.append((*found, np.full(len(found[0]), number)))
    columns, kept, pieces = (np.concatenate(some) for some in zip(*parts, strict=True))
    return columns, kept, pieces


@njit(cache=True, error_model="numpy")
def _cut_boxes(
    boxes: Array,
    wide: float,
    deep: float,
    nx: int,
    ny: int,
    column: NDArray[np.int64],
    runs: Array,
    piece: NDArray[np.int64],
) -> int:
    """Write the runs of boxes (m, 6) into arrays that are long enough, and return how many there are."""
    many = 0
    for k in range(boxes.shape[0]):
        x0, x1, y0, y1 = boxes[k, 0], boxes[k, 1], boxes[k, 2], boxes[k, 3]
        top, bottom = boxes[k, 4], boxes[k, 5]
        for a in range(max(0, int(x0 / wide + 1e-9)), min(nx, int(np.ceil(x1 / wide - 1e-9)))):
            for b in range(max(0, int(y0 / deep + 1e-9)), min(ny, int(np.ceil(y1 / deep - 1e-9)))):
                if many < column.shape[0]:
                    column[many], piece[many] = a * ny + b, k
                    low_x, high_x, low_y, high_y = a * wide, (a + 1) * wide, b * deep, (b + 1) * deep
                    for c in range(12):
                        runs[many, c] = 0.0
                    runs[many, 0], runs[many, 3], runs[many, 10], runs[many, 11] = top, bottom, top, bottom
                    runs[many, 6] = x0 if x0 > low_x + 1e-9 else low_x
                    runs[many, 7] = x1 if x1 < high_x - 1e-9 else high_x
                    runs[many, 8] = y0 if y0 > low_y + 1e-9 else low_y
                    runs[many, 9] = y1 if y1 < high_y - 1e-9 else high_y
                many += 1
    return many


@njit(cache=True, error_model="numpy")
def is_in_rock(rock: Rockwork, points: Array) -> NDArray[np.bool_]:
    """Return which of the points (n, 3) of x, y and depth lie inside rock; its surface does not [m]."""
    found = np.zeros(points.shape[0], dtype=np.bool_)
    nx, ny = rock.highest.shape
    for k in range(points.shape[0]):
        x, y, d = points[k, 0], points[k, 1], points[k, 2]
        if d <= rock.peak:
            continue
        # a place on the line between two columns is inside where both have rock, so that a face lies on its line
        a0, a1 = int(np.floor((x - 1e-9) / rock.wide)), int(np.floor((x + 1e-9) / rock.wide))
        b0, b1 = int(np.floor((y - 1e-9) / rock.deep)), int(np.floor((y + 1e-9) / rock.deep))
        inside = True
        for a in range(a0, a1 + 1):
            for b in range(b0, b1 + 1):
                inside = inside and 0 <= a < nx and 0 <= b < ny and _holds(rock, a, b, x, y, d)
        found[k] = inside
    return found


@njit(cache=True, error_model="numpy")
def _holds(rock: Rockwork, a: int, b: int, x: float, y: float, d: float) -> bool:
    """Whether a run of a column holds a place."""
    runs, k = rock.runs, a * rock.highest.shape[1] + b
    dx, dy = x - (a + 0.5) * rock.wide, y - (b + 0.5) * rock.deep
    for r in range(rock.starts[k], rock.starts[k + 1]):
        if runs[r, 10] >= d:
            break
        if rock.partial[r]:
            # only edges inside the column count: beyond the others the rock goes on in the next one
            if runs[r, 6] > a * rock.wide + 1e-9 and x < runs[r, 6] + 1e-9:
                continue
            if runs[r, 7] < (a + 1) * rock.wide - 1e-9 and x > runs[r, 7] - 1e-9:
                continue
            if runs[r, 8] > b * rock.deep + 1e-9 and y < runs[r, 8] + 1e-9:
                continue
            if runs[r, 9] < (b + 1) * rock.deep - 1e-9 and y > runs[r, 9] - 1e-9:
                continue
        top = runs[r, 0] + runs[r, 1] * dx + runs[r, 2] * dy
        if top + 1e-9 < d < runs[r, 3] + runs[r, 4] * dx + runs[r, 5] * dy - 1e-9:
            return True
    return False


@njit(cache=True, error_model="numpy")
def tops_of(rock: Rockwork, piece: int, xs: Array, ys: Array, levels: int) -> Array:
    """Depths of the highest tops (n, m, levels) of one piece over a grid of places along x (n,) and y (m,) [m]; NaN
    where it has none. With piece -1, of all rock.
    """
    nx, ny = rock.highest.shape
    found = np.full((xs.shape[0], ys.shape[0], levels), np.nan)
    for i in range(xs.shape[0]):
        a = min(nx - 1, max(0, int(xs[i] / rock.wide)))
        for j in range(ys.shape[0]):
            b = min(ny - 1, max(0, int(ys[j] / rock.deep)))
            level = 0
            for r in range(rock.starts[a * ny + b], rock.starts[a * ny + b + 1]):
                run = rock.runs[r]
                if (piece >= 0 and rock.piece[r] != piece) or level == levels:
                    continue
                if run[6] - 1e-9 <= xs[i] <= run[7] + 1e-9 and run[8] - 1e-9 <= ys[j] <= run[9] + 1e-9:
                    top = run[0] + run[1] * (xs[i] - (a + 0.5) * rock.wide) + run[2] * (ys[j] - (b + 0.5) * rock.deep)
                    found[i, j, level] = top
                    level += 1
    return found


@njit(cache=True, error_model="numpy")
def pieces_at(rock: Rockwork, points: Array) -> NDArray[np.int64]:
    """Number of the piece of rock that holds each place (n, 3); -1 where none does."""
    found = np.full(points.shape[0], -1)
    nx, ny = rock.highest.shape
    for k in range(points.shape[0]):
        x, y, d = points[k, 0], points[k, 1], points[k, 2]
        a, b = min(nx - 1, max(0, int(x / rock.wide))), min(ny - 1, max(0, int(y / rock.deep)))
        dx, dy = x - (a + 0.5) * rock.wide, y - (b + 0.5) * rock.deep
        for r in range(rock.starts[a * ny + b], rock.starts[a * ny + b + 1]):
            run = rock.runs[r]
            if (
                run[6] <= x <= run[7]
                and run[8] <= y <= run[9]
                and (run[0] + run[1] * dx + run[2] * dy <= d <= run[3] + run[4] * dx + run[5] * dy)
            ):
                found[k] = rock.piece[r]
                break
    return found


@njit(cache=True, error_model="numpy")
def way_to_rock(rock: Rockwork, points: Array, ways: Array, begins: float, most: float) -> Array:
    """Distance (n,) from places (n, 3) to rock along unit vectors (n, 3), x right, y back and z up, looked for in steps
    of a centimetre from ``begins`` on; infinite where there is none within ``most`` [m].
    """
    found = np.full(points.shape[0], np.inf)
    at = np.empty((1, 3))
    for k in range(points.shape[0]):
        far = begins
        while far <= most:
            at[0, 0] = points[k, 0] + far * ways[k, 0]
            at[0, 1] = points[k, 1] + far * ways[k, 1]
            at[0, 2] = points[k, 2] - far * ways[k, 2]
            if is_in_rock(rock, at)[0]:
                found[k] = far
                break
            far += 0.01
    return found

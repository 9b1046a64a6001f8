"""What of the rock is seen in a plan and in an elevation: depths of its tops, and how it fills a section."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from corlume.core.light.rockwork import Rockwork

Array = NDArray[np.float64]
FINER = 2
"""A section is cut into so many cells along depth for each column."""


def top_depths(rock: Rockwork, piece: int = -1) -> tuple[Array, Array]:
    """Share of each column (nx, ny) that rock covers, and the depth of its highest top there [m], infinite where there
    is none; of one piece, or of all with -1.
    """
    covered, depth = np.zeros_like(rock.highest), np.full_like(rock.highest, np.inf)
    _cover(rock, piece, covered, depth)
    return np.minimum(covered, 1.0), depth


@njit(cache=True, error_model="numpy")
def _cover(rock: Rockwork, piece: int, covered: Array, depth: Array) -> None:
    ny = covered.shape[1]
    for k in range(rock.starts.shape[0] - 1):
        for r in range(rock.starts[k], rock.starts[k + 1]):
            if piece < 0 or rock.piece[r] == piece:
                run = rock.runs[r]
                covered[k // ny, k % ny] += (run[7] - run[6]) * (run[9] - run[8]) / (rock.wide * rock.deep)
                depth[k // ny, k % ny] = min(depth[k // ny, k % ny], run[0])


def section(rock: Rockwork, axis: int, low: float, high: float, depth: float, piece: int = -1) -> tuple[Array, float]:
    """How full of rock each cell (n, m) along the other axis and depth is, seen along x (0) or y (1), of what lies
    between two places on it [m]; and the cells' size along depth [m].

    ``depth`` is that of the water [m].
    """
    size, step = (rock.wide, rock.deep)[axis], (rock.wide, rock.deep)[1 - axis] / FINER
    first, last = round(low / size), min(rock.highest.shape[axis], int(np.ceil(high / size - 1e-9))) - 1
    cells = np.zeros((rock.highest.shape[1 - axis], int(np.ceil(depth / step))))
    _see(rock, axis, first, last, step, piece, cells)
    return np.minimum(cells, 1.0), step


@njit(cache=True, error_model="numpy")
def _see(rock: Rockwork, axis: int, first: int, last: int, step: float, piece: int, cells: Array) -> None:
    ny, one = rock.highest.shape[1], np.zeros(cells.shape[1])
    for k in range(rock.starts.shape[0] - 1):
        a, b = k // ny, k % ny
        along, at = (a, b) if axis == 0 else (b, a)
        if along < first or along > last or rock.starts[k] == rock.starts[k + 1]:
            continue
        # what of this column is rock, its parts taken together; then the fullest of all that lie behind each other
        one[:] = 0.0
        for r in range(rock.starts[k], rock.starts[k + 1]):
            if piece >= 0 and rock.piece[r] != piece:
                continue
            run = rock.runs[r]
            share = (run[7] - run[6]) * (run[9] - run[8]) / (rock.wide * rock.deep)
            for level in range(max(0, int(run[0] / step)), min(cells.shape[1], int(run[3] / step) + 1)):
                one[level] += share * (min(run[3], (level + 1) * step) - max(run[0], level * step)) / step
        for level in range(cells.shape[1]):
            cells[at, level] = max(cells[at, level], one[level])

"""Shadows of rock: whether any of a number of boxes stands in the way of a ray.

The footprint of the tank is cut into columns, and each knows the boxes that reach into it, the highest first. A ray
is followed upwards from the point that it lights, column by column, until it is above all rock, so that what it
costs goes by the columns that it passes and not by how much rock there is. The columns fold at the panes as the
tank does when it is mirrored, so that one table serves every image of it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from corlume.core.light.geometry import Box

Array = NDArray[np.float64]
FAST = {"contract", "arcp", "nsz", "reassoc"}
MOST_COLUMNS = 20
SLACK = 1e-9
"""A box belongs to a column when it comes this near to it [m]: no ray is lost between two columns by rounding."""


class Rockwork(NamedTuple):
    """All rock of a tank in columns, as the kernel reads it.

    ``boxes`` (n, 6) holds x0, x1, y0, y1, top and bottom depth [m]; the boxes of column (a, b) are
    ``members[starts[k] : starts[k + 1]]`` with k = a * columns along y + b, the highest first; ``highest`` (nx, ny)
    is the least depth of any top in the column and ``peak`` that of all rock [m].
    """

    boxes: Array
    starts: NDArray[np.int64]
    members: NDArray[np.int64]
    highest: Array
    peak: float


def rockwork(boxes: Sequence[Box], length: float, width: float) -> Rockwork:
    """Sort the boxes of a tank ``length`` by ``width`` [m] into columns, finer for more boxes."""
    rows = np.array([(b.x0, b.x1, b.y0, b.y1, b.top, b.bottom) for b in boxes]).reshape(-1, 6)
    fine = min(MOST_COLUMNS, 4 + math.ceil(math.sqrt(len(rows))))
    pitch = max(length, width) / fine
    nx, ny = max(1, round(length / pitch)), max(1, round(width / pitch))
    columns: list[list[int]] = [[] for _ in range(nx * ny)]
    for k in np.argsort(rows[:, 4], kind="stable").tolist():
        for a in _span(rows[k, 0], rows[k, 1], length, nx):
            for b in _span(rows[k, 2], rows[k, 3], width, ny):
                columns[a * ny + b].append(k)
    highest = np.array([rows[column[0], 4] if column else np.inf for column in columns]).reshape(nx, ny)
    starts = np.cumsum([0, *map(len, columns)]).astype(np.int64)
    members = np.array([k for column in columns for k in column], dtype=np.int64)
    return Rockwork(rows, starts, members, highest, float(rows[:, 4].min(initial=np.inf)))


def _span(low: float, high: float, size: float, count: int) -> range:
    """Columns that a box from ``low`` to ``high`` reaches into, along one axis."""
    first, last = ((v + s) / size * count for v, s in ((low, -SLACK), (high, SLACK)))
    return range(max(0, math.floor(first)), min(count - 1, math.floor(last)) + 1)


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def mirror(v: float, cell: int, size: float) -> float:
    """Place a coordinate of the real tank into image cell ``cell``; its own inverse up to the shift."""
    return cell * size + (v if cell % 2 == 0 else size - v)


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _meets(
    boxes: Array, k: int, a: int, b: int, d: float, px: float, py: float, qx: float, qy: float,
    length: float, width: float,
) -> bool:  # fmt: skip
    """Whether box k, in the image cell (a, b), takes a part of the ray from q at the surface to p at depth d."""
    x0, x1 = mirror(boxes[k, 0], a, length), mirror(boxes[k, 1], a, length)
    y0, y1 = mirror(boxes[k, 2], b, width), mirror(boxes[k, 3], b, width)
    enter, leave = _clipped(max(0.0, boxes[k, 4] / d), min(1.0, boxes[k, 5] / d), qx, px - qx, min(x0, x1), max(x0, x1))
    if leave - enter <= 1e-9:
        return False
    enter, leave = _clipped(enter, leave, qy, py - qy, min(y0, y1), max(y0, y1))
    return leave - enter > 1e-9


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _clipped(enter: float, leave: float, start: float, delta: float, low: float, high: float) -> tuple[float, float]:
    """The stretch enter..leave of a ray, cut to where start + u delta lies between low and high."""
    if abs(delta) < 1e-12:
        return (enter, leave) if low < start < high else (0.0, -1.0)
    u0, u1 = (low - start) / delta, (high - start) / delta
    return max(enter, min(u0, u1)), min(leave, max(u0, u1))


@njit(cache=True, error_model="numpy", fastmath=FAST)
def blocked(
    px: float, py: float, d: float, qx: float, qy: float, i: int, j: int, length: float, width: float, rock: Rockwork
) -> bool:
    """Whether rock stands between the entry point q at the surface and the point p at depth d [m].

    The ray ends in the image cell (i, j); rock in the cells between it and the real tank counts, mirrored.
    """
    if rock.peak >= d:
        return False
    boxes, starts, members, highest = rock.boxes, rock.starts, rock.members, rock.highest
    nx, ny = highest.shape
    wide, deep = length / nx, width / ny
    dx, dy = qx - px, qy - py
    right, back = dx > 0.0, dy > 0.0
    pass_x = wide / abs(dx) if dx != 0.0 else 1e18
    pass_y = deep / abs(dy) if dy != 0.0 else 1e18
    ix, iy = math.floor(px / wide), math.floor(py / deep)
    next_x = ((ix + right) * wide - px) / dx if dx != 0.0 else 1e18
    next_y = ((iy + back) * deep - py) / dy if dy != 0.0 else 1e18
    # the image of the tank that the ray is in, the column of the real tank there, and which way it goes in it
    a, b = ix // nx, iy // ny
    x, step_x = _folded(ix - a * nx, nx, a, right)
    y, step_y = _folded(iy - b * ny, ny, b, back)
    low_i, high_i, low_j, high_j = min(0, i), max(0, i), min(0, j), max(0, j)
    end = min(1.0, 1.0 - rock.peak / d)  # from here on the ray is above all rock
    u = 0.0
    while u < end:
        until = min(next_x, next_y)
        below = d * (1.0 - u) + SLACK
        if highest[x, y] < below and low_i <= a <= high_i and low_j <= b <= high_j:
            above = d * (1.0 - min(1.0, until)) - SLACK
            column = x * ny + y
            for m in range(starts[column], starts[column + 1]):
                k = members[m]
                if boxes[k, 4] >= below:
                    break
                if boxes[k, 5] > above and _meets(boxes, k, a, b, d, px, py, qx, qy, length, width):
                    return True
        u = until
        if next_x < next_y:
            next_x += pass_x
            x += step_x
            if x < 0 or x >= nx:  # through a pane: the mirrored tank begins with the same column
                x -= step_x
                step_x = -step_x
                a += 1 if right else -1
        else:
            next_y += pass_y
            y += step_y
            if y < 0 or y >= ny:
                y -= step_y
                step_y = -step_y
                b += 1 if back else -1
    return False


@njit(cache=True, inline="always", error_model="numpy")
def _folded(at: int, count: int, cell: int, onward: bool) -> tuple[int, int]:
    """Column of the real tank in an image cell, and the step to the next column along a ray."""
    step = 1 if onward else -1
    return (at, step) if cell % 2 == 0 else (count - 1 - at, -step)

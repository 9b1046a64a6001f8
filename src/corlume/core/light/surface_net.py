"""The surface on which a field of values crosses a level, as triangles: a net with one corner in each cell it passes.

Surface nets (Gibson 1998, from memory): each corner lies in the mean of where the level crosses the edges of its cell,
and each edge that crosses it gives a face between the four cells around it.
"""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
S = TypeVar("S", np.float64, np.bool_)


def surface_net(values: Array, level: float) -> tuple[Array, NDArray[np.int64]]:
    """Corners (n, 3) in units of nodes and triangles (m, 3), which face to lower values; the surface is closed where it
    does not meet the edge of the field.
    """
    above = values > level
    total, count = np.zeros((3, *(n - 1 for n in values.shape))), np.zeros([n - 1 for n in values.shape])
    for axis in range(3):
        low, high = _ends(values, axis)
        crossed = _ends(above, axis)[0] != _ends(above, axis)[1]
        with np.errstate(divide="ignore", invalid="ignore"):
            share = np.where(crossed, (level - low) / (high - low), 0.0)
        others = [a for a in range(3) if a != axis]
        for side in range(4):
            offset = [0, 0, 0]
            offset[others[0]], offset[others[1]] = side >> 1, side & 1
            part = tuple(
                slice(None) if a == axis else slice(offset[a], offset[a] + values.shape[a] - 1) for a in range(3)
            )
            count += crossed[part]
            total[axis] += share[part]
            for a in others:
                total[a] += crossed[part] * offset[a]
    used = count > 0
    number = np.full(used.shape, -1, dtype=np.int64)
    number[used] = np.arange(int(used.sum()))
    corners: Array = np.stack([total[a][used] / count[used] for a in range(3)], axis=1) + np.argwhere(used)
    return corners, _faces(above, number)


def _ends(values: NDArray[S], axis: int) -> tuple[NDArray[S], NDArray[S]]:
    """Values at the near and the far end of each edge along an axis."""
    low, high = [slice(None)] * 3, [slice(None)] * 3
    low[axis], high[axis] = slice(None, -1), slice(1, None)
    return values[tuple(low)], values[tuple(high)]


def _faces(above: NDArray[np.bool_], number: NDArray[np.int64]) -> NDArray[np.int64]:
    found = [np.empty((0, 3), dtype=np.int64)]
    for axis in range(3):
        one, two = (axis + 1) % 3, (axis + 2) % 3
        low, high = _ends(above, axis)
        inner = [slice(None)] * 3
        inner[one], inner[two] = slice(1, -1), slice(1, -1)
        crossed = np.argwhere((low != high)[tuple(inner)])
        if not len(crossed):
            continue
        at = crossed.copy()
        at[:, [one, two]] += 1
        leaves = low[tuple(at.T)]
        around = []
        for a, b in ((-1, -1), (0, -1), (0, 0), (-1, 0)):
            cell = at.copy()
            cell[:, one] += a
            cell[:, two] += b
            around.append(number[tuple(cell.T)])
        quads = np.stack(around, axis=1)
        quads[~leaves] = quads[~leaves][:, ::-1]
        found += [quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]
    return np.concatenate(found)

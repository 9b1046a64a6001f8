"""Rock in the flow: whether it shelters a place from an outlet, and whether a place lies in it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit
from numpy.typing import NDArray

from corlume.core.light.geometry import Box

Array = NDArray[np.float64]


def as_rows(boxes: Sequence[Box]) -> Array:
    """Boxes as rows (m, 6): from and to along x, along y and along depth [m]."""
    return np.array([(b.x0, b.x1, b.y0, b.y1, b.top, b.bottom) for b in boxes], dtype=np.float64).reshape(-1, 6)


@njit(cache=True, error_model="numpy")
def is_sheltered(rows: Array, start: Array, ends: Array) -> NDArray[np.bool_]:
    """Return whether rock (m, 6) stands between a point (3,) and others (n, 3)."""
    found = np.zeros(ends.shape[0], dtype=np.bool_)
    for k in range(ends.shape[0]):
        for b in range(rows.shape[0]):
            near, far = 0.0, 1.0 - 1e-3
            for axis in range(3):
                step = ends[k, axis] - start[axis]
                low, high = rows[b, 2 * axis] - start[axis], rows[b, 2 * axis + 1] - start[axis]
                if abs(step) < 1e-12:
                    if low >= 0.0 or high <= 0.0:
                        far = -1.0
                    continue
                first, last = low / step, high / step
                if first > last:
                    first, last = last, first
                near, far = max(near, first), min(far, last)
            if far - near > 1e-6:
                found[k] = True
                break
    return found


@njit(cache=True, error_model="numpy")
def in_rock(rows: Array, points: Array) -> NDArray[np.bool_]:
    """Return whether points (n, 3) lie in rock (m, 6)."""
    found = np.zeros(points.shape[0], dtype=np.bool_)
    for k in range(points.shape[0]):
        for b in range(rows.shape[0]):
            inside = True
            for axis in range(3):
                at = points[k, axis]
                inside = inside and rows[b, 2 * axis] < at < rows[b, 2 * axis + 1]
            if inside:
                found[k] = True
                break
    return found

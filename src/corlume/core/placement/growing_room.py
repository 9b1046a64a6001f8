"""How many corals a set of spots has growing room for."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def count_room(points: Array, apart: float) -> int:
    """Count how many of the spots (n, 3) can be taken at once at a given distance [m], always taking next the one with
    the fewest others in its way.
    """
    if not len(points):
        return 0
    steps = points[:, None, :] - points[None, :, :]
    near = np.sqrt((steps * steps).sum(axis=-1)) < apart - 1e-9
    free, count = np.ones(len(points), dtype=bool), 0
    while free.any():
        crowd = np.where(free, (near & free).sum(axis=1), len(points) + 1)
        free &= ~near[int(crowd.argmin())]
        count += 1
    return count

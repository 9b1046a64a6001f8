"""Flow behind grown corals: the wake of a body in a stream, by its diameter and its distance upstream.

Jensen's wake of a porous body, which widens evenly downstream: N. O. Jensen, A note on wind generator interaction,
Risoe-M-2411, 1983; several wakes by the square root of the sum of squares: I. Katic and others, A simple model for
cluster efficiency, EWEC 1986. That it holds for corals in a tank is our assumption, and its numbers are estimates.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
WIDENS = 0.1
"""How much a wake's radius widens over its length, in the unsteady flow of a tank [-]; our estimate."""


def wake_left(
    points: Array,
    ways: Array,
    feet: Array,
    across: Array,
    heights: Array,
    blocks: Array,
    own: NDArray[np.int64] | None = None,
) -> Array:
    """Share (n,) of the speed that bodies upstream leave at points [-].

    Parameters
    ----------
    points : (n, 3) x, y and depth [m]; ``ways`` (n, 3) direction of flow there, any length, 0 where none is known.
    feet : (m, 3) of bodies [m]; ``across`` and ``heights`` (m,) their sizes [m].
    blocks : (m,) share of the speed that each takes close behind it [-].
    own : (n,) index of the body that stands at each point and does not shelter it; None where there is none.
    """
    length = np.linalg.norm(ways, axis=1)
    unit = ways / np.maximum(length, 1e-12)[:, None]
    middle = feet - np.array([0.0, 0.0, 1.0]) * 0.5 * heights[:, None]
    step = points[:, None, :] - middle[None, :, :]
    along = np.einsum("nmk,nk->nm", step, unit)
    aside = step - along[:, :, None] * unit[:, None, :]
    radius = 0.5 * across[None, :] + WIDENS * np.maximum(along, 0.0)
    level = np.hypot(aside[:, :, 0], aside[:, :, 1])
    tall = 0.5 * heights[None, :] + WIDENS * np.maximum(along, 0.0)
    inside = (along > 0.0) & (level < radius) & (np.abs(aside[:, :, 2]) < tall) & (length > 1e-9)[:, None]
    if own is not None:
        inside[np.arange(len(points)), own] = False
    loss = np.where(inside, blocks[None, :] * (0.5 * across[None, :] / np.maximum(radius, 1e-9)) ** 2, 0.0)
    left: Array = 1.0 - np.minimum(1.0, np.sqrt((loss**2).sum(axis=1)))
    return left

"""Ring means: mean PAR of the centre, the middle ring and the outer ring of a tank, depth by depth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.judging.figures import finite_mean

Array = NDArray[np.float64]
NAMES = ("centre", "middle ring", "outer ring")


@dataclass(frozen=True, slots=True)
class RingRow:
    """Means over the three rings at one depth [m], in the order of ``NAMES`` [umol/m2/s]; NaN where all is rock."""

    depth: float
    means: tuple[float, float, float]


def ring_row(plane: Array, depth: float) -> RingRow:
    """Mean of PAR (nx, ny) at one depth over each ring, in even steps; NaN where there is rock.

    Rings run in thirds of the way from the middle to the panes, after the shape of the tank. Where keepers let them run
    is not told; common practice, no source.
    """
    u, v = (np.abs(2 * (np.arange(n) + 0.5) / n - 1) for n in plane.shape)
    out = np.maximum(u[:, None], v[None, :])
    rings = [plane[(out > k / 3) & (out <= (k + 1) / 3)] for k in range(3)]
    centre, middle, outer = (finite_mean(ring) for ring in rings)
    return RingRow(depth, (centre, middle, outer))

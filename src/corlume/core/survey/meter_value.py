"""What a PAR meter brings: how sure the PAR is over two years with surveys in some months of them."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
WEAR_DOUBT = 0.5
"""Wear since a survey is known to this share of itself [-]; our estimate."""


def doubt_over(before: float, after: float, wear: Sequence[float], surveys: Sequence[int]) -> Array:
    """Relative uncertainty of PAR (months,) [-].

    Parameters
    ----------
    before, after : uncertainty without a survey, and right after one [-].
    wear : light that wear leaves in each month [-].
    surveys : months in which the tank is surveyed.
    """
    found, last, base = [], 0, before
    for month, left in enumerate(wear):
        if month in surveys:
            last, base = month, min(before, after)
        found.append(math.hypot(base, WEAR_DOUBT * abs(math.log(left / wear[last]))))
    return np.array(found)


def undecided(par: Array, low: Array, high: Array, doubt: float) -> int:
    """How many corals have an end of their target range within the uncertainty of their PAR [umol/m2/s, -]."""
    near = [(par * (1 - doubt) <= end) & (end <= par * (1 + doubt)) for end in (low, high)]
    return int((near[0] | near[1]).sum())

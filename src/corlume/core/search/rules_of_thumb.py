"""Counts and places by the trade's rules of thumb, where a search starts. Common practice, no source."""

from __future__ import annotations

import math

from corlume.core.judging.targets import Stocking
from corlume.core.units import INCH

PATCH = 24 * INCH
"""Side of the patch that one mid-size module serves [m]."""
FORGIVEN = 0.15
"""How much of a patch may stay over before another module is due [-]."""
WIDER = {2: (3.0 * INCH,), 3: (2.5 * INCH,), 4: (2.1 * INCH, 2.2 * INCH)}
"""How far pairs of modules go out from balanced, the outer pair first, by their count [m]; a middle one stays."""


def patches(length: float, width: float) -> tuple[int, int]:
    """Patches along and across a tank, by the rule of cover."""
    along, across = (max(1, math.ceil(side / PATCH - FORGIVEN)) for side in (length, width))
    return along, across


def count_for(stocking: Stocking, length: float, width: float) -> tuple[int, int]:
    """Minimum and maximum number of modules for a stocking: one a patch for LPS; half as many again to twice as many
    for SPS.
    """
    along, across = patches(length, width)
    cover = along * across
    match stocking:
        case "lps":
            return cover, cover
        case "sps":
            return math.ceil(1.5 * cover), 2 * cover
    return cover, 2 * cover


def balanced(count: int, length: float) -> tuple[float, ...]:
    """Equally spaced places along a tank, with the same room to the ends: two over 48 in come to 16 in [m]."""
    return tuple((k + 1) / (count + 1) * length for k in range(count))


def wider(count: int, length: float) -> tuple[float, ...]:
    """Places with modules further out: two over 48 in come to 13 in from the ends, four to 7.5 and 17 in [m]."""
    places = list(balanced(count, length))
    most = 0.5 * places[0]
    if count > 1:
        for k, by in enumerate(WIDER.get(count, (1.0 * INCH,))):
            out = min(by, most)
            places[k] -= out
            places[-1 - k] += out
    return tuple(places)

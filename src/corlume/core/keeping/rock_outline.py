"""Rock from an outline drawn by hand, cut into upright strips that become blocks."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules

Array = NDArray[np.float64]
Strip = tuple[float, float, float, float]
STRIP, MOST_STRIPS, LEAST_STRIPS = 0.04, 12, 4
"""How wide a strip is about [m], and how many there are at most and at least; ours."""
ALIKE = 0.015
"""Neighbouring strips whose ends differ by less are one block [m]; ours."""
LEAST = 0.03
"""An outline is at least so long and wide [m]."""
SAMPLES = 5


def strips_of(outline: Sequence[tuple[float, float]]) -> list[Strip]:
    """Cut a closed outline into upright strips.

    Parameters
    ----------
    outline : places (u, v) along it [m]; its end is joined to its beginning, and it may cross itself.

    Returns
    -------
    Boxes (u0, u1, v0, v1) that cover about what it encloses, from left to right [m]: several above each other where
    there is a gap. ``InvalidInput`` by the field "outline" for one that is too small.
    """
    points = np.array(outline, dtype=np.float64).reshape(-1, 2)
    rules = Rules()
    size = np.ptp(points, axis=0) if len(points) > 2 else np.zeros(2)
    words = "is too small: go around the rock, at least {low} across"
    rules.that(bool(size.min() >= LEAST), "outline", words, "length", low=LEAST)
    rules.finish()
    left, right = float(points[:, 0].min()), float(points[:, 0].max())
    count = int(np.clip(round((right - left) / STRIP), LEAST_STRIPS, MOST_STRIPS))
    edges = np.linspace(left, right, count + 1).tolist()
    found: list[Strip] = []
    for a, b in pairwise(edges):
        for low, high in _spans(points, a, b):
            _join(found, (a, b, low, high))
    return found


def _spans(points: Array, a: float, b: float) -> list[tuple[float, float]]:
    """Where an outline covers a strip: mean over the lines across that have the most usual number of spans."""
    lines = [_crossings(points, a + (k + 0.5) / SAMPLES * (b - a)) for k in range(SAMPLES)]
    counts = [len(line) for line in lines]
    usual = max(set(counts), key=counts.count)
    if usual < 2:
        return []
    mean = np.mean([line for line in lines if len(line) == usual], axis=0)
    pairs = mean.reshape(-1, 2).tolist()
    return [(low, high) for low, high in pairs if high - low > 0.5 * ALIKE]


def _crossings(points: Array, u: float) -> list[float]:
    """Where a closed outline crosses a line of one u, rising; an even number."""
    ends = np.roll(points, -1, axis=0)
    cuts = (points[:, 0] <= u) != (ends[:, 0] <= u)
    p, q = points[cuts], ends[cuts]
    share = (u - p[:, 0]) / (q[:, 0] - p[:, 0])
    return sorted((p[:, 1] + share * (q[:, 1] - p[:, 1])).tolist())


def _join(found: list[Strip], strip: Strip) -> None:
    """Add a strip, or widen the one to its left when both are alike."""
    a, b, low, high = strip
    for k, (u0, u1, v0, v1) in enumerate(found):
        if abs(u1 - a) < 1e-9 and abs(v0 - low) < ALIKE and abs(v1 - high) < ALIKE:
            share = (u1 - u0) / (b - u0)
            found[k] = (u0, b, share * v0 + (1 - share) * low, share * v1 + (1 - share) * high)
            return
    found.append(strip)

"""The figures by which keepers judge a layout: evenness, coverage, hottest point, spread."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
AREA_SHARE = 1 / 6
"""Edge and centre areas, each as a share of the tank's length [-]; common practice, no source."""


@dataclass(frozen=True, slots=True)
class Hottest:
    """The strongest reading [umol/m2/s] and where it is [m]."""

    par: float
    x: float
    y: float
    depth: float


def evenness(plane: Array) -> float:
    """Mean PAR of the left and right edge areas over the mean of the centre area [-].

    Parameters
    ----------
    plane : (nx, ny) PAR on one depth, x along the tank, even steps; NaN where rock stands.

    Returns
    -------
    1 when the ends equal the middle; NaN in the dark. Areas are ``AREA_SHARE`` of the length each, the
    whole width deep. Common practice, no source: 0.75 is the goal, 0.84-0.88 excellent.
    """
    n = plane.shape[0]
    edge = max(1, round(n * AREA_SHARE))
    start = (n - edge) // 2
    centre = _mean(plane[start : n - start])
    ends = _mean(np.concatenate((plane[:edge], plane[-edge:])))
    return ends / centre if centre > 0 else float("nan")


def _mean(values: Array) -> float:
    kept = values[np.isfinite(values)]
    return float(kept.mean()) if kept.size else float("nan")


def share_within(par: Array, low: float, high: float) -> float:
    """Share of the readings with low <= PAR < high [-]; NaN readings (rock) do not count; NaN when none is left."""
    kept = par[np.isfinite(par)]
    return float(np.mean((kept >= low) & (kept < high))) if kept.size else float("nan")


def spread(par: Array) -> float:
    """Span of the middle eight tenths of the readings [umol/m2/s]: "most readings lie within this of each other"."""
    kept = par[np.isfinite(par)]
    if not kept.size:
        return float("nan")
    low, high = np.percentile(kept, (10, 90))
    return float(high - low)


def hottest(par: Array, points: Array) -> Hottest | None:
    """Find the strongest reading; None when every point is in rock."""
    if not np.isfinite(par).any():
        return None
    at = np.unravel_index(np.nanargmax(par), par.shape)
    x, y, depth = (float(v) for v in points[at])
    return Hottest(float(par[at]), x, y, depth)

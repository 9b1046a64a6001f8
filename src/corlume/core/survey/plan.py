"""Choose where to measure: the readings that leave the corrected map surest where it matters."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.optics.correction import Scale, likeness
from corlume.core.survey.smooth import USUAL_LENGTH, USUAL_SPREAD

Array = NDArray[np.float64]
USUAL = Scale(USUAL_SPREAD, USUAL_LENGTH)


@dataclass(frozen=True, eq=False)
class Choice:
    """Candidates in the order of what they tell, and what each number of readings leaves.

    Parameters
    ----------
    order : indices (k,) of the candidates, the most telling first.
    left : (k + 1,) standard deviation of the map where it matters, root of the mean variance, with none, one, two ...
        readings [-].
    """

    order: list[int]
    left: Array


def choose(
    candidates: Array,
    candidate_slopes: Array,
    noise: Array,
    places: Array,
    place_slopes: Array,
    covariance: Array,
    count: int,
    *,
    weights: Array | None = None,
    fixed: int = 0,
    scale: Scale = USUAL,
) -> Choice:
    """Choose readings one by one, each the one that takes most variance off the map at some places.

    Parameters
    ----------
    candidates : (m, 3) where a probe can stand [m]; the first ``fixed`` are taken in any case.
    candidate_slopes, place_slopes : how the logarithm of PAR follows the unknowns (m, p), (t, p).
    noise : variance of a reading at each candidate (m,).
    places : (t, 3) where the map is to be sure, such as where corals sit [m].
    weights : how much each of the places matters (t,), by default all alike.
    covariance : prior of the unknowns (p, p).
    count : of readings.

    Notes
    -----
    Greedy: of submodular gains such as these that is within 1 - 1/e of the best choice. A candidate can be chosen
    twice only where nothing else tells more; it is not offered again.
    """
    points, slopes = np.concatenate([candidates, places]), np.concatenate([candidate_slopes, place_slopes])
    whole = slopes @ covariance @ slopes.T + likeness(points, points, scale)
    m, order = len(candidates), list[int]()
    share = np.full(len(places), 1 / len(places)) if weights is None else weights / weights.sum()
    left = [float(np.sqrt(share @ np.diag(whole)[m:]))]
    for k in range(min(count, m)):
        spread = np.diag(whole)[:m] + noise
        gain = share @ whole[m:, :m] ** 2 / spread
        gain[order] = -np.inf
        best = k if k < fixed else int(gain.argmax())
        order.append(best)
        column = whole[:, best].copy()
        whole -= np.outer(column, column) / spread[best]
        left.append(float(np.sqrt(share @ np.maximum(0.0, np.diag(whole)[m:]))))
    return Choice(order, np.array(left))


def walking_order(points: Array) -> list[int]:
    """An order of points (n, 3) that spares the arm: along the tank once, up and down at each place.

    Points are gathered in columns a hand's breadth wide from left to right, and each column is gone through from where
    the last one ended: downwards, then upwards.
    """
    if not len(points):
        return []
    columns = np.floor(points[:, 0] / COLUMN).astype(int)
    order, down = list[int](), True
    for column in np.unique(columns):
        mine = np.flatnonzero(columns == column)
        depth = points[mine, 2] if down else -points[mine, 2]
        order += [int(i) for i in mine[np.lexsort((points[mine, 1], depth))]]
        down = not down
    return order


COLUMN = 0.25
"""Points so near to each other along the tank are read with the arm at one place [m]."""

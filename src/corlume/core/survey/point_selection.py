"""Choose measuring points: the readings that leave the corrected map most certain where it matters."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.survey_correction import Scale, likeness
from corlume.core.survey.residual_field import USUAL_LENGTH, USUAL_SPREAD

Array = NDArray[np.float64]
SWEEPS = 4
"""How often each reading is chosen anew at most."""
USUAL = Scale(USUAL_SPREAD, USUAL_LENGTH)


@dataclass(frozen=True, eq=False)
class PointSelection:
    """Chosen candidates, and the remaining variance after each number of readings.

    Parameters
    ----------
    order : indices (k,) of the candidates.
    left : (k + 1,) standard deviation of the map where it matters, root of the mean variance, with none, one, two ...
        readings that are chosen one after the other [-].
    """

    order: list[int]
    left: Array


def select_points(
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
) -> PointSelection:
    """Choose points one by one, each the one that most reduces the variance of the map at some places.

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
    Greedy, and then each in turn against all others; no candidate twice.
    """
    points, slopes = np.concatenate([candidates, places]), np.concatenate([candidate_slopes, place_slopes])
    whole = slopes @ covariance @ slopes.T + likeness(points, points, scale)
    m, order = len(candidates), list[int]()
    share = np.full(len(places), 1 / len(places)) if weights is None else weights / weights.sum()
    left = [float(np.sqrt(share @ np.diag(whole)[m:]))]
    known = whole.copy()
    for k in range(min(count, m)):
        best = k if k < fixed else _best(known, noise, share, order, m)
        order.append(best)
        column = known[:, best].copy()
        known -= np.outer(column, column) / (column[best] + noise[best])
        left.append(float(np.sqrt(share @ np.maximum(0.0, np.diag(known)[m:]))))
    return PointSelection(_exchanged(order, fixed, whole, noise, share), np.array(left))


def _exchanged(order: list[int], fixed: int, whole: Array, noise: Array, share: Array) -> list[int]:
    """Replace each point in turn by a better one, as long as the variance falls."""
    m = len(noise)
    for _ in range(SWEEPS):
        was = list(order)
        for i in range(fixed, len(order)):
            others = order[:i] + order[i + 1 :]
            own = whole[np.ix_(others, others)] + np.diag(noise[others])
            known = whole - whole[:, others] @ np.linalg.solve(own, whole[others])
            order[i] = _best(known, noise, share, others, m)
        if order == was:
            break
    return order


def _best(known: Array, noise: Array, share: Array, taken: list[int], m: int) -> int:
    """The candidate that most reduces the variance at the places, under the remaining covariance."""
    gain = share @ known[m:, :m] ** 2 / (np.diag(known)[:m] + noise)
    gain[taken] = -np.inf
    return int(gain.argmax())


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

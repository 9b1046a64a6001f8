"""Fit unknowns to readings: bounded robust least squares with priors, and the uncertainty of the result."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
TAIL = 3.0
"""Degrees of freedom of Student's t: how readily a reading is taken to be wrong [-]."""
WIDE = (8.0, 3.0, 1.0)
"""The loss begins so many times as wide as it is, so that a start far off is not taken for wild readings."""
SURE, WILD, LEAST_TRUST = 2.2, 3.8, 1e-3
SUBSETS = 8
"""Further starts, each from some of the readings."""


@dataclass(frozen=True, eq=False)
class ParameterFit:
    """The unknowns that fit readings best.

    Parameters
    ----------
    vector : (p,).
    covariance : (p, p), by Laplace's approximation at it.
    residuals : (n,) logarithm of reading over fit.
    weights : (n,) what the loss leaves of each reading, 1 for one that fits [-].
    evidence : logarithm of how likely the readings are under the model, by Laplace's approximation, but for a constant
        that is the same for models of the same readings [-].
    """

    vector: Array
    covariance: Array
    residuals: Array
    weights: Array
    evidence: float

    @property
    def sd(self) -> Array:
        """Standard deviation of each unknown (p,)."""
        found: Array = np.sqrt(np.diag(self.covariance))
        return found


def fit_parameters(
    model: Callable[[Array], Array],
    jacobian: Callable[[Array], Array],
    logs: Array,
    sd: Array,
    start: Array,
    covariance: Array,
    bounds: tuple[Array, Array],
    *,
    firsts: Sequence[Array] = (),
) -> ParameterFit:
    """Fit unknowns to the logarithms of readings.

    Parameters
    ----------
    model, jacobian : logarithm of PAR (n,) for a vector (p,), and its derivatives (n, p).
    logs : logarithm of the readings (n,).
    sd : standard deviation of each (n,).
    start, covariance : the prior: mean (p,) and covariance (p, p).
    bounds : lowest and highest vector.
    firsts : vectors to begin from; by default the prior's mean and solutions of parts of the readings.

    Notes
    -----
    Student's t with ``TAIL`` degrees of freedom for the readings, normal for the prior; minimised by scipy's trust
    region method from several starts, each with the loss wide at first. A soft L1 loss from one start loses its way
    with two wild readings of twelve.
    """
    from scipy.optimize import least_squares

    whiten = np.linalg.inv(np.linalg.cholesky(covariance))
    low, high = bounds
    n = len(logs)

    def solve(first: Array, scale: float, rows: NDArray[np.int64] | None = None) -> tuple[float, Array]:
        use = np.arange(n) if rows is None else rows

        def residuals(vector: Array) -> Array:
            return np.concatenate([(logs - model(vector))[use] / (scale * sd[use]), whiten @ (vector - start)])

        def slopes(vector: Array) -> Array:
            return np.concatenate([-jacobian(vector)[use] / (scale * sd[use])[:, None], whiten])

        def loss(square: Array) -> Array:
            rho = np.stack([square, np.ones_like(square), np.zeros_like(square)])
            if rows is None:
                z = square[:n]
                rho[:, :n] = [
                    (TAIL + 1) * np.log1p(z / TAIL), (TAIL + 1) / (TAIL + z), -(TAIL + 1) / (TAIL + z) ** 2
                ]  # fmt: skip
            return rho

        inside = np.clip(first, low + 1e-9 * (high - low), high - 1e-9 * (high - low))
        found = least_squares(residuals, inside, slopes, bounds=bounds, loss=loss, xtol=1e-6, ftol=1e-6, max_nfev=40)
        return float(found.cost), found.x

    def narrowing(first: Array) -> tuple[float, Array]:
        for scale in WIDE:
            cost, first = solve(first, scale)
        return cost, first

    tries = [narrowing(first) for first in firsts or [start]]
    rng = np.random.default_rng(0)
    for _ in range(SUBSETS if n > 4 and not firsts else 0):
        some = np.sort(rng.permutation(n)[: max(3, round(0.6 * n))])
        tries.append(solve(solve(start, 1.0, some)[1], 1.0))
    cost, vector = min(tries, key=lambda one: one[0])
    left = logs - model(vector)
    weights = reading_weights(left / sd)
    slopes = jacobian(vector)
    precision = (slopes * (weights / sd**2)[:, None]).T @ slopes + whiten.T @ whiten
    widths = 0.5 * np.linalg.slogdet(precision)[1] - np.log(np.diag(whiten)).sum()
    return ParameterFit(vector, np.linalg.inv(precision), left, weights, -cost - float(widths))


def reading_weights(off: Array) -> Array:
    """Weights of readings that are so many standard deviations off: 1 up to ``SURE``, next to nothing from ``WILD`` on
    [-].
    """
    return np.clip((WILD - np.abs(off)) / (WILD - SURE), LEAST_TRUST, 1.0)

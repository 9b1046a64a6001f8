"""The residual field: a smooth factor over the map for what the unknowns leave of the readings, a Gaussian process in
the logarithm of PAR.

It goes hand in hand with the unknowns of the model: what both could explain is shared out by how far each can be off,
and what neither is told of stays uncertain. Rasmussen and Williams 2006 [15], chapters 2 and 5, from memory.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.survey_correction import Scale, likeness
from corlume.core.survey.priors import MODEL

Array = NDArray[np.float64]
LENGTHS = (0.08, 0.12, 0.18, 0.27, 0.4)
"""Length scales that are tried [m]: the last spans most tanks."""
SPREADS = (0.005, 0.01, 0.015, 0.022, 0.033, 0.05, 0.075, 0.11, 0.17)
"""Standard deviations that are tried [-]."""
USUAL_SPREAD, SPREAD_SD = 0.018, 0.9
USUAL_LENGTH, LENGTH_SD = 0.2, 0.6
"""What is expected of both before the readings speak: logarithms are normal about it."""


def fitting_scale(points: Array, explained: Array, noise: Array, found: Array) -> tuple[float, Scale]:
    """The most likely of the scales that are tried, and its log likelihood.

    Parameters
    ----------
    points : (n, 3) of the readings [m].
    explained : covariance (n, n) that the model's unknowns bring.
    noise : variance of each reading (n,).
    found : (n,) logarithm of readings over what was entered.
    """

    from scipy.linalg import cho_factor, cho_solve

    def merit(scale: Scale) -> float:
        whole = explained + likeness(points, points, scale) + np.diag(noise)
        factor = cho_factor(whole, lower=True)
        fits = -0.5 * found @ cho_solve(factor, found) - np.log(np.diag(factor[0])).sum()
        usual = (math.log(scale.spread / USUAL_SPREAD) / SPREAD_SD) ** 2
        usual += (math.log(scale.length_scale / USUAL_LENGTH) / LENGTH_SD) ** 2
        return float(fits - 0.5 * usual)

    return max((merit(scale), scale) for scale in (Scale(spread, length) for spread in SPREADS for length in LENGTHS))


@dataclass(frozen=True, eq=False)
class ResidualField:
    """Correction of the map by readings, and its uncertainty.

    Parameters
    ----------
    points : (n, 3) of the readings [m].
    slopes : how the logarithm of PAR there follows the unknowns (n, p), at those found.
    covariance : prior of the unknowns (p, p).
    noise : variance of each reading (n,).
    left : (n,) logarithm of reading over the fitted model.
    shift : the unknowns found less those told (p,).
    scale : of the correction.
    """

    points: Array
    slopes: Array
    covariance: Array
    noise: Array
    left: Array
    shift: Array
    scale: Scale

    def at(self, points: Array) -> Array:
        """Logarithm (m,) of the correction factor at points (m, 3)."""
        own = likeness(self.points, self.points, self.scale) + np.diag(self.noise)
        found: Array = likeness(points, self.points, self.scale) @ np.linalg.solve(own, self.left)
        return found

    def _whole(self) -> Array:
        explained = self.slopes @ self.covariance @ self.slopes.T
        whole: Array = explained + likeness(self.points, self.points, self.scale) + np.diag(self.noise)
        return whole

    def variance(self, points: Array, slopes: Array) -> Array:
        """Variance (m,) of the logarithm of corrected PAR at points (m, 3) where it follows the unknowns by ``slopes``
        (m, p).
        """
        shared = slopes @ self.covariance @ self.slopes.T + likeness(points, self.points, self.scale)
        alone = np.einsum("mp,pq,mq->m", slopes, self.covariance, slopes) + self.scale.spread**2 + MODEL.sd**2
        found: Array = alone - np.einsum("mn,nm->m", shared, np.linalg.solve(self._whole(), shared.T))
        return np.maximum(0.0, found)

    def unknowns_covariance(self) -> Array:
        """Covariance (p, p) of the unknowns given the readings."""
        shared = self.covariance @ self.slopes.T
        found: Array = self.covariance - shared @ np.linalg.solve(self._whole(), shared.T)
        return found

    def left_out(self) -> tuple[Array, Array]:
        """For each reading, its logarithm less what all other readings predict there, and the standard deviation of
        that.
        """
        inverse = np.linalg.inv(self._whole())
        told = self.left + self.slopes @ self.shift
        return inverse @ told / np.diag(inverse), 1 / np.sqrt(np.diag(inverse))

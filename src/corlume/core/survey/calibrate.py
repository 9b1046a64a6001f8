"""From readings to a corrected model: the unknowns, the smooth factor, what does not fit, and how sure it all is."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.optics.correction import Correction, Given, likeness
from corlume.core.optics.field import Medium
from corlume.core.survey.fit import fit, trust
from corlume.core.survey.response import Response
from corlume.core.survey.smooth import Smooth, fitting_scale
from corlume.core.survey.unknowns import Unknowns

Array = NDArray[np.float64]
ROUNDS = 2
"""How often unknowns and smooth factor are fitted in turn."""
LEAST_READINGS = 3


@dataclass(frozen=True, eq=False)
class Calibration:
    """A model corrected by readings.

    Parameters
    ----------
    unknowns : what was not known, and ``vector`` what it was found to be (p,).
    response : of the model at the readings' points, laid out around the vector.
    trust : what is left of each reading (n,), 1 for one that fits [-].
    off : logarithm of each reading over what the unknowns alone say of it (n,).
    smooth : the smooth factor, with the bands of the corrected map.
    """

    unknowns: Unknowns
    vector: Array
    response: Response
    trust: Array
    off: Array
    smooth: Smooth

    @property
    def sd(self) -> Array:
        """Standard deviation of each unknown once the readings are known (p,)."""
        found: Array = np.sqrt(np.maximum(0.0, np.diag(self.smooth.unknowns_covariance())))
        return found

    def correction(self) -> Correction:
        """What is kept of it."""
        tank, fixtures = self.unknowns.applied(self.vector)
        given = zip(self.unknowns.fixtures, fixtures, strict=True)
        return Correction(
            given=tuple(
                Given(f.name, f.emitter.technology, f.emitter.ppf, f.emitter.length, f.emitter.width, found.measured)
                for f, found in given
            ),
            returns=tuple(pane.factor for pane in tank.panes()),
            water=tank.water.loss,
            wider=math.exp(self.vector[-1]),
            points=tuple(tuple(point) for point in self.smooth.points.tolist()),
            left=tuple(self.smooth.left.tolist()),
            noise=tuple(self.smooth.noise.tolist()),
            spread=self.smooth.scale.spread,
            length_scale=self.smooth.scale.length_scale,
        )


def calibrate(
    medium: Medium, unknowns: Unknowns, points: Array, par: Sequence[float], noise: Array, start: Response | None = None
) -> Calibration:
    """Correct a model by readings.

    Parameters
    ----------
    medium : the tank as told, for the kernel.
    points : (n, 3) where the readings were taken [m].
    par : the readings (n,) [umol/m2/s].
    noise : standard deviation of each, as a share of it (n,) [-].
    start : the response at the points around what was told, where it is known already.

    Notes
    -----
    First the unknowns by a robust fit, which finds readings that do not fit and leaves them next to no weight; the
    response is laid out anew there. Then, by turns, the scale of the smooth factor and the unknowns with it in mind:
    what both could explain is shared out by their priors.
    """
    logs = np.log(np.asarray(par, dtype=np.float64))
    response = start or Response.around(medium, unknowns, points)
    prior = unknowns.start, unknowns.covariance, unknowns.bounds
    vector = fit(response.log_par, response.jacobian, logs, noise, *prior).vector
    response = response.again(medium, points, vector)
    found = fit(response.log_par, response.jacobian, logs, noise, *prior)
    vector, weights = found.vector, found.weights
    for _ in range(ROUNDS):
        slopes, left = response.jacobian(vector), logs - response.log_par(vector)
        told = left + slopes @ (vector - unknowns.start)
        explained = slopes @ unknowns.covariance @ slopes.T
        scale = fitting_scale(points, explained, noise**2 / weights, told)
        whole = explained + likeness(points, points, scale) + np.diag(noise**2 / weights)
        step = unknowns.covariance @ slopes.T @ np.linalg.solve(whole, told)
        vector = np.clip(unknowns.start + step, *unknowns.bounds)
    left, slopes = logs - response.log_par(vector), response.jacobian(vector)
    smooth = Smooth(points, slopes, unknowns.covariance, noise**2 / weights, left, vector - unknowns.start, scale)
    weights = np.minimum(weights, trust((left - smooth.at(points)) / noise))
    return Calibration(unknowns, vector, response, weights, left, smooth)

"""Calibration: from readings to a corrected model with its unknowns, residual field, outliers and uncertainty."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.field import Medium
from corlume.core.light.survey_correction import Correction, FixtureFactor, Scale, likeness
from corlume.core.survey.parameter_fit import fit_parameters, reading_weights
from corlume.core.survey.parameters import Parameters
from corlume.core.survey.residual_field import ResidualField, fitting_scale
from corlume.core.survey.sensitivities import Sensitivities
from corlume.core.survey.weak_fixtures import find_weak_fixtures

Array = NDArray[np.float64]
ROUNDS = 2
"""How often unknowns and smooth factor are fitted in turn."""
LEAST_READINGS = 3
MISFITS = (0.1, 0.2, 0.35, 0.6, 1.0, 1.5)
USUAL_MISFIT, MISFIT_SD = 0.5, 0.8
"""How far places and beams are off, against what they can usually be: what is tried, and what is expected [-]."""


@dataclass(frozen=True, eq=False)
class Calibration:
    """A model corrected by readings.

    Parameters
    ----------
    unknowns : what was not known, and ``vector`` what it was found to be (p,).
    response : of the model at the readings' points, laid out around the vector.
    odds : for each round of suspicion, the probability that each fixture, by index, is the next weak one [-].
    trust : what is left of each reading (n,), 1 for one that fits [-].
    off : logarithm of each reading over what the unknowns alone say of it (n,).
    smooth : the smooth factor, with the bands of the corrected map.
    """

    unknowns: Parameters
    vector: Array
    response: Sensitivities
    odds: tuple[Mapping[int, float], ...]
    trust: Array
    off: Array
    smooth: ResidualField

    @property
    def sd(self) -> Array:
        """Standard deviation of each unknown given the readings (p,)."""
        found: Array = np.sqrt(np.maximum(0.0, np.diag(self.smooth.unknowns_covariance())))
        return found

    def correction(self) -> Correction:
        """The part that is kept in the survey."""
        u = self.unknowns
        tank, fixtures = u.applied(self.vector)
        of = [dict[str, float]() for _ in fixtures]
        for one, value in zip(u.all, self.vector.tolist(), strict=True):
            if one.what not in ("return", "water"):
                for i in one.of:
                    of[i][one.what] = value
        return Correction(
            given=tuple(
                FixtureFactor(
                    f.name, f.emitter.technology, f.emitter.ppf, f.emitter.length, f.emitter.width,
                    factor=found.measured, weak=i in u.weak, wider=math.exp(its["wider"]), middle=its["middle"],
                    sides=its["sides"], x=f.emitter.x, y=f.emitter.y, right=its["right"], back=its["back"],
                )
                for i, (f, found, its) in enumerate(zip(u.fixtures, fixtures, of, strict=True))
            ),
            returns=tuple(pane.factor for pane in tank.panes()),
            water=tank.water.loss,
            points=tuple(tuple(point) for point in self.smooth.points.tolist()),
            left=tuple(self.smooth.left.tolist()),
            noise=tuple(self.smooth.noise.tolist()),
            spread=self.smooth.scale.spread,
            length_scale=self.smooth.scale.length_scale,
            misfit=u.misfit,
        )  # fmt: skip


def calibrate(
    medium: Medium,
    unknowns: Parameters,
    points: Array,
    par: Sequence[float],
    noise: Array,
    start: Sensitivities | None = None,
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
    First the unknowns by a robust fit, which finds lamps that fail, and readings that do not fit and leaves these next
    to no weight; the response is laid out again there. Then, by turns, the scale of the smooth factor with how far
    places and beams are off, and the unknowns: what both could explain is shared out by their priors.
    """
    logs = np.log(np.asarray(par, dtype=np.float64))
    suspicion = find_weak_fixtures(start or Sensitivities.around(medium, unknowns, points), logs, noise)
    response = suspicion.response.again(medium, points, suspicion.fit.vector)
    unknowns = response.unknowns
    prior = unknowns.start, unknowns.covariance, unknowns.bounds
    found = fit_parameters(response.log_par, response.jacobian, logs, noise, *prior, firsts=[suspicion.fit.vector])
    vector, weights = found.vector, found.weights
    for _ in range(ROUNDS):
        slopes, left = response.jacobian(vector), logs - response.log_par(vector)
        told = left + slopes @ (vector - unknowns.start)
        scale, unknowns = _scales(unknowns, points, slopes, noise**2 / weights, told)
        explained = slopes @ unknowns.covariance @ slopes.T
        whole = explained + likeness(points, points, scale) + np.diag(noise**2 / weights)
        step = unknowns.covariance @ slopes.T @ np.linalg.solve(whole, told)
        vector = np.clip(unknowns.start + step, *unknowns.bounds)
    response = response.under(unknowns)
    left, slopes = logs - response.log_par(vector), response.jacobian(vector)
    smooth = ResidualField(
        points, slopes, unknowns.covariance, noise**2 / weights, left, vector - unknowns.start, scale
    )
    weights = np.minimum(weights, reading_weights((left - smooth.at(points)) / noise))
    return Calibration(unknowns, vector, response, suspicion.odds, weights, left, smooth)


def _scales(unknowns: Parameters, points: Array, slopes: Array, noise: Array, told: Array) -> tuple[Scale, Parameters]:
    """The most likely scales: of the residual field, and of errors in places and beams."""

    def merit(one: tuple[float, Scale, Parameters]) -> float:
        return one[0] - 0.5 * (math.log(one[2].misfit / USUAL_MISFIT) / MISFIT_SD) ** 2

    tries = []
    for misfit in MISFITS:
        u = replace(unknowns, misfit=misfit)
        tries.append((*fitting_scale(points, slopes @ u.covariance @ slopes.T, noise, told), u))
    _, scale, likeliest = max(tries, key=merit)
    return scale, likeliest

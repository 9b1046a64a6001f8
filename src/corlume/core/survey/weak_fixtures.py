"""Failing lamps: fixtures that the readings show to give next to nothing, and how certain that is.

Each is suspected in turn, with an output of its own that follows no other's. The readings choose by the evidence of
each suspicion (MacKay 1992 [21], from memory) and by how seldom lamps fail.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.survey.parameter_fit import ParameterFit, fit_parameters
from corlume.core.survey.priors import WEAK_ODDS
from corlume.core.survey.sensitivities import Sensitivities

Array = NDArray[np.float64]
FIRST_OUTPUTS = (0.03, 0.3)
"""A suspected lamp is taken to give so much at first [-]."""
MOST_WEAK = 4
"""So many lamps are looked for at most."""


@dataclass(frozen=True, eq=False)
class WeakFixture:
    """The best fit of the readings, under the suspicion with the most evidence.

    Parameters
    ----------
    response, fit : with the fixtures that are taken to be weak.
    odds : for each round of suspicion, the probability that each fixture, by index, is the next weak one [-].
    """

    response: Sensitivities
    fit: ParameterFit
    odds: tuple[Mapping[int, float], ...]


def find_weak_fixtures(response: Sensitivities, logs: Array, noise: Array) -> WeakFixture:
    """Fit readings without failing lamps, and with each suspected in turn; keep the fit with the most evidence.

    Parameters
    ----------
    response : at the points of the readings.
    logs : logarithm of the readings (n,).
    noise : standard deviation of each (n,) [-].
    """
    best, found, odds = response, _fitted(response, logs, noise, ()), list[dict[int, float]]()
    for _ in range(min(MOST_WEAK, len(response.unknowns.fixtures) - 1)):
        tries = _each(best, found, logs, noise)
        prior = math.log(WEAK_ODDS / (1 - WEAK_ODDS))
        gains = {i: one.evidence + prior - found.evidence for i, (_, one) in tries.items()}
        whole = np.logaddexp.reduce([0.0, *gains.values()])
        odds.append({i: math.exp(gain - whole) for i, gain in gains.items()})
        likeliest = max(gains, key=gains.__getitem__)
        if gains[likeliest] <= 0:
            break
        best, found = tries[likeliest]
    return WeakFixture(best, found, tuple(odds))


def _each(
    response: Sensitivities, found: ParameterFit, logs: Array, noise: Array
) -> dict[int, tuple[Sensitivities, ParameterFit]]:
    """Every further fixture suspected in turn."""
    unknowns, tries = response.unknowns, {}
    for i in range(len(unknowns.fixtures)):
        if i not in unknowns.weak:
            other = response.under(unknowns.suspecting((*unknowns.weak, i)))
            firsts = []
            for output in FIRST_OUTPUTS:
                first = found.vector.copy()
                first[i] = math.log(output)
                firsts.append(first)
            tries[i] = other, _fitted(other, logs, noise, firsts)
    return tries


def _fitted(response: Sensitivities, logs: Array, noise: Array, firsts: tuple[()] | list[Array]) -> ParameterFit:
    u = response.unknowns
    return fit_parameters(
        response.log_par, response.jacobian, logs, noise, u.start, u.covariance, u.bounds, firsts=firsts
    )

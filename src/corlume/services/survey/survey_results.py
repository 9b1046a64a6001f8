"""Results of a survey: the corrected model, its fitted numbers, outliers with their reasons, and the uncertainty of the
map.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.light.shimmer import fluctuation
from corlume.core.light.survey_correction import Correction
from corlume.core.survey.calibration import LEAST_READINGS, Calibration, calibrate
from corlume.core.survey.outliers import outlier_reason
from corlume.core.survey.parameters import Parameters
from corlume.core.survey.sensitivities import fixture_fields
from corlume.core.survey.survey_record import MeasuringPoint, Survey
from corlume.services.keeping.surveys import StoredSurvey
from corlume.services.light.fields import medium_of, par_at
from corlume.services.survey.fitted_parameters import (
    FittedParameter,
    WeakLamp,
    letters_of,
    parameters_found,
    weak_lamps,
)
from corlume.services.survey.survey_plan import slip_variance, slopes_at
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
DOUBTFUL = 0.6
"""A reading that keeps less of its weight than this does not fit [-]."""
BESIDE = 2
"""A reading may have been written down for a spot so many before or after it in the walk."""


@dataclass(frozen=True, slots=True)
class PointResult:
    """A point with a reading: PAR as read, predicted and corrected [umol/m2/s]; relative standard deviation of the
    corrected one; deviation of the reading from what all others say, in standard deviations; and why it may be an
    outlier.
    """

    index: int
    spot: MeasuringPoint
    par: float
    predicted: float
    corrected: float
    sd: float
    expected: float
    off: float
    fits: bool
    reasons: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class SurveyResults:
    """Results of a survey: failing lamps, fitted numbers, points, and the correction."""

    weak: tuple[WeakLamp, ...]
    numbers: tuple[FittedParameter, ...]
    spots: tuple[PointResult, ...]
    calibration: Calibration
    correction: Correction

    @property
    def doubtful(self) -> frozenset[MeasuringPoint]:
        """Points whose readings are outliers."""
        return frozenset(row.spot for row in self.spots if not row.fits)

    @property
    def rms(self) -> tuple[float, float]:
        """Root mean square of (reading over prediction, less one) without outliers, for the prediction and for the
        corrected map [-].
        """
        kept = [s for s in self.spots if s.fits]
        return tuple(
            math.sqrt(sum(math.log(s.par / getattr(s, by)) ** 2 for s in kept) / len(kept)) if kept else math.nan
            for by in ("predicted", "corrected")
        )  # type: ignore[return-value]


def survey_results_of(stored: StoredTank, survey: Survey) -> SurveyResults | None:
    """Results of a survey; None while it has too few readings, or no lights."""
    plain = replace(survey, correction=None, in_use=False, name="-", note="", meter="")
    return _findings(stored.surveyed(survey), plain)


@lru_cache(maxsize=16)
def _findings(tank: Tank, survey: Survey) -> SurveyResults | None:
    read = survey.read()
    fixtures = tuple(f for f in survey.fixtures if f.output > 0)
    if len(read) < LEAST_READINGS or not fixtures:
        return None
    medium, unknowns = medium_of(tank), Parameters(tank, fixtures)
    spots, par = [spot for spot, _ in read], np.array([value for _, value in read])
    points = np.array([spot.place for spot in spots])
    jumps = fluctuations(tank, fixtures, points)
    own = [survey.noise(spot, value, jump) for spot, value, jump in zip(spots, par.tolist(), jumps, strict=True)]
    noise = np.sqrt(np.square(own) + slip_variance(medium, fixtures, points))
    found = calibrate(medium, unknowns, points, par.tolist(), noise)
    before = par_at(tank, fixtures, points)
    corrected = np.exp(found.response.log_par(found.vector) + found.smooth.at(points))
    sd = np.sqrt(found.smooth.variance(points, found.smooth.slopes))
    left, left_sd = found.smooth.left_out()
    # what all others say of its place, without what its own noise leaves open
    slopes, logs = slopes_at(medium, fixtures, points), np.log(par)
    model = found.response.log_par(found.vector)
    parts = found.response.parts(found.vector)
    shares = parts / parts.sum(axis=0)
    rows = []
    for i, spot in enumerate(spots):
        fits = bool(found.trust[i] > DOUBTFUL)
        off = float(logs[i] - math.log(corrected[i])) if fits else float(left[i])
        beside = [j for j in range(max(0, i - BESIDE), min(len(spots), i + BESIDE + 1)) if j != i]
        others = [(spots[j], float(logs[i] - model[j])) for j in beside]
        lamps = [(f.name or "a fixture", float(share)) for f, share in zip(fixtures, shares[:, i], strict=True)]
        reasons = () if fits else tuple(outlier_reason(survey, spot, off, slopes[i], float(jumps[i]), others, lamps))
        rows.append(
            PointResult(
                index=i + 1,
                spot=spot,
                par=float(par[i]),
                predicted=float(before[i]),
                corrected=float(corrected[i]),
                sd=float(sd[i]),
                expected=float(np.exp(logs[i] - left[i])),
                off=float(left[i] / left_sd[i]),
                fits=fits,
                reasons=reasons,
            )
        )
    weak = weak_lamps(found, letters_of(survey.fixtures))
    return SurveyResults(weak, parameters_found(found), tuple(rows), found, found.correction())


def predicted(stored: StoredTank, survey: StoredSurvey) -> dict[int, float]:
    """PAR by the model as entered at each point, by its id, under the lights as set then [umol/m2/s]."""
    if not survey.spots:
        return {}
    par = predicted_at(stored.surveyed(survey.value), survey.value, [kept.value.place for kept in survey.spots])
    return {kept.id: float(value) for kept, value in zip(survey.spots, par, strict=True)}


def predicted_at(tank: Tank, survey: Survey, places: Sequence[tuple[float, float, float]]) -> Array:
    """PAR (n,) by the model as entered at places, in a tank as predicted for a survey [umol/m2/s]."""
    return par_at(tank, [f for f in survey.fixtures if f.output > 0], np.array(places))


def fluctuations(tank: Tank, fixtures: Sequence[Fixture], points: Array) -> Array:
    """Shimmer at points (n,) with the surface rippled, standard deviation over mean [-]."""
    parts = fixture_fields(medium_of(tank), fixtures, points)
    each = np.array([fluctuation(f.emitter, points[:, 2], slope=tank.water.ripple, index=tank.index) for f in fixtures])
    found: Array = np.sqrt(((parts * each) ** 2).sum(axis=0)) / np.maximum(1e-9, parts.sum(axis=0))
    return found

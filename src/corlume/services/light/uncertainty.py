"""Uncertainty of PAR at points, from priors and from the readings of the survey in use."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.cache import cached
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.light.survey_correction import SAME_PLACE, Correction, Scale, fixture_sort, likeness
from corlume.core.survey.parameters import Parameters
from corlume.core.survey.priors import MODEL
from corlume.core.survey.sensitivities import Sensitivities
from corlume.core.survey.survey_record import Survey
from corlume.services.light.fields import medium_of
from corlume.services.light.points import PlaneSpec, WaterPoint, points_of

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Uncertainty:
    """Uncertainty of PAR at points.

    Parameters
    ----------
    sd : (n,) standard deviation of its logarithm: 0.2 is a fifth up or down [-].
    parts : (k, n) share of the variance that each input brings, told one by one as if the others were known [-].
    inputs : what these inputs are, in words (k,).
    outputs : covariance of the logarithms of what the fixtures that are on give (f, f).
    """

    sd: Array
    parts: Array
    inputs: tuple[str, ...]
    outputs: Array

    def widest(self, index: int = 0) -> str:
        """The input that would reduce the uncertainty at a point most if it were known."""
        return self.inputs[int(self.parts[:, index].argmax())]


def uncertainty_at(
    told: Tank, fixtures: Sequence[Fixture], spec: PlaneSpec, survey: Survey | None
) -> Uncertainty | None:
    """Uncertainty of PAR at points; None when no light is on.

    Parameters
    ----------
    told : the tank as it was told, with the shade of its corals.
    fixtures : what hangs, with what the survey found of it.
    survey : the one in use.
    """
    lit = tuple(replace(f, measured=1.0) for f in fixtures if f.output > 0)
    return _sure(told, lit, spec, survey) if lit else None


def doubts(told: Tank, fixtures: Sequence[Fixture], survey: Survey | None) -> list[list[float]]:
    """Possible outputs of all fixtures relative to the prediction [-], one standard deviation off along each main axis:
    all stronger, all weaker, one side against the other, and so on.
    """
    lit = [i for i, f in enumerate(fixtures) if f.output > 0]
    if not lit:
        return []
    spec = PlaneSpec("point", WaterPoint(0.5 * told.length, 0.5 * told.width, 0.5 * told.rock_top()))
    found = uncertainty_at(told, fixtures, spec, survey)
    assert found is not None
    values, axes = np.linalg.eigh(found.outputs)
    rows = []
    for value, axis in list(zip(values, axes.T, strict=True))[::-1][:MOST_AXES]:
        for way in (1.0, -1.0):
            factors = np.ones(len(fixtures))
            factors[lit] = np.exp(way * math.sqrt(max(0.0, value)) * axis)
            rows.append(factors.tolist())
    return rows


MOST_AXES = 3
"""So many main axes of doubt are tried; the others are small."""


@cached(16_000_000)
def _sure(told: Tank, fixtures: tuple[Fixture, ...], spec: PlaneSpec, survey: Survey | None) -> Uncertainty:
    points = points_of(told, spec).reshape(-1, 3)
    correction = survey.correction if survey else None
    own = _unknowns(told, fixtures, correction)
    vector = own.found_by(correction)
    slopes = Sensitivities.around(medium_of(told), own, points, vector).jacobian(vector)
    if survey is None or correction is None:
        variance, covariance = np.einsum("mp,pq,mq->m", slopes, own.covariance, slopes), own.covariance
    else:
        variance, covariance = _after(told, own, slopes, points, survey.fixtures, correction)
    variance = np.maximum(0.0, variance) + MODEL.sd**2
    parts, inputs = _parts(own, slopes, covariance)
    n = len(fixtures)
    return Uncertainty(np.sqrt(variance), parts / variance, inputs, covariance[:n, :n])


def _unknowns(told: Tank, fixtures: tuple[Fixture, ...], correction: Correction | None) -> Parameters:
    """Unknowns of some fixtures, those that a survey found to be failing marked as such."""
    if correction is None:
        return Parameters(told, fixtures)
    weak = tuple(i for i, f in enumerate(fixtures) if correction.weak(f.name, f.emitter))
    return Parameters(told, fixtures, weak, correction.misfit)


def _after(
    told: Tank, own: Parameters, slopes: Array, points: Array, fixtures: Sequence[Fixture], correction: Correction
) -> tuple[Array, Array]:
    """Variance (m,) of the logarithm of corrected PAR, and the covariance of the tank's own unknowns given the
    readings.

    The survey's fixtures and those that hang are taken together: one that was not surveyed is as unsure as it was
    entered, but for what it shares with others of its sort; of one that was moved since, the place is not known again.
    """
    surveyed = tuple(replace(f, measured=1.0) for f in fixtures if f.output > 0)
    match = [_same(f, surveyed) for f in own.fixtures]
    more = [f for f, k in zip(own.fixtures, match, strict=True) if k is None]
    new = iter(range(len(surveyed), len(surveyed) + len(more)))
    as_every = [next(new) if k is None else k for k in match]
    every = _unknowns(told, (*surveyed, *more), correction)
    mine, moved = _columns(own, every, as_every)
    wide = np.zeros((len(points), len(every.start)))
    for k, column in mine.items():
        wide[:, column] += slopes[:, k]
    read = np.array(correction.points)
    of_survey = _unknowns(told, surveyed, correction)
    vector = of_survey.found_by(correction)
    seen = np.zeros((len(read), len(every.start)))
    there = Sensitivities.around(medium_of(told), of_survey, read, vector).jacobian(vector)
    for k, column in _columns(of_survey, every, range(len(surveyed)))[0].items():
        seen[:, column] += there[:, k]
    scale = Scale(correction.spread, correction.length_scale)
    whole = seen @ every.covariance @ seen.T + likeness(read, read, scale) + np.diag(correction.noise)
    shared = wide @ every.covariance @ seen.T + likeness(points, read, scale)
    alone = np.einsum("mp,pq,mq->m", wide, every.covariance, wide) + scale.spread**2
    alone += slopes[:, moved] ** 2 @ np.diag(own.covariance)[moved]
    variance = alone - np.einsum("mn,nm->m", shared, np.linalg.solve(whole, shared.T))
    told_by = every.covariance @ seen.T
    after = every.covariance - told_by @ np.linalg.solve(whole, told_by.T)
    found = own.covariance.copy()
    rows = list(mine)
    found[np.ix_(rows, rows)] = after[np.ix_(list(mine.values()), list(mine.values()))]
    return variance, found


def _columns(own: Parameters, every: Parameters, as_every: Sequence[int]) -> tuple[dict[int, int], list[int]]:
    """Index in ``every`` of the unknowns of some fixtures; and those of places of moved fixtures."""
    known = {(one.what, one.of): k for k, one in enumerate(every.all)}
    found, moved = dict[int, int](), list[int]()
    for k, one in enumerate(own.all):
        of = one.of
        if one.what in ("wider", "middle", "sides"):
            of = every.sorts[fixture_sort(own.fixtures[of[0]].emitter)]
        elif one.what in ("output", "right", "back"):
            of = (as_every[of[0]],)
            here, there = own.fixtures[one.of[0]].emitter, every.fixtures[of[0]].emitter
            if one.what != "output" and max(abs(here.x - there.x), abs(here.y - there.y)) > SAME_PLACE:
                moved.append(k)
                continue
        found[k] = known[one.what, of]
    return found, moved


def _same(fixture: Fixture, surveyed: Sequence[Fixture]) -> int | None:
    """Index of a fixture in the survey, by name and sort."""
    same = (
        k
        for k, f in enumerate(surveyed)
        if f.name == fixture.name and fixture_sort(f.emitter) == fixture_sort(fixture.emitter)
    )
    return next(same, None)


def _parts(own: Parameters, slopes: Array, covariance: Array) -> tuple[Array, tuple[str, ...]]:
    """Variance of each group of unknowns (k, m), and the groups."""
    groups = {
        "what the fixtures give": own.where("output"),
        "pane reflectance": own.where("return"),
        "the water": own.where("water"),
        "the beams of the fixtures": own.where("wider", "middle", "sides"),
        "exact fixture positions": own.where("right", "back"),
    }
    rows = [np.einsum("mp,pq,mq->m", slopes[:, g], covariance[np.ix_(g, g)], slopes[:, g]) for g in groups.values()]
    return np.array(rows), tuple(groups)

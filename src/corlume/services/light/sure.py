"""How sure the light at points is: from what was told, and from the readings of the survey in use."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.fixture import Fixture
from corlume.core.geometry import SIDES, Tank
from corlume.core.memory import remembered
from corlume.core.optics.correction import Scale, likeness, sort_of
from corlume.core.survey.priors import MODEL
from corlume.core.survey.record import Survey
from corlume.core.survey.response import Response
from corlume.core.survey.unknowns import Unknowns
from corlume.services.light.fields import medium_of
from corlume.services.light.points import Place, PlaneSpec, points_of

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Sure:
    """How sure PAR is at points.

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
        """The input that would narrow it most at a point if it were known."""
        return self.inputs[int(self.parts[:, index].argmax())]


def sure_at(told: Tank, fixtures: Sequence[Fixture], spec: PlaneSpec, survey: Survey | None) -> Sure | None:
    """How sure PAR is at points; None when no light is on.

    Parameters
    ----------
    told : the tank as it was told, with the shade of its corals.
    fixtures : what hangs, with what the survey found of it.
    survey : the one in use.
    """
    lit = tuple(replace(f, measured=1.0) for f in fixtures if f.output > 0)
    return _sure(told, lit, spec, survey) if lit else None


def doubts(told: Tank, fixtures: Sequence[Fixture], survey: Survey | None) -> list[list[float]]:
    """What each fixture could give of what is believed [-], a standard deviation off along each main axis: all of them
    stronger, all weaker, one side against the other ...
    """
    lit = [i for i, f in enumerate(fixtures) if f.output > 0]
    if not lit:
        return []
    spec = PlaneSpec("point", Place(0.5 * told.length, 0.5 * told.width, 0.5 * told.rock_top()))
    found = sure_at(told, fixtures, spec, survey)
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


@remembered(16_000_000)
def _sure(told: Tank, fixtures: tuple[Fixture, ...], spec: PlaneSpec, survey: Survey | None) -> Sure:
    points = points_of(told, spec).reshape(-1, 3)
    own = Unknowns(told, fixtures)
    vector = _found(own, survey)
    slopes = Response.around(medium_of(told), own, points, vector).jacobian(vector)
    if survey is None or survey.correction is None:
        variance = np.einsum("mp,pq,mq->m", slopes, own.covariance, slopes) + MODEL.sd**2
        covariance = own.covariance
    else:
        variance, covariance = _after(told, own, slopes, points, survey)
    parts, inputs = _parts(own, slopes, covariance)
    whole = np.maximum(variance, 1e-12)
    n = len(fixtures)
    return Sure(np.sqrt(np.maximum(0.0, variance)), parts / whole, inputs, covariance[:n, :n])


def _found(own: Unknowns, survey: Survey | None) -> Array:
    """The unknowns as the survey found them, or as they were told."""
    correction = survey.correction if survey else None
    if correction is None:
        return own.start
    vector, n = own.start.copy(), len(own.fixtures)
    vector[:n] = [math.log(correction.output(f.name, f.emitter)) for f in own.fixtures]
    vector[n:-2] = [correction.returns[SIDES.index(sides[0])] for sides, _ in own.alike]
    vector[-2:] = correction.water, math.log(correction.wider)
    return np.clip(vector, *own.bounds)


def _after(told: Tank, own: Unknowns, slopes: Array, points: Array, survey: Survey) -> tuple[Array, Array]:
    """Variance (m,) of the logarithm of corrected PAR, and the covariance of the own unknowns once readings are known.

    The survey's fixtures and those that hang are taken together: one that was not surveyed is as unsure as it was
    told, but for what it shares with others of its sort.
    """
    correction = survey.correction
    assert correction is not None
    surveyed = tuple(f for f in survey.fixtures if f.output > 0)
    match = [_same(f, surveyed) for f in own.fixtures]
    more = [f for f, k in zip(own.fixtures, match, strict=True) if k is None]
    every = Unknowns(told, (*surveyed, *more))
    count, extra, new = len(surveyed), len(more), iter(range(len(surveyed), len(surveyed) + len(more)))
    column = [next(new) if k is None else k for k in match]
    rest = list(range(count + extra, len(every.start)))
    mine = [*column, *rest]
    wide = np.zeros((len(points), len(every.start)))
    for k, at in enumerate(mine):
        wide[:, at] += slopes[:, k]
    read = np.array(correction.points)
    of_survey = Unknowns(told, surveyed)
    vector = _found(of_survey, survey)
    there = Response.around(medium_of(told), of_survey, read, vector).jacobian(vector)
    seen = np.zeros((len(read), len(every.start)))
    seen[:, [*range(count), *rest]] = there
    scale = Scale(correction.spread, correction.length_scale)
    whole = seen @ every.covariance @ seen.T + likeness(read, read, scale) + np.diag(correction.noise)
    shared = wide @ every.covariance @ seen.T + likeness(points, read, scale)
    alone = np.einsum("mp,pq,mq->m", wide, every.covariance, wide) + scale.spread**2
    variance = alone - np.einsum("mn,nm->m", shared, np.linalg.solve(whole, shared.T))
    told_by = every.covariance @ seen.T
    after = every.covariance - told_by @ np.linalg.solve(whole, told_by.T)
    return variance, after[np.ix_(mine, mine)]


def _same(fixture: Fixture, surveyed: Sequence[Fixture]) -> int | None:
    """Which of the survey's fixtures it is, by name and sort."""
    same = (
        k for k, f in enumerate(surveyed) if f.name == fixture.name and sort_of(f.emitter) == sort_of(fixture.emitter)
    )
    return next(same, None)


def _parts(own: Unknowns, slopes: Array, covariance: Array) -> tuple[Array, tuple[str, ...]]:
    """Variance that each group of unknowns brings (k, m), and what they are."""
    n = len(own.fixtures)
    groups = {
        "what the fixtures give": slice(0, n),
        "what the panes send back": slice(n, len(own.start) - 2),
        "the water": slice(len(own.start) - 2, len(own.start) - 1),
        "the width of the lobes": slice(len(own.start) - 1, len(own.start)),
    }
    rows = [np.einsum("mp,pq,mq->m", slopes[:, g], covariance[g, g], slopes[:, g]) for g in groups.values()]
    return np.array(rows), tuple(groups)

"""Plan a survey: which candidate points say most, and what each number of readings achieves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.field import Medium
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.survey.candidate_points import candidate_points, under_and_between
from corlume.core.survey.parameters import Parameters
from corlume.core.survey.point_selection import PointSelection, select_points, walking_order
from corlume.core.survey.point_templates import rings, rock_tops
from corlume.core.survey.priors import DIGIT, METER, SLIP
from corlume.core.survey.sensitivities import Sensitivities, fixture_fields
from corlume.core.survey.survey_record import MeasuringPoint
from corlume.services.light.fields import medium_of
from corlume.services.light.points import surfaces_of
from corlume.store.tanks import StoredSetup, StoredTank

Array = NDArray[np.float64]
COUNTS = (8, 12, 20, 40)
"""How many readings are offered; a meter is often rented for a week."""
SEATS, WATER, CORAL_WEIGHT = 60, 90, 2.0
"""Places where the map is to be sure: so many spots on rock and sand, so much water, and corals so many times over."""
FIXTURES_COUNT = 0.5
"""What all fixtures together count beside the map [-]."""
PLANNED_MISFIT = 0.6
"""Places and beams are planned for as if so many times as far off as they can usually be: more than that, and too few
readings are left to tell what each fixture gives (tried in ``benchmarks/survey_trials.py``) [-]."""
LEAST_LIGHT = 5.0
"""Where the model says less, a reading tells of nothing but its own shade [umol/m2/s]."""


TEMPLATES = {
    "rings": ("three rings", "at three depths, as the trade's tables have them"),
    "shallow": ("15 cm down", "under and between the fixtures, and at the ends"),
    "tops": ("rock top", "and level with it, for the height of the lights"),
}
"""Spots that the trade sets out, each in two or three words, and what they are for."""


def template(stored: StoredTank, setup: StoredSetup, key: str) -> tuple[MeasuringPoint, ...]:
    """Points of one of the trade's templates, in walking order."""
    tank, lit = stored.tank, [f for f in stored.setup(setup.id).hung if f.output > 0]
    made = {
        "rings": lambda: rings(tank),
        "shallow": lambda: under_and_between(tank, lit),
        "tops": lambda: rock_tops(tank),
    }
    return walked(made[key]())


def walked(spots: Sequence[MeasuringPoint]) -> tuple[MeasuringPoint, ...]:
    """Points in an order that spares the arm."""
    places = np.array([spot.place for spot in spots]).reshape(-1, 3)
    return tuple(spots[i] for i in walking_order(places))


@dataclass(frozen=True, eq=False)
class PointOffer:
    """Candidate points under some lights, ready to be chosen from.

    Parameters
    ----------
    spots : proposals where there is light to read; ``points`` (m, 3) their places, ``noise`` (m,) their variances.
    places, weights : where the map is to be sure (t, 3), and how much each place counts (t,).
    slopes : how the logarithm of PAR follows the unknowns, at spots and places (m + t, p).
    covariance : prior of the unknowns (p, p).
    """

    spots: tuple[MeasuringPoint, ...]
    points: Array
    noise: Array
    places: Array
    weights: Array
    slopes: Array
    covariance: Array

    def chosen(self, count: int) -> PointSelection:
        """The points that together say most."""
        m = len(self.spots)
        return select_points(
            self.points, self.slopes[:m], self.noise, self.places, self.slopes[m:], self.covariance, count,
            weights=self.weights,
        )  # fmt: skip

    def plan(self, count: int) -> tuple[MeasuringPoint, ...]:
        """So many points, in walking order."""
        return walked([self.spots[i] for i in self.chosen(count).order] if self.spots else [])

    @cached_property
    def left(self) -> dict[int, float]:
        """Standard deviation of the map where it matters, with none and with each number of readings offered [-]."""
        if not self.spots:
            return {}
        left = self.chosen(max(COUNTS)).left
        return {count: float(left[count]) for count in (0, *COUNTS) if count < len(left)}


def offer(stored: StoredTank, setup: StoredSetup) -> PointOffer:
    """Candidate points under a setup as it hangs."""
    told = stored.under(None)
    corals = tuple(kept.value for kept in told.corals)
    lit = tuple(f for f in told.setup(setup.id).hung if f.output > 0)
    return _offer(told.lit_tank(), lit, tuple(candidate_points(told.tank, lit, corals)),
                  tuple(c.place for c in corals if c.place))  # fmt: skip


@lru_cache(maxsize=8)
def _offer(
    tank: Tank,
    fixtures: tuple[Fixture, ...],
    spots: tuple[MeasuringPoint, ...],
    corals: tuple[tuple[float, float, float], ...],
) -> PointOffer:
    none = np.empty((0, 3))
    if not fixtures:
        return PointOffer((), none, none[0:0, 0], none, none[0:0, 0], none, none)
    medium, unknowns = medium_of(tank), Parameters(tank, fixtures, misfit=PLANNED_MISFIT)
    points = np.array([spot.place for spot in spots]).reshape(-1, 3)
    light = fixture_fields(medium, fixtures, points).sum(axis=0)
    lit = light > LEAST_LIGHT
    spots, points, light = tuple(s for s, keep in zip(spots, lit, strict=True) if keep), points[lit], light[lit]
    places, weights = places_that_matter(tank, corals)
    response = Sensitivities.around(medium, unknowns, np.concatenate([points, places]))
    # what each fixture gives is to be told as well: a place of its own for each, far from all others
    apart = 1e3 * (1 + np.arange(len(fixtures)))[:, None] * np.ones(3)
    return PointOffer(
        spots=spots,
        points=points,
        noise=METER.sd**2 + slip_variance(medium, fixtures, points) + (DIGIT / light) ** 2,
        places=np.concatenate([places, apart]),
        weights=np.concatenate([weights / weights.sum(), np.full(len(fixtures), FIXTURES_COUNT / len(fixtures))]),
        slopes=np.concatenate([response.jacobian(unknowns.start), np.eye(len(unknowns.start))[: len(fixtures)]]),
        covariance=unknowns.covariance,
    )


def places_that_matter(tank: Tank, corals: Sequence[tuple[float, float, float]]) -> tuple[Array, Array]:
    """Places (n, 3) where the map should be certain: spots, open water and corals, with their weights (n,)."""
    rng = np.random.default_rng(0)
    seats = np.concatenate([np.empty((0, 3)), *(s.points[s.free] for s in surfaces_of(tank))])
    seats = seats[np.sort(rng.permutation(len(seats))[:SEATS])] - np.array([0.0, 0.0, 0.005])
    low, high = np.array([0.03, 0.03, 0.1]), np.array([tank.length - 0.03, tank.width - 0.03, tank.sand_depth - 0.01])
    water = rng.uniform(low, np.maximum(low + 0.001, high), (2 * WATER, 3))
    water = water[~tank.in_rock(water)][:WATER]
    own = np.array(corals).reshape(-1, 3) - np.array([0.0, 0.0, 0.005])
    places = np.concatenate([seats, water, own])
    weights = np.ones(len(places))
    weights[len(places) - len(own) :] = CORAL_WEIGHT
    return places, weights


def slopes_at(medium: Medium, fixtures: Sequence[Fixture], points: Array) -> Array:
    """Gradient (n, 3) of the logarithm of PAR at points (n, 3), by a step of ``SLIP`` each way [1/m]."""
    steps = [SLIP * np.eye(3)[axis] * way for axis in range(3) for way in (1, -1)]
    deepest = np.array([*medium.size, medium.depth])
    moved = np.concatenate([np.clip(points + step, 0.0, deepest) for step in steps])
    par = np.log(np.maximum(0.1, fixture_fields(medium, fixtures, moved).sum(axis=0))).reshape(3, 2, len(points))
    found: Array = (par[:, 0] - par[:, 1]).T / (2 * SLIP)
    return found


def slip_variance(medium: Medium, fixtures: Sequence[Fixture], points: Array) -> Array:
    """Variance (n,) that a probe some millimetres off adds to a reading, relative to it [-]."""
    found: Array = ((SLIP * slopes_at(medium, fixtures, points)) ** 2).sum(axis=1)
    return np.minimum(found, 1.0)

"""Surveys: hidden parameters come back from a dozen readings, wild ones are found out, bands hold what they say."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

import numpy as np
import pytest
from benchmarks import survey_trials
from numpy.typing import NDArray
from scipy.optimize import lsq_linear
from sklearn.gaussian_process import GaussianProcessRegressor
from sklearn.gaussian_process.kernels import RBF, ConstantKernel

from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium, disc_rows
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Colony, Tank
from corlume.core.light.survey_correction import Correction, Scale
from corlume.core.survey.calibration import Calibration, calibrate
from corlume.core.survey.parameter_fit import fit_parameters
from corlume.core.survey.parameters import Parameters
from corlume.core.survey.priors import MODEL
from corlume.core.survey.residual_field import ResidualField
from corlume.core.survey.sensitivities import Sensitivities, fixture_fields
from corlume.formats.scene_file import read_scene
from corlume.services.light.fields import medium_of
from corlume.services.survey.survey_plan import offer
from corlume.store.tanks import unstored
from tests.fields import BLOCKS

Array = NDArray[np.float64]
NOISE, TRIALS = 0.05, 12
RETURNS = np.linspace(0.3, 0.7, 3)


@dataclass
class Bench:
    """The demo tank of an earlier version, whose rock is blocks, with the twelve spots that are proposed for it, and
    places in its water that are held out.
    """

    tank: Tank
    unknowns: Parameters
    medium: Medium
    spots: Array
    held: Array
    at_spots: Sensitivities
    at_held: Sensitivities


@cache
def bench() -> Bench:
    stored = unstored(replace(read_scene(BLOCKS.read_bytes()), surveys=()))
    tank, setup = stored.lit_tank(), stored.setup()
    lamps = tuple(replace(kept, value=replace(kept.value, basis="maker")) for kept in setup.fixtures)
    setup = replace(setup, fixtures=lamps)
    stored = replace(stored, setups=(setup, *stored.setups[1:]))
    spots = np.array([spot.place for spot in offer(stored, setup).plan(12)])
    rng = np.random.default_rng(7)
    held = rng.uniform([0.03, 0.03, 0.1], [tank.length - 0.03, tank.width - 0.03, tank.sand_depth - 0.01], (110, 3))
    held = held[~tank.in_rock(held)]
    unknowns, medium = Parameters(tank, tuple(setup.hung)), medium_of(tank)
    # a share of next to no light says nothing: a tenth of the strongest is the least
    held = held[fixture_fields(medium, setup.hung, held).sum(axis=0) > 40][:70]
    around = Sensitivities.around(medium, unknowns, np.concatenate([spots, held]))
    return Bench(
        tank, unknowns, medium, spots, held, around.only(np.arange(12)), around.only(np.arange(12, 12 + len(held)))
    )


@cache
def medium_with(share: float) -> Medium:
    tank = bench().tank
    return Medium.of(replace(tank, left=replace(tank.left, factor=share), right=replace(tank.right, factor=share)))


@dataclass
class Truth:
    """A tank whose outputs are off by up to 20 %, its wall return by up to 0.2, and its lobes by up to 7 %."""

    vector: Array
    readings: Array
    held: Array


def truth(seed: int, *, wild: int = 0, tilt: bool = False, shadow: bool = False) -> Truth:
    b, rng = bench(), np.random.default_rng(seed)
    vector, lamps = b.unknowns.start.copy(), len(b.unknowns.fixtures)
    vector[:lamps] = np.log(1 + rng.uniform(-0.2, 0.2, lamps))
    vector[lamps] = rng.choice(RETURNS)
    vector[b.unknowns.where("wider")] = np.log(1 + rng.uniform(-0.07, 0.07))
    fixtures: tuple[Fixture, ...] = b.unknowns.applied(vector)[1]
    medium = medium_with(float(vector[lamps]))
    if tilt:
        i = int(rng.integers(lamps))
        leaned = replace(fixtures[i].emitter, roll=float(np.radians(8 * rng.choice([-1, 1]))))
        fixtures = (*fixtures[:i], replace(fixtures[i], emitter=leaned), *fixtures[i + 1 :])
    if shadow:
        x, y = rng.uniform(0.2, b.tank.length - 0.2), rng.uniform(0.15, b.tank.width - 0.15)
        discs = [*(Colony(*row) for row in medium.discs.tolist()), Colony(x, y, rng.uniform(0.1, 0.3), 0.06)]
        medium = replace(medium, discs=disc_rows(discs))
    par = fixture_fields(medium, fixtures, np.concatenate([b.spots, b.held])).sum(axis=0)
    readings = par[:12] * np.exp(rng.normal(0, NOISE, 12))
    for i in rng.choice(12, wild, replace=False):
        readings[i] *= rng.choice([0.4, 2.0])
    return Truth(vector, readings, par[12:])


@dataclass
class Outcome:
    """How far off each output is [-], the wall return [-], and the logarithms of held-out PAR with their bands; and how
    much each reading counts [-].
    """

    outputs: float
    wall: float
    off: Array
    sd: Array
    trust: Array

    @property
    def rms(self) -> float:
        return float(np.sqrt((self.off**2).mean()))


def outcome(true: Truth) -> Outcome:
    b = bench()
    noise = np.sqrt(NOISE**2 + (1 / true.readings) ** 2)
    found: Calibration = calibrate(b.medium, b.unknowns, b.spots, true.readings.tolist(), noise, b.at_spots)
    there = b.at_held.again(b.medium, b.held, found.vector)
    off = np.log(true.held) - there.log_par(found.vector) - found.smooth.at(b.held)
    sd = np.sqrt(found.smooth.variance(b.held, there.jacobian(found.vector)))
    lamps = len(b.unknowns.fixtures)
    outputs = np.exp(found.vector[:lamps] - true.vector[:lamps]) - 1
    wall = float(abs(found.vector[lamps] - true.vector[lamps]))
    return Outcome(float(np.abs(outputs).max()), wall, off, sd, found.trust)


def trials(count: int = TRIALS, **kinds: Any) -> Iterator[Outcome]:
    return (outcome(truth(seed, **kinds)) for seed in range(count))


def covered(outcomes: list[Outcome]) -> float:
    """Share of held-out readings inside the stated 90 % bands, each read as noisily as the twelve."""
    rng = np.random.default_rng(1)
    inside = [np.abs(o.off + rng.normal(0, NOISE, len(o.off))) < 1.645 * np.hypot(o.sd, NOISE) for o in outcomes]
    return float(np.mean(np.concatenate(inside)))


def test_hidden_parameters_come_back_from_twelve_readings() -> None:
    """Goals of our own, for a tank that is as modelled: the readings do not know that it is, so that a part of what
    they say goes to places and beams; with none of these in doubt the map comes within 2.4 %, in 90 % of trials 3.7.
    """
    found = list(trials(24))
    assert np.quantile([o.outputs for o in found], 0.9) < 0.12
    assert np.quantile([o.wall for o in found], 0.9) < 0.10
    assert np.median([o.rms for o in found]) < 0.035
    assert np.quantile([o.rms for o in found], 0.9) < 0.05
    assert covered(found) > 0.94


def test_two_wild_readings_of_twelve_are_found_out() -> None:
    found = list(trials(wild=2))
    assert np.quantile([o.rms for o in found], 0.9) < 0.06
    flagged = missed = 0
    for seed, one in enumerate(found):
        wild = np.abs(np.log(truth(seed, wild=2).readings / truth(seed).readings)) > 0.3
        flagged += int((one.trust[wild] < 0.6).sum())
        missed += int((one.trust[~wild] < 0.6).sum())
    assert flagged > 0.9 * 24
    assert missed < 7


@pytest.mark.parametrize("kind", ["tilt", "shadow"])
def test_bands_hold_what_they_say_where_the_tank_has_what_the_model_has_not(kind: str) -> None:
    assert 0.85 <= covered(list(trials(**{kind: True}))) <= 0.97


def test_fit_of_a_line_is_that_of_scipy() -> None:
    """scipy's bounded linear least squares on the same rows, with the prior as rows of their own."""
    rng = np.random.default_rng(0)
    rows, prior = rng.normal(size=(9, 3)), np.diag([0.5, 0.3, 0.2])
    logs = rows @ np.array([0.2, -0.3, 0.1]) + rng.normal(0, 0.01, 9)
    sd, bounds = np.full(9, 0.05), (np.full(3, -0.25), np.full(3, 1.0))
    found = fit_parameters(lambda v: rows @ v, lambda _: rows, logs, sd, np.zeros(3), prior**2, bounds)
    whole = np.concatenate([rows / 0.05, np.linalg.inv(prior)])
    told = lsq_linear(whole, np.concatenate([logs / 0.05, np.zeros(3)]), bounds)
    assert found.vector == pytest.approx(told.x, abs=2e-3)
    assert found.sd == pytest.approx(np.sqrt(np.diag(np.linalg.inv(whole.T @ whole))), rel=1e-6)


def test_smooth_factor_is_that_of_scikit_learn() -> None:
    rng = np.random.default_rng(0)
    points, there = rng.uniform(0, 1, (10, 3)), rng.uniform(0, 1, (5, 3))
    left, scale = rng.normal(0, 0.1, 10), Scale(0.1, 0.25)
    smooth = ResidualField(points, np.zeros((10, 1)), np.eye(1), np.full(10, 0.01), left, np.zeros(1), scale)
    reference = GaussianProcessRegressor(ConstantKernel(0.01) * RBF(0.25), alpha=0.01, optimizer=None).fit(points, left)
    mean, sd = reference.predict(there, return_std=True)
    assert smooth.at(there) == pytest.approx(mean, abs=1e-9)
    assert np.sqrt(smooth.variance(there, np.zeros((5, 1))) - MODEL.sd**2) == pytest.approx(sd, abs=1e-6)
    for i in range(10):
        others = np.arange(10) != i
        alone = GaussianProcessRegressor(ConstantKernel(0.01) * RBF(0.25), alpha=0.01, optimizer=None)
        told = alone.fit(points[others], left[others]).predict(points[i : i + 1])
        assert smooth.left_out()[0][i] == pytest.approx(left[i] - told[0], abs=1e-9)


@pytest.mark.parametrize("name", ["column", "halides"])
def test_a_map_is_right_where_the_lights_are_not_as_entered(name: str) -> None:
    """A small part of ``benchmarks.survey_trials``, with its goals: fixtures off their places and tilted, other beams,
    panes and water, one wild reading of twelve; then one lamp at 3 % besides.
    """
    for weak in (0, 1):
        found = list(survey_trials.trials(name, 4, weak=weak))
        assert np.median([o.rms for o in found]) < (0.07 if weak else 0.055)
        assert np.mean([o.covered for o in found]) > (0.80 if weak else 0.85)
        for o in found:
            true = tuple(np.flatnonzero(np.exp(o.calibration.vector[: len(o.outputs)]) / (1 + o.outputs) < 0.1))
            assert o.calibration.unknowns.weak == true
            assert len(true) == weak


def test_a_lamp_that_hangs_beside_its_place_is_told() -> None:
    """Forty quiet readings; the fixture hangs 3 cm further left and 2 cm further back than entered."""
    b = survey_trials.bench("lagoon", 40)
    first = b.fixtures[0]
    hung = replace(first, emitter=replace(first.emitter, x=first.emitter.x - 0.03, y=first.emitter.y + 0.02))
    par = fixture_fields(b.medium, (hung, *b.fixtures[1:]), b.points).sum(axis=0)
    found = calibrate(b.medium, Parameters(b.tank, b.fixtures), b.points, par.tolist(), np.full(len(par), 0.03))
    correction = found.correction()
    assert correction.shift(first.emitter) == pytest.approx((-0.03, 0.02), abs=0.01)
    assert not found.unknowns.weak
    # once its place is put right, or it is moved, nothing is shifted
    assert correction.shift(hung.emitter) == (0.0, 0.0)
    lit = correction.on_emitter(first.emitter)
    assert (lit.x, lit.y) == pytest.approx((hung.emitter.x, hung.emitter.y), abs=0.01)


def test_corrections_of_older_surveys_read_as_they_were() -> None:
    """One beam width for all, no places: kept in records and files before fixtures had their own."""
    old = {
        "given": [
            {"name": "West", "technology": "led_cluster", "ppf": 230.0, "length": 0.2, "width": 0.2, "factor": 0.8}
        ],
        "returns": [0.5, 0.5, 0.85, 0.1], "water": 0.06, "wider": 1.05, "points": [[0.1, 0.2, 0.3]], "left": [0.05],
        "noise": [0.003], "spread": 0.02, "length_scale": 0.2,
    }  # fmt: skip
    read = Correction.of_plain(old)
    lamp = Emitter("led_cluster", 230.0, 1.5, 0.2, 0.2, 0.3, 0.3, 0.25)
    assert read.output("West", lamp) == pytest.approx(0.8)
    assert read.beam(lamp) == (1.05, 0.0, 0.0)
    assert read.on_emitter(lamp) == lamp.widened(1.05)
    assert Correction.of_plain(json.loads(json.dumps(read.plain()))).on_emitter(lamp) == lamp.widened(1.05)

"""How well a survey corrects lights that are not as entered: six made-up tanks, seeded trials, a table of errors.

The truth has what a keeper's tank has and what was entered has not: fixtures some cm off their places and tilted, other
beams, panes each with its own reflectance, water of another colour, lamps stronger and weaker than their figures. The
kernel that lights the truth is the model's own, so that nothing but these differences is measured.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cache

import numpy as np
from numpy.typing import NDArray

from benchmarks.clock import sized
from corlume.core.keeping.scene import Scene, Setup
from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Pane, Rock, Tank
from corlume.core.light.lobe import RingLobe, TableLobe
from corlume.core.message_text import letter
from corlume.core.survey.calibration import Calibration, calibrate
from corlume.core.survey.parameters import Parameters
from corlume.core.survey.sensitivities import Sensitivities, fixture_fields, medium_like
from corlume.core.units import DEGREE
from corlume.reference.catalogue import catalogue
from corlume.services.light.fields import medium_of
from corlume.services.survey.survey_plan import offer
from corlume.store.tanks import unstored

Array = NDArray[np.float64]
NOISE = 0.05
PROBE = 0.02
"""Held-out places are so far from the face of a rock, as no probe goes nearer [m]."""
WEAK = 0.03
"""What a weak lamp still gives, as a share of the others [-]."""


def _hung(key: str, at: list[tuple[float, float]], height: float) -> list[Fixture]:
    """Fixtures of a sort at their places, with the maker's figure as basis."""
    found, part = [], catalogue()[key].parts[0]
    for k, (x, y) in enumerate(at):
        found.append(
            replace(
                part,
                emitter=replace(part.emitter, x=x, y=y, height=height),
                basis="maker",
                name=f"{part.name} {letter(k)}",
            )
        )
    return found


def _rocks(*blocks: tuple[float, ...]) -> tuple[Rock, ...]:
    return tuple(Rock(x, y, base, length, width, height) for x, y, base, length, width, height in blocks)


def tanks() -> dict[str, tuple[Tank, list[Fixture]]]:
    """Six tanks of our own with their lights, as entered."""
    film, dark = Pane("plain", 0.5), Pane("plain", 0.05)
    cube = _rocks((0.1, 0.2, 0.03, 0.2, 0.2, 0.2), (0.32, 0.15, 0.03, 0.15, 0.25, 0.12))
    hybrid = _rocks(
        (0.15, 0.18, 0.03, 0.35, 0.2, 0.22), (0.7, 0.15, 0.03, 0.3, 0.25, 0.28), (0.55, 0.25, 0.03, 0.12, 0.12, 0.08)
    )
    column = _rocks((0.15, 0.12, 0.03, 0.25, 0.2, 0.35), (0.22, 0.15, 0.38, 0.15, 0.15, 0.2))
    long = _rocks((0.2, 0.2, 0.03, 0.5, 0.3, 0.3), (0.95, 0.25, 0.03, 0.4, 0.25, 0.2), (1.6, 0.2, 0.03, 0.5, 0.3, 0.35))
    halides = _rocks((0.2, 0.2, 0.03, 0.5, 0.25, 0.3), (1.0, 0.2, 0.03, 0.45, 0.3, 0.25))
    lagoon = _rocks((0.25, 0.3, 0.05, 0.3, 0.3, 0.12), (0.95, 0.4, 0.05, 0.3, 0.3, 0.15))
    return {
        "cube under T5": (
            Tank(0.55, 0.55, 0.5, back=dark, rocks=cube),
            _hung("t5-24", [(0.275, y) for y in (0.12, 0.21, 0.34, 0.43)], 0.18),
        ),
        "hybrid, four feet": (
            Tank(1.22, 0.52, 0.52, back=film, rocks=hybrid),
            _hung("t5-54", [(0.61, y) for y in (0.1, 0.16, 0.36, 0.42)], 0.22)
            + _hung("cluster", [(0.35, 0.26), (0.87, 0.26)], 0.24),
        ),
        "column": (
            Tank(0.6, 0.45, 0.95, rocks=column),
            _hung("cluster-small", [(0.15, 0.15), (0.45, 0.15), (0.3, 0.32)], 0.2),
        ),
        "long": (
            Tank(2.4, 0.7, 0.62, back=dark, rocks=long),
            _hung("cluster", [(x, 0.35) for x in (0.24, 0.72, 1.2, 1.68, 2.16)], 0.28),
        ),
        "halides": (
            Tank(1.7, 0.65, 0.6, back=film, rocks=halides),
            _hung("halide-250", [(x, 0.33) for x in (0.28, 0.85, 1.42)], 0.32),
        ),
        "lagoon": (
            Tank(1.5, 0.95, 0.42, sand=0.05, rocks=lagoon),
            _hung("cluster-rings", [(0.4, 0.28), (1.1, 0.28), (0.4, 0.68), (1.1, 0.68)], 0.28),
        ),
    }


@dataclass
class Bench:
    """A tank as entered, the points that are proposed for it, and places in its water that are held out."""

    tank: Tank
    fixtures: tuple[Fixture, ...]
    points: Array
    held: Array
    at_points: Sensitivities

    @property
    def medium(self) -> Medium:
        return medium_of(self.tank)


@cache
def bench(name: str, readings: int = 12) -> Bench:
    """A tank by its name."""
    tank, fixtures = tanks()[name]
    scene = Scene(name, tank, setups=(Setup("As it hangs", in_use=True, fixtures=tuple(fixtures)),))
    stored = unstored(scene)
    hung = tuple(stored.setup().hung)
    points = np.array([spot.place for spot in offer(stored, stored.setup()).plan(readings)])
    rng = np.random.default_rng(11)
    held = rng.uniform([0.02, 0.02, 0.05], [tank.length - 0.02, tank.width - 0.02, tank.sand_depth - 0.01], (300, 3))
    beside = np.array([(x, y, 0.0) for x in (-PROBE, 0.0, PROBE) for y in (-PROBE, 0.0, PROBE)])
    held = held[~tank.in_rock(held[:, None] + beside).any(axis=1)][:160]
    medium = medium_of(tank)
    around = Sensitivities.around(medium, Parameters(tank, hung), points)
    return Bench(tank, hung, points, held, around)


@dataclass
class Trial:
    """Readings under a truth, PAR at the held-out places, which readings are wild, and each lamp's output (f,)."""

    readings: Array
    held: Array
    wild: NDArray[np.bool_]
    outputs: Array


def _beam(emitter: Emitter, rng: np.random.Generator) -> Emitter:
    """Another beam of about the same width: wider or narrower, two in one, with a plateau or a hot middle."""
    emitter = emitter.widened(float(np.exp(rng.normal(0, 0.05))))
    table = emitter.shape().table()[:, 0]
    cosine = np.linspace(0, 1, len(table))
    theta = np.linspace(0, 90, 91) * DEGREE
    base = np.interp(np.cos(theta), cosine, table)
    match rng.integers(4):
        case 0:  # two beams in one
            width = 0.5 * emitter.fwhm
            wide = RingLobe(((1.0, min(2.6, 1.25 * emitter.fwhm)),)).intensity(np.cos(theta))
            narrow = RingLobe(((1.0, 1.5 * width),)).intensity(np.cos(theta))
            share = rng.uniform(0.2, 0.5)
            values = share * narrow + (1 - share) * wide
        case 1:  # a plateau with a softer flank
            values = base * (1 - rng.uniform(0.05, 0.25) * np.exp(-((theta / (22 * DEGREE)) ** 2)))
        case 2:  # a hot middle
            values = base * (1 + rng.uniform(0.05, 0.3) * np.exp(-((theta / (15 * DEGREE)) ** 2)))
        case _:  # light that strays to the side
            values = base + rng.uniform(0.0, 0.06) * base[0] * np.sin(theta) ** 2 * (np.cos(theta) > 0.1)
    lobe = TableLobe(tuple(theta.tolist()), (0.0,), tuple((float(v),) for v in values))
    return replace(emitter, lobe=lobe)


def trial(b: Bench, seed: int, *, real: bool = True, wild: int = 1, weak: int = 0) -> Trial:
    """Draw a truth and read it; not ``real``: the model's own unknowns alone are off."""
    rng = np.random.default_rng([seed, len(b.fixtures)])
    tank, fixtures = b.tank, list(b.fixtures)
    sorts = {f.emitter.technology + str(f.emitter.ppf): np.exp(rng.normal(0, 0.12)) for f in fixtures}
    beams: dict[str, Emitter] = {}
    outputs = np.array([sorts[f.emitter.technology + str(f.emitter.ppf)] for f in fixtures])
    outputs *= np.exp(rng.normal(0, 0.08, len(fixtures)))
    panes = [pane.factor for pane in tank.panes()]
    if real:
        panes = [float(np.clip(p + rng.normal(0, 0.03 if p < 0.2 else 0.07), 0, 1)) for p in panes]
        for k, f in enumerate(fixtures):
            sort = f.emitter.technology + str(f.emitter.ppf)
            if sort not in beams:
                beams[sort] = _beam(f.emitter, rng)
            e = replace(f.emitter, lobe=beams[sort].lobe, fwhm=beams[sort].fwhm)
            e = replace(
                e, x=e.x + rng.uniform(-0.02, 0.02), y=e.y + rng.uniform(-0.02, 0.02),
                roll=rng.uniform(-3, 3) * DEGREE, pitch=rng.uniform(-3, 3) * DEGREE,
            )  # fmt: skip
            if len(e.channels) > 1:
                shares = np.array([c.share for c in e.channels]) * np.exp(rng.normal(0, 0.2, len(e.channels)))
                e = replace(
                    e,
                    channels=tuple(replace(c, share=s) for c, s in zip(e.channels, shares / shares.sum(), strict=True)),
                )
            fixtures[k] = replace(f, emitter=e)
        water = tank.water.losing(float(rng.uniform(0.0, 0.2)))
    else:
        shift = {p: rng.normal(0, 0.03 if p < 0.2 else 0.08) for p in set(panes)}
        panes = [float(np.clip(p + shift[p], 0, 1)) for p in panes]
        wider = float(np.exp(rng.normal(0, 0.03)))
        fixtures = [replace(f, emitter=f.emitter.widened(wider)) for f in fixtures]
        water = tank.water.losing(max(0.0, tank.water.loss + rng.normal(0, 0.02)))
    for k in rng.permutation(len(fixtures))[:weak]:
        outputs[k] *= WEAK
    fixtures = [replace(f, measured=float(o)) for f, o in zip(fixtures, outputs, strict=True)]
    medium = medium_like(medium_of(tank), replace(tank.with_optics(panes, water.loss), water=water))
    par = fixture_fields(medium, fixtures, np.concatenate([b.points, b.held])).sum(axis=0)
    n = len(b.points)
    readings, bad = par[:n] * np.exp(rng.normal(0, NOISE, n)), np.zeros(n, dtype=bool)
    for i in rng.choice(n, wild, replace=False):
        readings[i] *= rng.choice([0.4, 2.0])
        bad[i] = True
    return Trial(np.maximum(1.0, readings), par[n:], bad, outputs)


@dataclass
class Outcome:
    """Logarithm of held-out PAR over the corrected map, with its deviation there; how far off each output is [-]."""

    off: Array
    sd: Array
    outputs: Array
    calibration: Calibration

    @property
    def rms(self) -> float:
        return float(np.sqrt((self.off**2).mean()))

    @property
    def covered(self) -> float:
        """Share of held-out places inside the 90 % band [-]."""
        return float((np.abs(self.off) < 1.645 * self.sd).mean())


def outcome(b: Bench, true: Trial) -> Outcome:
    """Correct the tank as entered by the readings, and compare."""
    noise = np.sqrt(NOISE**2 + (1 / true.readings) ** 2)
    unknowns = Parameters(b.tank, b.fixtures)
    found = calibrate(b.medium, unknowns, b.points, true.readings.tolist(), noise, b.at_points)
    lit = true.held > 0.1 * true.held.max()
    there = Sensitivities.around(b.medium, found.unknowns, b.held[lit], found.vector)
    off = np.log(true.held[lit]) - there.log_par(found.vector) - found.smooth.at(b.held[lit])
    sd = np.sqrt(found.smooth.variance(b.held[lit], there.jacobian(found.vector)))
    lamps = len(b.fixtures)
    return Outcome(off, sd, np.exp(found.vector[:lamps]) / true.outputs - 1, found)


CASES = {
    "as modelled": {"real": False, "wild": 0},
    "as in reality": {},
    "one weak lamp": {"real": False, "wild": 0, "weak": 1},
    "one weak, reality": {"weak": 1},
}


def trials(name: str, count: int, **kinds: object) -> Iterator[Outcome]:
    b = bench(name)
    return (outcome(b, trial(b, seed, **kinds)) for seed in range(count))  # type: ignore[arg-type]


def survey_trials(count: int = 6) -> None:
    """Print the table: median and ninth tenth of the map's error, and the share inside its 90 % band."""
    print(f"{'held-out error, 12 readings of 5 %':<22}" + "".join(f"{case:>26}" for case in CASES))
    print(f"{'':<22}" + f"{'median  90 %  in band':>26}" * len(CASES))
    for name in sized(list(tanks()), ["column"]):
        cells = []
        for kinds in CASES.values():
            found = list(trials(name, sized(count, 1), **kinds))
            rms = np.array([o.rms for o in found])
            cells.append(
                f"{100 * np.median(rms):9.1f} {100 * np.quantile(rms, 0.9):6.1f}"
                f" {100 * np.mean([o.covered for o in found]):6.0f} %"
            )
        print(f"{name:<22}" + "".join(f"{cell:>26}" for cell in cells), flush=True)


if __name__ == "__main__":
    survey_trials(int(sys.argv[1]) if len(sys.argv) > 1 else 6)

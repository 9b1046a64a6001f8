"""The unknowns of a lit tank as one vector with its prior: outputs, reflectances, water, beams, places."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import SIDES, Pane, Tank
from corlume.core.light.lobe import TableLobe
from corlume.core.light.survey_correction import Correction, Sort, fixture_sort
from corlume.core.survey.priors import (
    ATTENUATION,
    CDOM,
    DARK,
    DARK_BELOW,
    EACH,
    FLUX,
    GLASS,
    LOBE_FILE,
    LOBE_TOLD,
    LOBE_USUAL,
    MIDDLE,
    PLACE,
    PLAIN,
    SIDES_OF_BEAM,
    WEAK,
    WEAK_OUTPUT,
    WORN,
    Prior,
)

Array = NDArray[np.float64]
What = Literal["output", "return", "water", "wider", "middle", "sides", "right", "back"]
LEAST_OUTPUT, MOST_OUTPUT = 0.2, 3.0
"""A fixture that works gives from so much to so much of its figure [-]."""
LEAST_WEAK = 0.005
"""Less than this of its figure is as good as nothing [-]."""
MOST_WIDER = 0.3
"""A beam's width is off by less than this share [-]."""
MOST_BENT = 1.0
"""A shape mode of a beam changes the logarithm of its intensity by less than this [-]."""
MOST_OFF = 0.06
"""A fixture hangs less than this from its place as entered, along each axis [m]."""


@dataclass(frozen=True, slots=True)
class Parameter:
    """One unknown.

    Parameters
    ----------
    what : which number: output of a fixture, reflectance of panes, the water's loss, beam width, the two shape modes
        of a beam, and how far right and back of its place a fixture hangs.
    of : of what: indices of the fixtures, or of the panes in the order of ``SIDES``; empty for the water.
    label : in words.
    prior : how far it can be off, and why.
    start, low, high : of the number in the vector: logarithms for output and beam width, plain for the others.
    """

    what: What
    of: tuple[int, ...]
    label: str
    prior: Prior
    start: float
    low: float
    high: float


@dataclass(frozen=True)
class Parameters:
    """The unknowns of a tank under some fixtures; vectors of them are in the order of ``all``.

    Parameters
    ----------
    weak : fixtures, by index, that are taken to give next to nothing: their outputs follow none of their sort.
    misfit : places and the shapes of beams are taken to be so many times as far off as they can usually be [-].
    """

    tank: Tank
    fixtures: tuple[Fixture, ...]
    weak: tuple[int, ...] = ()
    misfit: float = 1.0

    @cached_property
    def all(self) -> tuple[Parameter, ...]:
        """Every unknown: outputs, reflectances of panes alike, water, beams by sort of fixture, places."""
        found = [self._output(i) for i in range(len(self.fixtures))]
        for sides, pane in self.alike:
            names = [SIDES[k] for k in sides]
            named = " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)
            label = f"Reflectance of the {named} pane{'s' * (len(names) > 1)}"
            found.append(Parameter("return", sides, label, _reflectance(pane), pane.factor, 0.0, 1.0))
        water = self.tank.water
        label, prior = ("Attenuation", ATTENUATION) if water.kind == "plain" else ("CDOM absorption", CDOM)
        prior = replace(prior, sd=max(prior.sd, 0.5 * water.loss))
        found.append(Parameter("water", (), label, prior, water.loss, 0.0, 5.0))
        wide = math.log(1 + MOST_WIDER)
        for mine in self.sorts.values():
            first = self.fixtures[mine[0]]
            name = first.name or "the fixture"
            many = f" and {len(mine) - 1} alike" if len(mine) > 1 else ""
            guessed = first.basis == "watts" and first.emitter.made_by.lensed
            width = LOBE_FILE if isinstance(first.emitter.lobe, TableLobe) else LOBE_USUAL if guessed else LOBE_TOLD
            found.append(Parameter("wider", mine, f"Beam width of {name}{many}", width, 0.0, -wide, wide))
            for what, prior, label in (("middle", MIDDLE, "middle"), ("sides", SIDES_OF_BEAM, "sides")):
                bent = Parameter(what, mine, f"Beam of {name}{many}, {label}", prior, 0.0, -MOST_BENT, MOST_BENT)  # type: ignore[arg-type]
                found.append(bent)
        for i, f in enumerate(self.fixtures):
            name = f.name or "the fixture"
            found += [
                Parameter(what, (i,), f"Place of {name}, {axis}", PLACE, 0.0, -MOST_OFF, MOST_OFF)  # type: ignore[arg-type]
                for what, axis in (("right", "left to right"), ("back", "front to back"))
            ]
        return tuple(found)

    def _output(self, i: int) -> Parameter:
        f = self.fixtures[i]
        label = f"Output of {f.name or 'the fixture'}"
        if i in self.weak:
            return Parameter("output", (i,), label, WEAK, math.log(WEAK_OUTPUT), math.log(LEAST_WEAK), 0.0)
        return Parameter("output", (i,), label, output_prior(f), 0.0, math.log(LEAST_OUTPUT), math.log(MOST_OUTPUT))

    @cached_property
    def alike(self) -> list[tuple[tuple[int, ...], Pane]]:
        """Panes, by index, that were entered alike and so share an error."""
        groups: dict[Pane, list[int]] = {}
        for side, pane in enumerate(self.tank.panes()):
            groups.setdefault(pane, []).append(side)
        return [(tuple(sides), pane) for pane, sides in groups.items()]

    @cached_property
    def sorts(self) -> dict[Sort, tuple[int, ...]]:
        """Fixtures, by index, of each sort."""
        groups: dict[Sort, list[int]] = {}
        for i, f in enumerate(self.fixtures):
            groups.setdefault(fixture_sort(f.emitter), []).append(i)
        return {sort: tuple(mine) for sort, mine in groups.items()}

    def where(self, *what: What) -> NDArray[np.int64]:
        """Positions of some kinds of unknowns in the vector."""
        return np.flatnonzero([one.what in what for one in self.all])

    @cached_property
    def start(self) -> Array:
        """The vector as entered; the output of a failing lamp for a suspected one."""
        return np.array([one.start for one in self.all])

    @cached_property
    def bounds(self) -> tuple[Array, Array]:
        """Lower and upper bounds of the vector."""
        return np.array([one.low for one in self.all]), np.array([one.high for one in self.all])

    @cached_property
    def covariance(self) -> Array:
        """Prior covariance (p, p): fixtures of one sort share what is wrong with their figure."""
        found = np.diag([(one.prior.sd * (self.misfit if one.what in MISFITS else 1.0)) ** 2 for one in self.all])
        for mine in self.sorts.values():
            for i in mine:
                for j in mine:
                    if i != j and i not in self.weak and j not in self.weak:
                        found[i, j] = FLUX[self.fixtures[i].basis].sd ** 2
        return found

    def applied(self, vector: Array) -> tuple[Tank, tuple[Fixture, ...]]:
        """The tank and the fixtures under given values of the unknowns."""
        shares = [pane.factor for pane in self.tank.panes()]
        loss, fixtures = self.tank.water.loss, list(self.fixtures)
        shape = np.zeros((len(fixtures), 5))
        for one, value in zip(self.all, vector.tolist(), strict=True):
            match one.what:
                case "return":
                    for side in one.of:
                        shares[side] = min(1.0, max(0.0, value))
                case "water":
                    loss = max(0.0, value)
                case "output":
                    if value:
                        known = fixtures[one.of[0]]
                        fixtures[one.of[0]] = replace(known, measured=known.measured * math.exp(value))
                case _:
                    shape[list(one.of), SHAPES.index(one.what)] = value
        for i, (wider, middle, sides, right, back) in enumerate(shape.tolist()):
            e = fixtures[i].emitter.widened(math.exp(wider)).bent(middle, sides)
            if right or back:
                e = replace(e, x=e.x + right, y=e.y + back)
            if e is not fixtures[i].emitter:
                fixtures[i] = replace(fixtures[i], emitter=e)
        return self.tank.with_optics(shares, loss), tuple(fixtures)

    def found_by(self, correction: Correction | None) -> Array:
        """The vector (p,) in a survey's correction for these fixtures; as entered where it has none."""
        vector = self.start.copy()
        if correction is None:
            return vector
        for k, one in enumerate(self.all):
            if one.what == "return":
                vector[k] = correction.returns[one.of[0]]
            elif one.what == "water":
                vector[k] = correction.water
            else:
                f = self.fixtures[one.of[0]]
                beam, (right, back) = correction.beam(f.emitter), correction.shift(f.emitter)
                vector[k] = {
                    "output": math.log(correction.output(f.name, f.emitter)), "wider": math.log(beam[0]),
                    "middle": beam[1], "sides": beam[2], "right": right, "back": back,
                }[one.what]  # fmt: skip
        found: Array = np.clip(vector, *self.bounds)
        return found

    def suspecting(self, weak: Sequence[int]) -> Parameters:
        """The unknowns with some fixtures, by index, suspected to fail."""
        return replace(self, weak=tuple(sorted(weak)))


MISFITS: tuple[What, ...] = ("middle", "sides", "right", "back")
SHAPES: tuple[What, ...] = ("wider", "middle", "sides", "right", "back")


def output_prior(fixture: Fixture) -> Prior:
    """Prior of the output of a working fixture, relative to its figure."""
    flux, worn = FLUX[fixture.basis], WORN * abs(math.log(fixture.light_loss_factor))
    return Prior(math.sqrt(flux.sd**2 + EACH.sd**2 + worn**2), flux.basis)


def _reflectance(pane: Pane) -> Prior:
    if pane.kind == "glass":
        return GLASS
    return DARK if pane.factor < DARK_BELOW else PLAIN

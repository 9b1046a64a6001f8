"""What is not known of a lit tank, as one vector with its prior: outputs, returns, water, lobe."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from corlume.core.fixture import Fixture
from corlume.core.geometry import SIDES, Pane, Tank
from corlume.core.optics.correction import sort_of
from corlume.core.optics.lobe import TableLobe
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
    PLAIN,
    WORN,
    Prior,
)

Array = NDArray[np.float64]
LEAST_OUTPUT, MOST_OUTPUT = 0.2, 3.0
"""A fixture is held to give from so much to so much of what was told [-]."""
MOST_WIDER = 0.3
"""The lobe's width is held to be off by less than this share [-]."""


@dataclass(frozen=True, slots=True)
class Unknown:
    """One number that is not known.

    Parameters
    ----------
    key : "output.2" by the fixture's index, "return.left,right" by the panes alike, "water", "lobe".
    label : in words.
    prior : how far it can be off, and why.
    start, low, high : of the number in the vector: logarithms for output and lobe, plain for the others.
    """

    key: str
    label: str
    prior: Prior
    start: float
    low: float
    high: float


@dataclass(frozen=True)
class Unknowns:
    """The unknowns of a tank under some fixtures; vectors of them are in the order of ``all``."""

    tank: Tank
    fixtures: tuple[Fixture, ...]

    @cached_property
    def all(self) -> tuple[Unknown, ...]:
        """Every unknown: one output a fixture, one return for panes that are alike, the water, the lobe."""
        found = [
            Unknown(f"output.{i}", f"Output of {f.name or 'the fixture'}", _output(f), 0.0,
                    math.log(LEAST_OUTPUT), math.log(MOST_OUTPUT))
            for i, f in enumerate(self.fixtures)
        ]  # fmt: skip
        for sides, pane in self.alike:
            named = " and ".join([", ".join(sides[:-1]), sides[-1]] if len(sides) > 1 else sides)
            label = f"Return of the {named} pane{'s' * (len(sides) > 1)}"
            found.append(Unknown("return." + ",".join(sides), label, _return(pane), pane.factor, 0.0, 1.0))
        water = self.tank.water
        label, prior = ("Attenuation", ATTENUATION) if water.kind == "plain" else ("CDOM absorption", CDOM)
        prior = replace(prior, sd=max(prior.sd, 0.5 * water.loss))
        found.append(Unknown("water", label, prior, water.loss, 0.0, 5.0))
        tables = all(isinstance(f.emitter.lobe, TableLobe) for f in self.fixtures)
        wide = math.log(1 + MOST_WIDER)
        found.append(Unknown("lobe", "Width of the lobes", LOBE_FILE if tables else LOBE_TOLD, 0.0, -wide, wide))
        return tuple(found)

    @cached_property
    def alike(self) -> list[tuple[tuple[str, ...], Pane]]:
        """Panes that were told alike, and so are held to be off alike."""
        groups: dict[Pane, list[str]] = {}
        for side, pane in zip(SIDES, self.tank.panes(), strict=True):
            groups.setdefault(pane, []).append(side)
        return [(tuple(sides), pane) for pane, sides in groups.items()]

    @cached_property
    def start(self) -> Array:
        """The vector of what was told."""
        return np.array([one.start for one in self.all])

    @cached_property
    def bounds(self) -> tuple[Array, Array]:
        """The lowest and highest vector."""
        return np.array([one.low for one in self.all]), np.array([one.high for one in self.all])

    @cached_property
    def covariance(self) -> Array:
        """Prior covariance (p, p): fixtures of one sort share what is wrong with their figure."""
        found = np.diag([one.prior.sd**2 for one in self.all])
        for i, a in enumerate(self.fixtures):
            for j, b in enumerate(self.fixtures):
                if i != j and sort_of(a.emitter) == sort_of(b.emitter):
                    found[i, j] = FLUX[a.basis].sd ** 2
        return found

    def applied(self, vector: Array) -> tuple[Tank, tuple[Fixture, ...]]:
        """The tank and the fixtures as they are if the unknowns are so."""
        n = len(self.fixtures)
        shares = {side: float(v) for (sides, _), v in zip(self.alike, vector[n:-2], strict=True) for side in sides}
        returns = [min(1.0, max(0.0, shares[side])) for side in SIDES]
        tank = self.tank.with_optics(returns, max(0.0, float(vector[-2])))
        factor = math.exp(vector[-1])
        fixtures = tuple(
            replace(f, emitter=f.emitter.widened(factor), measured=f.measured * math.exp(v))
            for f, v in zip(self.fixtures, vector, strict=False)
        )
        return tank, fixtures


def _output(fixture: Fixture) -> Prior:
    flux, worn = FLUX[fixture.basis], WORN * abs(math.log(fixture.light_loss_factor))
    return Prior(math.sqrt(flux.sd**2 + EACH.sd**2 + worn**2), flux.basis)


def _return(pane: Pane) -> Prior:
    if pane.kind == "glass":
        return GLASS
    return DARK if pane.factor < DARK_BELOW else PLAIN

"""Lost light: spill past the opening, and light on braces over the water."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

from corlume.core.light.emitter import MEAN_YIELD, Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.flux_budget import FluxBudget, flux_budget
from corlume.core.light.geometry import Tank
from corlume.core.light.spectrum import photon_yield


def spilled(tank: Tank, fixtures: Sequence[Fixture]) -> float:
    """Share of all light that misses the opening [-]."""
    budgets = [(f.strength, _budget(tank, f.emitter)) for f in fixtures]
    given = sum(output * b.ppf for output, b in budgets)
    return sum(output * b.spilled for output, b in budgets) / given if given else 0.0


def taken_by_braces(tank: Tank, fixtures: Sequence[Fixture]) -> tuple[float, ...]:
    """Share of each fixture's light that braces and edges over the water block of what would enter [-]."""
    if not tank.braces:
        return (0.0,) * len(fixtures)
    free = replace(tank, braces=())
    pairs = [(_budget(tank, f.emitter).entered, _budget(free, f.emitter).entered) for f in fixtures]
    return tuple(1 - entered / whole if whole > 0 else 0.0 for entered, whole in pairs)


def light_watts(tank: Tank, fixtures: Sequence[Fixture]) -> float:
    """Power of the light that enters the water at the present settings [W]; all of it ends as heat."""
    return sum(_budget(tank, f.emitter).entered * _joules(f) for f in fixtures)


def _joules(fixture: Fixture) -> float:
    """Energy of a fixture at its present setting per micromole of full light [J/umol]."""
    parts = zip(fixture.strengths, fixture.emitter.channels, strict=True)
    return sum(s * c.share / (photon_yield(c.spectrum) if c.spectrum else MEAN_YIELD) for s, c in parts)


@lru_cache(maxsize=256)
def _budget(tank: Tank, emitter: Emitter) -> FluxBudget:
    return flux_budget(tank, emitter)

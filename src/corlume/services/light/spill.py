"""Lost light: spill past the opening, and light on braces over the water."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.flux_budget import FluxBudget, flux_budget
from corlume.core.light.geometry import Tank


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


@lru_cache(maxsize=256)
def _budget(tank: Tank, emitter: Emitter) -> FluxBudget:
    return flux_budget(tank, emitter)

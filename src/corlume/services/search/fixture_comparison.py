"""Fixtures of the library over one tank: equally spaced, at their best, and the cost of an inch off."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.judging.figures import Figures
from corlume.core.search.layout import Layout
from corlume.core.search.layout_search import levelled
from corlume.core.search.rules_of_thumb import balanced
from corlume.core.units import INCH
from corlume.formats.round_steps import STEPS, RoundSteps
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.search.candidate import Found, SearchCase
from corlume.services.search.layout_scores import judged
from corlume.services.search.light_types import quick_layout
from corlume.services.search.starting_points import default_request
from corlume.store.tanks import StoredSetup, StoredTank

MOST_SIDE = 6


@dataclass(frozen=True, slots=True)
class ComparedFixture:
    """One fixture of the library over the tank.

    Parameters
    ----------
    best : so many of it where the search puts them.
    even : the figures of as many, balanced, at their own best levels; None for one.
    inch : by how much the light changes when the first hangs an inch aside: RMS of the change as a share of the PAR
        wanted, the worse of both ways [-].
    """

    entry: CatalogueEntry
    best: Found
    even: Figures | None
    inch: float


def compare_fixtures(
    stored: StoredTank, setup: StoredSetup, entries: Sequence[CatalogueEntry], steps: RoundSteps = STEPS["cm"]
) -> list[ComparedFixture]:
    """Compare fixtures for the goal of a setup; ``InvalidInput`` by "entries" for more than six, or none."""
    rules = Rules()
    rules.that(bool(entries), "entries", "are none: tick at least one")
    rules.that(len(entries) <= MOST_SIDE, "entries", f"are {len(entries)}: at most {MOST_SIDE} stand side by side")
    rules.finish()
    found = []
    for entry in entries:
        wish = default_request(stored, entry, steps, setup.intent)
        _, best, _ = quick_layout(stored, [entry], wish, lambda _: 1.0)
        if best:
            case, layout = best
            found.append(ComparedFixture(entry, judged(case, layout), _balanced(case, layout), inch_off(case, layout)))
    return found


def _balanced(case: SearchCase, layout: Layout) -> Figures | None:
    """The layout with the same count and height at equal spacing, at its own best levels."""
    places = balanced(len(layout.places), case.laid.side)
    if len(places) < 2 or not case.laid.apart(places):
        return None
    return judged(case, levelled(case.columns, case.space, replace(layout, places=places))).figures


def inch_off(case: SearchCase, layout: Layout) -> float:
    """Change of the light when the first column hangs an inch aside, with levels as they are: RMS of the change over
    target PAR, the worse way [-].
    """
    first, *others = layout.places
    as_it_hangs, wanted = _par(case, layout, layout.places), case.columns.aim.wanted
    moved = [_par(case, layout, (first + way * INCH, *others)) for way in (1, -1)]
    return max(float(np.sqrt(np.mean(((par - as_it_hangs) / wanted) ** 2))) for par in moved)


def _par(case: SearchCase, layout: Layout, places: Sequence[float]) -> NDArray[np.float64]:
    """PAR at the target's places, with the columns elsewhere [umol/m2/s]."""
    module, points = case.laid.module, case.columns.aim.points
    par = np.zeros(len(points))
    for place, level in zip(places, layout.levels, strict=True):
        fields = layout.fields(case.columns.medium, module, place, points)
        for field, (dims, _) in zip(fields, module.groups(), strict=True):
            par += (level if dims else 1.0) * field
    return par

"""Judge a setup: its figures and verdicts, the same for every page and command.

Light falls into the tank with the shade of its corals, where it is set to have it; for a tank without, pass one whose
corals were taken out.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from corlume.core.judging.figures import (
    EndFigures,
    FigurePart,
    Figures,
    LightFigures,
    finite_mean,
    hottest,
    share_within,
)
from corlume.core.judging.intent import Intent, Places, Purpose, places_of, wanted_in
from corlume.core.judging.ring_means import RingRow, ring_row
from corlume.core.judging.target_zones import TargetZone
from corlume.core.judging.verdicts import Verdict, VerdictCase, coral_verdict, judge
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.services.light.fields import judged_planes, masked, open_plane, par_in
from corlume.services.light.layers import fluctuation_at
from corlume.services.light.points import PlaneSpec, WaterPoint, same_tank, surfaces_of
from corlume.services.light.spill import spilled
from corlume.services.light.uncertainty import doubts
from corlume.services.placement.zone_placement import coral_change
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]


def figures(stored: StoredTank, fixtures: Sequence[Fixture], intent: Intent) -> Figures:
    """Work out the figures by which a setup is judged."""
    tank, targets = same_tank(stored.lit_tank()), stored.targets
    plane, water, points = judged_planes(tank, fixtures)
    parts, judged = [], judged_places(stored, intent)
    for places, par in zip(judged, _par_of(tank, fixtures, judged), strict=True):
        low, high = wanted_in(places, intent, targets)
        parts.append(FigurePart(places.key, places.name, low, high, LightFigures.of(par), share_within(par, low, high)))
    watts, day = sum(f.power for f in fixtures), stored.running.day
    return Figures(
        depth=tank.rock_top(),
        plane=LightFigures.of(plane),
        ends=EndFigures.of(plane),
        parts=tuple(parts),
        volume_share=share_within(water, *targets.volume_band()),
        hottest=hottest(np.concatenate([plane.ravel(), water]), points),
        spill=spilled(tank, fixtures),
        watts=watts,
        price=stored.running.yearly(fixtures),
        hours=1000 * sum(day.energy(f) for f in fixtures) / watts if watts else 0.0,
        shimmer=None if intent.shimmer == "any" else shimmer_of(stored, fixtures),
    )


def shimmer_of(stored: StoredTank, fixtures: Sequence[Fixture]) -> float:
    """Shimmer over the middle of the tank at the rock top: standard deviation over mean [-]."""
    tank = same_tank(stored.lit_tank())
    return fluctuation_at(tank, fixtures, WaterPoint(tank.length / 2, tank.width / 2, tank.rock_top()))


def mean_on_top(stored: StoredTank, fixtures: Sequence[Fixture]) -> float:
    """Mean PAR over the plane at the rock top, equal to that of ``figures``; 0 where all of that is rock."""
    plane, _, _ = judged_planes(same_tank(stored.lit_tank()), fixtures)
    mean = finite_mean(plane)
    return mean if mean == mean else 0.0


def verdict_case(stored: StoredTank, fixtures: Sequence[Fixture], intent: Intent) -> VerdictCase:
    """Everything a setup is judged by."""
    return VerdictCase(figures(stored, fixtures, intent), stored.targets, intent)


def verdicts(stored: StoredTank, fixtures: Sequence[Fixture], intent: Intent) -> list[Verdict]:
    """Judge a setup, and whether its corals are in range."""
    found = verdicts_of_case(stored, verdict_case(stored, fixtures, intent))
    placed = coral_change(stored, fixtures, fixtures)
    if placed.placed:
        found.insert(-1, coral_verdict(placed.placed, [(m.coral.card.name, m.after, m.miss) for m in placed.stay_out]))
    return found


def verdicts_in_doubt(stored: StoredTank, fixtures: Sequence[Fixture], intent: Intent) -> list[Verdict]:
    """Verdicts with the other grades that the uncertainty of the light allows, from judging with fixtures a standard
    deviation off.
    """
    found, others = verdicts(stored, fixtures, intent), list[Verdict]()
    for factors in doubts(same_tank(stored.under(None).lit_tank()), fixtures, stored.survey):
        off = [replace(f, measured=f.measured * k) for f, k in zip(fixtures, factors, strict=True)]
        others += verdicts(stored, off, intent)
    return [verdict.in_doubt(others) for verdict in found]


def verdicts_of_case(stored: StoredTank, case: VerdictCase) -> list[Verdict]:
    """Verdicts of a case computed before."""
    return judge(case, money=stored.running.currency)


def judged_places(stored: StoredTank, intent: Intent) -> tuple[Places, ...]:
    """Places that a setup is judged by; the same object while tank, zones and goal stay the same."""
    bare = replace(stored.tank, colonies=())
    purpose = intent.meant(stored.targets.stocking)
    zones = tuple(kept.value for kept in stored.wanted) if purpose == "zones" else ()
    return _places(bare, purpose, intent.strong(bare), zones)


@lru_cache(maxsize=64)
def _places(tank: Tank, purpose: Purpose, strong: float, zones: tuple[TargetZone, ...]) -> tuple[Places, ...]:
    return places_of(tank, purpose, strong, surfaces_of(tank), open_plane(tank), zones)


def _par_of(tank: Tank, fixtures: Sequence[Fixture], judged: tuple[Places, ...]) -> list[Array]:
    """PAR (n,) at the points of each of some places, computed in one call."""
    if not judged:
        return []
    par = par_in(tank, fixtures, _together(judged))
    return np.split(par, np.cumsum([len(places.points) for places in judged])[:-1])


def judged_points(stored: StoredTank, intent: Intent) -> list[PlaneSpec]:
    """All points whose PAR verdicts follow from, so that they can be computed together."""
    judged = judged_places(stored, intent)
    return [PlaneSpec("judged"), *([PlaneSpec("places", _together(judged))] if judged else [])]


@lru_cache(maxsize=64)
def _together(judged: tuple[Places, ...]) -> Places:
    return Places("all", "all that is judged", np.concatenate([places.points for places in judged]))


def rings(stored: StoredTank, fixtures: Sequence[Fixture], depths: Sequence[float]) -> list[RingRow]:
    """Ring means at those of some depths [m] that lie above the sand."""
    tank = same_tank(stored.lit_tank())
    return [ring_row(masked(tank, fixtures, spec)[:, :, 0], depth) for depth, spec in ring_points(tank, depths).items()]


def ring_points(tank: Tank, depths: Sequence[float]) -> dict[float, PlaneSpec]:
    """Points of ring means at those of some depths [m] that lie above the sand."""
    return {depth: PlaneSpec("ring", float(depth)) for depth in depths if depth < tank.sand_depth}

"""Figures of a search's layout, judged as on the PAR map, priced, with its limits and reasons."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from corlume.core.judging.figures import LightFigures
from corlume.core.judging.intent import BLANKETS
from corlume.core.light.field import grid
from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.search.layout import Layout
from corlume.core.search.layout_search import levelled
from corlume.core.search.rules_of_thumb import balanced
from corlume.services.judging.judge import figures
from corlume.services.keeping.target_zones import zones_met
from corlume.services.light.points import same_tank
from corlume.services.light.spill import taken_by_braces
from corlume.services.search.candidate import Found, SearchCase
from corlume.services.search.costs import five_year_costs
from corlume.services.search.layout_reasons import reasons_for
from corlume.services.search.search_request import PLANE, intent_of
from corlume.store.tanks import StoredTank

BRACED = 0.1
"""Share of a fixture's light that a brace may take before an answer says so [-]; ours."""


def trade(case: SearchCase, layout: Layout) -> tuple[float, float, float]:
    """Height, uniformity at the rock top, and mean PAR there by 100 W of a layout."""
    tank, top = case.stored.tank, case.stored.tank.rock_top()
    points = grid(tank, (*PLANE, 1), depths=(top, top))
    fixtures = layout.fixtures(case.laid.module)
    fields = [
        layout.fields(case.columns.medium, case.laid.module, place, points.reshape(-1, 3)) for place in layout.places
    ]
    groups = case.laid.module.groups()
    par = sum(
        (level if dims else 1.0) * field[g]
        for field, level in zip(fields, layout.levels, strict=True)
        for g, (dims, _) in enumerate(groups)
    )
    light = LightFigures.of(np.where(tank.in_rock(points), np.nan, np.asarray(par).reshape(points.shape[:-1])))
    watts = sum(f.power for f in fixtures)
    return layout.height, light.tenth_share, 100 * light.mean / watts if watts else 0.0


def judged(case: SearchCase, layout: Layout) -> Found:
    """A result judged as on the PAR map, with what limits it."""
    stored, space = case.stored, case.space
    everything = (*case.hung(layout), *space.others)
    figured = figures(stored, everything, intent_of(stored, case.wish))
    binds = [
        f"{part.name[0].upper()}{part.name[1:]}: {part.light.mean:.0f} PAR on average where {part.low:g} to "
        f"{part.high:g} is wanted"
        for part in figured.parts
        if part.key != "low" and not 0.95 * part.low <= part.light.mean <= 1.05 * part.high
    ]
    if layout.height >= space.heights[-1] - 1e-6:
        binds.append("Limited by the highest height allowed")
    if layout.height <= space.heights[0] + 1e-6 and len(space.heights) > 1:
        binds.append("Limited by the lowest height allowed")
    if any(level > 0.995 for level in layout.levels) and case.laid.module.dims:
        binds.append("Limited by full output: stronger or more fixtures would come nearer")
    if len(layout.places) > 1 and min(np.diff(layout.places)) <= space.gap + 0.005:
        binds.append("Limited by space: fixtures touch")
    if figured.watts > 0.98 * case.wish.watts > 0:
        binds.append("Limited by power: more watts would come nearer")
    if case.wish.money and case.price and len(layout.places) == space.counts[-1] < case.wish.counts[1]:
        binds.append("Limited by money: one more would cost over it")
    binds += braced(stored, everything)
    money, met = five_year_costs(stored, everything, case.sold, case.kept), tuple(zones_met(stored, everything))
    return Found(case.named(layout), everything, layout, figured, money.running, money.buy, tuple(binds), met)


def braced(stored: StoredTank, fixtures: Sequence[Fixture]) -> list[str]:
    """Light of overhanging fixtures that braces block, in words."""
    taken = taken_by_braces(same_tank(stored.lit_tank()), fixtures)
    told = [f"{100 * share:.0f} % of {letter(i)}" for i, share in enumerate(taken) if share >= BRACED]
    return [f"A brace blocks light: {', '.join(told)}"] * bool(told)


def reasoned(case: SearchCase, found: Found, setup: Sequence[Fixture]) -> Found:
    """A result with its reasons, compared with equal spacing at its own best levels and with what hangs now."""
    stored, layout, laid = case.stored, found.layout, case.laid
    places = tuple(
        round(round(x / case.wish.grain) * case.wish.grain, 6) for x in balanced(len(layout.places), laid.side)
    )
    even = replace(layout, places=places)
    rule, room = None, len(layout.places) > 1 and min(np.diff(even.places)) >= laid.gap
    if room and all(even.fits(laid.module, place, case.space.others) for place in even.places):
        even = levelled(case.columns, case.space, even)
        rule = figures(stored, [*case.hung(even), *case.space.others], intent_of(stored, case.wish))
    told = reasons_for(layout, even, found.figures, rule, setup, blanket=case.wish.purpose in BLANKETS)
    return replace(found, reasons=tuple(told))

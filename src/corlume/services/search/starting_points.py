"""Starting points by the trade's rules, each computed over the keeper's own tank."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from corlume.core.judging.figures import Figures
from corlume.core.judging.intent import BY_STOCKING, Intent
from corlume.core.light.fixture import Fixture
from corlume.core.search.layout import Layout
from corlume.core.search.rules_of_thumb import balanced, patches, wider
from corlume.formats.round_steps import STEPS, RoundSteps
from corlume.reference.catalogue import CatalogueEntry, catalogue
from corlume.services.judging.judge import figures, mean_on_top
from corlume.services.search.arrangement import CLEARANCE, Arrangement, arrangement_of, as_found, by_rule, column_counts
from corlume.services.search.search_request import SearchRequest, WishPurpose
from corlume.store.tanks import StoredTank

FOOT, SMALL = 0.3048, 70.0
"""Side of the patch of one small module in a grid [m], and the PPF up to which a module is small [umol/s]."""
MID_SIZE, DOUBLE = (100.0, 220.0), "cluster-large"
"""PPF of a mid-size module [umol/s], and the double-size one that serves a single patch of SPS in place of two."""


@dataclass(frozen=True, slots=True)
class StartingPoint:
    """A starting point by rule, with its fixtures and figures; ``name`` is that of the fixture."""

    name: str
    rule: str
    why: str
    fixtures: tuple[Fixture, ...]
    figures: Figures


@dataclass(frozen=True, slots=True)
class _Bench:
    """Tank, goal and round steps for starting points."""

    stored: StoredTank
    intent: Intent
    steps: RoundSteps

    def round(self, places: Sequence[float]) -> tuple[float, ...]:
        """Places rounded to multiples of the grain [m]."""
        return tuple(round(round(x / self.steps.grain) * self.steps.grain, 6) for x in places)


def default_request(
    stored: StoredTank, entry: CatalogueEntry, steps: RoundSteps = STEPS["cm"], intent: Intent = BY_STOCKING
) -> SearchRequest:
    """The usual request for this tank and fixture, with the goal of a setup."""
    tank = stored.tank
    counts = list(column_counts(stored, entry))
    high = max(round(min(0.6, tank.room_height - 0.1), 2), min(0.05, tank.room_height - CLEARANCE))
    meant, top = intent.meant(stored.targets.stocking), intent.top(stored.targets)
    purpose: WishPurpose = "even" if meant == "stocking" or (meant == "zones" and not stored.wanted) else meant
    counted, heights = (counts[0], counts[-1]), (min(0.2, high), high)
    return SearchRequest(
        entry.key, purpose, counted, heights, (top.low, top.high), grain=steps.grain, end=intent.end,
        shimmer=intent.shimmer,
    )  # fmt: skip


def starting_points(
    stored: StoredTank, entry: CatalogueEntry, intent: Intent = BY_STOCKING, steps: RoundSteps = STEPS["cm"]
) -> list[StartingPoint]:
    """Counts by the rule of cover and by stocking, equally spaced and wider, each computed over this tank.

    Tubes, bars and frames, of which no such rule speaks, by their light or by their own length.
    """
    bench, found, entry = _Bench(stored, intent, steps), list[StartingPoint](), as_found(stored, entry)
    laid = arrangement_of(stored.tank, entry.parts)
    lowest = min(part.emitter.height for part in entry.parts)
    [height] = bench.round([min(lowest, stored.tank.room_height - CLEARANCE)])
    for count, why in column_counts(stored, entry).items():
        layouts = {"equally spaced": balanced(count, laid.side), "wider": wider(count, laid.side)}
        fitting = {name: bench.round(places) for name, places in layouts.items() if laid.apart(bench.round(places))}
        if count == 1:
            fitting = {"": bench.round(layouts["equally spaced"])}
        for name, places in (fitting or {"as close as bodies allow": laid.packed(count)}).items():
            hung = f"{count * len(laid.rows)}, {name}".removesuffix(", ")
            found.append(_start(bench, entry, laid, hung, why, laid.layout(places, height)))
    if len(entry.parts) == 1 and laid.along == "x" and entry.parts[0].emitter.ppf < SMALL:
        places, rows = (
            tuple((k + 0.5) / n * side for k in range(n))
            for side in (stored.tank.length, stored.tank.width)
            for n in (max(1, round(side / FOOT)),)
        )
        laid = replace(laid, rows=rows)
        rule, why = f"{len(places) * len(rows)}, grid", "One small module for each square foot"
        found.append(_start(bench, entry, laid, rule, why, laid.layout(places, height)))
    return found + _double(bench, entry, laid)


def _double(bench: _Bench, entry: CatalogueEntry, laid: Arrangement) -> list[StartingPoint]:
    """One double-size module over a single patch of SPS, beside two mid-size ones."""
    tank, single = bench.stored.tank, patches(bench.stored.tank.length, bench.stored.tank.width) == (1, 1)
    mid_size = by_rule(laid) and MID_SIZE[0] <= entry.parts[0].emitter.ppf < MID_SIZE[1]
    if not (single and mid_size and bench.stored.targets.stocking == "sps"):
        return []
    large = as_found(bench.stored, catalogue()[DOUBLE])
    over = arrangement_of(tank, large.parts)
    [height] = bench.round([min(large.parts[0].emitter.height, tank.room_height - CLEARANCE)])
    why = "SPS over a single patch: one double-size in place of two mid-size"
    return [_start(bench, large, over, "1, double-size", why, over.layout((0.5 * over.side,), height))]


def _start(
    bench: _Bench, entry: CatalogueEntry, laid: Arrangement, rule: str, why: str, layout: Layout
) -> StartingPoint:
    """A layout with everything dimmable at one output that brings the mean to the middle of the target range, as far as
    it goes.
    """
    stored, intent = bench.stored, bench.intent
    band, hung = intent.top(stored.targets), laid.hung(stored.tank, layout)
    full, fixed = (
        mean_on_top(stored, lit) for lit in (hung, [replace(f, output=0.0) if f.dimmable else f for f in hung])
    )
    share = (0.5 * (band.low + band.high) - fixed) / (full - fixed) if full > fixed else 1.0
    share = round(min(1.0, max(0.0, share)), 2)
    fixtures = tuple(replace(f, output=share) if f.dimmable else f for f in hung)
    return StartingPoint(entry.name, rule, why, fixtures, figures(stored, fixtures, intent))

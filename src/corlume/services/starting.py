"""Starting points by the trade's rules, each as it comes out over the keeper's own tank."""

from __future__ import annotations

from dataclasses import dataclass, replace

from corlume.core.layout import balanced, wider
from corlume.core.module import Layout
from corlume.core.scene import Fixture
from corlume.core.verdicts import Figures
from corlume.reference.catalogue import FixtureKindEntry
from corlume.services.predict import figures
from corlume.services.rack import CLEARANCE, Rack, column_counts, rack_of
from corlume.services.wish import Wish
from corlume.store.tanks import StoredTank

FOOT, SMALL = 0.3048, 100.0
"""Side of the patch of one small module in a grid [m], and the PPF up to which a module is small [umol/s]."""


@dataclass(frozen=True, slots=True)
class Start:
    """A starting point by rule, with what it comes to here."""

    rule: str
    why: str
    fixtures: tuple[Fixture, ...]
    figures: Figures


def default_wish(stored: StoredTank, kind: FixtureKindEntry) -> Wish:
    """What most keepers would ask of this tank and kind."""
    tank, band = stored.tank, stored.targets.goal_band()
    counts = list(column_counts(stored, kind))
    high = max(round(min(0.6, tank.room_height - 0.1), 2), min(0.05, tank.room_height - CLEARANCE))
    return Wish(kind.key, "blanket", (counts[0], counts[-1]), (min(0.2, high), high), (band.low, band.high))


def starting_points(stored: StoredTank, kind: FixtureKindEntry) -> list[Start]:
    """Counts by the rule of cover and by goal, balanced and wider, each as it comes out over this tank.

    Tubes, bars and frames, of which no such rule speaks, by their light or by their own length.
    """
    stored = replace(stored, tank=stored.lit_tank())
    rack, found = rack_of(stored.tank, kind.parts), []
    lowest = min(part.emitter.height for part in kind.parts)
    height = min(lowest, stored.tank.room_height - CLEARANCE)
    for count, why in column_counts(stored, kind).items():
        layouts = {"balanced": balanced(count, rack.side), "wider": wider(count, rack.side)}
        fitting = {name: places for name, places in layouts.items() if rack.apart(places)}
        if count == 1:
            fitting = {"": layouts["balanced"]}
        for name, places in (fitting or {"as close as bodies allow": rack.packed(count)}).items():
            hung = f"{count * len(rack.rows)}, {name}".removesuffix(", ")
            found.append(_start(stored, rack, hung, why, rack.layout(places, height)))
    if len(kind.parts) == 1 and rack.along == "x" and kind.parts[0].emitter.ppf < SMALL:
        places, rows = (
            tuple((k + 0.5) / n * side for k in range(n))
            for side in (stored.tank.length, stored.tank.width)
            for n in (max(1, round(side / FOOT)),)
        )
        rack = replace(rack, rows=rows)
        rule, why = f"{len(places) * len(rows)}, grid", "One small module for each square foot"
        found.append(_start(stored, rack, rule, why, rack.layout(places, height)))
    return found


def _start(stored: StoredTank, rack: Rack, rule: str, why: str, layout: Layout) -> Start:
    """A layout with all that dims at one output that brings the mean to the middle of the band, as far as it goes."""
    band, hung = stored.targets.goal_band(), rack.hung(stored.tank, layout)
    full, fixed = (
        figures(stored.tank, lit, stored.targets, stored.running).mean
        for lit in (hung, [replace(f, output=0.0) if f.dimmable else f for f in hung])
    )
    share = (0.5 * (band.low + band.high) - fixed) / (full - fixed) if full > fixed else 1.0
    share = round(min(1.0, max(0.0, share)), 2)
    fixtures = tuple(replace(f, output=share) if f.dimmable else f for f in hung)
    return Start(rule, why, fixtures, figures(stored.tank, fixtures, stored.targets, stored.running))

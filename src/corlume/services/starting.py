"""Starting points by the trade's rules, each as it comes out over the keeper's own tank."""

from __future__ import annotations

from dataclasses import dataclass, replace

from corlume.core.geometry import Tank
from corlume.core.layout import balanced, count_for, patches, wider
from corlume.core.scene import Fixture
from corlume.core.search import Layout
from corlume.core.verdicts import Figures
from corlume.reference.catalogue import FixtureKindEntry
from corlume.services.lights import changed
from corlume.services.predict import figures
from corlume.services.wish import CLEARANCE
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


def starting_points(stored: StoredTank, kind: FixtureKindEntry) -> list[Start]:
    """Counts by the rule of cover and by goal, balanced and wider, each as it comes out over this tank."""
    tank = stored.tank
    along, across = patches(tank.length, tank.width)
    least, most = count_for(stored.targets.goal, tank.length, tank.width)
    rules = {"rule of cover": along, "least for the goal": -(-least // across), "most for the goal": -(-most // across)}
    counts = {
        count: " and ".join(rule for rule, asks in rules.items() if asks == count).capitalize()
        for count in rules.values()
    }
    found = []
    for count, why in sorted(counts.items()):
        for name, places in (("balanced", balanced(count, tank.length)), ("wider", wider(count, tank.length))):
            if name == "wider" and count == 1:
                continue
            height = min(kind.parts[0].emitter.height, tank.room_height - CLEARANCE)
            layout = Layout(places, height, rows_of(tank), (1.0,) * count, 0.0)
            fixtures = _levelled(stored, fixtures_of(tank, kind.parts[0], layout))
            figured = figures(tank, fixtures, stored.targets, stored.running)
            found.append(Start(f"{count * across}, {name}", why, tuple(fixtures), figured))
    if kind.parts[0].emitter.ppf < SMALL:
        along, across = (max(1, round(side / FOOT)) for side in (tank.length, tank.width))
        height = min(kind.parts[0].emitter.height, tank.room_height - CLEARANCE)
        places, rows = (
            tuple((k + 0.5) / n * side for k in range(n)) for n, side in ((along, tank.length), (across, tank.width))
        )
        layout = Layout(places, height, rows, (1.0,) * along, 0.0)
        fixtures = _levelled(stored, fixtures_of(tank, kind.parts[0], layout))
        figured = figures(tank, fixtures, stored.targets, stored.running)
        why = "One small module for each square foot"
        found.append(Start(f"{along * across}, grid", why, tuple(fixtures), figured))
    return found


def _levelled(stored: StoredTank, fixtures: list[Fixture]) -> list[Fixture]:
    """All at one output that brings the mean to the middle of the band, where they dim that far."""
    band = stored.targets.goal_band()
    mean = figures(stored.tank, fixtures, stored.targets, stored.running).mean
    share = min(1.0, 0.5 * (band.low + band.high) / mean) if mean > 0 else 1.0
    return [replace(f, output=round(share, 2)) if f.dimmable else f for f in fixtures]


def rows_of(tank: Tank) -> tuple[float, ...]:
    """y of the rows that the rule of cover asks for."""
    return balanced(patches(tank.length, tank.width)[1], tank.width)


def fixtures_of(tank: Tank, part: Fixture, layout: Layout) -> list[Fixture]:
    """The fixtures of a layout, as they would be stored."""
    return [
        changed(tank, replace(part, emitter=e, output=round(level, 2) if part.dimmable else 1.0), {})
        for e, level in zip(layout.emitters(part.emitter), layout.outputs(), strict=True)
    ]

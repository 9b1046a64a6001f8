"""The mounting sheet of a setup: what hangs where, what it weighs, whether it can hang so, and in which order."""

from __future__ import annotations

from dataclasses import dataclass

from corlume.core.mounting import Check, Mark, Site, check_mounting, support_load
from corlume.core.scene import Fixture
from corlume.services import shelf
from corlume.store.database import Database
from corlume.store.tanks import StoredSetup, StoredTank


@dataclass(frozen=True, slots=True)
class MountSheet:
    """All that the sheet shows."""

    marks: tuple[Mark, ...]
    checks: tuple[Check, ...]
    site: Site
    parts: tuple[tuple[str, int], ...]
    order: tuple[str, ...]


ORDER = (
    "Power off and unplugged; lamps cool; cover the water.",
    "Mark the centres on the ceiling or rail, from the left pane and from the back pane; check both diagonals.",
    "Find structure behind every mark; set anchors rated for the load, two independent supports for each fixture.",
    "Hang the fixtures high and empty of cords; set the height of each face from the water line, all corners alike.",
    "Second support on each; pull on it with the fixture's own weight before letting go.",
    "Leads with drip loops, plugs above the water and out of splash; earth and residual-current protection.",
    "Shield glass in place before power. Start dim, and look for glare from where you sit.",
    "Measure at the rock top before you call it done; then change slowly.",
)


def mount_sheet(db: Database, stored: StoredTank, setup: StoredSetup, site: Site) -> MountSheet:
    """Work out the sheet of a setup."""
    known = {}
    for entry in reversed(shelf.entries(db)):
        if len(entry.parts) == 1 and entry.weight:
            known[_likeness(entry.parts[0])] = entry.weight
    tank, fixtures = stored.tank, [kept.value for kept in setup.fixtures]
    weights = [known.get(_likeness(f), 0.0) for f in fixtures]
    marks = tuple(
        Mark(
            number=i,
            fixture=f,
            left=f.emitter.x,
            back=tank.width - f.emitter.y,
            above_water=f.emitter.height,
            above_rim=f.emitter.height - tank.rim_height,
            weight=weight,
            rating=support_load(weight),
        )
        for i, (f, weight) in enumerate(zip(fixtures, weights, strict=True))
    )
    parts: dict[str, int] = {}
    for f in fixtures:
        parts[f.name] = parts.get(f.name, 0) + 1
    supports = sum(2 for _ in fixtures)
    listed = (*parts.items(), ("supports, each rated as in the table", supports), ("anchors into structure", supports))
    return MountSheet(marks, tuple(check_mounting(tank, fixtures, weights, site)), site, listed, ORDER)


def _likeness(fixture: Fixture) -> tuple[str, float, float]:
    """What tells a kind of fixture from others however it is named."""
    e = fixture.emitter
    return e.kind, round(e.length, 3), round(fixture.watts, 1)

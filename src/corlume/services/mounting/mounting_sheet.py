"""The mounting sheet of a setup: places of the fixtures, their weights, the checks, and the order of work."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from corlume.core.errors import InvalidInput, Rules
from corlume.core.mounting.mount import Mount, units_on
from corlume.core.mounting.mounting_checks import (
    DrillMark,
    Hanger,
    MountingCheck,
    check_mounting,
    draw_marks,
    find_hangers,
)
from corlume.core.mounting.surroundings import Surroundings
from corlume.services.keeping.fixture_settings import FixtureSettings, LensChange, fixture_settings, lens_changes
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.rows import row_of
from corlume.store.tables import FIXTURES
from corlume.store.tanks import StoredSetup, StoredTank, load_tank

ORDER = (
    "Power off and unplugged; lamps cool; cover the water.",
    "Mark the drill points on the ceiling or rail, from the left pane and from the back pane; check both diagonals.",
    "Compare with the fixture's own hanging points; where they differ, use those.",
    "Find structure behind every mark; set anchors rated for the load, two independent supports for each fixture.",
    "Hang the fixtures high, without cables; set each emitting area's height from the water line, corners alike.",
    "Second support on each; pull on it with the fixture's own weight before letting go.",
    "Give cables drip loops; keep plugs above the water and out of splash; use earth and residual-current protection.",
    "Shield glass in place before power. Start dim, and look for glare from where you sit.",
    "Measure at the rock top before you call it done; then change slowly.",
)


@dataclass(frozen=True, slots=True)
class MountSheet:
    """Contents of the sheet; ``parts`` are names with their counts."""

    marks: tuple[DrillMark, ...]
    hangers: tuple[Hanger, ...]
    checks: tuple[MountingCheck, ...]
    parts: tuple[tuple[str, int], ...]
    order: tuple[str, ...]
    settings: tuple[FixtureSettings, ...]
    lenses: tuple[LensChange, ...]
    mounts: tuple[Mount, ...] = ()


def mount_sheet(stored: StoredTank, setup: StoredSetup) -> MountSheet:
    """Compute the mounting sheet of a setup."""
    fixtures = [kept.value for kept in setup.fixtures]
    parts: dict[str, int] = {}
    for f in fixtures:
        parts[f.name] = parts.get(f.name, 0) + 1
    hangers = find_hangers(stored.tank, fixtures)
    supports = 2 * len(hangers)
    lenses = lens_changes(stored, setup)
    listed = (
        *parts.items(),
        *((f"{change.front}, {change.spares} of them spares", change.pieces + change.spares)
          for change in lenses if change.pieces),
        ("supports, each rated as in the table", supports),
        ("anchors into structure", supports),
    )  # fmt: skip
    checks = tuple(check_mounting(stored.tank, fixtures, stored.surroundings))
    return MountSheet(
        draw_marks(stored.tank, fixtures),
        hangers,
        checks,
        listed if fixtures else (),
        ORDER,
        fixture_settings(fixtures),
        lenses,
        tuple(mount for mount in setup.mount_values if units_on(mount, fixtures)),
    )


def save_surroundings(
    db: Database, tank_id: int, setup_id: int, surroundings: Surroundings, weights: Mapping[int, float]
) -> None:
    """Save the tank's surroundings, and the weight of each fixture of a setup, by its id [kg].

    ``InvalidInput`` names a weight as ``weight-`` and the fixture's id.
    """
    rules = Rules()
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        changed = {}
        for kept in stored.setup(setup_id).fixtures:
            try:
                weighed = replace(kept.value, weight=weights.get(kept.id, kept.value.weight))
            except InvalidInput as error:
                rules.errors += [replace(e, field=f"weight-{kept.id}") for e in error.errors]
                continue
            if weighed != kept.value:
                changed[kept.id] = weighed
        rules.finish()
        if surroundings == stored.surroundings and not changed:
            return
        edit = Edit(connection, tank_scope(tank_id), "change mounting data")
        edit.update("tanks", tank_id, row_of(surroundings))
        for fixture_id, fixture in changed.items():
            FIXTURES.update(edit, fixture_id, fixture)

"""The mounting sheet of a setup: places of the fixtures, their weights, marks by tape, and the checks."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace

from corlume.core.errors import InvalidInput, Rules
from corlume.core.mounting.mount import Mount, units_on
from corlume.core.mounting.mounting_checks import DrillMark, Hanger, MountingCheck, draw_marks
from corlume.core.mounting.rig_checks import check_rig
from corlume.core.mounting.screw_marks import ScrewMark, drilled_hangers, own_hangers, screw_marks
from corlume.core.mounting.surroundings import Surroundings
from corlume.services.keeping.fixture_settings import FixtureSettings, LensChange, fixture_settings, lens_changes
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.rows import row_of
from corlume.store.tables import FIXTURES
from corlume.store.tanks import StoredSetup, StoredTank, load_tank


@dataclass(frozen=True, slots=True)
class MountSheet:
    """Contents of the sheet.

    Parameters
    ----------
    marks : place of every light.
    hangers, drilled : what hangs from supports of its own, and all that is marked on the drawing.
    parts : names with their counts.
    mounts, screws : mounts that hold something, each with its marks by tape.
    """

    marks: tuple[DrillMark, ...]
    hangers: tuple[Hanger, ...]
    drilled: tuple[Hanger, ...]
    checks: tuple[MountingCheck, ...]
    parts: tuple[tuple[str, int], ...]
    settings: tuple[FixtureSettings, ...]
    lenses: tuple[LensChange, ...]
    mounts: tuple[Mount, ...]
    screws: tuple[tuple[Mount, ScrewMark], ...]


def mount_sheet(stored: StoredTank, setup: StoredSetup) -> MountSheet:
    """Compute the mounting sheet of a setup."""
    tank, whole, fixtures = stored.tank, setup.value, [kept.value for kept in setup.fixtures]
    parts = Counter(f.name for f in fixtures)
    hangers = own_hangers(tank, fixtures, whole.mounts)
    supports = 2 * len(hangers)
    mounts = tuple(mount for mount in whole.mounts if units_on(mount, fixtures))
    lenses = lens_changes(stored, setup)
    listed = (
        *parts.items(),
        *((f"{change.front}, {change.spares} of them spares", change.pieces + change.spares)
          for change in lenses if change.pieces),
        *((mount.name, 1) for mount in mounts),
        *([("supports, each rated as in the table", supports), ("anchors into structure", supports)]
          if hangers else []),
    )  # fmt: skip
    return MountSheet(
        marks=draw_marks(tank, fixtures),
        hangers=hangers,
        drilled=drilled_hangers(tank, fixtures, whole.mounts),
        checks=tuple(check_rig(tank, fixtures, stored.surroundings, whole.mounts, whole.cords, whole.power_parts)),
        parts=listed,
        settings=fixture_settings(fixtures),
        lenses=lenses,
        mounts=mounts,
        screws=tuple((mount, mark) for mount in mounts for mark in screw_marks(tank, mount, fixtures)),
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

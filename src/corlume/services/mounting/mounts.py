"""Mounts of a setup: added, changed, dragged and deleted, and which of them holds a fixture."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from corlume.core.errors import Rules
from corlume.core.keeping.scene import Setup
from corlume.core.light.fixture import bodies_below
from corlume.core.mounting.mount import MOUNT_TYPES, Mount, MountType
from corlume.core.mounting.mount_starts import start_mount
from corlume.core.schema import check_count
from corlume.services.judging.judge import mean_on_top
from corlume.services.placement.zone_placement import CoralChange, coral_light, light_change
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import FIXTURES, MOUNTS, found
from corlume.store.tanks import StoredSetup, StoredTank, load_tank


def add_mount(db: Database, tank_id: int, setup_id: int, kind: str) -> int:
    """Add a mount of a type, which holds what no other mount holds; returns its id."""
    rules = Rules()
    known: MountType | None = next((one for one in MOUNT_TYPES if one == kind), None)
    rules.that(known is not None, "type", "is not one of those offered")
    rules.finish()
    assert known is not None
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        setup = stored.setup(setup_id)
        check_count(Setup, "mounts", len(setup.mounts) + 1, "setup")
        names = {mount.name for mount in setup.mount_values}
        loose = [kept for kept in setup.fixtures if kept.value.held_by not in names]
        most = 1 if known == "arm" else None
        held = [kept.value for kept in loose[:most]] or setup.hung
        mount = start_mount(stored.tank, held, stored.surroundings, known, names)
        edit = Edit(connection, tank_scope(tank_id), f"add {mount.name}")
        for kept in loose[:most]:
            FIXTURES.update(edit, kept.id, replace(kept.value, held_by=mount.name))
        return MOUNTS.insert(edit, mount, setup_id)


def save_mount(db: Database, tank_id: int, setup_id: int, mount_id: int, mount: Mount) -> None:
    """Change a mount; what hangs on it follows its name."""
    with db.writing() as connection:
        setup = load_tank(connection, tank_id).setup(setup_id)
        was = found(setup.mounts, mount_id, "mount").value
        others = [kept.value for kept in setup.mounts if kept.id != mount_id]
        rules = Rules()
        rules.that(mount.name not in {one.name for one in others}, "name", "is that of another mount of this setup")
        rules.finish()
        if mount == was:
            return
        edit = Edit(connection, tank_scope(tank_id), f"change {mount.name}")
        MOUNTS.update(edit, mount_id, mount)
        if mount.name != was.name:
            _renamed(edit, setup, was.name, mount.name)


def delete_mount(db: Database, tank_id: int, setup_id: int, mount_id: int) -> None:
    """Delete a mount; what hangs on it stays where it hangs."""
    with db.writing() as connection:
        setup = load_tank(connection, tank_id).setup(setup_id)
        name = found(setup.mounts, mount_id, "mount").value.name
        edit = Edit(connection, tank_scope(tank_id), f"delete {name}")
        MOUNTS.delete(edit, mount_id)
        _renamed(edit, setup, name, "")


@dataclass(frozen=True, slots=True)
class MountShade:
    """What mounts take: mean PAR at the rock top without and with them [umol/m2/s], and its effect on the corals."""

    without: float
    mean: float
    corals: CoralChange


def shade_of(stored: StoredTank, setup: StoredSetup) -> MountShade | None:
    """What the mounts of a setup put in the way of its own lights; None where that is nothing."""
    hung = setup.hung
    bare = [replace(fixture, strips=()) for fixture in hung]
    if all(bodies_below(hung, k) == bodies_below(bare, k) for k in range(len(hung))):
        return None
    corals = light_change(stored, coral_light(stored, bare), coral_light(stored, hung))
    return MountShade(mean_on_top(stored, bare), mean_on_top(stored, hung), corals)


def _renamed(edit: Edit, setup: StoredSetup, was: str, name: str) -> None:
    for kept in setup.fixtures:
        if kept.value.held_by == was:
            FIXTURES.update(edit, kept.id, replace(kept.value, held_by=name))


def hold(db: Database, tank_id: int, setup_id: int, mounts: Mapping[int, str]) -> None:
    """Say which mount holds each of some fixtures, by their ids; "" for none.

    ``InvalidInput`` names a field as ``held-`` and the fixture's id.
    """
    with db.writing() as connection:
        setup = load_tank(connection, tank_id).setup(setup_id)
        names, rules = {"", *(mount.name for mount in setup.mount_values)}, Rules()
        for fixture_id, name in mounts.items():
            rules.that(name in names, f"held-{fixture_id}", "is not one of those offered")
        rules.finish()
        changed = [kept for kept in setup.fixtures if mounts.get(kept.id, kept.value.held_by) != kept.value.held_by]
        if not changed:
            return
        edit = Edit(connection, tank_scope(tank_id), "change what holds the fixtures")
        for kept in changed:
            FIXTURES.update(edit, kept.id, replace(kept.value, held_by=mounts[kept.id]))

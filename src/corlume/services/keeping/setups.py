"""Setups of a tank: added, copied, renamed, put to use and deleted; and the goal of each."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from corlume.core.errors import Rules
from corlume.core.judging.intent import Intent, intent_errors
from corlume.core.keeping.scene import Scene, Setup
from corlume.core.light.fixture import face_lengths
from corlume.core.light.light_group import LightGroup
from corlume.core.schema import check_count, limits_of
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.rows import row_of
from corlume.store.tables import SETUPS
from corlume.store.tanks import StoredTank, load_tank


def add_setup(db: Database, tank_id: int, setup: Setup, *, label: str = "") -> int:
    """Add a setup with its fixtures, in one step of undo; returns its id.

    Without groups of its own it has the schedules that its fixtures bring, or those of the setup in use by their name;
    without mounts, power parts and cords, those of the setup in use that its fixtures name.
    """
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        setup = replace(setup, groups=setup.groups or _groups_of(stored, setup), **_hardware_of(stored, setup))
        taken = {s.name for s in stored.setups}
        check_count(Scene, "setups", len(taken) + 1)
        check_count(Setup, "fixtures", len(setup.fixtures), "setup")
        edit = Edit(connection, tank_scope(tank_id), label or f"add setup {setup.name}")
        return SETUPS.insert(edit, replace(setup, name=free_name(setup.name, taken), in_use=False), tank_id)


def _groups_of(stored: StoredTank, setup: Setup) -> tuple[LightGroup, ...]:
    names = {fixture.group for fixture in setup.fixtures}
    used = {kept.value.name: kept.value for kept in stored.setup().groups if kept.value.name in names}
    return tuple((used | {f.day.name: f.day for f in setup.fixtures if f.day}).values())


def _hardware_of(stored: StoredTank, setup: Setup) -> dict[str, Any]:
    """Mounts, power parts and cords of a new setup."""
    used = stored.setup().value
    held, named = {f.held_by for f in setup.fixtures}, {f.name for f in setup.fixtures}
    return {
        "mounts": setup.mounts or tuple(one for one in used.mounts if one.name in held),
        "power_parts": setup.power_parts or used.power_parts,
        "cords": setup.cords or tuple(one for one in used.cords if one.fixture in named),
    }


def copy_setup(db: Database, tank_id: int, setup_id: int) -> int:
    """Copy a setup with its fixtures and its goal; returns the copy's id."""
    with db.reading() as connection:
        setup = load_tank(connection, tank_id).setup(setup_id)
    copy = replace(setup.value, name=f"{setup.name[:60]}, copy", in_use=False, ticks=())
    return add_setup(db, tank_id, copy, label=f"copy setup {setup.name}")


def rename_setup(db: Database, tank_id: int, setup_id: int, name: str) -> None:
    """Rename a setup."""
    limits_of(Setup, name=name).finish()
    with db.writing() as connection:
        load_tank(connection, tank_id).setup(setup_id)
        edit = Edit(connection, tank_scope(tank_id), f"rename setup to {name.strip()}")
        edit.update("setups", setup_id, {"name": name.strip()})


def use_setup(db: Database, tank_id: int, setup_id: int) -> None:
    """Put a setup to use."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        wanted = stored.setup(setup_id)
        edit = Edit(connection, tank_scope(tank_id), f"use setup {wanted.name}")
        for setup in stored.setups:
            if setup.in_use != (setup.id == setup_id):
                edit.update("setups", setup.id, {"in_use": int(setup.id == setup_id)})


def remove_setup(db: Database, tank_id: int, setup_id: int) -> None:
    """Delete a setup that is not in use; ``InvalidInput`` otherwise."""
    with db.writing() as connection:
        setup = load_tank(connection, tank_id).setup(setup_id)
        rules = Rules()
        rules.that(not setup.in_use, "setup", "is the one in use: use another setup first")
        rules.finish()
        edit = Edit(connection, tank_scope(tank_id), f"delete setup {setup.name}")
        SETUPS.delete(edit, setup_id)


def save_intent(db: Database, tank_id: int, setup_id: int, intent: Intent) -> None:
    """Save the goal of a setup; ``InvalidInput`` for one that does not suit the tank."""
    rules = Rules()
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        setup = stored.setup(setup_id)
        rules.errors += intent_errors(
            stored.tank, intent, face_lengths(setup.hung), [kept.value for kept in stored.wanted]
        )
        rules.finish()
        edit = Edit(connection, tank_scope(tank_id), f"change goal of {setup.name}")
        edit.update("setups", setup_id, row_of(intent))


def free_name(name: str, taken: set[str]) -> str:
    """A name, with a number behind it where it is taken."""
    return next(n for k in range(1, 1000) if (n := f"{name}{f' ({k})' * (k > 1)}") not in taken)

"""Corals of a tank: added, changed, placed, unplaced and deleted."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from corlume.core.acclimation.log_entry import NO_COURSE, Course
from corlume.core.errors import FieldError, Rules
from corlume.core.keeping.scene import Scene, place_errors
from corlume.core.light.geometry import Tank
from corlume.core.light.rockwork import tops_of
from corlume.core.placement.coral import Coral, Placement
from corlume.core.placement.coral_card import CoralCard
from corlume.core.schema import check_count
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.measure import Measure
from corlume.formats.table import read_table, write_table
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import CORALS
from corlume.store.tanks import StoredTank, load_tank


def resting_place(tank: Tank, x: float, y: float) -> tuple[float, float, float]:
    """Resting place of a coral dropped over (x, y): the highest rock top there, or the sand [m].

    ``InvalidInput`` when it is outside the tank or over rock that stands out of the water.
    """
    rules = Rules()
    rules.between("x", x, 0.0, tank.length, "length")
    rules.between("y", y, 0.0, tank.width, "length")
    top = float(tops_of(tank.rockwork, -1, np.array([x]), np.array([y]), 1)[0, 0, 0])
    depth = min(tank.sand_depth, top) if math.isfinite(top) else tank.sand_depth
    rules.that(depth > 0, "y", "is rock above the water: no coral can be placed there")
    rules.finish()
    return x, y, depth


def living(coral: Coral) -> None:
    """Raise ``InvalidInput`` for a lost coral, which cannot be placed."""
    rules, lost = Rules(), coral.course.lost
    rules.that(lost is None, "coral", f"was lost on {lost}: undo that before you place it")
    rules.finish()


def add_coral(db: Database, tank_id: int, card: CoralCard, course: Course = NO_COURSE) -> int:
    """Add an unplaced coral, with its origin where that is known; returns its id."""
    with db.writing() as connection:
        check_count(Scene, "corals", len(load_tank(connection, tank_id).corals) + 1)
        edit = Edit(connection, tank_scope(tank_id), f"add {card.name}")
        return CORALS.insert(edit, Coral(card, course=course), tank_id)


def change_card(db: Database, tank_id: int, coral_id: int, card: CoralCard) -> None:
    """Change a coral's care card; its place stays."""
    with db.writing() as connection:
        coral = load_tank(connection, tank_id).coral(coral_id).value
        edit = Edit(connection, tank_scope(tank_id), f"change {card.name}")
        CORALS.update(edit, coral_id, replace(coral, card=card))


def place_coral(db: Database, tank_id: int, coral_id: int, place: tuple[float, float, float] | None) -> None:
    """Place a coral anywhere in the water, or unplace it."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        coral = stored.coral(coral_id).value
        living(coral)
        moved = replace(coral, place=place and Placement(*place))
        replace(stored.scene(), corals=(moved,))
        verb = "unplace" if place is None else "place" if coral.place is None else "move"
        edit = Edit(connection, tank_scope(tank_id), f"{verb} {coral.card.name}")
        CORALS.update(edit, coral_id, moved)


def save_shade(db: Database, tank_id: int, *, shade: bool) -> None:
    """Switch the shade of grown corals on or off, for all figures of a tank."""
    with db.writing() as connection:
        load_tank(connection, tank_id)
        edit = Edit(connection, tank_scope(tank_id), f"turn the shade of grown corals {'on' if shade else 'off'}")
        edit.update("tanks", tank_id, {"colony_shade": int(shade)})


def place_corals(db: Database, tank_id: int, places: Mapping[int, tuple[float, float, float]]) -> int:
    """Place several corals in one step of undo; returns how many."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        for coral_id in places:
            living(stored.coral(coral_id).value)
        moved = {i: replace(stored.coral(i).value, place=Placement(*place)) for i, place in places.items()}
        replace(stored.scene(), corals=tuple(moved.values()))
        if moved:
            edit = Edit(connection, tank_scope(tank_id), f"place {len(moved)} corals")
            for coral_id, coral in moved.items():
                CORALS.update(edit, coral_id, coral)
        return len(moved)


def remove_coral(db: Database, tank_id: int, coral_id: int) -> None:
    """Delete a coral with its log."""
    with db.writing() as connection:
        coral = load_tank(connection, tank_id).coral(coral_id).value
        CORALS.delete(Edit(connection, tank_scope(tank_id), f"delete {coral.card.name}"), coral_id)


def export_corals(stored: StoredTank) -> str:
    """Corals of a tank as CSV text."""
    return write_table(Coral, (kept.value for kept in stored.corals))


def import_corals(db: Database, tank_id: int, data: bytes) -> int:
    """Import corals from CSV text in one step of undo; returns how many. ``BadFile`` lists every error."""
    corals = read_table(Coral, data)
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        check_count(Scene, "corals", len(stored.corals) + len(corals))
        outside = place_errors(stored.tank, corals)
        if outside:
            raise BadFile([_outside(error) for error in outside])
        edit = Edit(connection, tank_scope(tank_id), f"import {len(corals)} corals")
        for coral in corals:
            CORALS.insert(edit, coral, tank_id)
    return len(corals)


def _outside(error: FieldError) -> FileFault:
    _, number, axis = error.field.split(".")
    return FileFault(f"coral {int(number) + 1}, {axis}_cm", Measure("cm").message(error))

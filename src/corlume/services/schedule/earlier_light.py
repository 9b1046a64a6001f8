"""The light before an edit: a tank as it was, from which a slow change can start."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from itertools import groupby

from corlume.store.database import Database
from corlume.store.journal import PastEdit, looking_back, past_edits, tank_scope
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank, load_tank

LIGHT_TABLES = (
    "tanks", "rocks", "natural_rocks", "brushed_rock", "braces",
    "setups", "fixtures", "light_groups", "day_points",
    "corals", "racks", "lamps", "cleanings", "cleaning_rhythms",
)  # fmt: skip
"""Tables whose rows can change the light at the corals."""
MOST, OFFERED = 200, 12
"""How many edits are looked at, and how many of them are offered."""


def light_edits(db: Database, tank_id: int) -> list[PastEdit]:
    """The latest edits of a tank that may have changed the light at its corals, newest first.

    Of edits of one name in a row, such as a fixture moved by its arrow keys, the first.
    """
    with db.reading() as connection:
        edits = past_edits(connection, tank_scope(tank_id), LIGHT_TABLES, MOST)
    return [list(same)[-1] for _, same in groupby(edits, key=lambda edit: edit.label)][:OFFERED]


def tank_before(db: Database, tank_id: int, edit_id: int) -> StoredTank:
    """A tank as it was before an edit; ``NotFound`` when that edit is not kept."""
    with db.rehearsing() as connection:
        return load_before(connection, tank_id, edit_id)


def load_before(connection: sqlite3.Connection, tank_id: int, edit_id: int) -> StoredTank:
    """As ``tank_before``, inside a transaction that writes."""
    try:
        with looking_back(connection, tank_scope(tank_id), edit_id):
            return load_tank(connection, tank_id)
    except LookupError as error:
        raise NotFound("that change is no longer kept") from error


def edit_of(edits: Iterable[PastEdit], edit_id: int) -> PastEdit:
    """An edit among some by its id; ``NotFound`` otherwise."""
    edit = next((one for one in edits if one.id == edit_id), None)
    if edit is None:
        raise NotFound("that change is no longer kept")
    return edit

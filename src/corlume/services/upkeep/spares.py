"""Spare lamps and parts: counted, and deleted when none is left and the keeper says so."""

from __future__ import annotations

from corlume.core.keeping.scene import Scene
from corlume.core.schema import check_count
from corlume.core.upkeep.spares import Spare
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import SPARES
from corlume.store.tanks import load_tank


def save_spare(db: Database, tank_id: int, spare: Spare) -> None:
    """Save how many there are of a spare; one of no number is deleted."""
    with db.writing() as connection:
        kept = load_tank(connection, tank_id).lists["spares"]
        known = next((one for one in kept if one.value.name == spare.name), None)
        edit = Edit(connection, tank_scope(tank_id), f"count spare {spare.name}")
        if known is None:
            check_count(Scene, "spares", len(kept) + 1)
            SPARES.insert(edit, spare, tank_id)
        elif spare.count == 0:
            SPARES.delete(edit, known.id)
        else:
            SPARES.update(edit, known.id, spare)

"""Power parts and cords of a setup, saved and deleted; and the protection of the circuit."""

from __future__ import annotations

from dataclasses import replace

from corlume.core.errors import Rules
from corlume.core.keeping.scene import Setup
from corlume.core.mounting.power import PART_TYPES, Cord, PartType, PowerPart, power_errors
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.schema import check_count
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.rows import row_of
from corlume.store.tables import CORDS, POWER_PARTS, found
from corlume.store.tanks import load_tank

LOWER, APART, PITCH = 0.3, 0.25, 0.045
"""New parts lie so far under the water line behind the tank, side by side, and have sockets so far apart [m]."""


def add_part(db: Database, tank_id: int, setup_id: int, kind: str) -> int:
    """Add a part of a type behind the tank, where it can be moved from; returns its id."""
    rules = Rules()
    known: PartType | None = next((one for one in PART_TYPES if one == kind), None)
    rules.that(known is not None, "type", "is not one of those offered")
    rules.finish()
    assert known is not None
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        setup = stored.setup(setup_id).value
        check_count(Setup, "power_parts", len(setup.power_parts) + 1, "setup")
        taken = {part.name for part in setup.power_parts}
        name = PART_TYPES[known].capitalize() if known != "driver" else PART_TYPES[known]
        name = next(n for k in range(1, 100) if (n := f"{name}{f' {k}' * (k > 1)}") not in taken)
        feed = (
            next((p.name for p in setup.power_parts if p.type in ("strip", "outlet")), "") if known != "outlet" else ""
        )
        tank, many = stored.tank, {"strip": 6, "outlet": 2}.get(known, 1)
        part = PowerPart(
            name, known, tank.length - 0.2 - APART * len(taken), tank.width + stored.surroundings.gap, -LOWER,
            fed_by=feed, sockets=many, pitch=PITCH, amps=stored.surroundings.breaker if known == "outlet" else 0.0,
        )  # fmt: skip
        edit = Edit(connection, tank_scope(tank_id), f"add {name}")
        return POWER_PARTS.insert(edit, part, setup_id)


def save_part(db: Database, tank_id: int, setup_id: int, part_id: int, part: PowerPart) -> None:
    """Change a part; what is plugged into it follows its name. ``InvalidInput`` by field."""
    with db.writing() as connection:
        setup = load_tank(connection, tank_id).setup(setup_id)
        was = found(setup.power_parts, part_id, "power part").value
        parts = [
            part if kept.id == part_id else _plugged(kept.value, was.name, part.name) for kept in setup.power_parts
        ]
        rules = Rules()
        rules.errors += [replace(error, field=error.field.rpartition(".")[2]) for error in power_errors(parts, [])]
        rules.that(
            not part.fed_by or part.fed_by in {one.name for one in parts}, "fed_by", "is not one of those entered"
        )
        rules.finish()
        edit = Edit(connection, tank_scope(tank_id), f"change {part.name}")
        for kept, now in zip(setup.power_parts, parts, strict=True):
            if now != kept.value:
                POWER_PARTS.update(edit, kept.id, now)
        for cord in setup.cords:
            if cord.value.fed_by == was.name != part.name:
                CORDS.update(edit, cord.id, replace(cord.value, fed_by=part.name))


def _plugged(part: PowerPart, was: str, name: str) -> PowerPart:
    return replace(part, fed_by=name) if part.fed_by == was else part


def delete_part(db: Database, tank_id: int, setup_id: int, part_id: int) -> None:
    """Delete a part; what was plugged into it is plugged into nothing."""
    with db.writing() as connection:
        setup = load_tank(connection, tank_id).setup(setup_id)
        name = found(setup.power_parts, part_id, "power part").value.name
        edit = Edit(connection, tank_scope(tank_id), f"delete {name}")
        POWER_PARTS.delete(edit, part_id)
        for kept in setup.power_parts:
            if kept.id != part_id and kept.value.fed_by == name:
                POWER_PARTS.update(edit, kept.id, replace(kept.value, fed_by=""))
        for cord in setup.cords:
            if cord.value.fed_by == name:
                CORDS.update(edit, cord.id, replace(cord.value, fed_by=""))


def save_cord(db: Database, tank_id: int, setup_id: int, cord: Cord) -> None:
    """Save the cord of all fixtures of a name. ``InvalidInput`` by field."""
    with db.writing() as connection:
        setup = load_tank(connection, tank_id).setup(setup_id)
        rules = Rules()
        rules.that(cord.fixture in {f.name for f in setup.hung}, "fixture", "does not hang in this setup")
        parts = {kept.value.name for kept in setup.power_parts}
        rules.that(not cord.fed_by or cord.fed_by in parts, "fed_by", "is not one of those entered")
        rules.finish()
        kept = next((kept for kept in setup.cords if kept.value.fixture == cord.fixture), None)
        if kept and kept.value == cord:
            return
        edit = Edit(connection, tank_scope(tank_id), f"change the cord of {cord.fixture}")
        if kept:
            CORDS.update(edit, kept.id, cord)
        else:
            CORDS.insert(edit, cord, setup_id)


def save_circuit(db: Database, tank_id: int, surroundings: Surroundings) -> None:
    """Save mains, breaker and protection."""
    with db.writing() as connection:
        if load_tank(connection, tank_id).surroundings != surroundings:
            Edit(connection, tank_scope(tank_id), "change the circuit").update("tanks", tank_id, row_of(surroundings))

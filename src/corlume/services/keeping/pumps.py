"""Pumps and observed flow: saved, changed, aimed, painted and deleted."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

from corlume.core.errors import Rules
from corlume.core.flow.first_estimate import FlowClass
from corlume.core.flow.observed_flow import FlowMark, mark_errors
from corlume.core.flow.pump import Pump, pump_errors
from corlume.core.keeping.inside_rock import inside_rock_errors
from corlume.core.keeping.scene import Scene
from corlume.core.schema import check_count, most_of
from corlume.store.database import Database
from corlume.store.flow_fields import FlowField, keep_field
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import FLOW_MARKS, PUMPS, Kept, found
from corlume.store.tanks import StoredTank, load_tank


def pump(stored: StoredTank, pump_id: int) -> Kept[Pump]:
    """Pump by id; ``NotFound`` otherwise."""
    return found(stored.pumps, pump_id, "pump")


def free_name(stored: StoredTank) -> str:
    """A name that no pump has yet."""
    used = {kept.value.name for kept in stored.pumps}
    return next(name for k in range(1, 1000) if (name := f"Pump {k}") not in used)


def new_pump(stored: StoredTank) -> Pump:
    """Default of a new pump: at the left pane, or facing the others from the right."""
    tank, right = stored.tank, len(stored.pumps) % 2 == 1
    x = tank.length - 0.03 if right else 0.03
    depth = min(0.12, 0.3 * tank.sand_depth)
    return Pump(free_name(stored), x=x, y=0.6 * tank.width, depth=depth, turn=math.pi if right else 0.0)


def keep_flow(db: Database, tank_id: int, solved: FlowField) -> None:
    """Keep the solved flow of a change of pumps, so that it need not be solved again once the change is made."""
    with db.writing() as connection:
        keep_field(connection, tank_id, solved)


def add_pump(db: Database, tank_id: int, one: Pump | None = None) -> int:
    """Add a pump; returns its id. ``InvalidInput`` names the field alone."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        check_count(Scene, "pumps", len(stored.pumps) + 1)
        one = one or new_pump(stored)
        _check(stored, one, None)
        return PUMPS.insert(Edit(connection, tank_scope(tank_id), f"add {one.name}"), one, tank_id)


def save_pump(db: Database, tank_id: int, pump_id: int, **changes: Any) -> None:
    """Change a pump; ``InvalidInput`` names the field alone."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        changed = replace(pump(stored, pump_id).value, **changes)
        _check(stored, changed, pump_id)
        PUMPS.update(Edit(connection, tank_scope(tank_id), f"change {changed.name}"), pump_id, changed)


def remove_pump(db: Database, tank_id: int, pump_id: int) -> None:
    """Delete a pump."""
    with db.writing() as connection:
        name = pump(load_tank(connection, tank_id), pump_id).value.name
        PUMPS.delete(Edit(connection, tank_scope(tank_id), f"delete {name}"), pump_id)


def _check(stored: StoredTank, one: Pump, pump_id: int | None) -> None:
    rules = Rules()
    rules.that(
        one.name not in [kept.value.name for kept in stored.pumps if kept.id != pump_id], "name",
        "is taken by another pump",
    )  # fmt: skip
    rules.errors += [replace(e, field=e.field.removeprefix("pumps.0.")) for e in pump_errors(stored.tank, [one])]
    rules.errors += inside_rock_errors(stored.tank, one)
    rules.finish()


def paint(db: Database, tank_id: int, place: tuple[float, float, float], flow: FlowClass) -> int:
    """Paint a place with observed flow; returns the id of the mark."""
    mark = FlowMark(*place, flow=flow)
    with db.writing() as connection:
        stored, rules = load_tank(connection, tank_id), Rules()
        rules.errors += [replace(e, field=e.field.removeprefix("flow_marks.0."))
                         for e in mark_errors(stored.tank, [mark])]  # fmt: skip
        most = most_of(Scene, "flow_marks")
        rules.that(len(stored.flow_marks) < most, "x", f"is one too many: at most {most} places are painted")
        rules.finish()
        edit = Edit(connection, tank_scope(tank_id), f"paint {flow} flow")
        return FLOW_MARKS.insert(edit, mark, tank_id)


def unpaint(db: Database, tank_id: int, mark_id: int) -> None:
    """Delete a painted place."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        found(stored.flow_marks, mark_id, "mark")
        FLOW_MARKS.delete(Edit(connection, tank_scope(tank_id), "delete mark"), mark_id)

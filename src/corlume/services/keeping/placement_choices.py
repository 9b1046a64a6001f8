"""The keeper's choices for placement: custom spots, frag racks, keep-clear areas, and preferences for corals."""

from __future__ import annotations

import typing
from dataclasses import replace
from typing import Any, Literal

from corlume.core.errors import InvalidInput, Rules
from corlume.core.keeping.inside_rock import inside_rock_errors
from corlume.core.keeping.scene import Scene
from corlume.core.placement.custom_spots import CustomSpot, FragRack
from corlume.core.placement.placement_preferences import KeptFree, PlacementPreferences
from corlume.core.schema import check_count
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import CORALS, OF_SCENE, Kept, Table, found
from corlume.store.tanks import StoredTank, load_tank

Stand = Literal["perches", "racks", "kept_free"]
STANDS: dict[Stand, Table[Any]] = {name: OF_SCENE[name] for name in typing.get_args(Stand)}
"""Lists of a tank that this is about, by the name of their field."""


def choices_of(stored: StoredTank, stand: Stand) -> tuple[Kept[Any], ...]:
    """All entries of one list."""
    return stored.lists[stand]


def choice_of(stored: StoredTank, stand: Stand, row_id: int) -> Kept[Any]:
    """Entry by id; ``NotFound`` otherwise."""
    return found(choices_of(stored, stand), row_id, STANDS[stand].one)


def save_choice(
    db: Database, tank_id: int, stand: Stand, thing: CustomSpot | FragRack | KeptFree, row_id: int | None = None
) -> int:
    """Add an entry, or change the one of an id; ``InvalidInput`` names the field alone. Returns its id."""
    table = STANDS[stand]
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        others = [kept.value for kept in choices_of(stored, stand) if kept.id != row_id]
        if row_id is None:
            check_count(Scene, stand, len(others) + 1)
        else:
            choice_of(stored, stand, row_id)
        rules = Rules()
        rules.that(thing.name not in [one.name for one in others], "name", f"is taken by another {table.one}")
        try:
            alone: dict[str, Any] = {stand: (thing,)}
            replace(stored.scene(), **alone)
        except InvalidInput as error:
            rules.errors += [replace(e, field=e.field.removeprefix(f"{stand}.0.")) for e in error.errors]
        if isinstance(thing, CustomSpot):
            rules.errors += inside_rock_errors(stored.tank, thing)
        rules.finish()
        edit = Edit(connection, tank_scope(tank_id), f"{'add' if row_id is None else 'change'} {thing.name}")
        if row_id is None:
            return table.insert(edit, thing, tank_id)
        table.update(edit, row_id, thing)
        return row_id


def remove_choice(db: Database, tank_id: int, stand: Stand, row_id: int) -> None:
    """Delete an entry."""
    with db.writing() as connection:
        kept = choice_of(load_tank(connection, tank_id), stand, row_id)
        STANDS[stand].delete(Edit(connection, tank_scope(tank_id), f"delete {kept.value.name}"), row_id)


def new_name(stored: StoredTank, stand: Stand, word: str) -> str:
    """A free name, such as Seat 3."""
    used = {kept.value.name for kept in choices_of(stored, stand)}
    return next(name for k in range(1, 10_000) if (name := f"{word} {k}") not in used)


def save_preferences(db: Database, tank_id: int, coral_id: int, wish: PlacementPreferences) -> None:
    """Save the placement preferences of a coral; ``InvalidInput`` names the field alone."""
    with db.writing() as connection:
        stored, rules = load_tank(connection, tank_id), Rules()
        coral = stored.coral(coral_id).value
        names = {kept.value.card.name for kept in stored.corals if kept.id != coral_id}
        for field in ("near", "far"):
            named = getattr(wish, field)
            rules.that(not named or named in names, field, "is none of your other corals")
        rules.that(not wish.pinned or coral.place is not None, "pinned", "needs a place: this coral is unplaced")
        rules.finish()
        CORALS.update(Edit(connection, tank_scope(tank_id), f"preferences of {coral.card.name}"), coral_id,
                      replace(coral, wish=wish))  # fmt: skip

"""What the keeper says of where corals can sit: own seats, frag racks, parts kept free, and wishes for corals."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

from corlume.core.buried import buried_errors
from corlume.core.errors import InvalidInput, Rules
from corlume.core.placing.perch import FragRack, Perch
from corlume.core.placing.wish import KeptFree, Wish
from corlume.core.scene import check_count
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import CORALS, KEPT_FREE, PERCHES, RACKS, Kept, Table, found
from corlume.store.tanks import StoredTank, load_tank

Stand = Literal["perches", "racks", "kept_free"]
STANDS: dict[Stand, Table[Any]] = {"perches": PERCHES, "racks": RACKS, "kept_free": KEPT_FREE}
"""Lists of a tank that this is about, by the name of their field."""


def of_tank(stored: StoredTank, stand: Stand) -> tuple[Kept[Any], ...]:
    """All of one list."""
    return {"perches": stored.perches, "racks": stored.racks, "kept_free": stored.kept_free}[stand]  # type: ignore[return-value]


def stand_of(stored: StoredTank, stand: Stand, row_id: int) -> Kept[Any]:
    """The one of that id; ``NotFound`` otherwise."""
    return found(of_tank(stored, stand), row_id, STANDS[stand].one)


def save_stand(
    db: Database, tank_id: int, stand: Stand, thing: Perch | FragRack | KeptFree, row_id: int | None = None
) -> int:
    """Add one, or change the one of that id; ``InvalidInput`` names the field by itself. Returns its id."""
    table = STANDS[stand]
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        others = [kept.value for kept in of_tank(stored, stand) if kept.id != row_id]
        if row_id is None:
            check_count(stand, len(others) + 1)
        else:
            stand_of(stored, stand, row_id)
        rules = Rules()
        rules.that(thing.name not in [one.name for one in others], "name", f"is taken by another {table.one}")
        try:
            alone: dict[str, Any] = {stand: (thing,)}
            replace(stored.scene(), **alone)
        except InvalidInput as error:
            rules.errors += [replace(e, field=e.field.removeprefix(f"{stand}.0.")) for e in error.errors]
        if isinstance(thing, Perch):
            rules.errors += buried_errors(stored.tank, thing)
        rules.finish()
        edit = Edit(connection, tank_scope(tank_id), f"{'add' if row_id is None else 'change'} {thing.name}")
        if row_id is None:
            return table.insert(edit, thing, tank_id)
        table.update(edit, row_id, thing)
        return row_id


def remove_stand(db: Database, tank_id: int, stand: Stand, row_id: int) -> None:
    """Take one out."""
    with db.writing() as connection:
        kept = stand_of(load_tank(connection, tank_id), stand, row_id)
        STANDS[stand].delete(Edit(connection, tank_scope(tank_id), f"remove {kept.value.name}"), row_id)


def new_name(stored: StoredTank, stand: Stand, word: str) -> str:
    """A name that is free, such as Seat 3."""
    used = {kept.value.name for kept in of_tank(stored, stand)}
    return next(name for k in range(1, 10_000) if (name := f"{word} {k}") not in used)


def save_wish(db: Database, tank_id: int, coral_id: int, wish: Wish) -> None:
    """Change what is wished of a coral's place; ``InvalidInput`` names the field by itself."""
    with db.writing() as connection:
        stored, rules = load_tank(connection, tank_id), Rules()
        coral = stored.coral(coral_id).value
        names = {kept.value.card.name for kept in stored.corals if kept.id != coral_id}
        for field in ("near", "far"):
            named = getattr(wish, field)
            rules.that(not named or named in names, field, "is none of your other corals")
        rules.that(not wish.pinned or coral.place is not None, "pinned", "wants a place: this coral waits for one")
        rules.finish()
        CORALS.update(Edit(connection, tank_scope(tank_id), f"wish for {coral.card.name}"), coral_id,
                      replace(coral, wish=wish))  # fmt: skip

"""The coral library: built-in types, and the keeper's own that replace or add to them."""

from __future__ import annotations

from collections.abc import Sequence

from corlume.core.errors import Rules
from corlume.core.placement.coral_card import CoralCard
from corlume.core.placement.coral_type import CoralType
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.table import read_table, write_table
from corlume.reference.coral_library import FORMERLY, coral_library
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import CORAL_KINDS, Kept, NotFound
from corlume.store.tanks import StoredTank, load_tank

MOST_KINDS = 1000


def library(stored: StoredTank) -> dict[str, CoralType]:
    """All coral types by name; the keeper's own replace built-in ones of the same name."""
    return coral_library() | {kept.value.card.name: kept.value for kept in stored.kinds}


def type_of(stored: StoredTank, card: CoralCard) -> CoralType | None:
    """Coral type by the name on a care card; None for one that is not in the library."""
    own = next((kept.value for kept in stored.kinds if kept.value.card.name == card.name), None)
    return own or coral_library().get(FORMERLY.get(card.name, card.name))


def lives_off_food(stored: StoredTank, card: CoralCard) -> bool:
    """Whether a coral is non-photosynthetic (NPS)."""
    kind = type_of(stored, card)
    return bool(kind and kind.food)


def allelopathic(stored: StoredTank) -> list[str]:
    """Names of the tank's corals that release chemicals against stony corals, where it has stony corals; empty
    otherwise.
    """
    kinds = {kept.value.card.name: type_of(stored, kept.value.card) for kept in stored.corals}
    stony = any(kept.value.card.group in ("lps", "sps") for kept in stored.corals)
    return sorted(name for name, kind in kinds.items() if stony and kind and kind.allelopathic)


def height_of(stored: StoredTank, card: CoralCard) -> float:
    """Grown height of a coral [m]; half of its width where its type is not in the library (our estimate)."""
    kind = type_of(stored, card)
    return kind.height if kind else 0.5 * card.size


def save_type(db: Database, tank_id: int, kind: CoralType, was: str = "") -> None:
    """Save a coral type of the keeper's, formerly called ``was``; undone from the tank where it was edited."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        old, rules = _own(stored, was), Rules()
        other = _own(stored, kind.card.name)
        rules.that(
            other is None or (old is not None and other.id == old.id), "name", "is already one of your coral types"
        )
        rules.finish()
        _put(Edit(connection, tank_scope(tank_id), f"change coral type {kind.card.name}"), stored, kind, old)


def remove_type(db: Database, tank_id: int, name: str) -> None:
    """Delete a coral type of the keeper's; a built-in type of that name shows again."""
    with db.writing() as connection:
        kept = _own(load_tank(connection, tank_id), name)
        if kept is None:
            raise NotFound(f"no kind {name}")
        CORAL_KINDS.delete(Edit(connection, tank_scope(tank_id), f"delete coral type {name}"), kept.id)


def export_types(kinds: Sequence[CoralType]) -> str:
    """Coral types as CSV text."""
    return write_table(CoralType, kinds)


def import_types(db: Database, tank_id: int, data: bytes) -> int:
    """Import coral types from CSV text that differ from the library, in one step of undo; returns how many.

    ``BadFile`` has every fault by line.
    """
    kinds = read_table(CoralType, data)
    names = [kind.card.name for kind in kinds]
    twice = sorted({name for name in names if names.count(name) > 1})
    if twice:
        raise BadFile([FileFault("the table", f'has the kind "{name}" twice') for name in twice])
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        known = library(stored)
        new = [kind for kind in kinds if known.get(kind.card.name) != kind]
        if len(stored.kinds) + len(new) > MOST_KINDS:
            raise BadFile([FileFault("the table", f"would make more than {MOST_KINDS} coral types of your own")])
        edit = Edit(connection, tank_scope(tank_id), f"import {len(new)} coral types")
        for kind in new:
            _put(edit, stored, kind, _own(stored, kind.card.name))
    return len(new)


def _own(stored: StoredTank, name: str) -> Kept[CoralType] | None:
    return next((kept for kept in stored.kinds if kept.value.card.name == name), None)


def _put(edit: Edit, stored: StoredTank, kind: CoralType, old: Kept[CoralType] | None) -> None:
    rules = Rules()
    rules.that(old is not None or len(stored.kinds) < MOST_KINDS, "name", f"is one too many: at most {MOST_KINDS}")
    rules.finish()
    if old is None:
        CORAL_KINDS.insert(edit, kind)
    else:
        CORAL_KINDS.update(edit, old.id, kind)

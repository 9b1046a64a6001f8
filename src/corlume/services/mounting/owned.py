"""What is owned: fixtures that hang over any tank, and those in the cupboard, with second-hand prices."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from corlume.core.errors import Rules
from corlume.core.keeping.owned_item import OwnedItem
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.keeping.fixture_library import entries
from corlume.services.search.costs import body_of
from corlume.store.database import Database
from corlume.store.journal import SHELF_SCOPE, Edit
from corlume.store.tables import FIXTURES, OWNED_ITEMS
from corlume.store.tanks import tank_lines


@dataclass(frozen=True, slots=True)
class Owned:
    """A fixture of the library that is owned or can be had second-hand: in the cupboard, its second-hand price, 0 when
    not known [currency], and over which tanks how many of it hang.
    """

    entry: CatalogueEntry
    count: int
    offer: float
    hangs: tuple[tuple[str, int], ...] = ()

    @property
    def price(self) -> float:
        """What one of it costs: second-hand where that is known and less [currency]."""
        known = [price for price in (self.offer, self.entry.price) if price]
        return min(known, default=0.0)


def owned(db: Database, library: Sequence[CatalogueEntry] | None = None) -> list[Owned]:
    """Every fixture of the library with what is owned of it, over all tanks and in the cupboard."""
    library = entries(db) if library is None else library
    with db.reading() as connection:
        items = {kept.value.key: kept.value for kept in OWNED_ITEMS.load(connection)}
        names = {line.id: line.name for line in tank_lines(connection)}
        rows = connection.execute(
            "SELECT setups.id, tank_id FROM setups JOIN tanks ON tanks.id = tank_id WHERE in_use = 1 AND removed = 0"
        ).fetchall()
        hung = FIXTURES.by_owner(connection, [row["id"] for row in rows])
    over = {row["id"]: names.get(row["tank_id"], "") for row in rows}
    counts: dict[tuple[object, ...], dict[str, int]] = {}
    for setup_id, kept in hung.items():
        for fixture in kept:
            by_tank = counts.setdefault(body_of(fixture.value), {})
            by_tank[over[setup_id]] = by_tank.get(over[setup_id], 0) + 1
    found = []
    for entry in library:
        item = items.get(entry.key, OwnedItem(entry.key))
        hangs = counts.get(body_of(entry.parts[0]), {}) if len(entry.parts) == 1 else {}
        found.append(Owned(entry, item.count, item.offer, tuple(hangs.items())))
    return found


def save_owned(db: Database, item: OwnedItem) -> None:
    """Save how many of a fixture are in the cupboard, and its second-hand price; ``InvalidInput`` by field."""
    rules = Rules()
    rules.that(item.key in {entry.key for entry in entries(db)}, "key", "is not in the fixture library")
    rules.finish()
    with db.writing() as connection:
        kept = next((one for one in OWNED_ITEMS.load(connection) if one.value.key == item.key), None)
        edit = Edit(connection, SHELF_SCOPE, "change what is owned")
        if kept and not (item.count or item.offer):
            OWNED_ITEMS.delete(edit, kept.id)
        elif kept:
            OWNED_ITEMS.update(edit, kept.id, item)
        elif item.count or item.offer:
            OWNED_ITEMS.insert(edit, item)

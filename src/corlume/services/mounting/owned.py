"""What is owned over all tanks: fixtures, mounts and lamps in use and in the cupboard, with second-hand prices."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

from corlume.core.errors import Rules
from corlume.core.keeping.owned_item import OwnedItem
from corlume.core.light.fixture import Fixture
from corlume.core.mounting.mount import MOUNT_TYPES, Mount, MountType
from corlume.core.upkeep.spares import Spare
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.keeping.fixture_library import entries
from corlume.services.search.costs import body_of
from corlume.store.database import Database
from corlume.store.journal import SHELF_SCOPE, Edit
from corlume.store.tables import FIXTURES, MOUNTS, OWNED_ITEMS, SPARES
from corlume.store.tanks import tank_lines

Counts = tuple[tuple[str, int], ...]
"""Counts by the name of a tank."""


@dataclass(frozen=True, slots=True)
class Owned:
    """A fixture of the library that is owned or can be had second-hand: in the cupboard, its second-hand price, 0 when
    not known [currency], and over which tanks how many of it hang.
    """

    entry: CatalogueEntry
    count: int
    offer: float
    hangs: Counts = ()

    @property
    def price(self) -> float:
        """What one of it costs: second-hand where that is known and less [currency]."""
        known = [price for price in (self.offer, self.entry.price) if price]
        return min(known, default=0.0)


@dataclass(frozen=True, slots=True)
class OwnedLine:
    """A line of all that is owned: how many are in use over which tanks, how many in the cupboard, and its prices, 0
    when not known [currency]. ``key`` is that of its ``OwnedItem``, "" where its count is kept elsewhere.
    """

    sort: Literal["fixture", "mount", "spare"]
    key: str
    name: str
    used: Counts
    spare: int
    price: float = 0.0
    offer: float = 0.0


@dataclass(frozen=True, slots=True)
class _InUse:
    """What hangs over all tanks in their setups in use, each with the id of its tank; spare lamps and parts, what lies
    in the cupboard by key, and the names of the tanks.
    """

    fixtures: tuple[tuple[int, Fixture], ...]
    mounts: tuple[tuple[int, Mount], ...]
    spares: tuple[Spare, ...]
    items: dict[str, OwnedItem]
    tanks: dict[int, str]

    def counts(self, over: Iterable[int]) -> Counts:
        """How often each tank occurs."""
        return tuple((self.tanks[tank], count) for tank, count in Counter(over).items())


def owned(db: Database) -> list[Owned]:
    """Every fixture of the library with what is owned of it, over all tanks and in the cupboard."""
    return _fixtures(entries(db), _in_use(db))


def everything_owned(db: Database) -> list[OwnedLine]:
    """All that is owned: fixtures, those of no library entry by type and power, mounts by type, and spares."""
    library, found = entries(db), _in_use(db)
    shelf = _fixtures(library, found)
    lines = [
        OwnedLine("fixture", one.entry.key, one.entry.name, one.hangs, one.count, one.entry.price, one.offer)
        for one in shelf
        if one.count or one.offer or one.hangs
    ]
    known = {body_of(entry.parts[0]) for entry in library if len(entry.parts) == 1}
    others: dict[str, list[int]] = {}
    for tank, fixture in found.fixtures:
        if body_of(fixture) not in known:
            others.setdefault(f"{fixture.emitter.made_by.name}, {fixture.watts:.0f} W", []).append(tank)
    lines += [OwnedLine("fixture", "", name, found.counts(over), 0) for name, over in sorted(others.items())]
    for kind, words in MOUNT_TYPES.items():
        key = mount_key(kind)
        item, used = (
            found.items.get(key, OwnedItem(key)),
            found.counts(tank for tank, m in found.mounts if m.type == kind),
        )
        if used or item.count or item.offer:
            lines.append(OwnedLine("mount", key, words.capitalize(), used, item.count, 0.0, item.offer))
    for name in dict.fromkeys(spare.name for spare in found.spares):
        lines.append(OwnedLine("spare", "", name, (), sum(s.count for s in found.spares if s.name == name)))
    return lines


def mount_key(kind: MountType) -> str:
    """Key under which mounts of a type in the cupboard are kept."""
    return f"mount:{kind}"


def mounts_in_cupboard(db: Database) -> dict[MountType, OwnedItem]:
    """Mounts in the cupboard, and their second-hand prices, by type."""
    with db.reading() as connection:
        items = {kept.value.key: kept.value for kept in OWNED_ITEMS.load(connection)}
    return {kind: items[mount_key(kind)] for kind in MOUNT_TYPES if mount_key(kind) in items}


def _in_use(db: Database) -> _InUse:
    with db.reading() as connection:
        items = {kept.value.key: kept.value for kept in OWNED_ITEMS.load(connection)}
        names = {line.id: line.name for line in tank_lines(connection)}
        rows = connection.execute(
            "SELECT setups.id, tank_id FROM setups JOIN tanks ON tanks.id = tank_id WHERE in_use = 1 AND removed = 0"
        ).fetchall()
        over = {row["id"]: row["tank_id"] for row in rows}
        fixtures, mounts = FIXTURES.by_owner(connection, list(over)), MOUNTS.by_owner(connection, list(over))
        spares = SPARES.by_owner(connection, list(names))
    return _InUse(
        tuple((over[setup], kept.value) for setup, some in fixtures.items() for kept in some),
        tuple((over[setup], kept.value) for setup, some in mounts.items() for kept in some),
        tuple(kept.value for some in spares.values() for kept in some),
        items,
        names,
    )


def _fixtures(library: Sequence[CatalogueEntry], found: _InUse) -> list[Owned]:
    hung: dict[tuple[object, ...], list[int]] = {}
    for tank, fixture in found.fixtures:
        hung.setdefault(body_of(fixture), []).append(tank)
    shelf = []
    for entry in library:
        item = found.items.get(entry.key, OwnedItem(entry.key))
        hangs = found.counts(hung.get(body_of(entry.parts[0]), ())) if len(entry.parts) == 1 else ()
        shelf.append(Owned(entry, item.count, item.offer, hangs))
    return shelf


def save_owned(db: Database, item: OwnedItem) -> None:
    """Save how many of a fixture, or mounts of a type, are in the cupboard, and the second-hand price.

    ``InvalidInput`` by field.
    """
    rules, mounts = Rules(), {mount_key(kind) for kind in MOUNT_TYPES}
    rules.that(item.key in mounts | {entry.key for entry in entries(db)}, "key", "is not in the fixture library")
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

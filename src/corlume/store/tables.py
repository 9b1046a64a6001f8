"""Tables of kept lists: one each, written through the journal and read by their declaration."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar, cast

from corlume.core.acclimation.log_entry import LogEntry
from corlume.core.flow.observed_flow import FlowMark
from corlume.core.flow.pump import Pump
from corlume.core.judging.target_zones import TargetZone
from corlume.core.keeping.own_fixture import OwnFixture
from corlume.core.keeping.owned_item import OwnedItem
from corlume.core.keeping.scene import Scene, Setup
from corlume.core.light.brushed_rock import BrushedRock
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Brace, Rock, Tank
from corlume.core.light.light_group import LightGroup
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.mounting.checklist import Tick
from corlume.core.mounting.mount import Mount
from corlume.core.mounting.power import Cord, PowerPart
from corlume.core.placement.coral import Coral
from corlume.core.placement.coral_type import CoralType
from corlume.core.schedule.change_plan import ChangePlan
from corlume.core.schedule.presets import Preset
from corlume.core.schema import Many, lists
from corlume.core.survey.photo_geometry import Photo
from corlume.core.survey.survey_record import MeasuringPoint, Survey
from corlume.core.upkeep.burning import BurningHours
from corlume.core.upkeep.cleaning import Cleaning, CleaningRhythm
from corlume.core.upkeep.lamp import Lamp
from corlume.core.upkeep.log_event import LogEvent
from corlume.core.upkeep.spares import Spare
from corlume.store.journal import Edit, insert_row, journaled
from corlume.store.rows import Row, columns, fixture_from, row_of, thing_of

T = TypeVar("T")


class NotFound(LookupError):
    """Raised for an id that does not exist, or no longer."""


@dataclass(frozen=True, slots=True)
class Kept(Generic[T]):
    """A core object with the id it is stored under."""

    id: int
    value: T


@dataclass(frozen=True, slots=True)
class Table(Generic[T]):
    """The table of a kept list.

    Parameters
    ----------
    name : of the table.
    of : class of its rows.
    one : what one of them is called.
    owner : the column with the id of what a row belongs to; empty where the rows belong to nothing.
    lists : the tables of lists inside a row, by the names of their fields.
    apart : whether its own pages load it, and what it belongs to is loaded without.
    """

    name: str
    of: type[T]
    one: str
    owner: str = "tank_id"
    lists: Mapping[str, Table[Any]] = field(default_factory=dict)
    apart: bool = False

    def __post_init__(self) -> None:
        journaled(self.name)

    def value_of(self, row: sqlite3.Row, **lists: Any) -> T:
        """Value of a row."""
        return cast(T, fixture_from(row)) if self.of is Fixture else thing_of(self.of, row, **lists)

    def load(self, connection: sqlite3.Connection, owner_id: int | None = None, *, whole: bool = True) -> Rows[T]:
        """Rows of an owner by id, or every row if the table has none; without the lists kept apart unless ``whole``."""
        where = f"WHERE {self.owner} = :owner" if self.owner else ""
        rows = connection.execute(f"SELECT * FROM {self.name} {where} ORDER BY id", {"owner": owner_id}).fetchall()
        return self._kept(connection, rows, whole=whole)

    def get(
        self, connection: sqlite3.Connection, row_id: int, owner_id: int | None = None, *, only: Collection[str] = ()
    ) -> Kept[T]:
        """Row of an id and owner, with all its lists or those named ``only``; ``NotFound`` otherwise."""
        where = f"id = :id AND {self.owner} = :owner" if self.owner else "id = :id"
        rows = connection.execute(f"SELECT * FROM {self.name} WHERE {where}", {"id": row_id, "owner": owner_id})
        return found(self._kept(connection, rows.fetchall(), whole=True, only=only), row_id, self.one)

    def by_owner(
        self, connection: sqlite3.Connection, owners: Sequence[int], *, whole: bool = True
    ) -> dict[int, Rows[T]]:
        """Rows of some owners, by the owner's id."""
        rows = connection.execute(
            f"SELECT * FROM {self.name} WHERE {self.owner} IN (SELECT value FROM json_each(?)) ORDER BY id",
            (json.dumps(list(owners)),),
        ).fetchall()
        found: dict[int, list[Kept[T]]] = {owner: [] for owner in owners}
        for row, kept in zip(rows, self._kept(connection, rows, whole=whole), strict=True):
            found[row[self.owner]].append(kept)
        return {owner: tuple(kept) for owner, kept in found.items()}

    def _kept(
        self, connection: sqlite3.Connection, rows: list[sqlite3.Row], *, whole: bool, only: Collection[str] = ()
    ) -> Rows[T]:
        ids = [row["id"] for row in rows]
        inner = {
            name: table.by_owner(connection, ids, whole=whole)
            for name, table in self.lists.items()
            if ids and (whole or not table.apart) and (not only or name in only)
        }
        return tuple(
            Kept(i, self.value_of(row, **{name: tuple(kept.value for kept in of[i]) for name, of in inner.items()}))
            for i, row in zip(ids, rows, strict=True)
        )

    def row(self, value: T, owner_id: int | None = None) -> dict[str, Any]:
        """Columns of a value, with that of the owner."""
        return {**({self.owner: owner_id} if self.owner else {}), **row_of(value)}

    def put(self, connection: sqlite3.Connection, value: T, owner_id: int | None = None) -> int:
        """Add a row with its lists outside the journal; returns its id."""
        row_id = insert_row(connection, self.name, self.row(value, owner_id))
        for name, table in self.lists.items():
            for one in getattr(value, name):
                table.put(connection, one, row_id)
        return row_id

    def insert(self, edit: Edit, value: T, owner_id: int | None = None) -> int:
        """Add a row with its lists; returns its id."""
        row_id = edit.insert(self.name, self.row(value, owner_id))
        for name, table in self.lists.items():
            for one in getattr(value, name):
                table.insert(edit, one, row_id)
        return row_id

    def update(self, edit: Edit, row_id: int, value: T, before: Row | None = None) -> None:
        """Change a row, but not its lists; ``before`` is the row as read in the same transaction."""
        edit.update(self.name, row_id, row_of(value), before)

    def delete(self, edit: Edit, row_id: int) -> None:
        """Delete a row, and first all rows of its lists."""
        for table in self.lists.values():
            for inner in table.ids(edit.connection, row_id):
                table.delete(edit, inner)
        edit.delete(self.name, row_id)

    def ids(self, connection: sqlite3.Connection, owner_id: int) -> list[int]:
        """Ids of an owner's rows."""
        rows = connection.execute(f"SELECT id FROM {self.name} WHERE {self.owner} = ? ORDER BY id", (owner_id,))
        return [row["id"] for row in rows]


Rows = tuple[Kept[T], ...]


def found(kept: tuple[Kept[T], ...], row_id: int, what: str) -> Kept[T]:
    """Entry of an id; ``NotFound`` otherwise."""
    for one in kept:
        if one.id == row_id:
            return one
    raise NotFound(f"no {what} {row_id}")


def _lists_of(cls: type, owner: str) -> dict[str, Table[Any]]:
    """Tables of a class's lists by their fields; rows of an inner list have a column for the outer row."""
    tables = {}
    for name, item in lists(cls).items():
        many = item.spec
        assert isinstance(many, Many)
        one = many.one or name.removesuffix("s")
        inner = _lists_of(item.type, f"{one.replace(' ', '_')}_id")
        tables[name] = Table(many.table or name, item.type, one, owner, inner, many.apart)
    return tables


OF_TANK = _lists_of(Tank, "tank_id")
OF_SCENE = _lists_of(Scene, "tank_id")
"""The lists of a tank and of its scene by their fields; a list that a class declares is here by itself."""
ROCKS: Table[Rock] = OF_TANK["rocks"]
BRACES: Table[Brace] = OF_TANK["braces"]
NATURAL_ROCKS: Table[NaturalRock] = OF_TANK["natural_rocks"]
BRUSHED_ROCK: Table[BrushedRock] = OF_TANK["brushed_rock"]
SETUPS: Table[Setup] = OF_SCENE["setups"]
FIXTURES: Table[Fixture] = SETUPS.lists["fixtures"]
LIGHT_GROUPS: Table[LightGroup] = SETUPS.lists["groups"]
MOUNTS: Table[Mount] = SETUPS.lists["mounts"]
POWER_PARTS: Table[PowerPart] = SETUPS.lists["power_parts"]
CORDS: Table[Cord] = SETUPS.lists["cords"]
TICKS: Table[Tick] = SETUPS.lists["ticks"]
CORALS: Table[Coral] = OF_SCENE["corals"]
CORAL_NOTES: Table[LogEntry] = CORALS.lists["notes"]
WANTED: Table[TargetZone] = OF_SCENE["wanted"]
SURVEYS: Table[Survey] = OF_SCENE["surveys"]
SPOTS: Table[MeasuringPoint] = SURVEYS.lists["spots"]
PHOTOS: Table[Photo] = OF_SCENE["photos"]
CHANGE_PLANS: Table[ChangePlan] = OF_SCENE["plans"]
PRESETS: Table[Preset] = OF_SCENE["presets"]
LAMPS: Table[Lamp] = OF_SCENE["lamps"]
RHYTHMS: Table[CleaningRhythm] = OF_SCENE["rhythms"]
CLEANINGS: Table[Cleaning] = OF_SCENE["cleanings"]
BURNING: Table[BurningHours] = OF_SCENE["burning"]
SPARES: Table[Spare] = OF_SCENE["spares"]
EVENTS: Table[LogEvent] = OF_SCENE["events"]
PUMPS: Table[Pump] = OF_SCENE["pumps"]
FLOW_MARKS: Table[FlowMark] = OF_SCENE["flow_marks"]
OWN_FIXTURES = Table("own_fixtures", OwnFixture, "fixture in the fixture library", "")
CORAL_KINDS = Table("coral_kinds", CoralType, "kind of coral", "")
OWNED_ITEMS = Table("owned_items", OwnedItem, "fixture in the cupboard", "")


def all_tables() -> Iterator[Table[Any]]:
    """Every table of a kept list, inner lists among them."""
    waiting = [*OF_TANK.values(), *OF_SCENE.values(), OWN_FIXTURES, CORAL_KINDS, OWNED_ITEMS]
    while waiting:
        table = waiting.pop(0)
        waiting += table.lists.values()
        yield table


def missing_columns(connection: sqlite3.Connection) -> list[str]:
    """Columns, as table.column, that a declaration has and the database lacks, for want of a migration."""
    wanted = {
        table.name: {"id", *filter(None, [table.owner]), *(c.name for c in columns(table.of))} for table in all_tables()
    }
    wanted["tanks"] = {c.name for c in columns(Scene)}
    there = {
        name: {row["name"] for row in connection.execute("SELECT name FROM pragma_table_info(?)", (name,))}
        for name in wanted
    }
    return [f"{name}.{column}" for name in wanted for column in sorted(wanted[name] - there[name])]

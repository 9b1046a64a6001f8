"""The lists of kept things: one table each, written through the journal and read by their declaration."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Generic, Literal, TypeVar

from corlume.core.coral_kind import CoralKind
from corlume.core.course.note import CoralNote
from corlume.core.fixture import Fixture
from corlume.core.flow.mark import FlowMark
from corlume.core.flow.pump import Pump
from corlume.core.geometry import Brace, Rock
from corlume.core.judgement.wanted import WantedZone
from corlume.core.own_fixture import OwnFixture
from corlume.core.placing.perch import FragRack, Perch
from corlume.core.placing.wish import KeptFree
from corlume.core.scene import Coral, Setup
from corlume.core.survey.photo import Photo
from corlume.core.survey.record import Spot, Survey
from corlume.store.journal import Edit, insert_row, journaled
from corlume.store.rows import fixture_from, row_of, thing_of

T = TypeVar("T")


class NotFound(LookupError):
    """Raised for an id that is not there, or no longer."""


@dataclass(frozen=True, slots=True)
class Kept(Generic[T]):
    """A core object with the id it is stored under."""

    id: int
    value: T


@dataclass(frozen=True, slots=True)
class Table(Generic[T]):
    """A list of kept things.

    Parameters
    ----------
    name : of the table.
    of : their class.
    one : what one of them is called.
    owner : the column that says to what each belongs.
    read : makes one of its row, where the declaration is not enough.
    lists : the tables of its own lists, by the names of their fields.
    """

    name: str
    of: type[T]
    one: str
    owner: Literal["tank_id", "setup_id", "survey_id", "coral_id", ""] = "tank_id"
    read: Callable[[sqlite3.Row], T] | None = None
    lists: Mapping[str, Table[Any]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        journaled(self.name)

    def value_of(self, row: sqlite3.Row) -> T:
        """The thing of a row."""
        return self.read(row) if self.read else thing_of(self.of, row)

    def kept(self, rows: list[sqlite3.Row]) -> tuple[Kept[T], ...]:
        """The things of some rows."""
        return tuple(Kept(row["id"], self.value_of(row)) for row in rows)

    def load(self, connection: sqlite3.Connection, owner_id: int | None = None) -> tuple[Kept[T], ...]:
        """All of an owner in the order in which they came; all there are when nobody owns them."""
        where = f"WHERE {self.owner} = :owner" if self.owner else ""
        rows = connection.execute(f"SELECT * FROM {self.name} {where} ORDER BY id", {"owner": owner_id}).fetchall()
        return tuple(Kept(row["id"], self._whole(connection, row)) for row in rows) if self.lists else self.kept(rows)

    def _whole(self, connection: sqlite3.Connection, row: sqlite3.Row) -> T:
        lists = {name: tuple(k.value for k in table.load(connection, row["id"])) for name, table in self.lists.items()}
        return thing_of(self.of, row, **lists)

    def bare(self, connection: sqlite3.Connection, owner_id: int) -> tuple[Kept[T], ...]:
        """All of an owner without their own lists."""
        where = f"SELECT * FROM {self.name} WHERE {self.owner} = ? ORDER BY id"
        return self.kept(connection.execute(where, (owner_id,)).fetchall())

    def get(self, connection: sqlite3.Connection, row_id: int, owner_id: int | None = None) -> Kept[T]:
        """The one of that id; ``NotFound`` otherwise."""
        return found(self.load(connection, owner_id), row_id, self.one)

    def row(self, value: T, owner_id: int | None = None) -> dict[str, Any]:
        """Its columns, that of the owner among them."""
        return {**({self.owner: owner_id} if self.owner else {}), **row_of(value)}

    def put(self, connection: sqlite3.Connection, value: T, owner_id: int | None = None) -> int:
        """Add one with its lists outside the journal; returns its id."""
        row_id = insert_row(connection, self.name, self.row(value, owner_id))
        for name, table in self.lists.items():
            for one in getattr(value, name):
                table.put(connection, one, row_id)
        return row_id

    def insert(self, edit: Edit, value: T, owner_id: int | None = None) -> int:
        """Add one with its lists; returns its id."""
        row_id = edit.insert(self.name, self.row(value, owner_id))
        for name, table in self.lists.items():
            for one in getattr(value, name):
                table.insert(edit, one, row_id)
        return row_id

    def update(self, edit: Edit, row_id: int, value: T) -> None:
        """Change one, but not its lists."""
        edit.update(self.name, row_id, row_of(value))

    def delete(self, edit: Edit, row_id: int) -> None:
        """Take one out."""
        edit.delete(self.name, row_id)


def found(kept: tuple[Kept[T], ...], row_id: int, what: str) -> Kept[T]:
    """The one of that id; ``NotFound`` otherwise."""
    for one in kept:
        if one.id == row_id:
            return one
    raise NotFound(f"no {what} {row_id}")


ROCKS = Table("rocks", Rock, "rock")
BRACES = Table("braces", Brace, "brace")
FIXTURES = Table("fixtures", Fixture, "fixture", "setup_id", fixture_from)
SETUPS = Table("setups", Setup, "setup")
CORAL_NOTES = Table("coral_notes", CoralNote, "note", "coral_id")
CORALS = Table("corals", Coral, "coral", lists={"notes": CORAL_NOTES})
WANTED = Table("wanted", WantedZone, "zone")
OWN_FIXTURES = Table("own_fixtures", OwnFixture, "fixture on the shelf", "")
SPOTS = Table("spots", Spot, "spot", "survey_id")
SURVEY_FIXTURES = Table("survey_fixtures", Fixture, "fixture", "survey_id", fixture_from)
SURVEYS = Table("surveys", Survey, "survey", lists={"spots": SPOTS, "fixtures": SURVEY_FIXTURES})
PHOTOS = Table("photos", Photo, "photo")
PUMPS = Table("pumps", Pump, "pump")
FLOW_MARKS = Table("flow_marks", FlowMark, "mark of flow")
PERCHES = Table("perches", Perch, "seat")
RACKS = Table("racks", FragRack, "rack")
KEPT_FREE = Table("kept_free", KeptFree, "part kept free")
CORAL_KINDS = Table("coral_kinds", CoralKind, "kind of coral", "")
OF_SCENE: tuple[Table[Any], ...] = (
    CORALS, WANTED, SURVEYS, PHOTOS, PUMPS, FLOW_MARKS, PERCHES, RACKS, KEPT_FREE
)  # fmt: skip
"""Those that a scene holds under the name of their table."""

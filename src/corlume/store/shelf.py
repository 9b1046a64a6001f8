"""The keeper's own fixtures."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass

from corlume.core.scene import Fixture
from corlume.store import rows
from corlume.store.journal import SHELF_SCOPE, Edit
from corlume.store.tanks import NotFound


@dataclass(frozen=True, slots=True)
class OwnFixture:
    """A fixture of the keeper's own, and where its figures come from; price 0 when not known."""

    id: int
    fixture: Fixture
    source: str
    price: float = 0.0
    mount: str = ""


def own_fixtures(connection: sqlite3.Connection) -> list[OwnFixture]:
    """All of them, oldest first."""
    found = connection.execute("SELECT * FROM own_fixtures ORDER BY id").fetchall()
    return [OwnFixture(row["id"], rows.fixture_from(row), row["source"], row["price"], row["mount"]) for row in found]


def own_fixture(connection: sqlite3.Connection, fixture_id: int) -> OwnFixture:
    """One of them; ``NotFound`` otherwise."""
    for one in own_fixtures(connection):
        if one.id == fixture_id:
            return one
    raise NotFound(f"no fixture {fixture_id} on the shelf")


def put_on_shelf(
    connection: sqlite3.Connection,
    fixture: Fixture,
    source: str,
    *,
    price: float = 0.0,
    mount: str = "",
) -> int:
    """Add a fixture; returns its id."""
    edit = Edit(connection, SHELF_SCOPE, f"put {fixture.name} on the shelf")
    about = {"source": source, "price": price, "mount": mount}
    return edit.insert("own_fixtures", {**rows.fixture_row(fixture), **about})


def put_all(connection: sqlite3.Connection, items: list[tuple[Fixture, str, float, str]]) -> None:
    """Add fixtures with source, price and mount, in one edit."""
    edit = Edit(connection, SHELF_SCOPE, f"put {len(items)} fixtures on the shelf")
    for fixture, source, price, mount in items:
        about = {"source": source, "price": price, "mount": mount}
        edit.insert("own_fixtures", {**rows.fixture_row(fixture), **about})


def take_off_shelf(connection: sqlite3.Connection, fixture_id: int) -> None:
    """Remove a fixture; what hangs over a tank stays."""
    name = own_fixture(connection, fixture_id).fixture.name
    Edit(connection, SHELF_SCOPE, f"take {name} off the shelf").delete("own_fixtures", fixture_id)


KEEP_DRAFTS = 20
"""Fixtures looked at and not put on the shelf yet that are kept."""


def add_draft(connection: sqlite3.Connection, fixture: str, source: str) -> int:
    """Keep a fixture, as JSON, that was read from a file until it is put on the shelf; returns its id."""
    cursor = connection.execute("INSERT INTO drafts (fixture, source) VALUES (?, ?)", (fixture, source))
    connection.execute(
        "DELETE FROM drafts WHERE id <= (SELECT id FROM drafts ORDER BY id DESC LIMIT 1 OFFSET ?)", (KEEP_DRAFTS,)
    )
    return int(cursor.lastrowid or 0)


def load_draft(connection: sqlite3.Connection, draft_id: int) -> tuple[str, str]:
    """Fixture and source of a draft; ``NotFound`` when it made room for others."""
    row = connection.execute("SELECT fixture, source FROM drafts WHERE id = ?", (draft_id,)).fetchone()
    if row is None:
        raise NotFound(f"no draft {draft_id}")
    return row["fixture"], row["source"]

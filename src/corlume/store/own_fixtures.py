"""The keeper's own fixtures."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence

from corlume.core.keeping.own_fixture import OwnFixture
from corlume.store.journal import SHELF_SCOPE, Edit
from corlume.store.tables import OWN_FIXTURES, NotFound


def put_on_shelf(connection: sqlite3.Connection, items: Sequence[OwnFixture], label: str) -> list[int]:
    """Add own fixtures in one edit; returns their ids."""
    edit = Edit(connection, SHELF_SCOPE, label)
    return [OWN_FIXTURES.insert(edit, item) for item in items]


def take_off_shelf(connection: sqlite3.Connection, fixture_id: int) -> None:
    """Delete an own fixture; hung copies stay."""
    name = OWN_FIXTURES.get(connection, fixture_id).value.fixture.name
    OWN_FIXTURES.delete(Edit(connection, SHELF_SCOPE, f"delete {name} from the fixture library"), fixture_id)


def change_on_shelf(connection: sqlite3.Connection, fixture_id: int, item: OwnFixture) -> None:
    """Change an own fixture; hung copies stay as they are."""
    OWN_FIXTURES.get(connection, fixture_id)
    OWN_FIXTURES.update(
        Edit(connection, SHELF_SCOPE, f"change {item.fixture.name} in the fixture library"), fixture_id, item
    )


KEEP_DRAFTS = 20
"""Fixtures looked at and not put on the shelf yet that are kept."""


def add_draft(connection: sqlite3.Connection, fixture: str, source: str) -> int:
    """Store a fixture, as JSON, that was imported but not saved yet; returns its id."""
    cursor = connection.execute("INSERT INTO drafts (fixture, source) VALUES (?, ?)", (fixture, source))
    connection.execute(
        "DELETE FROM drafts WHERE id <= (SELECT id FROM drafts ORDER BY id DESC LIMIT 1 OFFSET ?)", (KEEP_DRAFTS,)
    )
    return int(cursor.lastrowid or 0)


def load_draft(connection: sqlite3.Connection, draft_id: int) -> tuple[str, str]:
    """Fixture and source of a draft; ``NotFound`` when it was displaced."""
    row = connection.execute("SELECT fixture, source FROM drafts WHERE id = ?", (draft_id,)).fetchone()
    if row is None:
        raise NotFound(f"no draft {draft_id}")
    return row["fixture"], row["source"]

"""Undo and redo, kept in the database: every edit records the rows it changed, before and after."""

from __future__ import annotations

import datetime
import json
import sqlite3
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

Row = dict[str, Any]
_TABLES = {"tanks", "searches"}
KEEP = 1000
"""Edits kept in each scope; older ones can no longer be undone."""


def journaled(table: str) -> None:
    """Let a table's rows be written through the journal."""
    _TABLES.add(table)


def tank_scope(tank_id: int) -> str:
    """The scope of all edits inside one tank."""
    return f"tank:{tank_id}"


TANKS_SCOPE = "tanks"
SHELF_SCOPE = "shelf"


@dataclass(frozen=True, slots=True)
class Steps:
    """Names of the next undo and redo, or None."""

    undo: str | None
    redo: str | None


@dataclass(frozen=True, slots=True)
class PastEdit:
    """An edit that was made: its name, and when."""

    id: int
    label: str
    at: datetime.datetime


class Edit:
    """One edit inside a write transaction: all its changes of rows are undone together.

    It is written down with its first change, so that an edit which changes nothing is no step of undo.
    """

    def __init__(self, connection: sqlite3.Connection, scope: str, label: str) -> None:
        self.connection = connection
        self._scope = scope
        self._label = label
        self._id: int | None = None

    @property
    def id(self) -> int | None:
        """Its id; None while nothing is changed."""
        return self._id

    def insert(self, table: str, values: Row) -> int:
        """Insert a row and return its id."""
        row_id = insert_row(self.connection, table, values)
        self._record(table, row_id, None, read_row(self.connection, table, row_id))
        return row_id

    def update(self, table: str, row_id: int, values: Row, before: Row | None = None) -> None:
        """Change columns of an existing row; only real changes are recorded.

        ``before`` is the row, where it was read in the same transaction.
        """
        before = before or read_row(self.connection, table, row_id)
        changed = {column: value for column, value in values.items() if before[column] != value}
        if not changed:
            return
        after = _set(self.connection, table, row_id, changed)
        self._record(table, row_id, {c: before[c] for c in changed}, {c: after[c] for c in changed})

    def delete(self, table: str, row_id: int) -> None:
        """Delete a row; rows that refer to it must be deleted first."""
        before = read_row(self.connection, table, row_id)
        self.connection.execute(f"DELETE FROM {_known(table)} WHERE id = ?", (row_id,))
        self._record(table, row_id, before, None)

    def _record(self, table: str, row_id: int, before: Row | None, after: Row | None) -> None:
        if self._id is None:
            self._id = self._begun()
        self.connection.execute(
            "INSERT INTO changes (edit_id, table_name, row_id, before, after) VALUES (?, ?, ?, ?, ?)",
            (self._id, table, row_id, before and json.dumps(before), after and json.dumps(after)),
        )

    def _begun(self) -> int | None:
        """Record the edit: nothing undone can be redone after it, and the oldest edit is displaced."""
        scope = {"scope": self._scope, "label": self._label, "keep": KEEP - 1}
        self.connection.execute(
            "DELETE FROM edits WHERE scope = :scope AND (undone = 1 OR id <= "
            "(SELECT id FROM edits WHERE scope = :scope AND undone = 0 ORDER BY id DESC LIMIT 1 OFFSET :keep))",
            scope,
        )
        return self.connection.execute("INSERT INTO edits (scope, label) VALUES (:scope, :label)", scope).lastrowid


def undo(connection: sqlite3.Connection, scope: str) -> str | None:
    """Undo the latest edit of a scope; returns its name, or None when there is none."""
    return _step(connection, scope, back=True)


def redo(connection: sqlite3.Connection, scope: str) -> str | None:
    """Redo the edit undone last; returns its name, or None when there is none."""
    return _step(connection, scope, back=False)


def steps(connection: sqlite3.Connection, scope: str) -> Steps:
    """Names of the next undo and redo."""
    newest = _next_edit(connection, scope, back=True)
    undone = _next_edit(connection, scope, back=False)
    return Steps(newest["label"] if newest else None, undone["label"] if undone else None)


def past_edits(connection: sqlite3.Connection, scope: str, tables: Collection[str], most: int) -> list[PastEdit]:
    """The latest edits of a scope that changed rows of some tables, newest first."""
    rows = connection.execute(
        "SELECT id, label, at FROM edits WHERE scope = :scope AND undone = 0 AND EXISTS "
        "(SELECT 1 FROM changes WHERE edit_id = edits.id AND table_name IN (SELECT value FROM json_each(:tables))) "
        "ORDER BY id DESC LIMIT :most",
        {"scope": scope, "tables": json.dumps(sorted(tables)), "most": most},
    )
    return [PastEdit(row["id"], row["label"], datetime.datetime.fromisoformat(row["at"])) for row in rows]


@contextmanager
def looking_back(connection: sqlite3.Connection, scope: str, edit_id: int) -> Iterator[None]:
    """Inside the block the data are as they were before an edit; after it they are as they are again.

    ``LookupError`` when the edit is not kept, or was undone.
    """
    connection.execute("SAVEPOINT looking_back")
    try:
        while (newest := _next_edit(connection, scope, back=True)) is not None and newest["id"] >= edit_id:
            _step(connection, scope, back=True)
            if newest["id"] == edit_id:
                break
        else:
            raise LookupError(f"no edit {edit_id}")
        yield
    finally:
        connection.execute("ROLLBACK TO looking_back")
        connection.execute("RELEASE looking_back")


def _next_edit(connection: sqlite3.Connection, scope: str, *, back: bool) -> sqlite3.Row | None:
    order = "DESC" if back else "ASC"
    row: sqlite3.Row | None = connection.execute(
        f"SELECT id, label FROM edits WHERE scope = ? AND undone = ? ORDER BY id {order} LIMIT 1",
        (scope, 0 if back else 1),
    ).fetchone()
    return row


def _step(connection: sqlite3.Connection, scope: str, *, back: bool) -> str | None:
    edit = _next_edit(connection, scope, back=back)
    if edit is None:
        return None
    order = "DESC" if back else "ASC"
    changes = connection.execute(
        f"SELECT table_name, row_id, before, after FROM changes WHERE edit_id = ? ORDER BY id {order}", (edit["id"],)
    ).fetchall()
    for change in changes:
        before, after = (json.loads(change[name]) if change[name] else None for name in ("before", "after"))
        was, wanted = (after, before) if back else (before, after)
        _restore(connection, change["table_name"], change["row_id"], was, wanted)
    connection.execute("UPDATE edits SET undone = ? WHERE id = ?", (1 if back else 0, edit["id"]))
    return str(edit["label"])


def _restore(connection: sqlite3.Connection, table: str, row_id: int, was: Row | None, wanted: Row | None) -> None:
    """Restore a row: deleted, inserted again, or with the edited columns reset.

    Columns that it did not change keep what later edits of another scope gave them; versions up to 0.1 wrote whole
    rows down, so what both images share is passed over.
    """
    if wanted is None:
        connection.execute(f"DELETE FROM {_known(table)} WHERE id = ?", (row_id,))
    elif was is None:
        insert_row(connection, table, wanted)
    elif changed := {c: v for c, v in wanted.items() if c not in was or was[c] != v}:
        _set(connection, table, row_id, changed)


def _set(connection: sqlite3.Connection, table: str, row_id: int, values: Row) -> sqlite3.Row:
    """Set columns of a row; returns the row after that."""
    assignments = ", ".join(f"{column} = :{column}" for column in values)
    sql = f"UPDATE {_known(table)} SET {assignments} WHERE id = :row_id RETURNING *"
    row: sqlite3.Row = connection.execute(sql, {**values, "row_id": row_id}).fetchone()
    return row


def insert_row(connection: sqlite3.Connection, table: str, values: Row) -> int:
    """Insert a row outside the journal and return its id."""
    columns = ", ".join(values)
    slots = ", ".join(f":{column}" for column in values)
    cursor = connection.execute(f"INSERT INTO {_known(table)} ({columns}) VALUES ({slots})", values)
    assert cursor.lastrowid is not None
    return cursor.lastrowid


def read_row(connection: sqlite3.Connection, table: str, row_id: int) -> Row:
    """Read a row by id; ``LookupError`` when there is none."""
    row = connection.execute(f"SELECT * FROM {_known(table)} WHERE id = ?", (row_id,)).fetchone()
    if row is None:
        raise LookupError(f"no row {row_id} in {table}")
    return dict(row)


def _known(table: str) -> str:
    """Raise unless a table is one of ours: names go into SQL text."""
    if table not in _TABLES:
        raise ValueError(f"no journal for table {table}")
    return table

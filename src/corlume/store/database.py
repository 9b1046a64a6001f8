"""The database file: connections, pragmas and ordered migrations."""

from __future__ import annotations

import hashlib
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from importlib.resources import files
from pathlib import Path


class Database:
    """A SQLite file. Every use opens a connection of its own, so any thread may call it."""

    def __init__(self, path: Path) -> None:
        self.path = path
        path.parent.mkdir(parents=True, exist_ok=True)
        with self._connection() as connection:
            migrate(connection)

    @contextmanager
    def reading(self) -> Iterator[sqlite3.Connection]:
        """A connection that cannot write, with one view of the data from start to end."""
        with self._connection() as connection:
            connection.execute("PRAGMA query_only = ON")
            connection.execute("BEGIN")
            yield connection

    @contextmanager
    def writing(self) -> Iterator[sqlite3.Connection]:
        """A transaction: committed, and on the disk, when the block ends; rolled back when it raises."""
        with self._connection() as connection:
            connection.execute("BEGIN IMMEDIATE")
            try:
                yield connection
            except BaseException:
                connection.rollback()
                raise
            connection.commit()

    @contextmanager
    def _connection(self) -> Iterator[sqlite3.Connection]:
        connection = sqlite3.connect(self.path, timeout=10.0, isolation_level=None)
        try:
            connection.row_factory = sqlite3.Row
            connection.execute("PRAGMA journal_mode = WAL")
            connection.execute("PRAGMA synchronous = FULL")
            connection.execute("PRAGMA foreign_keys = ON")
            yield connection
        finally:
            connection.close()


def migrate(connection: sqlite3.Connection) -> None:
    """Apply every migration not applied yet, in order, each in one transaction with its own record.

    Raises
    ------
    RuntimeError : a migration that was applied has been changed since.
    """
    connection.execute(
        "CREATE TABLE IF NOT EXISTS migrations "
        "(number INTEGER PRIMARY KEY, name TEXT NOT NULL, hash TEXT NOT NULL, at TEXT NOT NULL) STRICT"
    )
    folder = files("corlume.store") / "migrations"
    for entry in sorted(folder.iterdir(), key=lambda e: e.name):
        if not entry.name.endswith(".sql"):
            continue
        text = entry.read_text(encoding="utf-8")
        number, digest = int(entry.name[:4]), hashlib.sha256(text.encode()).hexdigest()
        connection.execute("BEGIN IMMEDIATE")
        try:
            known = connection.execute("SELECT hash FROM migrations WHERE number = ?", (number,)).fetchone()
            if known is None:
                for statement in split_statements(text):
                    connection.execute(statement)
                connection.execute(
                    "INSERT INTO migrations (number, name, hash, at) VALUES (?, ?, ?, datetime('now'))",
                    (number, entry.name, digest),
                )
            elif known["hash"] != digest:
                raise RuntimeError(f"migration {entry.name} was changed after it had been applied")
        except BaseException:
            connection.rollback()
            raise
        connection.commit()


def split_statements(text: str) -> Iterator[str]:
    """Split SQL into statements; ``executescript`` would commit behind our back."""
    pending = ""
    for line in text.splitlines(keepends=True):
        pending += line
        if sqlite3.complete_statement(pending):
            yield pending
            pending = ""
    if pending.strip():
        raise RuntimeError("a migration ends in the middle of a statement")

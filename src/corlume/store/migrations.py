"""Ordered migrations: each is applied once, in a transaction with its own record, and never changed later."""

from __future__ import annotations

import hashlib
import sqlite3
from collections.abc import Iterable, Iterator
from functools import cache
from importlib.resources import files


@cache
def _migrations() -> dict[int, tuple[str, str]]:
    """Name and text of each migration by its number, in order."""
    folder = files("corlume.store") / "sql"
    return in_order([(e.name, e.read_text(encoding="utf-8")) for e in folder.iterdir() if e.name.endswith(".sql")])


def in_order(found: Iterable[tuple[str, str]]) -> dict[int, tuple[str, str]]:
    """Migrations by number; ``RuntimeError`` when two share one, as the second would never be applied."""
    ordered: dict[int, tuple[str, str]] = {}
    for name, text in sorted(found):
        number = int(name[:4])
        if number in ordered:
            raise RuntimeError(f"two migrations have the number {number}: {ordered[number][0]} and {name}")
        ordered[number] = name, text
    return ordered


def newest_known() -> int:
    """The number of the newest migration."""
    return max(_migrations())


def pending(connection: sqlite3.Connection) -> list[int]:
    """Numbers of the migrations that a database with tables in it lacks."""
    tables = {row[0] for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    if "migrations" not in tables:
        return []
    applied = {row[0] for row in connection.execute("SELECT number FROM migrations")}
    return [number for number in _migrations() if number not in applied] if applied else []


def migrate(connection: sqlite3.Connection, *, up_to: int | None = None) -> None:
    """Apply every migration not applied yet, in order, each in one transaction with its own record.

    Raises
    ------
    RuntimeError : a migration that was applied has been changed since.
    """
    connection.execute(
        "CREATE TABLE IF NOT EXISTS migrations "
        "(number INTEGER PRIMARY KEY, name TEXT NOT NULL, hash TEXT NOT NULL, at TEXT NOT NULL) STRICT"
    )
    for number, (name, text) in _migrations().items():
        if up_to is not None and number > up_to:
            break
        digest = hashlib.sha256(text.encode()).hexdigest()
        connection.execute("BEGIN IMMEDIATE")
        try:
            known = connection.execute("SELECT hash FROM migrations WHERE number = ?", (number,)).fetchone()
            if known is None:
                for statement in split_statements(text):
                    connection.execute(statement)
                connection.execute(
                    "INSERT INTO migrations (number, name, hash, at) VALUES (?, ?, ?, datetime('now'))",
                    (number, name, digest),
                )
            elif known["hash"] != digest:
                raise RuntimeError(f"migration {name} was changed after it had been applied")
        except BaseException:
            connection.rollback()
            raise
        connection.commit()


def split_statements(text: str) -> Iterator[str]:
    """Split SQL into statements; ``executescript`` would commit behind our back."""
    pending_text = ""
    for line in text.splitlines(keepends=True):
        pending_text += line
        if sqlite3.complete_statement(pending_text):
            yield pending_text
            pending_text = ""
    if pending_text.strip():
        raise RuntimeError("a migration ends in the middle of a statement")

"""Searches for a layout, and the best results of each so far."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass
from typing import Any

from corlume.store.journal import insert_row
from corlume.store.tables import NotFound

KEEP = 20
"""Searches kept for each tank."""
SHAPE = 3
"""Goes up with the shape of wish, layouts or trade-off: searches of another shape are as if they were not there."""


@dataclass(frozen=True, slots=True)
class SearchRow:
    """One search: share done [-], layouts tested, and plain data of its request, layouts and trade-off."""

    id: int
    tank_id: int
    setup_id: int
    wish: dict[str, Any]
    state: str
    done: float
    judged: int
    found: list[dict[str, Any]]
    curve: list[list[float]]


def add_search(connection: sqlite3.Connection, tank_id: int, setup_id: int, wish: dict[str, Any]) -> int:
    """Store a new search; the oldest of the tank are displaced. Returns its id."""
    connection.execute(
        "DELETE FROM searches WHERE tank_id = :tank AND id <= "
        "(SELECT id FROM searches WHERE tank_id = :tank ORDER BY id DESC LIMIT 1 OFFSET :keep)",
        {"tank": tank_id, "keep": KEEP - 1},
    )
    values = {"tank_id": tank_id, "setup_id": setup_id, "version": SHAPE, "wish": json.dumps(wish), "state": "waiting"}
    return insert_row(connection, "searches", values)


def keep_progress(
    connection: sqlite3.Connection, search_id: int, done: float, judged: int, found: list[Any], curve: list[Any]
) -> None:
    """Store the progress and results of a search."""
    connection.execute(
        "UPDATE searches SET done = :done, judged = :judged, found = :found, curve = :curve WHERE id = :id",
        {"id": search_id, "done": done, "judged": judged, "found": json.dumps(found), "curve": json.dumps(curve)},
    )


def take_up(connection: sqlite3.Connection, search_id: int, state: str) -> None:
    """Mark a search as waiting or running."""
    connection.execute("UPDATE searches SET state = :state WHERE id = :id", {"id": search_id, "state": state})


def drop_search(connection: sqlite3.Connection, search_id: int) -> None:
    """Delete a search that cannot be read."""
    connection.execute("DELETE FROM searches WHERE id = ?", (search_id,))


def end_search(connection: sqlite3.Connection, search_id: int, state: str) -> None:
    """Store how a search ended; its results stay."""
    connection.execute(
        "UPDATE searches SET state = :state WHERE id = :id AND state IN ('waiting', 'running')",
        {"id": search_id, "state": state},
    )


def newest_search(connection: sqlite3.Connection, tank_id: int, *, of: str = "", usable: bool = False) -> int | None:
    """The latest search for a layout, or comparison ``of`` a fingerprint; None when there is none."""
    row = connection.execute(
        "SELECT id FROM searches WHERE tank_id = :tank AND version = :shape "
        "AND coalesce(json_extract(wish, '$.of'), '') = :of AND coalesce(json_extract(wish, '$.usable'), 0) = :usable "
        "ORDER BY id DESC LIMIT 1",
        {"tank": tank_id, "shape": SHAPE, "of": of, "usable": int(usable)},
    ).fetchone()
    return None if row is None else int(row["id"])


def load_search(connection: sqlite3.Connection, tank_id: int, search_id: int) -> SearchRow:
    """A search of a tank; ``NotFound`` otherwise."""
    row = connection.execute(
        "SELECT * FROM searches WHERE tank_id = :tank AND version = :shape AND id = :id",
        {"tank": tank_id, "shape": SHAPE, "id": search_id},
    ).fetchone()
    if row is None:
        raise NotFound(f"no search {search_id}")
    values = {name: row[name] for name in ("id", "tank_id", "setup_id", "state", "done", "judged")}
    return SearchRow(**values, **{name: json.loads(row[name]) for name in ("wish", "found", "curve")})

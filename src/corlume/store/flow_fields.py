"""Solved flow of a tank's pumps, stored under a hash of its inputs."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass, field

KEEP = 4
"""Solved flows kept for each tank: those of the last changes, so that undo finds its own again."""


@dataclass(frozen=True, slots=True)
class FlowField:
    """A solved flow as stored: the hash of its inputs, and its bytes."""

    key: str
    data: bytes = field(compare=False, repr=False)


def keep_field(connection: sqlite3.Connection, tank_id: int, kept: FlowField) -> None:
    """Store a solved flow; the oldest of the tank are displaced."""
    connection.execute(
        "INSERT OR REPLACE INTO flow_fields (tank_id, key, field) VALUES (:tank, :key, :field)",
        {"tank": tank_id, "key": kept.key, "field": kept.data},
    )
    connection.execute(
        "DELETE FROM flow_fields WHERE tank_id = :tank AND solved <= "
        "(SELECT solved FROM flow_fields WHERE tank_id = :tank ORDER BY solved DESC LIMIT 1 OFFSET :keep)",
        {"tank": tank_id, "keep": KEEP},
    )


def load_field(connection: sqlite3.Connection, tank_id: int, key: str) -> FlowField | None:
    """The solved flow of a hash, or None."""
    row = connection.execute("SELECT field FROM flow_fields WHERE tank_id = ? AND key = ?", (tank_id, key)).fetchone()
    return FlowField(key, bytes(row["field"])) if row else None

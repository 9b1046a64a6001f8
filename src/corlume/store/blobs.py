"""Binary data of the keeper, such as photos: each stored once under the hash of its content, outside the journal.

A row refers to one by its hash, as text; undo brings rows back and forth, and what they refer to stays as long as a
row or an edit speaks of it.
"""

from __future__ import annotations

import hashlib
import sqlite3

from corlume.store.tables import NotFound


def keep_blob(connection: sqlite3.Connection, data: bytes) -> str:
    """Store bytes; returns their hash."""
    digest = hashlib.sha256(data).hexdigest()
    connection.execute("INSERT OR IGNORE INTO blobs (hash, data) VALUES (:hash, :data)", {"hash": digest, "data": data})
    return digest


def load_blob(connection: sqlite3.Connection, digest: str) -> bytes:
    """Bytes of a hash; ``NotFound`` when there are none."""
    row = connection.execute("SELECT data FROM blobs WHERE hash = ?", (digest,)).fetchone()
    if row is None:
        raise NotFound(f"no blob {digest[:12]}")
    return bytes(row["data"])


def sweep_blobs(connection: sqlite3.Connection, used: set[str]) -> int:
    """Delete blobs that neither a row nor the journal refers to; ``used`` are the hashes in rows. Returns how many."""
    gone = 0
    for (digest,) in connection.execute("SELECT hash FROM blobs").fetchall():
        spoken = connection.execute(
            "SELECT 1 FROM changes WHERE instr(before, :hash) OR instr(after, :hash) LIMIT 1", {"hash": digest}
        ).fetchone()
        if digest not in used and spoken is None:
            connection.execute("DELETE FROM blobs WHERE hash = ?", (digest,))
            gone += 1
    return gone

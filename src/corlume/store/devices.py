"""Paired devices, and the links that pair one; outside the journal."""

from __future__ import annotations

import datetime
import hashlib
import sqlite3
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Device:
    """A paired device: its name, when it was paired and last seen (UTC), and whether it may change everything."""

    id: int
    name: str
    paired: datetime.datetime
    seen: datetime.datetime
    trusted: bool


def digest(token: str) -> str:
    """Stored hash of a token."""
    return hashlib.sha256(token.encode()).hexdigest()


def add_pairing(connection: sqlite3.Connection, token: str, until: datetime.datetime) -> None:
    """Store a link that pairs one device until used or expired; older ones stop working."""
    connection.execute("DELETE FROM pairings")
    connection.execute(
        "INSERT INTO pairings (hash, until) VALUES (:hash, :until)",
        {"hash": digest(token), "until": until.isoformat()},
    )


def pairing_until(connection: sqlite3.Connection, token: str) -> datetime.datetime | None:
    """Expiry of a link, or None for one that is used or unknown."""
    row = connection.execute("SELECT until FROM pairings WHERE hash = ?", (digest(token),)).fetchone()
    return datetime.datetime.fromisoformat(row["until"]) if row else None


def use_pairing(connection: sqlite3.Connection, token: str) -> bool:
    """Use a link up; returns whether it was valid."""
    return connection.execute("DELETE FROM pairings WHERE hash = ?", (digest(token),)).rowcount == 1


def add_device(connection: sqlite3.Connection, name: str, token: str, now: datetime.datetime) -> int:
    """Store a paired device; returns its id."""
    row = {"name": name, "hash": digest(token), "now": now.isoformat()}
    cursor = connection.execute("INSERT INTO devices (name, hash, paired, seen) VALUES (:name, :hash, :now, :now)", row)
    assert cursor.lastrowid is not None
    return cursor.lastrowid


def device_of(connection: sqlite3.Connection, token: str) -> Device | None:
    """The device of a token, or None."""
    row = connection.execute("SELECT * FROM devices WHERE hash = ?", (digest(token),)).fetchone()
    return _device(row) if row else None


def seen(connection: sqlite3.Connection, device_id: int, now: datetime.datetime) -> None:
    """Note a visit of a device."""
    connection.execute("UPDATE devices SET seen = ? WHERE id = ?", (now.isoformat(), device_id))


def all_devices(connection: sqlite3.Connection) -> list[Device]:
    """Every paired device, the newest first."""
    return [_device(row) for row in connection.execute("SELECT * FROM devices ORDER BY id DESC")]


def trust_device(connection: sqlite3.Connection, device_id: int, *, trusted: bool) -> None:
    """Let a device change everything, or only what is done at the tank."""
    connection.execute("UPDATE devices SET trusted = ? WHERE id = ?", (int(trusted), device_id))


def remove_device(connection: sqlite3.Connection, device_id: int) -> None:
    """Unpair a device."""
    connection.execute("DELETE FROM devices WHERE id = ?", (device_id,))


def keep_devices(source: sqlite3.Connection, target: sqlite3.Connection) -> None:
    """Replace the devices and pairing links of one database by those of another."""
    for table in ("devices", "pairings"):
        target.execute(f"DELETE FROM {table}")
        for row in source.execute(f"SELECT * FROM {table}"):
            slots = ", ".join("?" * len(row))
            target.execute(f"INSERT INTO {table} ({', '.join(row.keys())}) VALUES ({slots})", tuple(row))


def _device(row: sqlite3.Row) -> Device:
    paired, last = (datetime.datetime.fromisoformat(row[name]) for name in ("paired", "seen"))
    return Device(row["id"], row["name"], paired, last, bool(row["trusted"]))

"""The demo's setups without their mounts, power parts and cords."""

from __future__ import annotations

from corlume.store.database import Database


def take_rig_down(db: Database) -> None:
    """Delete them outside of the journal."""
    with db.writing() as connection:
        for table in ("mounts", "power_parts", "cords", "ticks"):
            connection.execute(f"DELETE FROM {table}")
        connection.execute("UPDATE fixtures SET held_by = ''")
        connection.execute("UPDATE tanks SET residual = 0, surge = 0")

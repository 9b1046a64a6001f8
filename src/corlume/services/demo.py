"""The demo: a made-up keeper's tank."""

from __future__ import annotations

from importlib.resources import files

from corlume.services import tanks
from corlume.store.database import Database


def seed(db: Database) -> None:
    """Store the demo tank when there is no tank at all."""
    if not tanks.all_tanks(db) and tanks.steps(db, None).undo is None:
        tanks.import_tank(db, (files("corlume.services") / "demo.json").read_bytes())

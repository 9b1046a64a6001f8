"""The demo: a made-up keeper's tank."""

from __future__ import annotations

from importlib.resources import files

from corlume.core.scene import Scene
from corlume.formats.scene import read_scene
from corlume.services.keeping import tanks
from corlume.store.database import Database
from corlume.store.tanks import add_tank


def demo_scene() -> Scene:
    """The demo tank as shipped."""
    return read_scene((files("corlume.services.keeping") / "demo.json").read_bytes())


def seed(db: Database) -> None:
    """Store the demo tank when there is no tank and none was removed; where everything begins is not undone."""
    steps = tanks.steps(db, None)
    if not tanks.all_tanks(db) and steps.undo is None and steps.redo is None:
        with db.writing() as connection:
            add_tank(connection, demo_scene(), None)

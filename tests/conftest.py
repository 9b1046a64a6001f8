"""A database in a folder of its own, with the demo tank in it."""

from __future__ import annotations

from pathlib import Path

import pytest

from corlume.services import demo
from corlume.store.database import Database


@pytest.fixture
def db(tmp_path: Path) -> Database:
    """The demo's database."""
    database = Database(tmp_path / "data" / "demo.db")
    demo.seed(database)
    return database

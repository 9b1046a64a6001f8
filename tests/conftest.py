"""A database in a folder of its own, with the demo tank in it."""

from __future__ import annotations

import os

if "PYTEST_XDIST_WORKER" in os.environ:
    # each of several workers on its own core: kernels on more threads would only be in each other's way
    os.environ.setdefault("NUMBA_NUM_THREADS", "1")

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from starlette.testclient import TestClient

from corlume.services import jobs
from corlume.services.keeping import demo, tanks
from corlume.services.light.fields import medium_of
from corlume.settings import Settings
from corlume.store.database import Database
from corlume.store.tanks import StoredTank
from corlume.web.app import create_app
from tests.ruled import RULED


def pytest_sessionfinish() -> None:
    """Stop what runs in the background, which the end of the process would wait for."""
    jobs.stop_all()


@pytest.fixture
def db(tmp_path: Path) -> Database:
    """The demo's database."""
    database = Database(tmp_path / "data" / "demo.db")
    demo.seed(database)
    # known from the start, as after a first look: pages come whole
    medium_of(tanks.open_tank(database, 1).lit_tank())
    return database


@pytest.fixture
def client(db: Database) -> Iterator[TestClient]:
    """The pages, without a browser."""
    with TestClient(create_app(db, Settings()), base_url="http://127.0.0.1", follow_redirects=False) as client:
        yield client


@pytest.fixture
def stored(db: Database) -> StoredTank:
    """The demo's keeper with a bare tank of the size that the trade's rules speak of."""
    return replace(tanks.open_tank(db, 1).having(wanted=()), tank=RULED, rocks=(), corals=())

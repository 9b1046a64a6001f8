"""A database in a folder of its own, with the demo tank in it."""

from __future__ import annotations

import datetime
import hashlib
import os
import pickle
import re
import shutil
import sqlite3

if "PYTEST_XDIST_WORKER" in os.environ:
    # each of several workers on its own core: kernels on more threads would only be in each other's way
    os.environ.setdefault("NUMBA_NUM_THREADS", "1")

from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings
from starlette.testclient import TestClient

from corlume.core.light.geometry import Tank
from corlume.core.light.interreflection import Array, Interreflection, find_interreflection
from corlume.core.light.rockwork import Rockwork
from corlume.services import jobs
from corlume.services.keeping import demo, tanks
from corlume.services.light.fields import medium_of
from corlume.settings import Settings
from corlume.store.database import Database
from corlume.store.tanks import StoredTank
from corlume.web.app import create_app
from tests.ruled import RULED

settings.register_profile("on a busy machine", deadline=None)
settings.load_profile("on a busy machine")


def pytest_xdist_auto_num_workers() -> int:
    """One worker more than there are cores: tests of the browser wait for half of their time."""
    return (os.cpu_count() or 1) + 1


def pytest_sessionfinish() -> None:
    """Stop what runs in the background, which the end of the process would wait for."""
    jobs.stop_all()


@pytest.fixture(scope="session", autouse=True)
def floors(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """What each tank's floor sends back, worked out once in a run for all workers: it takes a second, and most tests
    have the same few tanks.
    """
    base = tmp_path_factory.getbasetemp()
    folder = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "floors"
    folder.mkdir(exist_ok=True)

    def shared(tank: Tank, panes: Array, rock: Rockwork) -> Interreflection | None:
        path = folder / hashlib.sha256(repr((tank, panes.tolist())).encode()).hexdigest()
        try:
            found: Interreflection | None = pickle.loads(path.read_bytes())
        except FileNotFoundError:
            found = find_interreflection(tank, panes, rock)
            half = path.with_suffix(f".{os.getpid()}")
            half.write_bytes(pickle.dumps(found))
            half.rename(path)
        return found

    with pytest.MonkeyPatch.context() as patched:
        patched.setattr("corlume.core.light.field.find_interreflection", shared)
        yield


@pytest.fixture(scope="session")
def template(tmp_path_factory: pytest.TempPathFactory) -> Callable[[], Path]:
    """The demo's database of the day as a file, made once."""

    @cache
    def made(day: datetime.date) -> Path:
        path = tmp_path_factory.mktemp("template") / f"{day}.db"
        demo.seed(Database(path))
        with closing(sqlite3.connect(path)) as connection:
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        return path

    return lambda: made(datetime.date.today())


@pytest.fixture
def db(tmp_path: Path, template: Callable[[], Path]) -> Database:
    """The demo's database."""
    path = tmp_path / "data" / "demo.db"
    path.parent.mkdir()
    shutil.copy(template(), path)
    database = Database(path)
    # known from the start, as after a first look: pages come whole
    medium_of(tanks.open_tank(database, 1).lit_tank())
    return database


class Pages(TestClient):
    """A client to which any white space in a page is one space, as it is to a browser: templates wrap their lines."""

    def send(self, *given: Any, **more: Any) -> Any:
        answer = super().send(*given, **more)
        kind = answer.headers.get("content-type", "")
        if "text/html" in kind:
            answer._text = re.sub(r"\s+", " ", answer.text)
        elif "application/json" in kind:  # pieces of pages, in which a line ends with an escape
            answer._content = re.sub(rb"(?:\\n\s*)+", b" ", answer.content)
        return answer


@pytest.fixture
def served(db: Database, request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> Database:
    """The demo's database as servers of tests have it: corals' light is not logged after each change, which would take
    longer than the tests themselves, but where a test is marked with ``logs_light``.
    """
    if not request.node.get_closest_marker("logs_light"):
        monkeypatch.setattr("corlume.web.request.coral_light_log.log_changes", lambda *_: None)
    return db


@pytest.fixture
def client(served: Database) -> Iterator[TestClient]:
    """The pages, without a browser."""
    with Pages(create_app(served, Settings()), base_url="http://127.0.0.1", follow_redirects=False) as client:
        yield client


@pytest.fixture
def stored(db: Database) -> StoredTank:
    """The demo's keeper with a bare tank of the size that the trade's rules speak of."""
    return replace(tanks.open_tank(db, 1).having(wanted=()), tank=RULED, rocks=(), corals=())

"""Backups and restores, a killed process, two servers on one folder: nothing acknowledged is lost."""

from __future__ import annotations

import datetime
import os
import re
import signal
import sqlite3
import subprocess
import sys
import threading
import time
import urllib.request
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path

import httpx2
import pytest
from starlette.testclient import TestClient

from corlume.services.keeping import backup, fixture_library, phone_pairing, tanks
from corlume.services.keeping.daily_copies import days_that_stay, make_daily_copy
from corlume.store.database import Database, Unusable, check_file
from tests.keeping.test_record import exports, lengthened
from tests.processes import answered


def test_backup_under_use_is_whole_and_restores_to_the_same(db: Database, tmp_path: Path) -> None:
    fixture_library.put(
        db,
        fixture_library.ImportedFixture(tanks.open_tank(db, 1).setup().fixtures[0].value, "mine"),
        price=99.0,
        mount="rail",
    )
    lengthened(db, 1)
    before = exports(db), fixture_library.export_own(db), tanks.steps(db, 1)
    held = backup.backup(db, tmp_path / "copy.db")
    assert held == backup.verify(tmp_path / "copy.db")
    assert (held.tanks, held.fixtures) == (("Longer",), 1)
    with pytest.raises(Unusable, match="is there already"):
        backup.backup(db, tmp_path / "copy.db")
    tanks.delete_tank(db, 1)
    _, kept = backup.restore(db, tmp_path / "copy.db")
    assert (exports(db), fixture_library.export_own(db), tanks.steps(db, 1)) == before
    backup.restore(db, kept)
    assert exports(db) == []
    (tmp_path / "torn.db").write_bytes((tmp_path / "copy.db").read_bytes()[:20_000])
    with pytest.raises(Unusable, match="damaged"):
        backup.restore(db, tmp_path / "torn.db")
    assert exports(db) == []


def test_pages_hand_the_record_out_and_take_it_back(client: TestClient, db: Database) -> None:
    before = exports(db)
    copy = client.get("/backup").content
    tanks.delete_tank(db, 1)
    unsure = client.post("/restore", files={"file": ("a.db", copy)})
    assert unsure.status_code == 200
    assert "Comes back:</b> Tern Skerry" in unsure.text
    assert "would be gone" in unsure.text
    assert exports(db) == []
    rubbish = client.post("/restore", files={"file": ("a.db", b"no" * 999)}, data={"agreed": "on"})
    assert "is not a database of Corlume" in rubbish.text
    assert "choose it again" in client.post("/restore", data={"agreed": "on", "key": "0"}).text
    assert "No file was chosen" in client.post("/restore", data={"key": "0"}).text
    shown = client.post("/restore", files={"file": ("a.db", copy)}).text
    key = re.findall(r'name="key"\s+value="(\w+)"', shown)[0]
    # the backup that was shown is restored, without being chosen a second time
    assert "Restored" in client.post("/restore", data={"agreed": "on", "key": key}).text
    assert exports(db) == before
    assert "choose it again" in client.post("/restore", data={"agreed": "on", "key": key}).text


KILLED = """
import os, pathlib, random, signal, sys, time
from corlume.services.keeping import backup, demo, hung_fixtures, setups, tanks
from corlume.store.database import Database
folder = pathlib.Path(sys.argv[1]); db = Database(folder / "a.db"); demo.seed(db)
draw, said = random.Random(7), set()
for round in range(32):
    read, write = os.pipe()
    if (pid := os.fork()) == 0:
        os.close(read)
        while True:
            fixture = hung_fixtures.add_fixture(db, 1, 1, "bar")
            os.write(write, f"{fixture}\\n".encode())
            hung_fixtures.change_fixtures(db, 1, 1, {fixture: {"x": draw.random()}})
            if len(tanks.open_tank(db, 1).setup(1).fixtures) > 60:
                hung_fixtures.remove_fixture(db, 1, 1, fixture)
    os.close(write)
    time.sleep(draw.uniform(0.01, 0.12))
    if round % 4 == 0:
        copy = folder / f"{round}.copy"
        backup.backup(db, copy)
        was = {f.id for f in tanks.open_tank(Database(copy), 1).setup(1).fixtures}
        assert len(was) > 2
    os.kill(pid, signal.SIGKILL); os.waitpid(pid, 0)
    new = [int(n) for n in os.read(read, 1 << 20).split()]; os.close(read)
    kept = {f.id for f in tanks.open_tank(Database(db.path), 1).setup(1).fixtures}
    assert set(new[-3:]) <= kept | {0}, (round, new, kept)
print("whole")
"""


def test_killed_in_mid_edit_again_and_again_loses_nothing_acknowledged(tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-c", KILLED, str(tmp_path)], capture_output=True, text=True, timeout=120, check=False
    )
    assert done.stdout.strip() == "whole", done.stderr[-2000:]
    check_file(tmp_path / "a.db")


COMMAND = [sys.executable, "-c", "from corlume.cli.main import main; main()"]


@contextmanager
def served(command: str, env: dict[str, str]) -> Iterator[tuple[subprocess.Popen[str], str]]:
    """A server in a process of its own, and its address."""
    server = subprocess.Popen([*COMMAND, command], env=env, stdout=subprocess.PIPE, text=True)
    assert server.stdout is not None
    try:
        found = re.search(r"http://[\d.:]+", server.stdout.readline())
        assert found
        assert answered(f"{found[0]}/tanks") == 200
        yield server, found[0]
    finally:
        server.kill()
        server.wait(10)
        server.stdout.close()


def test_after_a_restore_another_program_leaves_the_log_of_the_server_alone(db: Database, tmp_path: Path) -> None:
    """The process's locks on the file must outlive a restore: without them who closes last unlinks the log."""
    env = {**os.environ, "CORLUME_DATA": str(tmp_path), "CORLUME_PORT": "0", "PYTHONUNBUFFERED": "1"}
    scene = tmp_path / "tank.json"
    scene.write_text(tanks.export_tank(db, 1))
    subprocess.run([*COMMAND, "import", str(scene)], env=env, check=True, capture_output=True)
    with served("serve", env) as (server, address), httpx2.Client(base_url=address, timeout=60) as client:
        assert client.get("/tanks/1/setups").status_code == 200  # from here on the server keeps a connection open
        copy = client.get("/backup").content
        assert client.post("/restore", files={"file": copy}, data={"agreed": "on"}).status_code == 200
        subprocess.run([*COMMAND, "export", "1"], env=env, check=True, capture_output=True)
        names = ["Kept once", "Kept twice"]
        for name in names:
            assert client.post("/tanks/1/setups/1/rename", data={"name": name}).status_code == 303
            subprocess.run([*COMMAND, "import", str(scene)], env=env, check=True, capture_output=True)
        server.send_signal(signal.SIGKILL)
        server.wait(10)
    after = Database(tmp_path / "corlume.db")
    check_file(after.path)
    assert tanks.open_tank(after, 1).setup(1).name == names[-1]
    assert len(tanks.all_tanks(after)) == 1 + len(names)


def test_server_leaves_within_three_seconds_while_it_works(tmp_path: Path) -> None:
    """Ctrl C while a slow chart of a large tank is asked for; and a second server on the folder is refused."""
    env = {**os.environ, "CORLUME_DATA": str(tmp_path), "CORLUME_PORT": "0", "PYTHONUNBUFFERED": "1"}
    with served("demo", env) as (server, address):
        urllib.request.urlopen(f"{address}/tanks/1/setups").read()
        record = (tmp_path / "demo.db").stat().st_ino
        for more in ([], ["--fresh"]):
            second = subprocess.run(
                [*COMMAND, "demo", *more], env=env, capture_output=True, text=True, timeout=60, check=False
            )
            assert f"(process {server.pid}) serves" in second.stderr
        assert (tmp_path / "demo.db").stat().st_ino == record

        def ask() -> None:
            with suppress(OSError):
                urllib.request.urlopen(f"{address}/tanks/1/light-types").read()

        asking = threading.Thread(target=ask)
        asking.start()
        time.sleep(0.5)
        start = time.monotonic()
        server.send_signal(signal.SIGINT)
        server.wait(10)
        assert time.monotonic() - start < 3.0
        asking.join(10)


def test_restore_takes_another_page_size_and_brings_no_device_back(db: Database, tmp_path: Path) -> None:
    now, copy = datetime.datetime(2026, 5, 1, tzinfo=datetime.UTC), tmp_path / "copy.db"
    tokens = [
        phone_pairing.pair(db, phone_pairing.new_link(db, now)[0], name, now) for name in ("Lost phone", "Kept phone")
    ]
    before = exports(db)
    backup.backup(db, copy)
    with closing(sqlite3.connect(copy, isolation_level=None)) as connection:
        connection.execute("PRAGMA page_size = 8192")
        connection.execute("VACUUM")
    phone_pairing.shut_out(db, next(one.id for one in phone_pairing.paired(db) if one.name == "Lost phone"))
    tanks.delete_tank(db, 1)
    backup.restore(db, copy)
    assert exports(db) == before
    assert [phone_pairing.admitted(db, token or "", now) is not None for token in tokens] == [False, True]


def test_a_copy_is_made_each_day_and_old_ones_thin_out(client: TestClient, db: Database) -> None:
    """Of the last 7 days, 5 weeks and 12 months the latest stays: counted by hand over two years of daily copies."""
    today = datetime.date(2026, 11, 30)
    every = [today - datetime.timedelta(days=k) for k in range(730)]
    stay = days_that_stay(every, today)
    assert {today - datetime.timedelta(days=k) for k in range(7)} <= stay
    assert {day for day in stay if day.month == 3} == {datetime.date(2026, 3, 31)}
    assert len(stay) == 7 + 3 + 11  # three more Sundays, and the last days of eleven months before
    assert days_that_stay([today + datetime.timedelta(days=9), today], today) == {
        today, today + datetime.timedelta(days=9)}  # fmt: skip
    before = exports(db)
    made = make_daily_copy(db, today)
    assert made is not None
    assert make_daily_copy(db, today) is None
    assert made.stat().st_mode & 0o077 == 0
    tanks.delete_tank(db, 1)
    assert "2026-11-30" in client.get("/tanks").text
    shown = client.get("/restore/2026-11-30").text
    assert "Comes back:</b> Tern Skerry" in shown
    assert exports(db) == []
    assert "Restored" in client.post("/restore/2026-11-30").text
    assert exports(db) == before
    assert client.get("/restore/2026-11-29").status_code == 404
    assert client.get("/restore/soon").status_code == 404
    made.write_bytes(b"torn" * 500)
    assert "not a database" in client.get("/restore/2026-11-30").text
    assert exports(db) == before

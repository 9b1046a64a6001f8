"""The store: every edit can be undone, a crash loses nothing acknowledged, migrations run once."""

from __future__ import annotations

import os
import signal
import sqlite3
import subprocess
import sys
import tempfile
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from corlume.core.errors import InvalidInput
from corlume.core.light.geometry import Brace, Rock
from corlume.services.keeping import corals, demo, hung_fixtures, setups, tanks
from corlume.store.blobs import keep_blob, load_blob, sweep_blobs
from corlume.store.database import Database, Unusable
from corlume.store.migrations import in_order, newest_known
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank


def edits(db: Database, step: int) -> None:
    """One edit of many kinds, chosen by number, on whatever is there."""
    tank = tanks.open_tank(db, 1)
    setup = tank.setups[step % len(tank.setups)]
    coral = tank.corals[step % len(tank.corals)] if tank.corals else None
    match step % 11:
        case 0:
            hung_fixtures.add_fixture(db, 1, setup.id, "bar")
        case 1 if setup.fixtures:
            hung_fixtures.remove_fixture(db, 1, setup.id, setup.fixtures[0].id)
        case 2:
            changes = {f.id: {"x": 0.1 + 0.01 * (step % 7)} for f in setup.fixtures[:2]}
            hung_fixtures.change_fixtures(db, 1, setup.id, changes)
        case 3:
            setups.copy_setup(db, 1, setup.id)
        case 4:
            setups.use_setup(db, 1, setup.id)
        case 5 if not setup.in_use:
            setups.remove_setup(db, 1, setup.id)
        case 6 if coral:
            corals.place_coral(db, 1, coral.id, (0.3, 0.1 + 0.01 * (step % 5), 0.52))
        case 7 if coral:
            corals.remove_coral(db, 1, coral.id)
        case 8:
            tanks.save_rock(db, 1, None, Rock(0.1, 0.1, 0.0, 0.1, 0.1, 0.1, "Pebble"))
        case 9:
            tanks.add_brace(db, 1, Brace(0.2, 0.0, 0.05, 0.65))
        case _:
            args = {"name": f"Tank {step}", "tank": tank.tank, "targets": tank.targets, "running": tank.running}
            tanks.save_tank(db, 1, **args)


@settings(max_examples=12, deadline=None)
@given(st.lists(st.integers(0, 120), min_size=1, max_size=10))
def test_undoing_everything_restores_everything_and_redo_returns(steps: list[int]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        db = Database(Path(folder) / "t.db")
        demo.seed(db)
        states: list[StoredTank] = [tanks.open_tank(db, 1)]
        for step in steps:
            edits(db, step)
            states.append(tanks.open_tank(db, 1))
        while tanks.undo(db, 1):
            pass
        assert tanks.open_tank(db, 1) == states[0]
        while tanks.redo(db, 1):
            pass
        assert tanks.open_tank(db, 1) == states[-1]


def test_new_edit_forgets_what_was_undone(db: Database) -> None:
    edits(db, 0)
    assert tanks.undo(db, 1) == "add LED bar"
    assert tanks.steps(db, 1).redo == "add LED bar"
    edits(db, 9)
    assert tanks.steps(db, 1).redo is None
    assert tanks.steps(db, 1).undo == "add brace"


def test_removed_tank_comes_back_with_all_its_edits(db: Database) -> None:
    edits(db, 0)
    before = tanks.open_tank(db, 1)
    tanks.delete_tank(db, 1)
    with pytest.raises(NotFound):
        tanks.open_tank(db, 1)
    tanks.undo(db, None)
    assert tanks.open_tank(db, 1) == before
    assert tanks.undo(db, 1) == "add LED bar"


def test_half_an_edit_is_never_kept(db: Database) -> None:
    before = tanks.open_tank(db, 1)
    setup = before.setup()
    good, bad = setup.fixtures[0].id, setup.fixtures[1].id
    with pytest.raises(InvalidInput):
        hung_fixtures.change_fixtures(db, 1, setup.id, {good: {"x": 0.2}, bad: {"height": 9.0}})
    assert tanks.open_tank(db, 1) == before
    assert tanks.steps(db, 1).undo is None


def test_tank_cannot_shrink_under_what_stands_in_it(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    smaller = replace(stored.tank, length=1.0, rocks=(), natural_rocks=(), braces=())
    with pytest.raises(InvalidInput) as caught:
        tanks.save_tank(db, 1, name="x", tank=smaller, targets=stored.targets, running=stored.running)
    assert any(e.field.startswith("corals.") for e in caught.value.errors)


def test_killed_process_keeps_what_it_acknowledged(tmp_path: Path) -> None:
    script = (
        "import sys, pathlib\n"
        "from corlume.store.database import Database\n"
        "from corlume.services.keeping import demo, hung_fixtures\n"
        "db = Database(pathlib.Path(sys.argv[1])); demo.seed(db)\n"
        "while True: print(hung_fixtures.add_fixture(db, 1, 1, 'bar'), flush=True)\n"
    )
    path = tmp_path / "crash.db"
    process = subprocess.Popen([sys.executable, "-c", script, str(path)], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    said = [int(process.stdout.readline()) for _ in range(5)]
    os.kill(process.pid, signal.SIGKILL)
    said += [int(line) for line in process.stdout.read().split("\n")[:-1] if line]
    process.wait()
    process.stdout.close()
    kept = {f.id for f in tanks.open_tank(Database(path), 1).setup(1).fixtures}
    assert set(said) <= kept


def test_migrations_run_once_and_must_not_change(tmp_path: Path) -> None:
    path = tmp_path / "m.db"
    Database(path)
    Database(path)
    connection = sqlite3.connect(path)
    assert connection.execute("SELECT count(*) FROM migrations").fetchone() == (newest_known(),)
    with connection:
        connection.execute("UPDATE migrations SET hash = 'other'")
    connection.close()
    with pytest.raises(Unusable, match="was changed"):
        Database(path)


def test_migrations_with_one_number_are_refused() -> None:
    with pytest.raises(RuntimeError, match=r"the number 19: 0019_lamps.sql and 0019_log.sql"):
        in_order([("0019_log.sql", "SELECT 1;"), ("0018_flow.sql", ""), ("0019_lamps.sql", "SELECT 2;")])


@pytest.mark.parametrize("column", ["corals.reach", "coral_kinds.reach", "coral_notes.par", "own_fixtures.ppf"])
def test_declared_column_without_a_migration_is_told_at_start(tmp_path: Path, column: str) -> None:
    """In every table that keeps its class: a coral's card is in two, lists inside lists have tables of their own."""
    path, (table, name) = tmp_path / "c.db", column.split(".")
    Database(path)
    with closing(sqlite3.connect(path)) as connection:
        connection.execute(f"ALTER TABLE {table} DROP COLUMN {name}")
        connection.commit()
    with pytest.raises(Unusable, match=rf"no migration adds {table}\.{name}\b"):
        Database(path)


def test_tank_is_read_again_only_after_somebody_wrote(tmp_path: Path) -> None:
    """The same object while nothing is written; a new one after a write of this program, of another, and of undo."""
    path = tmp_path / "w.db"
    db, other = Database(path), Database(path)
    demo.seed(db)
    first = tanks.open_tank(db, 1)
    assert tanks.open_tank(db, 1) is first
    setups.rename_setup(other, 1, first.setups[0].id, "By another")
    second = tanks.open_tank(db, 1)
    assert second.setups[0].name == "By another"
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1) == first


def test_same_photo_is_kept_once_and_stays_while_a_row_or_an_edit_speaks_of_it(db: Database) -> None:
    """A row holds the hash: undo takes the row away and brings it back, with its bytes."""
    with db.writing() as connection:
        used = {digest for (digest,) in connection.execute("SELECT hash FROM blobs").fetchall()}
        digest = keep_blob(connection, b"a picture")
        assert keep_blob(connection, b"a picture") == digest
        lost = keep_blob(connection, b"nobody's")
        assert connection.execute("SELECT count(*) FROM blobs").fetchone()[0] == len(used) + 2
    card = tanks.open_tank(db, 1).corals[0]
    corals.change_card(db, 1, card.id, replace(card.value.card, note=digest))
    tanks.undo(db, 1)
    with db.writing() as connection:
        assert sweep_blobs(connection, used) == 1
        assert load_blob(connection, digest) == b"a picture"
        with pytest.raises(NotFound):
            load_blob(connection, lost)
    tanks.redo(db, 1)
    assert tanks.open_tank(db, 1).coral(card.id).value.card.note == digest

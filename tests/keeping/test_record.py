"""The record: undo across scopes, old and broken databases, a full disk, and how much a tank holds."""

from __future__ import annotations

import os
import random
import sqlite3
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.judging.target_zones import TargetZone
from corlume.core.keeping.scene import Scene, Setup
from corlume.core.light.geometry import Rock
from corlume.core.placement.custom_spots import CustomSpot
from corlume.core.schema import most_of
from corlume.formats.scene_zip import read_packed
from corlume.services.keeping import (
    corals,
    demo,
    fixture_library,
    hung_fixtures,
    placement_choices,
    setups,
    tanks,
    target_zones,
)
from corlume.services.mounting import mounting_sheet
from corlume.services.search import search_jobs
from corlume.services.search.candidate import SearchStep
from corlume.services.search.starting_points import default_request
from corlume.settings import Settings
from corlume.store.database import Database, Unusable
from corlume.store.lock import alone
from corlume.store.tables import ROCKS
from corlume.store.tanks import Unreadable, add_tank
from corlume.web.app import create_app
from tests.conftest import Pages
from tests.ruled import RULED

OLD = sorted((Path(__file__).parent.parent / "scenes" / "old").glob("*.sql"))


def exports(db: Database) -> list[str]:
    return [tanks.export_tank(db, tank.id) for tank in tanks.all_tanks(db)]


def lengthened(db: Database, tank_id: int) -> None:
    stored = tanks.open_tank(db, tank_id)
    tank = replace(stored.tank, length=stored.tank.length + 0.4)
    tanks.save_tank(db, tank_id, name="Longer", tank=tank, targets=stored.targets, running=stored.running)
    tanks.save_rock(db, tank_id, None, Rock(stored.tank.length + 0.05, 0.1, 0.0, 0.2, 0.2, 0.2, "New end"))


def test_undo_on_the_list_leaves_what_was_done_inside_a_tank(db: Database) -> None:
    tank_id = tanks.import_tank(db, tanks.export_tank(db, 1).encode())
    lengthened(db, tank_id)
    before = tanks.open_tank(db, tank_id)
    tanks.undo(db, None)
    tanks.redo(db, None)
    assert tanks.open_tank(db, tank_id) == before
    tanks.delete_tank(db, tank_id)
    tanks.undo(db, None)
    assert tanks.open_tank(db, tank_id) == before


def any_edit(db: Database, draw: random.Random) -> None:
    """One edit of any kind in any scope, as it can be made on what is there."""
    alive = tanks.all_tanks(db)
    tank = draw.choice(alive)
    setup, n = draw.choice(tank.setups), draw.randrange(1000)
    kinds = "add move copy use drop coral card rock unrock zone site tank import remove shelf off rename".split()
    kind = draw.choice(kinds)
    try:
        match kind:
            case "add":
                hung_fixtures.add_fixture(db, tank.id, setup.id, draw.choice(["bar", "cluster", "hybrid-60"]))
            case "move" if setup.fixtures:
                hung_fixtures.change_fixtures(db, tank.id, setup.id, {setup.fixtures[0].id: {"x": 0.3 + n / 5000}})
            case "copy":
                setups.copy_setup(db, tank.id, setup.id)
            case "use":
                setups.use_setup(db, tank.id, setup.id)
            case "drop":
                setups.remove_setup(db, tank.id, setup.id)
            case "rename":
                setups.rename_setup(db, tank.id, setup.id, f"Setup {n}")
            case "coral" if tank.corals:
                corals.place_coral(db, tank.id, draw.choice(tank.corals).id, draw.choice([None, (0.2, 0.2, 0.3)]))
            case "card" if tank.corals:
                one = draw.choice(tank.corals)
                corals.change_card(db, tank.id, one.id, replace(one.value.card, name=f"Coral {n}"))
            case "rock":
                tanks.save_rock(db, tank.id, None, Rock(0.1, 0.1, 0.0, 0.1, 0.1, 0.1, f"Pebble {n}"))
            case "unrock" if tank.rocks:
                tanks.delete_rock(db, tank.id, tank.rocks[-1].id)
            case "zone":
                target_zones.draw_zone(db, tank.id, "sps", (0.1, 0.1, 0.2, 0.2, 0.0, 0.3))
            case "site":
                mounting_sheet.save_surroundings(db, tank.id, setup.id, replace(tank.surroundings, others=float(n)), {})
            case "tank":
                values = {"tank": tank.tank, "targets": tank.targets, "running": tank.running}
                tanks.save_tank(db, tank.id, name=f"Tank {n}", **values)
            case "import":
                tanks.import_tank(db, tanks.export_tank(db, tank.id).encode())
            case "remove" if len(alive) > 1:
                tanks.delete_tank(db, tank.id)
            case "shelf":
                fixture_library.put(
                    db,
                    fixture_library.ImportedFixture(tanks.open_tank(db, tank.id).setups[0].fixtures[0].value, "mine"),
                )
            case "off" if any(e.key.startswith("own-") for e in fixture_library.entries(db)):
                fixture_library.remove_own(
                    db, next(e.key for e in fixture_library.entries(db) if e.key.startswith("own-"))
                )
    except (InvalidInput, IndexError):
        pass


@settings(max_examples=8, deadline=None)
@given(st.integers(0, 10_000))
def test_undoing_every_scope_gives_the_first_record_and_redoing_the_last(seed: int) -> None:
    draw = random.Random(seed)
    with tempfile.TemporaryDirectory() as folder:
        db = Database(Path(folder) / "a.db")
        demo.seed(db)
        with db.writing() as connection:
            add_tank(connection, Scene("Second", RULED, setups=(Setup("Bare", in_use=True),)), None)
        first = exports(db), fixture_library.export_own(db)
        for _ in range(25):
            any_edit(db, draw)
        last = exports(db), fixture_library.export_own(db)
        with db.reading() as connection:
            ids = [row["id"] for row in connection.execute("SELECT id FROM tanks")]
        for step in (tanks.undo, tanks.redo):
            for scope in [*ids, None] if step is tanks.undo else [None, *ids]:
                while step(db, scope):
                    pass
            while (fixture_library.undo if step is tanks.undo else fixture_library.redo)(db):
                pass
            assert (exports(db), fixture_library.export_own(db)) == (first if step is tanks.undo else last)


def broken(db: Database) -> None:
    """A tank as version 0.1 could leave it: its rock reaches over its end."""
    with db.writing() as connection:
        connection.execute("UPDATE tanks SET length = 0.9, name = 'Cut short' WHERE id = 1")


def test_tank_that_does_not_read_takes_no_others_along_and_can_be_mended(client: TestClient, db: Database) -> None:
    other = tanks.import_tank(db, tanks.export_tank(db, 1).encode())
    broken(db)
    page = client.get("/tanks")
    assert page.status_code == 200
    assert "Cut short" in page.text
    card = client.get("/tanks/1/card").json()
    assert card["faulty"]
    for words in ("This tank cannot be opened", "from 0 cm to 90 cm"):
        assert words in card["html"]
    assert "<svg" in client.get(f"/tanks/{other}/card").json()["html"]
    assert client.get(f"/tanks/{other}/par-map").status_code == 200
    assert client.get("/tanks/1/par-map").status_code == 409
    assert client.post("/tanks/1/mend").headers["location"] == "/tanks/1"
    assert client.get("/tanks/1").status_code == 200
    tanks.undo(db, 1)
    with pytest.raises(Unreadable):
        tanks.open_tank(db, 1)
    client.post("/tanks/1/remove")
    assert '<a href="/tanks/1/par-map">' not in client.get("/tanks").text


@pytest.mark.parametrize("dump", OLD, ids=lambda path: path.stem)
def test_databases_of_every_earlier_form_come_up_with_their_data(dump: Path, tmp_path: Path) -> None:
    """The dumps were written by the versions of that form; each holds a tank with edits, and one removed."""
    path = tmp_path / "old.db"
    with closing(sqlite3.connect(path)) as connection:
        connection.executescript(dump.read_text())
        if int(dump.stem) >= 7:
            version = ("version, ", "1, ") if int(dump.stem) >= 9 else ("", "")
            connection.execute(
                f"INSERT INTO searches (tank_id, setup_id, {version[0]}wish, state) "
                f"VALUES (1, 1, {version[1]}'{{}}', 'running')"
            )
            connection.commit()
    db = Database(path)
    stored = tanks.open_tank(db, 1)
    assert (stored.name, len(stored.setups), len(stored.corals)) == ("Kept from before", 3, 1)
    assert stored.setup().fixtures[0].value.emitter.x == 0.4
    assert stored.corals[0].value.place is not None
    assert [len(stored.plans), len(stored.setup(2).groups)] == ([1, 2] if int(dump.stem) >= 23 else [0, 0])
    assert (tanks.steps(db, 1).redo, tanks.steps(db, None).undo) == (
        "take up Acropora tenuis",
        "remove Kept from before",
    )
    assert search_jobs.newest(db, 1) is None
    lengthened(db, 1)
    after = tanks.open_tank(db, 1)
    assert tanks.undo(db, None)  # the removal
    tanks.undo(db, None), tanks.undo(db, None)  # both imports, written down as whole rows
    tanks.redo(db, None)
    assert tanks.open_tank(db, 1) == after
    assert [p.name for p in tmp_path.glob("*.before-*")] == [f"old.db.before-{int(dump.stem) + 1:04d}"]
    assert read_packed(tanks.export_tank(db, 1).encode()).scene.name == "Longer"


def test_search_that_does_not_read_is_dropped(client: TestClient, db: Database) -> None:
    with db.writing() as connection:
        connection.execute(
            "INSERT INTO searches (tank_id, setup_id, version, wish, state) VALUES (1, 1, 1, '{}', 'done')"
        )
        connection.execute(
            "INSERT INTO searches (tank_id, setup_id, version, wish, state) VALUES (1, 1, 0, '{}', 'done')"
        )
    assert client.get("/tanks/1/layout").status_code == 200
    assert client.get("/tanks/1/layout/1").status_code == 404


def test_searches_wait_for_their_turn_and_go_on_after_a_restart(
    client: TestClient, db: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    go, wish = threading.Event(), default_request(tanks.open_tank(db, 1), fixture_library.entry(db, "cluster"))

    def slow(*_: object) -> Iterator[SearchStep]:
        go.wait(20)
        yield SearchStep(1.0, 7, (), ())

    def states() -> list[str]:
        return sorted(search_jobs.look(db, tank, number).state for tank, number in ids)

    def until(wanted: list[str]) -> None:
        deadline = time.monotonic() + 10
        while states() != wanted and time.monotonic() < deadline:
            time.sleep(0.02)
        assert states() == wanted

    monkeypatch.setattr("corlume.services.search.search_jobs.search", slow)
    each = [1, *(tanks.copy_tank(db, 1) for _ in range(search_jobs.MOST_UNDER_WAY - 1))]
    ids = [(tank, search_jobs.begin(db, tank, tanks.open_tank(db, tank).setup().id, wish)) for tank in each]
    until(["running"] + ["waiting"] * 4)
    more = tanks.copy_tank(db, 1)
    with pytest.raises(InvalidInput, match="cannot start: 5 searches run or wait"):
        search_jobs.begin(db, more, tanks.open_tank(db, more).setup().id, wish)
    search_jobs.stop(db, *ids[-1])
    until(["running", "stopped"] + ["waiting"] * 3)
    go.set()
    until(["done"] * 4 + ["stopped"])
    with db.writing() as connection:  # as a restart leaves it
        connection.execute("UPDATE searches SET state = 'running' WHERE id = ?", (ids[-1][1],))
    last, number = ids[-1]
    assert "Resume search" in client.get(f"/tanks/{last}/layout").text
    assert client.post(f"/tanks/{last}/layout/{number}/resume").status_code == 303
    until(["done"] * 5)
    # who asks anew of a tank no longer waits for what was asked before
    go.clear()
    ids = [(1, search_jobs.begin(db, 1, 1, wish)) for _ in range(2)]
    go.set()
    until(["done", "stopped"])


def foreign(path: Path) -> None:
    with closing(sqlite3.connect(path)) as connection:
        connection.execute("CREATE TABLE recipes (id INTEGER)")


def newer(path: Path) -> None:
    Database(path)
    with closing(sqlite3.connect(path)) as connection, connection:
        connection.execute("INSERT INTO migrations VALUES (999, 'x', 'x', 'x')")


def cut(path: Path) -> None:
    demo.seed(Database(path))
    with closing(sqlite3.connect(path)) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    path.write_bytes(path.read_bytes()[:30_000])


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda path: path.write_bytes(b"once upon a time " * 99), "is not a database of Corlume"),
        (foreign, "of another program"),
        (newer, "was written by a newer Corlume"),
        (cut, "is damaged"),
        (lambda path: path.mkdir(), "cannot be used"),
    ],
)
def test_what_is_not_a_record_of_ours_is_refused_and_left_as_it_is(make, words: str, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    path = tmp_path / "corlume.db"
    make(path)
    before = path.read_bytes() if path.is_file() else b""
    with pytest.raises(Unusable, match=words):
        Database(path)
    assert (path.read_bytes() if path.is_file() else b"") == before


def test_record_is_for_the_keeper_alone_and_for_one_server(tmp_path: Path) -> None:
    db = Database(tmp_path / "a.db")
    demo.seed(db)
    assert {p.stat().st_mode & 0o077 for p in tmp_path.iterdir()} == {0}
    with alone(db.path), pytest.raises(Unusable, match=f"process {os.getpid()}"), alone(db.path):
        pass
    with alone(db.path):
        pass


@pytest.mark.parametrize(
    ("limit", "words"),
    [
        ("max_page_count = 1", "Not kept: the disk is full."),  # no room for one page more
        ("query_only = ON", "Not kept: the file or its folder may only be read."),
    ],
)
def test_full_or_locked_disk_is_said_and_nothing_is_half_kept(
    db: Database, monkeypatch: pytest.MonkeyPatch, limit: str, words: str
) -> None:
    before = tanks.open_tank(db, 1)
    connect = sqlite3.connect

    def small(*args, **kwargs):  # type: ignore[no-untyped-def]
        connection = connect(*args, **kwargs)
        connection.execute(f"PRAGMA {limit}")
        return connection

    with Pages(create_app(db, Settings()), base_url="http://127.0.0.1", follow_redirects=False) as client:
        monkeypatch.setattr(sqlite3, "connect", small)
        for _ in range(40):
            answer = client.post("/tanks/1/setups/1/copy")
            if answer.status_code != 303:
                break
        assert answer.status_code == 503
        assert words in answer.text
        assert client.get("/tanks").status_code == 200
        monkeypatch.undo()
    assert tanks.open_tank(db, 1).corals == before.corals
    assert tanks.steps(db, 1).undo in (None, f"copy setup {before.setup(1).name}")


def test_what_nobody_foresaw_gets_a_page_that_says_what_was_kept(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fail(*_: object, **__: object) -> None:
        raise ZeroDivisionError

    monkeypatch.setattr("corlume.web.pages.keeping.tanks.go", fail)
    answer = client.post("/tanks/1/remove")
    assert answer.status_code == 500
    assert "Your last step was kept" in answer.text
    assert "Traceback" not in answer.text
    assert answer.headers["Content-Security-Policy"]
    monkeypatch.setattr("corlume.services.keeping.tanks.remove_tank", fail)
    assert "Your last step was not kept" in client.post("/tanks/1/remove").text


def test_own_fixtures_go_out_and_come_back_with_all_that_is_known(client: TestClient, db: Database) -> None:
    lamp = tanks.open_tank(db, 1).setup().fixtures[0].value
    fixture_library.put(
        db,
        fixture_library.ImportedFixture(lamp, "Measured at home"),
        name="Lamp {1}",
        weight=2.5,
        price=310,
        mount="Arm",
    )
    file = client.get("/fixtures/own").content
    for key in [e.key for e in fixture_library.entries(db) if e.key.startswith("own-")]:
        fixture_library.remove_own(db, key)
    assert client.post("/fixtures/own", files={"file": ("f.json", file)}).status_code == 303
    assert client.get("/fixtures/own").content == file
    wrong = client.post("/fixtures/own", files={"file": ("f.json", file.replace(b'"ppf": ', b'"ppf": -'))})
    assert "fixtures[0].fixture.ppf: must be from" in wrong.text


def test_rock_over_a_pump_or_a_spot_is_refused_by_name_and_what_is_buried_exports_all_the_same(
    client: TestClient, db: Database
) -> None:
    stored = tanks.open_tank(db, 1)
    pump, tank = stored.pumps[0].value, stored.tank
    open_water = next(
        (x, y, 0.1) for x in np.arange(0.2, 1.0, 0.05) for y in (0.1, 0.4)
        if not tank.in_rock(np.array([(x, y, 0.1)]))[0] and np.hypot(x - pump.x, y - pump.y) > 0.15
    )  # fmt: skip
    placement_choices.save_choice(db, 1, "perches", CustomSpot("Mid {x}", *open_water))
    covered = ((pump.place, f"the pump &#34;{pump.name}&#34;"), (open_water, "the spot &#34;Mid {x}&#34;"))
    for towers, (place, words) in enumerate(covered):
        x, y = (
            min(max(0.0, at - 0.05), size - 0.1) for at, size in zip(place, (tank.length, tank.width), strict=False)
        )
        rock = {"x": x, "y": y, "base": 0.0, "length": 0.1, "width": 0.1, "height": tank.water_depth - 0.01}
        typed = {name: f"{100 * value:.3f}" for name, value in rock.items()} | {"form": "block", "name": "Tower"}
        refused = client.post("/tanks/1/rocks", data=typed)
        assert refused.status_code == 422
        assert f"would cover {words}" in refused.text
        assert len(tanks.open_tank(db, 1).rocks) == len(stored.rocks) + towers
        with db.writing() as connection:  # as an older version let it be
            ROCKS.put(connection, Rock(*rock.values(), "Tower"), 1)
    again = tanks.import_tank(db, client.get("/tanks/1/export").content)
    copy = int(client.post("/tanks/1/copy").headers["location"].rpartition("/")[2])
    for tank_id in (again, copy):
        found = tanks.open_tank(db, tank_id)
        assert (len(found.rocks), len(found.perches)) == (len(stored.rocks) + 2, len(stored.perches) + 1)
        for page in ("par-map", "corals", "corals/flow", "corals/spots"):
            assert client.get(f"/tanks/{tank_id}/{page}").status_code == 200


def test_more_corals_than_a_usual_form_has_fields_are_placed_at_once(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    many = replace(stored.scene(), corals=(replace(stored.scene().corals[0], place=None),) * most_of(Scene, "corals"))
    with db.writing() as connection:
        tank_id = add_tank(connection, many, None)
    places = {f"coral-{kept.id}": "0.5,0.3,0.2" for kept in tanks.open_tank(db, tank_id).corals}
    assert client.post(f"/tanks/{tank_id}/corals/all", data=places).status_code == 303
    assert all(kept.value.place for kept in tanks.open_tank(db, tank_id).corals)


def test_two_hundred_tanks_are_listed_without_opening_one(client: TestClient, db: Database) -> None:
    scene = tanks.open_tank(db, 1).scene()
    with db.writing() as connection:
        for k in range(199):
            add_tank(connection, replace(scene, name=f"Tank {k}"), None)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("corlume.store.tanks.thing_of", None)
        page = client.get("/tanks").text
    assert page.count("/card") == 200
    assert f"{len(tanks.open_tank(db, 1).corals)}, " in page


def test_more_than_a_tank_holds_is_refused_in_words_and_exported_all_the_same(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    many = replace(
        stored.scene(),
        setups=(*stored.scene().setups, *(Setup(f"S{k}", stored.scene().setups[0].fixtures * 40) for k in range(31))),
        corals=stored.scene().corals * 30,
        tank=replace(stored.tank, rocks=(Rock(0.1, 0.1, 0.0, 0.05, 0.05, 0.05),) * 450, braces=stored.tank.braces * 60),
        wanted=tuple(TargetZone(f"Z{k}", 0.1, 0.1, 0.1, 0.1, 0.0, 0.2, 100, 200) for k in range(70)),
    )
    with db.writing() as connection:
        tank_id = add_tank(connection, many, None)
    again = read_packed(client.get(f"/tanks/{tank_id}/export").content).scene
    assert (len(again.setups), len(again.corals), len(again.tank.rocks)) == (34, 750, 450)
    setup = tanks.open_tank(db, tank_id).setups[-1].id
    for path, data, words in (
        (f"setups/{setup}/copy", {}, f"Setups would be 35: a tank holds at most {most_of(Scene, 'setups')}"),
        (f"setups/{setup}/add", {"entry": "bar"}, "Fixtures would be 121: a setup holds at most 100"),
        ("corals/add", {"card": "Zoanthus"}, f"Corals would be 721: a tank holds at most {most_of(Scene, 'corals')}"),
    ):
        answer = client.post(f"/tanks/{tank_id}/{path}", data=data)
        assert answer.status_code == 422
        assert words in answer.text

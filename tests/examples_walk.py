"""Runs in a copy of the sources with the examples of CONTRIBUTING.md in it, and finds each everywhere it should be."""

from __future__ import annotations

import asyncio
import datetime
import json
import sys
import threading
from pathlib import Path

from corlume.core.placement.trim import Trim  # type: ignore[import-not-found]
from starlette.testclient import TestClient

from corlume.core.light.technology import TECHNOLOGIES
from corlume.core.survey.fixture_estimate import usual_emitter
from corlume.devices.register import METERS
from corlume.formats.measure import Measure
from corlume.reference.catalogue import catalogue
from corlume.services.keeping import corals, demo, tanks
from corlume.services.keeping.meter_stream import meter_readings
from corlume.services.light.fields import medium_of
from corlume.services.search.light_types import light_types_for
from corlume.settings import Settings
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import CORALS
from corlume.web.app import create_app
from corlume.web.forms.form import shown_values

FOUND: list[str] = []


def coral_field(db: Database, client: TestClient) -> None:
    card = tanks.open_tank(db, 1).coral(3).value.card
    shown = client.get("/tanks/1/corals?coral=3").text
    assert 'id="origin"' in shown or 'name="origin"' in shown
    form = {**shown_values(card, Measure("cm")), "origin": "A friend's tank"}
    assert client.post("/tanks/1/corals/3/card", data=form).status_code == 303
    assert tanks.open_tank(db, 1).coral(3).value.card.origin == "A friend's tank"  # type: ignore[attr-defined]
    exported = json.loads(tanks.export_tank(db, 1))
    assert [coral["origin"] for coral in exported["corals"]].count("A friend's tank") == 1
    assert "origin" in corals.export_corals(tanks.open_tank(db, 1)).splitlines()[0]
    again = tanks.import_tank(db, json.dumps(exported).encode())
    assert "A friend's tank" in [kept.value.card.origin for kept in tanks.open_tank(db, again).corals]  # type: ignore[attr-defined]
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).coral(3).value.card == card
    FOUND.append("A new field of a coral")


def kept_list(db: Database) -> None:
    trims = CORALS.lists["trims"]
    trim = Trim(datetime.date(2026, 11, 25), 0.03)

    def kept() -> list[object]:
        return load(db, 3)

    with db.writing() as connection:
        trims.insert(Edit(connection, tank_scope(1), "trim a coral"), trim, 3)
    assert kept() == [trim]
    assert tanks.undo(db, 1) == "trim a coral"
    assert kept() == []
    tanks.redo(db, 1)
    exported = json.loads(tanks.export_tank(db, 1))
    assert [one for coral in exported["corals"] for one in coral["trims"]] == [{"day": "2026-11-25", "length_cm": 3.0}]
    for tank in (tanks.copy_tank(db, 1), tanks.import_tank(db, json.dumps(exported).encode())):
        assert [one for kept in tanks.open_tank(db, tank).corals for one in load(db, kept.id)] == [trim]
    corals.remove_coral(db, 1, 3)  # what hangs on it goes, and comes back
    assert kept() == []
    tanks.undo(db, 1)
    assert kept() == [trim]
    FOUND.append("A new kept list")


def load(db: Database, coral_id: int) -> list[object]:
    with db.reading() as connection:
        return [one.value for one in CORALS.lists["trims"].load(connection, coral_id)]


def station(db: Database, client: TestClient) -> None:
    shown = client.get("/tanks/1/feed").text
    assert 'href="/tanks/1/feed" accesskey=' in shown
    wrong = client.post("/tanks/1/feed", data={"day": "2026-11-25", "cubes": "90"})
    assert wrong.status_code == 422
    assert "Cubes must be from 1 to 40, not 90" in wrong.text
    assert client.post("/tanks/1/feed", data={"day": "2026-11-25", "cubes": "3"}).status_code == 303
    shown = client.get("/tanks/1/feed").text
    assert "2026-11-25: 3" in shown
    assert "Undo: add a feeding" in shown
    exported = json.loads(tanks.export_tank(db, 1))
    assert exported["feedings"] == [{"day": "2026-11-25", "cubes": 3}]
    assert tanks.open_tank(db, tanks.copy_tank(db, 1)).lists["feedings"][0].value.cubes == 3
    assert tanks.undo(db, 1) == "add a feeding"
    assert "2026-11-25: 3" not in client.get("/tanks/1/feed").text
    FOUND.append("A new station")


def figure(client: TestClient) -> None:
    assert "Least over mean" in client.get("/tanks/1/par-map").text
    assert "Least over mean" in client.get("/tanks/1/setups").text
    FOUND.append("A new figure")


def technology(db: Database, client: TestClient) -> None:
    assert '<option value="plasma"' in client.get("/fixtures").text
    assert client.get("/fixtures/plasma-280").status_code == 200
    assert "Plasma lamp" in client.get("/fixtures/fit").text
    assert "Plasma" in [kind.name for kind in light_types_for(tanks.open_tank(db, 1).tank)]
    assert catalogue()["plasma-280"].parts[0].emitter.made_by is TECHNOLOGIES["plasma"]
    assert usual_emitter("plasma", 100.0).fwhm == TECHNOLOGIES["plasma"].fwhm
    FOUND.append("A new technology")


class Steady:
    """A meter that reads the same forever."""

    def stand(self, place: object) -> None:
        pass

    def readings(self) -> object:
        while True:
            yield 182.0


def meter() -> None:
    server = METERS["plain"].serve(0, Steady)  # type: ignore[arg-type]
    threading.Thread(target=server.serve_forever, daemon=True).start()

    async def first() -> float:
        async for par in meter_readings(f"plain://127.0.0.1:{server.socket.getsockname()[1]}", (0.1, 0.1, 0.1)):
            return par
        raise AssertionError

    assert asyncio.run(first()) == 182.0
    server.shutdown()
    server.server_close()
    FOUND.append("A new type of meter")


def main() -> None:
    db = Database(Path(sys.argv[1]))
    demo.seed(db)
    medium_of(tanks.open_tank(db, 1).lit_tank())
    client = TestClient(create_app(db, Settings()), base_url="http://127.0.0.1", follow_redirects=False)
    coral_field(db, client)
    kept_list(db)
    station(db, client)
    figure(client)
    technology(db, client)
    meter()
    print(json.dumps(FOUND))


if __name__ == "__main__":
    main()

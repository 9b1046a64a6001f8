"""Phones: let in by a link once and in time, shut out again, and what a paired one may do."""

from __future__ import annotations

import datetime
import re
import sqlite3
from contextlib import closing
from typing import Any

from fastapi.routing import APIRoute
from starlette.testclient import TestClient

from corlume.services.keeping import phone_pairing
from corlume.settings import Settings
from corlume.store.database import Database
from corlume.web.app import create_app
from corlume.web.stations import BESIDE, STATIONS

NOW = datetime.datetime(2026, 11, 20, 18, tzinfo=datetime.UTC)


def from_the_network(db: Database, **more: Any) -> TestClient:
    app = create_app(db, Settings(), phone_address="192.168.7.2:8420")
    return TestClient(app, base_url="http://192.168.7.2", client=("192.168.7.30", 4711), follow_redirects=False, **more)


def test_unpaired_devices_are_refused_on_every_route(db: Database) -> None:
    app = create_app(db, Settings(), phone_address="192.168.7.2:8420")
    routers = [*BESIDE, *(router for station in STATIONS for router in station.routers)]
    known = [route for router in routers for route in router.routes if isinstance(route, APIRoute)]
    routes = [(method, route.path) for route in known for method in route.methods]
    routes += [("GET", path) for path in ("/", "/static/app.css", "/static/talk.js", "/nowhere")]
    assert len(routes) > 80
    for number, (method, path) in enumerate(routes):
        filled = re.sub(r"\{[^}]*\}", "1", path)
        apart = TestClient(app, base_url="http://192.168.7.2", client=(f"10.0.{number // 200}.{number % 200}", 99))
        with apart:
            assert apart.request(method, filled, follow_redirects=False).status_code in (403, 410), (method, path)


def test_a_phone_is_paired_once_in_time_and_shut_out(client: TestClient, db: Database) -> None:
    token, _ = phone_pairing.new_link(db, datetime.datetime.now(datetime.UTC))
    with from_the_network(db) as outside:
        assert outside.get("/tanks").status_code == 403
        assert "Pair this device?" in outside.get(f"/pair/{token}").text
        assert outside.get("/tanks").status_code == 403  # looking at the link pairs nothing
        empty = outside.post(f"/pair/{token}", data={"name": " "})
        assert "Name is empty" in empty.text
        paired = outside.post(f"/pair/{token}", data={"name": "Tank phone"})
        cookie = paired.headers["set-cookie"]
        assert "HttpOnly" in cookie
        assert "SameSite=strict" in cookie
        assert outside.get("/tanks").status_code == 200
        assert outside.post("/phone/link").status_code == 403
        [device] = phone_pairing.paired(db)
        stored = db.path.read_bytes()
        assert token.encode() not in stored
        assert re.search(r"corlume_device=([^;]+)", cookie)[1].encode() not in stored  # type: ignore[index]
        phone_pairing.shut_out(db, device.id)
        assert outside.get("/tanks").status_code == 403
    with from_the_network(db) as other:
        assert "was used, or is too late" in other.post(f"/pair/{token}", data={"name": "Second"}).text
        for _ in range(25):
            last = other.get("/tanks")
        assert last.status_code == 429
    late, _ = phone_pairing.new_link(db, NOW)
    assert phone_pairing.pair(db, late, "Late", NOW + datetime.timedelta(minutes=6)) is None
    assert client.get("/phone").status_code == 200


def test_a_paired_phone_does_what_is_done_at_the_tank_and_no_more_until_it_may(
    client: TestClient, db: Database
) -> None:
    """Every route that changes something, tried with a paired phone: few pass, and all do once the keeper allows it."""
    now = datetime.datetime.now(datetime.UTC)
    token = phone_pairing.pair(db, phone_pairing.new_link(db, now)[0], "Tank phone", now)
    routers = [*BESIDE, *(router for station in STATIONS for router in station.routers)]
    paths = [r.path for router in routers for r in router.routes if isinstance(r, APIRoute) and "POST" in r.methods]
    with from_the_network(db, cookies={"corlume_device": token}) as outside:
        for path in ("/tanks", "/tanks/1/par-map", "/tanks/1/corals/check", "/phone"):
            assert outside.get(path).status_code == 200
        assert "Restore" not in outside.get("/tanks").text
        assert outside.get("/backup").status_code == 403
        passed = {path for path in paths if outside.post(re.sub(r"\{[^}]*\}", "1", path)).status_code != 403}
        assert passed == {
            "/preferences", "/pair/{token}", "/tanks/{tank_id}/setups/{setup_id}/light",
            "/tanks/{tank_id}/corals/{coral_id}/try", "/tanks/{tank_id}/survey/{survey_id}/act",
            "/tanks/{tank_id}/survey/{survey_id}/tap", "/tanks/{tank_id}/survey/{survey_id}/spots",
            "/tanks/{tank_id}/survey/{survey_id}/spots/{spot_id}/place", "/tanks/{tank_id}/survey/photos",
            "/tanks/{tank_id}/survey/balance/{survey_id}/shift", "/tanks/{tank_id}/corals/check/{coral_id}",
            "/tanks/{tank_id}/survey/photos/{photo_id}/corners", "/tanks/{tank_id}/survey/photos/{photo_id}/tap",
            "/tanks/{tank_id}/corals/{coral_id}/log/notes", "/tanks/{tank_id}/corals/flow/{what}/begin",
            "/tanks/{tank_id}/log", "/tanks/{tank_id}/log/cleaning/log", "/tanks/{tank_id}/corals/shop/bought",
        }  # fmt: skip
        # a plan can be held at the tank (there is none of that number), and not deleted
        assert outside.post("/tanks/1/day/plan/1/hold", data={"days": "7"}).status_code == 404
        assert outside.post("/tanks/1/day/plan/1/delete").status_code == 403
        told = outside.post("/tanks/1/remove")
        assert "Nothing was changed" in told.text
        assert "Tern Skerry" in outside.get("/tanks").text
        [device] = phone_pairing.paired(db)
        assert client.post(f"/phone/{device.id}/trust", data={"trusted": "on"}).status_code == 303
        assert outside.post(f"/phone/{device.id}/trust", data={}).status_code == 403
        assert outside.post("/tanks/1/remove").status_code == 303
    with closing(sqlite3.connect(db.path, isolation_level=None)) as other:
        other.execute("BEGIN IMMEDIATE")  # another program writes: who looks is not kept waiting
        assert phone_pairing.admitted(db, token or "", now + datetime.timedelta(hours=1))


def test_devices_are_let_in_and_shut_out_from_this_machine_alone(db: Database) -> None:
    """However far a phone is trusted; and from here all of it works."""
    token, _ = phone_pairing.new_link(db, datetime.datetime.now(datetime.UTC))
    posts = [("/phone/link", {}), ("/phone/1/trust", {"trusted": ""}), ("/phone/1/remove", {})]
    with from_the_network(db) as phone:
        assert phone.get(f"/pair/{token}/style.css").status_code == 200
        assert phone.post(f"/pair/{token}", data={"name": "Tank phone"}).status_code == 303
        assert phone.get(f"/pair/{token}/style.css").status_code == 410
        phone_pairing.trust(db, 1, trusted=True)
        for path, data in posts:
            assert "Not from here" in phone.post(path, data=data).text
        assert phone_pairing.paired(db)[0].trusted
    app = create_app(db, Settings(), phone_address="192.168.7.2:8420")
    with TestClient(app, base_url="http://127.0.0.1", client=("127.0.0.1", 4711), follow_redirects=False) as here:
        assert "http://192.168.7.2:8420/pair/" in here.post("/phone/link").text
        here.post("/phone/1/trust", data={"trusted": ""})
        assert not phone_pairing.paired(db)[0].trusted
        here.post("/phone/1/trust", data={"trusted": "on"})
        assert phone_pairing.paired(db)[0].trusted
        here.post("/phone/1/remove")
        assert phone_pairing.paired(db) == []

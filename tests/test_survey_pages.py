"""The survey as keepers walk it: planned, read, put right, brought in, judged, taken into use; and who may come in."""

from __future__ import annotations

import asyncio
import datetime
import io
import json
import re
import socket
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import aclosing, closing, contextmanager, suppress
from dataclasses import replace
from itertools import count
from threading import Thread
from typing import Any

import numpy as np
import pytest
from fastapi.routing import APIRoute
from PIL import Image
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.geometry import Pane, Tank
from corlume.core.judgement.targets import LightTargets
from corlume.core.optics.field import Medium, channel_fields
from corlume.core.optics.lobe import width_at_half
from corlume.core.scene import Running
from corlume.core.survey.fixture_fit import bench, fit_fixture, usual_emitter
from corlume.core.survey.needle import Needle
from corlume.core.survey.photo import UNIT, Photo, Quad, homography
from corlume.core.units import DEGREE
from corlume.devices.meter import MeterLost
from corlume.devices.meter_server import MeterServer
from corlume.devices.simulated_meter import SimulatedMeter, hidden_truth
from corlume.formats.faults import BadFile
from corlume.formats.steps import STEPS
from corlume.formats.survey_table import read_survey, write_survey
from corlume.services.advice import balance
from corlume.services.advice.judge import verdicts_in_doubt
from corlume.services.advice.survey import findings
from corlume.services.keeping import hung_fixtures, phone, setups, surveys, tanks
from corlume.services.keeping.meter import meter_readings
from corlume.services.light.fields import medium_of, par_at
from corlume.services.light.points import Place, PlaneSpec
from corlume.services.light.sure import sure_at
from corlume.settings import Settings
from corlume.store.database import Database
from corlume.web.app import create_app
from corlume.web.stations import BESIDE, STATIONS

HOME = "/tanks/1/survey"
NEW = {"name": "Evening", "day": "2026-11-20", "pumps": "on", "meter": "", "immersion": "1", "count": "8"}
JSON = {"content-type": "application/json"}


def planned(client: TestClient, **typed: str) -> str:
    answer = client.post(HOME, data={**NEW, **typed})
    assert answer.status_code == 303, answer.text[:500]
    return str(answer.headers["location"])


def act(client: TestClient, home: str, **what: Any) -> Any:
    return client.post(f"{home}/act", content=json.dumps(what), headers=JSON)


def test_a_survey_is_planned_read_judged_used_and_undone(client: TestClient, db: Database) -> None:
    """Readings of a tank whose left module gives 70 %: it is found, and every page follows it until it is undone."""
    home = planned(client, count="12")
    survey_id = int(home.rpartition("/")[2])
    stored = tanks.open_tank(db, 1)
    west, *rest = stored.setup().hung
    dim = [replace(west, measured=0.7), *rest]
    before = client.get("/tanks/1/chart").text
    spots = surveys.open_survey(db, 1, survey_id).spots
    par = par_at(stored.lit_tank(), dim, np.array([kept.value.place for kept in spots]))
    for kept, value in zip(spots, par.tolist(), strict=True):
        assert act(client, home, act="read", spot=kept.id, par=round(value, 1), at=0).status_code == 200
    page = client.get(home).text
    assert re.search(r"It gives [67]\d % of what was told", page)
    assert client.post(f"{home}/use").status_code == 303
    used = tanks.open_tank(db, 1)
    assert used.setup().hung[0].measured == pytest.approx(0.7, abs=0.04)
    assert "PAR corrected" in client.get("/tanks/1/chart").text
    place = Place(0.32, 0.37, 0.14)
    probe = np.array([[place.x, place.y, place.depth]])
    assert par_at(used.lit_tank(), used.setup().hung, probe) == pytest.approx(
        par_at(stored.lit_tank(), dim, probe), rel=0.04
    )
    # the whole record goes through a file and reads as the same light
    again = tanks.import_tank(db, tanks.export_tank(db, 1).encode())
    other = tanks.open_tank(db, again)
    assert par_at(other.lit_tank(), other.setup().hung, probe) == pytest.approx(
        par_at(used.lit_tank(), used.setup().hung, probe), rel=1e-4
    )
    # sure of much more than before, and in doubt about fewer grades
    told, spec = stored.lit_tank(), PlaneSpec("point", place)
    unsure, sure = sure_at(told, stored.setup().hung, spec, None), sure_at(told, used.setup().hung, spec, used.survey)
    assert unsure
    assert sure
    assert sure.sd[0] < 0.3 * unsure.sd[0]
    assert unsure.widest() == "what the fixtures give"
    doubts = [sum(len(v.may) for v in verdicts_in_doubt(t, t.setup().hung, t.setup().intent)) for t in (stored, used)]
    assert doubts[1] < doubts[0]
    client.post("/tanks/1/undo")
    assert re.search(r'readout-par">\d+', before)
    assert tanks.open_tank(db, 1).setup().hung == stored.setup().hung


def test_before_and_after_name_the_corals_that_would_jump(client: TestClient, db: Database) -> None:
    """The demo's survey has its west end darker by a sixth: no coral jumps. Half the light is a jump for all."""
    answer = client.get(f"{HOME}/compare?a=setup-1&b=survey-1")
    assert "No coral" in answer.text
    stored = tanks.open_tank(db, 1)
    half = [{"output": 0.5 * f.output} for f in stored.setup().hung]
    copy = setups.copy_setup(db, 1, stored.setup().id)
    changes = zip(tanks.open_tank(db, 1).setup(copy).fixtures, half, strict=True)
    hung_fixtures.change_fixtures(db, 1, copy, {kept.id: change for kept, change in changes})
    answer = client.get(f"{HOME}/compare?a=setup-1&b=setup-{copy}")
    assert "14 of 14 would jump by more than 25 %" in answer.text
    assert "-50 %" in answer.text
    assert client.get(f"{HOME}/compare?a=survey-99").status_code == 404


def test_balance_by_meter_brings_the_spots_together(client: TestClient, db: Database) -> None:
    """Three modules hung too close to the middle over an open tank: read and shifted, the spots come to agree."""
    tank_id = tanks.create_tank(db, "Open", Tank(1.3, 0.5, 0.5), LightTargets(), Running())
    setup = tanks.open_tank(db, tank_id).setup().id
    for x in ("45", "65", "85"):
        client.post(f"/tanks/{tank_id}/setups/{setup}/add", data={"entry": "cluster-small"})
        fixture = tanks.open_tank(db, tank_id).setup().fixtures[-1].id
        name = f"At {x}"
        hung_fixtures.change_fixtures(db, tank_id, setup, {fixture: {"x": int(x) / 100, "height": 0.4, "name": name}})
    at = client.post(f"/tanks/{tank_id}/survey/balance").headers["location"]
    apart = []
    for _ in range(6):
        stored, survey_id = tanks.open_tank(db, tank_id), int(at.rpartition("/")[2])
        assert "not all read" in client.get(at).text
        for kept in surveys.open_survey(db, tank_id, survey_id).spots:
            par = par_at(stored.lit_tank(), stored.setup().hung, np.array([kept.value.place]))[0]
            surveys.enter(db, tank_id, survey_id, kept.id, round(float(par), 1))
        rounds = balance.rounds(db, stored, "Balance 1", "", STEPS["cm"])
        apart.append(rounds[-1].spread)
        if not rounds[-1].shifts():
            break
        assert "Next move" in client.get(at).text
        at = client.post(f"{at}/shift", data={"strong": ""}).headers["location"]
    assert apart[0] > 60
    assert apart[-1] < 0.5 * apart[0]
    xs = [f.emitter.x for f in tanks.open_tank(db, tank_id).setup().hung]
    assert xs[0] < 0.35
    assert xs[2] > 0.95


@pytest.mark.parametrize(
    ("par", "words"),
    [(0, "more than 0"), (-5, "more than 0"), (65535, "past its range"), (9000, "must be from 0.1 to 5000")],
)
def test_numbers_that_are_no_reading_are_told(client: TestClient, db: Database, par: float, words: str) -> None:
    home = planned(client)
    spot = surveys.open_survey(db, 1, int(home.rpartition("/")[2])).spots[0].id
    answer = act(client, home, act="read", spot=spot, par=par, at=0)
    assert answer.status_code == 422
    assert words in answer.json()["message"]


def test_readings_are_saved_at_once_and_once(client: TestClient, db: Database) -> None:
    """A server that dies between two readings loses none; one that is sent twice is taken once; lux is asked about."""
    home = planned(client)
    survey_id = int(home.rpartition("/")[2])
    first, second, third = surveys.open_survey(db, 1, survey_id).spots[:3]
    for _ in range(2):
        assert act(client, home, act="read", spot=first.id, par=120, at=0).json()["readings"] == [120]
    assert surveys.open_survey(Database(db.path), 1, survey_id).spot(first.id).value.readings == (120.0,)
    assert "factor of two" in act(client, home, act="read", spot=first.id, par=300, at=1).json()["word"]
    assert act(client, home, act="redo", spot=first.id).json()["readings"] == []
    answer = act(client, home, act="read", spot=second.id, par=4900, at=0).json()
    assert answer["lux"]
    for _ in range(2):
        assert act(client, home, act="lux", spot=second.id, par=4900).json()["readings"] == [89.1]
    assert act(client, home, act="skip", spot=third.id).json()["skipped"]
    assert "not kept" not in client.get(f"{home}/take").text


def test_a_reading_sent_eight_times_at_once_is_kept_once(client: TestClient, db: Database) -> None:
    home = planned(client)
    survey_id = int(home.rpartition("/")[2])
    spot = surveys.open_survey(db, 1, survey_id).spots[0].id
    with ThreadPoolExecutor(8) as pool:
        sent = [pool.submit(act, client, home, act="read", spot=spot, par=120, at=0) for _ in range(8)]
    assert [one.result().json()["readings"] for one in sent] == [[120]] * 8
    assert surveys.open_survey(db, 1, survey_id).spot(spot).value.readings == (120.0,)


def test_spots_are_added_moved_and_refused_in_rock(client: TestClient, db: Database) -> None:
    home = planned(client, count="0")
    survey_id = int(home.rpartition("/")[2])
    inside = client.post(f"{home}/spots", data={"name": "In rock", "x": "30", "y": "38", "depth": "30"})
    assert inside.status_code == 422
    assert "lies in rock or sand" in inside.text
    outside = client.post(f"{home}/spots", data={"name": "Out", "x": "300", "y": "30", "depth": "10"})
    assert "must be from 0 cm to 150 cm" in outside.text
    assert client.post(f"{home}/spots", data={"name": "Here", "x": "75", "y": "6", "depth": "15"}).status_code == 303
    spot = surveys.open_survey(db, 1, survey_id).spots[0]
    assert client.post(f"{home}/spots/{spot.id}", data={"x": "80"}).status_code == 303
    assert surveys.open_survey(db, 1, survey_id).spot(spot.id).value.x == pytest.approx(0.8)
    assert client.post(f"{home}/spots/{spot.id}/drop").status_code == 303
    assert not surveys.open_survey(db, 1, survey_id).spots


def test_tables_are_understood_or_told_by_line_and_column(client: TestClient, db: Database) -> None:
    """Decimal commas, units in heads and several readings are understood; five kinds of mistakes are each told."""
    text = "Spot;x (cm);y (cm);depth in;PAR µmol\nMiddle;75,5;6;6;180\nMiddle;75,5;6;6;184\nEnd;10;6;6;90"
    found = read_survey(text, "cm")
    assert [spot.readings for spot in found.spots] == [(180.0, 184.0), (90.0,)]
    assert found.spots[0].depth == pytest.approx(0.1524)
    assert "Numbers with a decimal comma." in found.understood
    assert read_survey(write_survey(found.spots), "in").spots == found.spots
    bad = "name,x_cm,y_cm,depth_cm,par\nA,ten,6,15,100\nB,10,6,15,0\nC,10,6,15,65535\nD,10,6,15,90,7\nE,10,6\n"
    with pytest.raises(BadFile) as error:
        read_survey(bad, "cm")
    told = [str(fault) for fault in error.value.faults]
    for line, words in (
        (2, "is not a number"),
        (3, "more than 0"),
        (4, "past its range"),
        (5, "6 cells"),
        (6, "missing"),
    ):
        assert any(t.startswith(f"line {line}") and words in t for t in told), told
    with pytest.raises(BadFile, match="lux"):
        read_survey("x_cm,y_cm,depth_cm,lux\n1,2,3,4000", "cm")
    assert read_survey("x_cm,y_cm,depth_cm,lux\n10,20,15,5500", "cm", 55).spots[0].readings == (100.0,)
    home = planned(client, count="0")
    answer = client.post(f"{home}/table", data={"pasted": bad}, files={"file": ("", b"")})
    assert answer.status_code == 422
    assert "B,10,6,15,0" in answer.text
    assert client.post(f"{home}/table", data={"pasted": text.replace("6;6;", "6;5,9;")}).status_code == 200
    assert len(surveys.open_survey(db, 1, int(home.rpartition("/")[2])).spots) == 2


def test_the_demo_survey_names_its_odd_readings(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    found = findings(stored, surveys.all_surveys(db, 1)[0].value)
    assert found is not None
    odd = [row for row in found.spots if not row.fits]
    assert {row.spot.name for row in odd} == {"At Stylophora", "Top of East pillar"}
    assert all(row.reasons for row in odd)
    assert found.rms[1] < 0.5 * found.rms[0]


def test_fixtures_come_back_from_a_grid_of_the_model(client: TestClient) -> None:
    """Within 3 % in flux and 5 degrees in FWHM; ragged rows are told, watts alone say how unsure they are."""
    for where, share, fwhm in (("open", 0.0, 80.0), ("tank", 0.85, 115.0), ("air", 0.0, 100.0)):
        tank = bench(where, depth=0.5, tank=(0.8, 0.6) if where == "tank" else None, pane=Pane("plain", share))  # type: ignore[arg-type]
        middle = (0.5 * tank.length, 0.5 * tank.width)
        true = replace(usual_emitter("led_cluster", 150.0), x=middle[0], y=middle[1], fwhm=fwhm * DEGREE)
        grid = [
            [middle[0] + x, middle[1] + y, 0.3] for x in np.linspace(-0.3, 0.3, 7) for y in np.linspace(-0.2, 0.2, 5)
        ]
        points = np.array(grid)
        par = np.round(channel_fields(Medium.of(tank), true, points).sum(axis=0))
        found = fit_fixture(tank, replace(true, ppf=90.0, fwhm=110 * DEGREE), points, par)
        assert found.emitter.ppf == pytest.approx(150.0, rel=0.03)
        assert width_at_half(found.emitter.shape()) / DEGREE == pytest.approx(fwhm, abs=5.0)
    asked = {"name": "Mine", "technology": "led_cluster", "watts": "100", "mode": "grid", "readings": "1 2 3\n4 5"}
    answer = client.post("/shelf/fit", data=asked)
    assert answer.status_code == 422
    assert "line 2: has 2 numbers" in answer.text
    one = client.post("/shelf/fit", data=asked | {"mode": "points", "readings": "0 0 15 250"})
    assert "cannot be told apart" in one.text
    plain = client.post("/shelf/fit", data=asked | {"mode": "watts", "readings": ""})
    assert "sure to 40 % at best" in plain.text
    draft = re.search(r'name="draft" value="(\d+)"', plain.text)
    assert draft
    kept = client.post("/shelf/put", data={"draft": draft[1], "name": "Mine", "weight": "", "price": "", "mount": ""})
    assert "Guessed from 100 W" in client.get(kept.headers["location"]).text


@contextmanager
def speaking_meter(db: Database) -> Iterator[tuple[int, SimulatedMeter]]:
    stored = tanks.open_tank(db, 1)
    tank, fixtures = hidden_truth(stored.lit_tank(), stored.setup().hung, 3)
    clock = count(1000)
    medium, seeds = replace(medium_of(stored.lit_tank()), water=tank.water), count(1)

    def made() -> SimulatedMeter:
        return SimulatedMeter(
            medium, fixtures, seed=next(seeds), clock=lambda: next(clock), wait=lambda _: time.sleep(0.002)
        )

    server = MeterServer(0, made)
    Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield server.server_address[1], made()
    finally:
        server.shutdown()
        server.server_close()


def test_the_needle_settles_near_what_the_probe_stands_in(db: Database) -> None:
    """The simulated meter over its socket: medians within 5 % of the hidden light, strays passed over, ends told."""
    with speaking_meter(db) as (port, twin):
        for place in ((0.3, 0.06, 0.15), (0.75, 0.3, 0.2), (1.2, 0.06, 0.5)):
            twin.stand(place)
            light = float(twin._parts.sum())
            needle = asyncio.run(settled(port, place))
            assert needle.settled
            assert needle.middle == pytest.approx(light, rel=0.08)
    with pytest.raises(MeterLost, match="No meter answers"):
        asyncio.run(settled(port, place))


async def settled(port: int, place: tuple[float, float, float]) -> Needle:
    """The needle of a meter when it has settled, or after so many readings."""
    needle = Needle()
    async with aclosing(meter_readings(f"127.0.0.1:{port}", place)) as readings:  # type: ignore[type-var]
        async for par in readings:
            needle.add(par)
            if needle.settled:
                break
    return needle


@pytest.mark.parametrize(
    ("line", "words"),
    [
        (b'{"par": ' + b"9" * 400 + b"}", "a number without end"),
        (b'{"par": ' + b"9" * 5000 + b"}", "no reading"),
        (b'{"par": 1e308}', "a number without end: a reading is from 0 to 5000"),
        (b"[" * 3000, "no reading"),
        (b'{"par": -12.5}', "The meter sends -12 PAR"),
        (b'{"par": NaN}', "a number without end"),
        (b'{"par": true}', "no reading"),
        (b'{"error": "battery low"}', "The meter says: battery low"),
    ],
)
def test_what_is_no_reading_is_told_and_ends_the_stream(client: TestClient, line: bytes, words: str) -> None:
    with a_meter(lambda connection: connection.sendall(line + b"\n")) as address:
        client.app.state.meter = address  # type: ignore[attr-defined]
        answer = client.get("/tanks/1/survey/1/meter?spot=1")
        assert answer.status_code == 200
        assert words in json.loads(answer.text.removeprefix("data: "))["lost"]


def test_a_byte_a_second_runs_out_of_patience_and_listeners_hold_no_thread(monkeypatch: pytest.MonkeyPatch) -> None:
    """Twenty listen at once to a meter that never ends a line: no thread more, and every one is told."""
    monkeypatch.setattr("corlume.devices.meter.PATIENCE", 1.0)

    def slow(connection: socket.socket) -> None:
        for _ in range(40):
            connection.sendall(b" ")
            time.sleep(0.25)

    async def all_at_once(address: str) -> tuple[list[object], int]:
        asked = [asyncio.ensure_future(settled(int(address.rpartition(":")[2]), (0.3, 0.3, 0.2))) for _ in range(20)]
        await asyncio.sleep(0.5)
        threads = sum(not thread.name.startswith("meter") for thread in threading.enumerate())
        return await asyncio.gather(*asked, return_exceptions=True), threads

    with a_meter(slow) as address:
        before = sum(not thread.name.startswith("meter") for thread in threading.enumerate())
        found, threads = asyncio.run(all_at_once(address))
    assert threads == before
    assert {str(one) for one in found} == {"No data from the meter."}


@contextmanager
def a_meter(answer: Callable[[socket.socket], object]) -> Iterator[str]:
    """Something on a loopback socket that answers whoever connects; its address."""
    listener = socket.create_server(("127.0.0.1", 0), backlog=128)

    def one(connection: socket.socket) -> None:
        with connection, suppress(OSError):
            answer(connection)

    def accept() -> None:
        with suppress(OSError):
            while True:
                Thread(target=one, args=(listener.accept()[0],), name="meter", daemon=True).start()

    Thread(target=accept, name="meter", daemon=True).start()
    try:
        yield f"127.0.0.1:{listener.getsockname()[1]}"
    finally:
        listener.shutdown(socket.SHUT_RDWR)
        listener.close()


def test_a_needle_that_climbs_has_not_settled() -> None:
    needle = Needle()
    for k in range(25):
        needle.add(100.0 + 4 * k)
    assert not needle.settled
    for value in [200.0, 203, 198, 201, 900, 199, 202, 200, 201, 199] * 3:
        needle.add(value)
    assert needle.settled
    assert needle.middle == pytest.approx(200.3, abs=1)


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
    token, _ = phone.new_link(db, datetime.datetime.now(datetime.UTC))
    with from_the_network(db) as outside:
        assert outside.get("/tanks").status_code == 403
        assert "Let this device in?" in outside.get(f"/pair/{token}").text
        assert outside.get("/tanks").status_code == 403  # looking at the link pairs nothing
        empty = outside.post(f"/pair/{token}", data={"name": " "})
        assert "Name is empty" in empty.text
        paired = outside.post(f"/pair/{token}", data={"name": "Tank phone"})
        cookie = paired.headers["set-cookie"]
        assert "HttpOnly" in cookie
        assert "SameSite=strict" in cookie
        assert outside.get("/tanks").status_code == 200
        assert outside.post("/phone/link").status_code == 403
        [device] = phone.paired(db)
        stored = db.path.read_bytes()
        assert token.encode() not in stored
        assert re.search(r"corlume_device=([^;]+)", cookie)[1].encode() not in stored  # type: ignore[index]
        phone.shut_out(db, device.id)
        assert outside.get("/tanks").status_code == 403
    with from_the_network(db) as other:
        assert "was used, or is too late" in other.post(f"/pair/{token}", data={"name": "Second"}).text
        for _ in range(25):
            last = other.get("/tanks")
        assert last.status_code == 429
    late, _ = phone.new_link(db, NOW)
    assert phone.pair(db, late, "Late", NOW + datetime.timedelta(minutes=6)) is None
    assert client.get("/phone").status_code == 200


def test_a_paired_phone_does_what_is_done_at_the_tank_and_no_more_until_it_may(
    client: TestClient, db: Database
) -> None:
    """Every route that changes something, tried with a paired phone: few pass, and all do once the keeper allows it."""
    now = datetime.datetime.now(datetime.UTC)
    token = phone.pair(db, phone.new_link(db, now)[0], "Tank phone", now)
    routers = [*BESIDE, *(router for station in STATIONS for router in station.routers)]
    paths = [r.path for router in routers for r in router.routes if isinstance(r, APIRoute) and "POST" in r.methods]
    with from_the_network(db, cookies={"corlume_device": token}) as outside:
        for path in ("/tanks", "/tanks/1/chart", "/tanks/1/corals/round", "/phone"):
            assert outside.get(path).status_code == 200
        assert "Restore" not in outside.get("/tanks").text
        assert outside.get("/backup").status_code == 403
        passed = {path for path in paths if outside.post(re.sub(r"\{[^}]*\}", "1", path)).status_code != 403}
        assert passed == {
            "/preferences", "/pair/{token}", "/tanks/{tank_id}/setups/{setup_id}/light",
            "/tanks/{tank_id}/corals/{coral_id}/try", "/tanks/{tank_id}/survey/{survey_id}/act",
            "/tanks/{tank_id}/survey/{survey_id}/tap", "/tanks/{tank_id}/survey/{survey_id}/spots",
            "/tanks/{tank_id}/survey/{survey_id}/spots/{spot_id}/place", "/tanks/{tank_id}/survey/photos",
            "/tanks/{tank_id}/survey/balance/{survey_id}/shift", "/tanks/{tank_id}/corals/round/{coral_id}",
            "/tanks/{tank_id}/survey/photos/{photo_id}/corners", "/tanks/{tank_id}/survey/photos/{photo_id}/tap",
            "/tanks/{tank_id}/corals/{coral_id}/course/notes",
        }  # fmt: skip
        told = outside.post("/tanks/1/remove")
        assert "Nothing was changed" in told.text
        assert "Tern Skerry" in outside.get("/tanks").text
        [device] = phone.paired(db)
        assert client.post(f"/phone/{device.id}/trust", data={"trusted": "on"}).status_code == 303
        assert outside.post(f"/phone/{device.id}/trust", data={}).status_code == 403
        assert outside.post("/tanks/1/remove").status_code == 303
    with closing(sqlite3.connect(db.path, isolation_level=None)) as other:
        other.execute("BEGIN IMMEDIATE")  # another program writes: who looks is not kept waiting
        assert phone.admitted(db, token or "", now + datetime.timedelta(hours=1))


CORNERS: Quad = ((0.1, 0.2), (0.9, 0.15), (0.95, 0.85), (0.05, 0.8))


def test_homography_is_the_closed_form_and_goes_round() -> None:
    """Heckbert 1989, from memory: the map of the unit square to a quadrilateral has a closed form."""
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = CORNERS
    sx, sy, dx1, dy1, dx2, dy2 = x0 - x1 + x2 - x3, y0 - y1 + y2 - y3, x1 - x2, y1 - y2, x3 - x2, y3 - y2
    g, h = (np.array([sx * dy2 - dx2 * sy, dx1 * sy - sx * dy1]) / (dx1 * dy2 - dx2 * dy1)).tolist()
    told = np.array([[x1 - x0 + g * x1, x3 - x0 + h * x3, x0], [y1 - y0 + g * y1, y3 - y0 + h * y3, y0], [g, h, 1.0]])
    assert homography(UNIT, CORNERS) == pytest.approx(told, abs=1e-9)
    tank = bench("tank", depth=0.5, tank=(1.5, 0.65))
    for view in ("front", "above"):
        photo = Photo("A", view, "-", 1600, 900, CORNERS)  # type: ignore[arg-type]
        for place in ((0.2, 0.1, 0.3), (1.4, 0.6, 0.05)):
            third = place[1] if view == "front" else place[2]
            assert photo.place(tank, *photo.point(tank, place), third) == pytest.approx(place, abs=1e-9)


@pytest.mark.parametrize(
    ("corners", "words"),
    [
        ((CORNERS[0], CORNERS[2], CORNERS[1], CORNERS[3]), "crossed over"),
        (CORNERS[::-1], "in another order"),
        ((CORNERS[0], CORNERS[0], CORNERS[2], CORNERS[3]), "lie on each other"),
        (CORNERS[:3], "must be four"),
    ],
)
def test_corners_that_fix_nothing_are_told(corners: Quad, words: str) -> None:
    with pytest.raises(InvalidInput, match=words):
        Photo("A", "front", "-", 100, 100, corners)


def drawn_photo(form: str) -> bytes:
    picture, out = Image.new("RGB", (1800, 1200), "#3a3f45"), io.BytesIO()
    exif = picture.getexif()
    exif[0x010F] = "SECRET-CAMERA"
    picture.save(out, form, exif=exif)
    return out.getvalue()


@pytest.mark.parametrize("form", ["JPEG", "PNG", "HEIF"])
def test_a_photo_is_made_small_fixed_tapped_and_marked(client: TestClient, db: Database, form: str) -> None:
    files = {"photo": ("a", drawn_photo(form))}
    answer = client.post(f"{HOME}/photos", data={"name": "Front", "view": "front"}, files=files)
    assert answer.status_code == 303, answer.text[:400]
    at = answer.headers["location"]
    picture = client.get(f"{at}/picture").content
    assert b"SECRET-CAMERA" not in picture
    assert Image.open(io.BytesIO(picture)).size == (1600, 1067)
    wrong = json.dumps({"corners": [CORNERS[k] for k in (0, 2, 1, 3)]})
    assert "crossed over" in client.post(f"{at}/corners", content=wrong, headers=JSON).json()["message"]
    assert client.post(f"{at}/corners", content=json.dumps({"corners": CORNERS}), headers=JSON).json()["fixed"]
    survey = surveys.all_surveys(db, 1)[0]
    tank, photo = tanks.open_tank(db, 1).tank, Photo("A", "front", "-", 1600, 1067, CORNERS)
    u, v = photo.point(tank, (0.75, 0.078, 0.1))
    tapped = {"survey": survey.id, "u": u, "v": v, "row": "front", "name": "By a tap"}
    saved = client.post(f"{at}/tap", content=json.dumps(tapped), headers=JSON).json()["saved"]
    assert surveys.open_survey(db, 1, survey.id).spot(saved).value.place == pytest.approx((0.75, 0.078, 0.1), abs=2e-3)
    assert 'class="photo-mark read"' in client.get(at).text
    marked = client.get(f"{at}/marked.png?survey={survey.id}")
    assert Image.open(io.BytesIO(marked.content)).format == "PNG"


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "No photo was chosen"),
        (b"no picture", "is not a PNG, JPEG or HEIC image"),
        (b"x" * 30_000_000, "30.0 MB, at most"),
    ],
)
def test_photos_that_are_none_are_told(client: TestClient, data: bytes, words: str) -> None:
    answer = client.post(f"{HOME}/photos", data={"name": "Front", "view": "front"}, files={"photo": ("a.jpg", data)})
    assert answer.status_code == 422
    assert words in answer.text
    assert 'value="Front"' in answer.text

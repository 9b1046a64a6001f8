"""The survey as keepers walk it: planned, read, put right, brought in, judged, taken into use."""

from __future__ import annotations

import datetime
import json
import re
import sqlite3
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.judging.targets import LightTargets
from corlume.core.keeping.scene import Running
from corlume.core.light.field import Medium, channel_fields
from corlume.core.light.geometry import Pane, Tank
from corlume.core.light.lobe import RingLobe, width_at_half
from corlume.core.survey.fixture_estimate import bench, estimate_fixture, usual_emitter
from corlume.core.units import DEGREE
from corlume.formats.file_faults import BadFile
from corlume.formats.round_steps import STEPS
from corlume.formats.survey_table import read_survey, write_survey
from corlume.services.judging.judge import verdicts_in_doubt
from corlume.services.keeping import hung_fixtures, phone_pairing, setups, surveys, tanks
from corlume.services.light.fields import par_at
from corlume.services.light.points import PlaneSpec, WaterPoint
from corlume.services.light.uncertainty import uncertainty_at
from corlume.services.survey import balance_rounds
from corlume.services.survey.survey_results import survey_results_of
from corlume.store.database import Database
from tests.keeping.test_phone import from_the_network

HOME = "/tanks/1/survey"
NEW = {"name": "Evening", "day": "2026-11-20", "pumps": "on", "meter": "", "immersion": "1", "count": "8"}
JSON = {"content-type": "application/json"}


def planned(client: TestClient, **typed: str) -> str:
    answer = client.post(HOME, data={**NEW, **typed})
    assert answer.status_code == 303, answer.text[:500]
    return str(answer.headers["location"])


def act(client: TestClient, home: str, **what: Any) -> Any:
    return client.post(f"{home}/act", content=json.dumps(what), headers=JSON)


def test_a_reading_by_phone_reads_the_tank_once_in_under_seventeen_statements(
    db: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """From the request of a paired phone on the network to what is done after its answer."""
    survey = surveys.all_surveys(db, 1)[0]
    said, connect = list[str](), sqlite3.connect

    def listened(*given: Any, **more: Any) -> sqlite3.Connection:
        connection = connect(*given, **more)
        connection.set_trace_callback(said.append)
        return connection

    token = phone_pairing.new_link(db, datetime.datetime.now(datetime.UTC))[0]
    with from_the_network(db) as phone:
        phone.post(f"/pair/{token}", data={"name": "Tank phone"})
        phone.get(f"/tanks/1/survey/{survey.id}/take")
        act = {"act": "read", "spot": survey.spots[0].id, "par": 150, "at": 9, "time": "20:15"}
        for par in (150, 160):
            monkeypatch.setattr("corlume.store.database.sqlite3.connect", listened)
            said.clear()
            answer = phone.post(f"/tanks/1/survey/{survey.id}/act", json=act | {"par": par})
            assert answer.json()["readings"][-1] == par
        assert len(said) < 17, said
        assert sum("FROM tanks" in one for one in said) == 1


def test_a_survey_is_planned_read_judged_used_and_undone(client: TestClient, db: Database) -> None:
    """Readings of a tank whose left module gives 70 %: it is found, and every page follows it until it is undone."""
    home = planned(client, count="20")
    survey_id = int(home.rpartition("/")[2])
    stored = tanks.open_tank(db, 1)
    west, *rest = stored.setup().hung
    dim = [replace(west, measured=0.7), *rest]
    before = client.get("/tanks/1/par-map").text
    spots = surveys.open_survey(db, 1, survey_id).spots
    par = par_at(stored.lit_tank(), dim, np.array([kept.value.place for kept in spots]))
    for kept, value in zip(spots, par.tolist(), strict=True):
        assert act(client, home, act="read", spot=kept.id, par=round(value, 1), at=0).status_code == 200
    page = client.get(home).text
    assert re.search(r"[67]\d % of its figure", page)
    assert client.post(f"{home}/use").status_code == 303
    assert (
        tanks.steps(db, 1).undo
        == f"apply correction of {surveys.open_survey(db, 1, int(home.rpartition('/')[2])).value.name}"
    )
    used = tanks.open_tank(db, 1)
    assert used.setup().hung[0].measured == pytest.approx(0.7, abs=0.04)
    assert "PAR corrected" in client.get("/tanks/1/par-map").text
    place = WaterPoint(0.32, 0.37, 0.14)
    probe = np.array([[place.x, place.y, place.depth]])
    assert par_at(used.lit_tank(), used.setup().hung, probe) == pytest.approx(
        par_at(stored.lit_tank(), dim, probe), rel=0.05
    )
    # the whole record goes through a file and reads as the same light
    again = tanks.import_tank(db, tanks.export_tank(db, 1).encode())
    other = tanks.open_tank(db, again)
    assert par_at(other.lit_tank(), other.setup().hung, probe) == pytest.approx(
        par_at(used.lit_tank(), used.setup().hung, probe), rel=1e-4
    )
    # sure of much more than before, and in doubt about fewer grades
    told, spec = stored.lit_tank(), PlaneSpec("point", place)
    unsure, sure = (
        uncertainty_at(told, stored.setup().hung, spec, None),
        uncertainty_at(told, used.setup().hung, spec, used.survey),
    )
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
        rounds = balance_rounds.rounds(db, stored, "Balance 1", "", STEPS["cm"])
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
    [(0, "more than 0"), (-5, "more than 0"), (65535, "past its range"), (200000, "must be from 0.1 to 5000")],
)
def test_numbers_that_are_no_reading_are_told(client: TestClient, db: Database, par: float, words: str) -> None:
    home = planned(client)
    spot = surveys.open_survey(db, 1, int(home.rpartition("/")[2])).spots[0].id
    answer = act(client, home, act="read", spot=spot, par=par, at=0)
    assert answer.status_code == 422
    assert words in answer.json()["message"]


def test_a_lamp_that_is_out_is_said_first_with_what_to_check(client: TestClient, db: Database) -> None:
    """Readings of a tank whose middle module is out: the page names it first, the others stay as they are, the
    correction follows it, and its readings are not called odd.
    """
    home = planned(client, count="12")
    survey_id = int(home.rpartition("/")[2])
    stored = tanks.open_tank(db, 1)
    west, middle, *rest = stored.setup().hung
    out = [west, replace(middle, measured=0.001), *rest]
    kept = surveys.open_survey(db, 1, survey_id)
    par = par_at(stored.lit_tank(), out, np.array([spot.value.place for spot in kept.spots]))
    for spot, value in zip(kept.spots, par.tolist(), strict=True):
        act(client, home, act="read", spot=spot.id, par=max(0.5, round(value, 1)), at=0)
    page = client.get(home).text
    words = page[page.index("<h2>Results</h2>") :]
    assert words.index("B (LED cluster, middle) seems off: it gives 0 to") < words.index("Readings differ")
    assert "plug and driver" in words
    assert "electrician" in words
    found = survey_results_of(stored, surveys.open_survey(db, 1, survey_id).value)
    assert found is not None
    assert found.correction.output(middle.name, middle.emitter) < 0.08
    assert found.correction.output(west.name, west.emitter) == pytest.approx(1.0, abs=0.12)
    assert sum(not row.fits for row in found.spots) <= 1
    assert client.post(f"{home}/use").status_code == 303
    used, place = tanks.open_tank(db, 1), np.array([[0.75, 0.37, 0.2]])
    assert par_at(used.lit_tank(), used.setup().hung, place) == pytest.approx(
        par_at(stored.lit_tank(), out, place), rel=0.15
    )


def test_a_number_in_lux_is_offered_conversion_up_to_sunlight(client: TestClient, db: Database) -> None:
    home = planned(client)
    survey_id = int(home.rpartition("/")[2])
    spot = surveys.open_survey(db, 1, survey_id).spots[0].id
    told = act(client, home, act="read", spot=spot, par=110_000, at=0).json()
    assert told["lux"] == 110_000
    assert "it would be 2000" in told["word"]
    assert surveys.open_survey(db, 1, survey_id).spot(spot).value.readings == ()
    act(client, home, act="lux", spot=spot, par=told["lux"])
    kept = surveys.open_survey(db, 1, survey_id).spot(spot).value
    assert kept.readings == (2000.0,)
    assert "110000 lux" in kept.note


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
    found = survey_results_of(stored, surveys.all_surveys(db, 1)[0].value)
    assert found is not None
    odd = [row for row in found.spots if not row.fits]
    assert {row.spot.name for row in odd} == {"At Stylophora", "Top of East island"}
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
        found = estimate_fixture(tank, replace(true, ppf=90.0, fwhm=110 * DEGREE), points, par)
        assert found.emitter.ppf == pytest.approx(150.0, rel=0.03)
        assert width_at_half(found.emitter.shape()) / DEGREE == pytest.approx(fwhm, abs=5.0)
    # two beams, learned over a small tank with 3 % of noise, predict another tank within 8 %; panes told as clear as
    # can be are no trouble
    tank = bench("tank", depth=0.2, tank=(0.6, 0.45), pane=Pane("glass", 1.0))
    two = RingLobe(((0.6, 50 * DEGREE), (0.4, 120 * DEGREE)))
    true = replace(usual_emitter("led_cluster", 150.0), x=0.3, y=0.225, lobe=two)
    points = np.array([(x, y, 0.2) for x in np.linspace(0.05, 0.55, 7) for y in np.linspace(0.04, 0.41, 5)])
    par = channel_fields(Medium.of(tank), true, points).sum(axis=0)
    par *= np.exp(np.random.default_rng(1).normal(0, 0.03, len(par)))
    learned = estimate_fixture(tank, replace(true, ppf=90.0, lobe=None), points, par).emitter
    other = Medium.of(bench("tank", depth=0.45, tank=(0.9, 0.5), pane=Pane("plain", 0.3)))
    there = np.random.default_rng(5).uniform((0.05, 0.05, 0.08), (0.85, 0.45, 0.42), (80, 3))
    told, hung = (
        channel_fields(other, replace(e, x=0.45, y=0.25, height=0.18), there).sum(axis=0) for e in (learned, true)
    )
    assert np.sqrt(np.mean((told / hung - 1) ** 2)) < 0.08
    asked = {"name": "Mine", "technology": "led_cluster", "watts": "100", "mode": "grid", "readings": "1 2 3\n4 5"}
    answer = client.post("/fixtures/fit", data=asked)
    assert answer.status_code == 422
    assert "line 2: has 2 numbers" in answer.text
    one = client.post("/fixtures/fit", data=asked | {"mode": "points", "readings": "0 0 15 250"})
    assert "cannot separate" in one.text
    plain = client.post("/fixtures/fit", data=asked | {"mode": "watts", "readings": ""})
    assert "sure to 35 % at best" in plain.text
    draft = re.search(r'name="draft" value="(\d+)"', plain.text)
    assert draft
    kept = client.post(
        "/fixtures/put", data={"draft": draft[1], "name": "Mine", "weight": "", "price": "", "mount": ""}
    )
    assert "Guessed from 100 W" in client.get(kept.headers["location"]).text


def test_more_surveys_and_points_than_a_tank_holds_are_refused(db: Database) -> None:
    first = surveys.all_surveys(db, 1)[0]
    with pytest.raises(InvalidInput, match="would be 301"):
        surveys.add_surveys(db, 1, [first.value] * 300, "too many")
    point = first.spots[0].value
    many = [replace(point, name=f"P{k}") for k in range(200 - len(first.spots))]
    surveys.import_points(db, 1, first.id, many)
    for add in (
        lambda: surveys.add_point(db, 1, first.id, point),
        lambda: surveys.import_points(db, 1, first.id, [point]),
    ):
        with pytest.raises(InvalidInput, match="200"):
            add()
    assert len(surveys.open_survey(db, 1, first.id).spots) == 200

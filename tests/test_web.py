"""The pages without a browser: what a keeper gets back for good input, bad input and hostile input."""

from __future__ import annotations

import html
import json
import re
import time
from pathlib import Path

import pytest
from starlette.testclient import TestClient

from corlume.core.light.geometry import Rock
from corlume.services.keeping import fixture_library, tanks
from corlume.services.light.kernels import Kernels
from corlume.settings import Settings
from corlume.store.database import Database
from corlume.web.app import create_app
from tests.light.test_photometry import GOOD

SCENES = Path(__file__).parent / "scenes"
NEW = {
    "name": "Cellar", "length": "90", "width": "45", "water_depth": "42", "rim_height": "3", "rim_inset": "0",
    "room_height": "80", "sand": "3", "sand_flow": "", "sand_albedo": "30", "rock_albedo": "10",
    "cover": "100", "attenuation": "0.06", "kind": "plain", "index": "1.34", "temperature": "25", "salinity": "35",
    "cdom_absorption": "0.05", "ripple": "still",
    "stocking": "lps", "school": "strict",
    "left_pane": "used", "right_pane": "used", "front_pane": "own", "front_return": "62", "front_kind": "plain",
    "back_pane": "dark", "hours": "9", "price": "0.3", "currency": "EUR",
}  # fmt: skip
CARD = {
    "name": "Own", "group": "soft", "par_low": "75", "par_high": "90", "flow": "low", "aggression": "peaceful",
    "sweepers": "0", "size": "9",
}  # fmt: skip
PROBE = {"x": 0.5, "y": 0.3, "depth": 0.2}


def draft(client: TestClient, path: str, changes: dict[int, dict[str, object]], **more: object):  # type: ignore[no-untyped-def]
    return client.post(f"/tanks/1/setups/1/{path}", json={"probe": PROBE, "changes": changes, **more})


@pytest.mark.parametrize(
    "path",
    [
        "/tanks",
        "/fixtures",
        "/tanks/new",
        "/tanks/1",
        "/tanks/1/par-map",
        "/tanks/1/light-types",
        "/tanks/1/corals?coral=3",
    ],
)
def test_pages_answer_with_strict_headers(client: TestClient, path: str) -> None:
    answer = client.get(path)
    assert answer.status_code == 200
    policy = answer.headers["content-security-policy"]
    assert "default-src 'none'" in policy
    assert "unsafe" not in policy


@pytest.mark.parametrize("path", ["/nowhere", "/tanks/99", "/tanks/99/par-map", "/tanks/x", "/tanks/1/par-map?setup=77",
                                  "/tanks/1/corals?coral=99", "/static/none.css"])  # fmt: skip
def test_unknown_ids_get_a_page_of_our_own(client: TestClient, path: str) -> None:
    answer = client.get(path)
    assert answer.status_code == 404
    assert "Nothing here" in answer.text
    assert "/static/app.css" in answer.text


def test_new_tank_from_a_short_form(client: TestClient, db: Database) -> None:
    answer = client.post("/tanks/new", data=NEW)
    assert answer.status_code == 303
    stored = tanks.open_tank(db, 2)
    assert (stored.tank.length, stored.tank.front.factor) == (pytest.approx(0.9), pytest.approx(0.62))
    assert (stored.targets.stocking, stored.targets.sps_low) == ("lps", 250)
    assert "No fixtures" in client.get(answer.headers["location"]).text


def test_new_tank_in_inches(client: TestClient, db: Database) -> None:
    client.cookies.set("unit", "in")
    assert (
        client.post(
            "/tanks/new", data={**NEW, "length": "36", "room_height": "30", "width": "45 cm", "water_depth": "17"}
        ).status_code
        == 303
    )
    assert tanks.open_tank(db, 2).tank.length == pytest.approx(0.9144)
    assert tanks.open_tank(db, 2).tank.width == pytest.approx(0.45)


@pytest.mark.parametrize(
    ("field", "text", "message"),
    [
        ("length", "wide", "Length is not a number"),
        ("length", "-90", "Length must be from 10 cm to 500 cm, not -90 cm"),
        ("length", "0", "Length must be from 10 cm to 500 cm, not 0 cm"),
        ("length", "10 m", "Length must be from 10 cm to 500 cm, not 1000 cm"),
        ("width", "", "Width is empty"),
        ("front_return", "140", "Reflectance must be from 0 % to 100 %, not 140 %"),
        ("name", "", "Name is empty"),
        ("price", "nan", "Electricity is not a number"),
    ],
)
def test_bad_field_is_named_and_everything_typed_is_kept(
    client: TestClient, field: str, text: str, message: str
) -> None:
    answer = client.post("/tanks/new", data={**NEW, "currency": "doubloon", field: text})
    if field == "price":
        answer = client.post("/tanks/1", data={**NEW, "price": text, **dict.fromkeys(("lps_low",), "100")})
    assert answer.status_code == 422
    assert message in answer.text
    assert f'value="{text}"' in answer.text
    assert 'value="42"' in answer.text


def test_tank_form_round_trips_and_school_gives_way_to_own_limits(client: TestClient, db: Database) -> None:
    before = tanks.open_tank(db, 1)
    same = NEW | {
        "lps_low": "75", "lps_high": "150", "sps_low": "200", "sps_high": "350", "ceiling": "500",
        "name": before.name, "length": "150", "width": "65", "water_depth": "56", "rim_height": "4", "price": "0.31",
        "room_height": "75", "sand": "4", "sand_flow": "", "stocking": "mixed", "school": "moderate",
        "kind": "sea", "temperature": "25.5", "cdom_absorption": "0.06", "ripple": "in-use",
        "left_pane": "algae", "right_pane": "algae", "front_pane": "used",
    }  # fmt: skip
    assert client.post("/tanks/1", data=same).status_code == 303
    assert tanks.open_tank(db, 1) == before
    assert client.post("/tanks/1", data={**same, "sps_low": "220"}).status_code == 303
    assert tanks.open_tank(db, 1).targets.school == "own"
    assert client.post("/tanks/1", data={**same, "school": "strict"}).status_code == 303
    assert tanks.open_tank(db, 1).targets.sps_low == 250
    shrunk = client.post("/tanks/1", data={**same, "length": "100"})
    assert shrunk.status_code == 422
    assert "x must be from 0 cm to 100 cm" in shrunk.text


def test_saving_rounded_inches_moves_nothing(client: TestClient, db: Database) -> None:
    client.cookies.set("unit", "in")
    tanks.save_rock(db, 1, None, Rock(0.1234, 0.05, 0.0, 0.2, 0.1, 0.12, "Spur"))
    before = tanks.open_tank(db, 1)
    starts = (
        ("/tanks/1", '<form method="post" class="sheet-form"'),
        ("/tanks/1/rocks/1", 'tanks/1/rocks/1" class'),
        ("/tanks/1/natural-rocks/1", 'natural-rocks/1" class'),
    )
    for path, start in starts:
        form = client.get("/tanks/1").text.split(start)[1].split("</form>")[0]
        shown = dict(re.findall(r'name="(\w+)"[^>]*? value="([^"]*)"', form))
        for name, options in re.findall(r'<select id="[^"]+" name="(\w+)"(.*?)</select>', form, re.S):
            shown[name] = re.findall(r'value="([^"]*)" selected', options)[0]
        assert shown.get("length") != "150"
        assert client.post(path, data=shown).status_code == 303
    assert tanks.open_tank(db, 1) == before


def test_rock_and_brace_forms_keep_what_was_typed(client: TestClient, db: Database) -> None:
    rock = {
        "name": "Spur",
        "x": "5",
        "y": "5",
        "base": "0",
        "length": "20",
        "width": "10",
        "height": "12",
        "flow": "high",
    }
    assert client.post("/tanks/1/rocks", data=rock).status_code == 303
    assert tanks.open_tank(db, 1).rocks[-1].value.name == "Spur"
    bad = client.post("/tanks/1/rocks", data={**rock, "name": "Overlong", "length": "190"})
    assert bad.status_code == 422
    assert "reaches to 195 cm from the left pane" in bad.text
    assert 'value="Overlong"' in bad.text
    assert client.post("/tanks/1/braces", data={"x": "40", "y": "0", "length": "-5", "width": "65"}).status_code == 422
    assert client.post("/tanks/1/braces", data={"x": "40", "y": "0", "length": "5", "width": "65"}).status_code == 303


def test_import_takes_an_example_and_refuses_rubbish_whole(client: TestClient, db: Database) -> None:
    good = (SCENES / "two-modules.json").read_bytes()
    assert client.post("/tanks/import", files={"file": ("a.json", good)}).status_code == 303
    for rubbish, message in (
        (b"{", "is not JSON"),
        (good.replace(b"121.92", b"0"), "tank.length_cm"),
        (b"\xff\xfe", "UTF-8"),
    ):
        answer = client.post("/tanks/import", files={"file": ("a.json", rubbish)})
        assert answer.status_code == 422
        assert message in answer.text
    assert "No file was chosen" in client.post("/tanks/import", files={}, data={"x": "y"}).text
    assert client.post("/tanks/import", files={"file": ("a.json", b" " * 61_000_000)}).status_code == 413
    assert len(tanks.all_tanks(db)) == 2
    assert json.loads(client.get("/tanks/2/export").text)["tank"]["name"] == "Two modules over four feet"


def test_draft_moves_light_without_storing(client: TestClient, db: Database) -> None:
    before = tanks.open_tank(db, 1)
    still, moved = draft(client, "light", {}), draft(client, "light", {1: {"x": 0.6}})
    assert still.json()["light-plan"] != moved.json()["light-plan"]
    assert tanks.open_tank(db, 1) == before


def test_overlapping_fixtures_are_said_on_the_chart(client: TestClient) -> None:
    assert "overlap.</b>" not in client.get("/tanks/1/par-map").text
    answer = draft(client, "fixtures", {1: {"x": 0.75, "y": 0.37}})
    assert "A and B overlap" in answer.json()["notes"]


def test_typed_dimension_moves_all_that_share_it_in_one_undo(client: TestClient, db: Database) -> None:
    answer = draft(client, "fixtures", {1: {"height": "12 in"}, 2: {"height": "12 in"}})
    assert answer.json()["undo"] == "move 2 fixtures"
    assert [f.value.emitter.height for f in tanks.open_tank(db, 1).setup().fixtures[:2]] == [pytest.approx(0.3048)] * 2
    client.post("/tanks/1/undo", data={"back": "/tanks/1/par-map"})
    assert tanks.steps(db, 1).undo is None


@pytest.mark.parametrize(
    ("change", "field", "message"),
    [
        ({"height": "abc"}, "height", "is not a number"),
        ({"height": "-4"}, "height", "is under water"),
        ({"height": "300"}, "height", "is outside the room: 300 cm above the water"),
        ({"x": 9.0}, "x", "is outside the room"),
        ({"output": "140"}, "output", "must be from 0 % to 100 %, not 140 %"),
        ({"fwhm": "200"}, "fwhm", "must be from 10 degrees to 170 degrees"),
        ({"ppf": "{}"}, "ppf", "is not a number"),
    ],
)
def test_bad_change_is_refused_by_field(
    client: TestClient, change: dict[str, object], field: str, message: str
) -> None:
    answer = draft(client, "fixtures", {1: change})
    assert answer.status_code == 422
    assert message in answer.json()["errors"][field]


@pytest.mark.parametrize("body", [b"{", b"[]", b'{"probe": {"x": 9, "y": 0, "depth": 0}}', b'{"probe": {"x": NaN}}'])
def test_broken_request_gets_an_answer_in_json(client: TestClient, body: bytes) -> None:
    answer = client.post("/tanks/1/setups/1/light", content=body, headers={"content-type": "application/json"})
    assert answer.status_code == 422
    assert answer.json()["message"]


def test_posts_from_other_sites_and_to_other_names_are_refused(client: TestClient, db: Database) -> None:
    for headers in (
        {"sec-fetch-site": "cross-site"},
        {"origin": "http://evil.example"},
        {"sec-fetch-site": "same-site"},
    ):
        assert client.post("/tanks/1/remove", headers=headers).status_code == 403
    assert client.get("/tanks", headers={"host": "evil.example"}).status_code == 400
    assert len(tanks.all_tanks(db)) == 1
    assert client.post("/tanks/1/remove", headers={"origin": "http://127.0.0.1"}).status_code == 303
    assert client.post("/preferences", data={"back": "//evil.example", "unit": "in"}).headers["location"] == "/tanks"


def test_names_are_escaped_everywhere(client: TestClient, db: Database) -> None:
    evil = "<script>alert(1)</script>"
    assert client.post("/tanks/new", data={**NEW, "name": evil}).status_code == 303
    fixture = client.post("/tanks/2/setups/4/add", data={"entry": "bar"}).headers["location"].split("=")[-1]
    client.post("/tanks/2/setups/4/fixtures", json={"probe": PROBE, "changes": {fixture: {"name": evil + '"x'}}})
    client.post("/tanks/2/corals/add", data={"card": "Zoanthus"})
    fields = {
        "name": evil,
        "group": "soft",
        "par_low": "75",
        "par_high": "90",
        "flow": "low",
        "aggression": "peaceful",
        "sweepers": "0",
        "size": "9",
    }
    assert client.post("/tanks/2/corals/26/card", data=fields).status_code == 303
    assert tanks.open_tank(db, 2).setup().fixtures[0].value.name.startswith(evil)
    for path in ("/tanks", "/tanks/2", "/tanks/2/par-map", "/tanks/2/corals?coral=26"):
        assert "<script>alert" not in client.get(path).text


def test_coral_card_faults_stay_by_their_fields(client: TestClient) -> None:
    fields = {
        "name": "",
        "group": "soft",
        "par_low": "90",
        "par_high": "x",
        "flow": "low",
        "aggression": "peaceful",
        "sweepers": "0",
        "size": "900",
    }
    answer = client.post("/tanks/1/corals/3/card", data=fields)
    assert answer.status_code == 422
    assert "Light to is not a number" in answer.text
    assert 'value="900"' in answer.text


def test_setups_are_copied_used_renamed_and_removed(client: TestClient, db: Database) -> None:
    copy = client.post("/tanks/1/setups/1/copy").headers["location"]
    setup_id = int(copy.split("=")[1])
    assert len(tanks.open_tank(db, 1).setup(setup_id).fixtures) == 3
    client.post(f"/tanks/1/setups/{setup_id}/rename", data={"name": "Raised"})
    client.post(f"/tanks/1/setups/{setup_id}/use")
    assert tanks.open_tank(db, 1).setup().name == "Raised"
    assert client.post(f"/tanks/1/setups/{setup_id}/remove").status_code == 422
    assert client.post("/tanks/1/setups/1/remove").status_code == 303
    assert len(tanks.open_tank(db, 1).setups) == 3


def test_photometry_file_becomes_a_fixture_that_can_hang(client: TestClient, db: Database) -> None:
    upload = {"file": ("a.ies", GOOD.encode())}
    plain = {"technology": "led_bar", "light": "", "ppf": "", "dimmable": "on"}
    before = len(fixture_library.entries(db))
    needs = client.post("/fixtures/import", files=upload, data=plain)
    assert needs.status_code == 422
    assert "PPF is needed: the file gives" in needs.text
    assert "PPF is not a number" in client.post("/fixtures/import", files=upload, data={**plain, "ppf": "lots"}).text
    broken = {"file": ("a.ies", GOOD[:150].encode())}
    assert "the file ends before" in client.post("/fixtures/import", files=broken, data={**plain, "ppf": "90"}).text
    assert "No file was chosen" in client.post("/fixtures/import", files={}, data=plain).text
    assert (
        client.post("/fixtures/import", files=upload, data={**plain, "technology": "torch", "ppf": "9"}).status_code
        == 422
    )
    seen = client.post("/fixtures/import", files=upload, data={**plain, "light": "daylight"})
    assert "lm taken as daylight" in seen.text
    assert "across" in seen.text
    assert len(fixture_library.entries(db)) == before  # looking keeps nothing
    found = {key: html.unescape(value) for key, value in re.findall(r'name="(draft)" value="([^"]*)"', seen.text)}
    heavy = client.post("/fixtures/put", data={**found, "weight": "much", "price": "", "name": "Test strip"})
    assert heavy.status_code == 422
    assert "is not a number" in heavy.text
    assert "bring the file in again" in client.post("/fixtures/put", data={"draft": "999"}).text
    sheet = client.post("/fixtures/put", data={**found, "weight": "1.2", "price": "99"}).headers["location"]
    text = client.get(sheet).text
    assert "1.2 kg" in text
    assert "lm taken as daylight" in text
    client.post("/tanks/1/setups/1/add", data={"entry": sheet.split("/")[-1]})
    hung = tanks.open_tank(db, 1).setup(1).fixtures[-1].value
    assert (hung.name, hung.emitter.technology) == ("Test strip", "led_bar")
    assert hung.emitter.lobe is not None
    assert client.get("/tanks/1/par-map?setup=1").status_code == 200
    assert client.get(f"{sheet}/lm63").text.startswith("IES:LM-63-2019")
    assert client.post(f"{sheet}/remove").status_code == 303
    assert client.get(sheet).status_code == 404
    client.post("/fixtures/undo", data={})
    assert client.get(sheet).status_code == 200
    exported = client.get("/tanks/1/export").content
    assert client.post("/tanks/import", files={"file": ("a.json", exported)}).status_code == 303
    assert tanks.open_tank(db, 2).setup().fixtures[-1].value.emitter.ppf == hung.emitter.ppf


@pytest.mark.parametrize("key", ["cluster", "hybrid-120", "cluster-rings", "halide-400", "pc-55"])
def test_every_kind_of_fixture_has_a_sheet(client: TestClient, key: str) -> None:
    text = client.get(f"/fixtures/{key}").text
    assert "µmol/J" in text
    assert "Alone over open water" in text
    assert client.get(f"/fixtures/{key}/lm63").status_code == 200
    assert client.get("/fixtures/none-such").status_code == 404


def test_pages_say_that_the_kernels_are_compiled_until_they_are(db: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("corlume.web.request.until_ready.SOON", 0.1)
    kernels = Kernels()
    kernels.step = "2 of 3: levels of fixtures"
    with TestClient(create_app(db, Settings(), kernels=kernels), base_url="http://127.0.0.1") as early:
        page = early.get("/tanks/1/par-map")
        assert page.status_code == 503
        assert page.headers["refresh"] == "2"
        assert "Step 2 of 3: levels of fixtures." in page.text
        assert "compiled once" in early.post("/tanks/1/par-map/light", json={}).json()["message"]
        assert early.get("/static/mark.svg").status_code == 200
        kernels.begin(lambda _: None)
        while not kernels.ready:
            time.sleep(0.05)
        assert early.get("/tanks").status_code == 200

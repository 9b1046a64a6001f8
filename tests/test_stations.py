"""The shell: a station of the keeper's feeding, made up here alone, and the setup that is looked at on every page."""

from __future__ import annotations

import datetime
import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated

import pytest
from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response
from fastapi.testclient import TestClient
from jinja2 import ChoiceLoader, DictLoader

from corlume.core.light.geometry import Rock
from corlume.core.schema import Choice, Day, Text, Time, Whole, limits
from corlume.formats.measure import Measure
from corlume.services.keeping import setups, tanks
from corlume.settings import Settings
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import Table
from corlume.web.app import create_app
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.forms.tank import tank_fields
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, page, templates
from corlume.web.stations import STATIONS, Station
from tests.conftest import Pages

FOODS = {"flake": "Flake", "frozen": "Frozen"}


@dataclass(frozen=True, slots=True)
class Feeding:
    """What was given, and when."""

    day: Annotated[datetime.date, Day("Day")]
    at: Annotated[datetime.time, Time("Time")]
    food: Annotated[str, Choice("Food", FOODS)]
    cubes: Annotated[int, Whole("Cubes", 1, 40)]
    note: Annotated[str, Text("Note", 500)] = ""

    def __post_init__(self) -> None:
        limits(self).finish()


SQL = (
    "CREATE TABLE feedings (id INTEGER PRIMARY KEY, tank_id INTEGER NOT NULL REFERENCES tanks (id), day TEXT NOT NULL,\
 at TEXT NOT NULL, food TEXT NOT NULL, cubes INTEGER NOT NULL, note TEXT NOT NULL) STRICT"
)
FEEDINGS = Table("feedings", Feeding, "feeding")
FIRST = Feeding(datetime.date(2026, 11, 25), datetime.time(20), "flake", 1)
PAGE = """{% extends "base.html" %}{% from "parts/field.html" import ask, ask_rows %}{% set station = "feed" %}
{% block main %}<h1>Feeding</h1>
{% for kept in feedings %}<p>{{ kept.value.cubes }} {{ kept.value.food }} {{ kept.value.note }}</p>{% endfor %}
<form method="post" action="{{ along("/tanks/%d/feed"|format(stored.id)) }}">{{ ask_rows(rows, "feedings") }}
<button>Keep</button></form>{% endblock %}"""
router = APIRouter(prefix="/tanks/{tank_id}/feed")


@router.get("")
def feed(request: Request, db: Db, measure: Unit, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    return show(request, db, Form(shown_values(FIRST, measure, "feedings.0."), measure), tank_id, setup)


@router.post("")
def keep(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    form = Form(data, measure)
    rows = form.rows(Feeding, "feedings")
    if rows is None or not form.ok:
        return show(request, db, form, tank_id, setup, status=422)
    with db.writing() as connection:
        edit = Edit(connection, tank_scope(tank_id), f"feed {len(rows)} times")
        for row in rows:
            FEEDINGS.insert(edit, row, tank_id)
    return go(f"/tanks/{tank_id}/feed", setup)


def show(
    request: Request, db: Database, form: Form, tank_id: int, setup: int | None, status: int = 200
) -> HTMLResponse:
    stored = tanks.open_tank(db, tank_id)
    with db.reading() as connection:
        feedings = FEEDINGS.load(connection, tank_id)
    rows = [asked(Feeding, form.data, form.errors, form.measure, prefix) for prefix in form.prefixes("feedings")]
    context = {"stored": stored, "feedings": feedings, "rows": rows}
    return page(request, "feed.html", context, tank=stored, setup=stored.setup(setup), status=status)


@pytest.fixture
def fed(db: Database) -> Iterator[TestClient]:
    """The application with one more station."""
    with db.writing() as connection:
        connection.execute(SQL)
    loader = templates.env.loader
    templates.env.loader = ChoiceLoader([DictLoader({"feed.html": PAGE}), loader])  # type: ignore[list-item]
    app = create_app(db, Settings(), [*STATIONS, Station("feed", "Feed", "/feed", (router,))])
    yield Pages(app, base_url="http://127.0.0.1", follow_redirects=False)
    templates.env.loader = loader


def row(number: int, **values: str) -> dict[str, str]:
    given = {"day": "2026-11-25", "at": "20:15", "food": "frozen", "cubes": "2", "note": "", **values}
    return {f"feedings.{number}.{name}": value for name, value in given.items()}


def test_made_up_station_has_its_table_undo_form_and_page(fed: TestClient, db: Database) -> None:
    blank = dict.fromkeys(row(1), "")
    assert (
        fed.post("/tanks/1/feed", data={**row(0, note="First\r\nsecond"), **blank, **row(2, cubes="5")}).status_code
        == 303
    )
    with db.reading() as connection:
        [first, second] = FEEDINGS.load(connection, 1)
    assert first.value == Feeding(datetime.date(2026, 11, 25), datetime.time(20, 15), "frozen", 2, "First\nsecond")
    assert second.value.cubes == 5
    shown = fed.get("/tanks/1/feed").text
    assert f'href="/tanks/1/feed" accesskey="{(len(STATIONS) + 1) % 10}" aria-current="page">Feed' in shown
    assert "Undo: feed 2 times" in shown
    assert tanks.undo(db, 1) == "feed 2 times"
    with db.reading() as connection:
        assert FEEDINGS.load(connection, 1) == ()


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        ({"day": "31/12/2026"}, "Day is in another order: &#34;31/12/2026&#34;. Type it as year-month-day: 2026-12-31"),
        ({"day": "5/6/2026"}, "2026-06-05 or 2026-05-06"),
        ({"at": "8 pm"}, "Time is not a time of day"),
        ({"cubes": "2.5"}, "Cubes must be a whole number, not 2.5"),
        ({"cubes": "90"}, "Cubes must be from 1 to 40, not 90"),
        ({"food": "hope"}, "Food is not one of those offered"),
        ({"note": "x" * 501}, "Note has 501 characters, and at most 500 are kept"),
    ],
)
def test_one_wrong_row_is_told_by_its_field_and_nothing_is_lost(
    fed: TestClient, db: Database, wrong: dict[str, str], words: str
) -> None:
    [name] = wrong
    answer = fed.post("/tanks/1/feed", data={**row(0, note="Kept as typed"), **row(1, **wrong)})
    assert answer.status_code == 422
    assert words in answer.text
    assert f'id="feedings.1.{name}-error"' in answer.text
    assert "Kept as typed" in answer.text
    with db.reading() as connection:
        assert FEEDINGS.load(connection, 1) == ()


def test_missing_repeated_and_unknown_fields_are_told(fed: TestClient) -> None:
    missing = {name: value for name, value in row(0).items() if not name.endswith("cubes")}
    assert "Cubes is missing" in fed.post("/tanks/1/feed", data=missing).text
    twice = "&".join([*(f"{name}={value}" for name, value in row(0).items()), "feedings.0.food=flake"])
    headers = {"Content-Type": "application/x-www-form-urlencoded"}
    answer = fed.post("/tanks/1/feed", content=twice, headers=headers)
    assert answer.status_code == 422
    assert "came twice, as &#34;frozen&#34; and &#34;flake&#34;" in answer.text
    assert fed.post("/tanks/1/feed", data={**row(0), "colour": "red"}).status_code == 422


def test_setup_looked_at_goes_along_by_every_link_and_post(client: TestClient, db: Database) -> None:
    """From any page of a tank to any other, and back from what is posted there; a deep link shows it at once."""
    other = next(s for s in tanks.open_tank(db, 1).setups if not s.in_use)
    for station in STATIONS:
        shown = client.get(f"/tanks/1{station.path}?setup={other.id}").text
        assert f"<small>{other.name}</small>" in shown, station.key
        links = re.findall(r'<a href="(/tanks/1[^"]*)" accesskey', shown)
        assert links == [f"/tanks/1{one.path}?setup={other.id}" for one in STATIONS]
    for path in (f"/tanks/1/zones?setup={other.id}", f"/tanks/1/setups/{other.id}/mounting"):
        assert f"<small>{other.name}</small>" in client.get(path).text
    coral = tanks.open_tank(db, 1).corals[0]
    posts = {
        f"corals/add?setup={other.id}": {"card": "Zoanthus"},
        f"corals/{coral.id}/lift?setup={other.id}": {},
        f"zones?setup={other.id}": {"purpose": "sps"},
    }
    for path, data in posts.items():
        assert f"setup={other.id}" in client.post(f"/tanks/1/{path}", data=data).headers["location"], path
    used = client.get("/tanks/1/corals").text
    under = client.get(f"/tanks/1/corals?setup={other.id}").text
    assert re.findall(r'coral-state">(\d+)', used) != re.findall(r'coral-state">(\d+)', under)
    setups.remove_setup(db, 1, other.id)
    assert client.get(f"/tanks/1/corals?setup={other.id}").status_code == 404


def test_one_declared_kind_of_light_is_taken_up_everywhere(client: TestClient) -> None:
    from corlume.core.light.light_loss import questions
    from corlume.core.light.technology import TECHNOLOGIES

    shelf = client.get("/fixtures").text
    for key, technology in TECHNOLOGIES.items():
        assert f'<option value="{key}"' in shelf
        assert technology.name in shelf
        assert questions(key)


@pytest.mark.parametrize("path", ["corals/1/card", "setups/1/mounting", "setups/1/intent", "zones/1", "rocks", "1"])
def test_field_that_a_form_does_not_know_is_told_on_every_page(client: TestClient, db: Database, path: str) -> None:
    """As after an update, when an old page is still open: nothing of it is taken in silence."""
    stored = tanks.open_tank(db, 1)
    zone, measure = stored.wanted[0].id, Measure("cm")
    known = {
        "corals/1/card": shown_values(stored.corals[0].value.card, measure),
        "setups/1/mounting": shown_values(stored.surroundings, measure),
        "setups/1/intent": shown_values(stored.setup(1).intent, measure),
        "zones/1": shown_values(stored.wanted[0].value, measure),
        "rocks": shown_values(Rock(0.1, 0.05, 0.0, 0.2, 0.1, 0.12, "Spur"), measure),
        "1": tank_fields(stored.name, stored.tank, stored.targets, stored.running, measure),
    }[path]
    url = "/tanks/1" if path == "1" else f"/tanks/1/{path.replace('zones/1', f'zones/{zone}')}"
    answer = client.post(url, data={**known, "left_over": "Old words"})
    assert answer.status_code == 422
    assert "left over is not a field of this form" in answer.text.replace("left_over", "left over")
    assert tanks.open_tank(db, 1) == stored


OLD = {
    "/tanks/1/kinds?setup=2": "/tanks/1/light-types?setup=2",
    "/tanks/1/kinds/shelf": "/tanks/1/light-types/fixtures",
    "/tanks/1/hang/8/rows": "/tanks/1/layout/8/rows",
    "/tanks/1/chart": "/tanks/1/par-map",
    "/tanks/1/setups/2/mount": "/tanks/1/setups/2/mounting",
    "/tanks/1/setups/2/mount/sheet.pdf": "/tanks/1/setups/2/mounting/sheet.pdf",
    "/tanks/1/corals/seats": "/tanks/1/corals/spots",
    "/tanks/1/corals/round": "/tanks/1/corals/check",
    "/tanks/1/corals/3/course": "/tanks/1/corals/3/log",
    "/tanks/1/corals/library/kind?name=Xenia": "/tanks/1/corals/library/type?name=Xenia",
    "/shelf/t5-54": "/fixtures/t5-54",
    "/words": "/terms",
}


@pytest.mark.parametrize("old", OLD)
def test_addresses_of_earlier_versions_lead_to_the_pages_of_today(client: TestClient, old: str) -> None:
    answer = client.get(old)
    assert (answer.status_code, answer.headers["location"]) == (308, OLD[old])


def test_no_other_address_leads_anywhere(client: TestClient) -> None:
    for path in ("/shelfish", "/tanks/1/kindsome", "/tanks/x/chart", "/words//evil.example"):
        answer = client.get(path)
        assert answer.status_code == 404 or answer.headers["location"].startswith("/terms/")

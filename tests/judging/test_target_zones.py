"""Target zones: their rules, their places, how they are kept, searched for and met."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.judging.target_zones import MOST_POINTS, TargetZone, zone_light
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Rock, Tank
from corlume.formats.measure import Measure
from corlume.formats.scene_file import read_scene, write_scene
from corlume.services.keeping import tanks
from corlume.services.keeping.demo import demo_scene
from corlume.services.keeping.target_zones import draw_zone, light_for, remove_zone, save_zone, zones_met
from corlume.services.light.fields import par_at
from corlume.services.search.search_request import SearchRequest
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank
from tests.ruled import CLUSTER, RULED, last

ROCKY = Tank(1.0, 0.5, 0.5, rocks=(Rock(0.1, 0.1, 0.0, 0.3, 0.2, 0.3, "Shelf"),))
"""One block whose top lies 20 cm down, over sand that lies 47 cm down."""
WHOLE = TargetZone("All", 0.0, 0.0, 1.0, 0.5, 0.0, 0.5, 75, 150)
FORM = {"name": "Tops", "x": "10", "y": "20", "length": "30", "width": "15", "top": "0", "bottom": "25", "low": "200",
        "high": "350"}  # fmt: skip


def test_zone_counts_the_places_where_corals_can_sit() -> None:
    depths = {round(float(d), 3) for d in np.unique(WHOLE.points(ROCKY)[:, 2])}
    assert depths == {0.2, 0.47}
    tops = replace(WHOLE, bottom=0.3).points(ROCKY)
    assert set(tops[:, 2].round(6)) == {0.2}
    assert tops[:, 0].min() >= 0.1
    assert tops[:, 0].max() <= 0.4
    # the sand under the block is no place
    below = replace(WHOLE, top=0.4).points(ROCKY)
    under = (below[:, 0] > 0.1) & (below[:, 0] < 0.4) & (below[:, 1] > 0.1) & (below[:, 1] < 0.3)
    assert not under.any()


def test_zone_in_open_water_counts_its_water_and_one_in_rock_nothing() -> None:
    pillar = replace(WHOLE, x=0.6, length=0.3, top=0.1, bottom=0.2).points(ROCKY)
    assert len(pillar) > 50
    assert pillar[:, 2].min() > 0.1
    assert pillar[:, 2].max() < 0.2
    solid = Tank(1.0, 0.5, 0.5, rocks=(Rock(0, 0, 0, 1.0, 0.5, 0.5),))
    assert not len(WHOLE.points(solid))
    assert not len(replace(WHOLE, x=0.15, y=0.15, length=0.2, width=0.1, top=0.3, bottom=0.4).points(ROCKY))


@settings(deadline=None)
@given(
    x=st.floats(0.0, 0.7), y=st.floats(0.0, 0.3), length=st.floats(0.05, 0.3), width=st.floats(0.05, 0.2),
    top=st.floats(0.0, 0.4), deep=st.floats(0.02, 0.1),
)  # fmt: skip
def test_places_of_a_zone_lie_in_it_and_never_in_rock(
    x: float, y: float, length: float, width: float, top: float, deep: float
) -> None:
    points = TargetZone("Z", x, y, length, width, top, top + deep, 75, 150).points(ROCKY)
    assert len(points) < 2 * MOST_POINTS
    low, high = np.array([x, y, top]), np.array([x + length, y + width, top + deep])
    assert ((points >= low - 1e-6) & (points <= high + 1e-6)).all()
    assert not ROCKY.in_rock(points - np.array([0, 0, 0.001])).any()


def test_meeting_a_zone_is_told_by_mean_limits_and_share() -> None:
    met = zone_light(WHOLE, np.array([50.0, 75.0, 100.0, 149.0, 150.0, 200.0]))
    assert (met.weakest, met.strongest, met.within) == (50.0, 200.0, 0.5)
    assert met.mean == pytest.approx(120.667, abs=1e-3)


@pytest.mark.parametrize(
    ("change", "field", "words"),
    [
        ({"name": " "}, "name", "is empty"),
        ({"length": 0.0}, "length", "must be from 2 cm"),
        ({"top": 0.3, "bottom": 0.2}, "bottom", "must be below the start of the zone, 30 cm"),
        ({"low": 200, "high": 150}, "high", "must be more than 200"),
        ({"x": float("nan")}, "x", "must be from 0 cm"),
    ],
)
def test_zones_that_cannot_be_are_refused_by_field(change: dict[str, float], field: str, words: str) -> None:
    with pytest.raises(InvalidInput) as caught:
        replace(WHOLE, **change)  # type: ignore[arg-type]
    assert words in {e.field: Measure("cm").message(e) for e in caught.value.errors}[field]


def test_light_for_a_purpose_is_the_keepers_own_band(stored: StoredTank) -> None:
    targets = replace(stored.targets, sps_low=260.0)
    assert light_for(targets, "sps") == (260.0, 350.0)
    assert light_for(targets, "lps") == (75.0, 150.0)
    assert light_for(targets, "low_light")[1] <= 50  # under about 50; common practice, no source


def test_zones_are_drawn_changed_removed_and_undone(db: Database) -> None:
    before = tanks.open_tank(db, 1).wanted
    number = draw_zone(db, 1, "sps", (1.2, -0.1, 0.6, 0.3, 0.0, 0.56))
    drawn = tanks.open_tank(db, 1).zone(number).value
    # a hand that draws does not stop on the millimetre: what reaches over a pane ends there
    assert (drawn.y, drawn.length, drawn.width) == pytest.approx((0.0, 0.3, 0.2))
    assert drawn.name == "SPS 1"
    second = draw_zone(db, 1, "sps", (0.1, 0.1, 0.2, 0.2, 0.0, 0.5))
    assert tanks.open_tank(db, 1).zone(second).value.name == "SPS 2"
    save_zone(db, 1, number, replace(drawn, name="Right end", high=400.0))
    assert tanks.open_tank(db, 1).zone(number).value.high == 400.0
    with pytest.raises(InvalidInput, match="taken by another"):
        save_zone(db, 1, number, replace(drawn, name="SPS 2"))
    with pytest.raises(InvalidInput, match="tank ends at"):
        save_zone(db, 1, number, replace(drawn, length=0.5))
    with pytest.raises(InvalidInput, match="within rock"):
        save_zone(db, 1, number, TargetZone("In", 0.25, 0.38, 0.05, 0.05, 0.3, 0.36, 75, 150))
    remove_zone(db, 1, number)
    for label in ("delete zone Right end", "change zone SPS 1", "draw zone SPS 2", "draw zone SPS 1"):
        assert (tanks.undo(db, 1) or "").replace("change zone Right end", "change zone SPS 1") == label
    assert tanks.open_tank(db, 1).wanted == before


def test_a_tank_too_small_for_its_zones_is_refused_and_nothing_is_lost(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    reaching = draw_zone(db, 1, "lps", (1.2, 0.0, 0.3, 0.2, 0.0, 0.56))
    before = tanks.open_tank(db, 1)
    shorter = replace(stored.tank, length=1.45)
    with pytest.raises(InvalidInput) as caught:
        tanks.save_tank(db, 1, name="T", tank=shorter, targets=stored.targets, running=stored.running)
    [error] = [e for e in caught.value.errors if e.field.startswith("wanted")]
    assert error.field == f"wanted.{[k.id for k in before.wanted].index(reaching)}.length"
    assert Measure("in").message(error) == "reaches to 59.1 in from the left pane; the tank ends at 57 in"
    assert tanks.open_tank(db, 1) == before


def test_search_for_drawn_zones_gives_each_its_light(stored: StoredTank) -> None:
    strong = TargetZone("Strong", 0.05, 0.1, 0.35, 0.4, 0.1, 0.2, 250, 350)
    weak = TargetZone("Weak", 0.8, 0.1, 0.35, 0.4, 0.3, 0.45, 75, 150)
    drawn = stored.having(wanted=(Kept(1, strong), Kept(2, weak)))
    wish = SearchRequest("cluster", "zones", (2, 3), (0.2, 0.3), (200, 350))
    best = last(drawn, wish).best[0]
    met = {one.zone.name: one for one in best.met}
    assert 250 < met["Strong"].mean < 350
    assert 75 < met["Weak"].mean < 150
    for zone in (strong, weak):
        par = par_at(drawn.tank, best.fixtures, zone.points(drawn.tank))
        assert met[zone.name].mean == pytest.approx(par.mean(), rel=1e-6)
    beyond = drawn.having(wanted=(Kept(1, replace(strong, low=1500, high=1900)),))
    words = last(beyond, replace(wish, counts=(1, 1))).best[0].binds
    assert any(one.startswith("Strong: ") and "where 1500 to 1900 is wanted" in one for one in words)
    with pytest.raises(InvalidInput, match="draw one first"):
        last(stored, wish)


def test_met_is_nothing_in_the_dark(stored: StoredTank) -> None:
    drawn = stored.having(wanted=(Kept(1, replace(WHOLE, length=1.2)),))
    dark = Fixture(replace(CLUSTER.parts[0].emitter, x=0.6, y=0.3), output=0.0)
    assert [one.mean for one in zones_met(drawn, [dark])] == [0.0]
    assert RULED.sand_depth > 0.4


def test_zones_place_and_weights_come_back_from_a_scene_file(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    again = tanks.open_tank(db, tanks.import_tank(db, tanks.export_tank(db, 1).encode()))
    assert [k.value for k in again.wanted] == [k.value for k in stored.wanted]
    assert again.surroundings == stored.surroundings
    assert [k.value.weight for k in again.setup().fixtures] == [k.value.weight for k in stored.setup().fixtures]
    bad = tanks.export_tank(db, 1).replace('"par_low": 250.0', '"par_low": 999.0').replace('"volts": 230', '"volts": 9')
    with pytest.raises(ValueError, match=r"wanted\[0\].par_high"):
        read_scene(bad.encode())
    with pytest.raises(ValueError, match=r"surroundings\.volts"):
        read_scene(bad.encode())


def test_page_draws_types_and_shapes_zones(client: TestClient, db: Database) -> None:
    for view, start, end, box in (
        ("plan", (0.5, 0.05), (0.8, 0.2), (0.5, 0.45, 0.3, 0.15, 0.0, 0.56)),
        ("front", (0.8, 0.5), (0.2, 0.3), (0.2, 0.0, 0.6, 0.65, 0.3, 0.5)),
    ):
        body = {"view": view, "purpose": "lps", "start": start, "end": end}
        number = client.post("/tanks/1/zones/draw", json=body).json()["saved"]
        zone = tanks.open_tank(db, 1).zone(number).value
        assert (zone.x, zone.y, zone.length, zone.width, zone.top, zone.bottom) == pytest.approx(box)
        assert (zone.low, zone.high) == (75, 150)
    moved = client.post(f"/tanks/1/zones/{number}/shape", json={"x": 0.3, "base": 0.1})
    assert moved.json() == {"saved": number}
    zone = tanks.open_tank(db, 1).zone(number).value
    assert (zone.x, zone.top, zone.bottom) == pytest.approx((0.3, 0.26, 0.46))
    over = client.post(f"/tanks/1/zones/{number}/shape", json={"x": 1.2})
    assert over.status_code == 422
    assert "the tank ends at 150 cm" in over.json()["message"]
    assert client.post(f"/tanks/1/zones/{number}/shape", json={"x": "far"}).status_code == 422
    assert client.post("/tanks/1/zones", data={"purpose": "sps"}).headers["location"].startswith("/tanks/1/zones#zone-")
    assert client.post(f"/tanks/1/zones/{number}", data=FORM).status_code == 303
    assert tanks.open_tank(db, 1).zone(number).value == TargetZone("Tops", 0.1, 0.2, 0.3, 0.15, 0, 0.25, 200, 350)
    assert client.post(f"/tanks/1/zones/{number}/remove").status_code == 303
    assert client.post(f"/tanks/1/zones/{number}", data=FORM).status_code == 404


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"length": "wide"}, "Length is not a number"),
        ({"bottom": "70"}, "Depth to is deeper than the water, 56 cm"),
        ({"high": "100"}, "To must be more than 200, where it starts"),
        ({"name": "East tops"}, "Name is taken by another zone"),
        ({"x": "140"}, "Length reaches to 170 cm from the left pane; the tank ends at 150 cm"),
    ],
)
def test_bad_zones_are_told_by_their_field_and_what_was_typed_stays(
    client: TestClient, db: Database, change: dict[str, str], words: str
) -> None:
    before = tanks.open_tank(db, 1).wanted
    page = client.post("/tanks/1/zones/1", data={**FORM, **change})
    assert page.status_code == 422
    assert words in page.text
    for value in change.values():
        assert f'value="{value}"' in page.text
    assert tanks.open_tank(db, 1).wanted == before


def test_page_and_side_by_side_say_how_each_zone_comes_out(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    page = client.get("/tanks/1/zones").text
    for met in zones_met(stored, [k.value for k in stored.setup().fixtures]):
        assert f"{met.mean:.0f} PAR on average, {met.weakest:.0f} to {met.strongest:.0f}" in page
    table = client.get("/tanks/1/setups?a=1&b=2").text
    other = zones_met(stored, [k.value for k in stored.setup(2).fixtures])[0]
    assert f"{other.mean:.0f} PAR <small>{100 * other.within:.0f} % in range" in table
    for kept in stored.wanted:
        remove_zone(db, 1, kept.id)
    assert "No zone yet" in client.get("/tanks/1/zones").text
    refused = client.post(
        "/tanks/1/layout",
        data={"entry": "cluster", "purpose": "zones", "count_low": "2", "count_high": "3", "height_low": "24",
              "height_high": "30", "band_low": "200", "band_high": "350"},
    )  # fmt: skip
    assert refused.status_code == 422
    assert "needs a zone: draw one first" in refused.text


METRES = st.floats(-20, 20) | st.sampled_from([0.0, 0.3, 0.65, 1.5])


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    view=st.sampled_from(["plan", "front", "side"]), purpose=st.sampled_from(["sps", "lps", "low_light", "moon"]),
    corners=st.tuples(METRES, METRES, METRES, METRES),
)  # fmt: skip
def test_whatever_is_drawn_is_a_zone_in_the_water_or_is_refused_with_words(
    client: TestClient, db: Database, view: str, purpose: str, corners: tuple[float, float, float, float]
) -> None:
    before = tanks.open_tank(db, 1)
    body = {"view": view, "purpose": purpose, "start": corners[:2], "end": corners[2:]}
    answer = client.post("/tanks/1/zones/draw", json=body)
    after = tanks.open_tank(db, 1)
    if answer.status_code == 200:
        zone, tank = after.zone(answer.json()["saved"]).value, after.tank
        assert 0 <= zone.x <= zone.x + zone.length <= tank.length + 1e-9
        assert 0 <= zone.y <= zone.y + zone.width <= tank.width + 1e-9
        assert 0 <= zone.top < zone.bottom <= tank.water_depth + 1e-9
        assert len(zone.points(tank)) > 0
        tanks.undo(db, 1)
    else:
        assert answer.status_code == 422
        assert answer.json()["message"]
        assert after == before


@settings(max_examples=30, deadline=None)
@given(
    numbers=st.lists(st.floats(0.02, 0.27), min_size=6, max_size=6), low=st.integers(0, 300), span=st.integers(1, 300),
    name=st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc", "Zs")), min_size=1, max_size=40),
)  # fmt: skip
def test_any_zone_comes_back_from_a_file_to_the_hundredth_of_a_millimetre(
    numbers: list[float], low: int, span: int, name: str
) -> None:
    x, y, length, width, top, deep = numbers
    zone = TargetZone(name, x, y, length, width, top, top + deep, low, low + span)
    scene = replace(demo_scene(), wanted=(zone,))
    [again] = read_scene(write_scene(scene).encode()).wanted
    assert (again.name, again.low, again.high) == (name, low, low + span)
    for field in ("x", "y", "length", "width", "top", "bottom"):
        assert getattr(again, field) == pytest.approx(getattr(zone, field), abs=1e-5)


@pytest.mark.parametrize("unit", ["cm", "in"])
def test_saving_a_page_as_it_is_shown_changes_nothing(client: TestClient, db: Database, unit: str) -> None:
    """Rounded inches that come back must not move anything, and nothing is to be undone then."""
    client.cookies.set("unit", unit)
    before = tanks.open_tank(db, 1)
    page = client.get("/tanks/1/zones").text
    for kept in before.wanted:
        form = page.split(f'id="zone-{kept.id}"')[1].split("</form>")[0]
        shown = dict(re.findall(r'name="(\w+)" type="text" value="([^"]*)"', form))
        assert shown.keys() == FORM.keys()
        assert client.post(f"/tanks/1/zones/{kept.id}", data=shown).status_code == 303
    sheet = client.get("/tanks/1/setups/1/mounting").text.split('/mounting" novalidate')[1].split("</form>")[0]
    place = dict(re.findall(r'name="([\w-]+)"(?: type="text")? value="([^"]*)"', sheet))
    assert {"volts", "gap", "weight-1"} <= place.keys()
    assert client.post("/tanks/1/setups/1/mounting", data=place).status_code == 303
    assert tanks.open_tank(db, 1) == before
    assert tanks.steps(db, 1).undo is None

"""Plans of a survey: the trade's templates, a week with a rented meter, the eye alone, moves to try, photos."""

from __future__ import annotations

import json

import numpy as np
import pytest
from starlette.testclient import TestClient

from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Rock, Tank
from corlume.core.survey.balance import balance_points
from corlume.core.survey.candidate_points import under_and_between
from corlume.core.survey.point_templates import rings, rock_tops
from corlume.core.survey.priors import LOBE_TOLD
from corlume.core.survey.without_meter import entered_widths, hand_points, on_hands
from corlume.formats.round_steps import STEPS
from corlume.services.keeping import hung_fixtures, surveys, tanks
from corlume.services.light.fields import par_at
from corlume.services.survey.rental_week import days
from corlume.services.survey.seen_light import heights, results_of
from corlume.services.survey.survey_moves import corrected
from corlume.store.database import Database

HOME = "/tanks/1/survey"
JSON = {"content-type": "application/json"}


def newest(db: Database) -> surveys.StoredSurvey:
    return max(surveys.all_surveys(db, 1), key=lambda one: one.id)


def test_three_rings_stand_at_three_depths_and_none_in_rock(db: Database) -> None:
    """Six, twelve and eighteen inches down; common practice, no source. A shallow tank has three depths as well."""
    tank = tanks.open_tank(db, 1).tank
    found = rings(tank)
    assert {spot.depth for spot in found} == {0.15, 0.30, 0.45}
    assert not tank.in_rock(np.array([spot.place for spot in found])).any()
    bare = Tank(0.6, 0.5, 0.3)
    assert len(rings(bare)) == 27
    assert len({spot.depth for spot in rings(bare)}) == 3
    assert max(spot.depth for spot in rings(bare)) < bare.sand_depth
    tops = rock_tops(tank)
    assert len(tops) == 8
    assert max(spot.depth for spot in tops) - min(spot.depth for spot in tops) <= 0.08


def test_points_lie_under_fixtures_at_the_ends_and_in_gaps_wide_enough() -> None:
    """A probe between two modules that hang 8 cm apart along the tank would read what it reads under either."""
    tank = Tank(1.2, 0.5, 0.5)
    hung = [Fixture(Emitter("led_cluster", 100, 2.0, 0.05, 0.05, x, y, 0.25), name=name)
            for x, y, name in ((0.3, 0.15, "A"), (0.38, 0.35, "B"), (0.9, 0.25, "C"))]  # fmt: skip
    found = {spot.name: spot.place for spot in under_and_between(tank, hung)}
    assert list(found) == ["Under A", "Under B", "Under C", "Between fixtures", "Left end", "Right end"]
    assert found["Between fixtures"] == pytest.approx((0.64, 0.25, 0.15))
    assert found["Left end"][0] == pytest.approx(tank.length - found["Right end"][0])


def test_spill_is_foretold_at_rising_heights_and_for_lights_that_are_on(db: Database) -> None:
    """The higher the fixtures hang, the more light falls on a hand outside; none is foretold of lights that are off."""
    stored = tanks.open_tank(db, 1)
    raised = heights(stored, stored.setup())
    assert [one.height for one in raised] == sorted({one.height for one in raised})
    sums = [sum(one.hands.values()) for one in raised]
    assert 0.0 <= sums[0] < sums[-1]
    dark = {kept.id: {"output": 0.0} for kept in stored.setup().fixtures}
    hung_fixtures.change_fixtures(db, 1, stored.setup().id, dark)
    assert heights(tanks.open_tank(db, 1), tanks.open_tank(db, 1).setup()) == []


def test_width_of_beams_by_eye_is_a_mean_of_what_was_entered_and_what_was_seen() -> None:
    """Nothing seen leaves the entered width and its doubt; what no width explains says nothing of it, however sure."""
    hung = [Fixture(Emitter("led_cluster", 100, 1.5, 0.05, 0.05, 0.6, 0.25, 0.25))]
    width, sd = entered_widths(hung, lambda _: np.zeros(3))
    assert width == pytest.approx(1.0, abs=0.01)
    assert sd == pytest.approx(LOBE_TOLD.sd, rel=0.1)
    assert entered_widths(hung, lambda _: np.full(3, 60.0)) == pytest.approx((width, sd))
    wider, surer = entered_widths(hung, lambda fixtures: np.array([(fixtures[0].emitter.fwhm / 1.5 - 1.1) / 0.01]))
    assert 1.05 < wider < 1.12
    assert surer < sd


def test_points_to_balance_by_lie_15_cm_down_or_just_over_a_rock_that_reaches_higher() -> None:
    hung = [Fixture(Emitter("led_cluster", 100, 2.0, 0.05, 0.05, x, 0.25, 0.25)) for x in (0.3, 0.9)]
    tall = Rock(0.2, 0.15, 0.0, 0.2, 0.2, 0.41)
    for rocks, under in (((), 0.15), ((tall,), 0.09)):
        found = balance_points(Tank(1.2, 0.5, 0.5, rocks=rocks), hung)
        assert [spot.name for spot in found] == ["Left end", "Under 1", "Between", "Under 2", "Right end"]
        assert [spot.depth for spot in found] == pytest.approx([0.15, under, 0.15, 0.15, 0.15], abs=0.011)


@pytest.mark.parametrize(("count", "least"), [("rings", 18), ("shallow", 5), ("tops", 8)])
def test_templates_are_planned_like_chosen_spots(client: TestClient, db: Database, count: str, least: int) -> None:
    typed = {"name": "As the trade has it", "day": "2026-11-20", "pumps": "on", "immersion": "1", "count": count}
    assert client.post(HOME, data=typed).status_code == 303
    assert len(newest(db).spots) >= least
    assert client.post(HOME, data={**typed, "count": "hexagons"}).status_code == 422


def test_a_week_goes_from_before_to_the_final_survey(client: TestClient, db: Database) -> None:
    """Each day is laid out once; a height whose rock top reads within 100 is named; a slider that lies is told."""
    stored = tanks.open_tank(db, 1)
    page = client.post(f"{HOME}/week").headers["location"]
    first = int(page.rpartition("/")[2])
    for part in ("heights", "sliders", "spacing", "after"):
        assert client.post(f"{HOME}/week/{first}/day", data={"part": part}).status_code == 303
    assert client.post(f"{HOME}/week/{first}/day", data={"part": "holiday"}).status_code == 404
    kept = surveys.all_surveys(db, 1)
    week = {day.part: day for day in days(stored, kept, "Week 1")}
    assert [len(week[part].surveys) for part in week] == [1, 4, 1, 1, 1]
    heights = week["heights"].heights
    assert [h.predicted for h in heights] == sorted((h.predicted for h in heights), reverse=True)
    # read as the model has it: what was predicted is what is read
    for survey in week["heights"].surveys:
        for one in survey.spots:
            surveys.enter(db, 1, survey.id, one.id, round(week["heights"].predicted[one.id], 1))
    # a slider that gives 62 % at half
    for one, share in zip(week["sliders"].surveys[0].spots, (1.0, 0.76, 0.62, 0.25), strict=True):
        surveys.enter(db, 1, week["sliders"].surveys[0].id, one.id, 300 * share, level=one.value.level)
    again = {day.part: day for day in days(stored, surveys.all_surveys(db, 1), "Week 1")}
    read = again["heights"].heights
    assert [h.read for h in read] == pytest.approx([h.predicted for h in heights], abs=0.2)
    text = client.get(page).text
    lowest = next(h for h in read if h.read is not None and h.read <= 100)
    assert f"Use {100 * lowest.height:.0f} cm" in text
    assert text.count("differs from the slider") == 1
    assert "Week 1" in client.get(HOME).text
    client.post("/tanks/1/undo")
    assert tanks.steps(db, 1).redo


def test_spill_on_a_hand_follows_geometry_and_is_held_against_the_model(client: TestClient, db: Database) -> None:
    """One lamp in air: cos for its lobe, cos for the level hand, cos squared for the distance."""
    tank, height = Tank(0.5, 0.5, 0.4), 0.5
    lamp = Fixture(Emitter("led_cluster", 100.0, 2 * np.pi / 3, 0.002, 0.002, 0.25, 0.25, height))
    hand = hand_points(tank)["left"]
    aside = 0.25 + 0.10
    cos = height / np.hypot(height, aside)
    # a lobe of 120 degrees at half is cos^1
    assert on_hands(tank, [lamp], [hand])[0] == pytest.approx(cos**4, rel=0.01)

    assert "Tick the panes" in client.post(f"{HOME}/without/spill", data={"height": "30"}).text
    assert "outside the room" in client.post(f"{HOME}/without/spill", data={"height": "900", "side_left": "on"}).text
    where = client.post(f"{HOME}/without/spill", data={"height": "31", "side_left": "on"}).headers["location"]
    said = results_of(tanks.open_tank(db, 1), newest(db).value)
    assert said
    assert said.glances[0].agrees
    assert said.width == pytest.approx(1.0, abs=0.02)
    assert "as predicted" in client.get(where).text
    client.post(f"{HOME}/without/spill", data={"height": "12", "side_left": "on"})
    wider = results_of(tanks.open_tank(db, 1), newest(db).value)
    assert wider
    assert not wider.glances[0].agrees
    assert 1.0 < wider.width < 1.1


def test_dark_and_lit_places_are_marked_drawn_on_the_chart_and_weighed(client: TestClient, db: Database) -> None:
    client.post(f"{HOME}/without/cloudy")
    survey = newest(db)
    post = f"{HOME}/{survey.id}/tap"

    def tap(**what: object) -> int:
        return client.post(post, content=json.dumps(what), headers=JSON).status_code

    probe = {"x": 0.75, "y": 0.325, "depth": tanks.open_tank(db, 1).tank.rock_top()}
    plain = client.post("/tanks/1/setups/1/light", json={"probe": probe}).json()["rock-plan"]
    depth = 100 * probe["depth"] - 1
    assert tap(view="plan", u=0.32, v=0.28, third=f"{depth:.0f}", seen="dark") == 200
    assert tap(view="front", u=0.75, v=0.1, third="6 cm", seen="lit") == 200
    assert tap(view="plan", u=0.3, v=0.3, third="deep", seen="dark") == 422
    assert tap(view="plan", u=3.0, v=0.3, third="15", seen="dark") == 422
    said = results_of(tanks.open_tank(db, 1), surveys.open_survey(db, 1, survey.id).value)
    assert said
    dark, lit = said.glances
    assert dark.model > 1.5
    assert not dark.agrees
    assert dark.off > 0
    assert lit.agrees
    chart = client.post("/tanks/1/setups/1/light", json={"probe": probe}).json()["rock-plan"]
    assert chart.count("spot dark") == plain.count("spot dark") + 1


def test_spots_are_moved_and_dropped_by_hand(client: TestClient, db: Database) -> None:
    survey = surveys.all_surveys(db, 1)[0]
    one = survey.spots[0]

    def place(**what: object) -> int:
        path = f"{HOME}/{survey.id}/spots/{one.id}/place"
        return client.post(path, content=json.dumps(what), headers=JSON).status_code

    assert place(x=0.08, depth=0.20) == 200
    moved = surveys.open_survey(db, 1, survey.id).spot(one.id).value
    assert moved.place == (0.08, one.value.y, 0.20)
    assert place(x=0.3, y=0.38, depth=0.4) == 422  # in rock
    assert surveys.open_survey(db, 1, survey.id).spot(one.id).value == moved
    assert place(dropped=True) == 200
    assert len(surveys.open_survey(db, 1, survey.id).spots) == len(survey.spots) - 1
    client.post("/tanks/1/undo")
    assert surveys.open_survey(db, 1, survey.id).spot(one.id).value == moved


def test_moves_on_the_corrected_map_are_tried_as_setups(client: TestClient, db: Database) -> None:
    """What is said of a move holds of the setup that is made of it, once the survey is in use."""
    survey = surveys.all_surveys(db, 1)[0]
    html = client.get(f"{HOME}/{survey.id}/advice").json()["html"]
    assert "Spread at rock top" in html
    where = client.post(f"{HOME}/{survey.id}/try/raise").headers["location"]
    made = tanks.open_tank(db, 1).setup(int(where.rpartition("=")[2]))
    assert made.name.startswith(survey.value.setup)
    assert survey.value.setup != survey.value.name
    found = corrected(tanks.open_tank(db, 1), survey.value)
    assert found
    [remedy] = [r for r in found.diagnosis(STEPS["cm"]).remedies if r.key == "raise"]
    assert client.post(f"{HOME}/{survey.id}/use").status_code == 303
    used = tanks.open_tank(db, 1)
    probe = np.array([[0.75, 0.06, 0.15]])
    there = par_at(found.stored.lit_tank(), remedy.fixtures, probe)
    assert par_at(used.lit_tank(), used.setup(made.id).hung, probe) == pytest.approx(there, rel=1e-3)
    assert client.post(f"{HOME}/{survey.id}/try/levitate").status_code == 404

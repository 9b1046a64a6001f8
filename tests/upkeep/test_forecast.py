"""The tank run forward: against every month worked out alone, by hand, and suggestions that keep what they say."""

from __future__ import annotations

import datetime
import time
from dataclasses import replace

import numpy as np
import pytest
from fastapi.testclient import TestClient

from corlume.core.flow.wake import wake_left
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Colony
from corlume.core.placement.coral_growth import meeting_month
from corlume.core.survey.survey_record import MeasuringPoint
from corlume.core.upkeep.cleaning import CleaningRhythm
from corlume.core.upkeep.lamp import Lamp
from corlume.core.upkeep.leaving_range import when_leaving
from corlume.reference.coral_library import coral_library
from corlume.services.keeping import surveys, tanks
from corlume.services.light.fields import par_at
from corlume.services.placement.zone_placement import coral_places
from corlume.services.upkeep import cleaning, lamps
from corlume.services.upkeep.coral_suggestions import suggestions
from corlume.services.upkeep.forecast import forecast, forecast_days, when_words
from corlume.services.upkeep.forecast_jobs import known_forecast
from corlume.services.upkeep.today import SOON_OUT
from corlume.store.database import Database
from tests.upkeep.test_wear import TODAY, after, bare, upkeep

DAY = datetime.timedelta(days=1)


def test_growth_and_shade_are_those_of_every_month_worked_out_alone(db: Database) -> None:
    """Every month of five years by brute force: bodies by hand, and the light of that tank under lamps of that day."""
    hung = worn_lamps(db)
    stored, days = tanks.open_tank(db, 1), forecast_days(TODAY)
    found = {one.id: one for one in forecast(db, stored, TODAY).corals}
    ids, places = coral_places(stored)
    assert places is not None
    assert len(found) == 14
    assert places.normals is not None
    bare_tank = replace(stored.lit_tank(), colonies=())
    for month, day in enumerate(days):
        points, discs = [], []
        for coral_id in ids:
            coral = stored.coral(coral_id).value
            kind, place = coral_library()[coral.card.name], coral.place
            assert place is not None
            came = coral.course.bought
            aged = max(0, (TODAY - came).days) / 365.25 * 12 if came else 0.0
            begin = min(coral.card.size, 0.25 * coral.card.size + kind.growth * aged / 12)
            across = min(coral.card.size, begin + kind.growth * month / 12)
            slender, most = kind.height / coral.card.size, place.depth - 0.01  # no coral grows out of the water
            grown = min(slender * across, most) - min(slender * begin, most)
            rise, passes = {"plate": (1, 0), "branch": (0.8, 0.5), "mound": (0.5, 0), "free": (0.5, 0)}.get(
                kind.form, (0, 0)
            )
            right, back, up = grown * places.normals[len(points)]  # it grows as it faces
            points.append((place.x + right, place.y + back, place.depth - up))
            discs.append(Colony(place.x, place.y, place.depth - rise * grown, across / 2, passes))
        lit = replace(bare_tank, colonies=tuple(discs))
        par = par_at(lit, stored.on(day).setup().hung, np.array(points), normals=places.normals)
        error = max(abs(found[i].left[month] / value - 1) for i, value in zip(ids, par.tolist(), strict=True))
        assert error < 0.003, f"month {month}"  # a ray at the very edge of a body may fall either way
    for one in found.values():
        assert one.left[-1] < one.kept[-1]
        assert (one.low <= one.left + 1e-9).all()
        assert (one.left <= one.high + 1e-9).all()
        if one.leaves and one.leaves.likely:
            card, k = one.coral.card, one.leaves.likely
            assert card.par_low <= one.left[k - 1] <= card.par_high
            assert (one.left[k] < card.par_low) == one.leaves.weak
    assert any(one.leaves_kept and one.leaves_kept.likely for one in found.values())
    assert hung[0].name in {lamp.value.fixture for lamp in stored.lamps}


def worn_lamps(db: Database) -> list[Fixture]:
    """The demo with lamps that fade and lenses that dim, and nothing else on record."""
    bare(db)
    hung = tanks.open_tank(db, 1).setup().hung
    made = [Lamp(f.name, "x", TODAY - 100 * DAY, life_months=12.0 + 6 * k, left=0.5) for k, f in enumerate(hung)]
    lamps.add_lamps(db, 1, made, TODAY)
    cleaning.save_rhythm(db, 1, None, CleaningRhythm("lens", TODAY - 20 * DAY, every=60, loss=0.05), TODAY)
    return hung


def test_the_month_of_leaving_is_a_band_by_the_pace_of_growth() -> None:
    """By hand: 200 PAR that fall by 5 a month leave 150 to 300 in month 11, with slow growth never."""
    card = coral_library()["Montipora (plating)"].card
    fall = 200 - 5.0 * np.arange(20)
    found = when_leaving(card, np.array([fall, np.full(20, 200.0), 200 - 8.0 * np.arange(20)]))
    assert found is not None
    assert (found.first, found.likely, found.last, found.weak) == (7, 11, None, True)
    assert when_leaving(card, np.full((3, 20), 200.0)) is None
    rising = when_leaving(card, np.array([290 + 5.0 * np.arange(20)] * 3))
    assert rising is not None
    assert (rising.likely, rising.weak) == (3, False)
    # 20 cm apart, each 5 cm across and 10 cm more a year: 15 cm more between them after 18 months; sweepers of 6 cm
    sizes = [0.05 + 0.1 * month / 12 for month in range(60)]
    assert meeting_month(0.2, sizes, sizes, 0.0) == 19
    assert meeting_month(0.2, sizes, sizes, 0.06) == 11
    assert meeting_month(0.7, sizes, sizes, 0.0) is None


def test_the_flow_behind_a_body_is_that_of_a_wake() -> None:
    """By hand after Jensen: 10 cm across, blocking half: at 50 cm the wake is 20 cm wide and takes an eighth."""
    at = np.array([[0.5, 0.0, 0.2], [-0.5, 0.0, 0.2], [0.5, 0.3, 0.2], [0.5, 0.0, 0.2]])
    ways = np.array([[1.0, 0, 0], [1.0, 0, 0], [1.0, 0, 0], [0.0, 0, 0]])
    foot, tall = np.array([[0.0, 0.0, 0.25]]), np.array([0.1])
    left = wake_left(at, ways, foot, np.array([0.1]), tall, np.array([0.5]))
    assert left == pytest.approx([1 - 0.5 * (0.05 / 0.1) ** 2, 1.0, 1.0, 1.0])
    two = wake_left(at[:1], ways[:1], np.repeat(foot, 2, axis=0), np.full(2, 0.1), np.full(2, 0.1), np.full(2, 0.5))
    assert two == pytest.approx([1 - 0.125 * np.sqrt(2)])


def test_remedies_are_run_forward_and_the_cheapest_comes_first(db: Database) -> None:
    worn_lamps(db)
    stored = tanks.open_tank(db, 1)
    ahead = forecast(db, stored, TODAY)
    neglected = next(one for one in ahead.corals if one.leaves and one.leaves.likely and not one.leaves_kept)
    kinds = {one.kind: one for one in suggestions(stored, TODAY, neglected)}
    assert kinds["upkeep"].until is None  # lamps and parts kept up are what the forecast says keeps it
    assert np.median(np.abs(kinds["upkeep"].par / neglected.kept - 1)) < 0.01
    dark = next(one for one in ahead.corals if one.leaves_kept and one.leaves_kept.likely and one.leaves_kept.weak)
    found = suggestions(stored, TODAY, dark)
    helping = [one for one in found if one.helps]
    assert helping
    assert found[: len(helping)] == tuple(helping)
    free = [bool(one.harmed) for one in helping]
    assert free == sorted(free)
    level = next(one for one in found if one.kind == "level")
    assert level.cost is not None
    assert level.cost > 0
    assert level.par[-1] >= dark.coral.card.par_low
    bright = next(
        one for one in ahead.corals if one.leaves_kept and one.leaves_kept.likely and not one.leaves_kept.weak
    )
    down = next(one for one in suggestions(stored, TODAY, bright) if one.kind == "level")
    assert down.cost is not None
    assert down.cost < 0
    assert bright.leaves_kept is not None
    assert down.par[bright.leaves_kept.likely :].max() <= bright.coral.card.par_high


def test_the_page_says_when_and_what_to_do_and_leaves_corals_that_are_well(client: TestClient, db: Database) -> None:
    worn_lamps(db)
    stored = tanks.open_tank(db, 1)
    ahead = known_forecast(db, stored, datetime.date.today())
    text = client.get("/tanks/1/log/forecast").text
    one = next(one for one in ahead.corals if one.leaves_kept and one.leaves_kept.likely)
    assert when_words(one.leaves_kept, ahead.days) in text
    assert "What happens when" in text
    assert client.post(f"/tanks/1/log/forecast/{one.id}/begin").json() == {"begun": str(one.id)}
    assert client.get("/tanks/1/log/forecast/zzz/state").status_code == 404
    while client.get(f"/tanks/1/log/forecast/{one.id}/state").json()["state"] == "working":
        time.sleep(0.05)
    soon = [c for c in ahead.corals if c.leaves_kept and c.leaves_kept.likely and c.leaves_kept.likely <= SOON_OUT]
    assert soon
    wrong = client.get("/tanks/1/today/wrong").json()["html"]
    assert f"{soon[0].number} {soon[0].coral.card.name}: out of its range by " in wrong
    text = client.get(f"/tanks/1/log/forecast?coral={one.id}").text
    assert f"What to do about {one.number} " in text
    assert "Cost over 5 years" in text
    # a tank of one coral in the middle of its range, nothing fades and nothing grows: leave it
    quiet = replace(stored, corals=tuple(
        replace(kept, value=replace(kept.value, card=replace(
            kept.value.card, par_low=1.0, par_high=2000.0, name="Quiet")))
        for kept in stored.corals[:1]))  # fmt: skip
    assert forecast(db, quiet, TODAY).leave_it


def test_readings_near_a_coral_stand_on_its_forecast(db: Database) -> None:
    worn_lamps(db)
    first = forecast(db, tanks.open_tank(db, 1), TODAY).corals[0]
    place = first.coral.place
    assert place is not None
    survey = replace(surveys.all_surveys(db, 1)[0].value, name="Near", day=TODAY - 9 * DAY, in_use=False, spots=(
        MeasuringPoint("near", place.x, place.y, place.depth - 0.03, readings=(123.0,)),))  # fmt: skip
    surveys.add_survey(db, 1, survey)
    found = forecast(db, tanks.open_tank(db, 1), TODAY).corals
    assert (TODAY - 9 * DAY, pytest.approx(123.0 * survey.immersion)) in next(
        one for one in found if one.id == first.id
    ).readings


def test_lamps_that_are_changed_when_due_never_fall_below_the_end_of_their_life() -> None:
    """By hand: a tube a year, 85 % at its end, for three years; lenses every 30 days, 4 % lost by then."""
    tube = Lamp("A", "x", after(0), life_months=12.0, left=0.85)
    kept = upkeep(tube, rhythms=(CleaningRhythm("lens", after(0), every=30, loss=0.04),)).kept_up(
        after(10), after(1200)
    )
    light = np.array([kept.condition("A", after(day)) for day in range(10, 1200)])
    assert light.min() == pytest.approx(0.85 * 0.96, rel=0.01)
    assert sum(lamp.taken_out is not None for lamp in kept.lamps) == 3
    assert kept.condition("A", after(366)) > 0.95


def test_the_par_map_shows_lamps_as_new_and_at_their_end(client: TestClient, db: Database) -> None:
    bare(db)
    hung = tanks.open_tank(db, 1).setup().hung
    lamps.add_lamps(db, 1, [Lamp(f.name, "x", TODAY - 182 * DAY, life_months=12.0, left=0.81) for f in hung], TODAY)

    def par(age: str) -> float:
        sent = {"probe": {"x": 0.6, "y": 0.25, "depth": 0.2}, "age": age}
        said = client.post("/tanks/1/setups/1/light", json=sent).json()["spoken"]
        return float(said.split()[0])

    new = par("new")
    assert par("today") == pytest.approx(0.9 * new, abs=1.0)
    assert par("due") == pytest.approx(0.81 * new, abs=1.0)
    assert "at the end of their lamps" in client.get("/tanks/1/par-map").text

"""The forecast of PAR at corals: equal to the tank on each day, by hand for lamps that are changed when due."""

from __future__ import annotations

import datetime
from dataclasses import replace

import numpy as np
import pytest
from fastapi.testclient import TestClient

from corlume.core.survey.survey_record import MeasuringPoint
from corlume.core.upkeep.cleaning import CleaningRhythm
from corlume.core.upkeep.lamp import Lamp
from corlume.services.keeping import surveys, tanks
from corlume.services.placement.zone_placement import coral_light
from corlume.services.upkeep import cleaning, lamps
from corlume.services.upkeep.forecast import forecast, forecast_days
from corlume.store.database import Database
from tests.upkeep.test_wear import TODAY, after, bare, upkeep

DAY = datetime.timedelta(days=1)


def test_a_forecast_is_the_light_of_each_day_and_says_when_a_range_is_left(client: TestClient, db: Database) -> None:
    bare(db)
    hung = tanks.open_tank(db, 1).setup().hung
    made = [Lamp(f.name, "x", TODAY - 100 * DAY, life_months=12.0 + 6 * k, left=0.5) for k, f in enumerate(hung)]
    lamps.add_lamps(db, 1, made, TODAY)
    cleaning.save_rhythm(db, 1, None, CleaningRhythm("lens", TODAY - 20 * DAY, every=60, loss=0.05), TODAY)
    stored, days = tanks.open_tank(db, 1), forecast_days(TODAY)
    found = forecast(db, stored, TODAY)
    assert len(found) == 14
    for k in (0, 20, 50, 104):
        then = coral_light(stored, stored.on(days[k]).setup().hung)
        assert {one.id: one.left[k] for one in found} == pytest.approx(then, rel=1e-6)
    for one in found:
        assert one.left[-1] < one.kept[-1]
        if (out := one.range_ends) is not None:
            assert one.coral.card.par_low <= one.left[out - 1] <= one.coral.card.par_high
    assert any(one.range_ends for one in found)
    first = next(one for one in found if one.range_ends)
    text = client.get("/tanks/1/log/forecast").text
    assert f"out of its range from {days[first.range_ends or 0]:%b %Y}" in text
    place = first.coral.place
    assert place is not None
    survey = replace(surveys.all_surveys(db, 1)[0].value, name="Near", day=TODAY - 9 * DAY, in_use=False, spots=(
        MeasuringPoint("near", place.x, place.y, place.depth - 0.03, readings=(123.0,)),))  # fmt: skip
    surveys.add_survey(db, 1, survey)
    near = next(one for one in forecast(db, tanks.open_tank(db, 1), TODAY) if one.id == first.id).readings
    assert (TODAY - 9 * DAY, pytest.approx(123.0 * survey.immersion)) in near


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

"""Readings count at the level that the schedule has at their hour."""

from __future__ import annotations

import datetime
from dataclasses import replace
from itertools import islice

import numpy as np
import pytest
from fastapi.testclient import TestClient

from corlume.core.light.light_group import DayPoint, LightGroup
from corlume.devices.simulated_meter import SimulatedMeter
from corlume.services.keeping import light_groups, surveys, tanks
from corlume.services.light.fields import medium_of
from corlume.services.schedule.day_report import lights_now
from corlume.services.schedule.reading_level import lights_at, reading_level
from corlume.store.database import Database


def test_a_reading_counts_at_the_level_of_its_hour_and_waits_for_lamps(client: TestClient, db: Database) -> None:
    """By hand: in the middle of an even ramp lights are at a half."""
    stored = tanks.open_tank(db, 1)
    kept = surveys.all_surveys(db, 1)[0]
    setup = next(one for one in stored.setups if one.name == kept.value.setup)
    survey = surveys.open_survey(db, 1, kept.id)
    spot, noon, today = survey.spots[0], datetime.time(14), datetime.date.today()
    assert reading_level(tanks.open_tank(db, 1), survey.value, spot.value.place, noon, today) is None
    light_groups.begin_schedule(db, 1, setup.id, "nine")
    stored = tanks.open_tank(db, 1)

    def level(text: str) -> float:
        at = datetime.time.fromisoformat(text)
        found = reading_level(stored, survey.value, spot.value.place, at, datetime.date.today())
        assert found is not None
        return found.level

    assert (level("14:00"), level("11:45"), level("03:00")) == (pytest.approx(1.0), pytest.approx(0.5), 0.0)
    body = {"act": "read", "spot": spot.id, "par": 90.0, "at": len(spot.value.readings), "time": "11:45", "level": None}
    answer = client.post(f"/tanks/1/survey/{kept.id}/act", json=body).json()
    assert answer["level"] == pytest.approx(0.5)
    assert "at 50 % now" in answer["word"] or "Predicted are" in answer["word"]
    late = client.post(f"/tanks/1/survey/{kept.id}/act", json={**body, "time": "03:00"})
    assert late.status_code == 422
    assert "too little to read" in late.json()["message"]


def test_lamps_that_have_just_come_on_are_named(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    halides = next(one for one in stored.setups if "Halide" in one.name)
    survey = surveys.open_survey(db, 1, surveys.all_surveys(db, 1)[0].id).value
    for old in halides.groups:
        light_groups.delete_group(db, 1, halides.id, old.id)
    group = LightGroup("H", "switch", (DayPoint(datetime.time(11), 1.0), DayPoint(datetime.time(16), 0.0)))
    light_groups.save_group(db, 1, halides.id, light_groups.NEW, group, [k.id for k in halides.fixtures])
    stored = tanks.open_tank(db, 1)
    of_it = replace(survey, setup=halides.name, fixtures=tuple(stored.setup(halides.id).hung))
    place = (0.5, 0.3, 0.1)
    soon, later = (
        reading_level(stored, of_it, place, datetime.time(11, minute), datetime.date.today()) for minute in (1, 45)
    )
    assert soon is not None
    assert any("halide" in name for name in soon.warming)
    assert later is not None
    assert not later.warming
    assert soon.level < later.level


def test_the_simulated_meter_reads_what_the_schedule_gives_at_the_hour(db: Database) -> None:
    light_groups.begin_schedule(db, 1, 1, "nine")
    stored, clock = tanks.open_tank(db, 1), iter(np.arange(1e4) * 0.2)
    moment = datetime.datetime(2026, 11, 30, 14)
    meter = SimulatedMeter(
        medium_of(stored.lit_tank()), lambda: lights_at(stored, stored.setup(), stored.setup().hung, moment),
        seed=1, clock=lambda: float(next(clock)), wait=lambda _: None,
    )  # fmt: skip
    meter.stand((0.5, 0.3, 0.1))
    readings = meter.readings()

    def median() -> float:
        list(islice(readings, 200))  # until it has looked at the lights again
        return float(np.median(list(islice(readings, 60))))

    noon = median()
    moment = moment.replace(hour=11, minute=45)
    assert median() == pytest.approx(noon / 2, rel=0.06)
    moment = moment.replace(hour=3)
    assert median() == 0.0


def test_points_with_channels_beside_points_without_are_read_by_all(client: TestClient, db: Database) -> None:
    """What the lights do now, and a reading, once failed on a group with a colour of its own at some points."""
    points = (DayPoint(datetime.time(8), 0.0), DayPoint(datetime.time(12), 1.0, "100/80/40/20/10"))
    ids = [kept.id for kept in tanks.open_tank(db, 1).setup().fixtures]
    light_groups.save_group(db, 1, 1, light_groups.NEW, LightGroup("LED", "linear", points), ids)
    stored, survey = tanks.open_tank(db, 1), surveys.open_survey(db, 1, surveys.all_surveys(db, 1)[0].id).value
    assert lights_now(stored, stored.setup(), datetime.date.today(), 600.0).levels == (("LED", "50 %"),)
    found = reading_level(stored, survey, (0.5, 0.3, 0.1), datetime.time(10), datetime.date.today())
    assert found is not None
    assert not found.warming
    assert 0.2 < found.level < 0.6
    assert client.get("/tanks/1/day").status_code == client.get("/tanks/1/day/card").status_code == 200
    assert client.post("/tanks/1/day/move", data={"begins": "9:00", "hours": "10"}).status_code == 422

"""A survey read again at the same points."""

from __future__ import annotations

import datetime
from dataclasses import replace

import pytest
from fastapi.testclient import TestClient

from corlume.services.keeping import surveys, tanks
from corlume.services.keeping.hung_fixtures import change_fixtures
from corlume.services.survey.repeated_survey import earlier_survey, point_changes
from corlume.store.database import Database


def test_a_survey_is_repeated_at_its_points_and_compared_with_the_lights_of_both_days(
    client: TestClient, db: Database
) -> None:
    first = surveys.all_surveys(db, 1)[0]
    assert "No earlier survey" in client.get(f"/tanks/1/survey/{first.id}/points").text
    lamp = tanks.open_tank(db, 1).setup().fixtures[0]
    change_fixtures(db, 1, 1, {lamp.id: {"output": 0.5}})
    path = client.post(f"/tanks/1/survey/{first.id}/repeat").headers["location"]
    again = surveys.open_survey(db, 1, int(path.rpartition("/")[2]))
    assert again.value.day == datetime.date.today()
    assert [kept.value.place for kept in again.spots] == [kept.value.place for kept in first.spots]
    assert again.done == 0
    spots = [kept for kept in again.spots if kept.value.place in {spot.place for spot, _ in first.value.read()}]
    for kept in spots[:3]:
        was = next(par for spot, par in first.value.read() if spot.place == kept.value.place)
        surveys.save_point(db, 1, again.id, kept.id, replace(kept.value, readings=(0.9 * was / again.value.immersion,)))
    again = surveys.open_survey(db, 1, again.id)
    assert earlier_survey(surveys.all_surveys(db, 1), again) is not None
    changes = point_changes(first.value, again.value)
    assert [one.change for one in changes] == pytest.approx([-0.1] * 3)
    text = client.get(f"/tanks/1/survey/{again.id}/points").text
    assert "Median change: <b>-10 %" in text or "Median change: <b>\u221210 %" in text
    assert "output 64 to 50 %" in text

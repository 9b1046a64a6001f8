"""A follow-up of a big change: readings, corals and photos of both sides of a day, and when it is due."""

from __future__ import annotations

import datetime
import io
from dataclasses import replace

from fastapi.testclient import TestClient
from PIL import Image

from corlume.core.acclimation.log_entry import LogEntry
from corlume.core.upkeep.log_event import LogEvent
from corlume.services.keeping import acclimation_log, surveys, tanks
from corlume.services.keeping.acclimation_log import note_light
from corlume.services.upkeep import log
from corlume.services.upkeep.follow_up import big_changes, follow_up
from corlume.services.upkeep.today import look_at_today
from corlume.store.database import Database
from corlume.store.journal import insert_row
from corlume.store.tables import EVENTS
from tests.upkeep.test_wear import bare

NOW = datetime.datetime.now().replace(microsecond=0)
TODAY, DAY = NOW.date(), datetime.timedelta(days=1)
CHANGED = TODAY - 33 * DAY


def picture() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (40, 30), "teal").save(out, "PNG")
    return out.getvalue()


def log_levels(db: Database, day: datetime.date, words: str) -> None:
    with db.writing() as connection:
        insert_row(connection, EVENTS.name, EVENTS.row(LogEvent("levels", day, words=words), 1))


def test_a_big_change_is_followed_up_a_month_later_on_one_page(client: TestClient, db: Database) -> None:
    bare(db)
    stored = tanks.open_tank(db, 1)
    first, second = stored.corals[3].id, stored.corals[5].id
    # light of two corals before, and after a change by a fifth; a change by a tenth is not big
    for day, times in ((CHANGED - 20 * DAY, 1.0), (CHANGED - 10 * DAY, 1.1), (CHANGED, 1.32)):
        note_light(db, stored, {first: 400.0 * times, second: 100.0 * times}, "-", day)
        log_levels(db, day, f"A: output times {times}.")
    changes = big_changes(db, tanks.open_tank(db, 1), CHANGED)
    assert [(one.day, one.words, one.due) for one in changes] == [
        (CHANGED, "A: output times 1.32", CHANGED + 30 * DAY)]  # fmt: skip
    due = [item for item in look_at_today(db, tanks.open_tank(db, 1), NOW).due if "month after" in item.words]
    assert [(item.path, item.late) for item in due] == [(f"/log/follow-up?day={CHANGED}", True)]

    for coral, day, polyps in ((first, CHANGED - DAY, "open"), (first, TODAY, "closed"), (second, TODAY, "open")):
        colour = "paler" if polyps == "closed" else "good"
        seen = LogEntry("watch", day, datetime.time(12), polyps=polyps, tissue="full", colour=colour)
        acclimation_log.add_entry(db, 1, coral, seen, today=TODAY, photo=picture() if day == TODAY else b"")
    log.add_event(db, 1, LogEvent("note", CHANGED - DAY, words="From the sofa"), NOW, picture())
    log.add_event(db, 1, LogEvent("media", CHANGED - 5 * DAY, words="New carbon"), NOW)
    survey = surveys.all_surveys(db, 1)[0].value
    brighter = tuple(
        replace(spot, readings=tuple(1.2 * value for value in spot.readings)) for spot in survey.spots
    )  # fmt: skip
    surveys.add_survey(db, 1, replace(survey, name="Before", day=CHANGED - DAY, in_use=False))
    surveys.add_survey(db, 1, replace(survey, name="Month", day=TODAY, spots=brighter, in_use=False))

    found = follow_up(db, tanks.open_tank(db, 1), CHANGED, TODAY)
    assert [one.value.name for one in found.surveys if one] == ["Before", "Month"]
    assert round(found.middle, 6) == 0.2
    corals = {one.id: (one.worse, round(one.change or 0.0, 3)) for one in found.corals}
    assert (corals[first], corals[second]) == ((True, 0.2), (False, 0.2))
    assert found.rose
    assert [len(side) for side in found.photos] == [1, 4]  # two of them of the demo
    assert "New carbon" in [one.told for one in found.others]
    text = client.get(f"/tanks/1/log/follow-up?day={CHANGED}").text
    assert "looks worse:" in text
    assert "median change <b>+20 %</b>" in text
    assert text.count("<figure>") == 5
    assert not [item for item in look_at_today(db, tanks.open_tank(db, 1), NOW).due if "month after" in item.words]


def test_a_day_that_is_none_or_to_come_is_refused_and_kept(client: TestClient) -> None:
    for day, words in (("soon", "is no day"), ((TODAY + DAY).isoformat(), "is in the future")):
        answer = client.get(f"/tanks/1/log/follow-up?day={day}")
        assert answer.status_code == 422
        assert words in answer.text
        assert f'value="{day}"' in answer.text
    assert client.get("/tanks/1/log/follow-up?day=2020-01-01").status_code == 200

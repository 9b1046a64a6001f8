"""The log: written by hand and by Corlume, narrowed, exported, and tied to the lights as they were; and what is due."""

from __future__ import annotations

import csv
import datetime
import io
from dataclasses import replace

import pytest
from fastapi.testclient import TestClient
from PIL import Image

from corlume.core.acclimation.log_entry import LogEntry
from corlume.core.errors import InvalidInput
from corlume.core.upkeep.cleaning import Cleaning, CleaningRhythm
from corlume.services.acclimation.acclimation import watch_all
from corlume.services.keeping import acclimation_log, light_groups, setups, tanks
from corlume.services.keeping.hung_fixtures import change_fixtures
from corlume.services.upkeep import cleaning, lamps, log, setup_log
from corlume.services.upkeep.today import look_at_today, what_looks_wrong
from corlume.store.database import Database
from corlume.store.tables import NotFound
from tests.upkeep.test_wear import bare

NOW = datetime.datetime.now().replace(microsecond=0)
TODAY = NOW.date()
DAY = datetime.timedelta(days=1)


def test_changes_of_the_lights_are_logged_once_a_day_with_the_lights_as_they_were(db: Database) -> None:
    assert setup_log.log_setup(db, 1, NOW - 5 * DAY) == 1
    first = tanks.open_tank(db, 1).setup().fixtures[0]
    for output in (0.3, 0.7):
        change_fixtures(db, 1, 1, {first.id: {"output": output}})
        assert setup_log.log_setup(db, 1, NOW - DAY) == 1
    assert setup_log.log_setup(db, 1, NOW) == 0
    light_groups.begin_schedule(db, 1, 1, "nine")
    setup_log.log_setup(db, 1, NOW)
    found = log.entries(db, 1, group="light")
    assert [one.kind for one in found][:3] == ["schedule", "levels", "setup"]
    assert found[1].words == "A LED cluster, west: output 64 to 70 %."
    then = setup_log.setup_at(db, found[2].state)
    assert then.fixtures[0].output == first.value.output
    assert setup_log.state_on(db, 1, NOW.date() - 2 * DAY).value.words == found[2].words
    with pytest.raises(NotFound):
        setup_log.state_on(db, 1, NOW.date() - 6 * DAY)
    again = setup_log.save_again(db, 1, log.open_event(db, 1, found[2].id))
    assert tanks.open_tank(db, 1).setup(again).hung[0].output == first.value.output
    setups.use_setup(db, 1, 3)
    setup_log.log_setup(db, 1, NOW + DAY)
    assert "put to use in place of" in log.entries(db, 1, group="light")[0].words


def test_the_log_is_written_by_hand_narrowed_and_exported(client: TestClient, db: Database) -> None:
    sent = {
        "kind": "media",
        "day": TODAY.isoformat(),
        "time": "10:30",
        "words": "100 % new carbon",
        "fixture": "",
        "quick": "",
    }
    photo = io.BytesIO()
    Image.new("RGB", (40, 30), "teal").save(photo, "PNG")
    files = {"photo": ("a.png", photo.getvalue())}
    assert client.post("/tanks/1/log", data=sent, files=files).status_code == 303
    (one,) = log.entries(db, 1, text="100 %")
    assert (one.kind, one.time, one.day) == ("media", "10:30", TODAY)
    assert log.open_event(db, 1, one.id).lit == "Plain hours off"
    assert client.get(f"/tanks/1/log/events/{one.id}/photo").content[:3] == b"\xff\xd8\xff"
    assert client.post("/tanks/1/log", data={"quick": "incident|Power cut"}).status_code == 303
    assert client.post("/tanks/1/log", data={"quick": "incident|<script>"}).status_code == 404
    for changes, words in (
        ({"day": (TODAY + DAY).isoformat()}, "in the future"),
        ({"day": "soon"}, "Day"),
        ({"words": " "}, "are missing"),
        ({"fixture": "None of these"}, "none of this tank"),
        ({"kind": "levels"}, "logged by Corlume itself"),
    ):
        answer = client.post("/tanks/1/log", data=sent | changes)
        assert answer.status_code == 422
        assert words in answer.text
    assert client.post("/tanks/1/log", data=sent, files={"photo": ("a.png", b"no picture")}).status_code == 422
    text = client.get("/tanks/1/log?group=other").text
    assert "100 % new carbon" in text
    assert "Power cut</b>" not in text
    others = len(log.other_changes(db, 1, TODAY))
    assert f"{others} other changes" in client.get("/tanks/1/log").text
    assert client.get("/tanks/1/log?since=x").status_code == 422
    rows = list(csv.DictReader(io.StringIO(client.get("/tanks/1/log/log.csv").text)))
    assert [row["words"] for row in rows if row["what"] == "filter media"][-1] == "100 % new carbon"
    assert {"checked", "survey", "dipped"} <= {row["what"] for row in rows}
    assert [row["day"] for row in rows] == sorted(row["day"] for row in rows)
    before = tanks.steps(db, 1).undo
    client.post(f"/tanks/1/log/events/{one.id}/delete")
    assert not log.entries(db, 1, text="100 %")
    tanks.undo(db, 1)
    assert (log.entries(db, 1, text="100 %") != [], tanks.steps(db, 1).undo) == (True, before)


def test_what_is_due_is_on_today_in_the_order_of_its_days(client: TestClient, db: Database) -> None:
    bare(db)
    hung = tanks.open_tank(db, 1).setup().hung
    old = replace(lamps.usual_lamp(hung[0], TODAY - 360 * DAY), life_hours=None, life_months=12.0, label="West")
    lamps.add_lamps(db, 1, [old], TODAY)
    cleaning.save_rhythm(db, 1, None, CleaningRhythm("lens", TODAY - 70 * DAY, every=60), TODAY)
    found = look_at_today(db, tanks.open_tank(db, 1), NOW)
    assert [(item.words, item.late) for item in found.due] == [("Clean lenses", True), ("Change West", False)]
    assert found.next is not None
    assert found.next.name == "Day"
    assert len(found.checks) == 4
    text = client.get("/tanks/1/today").text
    assert "Change West" in text
    assert "Check 4 corals" in text
    cleaning.add_cleaning(db, 1, Cleaning(TODAY, "lens", before=200.0, after=210.0), TODAY)
    with pytest.raises(InvalidInput):
        cleaning.add_cleaning(db, 1, Cleaning(TODAY + DAY, "lens"), TODAY)
    (ids,) = [[kept.id for kept in tanks.open_tank(db, 1).lamps]]
    lamps.change_lamps(db, 1, ids, TODAY - 30 * DAY, [], None, TODAY)
    due = [item.words for item in look_at_today(db, tanks.open_tank(db, 1), NOW).due]
    assert due == ["Survey and photos a month after new West"]


def test_what_looks_wrong_is_told_with_the_page_where_it_is_solved(client: TestClient, db: Database) -> None:
    found = what_looks_wrong(db, tanks.open_tank(db, 1), NOW, None)
    assert any("too much daily light" in one.words for one in found)
    assert {one.path for one in found} >= {"/layout"}
    assert "too much daily light" in client.get("/tanks/1/today/wrong").json()["html"]
    hung = tanks.open_tank(db, 1).setup().fixtures
    change_fixtures(db, 1, 1, {kept.id: {"output": min(1.0, 1.3 * kept.value.output)} for kept in hung})
    assert any("without a plan" in one.words for one in what_looks_wrong(db, tanks.open_tank(db, 1), NOW, None))


def test_an_empty_tank_is_told_the_order_of_the_work_and_a_device_opens_where_it_likes(
    client: TestClient, db: Database
) -> None:
    scene = tanks.open_tank(db, 1).scene()
    empty = tanks.create_tank(
        db, "Empty", replace(scene.tank, rocks=(), natural_rocks=(), braces=()), scene.targets, scene.running
    )
    text = client.get(f"/tanks/{empty}/today").text
    assert "Next: tank and rockwork" in text
    assert "Nothing is due" in text
    assert client.get(f"/tanks/{empty}/open").headers["location"].endswith("/today")
    client.post("/preferences", data={"opens": "chart", "back": "/tanks"})
    assert client.get(f"/tanks/{empty}/open").headers["location"].endswith("/par-map")


@pytest.mark.logs_light
def test_a_change_on_the_par_map_comes_into_the_log_by_itself(client: TestClient, db: Database) -> None:
    setup_log.log_setup(db, 1, NOW - DAY)
    first = tanks.open_tank(db, 1).setup().fixtures[0].id
    body = {"probe": {"x": 0.5, "y": 0.3, "depth": 0.1}, "changes": {str(first): {"output": 0.5}}}
    assert client.post("/tanks/1/setups/1/fixtures", json=body).status_code == 200
    assert log.entries(db, 1, group="light")[0].words == "A LED cluster, west: output 64 to 50 %."
    assert f"/log/lights/{TODAY}" in client.get("/tanks/1/log").text
    assert "A LED cluster, west: output 64 to 50 %." in client.get(f"/tanks/1/log/lights/{TODAY}").text
    assert client.get(f"/tanks/1/log/lights/{TODAY - 9 * DAY}").status_code == 404


def test_status_of_a_coral_follows_from_its_latest_entries_as_from_all(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    first = stored.corals[0].id
    for k in range(60):
        day = TODAY - datetime.timedelta(days=60 - k)
        acclimation_log.add_entry(db, 1, first, LogEntry("watch", day, polyps="open"), today=TODAY)
    every, latest = acclimation_log.logs(db, 1), acclimation_log.latest_logs(db, 1)
    assert len(latest[first]) < len(every[first])
    assert [one.standing for one in watch_all(stored, latest, TODAY)] == [
        one.standing for one in watch_all(stored, every, TODAY)]  # fmt: skip
    unhappy = next(one for one in watch_all(stored, every, TODAY) if one.standing.bad_days)
    assert "Before light is blamed" in client.get(f"/tanks/1/corals/{unhappy.coral.id}/log").text

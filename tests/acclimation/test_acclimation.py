"""First weeks: where a coral stands by its time line, looks by two taps, moves, light written down, losses."""

from __future__ import annotations

import datetime
import io
import re
from dataclasses import replace

import pytest
from PIL import Image
from starlette.testclient import TestClient

from corlume.core.acclimation.acclimation_status import (
    LightsOn,
    PlacementPar,
    is_acclimating,
    is_healthy,
    is_unhappy,
    many_unhappy,
    status_on,
)
from corlume.core.acclimation.log_entry import Course, LogEntry
from corlume.core.errors import InvalidInput
from corlume.services.acclimation.acclimation import all_at_once, log_light, spot_for, watch_all, watched_one
from corlume.services.keeping import acclimation_log, corals, hung_fixtures, tanks
from corlume.services.placement.zone_placement import coral_light
from corlume.store.database import Database

DAY = datetime.date(2026, 5, 20)
TODAY = datetime.date.today()


@pytest.fixture(autouse=True)
def _this_day() -> None:
    """A run of all tests may go past midnight."""
    global TODAY
    TODAY = datetime.date.today()


LIGHT = LightsOn(datetime.time(20, 30), 9.0)
PLACE = (0.3, 0.2, 0.25)


def ago(days: int) -> datetime.date:
    return DAY - datetime.timedelta(days=days)


def seen(days: int, polyps: str = "open", colour: str = "good", at: str = "15:00") -> LogEntry:
    return LogEntry("watch", ago(days), datetime.time.fromisoformat(at), polyps, "full", colour)  # type: ignore[arg-type]


def stage(*notes: LogEntry, patience: str = "week", place: tuple[float, float, float] | None = PLACE) -> str:
    line = sorted(notes, key=lambda note: note.day)
    return status_on(line, Course(patience=patience), place, today=DAY, light=LIGHT).stage  # type: ignore[arg-type]


LOOSE = LogEntry("loose", ago(8))


def test_course_goes_from_loose_by_a_week_of_looks_to_fixed() -> None:
    """Common practice, no source: placed loose, watched for a week, then fixed."""
    assert stage(place=None) == "waits"
    assert stage(LogEntry("light", ago(30), par=200.0)) == "untold"
    assert stage(LogEntry("loose", ago(3)), seen(2), seen(1)) == "watch"
    assert stage(LOOSE, seen(6), seen(3)) == "watch"  # its week is over, with too few looks
    assert stage(LOOSE, seen(6), seen(3), seen(1)) == "fix"
    assert stage(LOOSE, seen(6), seen(3), seen(1), LogEntry("fixed", ago(0))) == "fixed"
    # moved since, all of it begins anew
    assert stage(LOOSE, seen(6), seen(5), seen(4), LogEntry("moved", ago(2)), seen(1)) == "watch"


def test_schools_differ_on_two_bad_days_in_the_first_week() -> None:
    """Common practice, no source: at least a week after a move; the other school moves after two or three bad days."""
    young = LogEntry("loose", ago(4)), seen(2, "closed"), seen(1, "closed")
    assert stage(*young) == "unhappy"
    assert "Check the flow on it" in status_on(young, Course(), PLACE, today=DAY, light=LIGHT).why
    assert status_on(young, Course(), PLACE, today=DAY, light=LIGHT).words == "Leave it until 2026-05-23."
    assert stage(*young, patience="days") == "unhappy"  # two bad days are not yet three
    assert stage(young[0], seen(3, "closed"), *young[1:], patience="days") == "move"
    assert stage(young[0], young[1], patience="days") == "unhappy"
    assert stage(LOOSE, seen(2, "closed"), seen(1, "closed")) == "move"
    assert stage(LOOSE, seen(3, "closed"), seen(2, "closed"), seen(1)) == "watch"  # it has opened again


def test_a_newcomer_has_three_days_and_its_old_light_is_matched_for_three_weeks() -> None:
    """Common practice, no source: closed or pale for some days after transport and dip says nothing."""
    came = Course(bought=ago(2))
    line = [LogEntry("dip", ago(2)), LogEntry("loose", ago(2)), seen(1, "closed"), seen(0, "closed", "paler")]
    calm = status_on(line, came, PLACE, today=DAY, light=LIGHT)
    assert (calm.stage, calm.bad_days) == ("watch", 0)
    assert "three days after transport and dip" in calm.why
    later = [*line, LogEntry("watch", DAY + datetime.timedelta(days=1), datetime.time(15), "closed", "full", "paler")]
    bad = status_on(
        later, came, PLACE, today=DAY + datetime.timedelta(days=1), light=LIGHT, reading=PlacementPar(390, 200, 330)
    )
    assert (bad.stage, bad.bad_days) == ("unhappy", 1)
    assert "It has 390 PAR and needs 330 at most" in bad.why
    assert is_acclimating(line, came, DAY)
    assert not is_acclimating([*line, LogEntry("fixed", DAY)], came, DAY)
    assert not is_acclimating(line[1:2], Course(bought=ago(21)), DAY)
    # a third approach secures it on its first day, and then leaves it alone
    at_once = Course(bought=ago(0), patience="secure")
    first = [LogEntry("loose", ago(0))]
    assert status_on(first, at_once, PLACE, today=DAY, light=LIGHT).words == "Secure it now."
    assert status_on([*first, LogEntry("fixed", ago(0))], at_once, PLACE, today=DAY, light=LIGHT).stage == "fixed"
    assert is_healthy(seen(1, colour="better"))


def test_closing_in_the_last_hour_of_light_or_in_the_dark_raises_no_alarm() -> None:
    for at, bad in (
        ("15:00", True),
        ("19:29", True),
        ("19:31", False),
        ("20:30", False),
        ("23:00", False),
        ("09:00", False),
    ):
        assert is_unhappy(seen(1, "closed", at=at), LIGHT) is bad, at
    assert is_unhappy(seen(1, "closed", "paler", at="20:00"), LIGHT)
    assert is_unhappy(seen(1, "closed", at="20:00"), LightsOn(None, 9.0))


def test_several_at_once_are_told_with_what_changed_lately(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    then = TODAY - datetime.timedelta(days=9)
    here = [kept for kept in stored.corals if kept.value.place is not None]
    placed = [kept.id for kept in here if (kept.value.course.bought or then) <= then][:7]
    for coral_id in placed:
        acclimation_log.add_entry(db, 1, coral_id, LogEntry("loose", then), today=TODAY)
    assert all_at_once(watch_all(stored, acclimation_log.logs(db, 1), TODAY), TODAY) is None
    for coral_id in placed[:4]:
        note = LogEntry("watch", TODAY, datetime.time(14, 0), "closed")
        acclimation_log.add_entry(db, 1, coral_id, note, today=TODAY)
    watched = watch_all(stored, acclimation_log.logs(db, 1), TODAY)
    assert many_unhappy([one.standing for one in watched])
    told = all_at_once(watched, TODAY)
    assert told is not None
    assert any("Stylophora, light 262 to 388 PAR" in words for words in told)


@pytest.mark.logs_light
def test_light_is_written_down_when_levels_setups_or_places_change_it(client: TestClient, db: Database) -> None:
    log_light(db, 1, TODAY)
    assert log_light(db, 1, TODAY) == 0  # what is not changed is not written again
    stored = tanks.open_tank(db, 1)
    coral = next(kept for kept in stored.corals if kept.value.place is not None)
    before = coral_light(stored, stored.setup().hung)[coral.id]
    lamp = stored.setup().fixtures[0]
    for output in (0.9, 0.35):
        hung_fixtures.change_fixtures(db, 1, stored.setup().id, {lamp.id: {"output": output}})
        log_light(db, 1, TODAY)
    noted = [kept.value for kept in acclimation_log.logs(db, 1)[coral.id] if kept.value.kind == "light"]
    assert noted[-1].par == pytest.approx(
        coral_light(tanks.open_tank(db, 1), tanks.open_tank(db, 1).setup().hung)[coral.id]
    )
    assert noted[-1].par != pytest.approx(before, rel=0.02)
    assert sum(note.day == TODAY for note in noted) == 1  # once a day
    # a post through the pages writes it down by itself
    client.post(f"/tanks/1/corals/{coral.id}/place", json={"x": 0.75, "y": 0.2})
    last = acclimation_log.logs(db, 1)[coral.id][-1].value
    assert last.kind == "light"
    assert last.place is not None
    assert last.place[0] == pytest.approx(0.75)


def test_unhappy_coral_is_offered_a_better_seat_and_moved_in_one_step(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    pale = watched_one(db, stored, 3, TODAY)
    assert pale.standing.stage == "move"
    found = spot_for(stored, pale)
    assert found is not None
    assert pale.par is not None
    assert found.par < 0.9 * pale.par  # it went paler: less light
    assert f"{found.par:.0f} PAR instead of {pale.par:.0f}" in client.get("/tanks/1/corals/3/log").text
    assert client.post("/tanks/1/corals/3/log/move").status_code == 303
    after = tanks.open_tank(db, 1)
    place = after.coral(3).value.place
    assert place is not None
    assert tuple(place) == pytest.approx(found.place)
    assert coral_light(after, after.setup().hung)[3] == pytest.approx(found.par, rel=0.02)
    assert watched_one(db, after, 3, TODAY).standing.words == "Day 1 of 7: check it once a day."
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).coral(3).value == stored.coral(3).value
    assert watched_one(db, tanks.open_tank(db, 1), 3, TODAY).standing.stage == "move"


def test_two_taps_are_a_look_and_one_alone_is_none(client: TestClient, db: Database) -> None:
    def looks() -> list[LogEntry]:
        return [kept.value for kept in acclimation_log.logs(db, 1)[14] if kept.value.kind == "watch"]

    before = looks()
    answer = client.post("/tanks/1/corals/check/14", data={"seen": "fine"})
    assert answer.status_code == 422
    assert "Tap first how its polyps are" in answer.text
    assert looks() == before
    assert client.post("/tanks/1/corals/check/14", data={"polyps": "half", "seen": "darker"}).status_code == 303
    note = looks()[-1]
    assert (note.polyps, note.colour, note.day) == ("half", "darker", TODAY)
    assert note.time is not None


def test_a_day_to_come_is_refused_and_nothing_typed_is_lost(client: TestClient, db: Database) -> None:
    tomorrow = (TODAY + datetime.timedelta(days=1)).isoformat()
    typed = {
        "note_kind": "watch", "note_day": tomorrow, "note_time": "", "note_polyps": "open", "note_tissue": "",
        "note_colour": "", "note_note": "From <b>tomorrow</b>",
    }  # fmt: skip
    answer = client.post("/tanks/1/corals/3/log/notes", data=typed)
    assert answer.status_code == 422
    assert "Day is in the future" in answer.text
    assert "From &lt;b&gt;tomorrow&lt;/b&gt;" in answer.text
    with pytest.raises(InvalidInput, match="before it came"):
        acclimation_log.add_entry(db, 1, 3, LogEntry("watch", TODAY - datetime.timedelta(days=300)), today=TODAY)
    answer = client.post(
        "/tanks/1/corals/3/log", data={"bought": tomorrow, "origin": "", "had": "", "patience": "week", "lost": ""}
    )
    assert "Came on is in the future" in answer.text


def test_lost_coral_leaves_its_place_and_keeps_its_record(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    count = len(stored.corals)
    lost = replace(stored.coral(3).value.course, lost=TODAY)
    acclimation_log.save_course(db, 1, 3, lost, today=TODAY)
    after = tanks.open_tank(db, 1)
    assert len(after.corals) == count - 1
    assert len(after.lost) == 2
    assert "Tips nearly white" in client.get("/tanks/1/corals/3/log").text
    assert "Lost, 2" in client.get("/tanks/1/corals").text
    with pytest.raises(InvalidInput, match="was lost on"):
        corals.place_coral(db, 1, 3, (0.3, 0.2, 0.4))
    acclimation_log.save_course(db, 1, 3, replace(lost, lost=None), today=TODAY)
    assert len(tanks.open_tank(db, 1).corals) == count


def test_photos_go_along_in_a_zip_and_come_back(client: TestClient, db: Database) -> None:
    out = io.BytesIO()
    Image.new("RGB", (60, 40), (20, 90, 80)).save(out, "PNG")
    data = {"note_kind": "photo", "note_day": TODAY.isoformat(), "note_time": "12:00"}
    answer = client.post("/tanks/1/corals/3/log/notes", data=data, files={"photo": ("a.png", out.getvalue())})
    assert answer.status_code == 303
    wrong = client.post("/tanks/1/corals/3/log/notes", data=data, files={"photo": ("a.png", b"no picture")})
    assert wrong.status_code == 422
    note = acclimation_log.logs(db, 1)[3][-1]
    assert client.get(f"/tanks/1/corals/3/log/notes/{note.id}/photo").headers["content-type"] == "image/jpeg"
    again = tanks.import_tank(db, tanks.export_zip(db, 1))
    copy = next(kept for kept in tanks.open_tank(db, again).corals if kept.value.card.name == "Stylophora")
    notes = acclimation_log.logs(db, again)[copy.id]
    assert [kept.value for kept in notes] == [kept.value for kept in acclimation_log.logs(db, 1)[3]]
    assert acclimation_log.photo_of(db, again, copy.id, notes[-1].id) == acclimation_log.photo_of(db, 1, 3, note.id)
    corals.remove_coral(db, again, copy.id)
    tanks.undo(db, again)
    assert acclimation_log.logs(db, again)[copy.id] == notes


@pytest.mark.logs_light
def test_the_log_shows_the_light_of_now_and_no_entry_is_laid_over_another(client: TestClient, db: Database) -> None:
    """What an undo changes is noted too; a class of ours may be none of the style sheet's that places things."""
    acclimation_log.add_entry(db, 1, 3, LogEntry("fixed", TODAY), today=TODAY)
    stored = tanks.open_tank(db, 1)
    lamp = stored.setup().fixtures[0]
    hung_fixtures.change_fixtures(db, 1, stored.setup().id, {lamp.id: {"output": 0.2}})
    client.post("/tanks/1/undo", data={"back": "/tanks/1/corals"})
    page = client.get("/tanks/1/corals/3/log").text
    par = coral_light(tanks.open_tank(db, 1), tanks.open_tank(db, 1).setup().hung)[3]
    assert f"<b>now</b> <span>{par:.0f} PAR" in page
    last = next(kept.value for kept in reversed(acclimation_log.logs(db, 1)[3]) if kept.value.kind == "light")
    assert last.par == pytest.approx(par, rel=0.03)
    used = {word for classes in re.findall(r'class="([^"]*)"', page) for word in classes.split()}
    assert not used & {"fixed", "absolute", "sticky", "static", "invisible", "collapse", "contents"}

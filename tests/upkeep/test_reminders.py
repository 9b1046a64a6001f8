"""Reminders: read back by icalendar, updated by a second import, printed as a month."""

from __future__ import annotations

import datetime

import icalendar
from fastapi.testclient import TestClient

from corlume.core.upkeep.cleaning import Cleaning
from corlume.formats.calendar_file import CalendarEvent, write_calendar
from corlume.services.keeping import setups, tanks
from corlume.services.schedule.change_plans import change_plan, restart_light
from corlume.services.upkeep import cleaning
from corlume.store.database import Database

TODAY = datetime.date.today()


def events_of(data: bytes) -> dict[str, tuple[datetime.date, str]]:
    """Events of a file by their ids, as a calendar keeps them."""
    events = icalendar.Calendar.from_ical(data).walk("VEVENT")
    found = {str(e["uid"]): (e["dtstart"].dt, str(e["summary"])) for e in events}
    assert len(found) == len(events)
    assert all(len(e.walk("VALARM")) == 1 for e in events)
    return found


def test_the_calendar_is_read_by_the_package_icalendar() -> None:
    steps = [CalendarEvent("a", TODAY, "Tank: LED 20 %; more, later", "Step 1"), CalendarEvent("b", TODAY, "B")]
    found = events_of(write_calendar("Tank", steps, datetime.datetime(2026, 11, 30, tzinfo=datetime.UTC)))
    assert found == {"a@corlume": (TODAY, "Tank: LED 20 %; more, later"), "b@corlume": (TODAY, "B")}


def test_a_second_import_updates_and_doubles_nothing(client: TestClient, db: Database) -> None:
    plan_id = restart_light(db, 1, tanks.open_tank(db, 1).setup().id, TODAY)
    first = events_of(client.get("/tanks/1/log/reminders.ics").content)
    words = " ".join(words for _, words in first.values())
    assert "change lamp West, board 1" in words
    assert "clean fans and vents" in words
    assert "survey" in words
    assert "a month after A LED cluster, west: output 46 to 64 %" in words
    change_plan(db, 1, plan_id, lambda plan: plan.held(TODAY, 7), "hold")
    cleaning.add_cleaning(db, 1, Cleaning(TODAY, "fan"), TODAY)
    second = events_of(client.get("/tanks/1/log/reminders.ics").content)
    assert set(second) == set(first)
    moved = {key for key in first if first[key][0] != second[key][0]}
    assert len([key for key in moved if key.startswith("plan-")]) == 4
    assert any(key.startswith("cleaning-") for key in moved)


def test_the_month_shows_what_is_due_on_its_days(client: TestClient, db: Database) -> None:
    text = client.get("/tanks/1/log/month").text
    assert f"{TODAY:%B %Y}" in text
    assert "clean fans and vents" in text
    assert client.get("/tanks/1/log/month?of=2031-02").status_code == 200
    assert client.get("/tanks/1/log/month?of=2031-13").status_code == 422
    setups.use_setup(db, 1, 3)
    assert client.get("/tanks/1/log/month").status_code == 200

"""Reminders as an iCalendar file: all-day events whose ids stay, so that a second import updates the first."""

from __future__ import annotations

import datetime
from collections.abc import Iterable
from dataclasses import dataclass

ALARM = datetime.timedelta(hours=9)
"""An event reminds at nine in the morning of its day."""


@dataclass(frozen=True, slots=True)
class CalendarEvent:
    """An all-day event: its lasting id, its day, what to do, and more of it."""

    key: str
    day: datetime.date
    summary: str
    more: str = ""


def write_calendar(name: str, events: Iterable[CalendarEvent], written: datetime.datetime) -> bytes:
    """An iCalendar file of events with an alarm each; ``written`` is when the file is made, in UTC."""
    import icalendar

    calendar = icalendar.Calendar()
    calendar.add("prodid", "-//Corlume//Reminders//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    for one in events:
        event = icalendar.Event()
        event.add("uid", f"{one.key}@corlume")
        event.add("dtstamp", written)
        event.add("last-modified", written)
        event.add("sequence", int(written.timestamp()) // 60)
        event.add("dtstart", one.day)
        event.add("dtend", one.day + datetime.timedelta(days=1))
        event.add("summary", one.summary)
        event.add("description", one.more)
        alarm = icalendar.Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", one.summary)
        alarm.add("trigger", ALARM)
        event.add_component(alarm)
        calendar.add_component(event)
    found: bytes = calendar.to_ical()
    return found

"""Reminders of what is due in the months to come: lamps, cleaning, surveys and steps of plans."""

from __future__ import annotations

import datetime

from corlume.core.upkeep.cleaning import PARTS
from corlume.formats.calendar_file import CalendarEvent
from corlume.formats.measure import Measure
from corlume.services.keeping.surveys import read_days
from corlume.services.schedule.plan_card import plan_events
from corlume.services.upkeep.cleaning import cleaning_states
from corlume.services.upkeep.follow_up import big_changes
from corlume.services.upkeep.lamps import lamp_states
from corlume.services.upkeep.today import SURVEY_EVERY
from corlume.store.database import Database
from corlume.store.tanks import StoredTank


def reminders(db: Database, stored: StoredTank, today: datetime.date, measure: Measure) -> list[CalendarEvent]:
    """Everything that is due on a day, each once, with an id that lasts; in the order of the days."""
    events = list[CalendarEvent]()
    for one in lamp_states(stored, today):
        lamp, key = one.kept.value, f"lamp-{stored.id}-{one.kept.id}"
        if one.due is not None:
            more = f"{lamp.fixture}. Off, unplugged and cool first; label the old one."
            events.append(CalendarEvent(key, max(one.due, today), f"{stored.name}: change lamp {lamp.label}", more))
        if one.order is not None and one.order < (one.due or today):
            words = f"{stored.name}: order a lamp for {lamp.label}"
            events.append(CalendarEvent(f"{key}-order", max(one.order, today), words, lamp.fixture))
    for state in cleaning_states(stored, today):
        rhythm, key = state.kept.value, f"cleaning-{stored.id}-{state.kept.id}"
        words = f"{stored.name}: clean {PARTS[rhythm.part]}" + (f" of {rhythm.fixture}" if rhythm.fixture else "")
        events.append(CalendarEvent(key, max(state.due, today), words, f"Every {rhythm.every} days."))
    read = read_days(db, stored.id)
    if read:
        day = max(max(read) + datetime.timedelta(days=SURVEY_EVERY), today)
        events.append(
            CalendarEvent(f"survey-{stored.id}", day, f"{stored.name}: survey", "Half a year since the last.")
        )
    for change in big_changes(db, stored, today):
        if change.due >= today and (not read or max(read) < change.due - datetime.timedelta(days=7)):
            words = f"{stored.name}: read again and take photos, a month after {change.words}"
            events.append(CalendarEvent(f"follow-up-{stored.id}-{change.day}", change.due, words, "Before and after."))
    for kept in stored.plans:
        if kept.value.state == "running":
            events += [event for event in plan_events(stored, kept, measure) if event.day >= today]
    return sorted(events, key=lambda event: (event.day, event.key))

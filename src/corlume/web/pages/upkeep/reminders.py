"""Reminders: as a file for the keeper's calendar, and as a month to print."""

from __future__ import annotations

import calendar
import datetime
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, Response

from corlume.formats.calendar_file import write_calendar
from corlume.services.keeping import tanks
from corlume.services.upkeep.reminders import reminders
from corlume.web.request.page import Db, RowId, Unit, page

router = APIRouter(prefix="/tanks/{tank_id}/log")


@router.get("/reminders.ics")
def export(db: Db, measure: Unit, tank_id: RowId) -> Response:
    """Everything that is due, as an iCalendar file with alarms."""
    stored = tanks.open_tank(db, tank_id)
    events = reminders(db, stored, datetime.date.today(), measure)
    data = write_calendar(f"Corlume, {stored.name}", events, datetime.datetime.now(datetime.UTC))
    headers = {"Content-Disposition": 'attachment; filename="reminders.ics"'}
    return Response(data, media_type="text/calendar; charset=utf-8", headers=headers)


@router.get("/month")
def show_month(
    request: Request, db: Db, measure: Unit, tank_id: RowId,
    of: Annotated[str, Query(pattern=r"^\d{4}-(0[1-9]|1[0-2])$")] | None = None,
) -> HTMLResponse:  # fmt: skip
    """A month with what is due on its days, to print."""
    stored, today = tanks.open_tank(db, tank_id), datetime.date.today()
    year, month = (int(part) for part in of.split("-")) if of else (today.year, today.month)
    first = datetime.date(max(1, min(9998, year)), month, 1)
    due: dict[datetime.date, list[str]] = {}
    for event in reminders(db, stored, today, measure):
        due.setdefault(event.day, []).append(event.summary.removeprefix(f"{stored.name}: "))
    before = first - datetime.timedelta(days=1)
    after = first + datetime.timedelta(days=31)
    context = {
        "stored": stored,
        "first": first,
        "weeks": calendar.Calendar().monthdatescalendar(first.year, first.month),
        "due": due,
        "date": today,
        "before": f"{before:%Y-%m}",
        "after": f"{after:%Y-%m}",
    }
    return page(request, "upkeep/month.html", context, tank=stored)

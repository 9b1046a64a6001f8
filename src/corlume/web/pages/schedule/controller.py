"""Controller and card: the day sent to a light controller and read back, and on paper to be typed in by hand."""

from __future__ import annotations

import datetime
from typing import Any, Literal

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.light.light_group import RAMPS
from corlume.formats.calendar_file import write_calendar
from corlume.formats.schedule_file import write_schedule, write_schedule_table
from corlume.services.keeping import tanks
from corlume.services.schedule.change_light import running_plan
from corlume.services.schedule.change_plans import plan_of
from corlume.services.schedule.controller import ControllerState, read_back, schedule_message, send
from corlume.services.schedule.day_card import day_card
from corlume.services.schedule.plan_card import plan_events
from corlume.store.tanks import StoredTank
from corlume.web.request.page import Db, Looked, RowId, Unit, page

router = APIRouter(prefix="/tanks/{tank_id}/day")


@router.get("/controller")
def show_controller(request: Request, db: Db, tank_id: RowId) -> HTMLResponse:
    """What the controller really holds, beside what it should hold today."""
    stored = tanks.open_tank(db, tank_id)
    wanted = schedule_message(stored, stored.setup(), datetime.date.today())
    return _page(request, stored, read_back(request.app.state.controller, wanted))


@router.post("/controller")
def send_schedule(request: Request, db: Db, tank_id: RowId) -> HTMLResponse:
    """Send today's schedule, and say what was read back."""
    stored = tanks.open_tank(db, tank_id)
    wanted = schedule_message(stored, stored.setup(), datetime.date.today())
    return _page(request, stored, send(request.app.state.controller, wanted), sent=True)


@router.get("/card")
def show_card(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """What has to be typed into fixtures and timers, to print."""
    stored, today = tanks.open_tank(db, tank_id), datetime.date.today()
    one = stored.setup(setup)
    context: dict[str, Any] = {
        "stored": stored,
        "setup": one,
        "groups": day_card(stored, one, today),
        "ramps": RAMPS,
        "plan": running_plan(stored, one),
        "date": today.isoformat(),
    }
    return page(request, "schedule/card.html", context, tank=stored, setup=one)


@router.get("/schedule.{kind}")
def export_schedule(db: Db, tank_id: RowId, kind: Literal["csv", "json"], setup: Looked = None) -> Response:
    """The schedule of a setup as a file."""
    groups = [kept.value for kept in tanks.open_tank(db, tank_id).setup(setup).groups]
    text = write_schedule_table(groups) if kind == "csv" else write_schedule(groups)
    headers = {"Content-Disposition": f'attachment; filename="schedule.{kind}"'}
    media = {"csv": "text/csv; charset=utf-8", "json": "application/json"}[kind]
    return Response(text, media_type=media, headers=headers)


@router.get("/plan/{plan_id}/calendar.ics")
def export_calendar(db: Db, measure: Unit, tank_id: RowId, plan_id: RowId) -> Response:
    """The steps of a plan for the keeper's calendar."""
    stored = tanks.open_tank(db, tank_id)
    events = plan_events(stored, plan_of(stored, plan_id), measure)
    data = write_calendar(f"Corlume, {stored.name}", events, datetime.datetime.now(datetime.UTC))
    headers = {"Content-Disposition": 'attachment; filename="plan.ics"'}
    return Response(data, media_type="text/calendar; charset=utf-8", headers=headers)


def _page(request: Request, stored: StoredTank, state: ControllerState, *, sent: bool = False) -> HTMLResponse:
    context: dict[str, Any] = {
        "stored": stored,
        "setup": stored.setup(),
        "state": state,
        "sent": sent,
        "address": request.app.state.controller,
        "plan": running_plan(stored, stored.setup()),
        "time": f"{datetime.datetime.now():%H:%M:%S}",
    }
    return page(request, "schedule/controller.html", context, tank=stored, setup=stored.setup())

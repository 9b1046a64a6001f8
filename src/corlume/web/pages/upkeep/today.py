"""Today: the first page of a tank."""

from __future__ import annotations

import datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse

from corlume.core.light.light_group import minute_of
from corlume.services.keeping import acclimation_log, tanks
from corlume.services.schedule.controller import read_back, schedule_message
from corlume.services.schedule.day_report import lights_now
from corlume.services.schedule.plan_card import plan_cards
from corlume.services.upkeep.today import look_at_today, mark_step, what_looks_wrong
from corlume.web.pages.schedule.day import HOLDS
from corlume.web.pages.upkeep.log import QUICK
from corlume.web.request.page import Db, FormData, Looked, RowId, go, page, templates

router = APIRouter(prefix="/tanks/{tank_id}")


def now() -> datetime.datetime:
    """The local time now."""
    return datetime.datetime.now()


@router.get("/open")
def open_tank(request: Request, tank_id: RowId) -> RedirectResponse:
    """Open a tank where this device opens tanks: at Today, or at its PAR map."""
    first = "par-map" if request.cookies.get("opens") == "chart" else "today"
    return RedirectResponse(f"/tanks/{tank_id}/{first}", 303)


@router.get("/today")
def show_today(request: Request, db: Db, tank_id: RowId) -> HTMLResponse:
    """Where the work stands, what is due, and what the lights do."""
    stored, time = tanks.open_tank(db, tank_id), now()
    used = stored.setup()
    context: dict[str, Any] = {
        "stored": stored,
        "found": look_at_today(db, stored, time),
        "plans": plan_cards(stored, acclimation_log.latest_logs(db, tank_id), time.date()),
        "holds": HOLDS,
        "lights": lights_now(stored, used, time.date(), minute_of(time.time())) if used.fixtures else None,
        "time": f"{time:%H:%M}",
        "quick": QUICK[:3],
        "opens": request.cookies.get("opens", "today"),
    }
    return page(request, "upkeep/today.html", context, tank=stored)


@router.post("/today/steps")
def mark(db: Db, tank_id: RowId, data: FormData, setup: Looked = None) -> RedirectResponse:
    """Mark a step of the work as done or not needed."""
    mark_step(db, tanks.open_tank(db, tank_id), data.get("step", ""), now())
    return go(f"/tanks/{tank_id}/today", setup)


@router.get("/today/wrong")
def show_wrong(request: Request, db: Db, tank_id: RowId) -> JSONResponse:
    """What looks wrong; asks the controller too, where a schedule was ever sent to it."""
    stored, time = tanks.open_tank(db, tank_id), now()
    state = None
    if stored.setup().groups:
        state = read_back(request.app.state.controller, schedule_message(stored, stored.setup(), time.date()))
    found = what_looks_wrong(db, stored, time, state)
    html = templates.get_template("upkeep/wrong.html").render(found=found, stored=stored)
    return JSONResponse({"html": html})

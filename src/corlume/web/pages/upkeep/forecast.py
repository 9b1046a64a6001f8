"""The tank run forward: when each coral leaves its range or meets a neighbour, and what to do about it."""

from __future__ import annotations

import datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse

from corlume.core.placement.coral_growth import PACES
from corlume.services.keeping import tanks
from corlume.services.upkeep import forecast_jobs
from corlume.services.upkeep.forecast import Forecast, when_words
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank
from corlume.web.drawing.forecast import SLIDER_STEP, draw_bodies, draw_forecast
from corlume.web.drawing.sheet import lay_out_pair
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.request.page import Db, RowId, measure_of, narrow_of, page

router = APIRouter(prefix="/tanks/{tank_id}/log/forecast")
AT_ONCE = 1.5
"""A page waits so long for what is worked out, and then shows how far it is [s]."""


@router.get("")
def show_forecast(request: Request, db: Db, tank_id: RowId, coral: RowId | None = None) -> HTMLResponse:
    """All placed corals over five years, and suggestions for a chosen one."""
    stored, today = tanks.open_tank(db, tank_id), datetime.date.today()
    if coral is not None:
        stored.coral(coral)
    found = forecast_jobs.soon(db, stored, today, wait=AT_ONCE)
    context: dict[str, Any] = {"stored": stored, "known": bool(stored.lamps or stored.lists["rhythms"]), "found": found}
    if found is not None:
        context |= _shown(request, stored, found)
        chosen = next((one for one in found.corals if one.id == coral), None)
        if coral is not None and chosen is None:
            raise NotFound(f"no placed coral {coral}")
        suggestions = forecast_jobs.soon(db, stored, today, coral, wait=AT_ONCE) if chosen else None
        context |= {"chosen": chosen, "suggestions": suggestions}
    return page(request, "upkeep/forecast.html", context, tank=stored)


@router.post("/{what}/begin")
def begin_forecast(db: Db, tank_id: RowId, what: str) -> JSONResponse:
    """Begin to run the tank forward, or to look for suggestions for a coral by its id."""
    stored = tanks.open_tank(db, tank_id)
    forecast_jobs.begin(db, stored, datetime.date.today(), _coral(stored, what))
    return JSONResponse({"begun": what})


@router.get("/{what}/state")
def look_at_forecast(db: Db, tank_id: RowId, what: str) -> JSONResponse:
    """How far the work is."""
    stored = tanks.open_tank(db, tank_id)
    job = forecast_jobs.look(db, stored, datetime.date.today(), _coral(stored, what))
    return JSONResponse({"state": job.state, "done": job.done})


def _coral(stored: StoredTank, what: str) -> int | None:
    """The id of a coral in an address; None for the whole tank."""
    if what == "tank":
        return None
    if not what.isdigit():
        raise NotFound(f"no forecast {what[:20]}")
    return stored.coral(int(what)).id


def _shown(request: Request, stored: StoredTank, found: Forecast) -> dict[str, Any]:
    sheet = lay_out_pair(stored.tank, narrow=narrow_of(request), width=560.0, height=520.0)
    months = found.days[::SLIDER_STEP]
    return {
        "rows": [(one, draw_forecast(one, found.days)) for one in found.corals],
        "when": lambda leaving: when_words(leaving, found.days),
        "pace": (PACES["slow"], PACES["fast"]),
        "sheet": sheet,
        "frame": draw_frame(sheet, stored.tank, measure_of(request)),
        "rock": [draw_rock(sheet.plan, stored.tank, stored.tank.water_depth),
                 draw_rock(sheet.front, stored.tank, stored.tank.width / 2)],
        "bodies": [draw_bodies(view, found) for view in sheet.views()],
        "events": _events(found),
        "months": [f"{day:%b %Y}" for day in months],
        "undated": [one for one in found.corals if one.coral.course.bought is None and one.coral.course.across is None],
    }  # fmt: skip


def _events(found: Forecast) -> list[tuple[str, list[str]]]:
    """What is likely to happen in time order, lamps and parts kept up: the month, and what happens to whom."""
    events = dict[int, list[str]]()
    for one in sorted(found.corals, key=lambda one: one.number):
        name = f"{one.number} {one.coral.card.name}"
        if one.leaves_kept and one.leaves_kept.likely is not None:
            events.setdefault(one.leaves_kept.likely, []).append(
                f"{name} too {'weak' if one.leaves_kept.weak else 'strong'}"
            )
        for met in one.meets:
            if met.when.likely is not None and one.number < met.number:
                events.setdefault(met.when.likely, []).append(f"{name} meets {met.number} {met.coral.card.name}")
        if one.flow_off and one.flow_off.likely is not None:
            events.setdefault(one.flow_off.likely, []).append(f"{name} in too little flow")
    return [(f"{found.days[month]:%b %Y}" if month else "Today", words) for month, words in sorted(events.items())]

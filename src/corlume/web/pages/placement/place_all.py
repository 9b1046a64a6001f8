"""Placement of all unplaced corals: a plan at once, a better one when found, applied in one step."""

from __future__ import annotations

import math
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse
from pydantic import BaseModel, Field

from corlume.core.errors import Rules
from corlume.core.placement.coral import Coral, Placement
from corlume.core.schedule.dose import USUAL_DAY
from corlume.formats.measure import parse_number
from corlume.services.keeping import corals, tanks
from corlume.services.placement import placement_jobs
from corlume.services.placement.grown_shade import switch_change
from corlume.services.placement.place_all import Plan, first_plan
from corlume.services.placement.placement_problem import USUAL_MONTHS, PlacementRequest
from corlume.services.placement.zone_placement import CoralState
from corlume.store.tanks import StoredTank
from corlume.web.drawing.corals import draw_corals
from corlume.web.drawing.sheet import lay_out_pair
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.request.page import Db, FormData, Looked, RowId, go, measure_of, narrow_of, page, templates

router = APIRouter(prefix="/tanks/{tank_id}/corals/all")
SECONDS = 6.0
"""How long a better plan is looked for [s]."""
MOST_MONTHS = 240.0
Typed = Annotated[str, Query(max_length=40)]


def _months(text: str) -> tuple[float, str]:
    """Months of growing room, and the error of what was typed."""
    if not text.strip():
        return USUAL_MONTHS, ""
    try:
        months = parse_number(text)
    except ValueError as error:
        return USUAL_MONTHS, str(error)
    if not 0 <= months <= MOST_MONTHS:
        return USUAL_MONTHS, f"must be from 0 to {MOST_MONTHS:g} months"
    return months, ""


class Begun(BaseModel):
    """Options of a new planning job."""

    months: Annotated[float, Field(ge=0, le=MOST_MONTHS, allow_inf_nan=False)] = USUAL_MONTHS
    daily: bool = False


@router.get("")
def show_plan(
    request: Request, db: Db, tank_id: RowId, setup: Looked = None, months: Typed = "", by: Typed = ""
) -> HTMLResponse:
    """A first plan for all unplaced corals."""
    stored, (ahead, wrong) = tanks.open_tank(db, tank_id), _months(months)
    looked, asked = stored.setup(setup), PlacementRequest(ahead, by == "day")
    plan = first_plan(stored, looked, asked)
    context = {
        "stored": stored,
        "asked": asked,
        "typed": months or f"{ahead:g}",
        "wrong": wrong,
        "day": USUAL_DAY,
        "switched": switch_change(stored, looked.hung),
        "waiting": len(plan.seated) + len(plan.unseated),
        "plan": _plan(request, stored, plan, looked.id),
    }
    return page(request, "placement/all.html", context, tank=stored, setup=looked, status=422 if wrong else 200)


@router.post("/jobs")
def begin_job(db: Db, tank_id: RowId, body: Begun, setup: Looked = None) -> JSONResponse:
    """Begin to look for better plans."""
    stored = tanks.open_tank(db, tank_id)
    number = placement_jobs.begin(db, stored, stored.setup(setup), PlacementRequest(body.months, body.daily), SECONDS)
    return JSONResponse({"job": number})


@router.get("/jobs/{number}")
def look_at_job(
    request: Request, db: Db, tank_id: RowId, number: Annotated[RowId, Path()], setup: Looked = None, known: int = 0
) -> JSONResponse:
    """Progress of the job, with its latest plan where the page does not have it yet."""
    stored, job = tanks.open_tank(db, tank_id), placement_jobs.look(db, tank_id, number)
    found = {"state": job.state, "done": job.done, "plans": job.plans, "gap": job.plan.gap if job.plan else None}
    if job.plan and job.plans != known:
        found["html"] = _plan(request, stored, job.plan, stored.setup(setup).id)
    return JSONResponse(found)


@router.post("/jobs/{number}/stop")
def stop_job(db: Db, tank_id: RowId, number: Annotated[RowId, Path()]) -> JSONResponse:
    """Stop the job; the best plan so far stays."""
    placement_jobs.stop(db, tank_id, number)
    return JSONResponse({"stopped": number})


@router.post("")
def adopt(db: Db, tank_id: RowId, data: FormData, setup: Looked = None) -> RedirectResponse:
    """Place the corals of a plan, in one step of undo."""
    corals.place_corals(db, tank_id, _places(data))
    return go(f"/tanks/{tank_id}/corals", setup)


def _places(data: dict[str, str]) -> dict[int, tuple[float, float, float]]:
    """Places by coral as the page wrote them: x, y, depth [m]. ``InvalidInput`` for anything else."""
    rules, found = Rules(), {}
    for name, text in data.items():
        number, parts = name.removeprefix("coral-"), text.split(",")
        try:
            x, y, depth = (float(part) for part in parts)
            known = name.startswith("coral-") and number.isdecimal() and all(map(math.isfinite, (x, y, depth)))
        except ValueError:
            known = False
        rules.that(known, "plan", "could not be read: make the plan again")
        if known:
            found[int(number)] = (x, y, depth)
    rules.finish()
    return found


def _plan(request: Request, stored: StoredTank, plan: Plan, setup_id: int) -> str:
    """A plan as a part of the page: drawing, table, and the form that applies it."""
    measure, sheet = measure_of(request), lay_out_pair(stored.tank, narrow=narrow_of(request))
    there = {one.coral.id: one for one in plan.seated}
    states = [
        CoralState(
            kept.id,
            Coral(kept.value.card, Placement(*there[kept.id].place)),
            there[kept.id].par,
            there[kept.id].reasons,
        )
        if kept.id in there
        else CoralState(kept.id, kept.value, None, ())
        for kept in stored.corals
    ]
    drawing = draw_frame(sheet, stored.tank, measure)
    drawing += draw_rock(sheet.plan, stored.tank, stored.tank.water_depth)
    drawing += draw_rock(sheet.front, stored.tank, stored.tank.width / 2)
    for view in sheet.views():
        drawing += draw_corals(view, stored.tank, states, None, grab=False)
    context: dict[str, Any] = {
        "stored": stored,
        "plan": plan,
        "sheet": sheet,
        "drawing": drawing,
        "measure": measure,
        "post": f"/tanks/{stored.id}/corals/all?setup={setup_id}",
    }
    return templates.get_template("placement/plan.html").render(**context)

"""Flow: pumps on the drawing, the estimated flow, painted places, and help for dead spots."""

from __future__ import annotations

import math
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from corlume.core.errors import InvalidInput
from corlume.core.flow.first_estimate import CLASSES, FlowClass
from corlume.core.flow.observed_flow import SEEN
from corlume.core.flow.pump import Pump, turnover
from corlume.formats.round_steps import STEPS
from corlume.services.flow import flow_jobs
from corlume.services.flow.pump_changes import ENOUGH, glass_words, weighed
from corlume.services.flow.tank_flow import flow_plane, solved_flow, spot_flow
from corlume.services.keeping import pumps, tanks
from corlume.services.light.points import SliceKind
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank
from corlume.web.drawing.drag_handles import draw_area
from corlume.web.drawing.flow import AIM, FLOW_BANDS, draw_arrows, draw_classes, draw_marks, draw_pumps
from corlume.web.drawing.sheet import View, lay_out_pair
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.forms.dragged import Dropped, Tapped
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, measure_of, narrow_of, page, templates

router = APIRouter(prefix="/tanks/{tank_id}/corals/flow")
Typed = Annotated[str, Query(max_length=40)]


class TappedFlow(Tapped):
    """The same with the flow that was seen there."""

    seen: FlowClass


@router.get("")
def show_flow(
    request: Request, db: Db, tank_id: RowId, setup: Looked = None, depth: Typed = "", row: Typed = ""
) -> HTMLResponse:
    """The flow in plan and front view, with the pumps."""
    return _page(request, tanks.open_tank(db, tank_id), setup, {"depth": depth, "row": row})


@router.post("/pumps")
def add(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> Response:
    """Add a pump."""
    try:
        return go(f"/tanks/{tank_id}/corals/flow#pump-{pumps.add_pump(db, tank_id)}", setup)
    except InvalidInput as error:
        measure = measure_of(request)
        return _page(request, tanks.open_tank(db, tank_id), setup, {}, fault=measure.message(error.errors[0]))


@router.post("/pumps/{pump_id}")
def change(
    request: Request, db: Db, measure: Unit, tank_id: RowId, pump_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change a pump by its numbers."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    read = form.read(Pump, pumps.pump(stored, pump_id).value)
    if read and form.ok:
        changes = {name: getattr(read, name) for name in Pump.__dataclass_fields__}
        form.attempt(lambda: pumps.save_pump(db, tank_id, pump_id, **changes))
    if form.errors:
        return _page(request, stored, setup, {}, bad=(pump_id, form))
    return go(f"/tanks/{tank_id}/corals/flow#pump-{pump_id}", setup)


@router.post("/pumps/{pump_id}/remove")
def remove(db: Db, tank_id: RowId, pump_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a pump."""
    pumps.remove_pump(db, tank_id, pump_id)
    return go(f"/tanks/{tank_id}/corals/flow", setup)


@router.post("/spots/{key}/place")
def place(db: Db, tank_id: RowId, key: str, body: Dropped) -> JSONResponse:
    """Move a pump, or aim it at where its mark was dropped."""
    aims, number = key.startswith("aim-"), key.removeprefix("aim-")
    if not number.isdecimal() or len(number) > 15:
        raise NotFound(f"no pump {key}")
    stored, pump_id = tanks.open_tank(db, tank_id), int(number)
    one = pumps.pump(stored, pump_id).value
    if body.dropped and not aims:
        pumps.remove_pump(db, tank_id, pump_id)
        return JSONResponse({"saved": key})
    given = body.given
    if aims:
        ahead = one.direction * AIM
        now = {"x": one.x + ahead[0], "y": one.y + ahead[1], "depth": one.depth + ahead[2]}
        aimed = one.aimed(**(now | given))
        given = {"turn": aimed.turn, "tilt": aimed.tilt}
    pumps.save_pump(db, tank_id, pump_id, **given)
    return JSONResponse({"saved": key})


@router.post("/tap")
def tap(db: Db, measure: Unit, tank_id: RowId, body: TappedFlow) -> JSONResponse:
    """Paint the place that was tapped."""
    tank = tanks.open_tank(db, tank_id).tank
    try:
        third = measure.parse(body.third)
    except ValueError as error:
        name = "depth" if body.view == "plan" else "row"
        return JSONResponse({"errors": {name: str(error)}, "message": f"The {name} {error}."}, 422)
    at = (body.u, tank.width - body.v, third) if body.view == "plan" else (body.u, third, body.v)
    return JSONResponse({"saved": pumps.paint(db, tank_id, at, body.seen)})


@router.post("/marks/{mark_id}/remove")
def unpaint(db: Db, tank_id: RowId, mark_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a painted place."""
    pumps.unpaint(db, tank_id, mark_id)
    return go(f"/tanks/{tank_id}/corals/flow", setup)


@router.post("/{what}/begin")
def begin_work(db: Db, tank_id: RowId, what: flow_jobs.What) -> JSONResponse:
    """Begin to solve the flow, or to look for help with dead spots."""
    flow_jobs.begin(db, tanks.open_tank(db, tank_id), what)
    return JSONResponse({"begun": what})


@router.get("/{what}/state")
def look_at_work(request: Request, db: Db, tank_id: RowId, what: flow_jobs.What, setup: Looked = None) -> JSONResponse:
    """Progress of the job, with suggested changes when there are any."""
    stored = tanks.open_tank(db, tank_id)
    job = flow_jobs.look(db, stored, what)
    answer: dict[str, Any] = {"state": job.state, "done": job.done}
    if what == "helps" and job.state == "done":
        post = f"/tanks/{tank_id}/corals/flow/help" + (f"?setup={setup}" if setup else "")
        context: dict[str, Any] = {"helps": weighed(stored, job.changes), "measure": measure_of(request), "post": post}
        answer["html"] = templates.get_template("flow/changes.html").render(**context)
    return JSONResponse(answer)


@router.post("/help")
def do_help(db: Db, tank_id: RowId, data: FormData, setup: Looked = None) -> RedirectResponse:
    """Apply a suggested change, as computed for the pumps as they are."""
    stored = tanks.open_tank(db, tank_id)
    changes = flow_jobs.look(db, stored, "helps").changes
    found = next((one for one in changes if one.words == data.get("words")), None)
    if found is None:
        raise NotFound("no such help any more")
    pumps.keep_flow(db, tank_id, found.solved)
    if found.pump_id is None:
        pumps.add_pump(db, tank_id, found.pump)
    else:
        fields = {name: getattr(found.pump, name) for name in Pump.__dataclass_fields__}
        pumps.save_pump(db, tank_id, found.pump_id, **fields)
    return go(f"/tanks/{tank_id}/corals/flow", setup)


def _page(
    request: Request,
    stored: StoredTank,
    setup_id: int | None,
    typed: dict[str, str],
    *,
    bad: tuple[int, Form] | None = None,
    fault: str = "",
) -> HTMLResponse:
    measure, setup, tank = measure_of(request), stored.setup(setup_id), stored.tank
    form = Form({name: text for name, text in typed.items() if text}, measure)
    depth = form.length("depth") if typed.get("depth") else round(0.4 * tank.sand_depth, 2)
    row = form.length("row") if typed.get("row") else round(0.5 * tank.width, 2)
    for name, value, most in (("depth", depth, tank.sand_depth), ("row", row, tank.width)):
        if math.isfinite(value) and not 0 <= value <= most:
            form.errors[name] = f"must be from 0 to {measure.length(most)}"
    cut = {"depth": depth, "row": row} if not form.errors else {"depth": 0.4 * tank.sand_depth, "row": tank.width / 2}
    sheet = lay_out_pair(tank, narrow=narrow_of(request))
    drawing = draw_frame(sheet, tank, measure)
    cuts: tuple[tuple[View, SliceKind, float], ...] = (
        (sheet.plan, "plan", cut["depth"]),
        (sheet.front, "front", cut["row"]),
    )
    for view, kind, at in cuts:
        known = bool(stored.pumps or stored.flow_marks)
        plane = flow_plane(stored, kind, at)
        drawing += draw_classes(view, plane) * known + draw_rock(view, tank, at)
        drawing += draw_arrows(view, plane) * known + draw_area(view)
        drawing += draw_marks(view, stored.flow_marks) + draw_pumps(view, stored.pumps)
    cards = []
    for kept in stored.pumps:
        wrong = bad[1] if bad and bad[0] == kept.id else None
        values = wrong.data if wrong else shown_values(kept.value, measure)
        fields = asked(Pump, values, wrong.errors if wrong else {}, measure)
        cards.append((kept, fields, wrong, glass_words(stored, kept.value)))
    shares = spot_flow(stored)
    solved = solved_flow(stored)
    context: dict[str, Any] = {
        "stored": stored,
        "cell": max(solved.cell) if solved else None,
        "dead": shares["dead"] if solved else None,
        "enough": ENOUGH,
        "sheet": sheet,
        "drawing": drawing,
        "cards": cards,
        "cut": {name: measure.number(value) for name, value in cut.items()},
        "typed": typed,
        "cut_errors": form.errors,
        "seen": SEEN,
        "bands": FLOW_BANDS,
        "turnover": turnover(tank, [kept.value for kept in stored.pumps]),
        "of_returns": turnover(tank, [kept.value for kept in stored.pumps if kept.value.kind == "return"]),
        "shares": [(SEEN[name], shares[name]) for name in CLASSES],
        "snap": STEPS[measure.unit].snap,
        "fault": fault,
        "wrong": bad is not None,
    }
    status = 422 if bad or fault or form.errors else 200
    return page(request, "flow/flow.html", context, tank=stored, setup=setup, status=status)

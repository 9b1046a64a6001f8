"""A tank's own data: its form, its rock and its braces."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from pydantic import Field, RootModel

from corlume.core.geometry import Brace, Rock, Tank
from corlume.core.judgement.targets import SCHOOLS, LightTargets
from corlume.core.optics.water import Water
from corlume.core.scene import Running, Scene
from corlume.formats.measure import Measure
from corlume.formats.steps import STEPS
from corlume.services.keeping import tanks
from corlume.store.tanks import StoredTank
from corlume.web.drawing.grips import draw_grips
from corlume.web.drawing.sheet import lay_out_pair
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.forms.form import Asked, Form, asked, shown_values
from corlume.web.forms.tank import PANE_CHOICES, RIPPLES, read_name, read_tank, read_targets, tank_fields
from corlume.web.page import Db, FormData, Looked, RowId, Unit, go, measure_of, page

router = APIRouter()
Metres = Annotated[float, Field(allow_inf_nan=False)]


RockShape = RootModel[dict[Literal["x", "y", "base", "length", "width", "height"], Metres]]
"""Changed measures of a rock [m]."""


NEW_TANK = Tank(length=1.2, width=0.55, water_depth=0.5, water=Water(ripple=0.1))


@router.get("/tanks/new")
def new_tank(request: Request, measure: Unit) -> HTMLResponse:
    """The form for a new tank."""
    values = tank_fields("", NEW_TANK, LightTargets(), Running(), measure) | {"back_pane": "dark"}
    return _tank_form(request, None, values, {})


@router.post("/tanks/new")
def create_tank(request: Request, db: Db, measure: Unit, data: FormData) -> Response:
    """Store a new tank."""
    form = Form(data, measure)
    tank, targets, running = read_tank(form, None), read_targets(form, None), form.read(Running)
    name = read_name(form)
    if tank and targets and running and form.ok:
        tank_id = form.attempt(lambda: tanks.create_tank(db, name, tank, targets, running))
        if tank_id is not None:
            return go(f"/tanks/{tank_id}/chart")
    return _tank_form(request, None, form.data, form.errors, status=422)


@router.get("/tanks/{tank_id}")
def edit_tank(request: Request, db: Db, measure: Unit, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """A tank's own data, its rock and its braces."""
    stored = tanks.open_tank(db, tank_id)
    return _tank_form(request, stored, _fields(stored, measure), {}, setup=setup)


@router.post("/tanks/{tank_id}")
def save_tank(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change a tank."""
    stored = tanks.open_tank(db, tank_id)
    form = Form(data, measure)
    tank, targets, running = (
        read_tank(form, stored.tank),
        read_targets(form, stored.targets),
        form.read(Running, stored.running),
    )
    name = read_name(form)
    if tank and targets and running and form.ok:
        values: dict[str, Any] = {"name": name, "tank": tank, "targets": targets, "running": running}
        form.attempt(lambda: tanks.save_tank(db, tank_id, **values))
        if not form.errors:
            return go(f"/tanks/{tank_id}", setup)
    return _tank_form(request, stored, form.data, form.errors, setup=setup, status=422)


@router.post("/tanks/{tank_id}/rocks")
@router.post("/tanks/{tank_id}/rocks/{rock_id}")
def save_rock(
    request: Request,
    db: Db,
    measure: Unit,
    tank_id: RowId,
    data: FormData,
    rock_id: RowId | None = None,
    setup: Looked = None,
) -> Response:
    """Add a rock or change one."""
    form, stored = Form(data, measure), tanks.open_tank(db, tank_id)
    rock = form.read(Rock, stored.rock(rock_id).value if rock_id else None)
    if rock and form.ok:
        form.attempt(lambda: tanks.save_rock(db, tank_id, rock_id, rock))
    return _part_answer(request, stored, form, "rock", rock_id, setup)


@router.post("/tanks/{tank_id}/rocks/{rock_id}/shape")
def shape_rock(db: Db, tank_id: RowId, rock_id: RowId, body: RockShape) -> JSONResponse:
    """Move or resize a rock by hand."""
    rock = tanks.open_tank(db, tank_id).rock(rock_id).value
    moved: dict[str, Any] = {str(name): value for name, value in body.root.items()}
    tanks.save_rock(db, tank_id, rock_id, replace(rock, **moved))
    return JSONResponse({"saved": rock_id})


@router.post("/tanks/{tank_id}/rocks/{rock_id}/remove")
def remove_rock(db: Db, tank_id: RowId, rock_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Take a rock out."""
    tanks.delete_rock(db, tank_id, rock_id)
    return go(f"/tanks/{tank_id}#rock", setup)


@router.post("/tanks/{tank_id}/braces")
def add_brace(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Add a brace."""
    form = Form(data, measure)
    brace = form.read(Brace)
    if brace and form.ok:
        form.attempt(lambda: tanks.add_brace(db, tank_id, brace))
    return _part_answer(request, tanks.open_tank(db, tank_id), form, "brace", None, setup)


@router.post("/tanks/{tank_id}/braces/{brace_id}/remove")
def remove_brace(db: Db, tank_id: RowId, brace_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Take a brace away."""
    tanks.delete_brace(db, tank_id, brace_id)
    return go(f"/tanks/{tank_id}#brace", setup)


def _part_answer(
    request: Request, stored: StoredTank, form: Form, part: str, part_id: int | None, setup: int | None
) -> Response:
    """Back to the page, or the page again with the part's form as it was typed."""
    if not form.errors:
        return go(f"/tanks/{stored.id}#{part}", setup)
    bad = {"part": part, "id": part_id, "values": form.data, "errors": form.errors}
    return _tank_form(request, stored, _fields(stored, form.measure), {}, setup=setup, bad=bad, status=422)


ASKED = {"scene": Scene, "tank": Tank, "water": Water, "targets": LightTargets, "running": Running}


def _row(
    cls: type, part: str, part_id: int | None, thing: object, bad: dict[str, Any] | None, measure: Measure
) -> tuple[int | None, dict[str, Asked], dict[str, str]]:
    """The form of a rock or a brace: its id, its fields, and what is wrong with what was typed there."""
    typed = bad if bad and (bad["part"], bad["id"]) == (part, part_id) else None
    errors = typed["errors"] if typed else {}
    return part_id, asked(cls, typed["values"] if typed else shown_values(thing, measure), errors, measure), errors


def _fields(stored: StoredTank, measure: Measure) -> dict[str, str]:
    return tank_fields(stored.name, stored.tank, stored.targets, stored.running, measure)


def _tank_form(
    request: Request,
    stored: StoredTank | None,
    values: dict[str, str],
    errors: dict[str, str],
    *,
    setup: int | None = None,
    bad: dict[str, Any] | None = None,
    status: int = 200,
) -> HTMLResponse:
    measure = measure_of(request)
    shown = {*tank_fields("", NEW_TANK, LightTargets(), Running(), measure)}
    context: dict[str, Any] = {
        "stored": stored,
        "values": values,
        "errors": errors,
        "others": {key: text for key, text in errors.items() if key not in shown},
        "asks": {key: asked(cls, values, errors, measure) for key, cls in ASKED.items()},
        "panes": PANE_CHOICES,
        "schools": SCHOOLS,
        "ripples": [(key, text) for key, (text, _) in RIPPLES.items()],
    }
    if stored:
        rocks: list[tuple[int | None, Rock]] = [(kept.id, kept.value) for kept in stored.rocks]
        blank = Rock(0.1, 0.1, 0.0, 0.3, 0.2, min(0.25, 0.5 * stored.tank.water_depth), "")
        context["rocks"] = [
            _row(Rock, "rock", rock_id, rock, bad, measure) for rock_id, rock in [*rocks, (None, blank)]
        ]
        middle = stored.tank.length / 2
        strip = Brace(middle - 0.04, 0.0, 0.08, stored.tank.width)
        context["brace"] = _row(Brace, "brace", None, strip, bad, measure)
        sheet = lay_out_pair(stored.tank, width=430, height=440)
        context["sheet"] = sheet
        tank = stored.tank
        slices = (tank.water_depth, tank.width / 2)
        context["drawing"] = draw_frame(sheet, tank, measure)
        for view, at in zip(sheet.views(), slices, strict=True):
            context["drawing"] += draw_rock(view, tank, at)
        for view in sheet.views():
            context["drawing"] += draw_grips(view, tank, stored.rocks)
        context["snap"] = STEPS[measure.unit].snap
    return page(
        request, "tank/tank.html", context, tank=stored, setup=stored.setup(setup) if stored else None, status=status
    )

"""Power and cables: what feeds the lights, their cords, what each circuit carries, leads and their labels."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from corlume.core.message_text import letter
from corlume.core.mounting.cables import leads_of
from corlume.core.mounting.mounting_checks import ANSWERS
from corlume.core.mounting.power import PART_TYPES, Cord, PowerPart
from corlume.core.mounting.power_checks import check_power
from corlume.core.mounting.surroundings import Surroundings
from corlume.formats.measure import Measure
from corlume.formats.round_steps import STEPS
from corlume.services.keeping import tanks
from corlume.services.mounting import power
from corlume.store.tables import found
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.drawing.mounts import draw_held
from corlume.web.drawing.power import draw_leads, draw_parts
from corlume.web.drawing.sheet import lay_out
from corlume.web.drawing.tank import draw_frame
from corlume.web.forms.dragged import BoxShape
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, narrow_of, page

router = APIRouter(prefix="/tanks/{tank_id}/mounting/power")
CIRCUIT = ("volts", "breaker", "others", "residual", "surge")
CABLED = ("driver", "ballast", "controller", "timer", "strip")
"""Types with a lead and a plug of their own."""


@router.get("")
def show(request: Request, db: Db, measure: Unit, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """Parts, cords and checks."""
    stored = tanks.open_tank(db, tank_id)
    return _page(request, stored, stored.setup(setup), measure)


@router.post("/parts")
def add(db: Db, tank_id: RowId, data: FormData, setup: Looked = None) -> RedirectResponse:
    """Add a part of a type."""
    one = tanks.open_tank(db, tank_id).setup(setup)
    made = power.add_part(db, tank_id, one.id, data.get("type", ""))
    return go(f"/tanks/{tank_id}/mounting/power#part-{made}", setup)


@router.post("/parts/{part_id}")
def save(
    request: Request, db: Db, measure: Unit, tank_id: RowId, part_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change a part."""
    stored = tanks.open_tank(db, tank_id)
    one, form = stored.setup(setup), Form(data, measure)
    part = form.read(PowerPart, found(one.power_parts, part_id, "power part").value)
    if part is not None and form.ok:
        form.attempt(lambda: power.save_part(db, tank_id, one.id, part_id, part))
    if form.errors:
        return _page(request, stored, one, measure, bad=(f"part-{part_id}", form))
    return go(f"/tanks/{tank_id}/mounting/power#part-{part_id}", setup)


@router.post("/parts/{part_id}/shape")
def drag(db: Db, tank_id: RowId, part_id: RowId, body: BoxShape, setup: Looked = None) -> JSONResponse:
    """Move a part by hand: ``base`` is its height over the water; parts have no size."""
    one = tanks.open_tank(db, tank_id).setup(setup)
    names = {"x": "x", "y": "y", "base": "height"}
    values: dict[str, Any] = {names[name]: value for name, value in body.root.items() if name in names}
    part = replace(found(one.power_parts, part_id, "power part").value, **values)
    power.save_part(db, tank_id, one.id, part_id, part)
    return JSONResponse({"saved": part_id})


@router.post("/parts/{part_id}/remove")
def remove(db: Db, tank_id: RowId, part_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a part."""
    power.delete_part(db, tank_id, tanks.open_tank(db, tank_id).setup(setup).id, part_id)
    return go(f"/tanks/{tank_id}/mounting/power", setup)


@router.post("/cords")
def save_cord(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Save the cord of the fixtures of a name."""
    stored = tanks.open_tank(db, tank_id)
    one, form = stored.setup(setup), Form(data, measure)
    name = form.text("fixture")
    was = next((kept.value for kept in one.cords if kept.value.fixture == name), Cord(name)) if name else None
    cord = form.read(Cord, was)
    if cord is not None and form.ok:
        form.attempt(lambda: power.save_cord(db, tank_id, one.id, cord))
    if form.errors:
        return _page(request, stored, one, measure, bad=(f"cord-{name}", form))
    return go(f"/tanks/{tank_id}/mounting/power#cords", setup)


@router.post("/circuit")
def save_circuit(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Save mains, breaker and protection."""
    stored = tanks.open_tank(db, tank_id)
    form = Form(data, measure)
    surroundings = form.read(Surroundings, stored.surroundings)
    if surroundings is not None and form.ok:
        form.attempt(lambda: power.save_circuit(db, tank_id, surroundings))
    if form.errors:
        return _page(request, stored, stored.setup(setup), measure, bad=("circuit", form))
    return go(f"/tanks/{tank_id}/mounting/power#checks", setup)


def _page(
    request: Request, stored: StoredTank, setup: StoredSetup, measure: Measure, bad: tuple[str, Form] | None = None
) -> HTMLResponse:
    tank, hung, whole = stored.tank, setup.hung, setup.value
    letters = [letter(k) for k in range(len(hung))]
    leads = leads_of(hung, whole.cords, whole.power_parts, letters)
    highest = max([f.emitter.height + 0.1 for f in hung] + [p.height for p in whole.power_parts], default=0.3)
    sheet = lay_out(tank, min(highest, tank.room_height), narrow=narrow_of(request), readout=False)
    drawing = draw_frame(sheet, tank, measure)
    for view in sheet.views():
        drawing += draw_held(view, hung, whole.mounts, open_too=False) + draw_leads(view, leads)
        drawing += draw_parts(view, setup.power_parts)

    def fields(key: str, cls: type, thing: object) -> tuple[dict[str, Any], dict[str, str]]:
        form = bad[1] if bad and bad[0] == key else None
        wrong = form.errors if form else {}
        return asked(cls, form.data if form else shown_values(thing, measure), wrong, measure), wrong

    named = {cord.fixture: cord for cord in whole.cords}
    names = list(dict.fromkeys(f.name for f in hung))
    context = {
        "stored": stored,
        "setup": setup,
        "sheet": sheet,
        "drawing": drawing,
        "types": PART_TYPES,
        "cabled": CABLED,
        "parts": [
            (kept.id, kept.value, *fields(f"part-{kept.id}", PowerPart, kept.value)) for kept in setup.power_parts
        ],
        "cords": [
            (name, " ".join(letters[k] for k, f in enumerate(hung) if f.name == name),
             *fields(f"cord-{name}", Cord, named.get(name, Cord(name))))
            for name in names if name
        ],
        "feeds": [("", "not entered"), *((part.name, part.name) for part in whole.power_parts)],
        "circuit": fields("circuit", Surroundings, stored.surroundings),
        "asks": CIRCUIT,
        "leads": leads,
        "checks": check_power(hung, whole.cords, whole.power_parts, whole.mounts, stored.surroundings),
        "words": ANSWERS,
        "snap": STEPS[measure.unit].snap,
    }  # fmt: skip
    status = 422 if bad else 200
    return page(request, "mounting/power.html", context, tank=stored, setup=setup, status=status)

"""Coral spots: those found on the rock with their light, custom ones, frag racks, and keep-clear areas."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Path, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from corlume.core.placement.custom_spots import CustomSpot, FragRack
from corlume.core.placement.placement_preferences import KeptFree
from corlume.core.placement.surface_orientation import gaps_behind
from corlume.core.units import CM
from corlume.formats.round_steps import STEPS
from corlume.services.keeping import tanks
from corlume.services.keeping.corals import resting_place
from corlume.services.keeping.placement_choices import (
    Stand,
    choice_of,
    choices_of,
    new_name,
    remove_choice,
    save_choice,
)
from corlume.services.placement.spot_summary import summarise_spots
from corlume.services.placement.spots import spots_of
from corlume.store.tanks import StoredTank
from corlume.web.drawing.coral_spots import draw_coral_spots, draw_custom_spots, draw_plates
from corlume.web.drawing.drag_handles import draw_area
from corlume.web.drawing.sheet import lay_out_pair
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.forms.dragged import Dropped, Tapped
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, measure_of, narrow_of, page

router = APIRouter(prefix="/tanks/{tank_id}/corals/spots")
Typed = Annotated[str, Query(max_length=40)]
KINDS: dict[Stand, type] = {"perches": CustomSpot, "racks": FragRack, "kept_free": KeptFree}
BEHIND = 5 * CM
"""Open water that is to be left behind rock, where the keeper says nothing else [m]; ours."""


class TappedSeat(Tapped):
    """A tapped place, and whether it is a spot or unusable."""

    seen: Literal["rest", "none"]


@router.get("")
def show_seats(
    request: Request, db: Db, tank_id: RowId, setup: Looked = None, row: Typed = "", behind: Typed = ""
) -> HTMLResponse:
    """All spots on the drawing and by where they are."""
    return _page(request, tanks.open_tank(db, tank_id), setup, {"row": row, "behind": behind})


@router.post("/tap")
def tap(db: Db, measure: Unit, tank_id: RowId, body: TappedSeat) -> JSONResponse:
    """Add a custom spot where it was tapped, or mark the place unusable."""
    stored = tanks.open_tank(db, tank_id)
    if body.view == "plan":
        at = resting_place(stored.tank, body.u, stored.tank.width - body.v)
    else:
        try:
            at = (body.u, measure.parse(body.third), body.v)
        except ValueError as error:
            return JSONResponse({"errors": {"row": str(error)}, "message": f"The row {error}."}, 422)
    word = "Spot" if body.seen == "rest" else "No spot"
    perch = CustomSpot(new_name(stored, "perches", word), *at, holds=body.seen)
    return JSONResponse({"saved": save_choice(db, tank_id, "perches", perch)})


@router.post("/{stand}")
def add(db: Db, tank_id: RowId, stand: Annotated[Stand, Path()], setup: Looked = None) -> RedirectResponse:
    """Add a custom spot, a rack or a keep-clear area, to be changed."""
    stored = tanks.open_tank(db, tank_id)
    tank = stored.tank
    x, y = 0.5 * tank.length, 0.25 * tank.width
    wide, deep = min(0.2, 0.3 * tank.length), min(0.1, 0.3 * tank.width)
    match stand:
        case "perches":
            x, y, depth = resting_place(tank, x, y)
            thing: CustomSpot | FragRack | KeptFree = CustomSpot(new_name(stored, stand, "Spot"), x, y, depth)
        case "racks":
            thing = FragRack(new_name(stored, stand, "Frag rack"), x, 0.02, wide, deep, 0.4 * tank.sand_depth)
        case "kept_free":
            thing = KeptFree(new_name(stored, stand, "Keep clear"), x, 0.02, wide, deep)
    return go(f"/tanks/{tank_id}/corals/spots#{stand}-{save_choice(db, tank_id, stand, thing)}", setup)


@router.post("/{stand}/{row_id}")
def change(
    request: Request, db: Db, measure: Unit, tank_id: RowId, stand: Annotated[Stand, Path()],
    row_id: Annotated[RowId, Path()], data: FormData, setup: Looked = None,
) -> Response:  # fmt: skip
    """Change an entry by its numbers."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    thing = form.read(KINDS[stand], choice_of(stored, stand, row_id).value)
    if thing and form.ok:
        form.attempt(lambda: save_choice(db, tank_id, stand, thing, row_id))
    if form.errors:
        return _page(request, stored, setup, {}, bad=(stand, row_id, form))
    return go(f"/tanks/{tank_id}/corals/spots#{stand}-{row_id}", setup)


@router.post("/{stand}/{row_id}/remove")
def remove(
    db: Db, tank_id: RowId, stand: Annotated[Stand, Path()], row_id: Annotated[RowId, Path()], setup: Looked = None
) -> RedirectResponse:
    """Delete an entry."""
    remove_choice(db, tank_id, stand, row_id)
    return go(f"/tanks/{tank_id}/corals/spots", setup)


@router.post("/spots/{row_id}/place")
def place(db: Db, tank_id: RowId, row_id: Annotated[RowId, Path()], body: Dropped) -> JSONResponse:
    """Move or delete a custom spot."""
    if body.dropped:
        remove_choice(db, tank_id, "perches", row_id)
        return JSONResponse({"saved": row_id})
    old: CustomSpot = choice_of(tanks.open_tank(db, tank_id), "perches", row_id).value
    save_choice(db, tank_id, "perches", replace(old, **body.given), row_id)
    return JSONResponse({"saved": row_id})


def _page(
    request: Request,
    stored: StoredTank,
    setup_id: int | None,
    typed: dict[str, str],
    *,
    bad: tuple[Stand, int, Form] | None = None,
) -> HTMLResponse:
    measure, setup, tank = measure_of(request), stored.setup(setup_id), stored.tank
    form = Form({name: text for name, text in typed.items() if text}, measure)
    row = form.length("row") if typed.get("row") else round(0.5 * tank.width, 2)
    least = form.length("behind") if typed.get("behind") else BEHIND
    for name, value in (("row", row), ("behind", least)):
        if math.isfinite(value) and not 0 <= value <= tank.width:
            form.errors[name] = f"must be from 0 to {measure.length(tank.width)}"
    seats = spots_of(stored, setup.hung)
    sheet = lay_out_pair(tank, narrow=narrow_of(request))
    drawing = draw_frame(sheet, tank, measure)
    for view, at in ((sheet.plan, tank.water_depth), (sheet.front, tank.width / 2)):
        drawing += draw_rock(view, tank, at) + draw_plates(view, stored.racks, stored.kept_free)
        drawing += (
            draw_area(view) + draw_coral_spots(view, seats, stored.targets) + draw_custom_spots(view, stored.perches)
        )
    forms: dict[str, list[Any]] = {}
    for stand, kind in KINDS.items():
        forms[stand] = []
        for kept in choices_of(stored, stand):
            wrong = bad[2] if bad and bad[:2] == (stand, kept.id) else None
            values = wrong.data if wrong else shown_values(kept.value, measure)
            forms[stand].append((kept, asked(kind, values, wrong.errors if wrong else {}, measure), wrong))
    context: dict[str, Any] = {
        "stored": stored,
        "sheet": sheet,
        "drawing": drawing,
        "read": summarise_spots(stored, seats, setup.hung),
        "count": len(seats.names),
        "forms": forms,
        "cut": {"row": measure.number(row) if math.isfinite(row) else "", "behind": measure.number(least)
                if math.isfinite(least) else ""},
        "typed": typed,
        "cut_errors": form.errors,
        "close": gaps_behind(tank, least) if math.isfinite(least) else [],
        "bands": stored.targets.bands(),
        "snap": STEPS[measure.unit].snap,
        "wrong": bad is not None,
    }  # fmt: skip
    status = 422 if bad or form.errors else 200
    return page(request, "placement/coral_spots.html", context, tank=stored, setup=setup, status=status)

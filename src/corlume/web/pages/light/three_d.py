"""The 3D view of a tank: its page, what it shows, surfaces of equal PAR, and what a clicked place tells."""

from __future__ import annotations

import datetime
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse, Response
from pydantic import BaseModel, Field

from corlume.core.errors import InvalidInput
from corlume.services.keeping import corals, tanks
from corlume.services.light.points import same_tank
from corlume.services.light.tank_model import equal_par, water_grid
from corlume.services.placement.place_here import suits_here
from corlume.web.drawing.three_d import in_words, pack, tank_in_three
from corlume.web.forms.par import read_par
from corlume.web.request.page import Db, Looked, RowId, measure_of, page, templates

router = APIRouter(prefix="/tanks/{tank_id}/par-map/3d")
Metres = Annotated[float, Query(allow_inf_nan=False)]
SURFACES = {
    "top": "on a rock top", "sand": "on the sand", "face": "on a face", "under": "under an overhang",
    "pane": "on the back pane", "rack": "on a rack or in open water",
}  # fmt: skip
BINARY = "application/octet-stream"


class PlaceAt(BaseModel):
    """A coral by its id, and where it is to sit [m]."""

    coral: RowId
    x: Annotated[float, Field(allow_inf_nan=False)]
    y: Annotated[float, Field(allow_inf_nan=False)]
    depth: Annotated[float, Field(allow_inf_nan=False)]


@router.get("")
def show_three_d(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """The page, with all that the picture shows also in words."""
    stored = tanks.open_tank(db, tank_id)
    looked = stored.setup(setup)
    context = {"stored": stored, "setup": looked, "lines": in_words(stored, looked, measure_of(request))}
    return page(request, "light/three_d.html", context, tank=stored, setup=looked)


@router.get("/model")
def send_model(db: Db, tank_id: RowId, setup: Looked = None) -> Response:
    """The tank with its light, in the form of ``pack``."""
    stored = tanks.open_tank(db, tank_id)
    data = tank_in_three(db, stored, stored.setup(setup), datetime.date.today())
    return Response(data, media_type=BINARY)


@router.get("/equal-par")
def send_equal_par(
    request: Request, db: Db, tank_id: RowId, level: Annotated[str, Query(max_length=20)], setup: Looked = None
) -> Response:
    """The surface of one PAR."""
    stored = tanks.open_tank(db, tank_id)
    try:
        wanted = read_par(level)
    except InvalidInput as error:
        return JSONResponse({"message": f"PAR {measure_of(request).message(error.errors[0])}."}, 422)
    grid = water_grid(same_tank(stored.lit_tank()), stored.setup(setup).hung)
    corners, triangles = equal_par(grid, wanted)
    return Response(pack({}, {"corners": corners, "triangles": triangles.ravel()}), media_type=BINARY)


@router.get("/spot")
def look_at_spot(
    request: Request, db: Db, tank_id: RowId, x: Metres, y: Metres, depth: Metres, right: Metres, back: Metres,
    up: Metres, setup: Looked = None,
) -> JSONResponse:  # fmt: skip
    """What is read at a place on rock or sand, which corals suit it, and a way to place one there."""
    stored = tanks.open_tank(db, tank_id)
    found = suits_here(stored, stored.setup(setup), (x, y, depth), (right, back, up))
    context = {"found": found, "measure": measure_of(request), "surfaces": SURFACES}
    return JSONResponse({"html": templates.get_template("light/three_d_spot.html").render(**context)})


@router.post("/place")
def place_there(db: Db, tank_id: RowId, body: PlaceAt) -> JSONResponse:
    """Place a coral at a place that was looked at."""
    corals.place_coral(db, tank_id, body.coral, (body.x, body.y, body.depth))
    return JSONResponse({"placed": body.coral})

"""Target zones: drawn by hand on the tank, with their target range and their PAR now."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from pydantic import BaseModel, Field

from corlume.core.judging.target_zones import TargetZone
from corlume.core.light.geometry import Tank
from corlume.core.units import INCH
from corlume.services.keeping import tanks
from corlume.services.keeping.target_zones import (
    PURPOSES,
    Box,
    Purpose,
    draw_zone,
    light_for,
    remove_zone,
    save_zone,
    zones_met,
)
from corlume.store.tanks import StoredTank
from corlume.web.drawing.drag_handles import draw_target_zones
from corlume.web.drawing.sheet import lay_out_pair
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, measure_of, narrow_of, page

router = APIRouter(prefix="/tanks/{tank_id}/zones")
Metres = Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]


class Drawn(BaseModel):
    """A rectangle drawn on a view: two corners, from the view's upper left [m]."""

    view: Literal["plan", "front"]
    purpose: Purpose
    start: tuple[Metres, Metres]
    end: tuple[Metres, Metres]

    def box(self, tank: Tank) -> Box:
        """Box of water of the rectangle: through the whole depth, or through the whole width."""
        (left, right), (high, low) = (sorted(pair) for pair in zip(self.start, self.end, strict=True))
        if self.view == "plan":
            return left, tank.width - low, right - left, low - high, 0.0, tank.water_depth
        return left, 0.0, right - left, tank.width, high, low


class ZoneShape(BaseModel):
    """Changed measures of a zone, named like those of rock: its base above the bottom pane, its height [m]."""

    x: Metres | None = None
    y: Metres | None = None
    length: Metres | None = None
    width: Metres | None = None
    base: Metres | None = None
    height: Metres | None = None


@router.get("")
def show_zones(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """All zones on the drawing and in numbers."""
    return _page(request, tanks.open_tank(db, tank_id), setup)


@router.post("")
def add(db: Db, tank_id: RowId, data: FormData, setup: Looked = None) -> RedirectResponse:
    """Add a zone in the middle, for keepers who type."""
    tank = tanks.open_tank(db, tank_id).tank
    box = (tank.length / 3, tank.width / 3, tank.length / 3, tank.width / 3, 0.0, tank.water_depth)
    purpose: Purpose = next((key for key in PURPOSES if key == data.get("purpose")), "sps")
    return go(f"/tanks/{tank_id}/zones#zone-{draw_zone(db, tank_id, purpose, box)}", setup)


@router.post("/draw")
def draw(db: Db, tank_id: RowId, body: Drawn) -> JSONResponse:
    """Add a zone as drawn."""
    return JSONResponse({"saved": draw_zone(db, tank_id, body.purpose, body.box(tanks.open_tank(db, tank_id).tank))})


@router.post("/{zone_id}")
def change(
    request: Request, db: Db, measure: Unit, tank_id: RowId, zone_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change a zone by its numbers."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    zone = form.read(TargetZone, stored.zone(zone_id).value)
    if zone and form.ok:
        form.attempt(lambda: save_zone(db, tank_id, zone_id, zone))
    if form.errors:
        return _page(request, stored, setup, bad=(zone_id, form))
    return go(f"/tanks/{tank_id}/zones#zone-{zone_id}", setup)


@router.post("/{zone_id}/shape")
def shape(db: Db, tank_id: RowId, zone_id: RowId, body: ZoneShape) -> JSONResponse:
    """Move or resize a zone by hand."""
    stored = tanks.open_tank(db, tank_id)
    zone, depth = stored.zone(zone_id).value, stored.tank.water_depth
    now = {"base": depth - zone.bottom, "height": zone.bottom - zone.top}
    now |= {name: getattr(zone, name) for name in ("x", "y", "length", "width")}
    now |= body.model_dump(exclude_none=True)
    bottom = depth - now.pop("base")
    moved = TargetZone(
        name=zone.name, top=bottom - now.pop("height"), bottom=bottom, low=zone.low, high=zone.high, **now
    )
    save_zone(db, tank_id, zone_id, moved)
    return JSONResponse({"saved": zone_id})


@router.post("/{zone_id}/remove")
def remove(
    request: Request, db: Db, measure: Unit, tank_id: RowId, zone_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Delete a zone."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    form.attempt(lambda: remove_zone(db, tank_id, zone_id))
    if form.errors:
        return _page(request, stored, setup, bad=(zone_id, form))
    return go(f"/tanks/{tank_id}/zones", setup)


def _page(
    request: Request, stored: StoredTank, setup_id: int | None, *, bad: tuple[int, Form] | None = None
) -> HTMLResponse:
    measure, setup = measure_of(request), stored.setup(setup_id)
    sheet = lay_out_pair(stored.tank, width=640, height=600, narrow=narrow_of(request))
    drawing = draw_frame(sheet, stored.tank, measure)
    for view, at in ((sheet.plan, stored.tank.water_depth), (sheet.front, stored.tank.width / 2)):
        drawing += draw_rock(view, stored.tank, at)
    zones = []
    met = {one.zone.name: one for one in zones_met(stored, setup.hung)}
    for kept in stored.wanted:
        form = bad[1] if bad and bad[0] == kept.id else None
        values = form.data if form else shown_values(kept.value, measure)
        fields = asked(TargetZone, values, form.errors if form else {}, measure)
        zones.append((kept, fields, form, met.get(kept.value.name)))
    context = {
        "stored": stored,
        "sheet": sheet,
        "drawing": drawing + draw_target_zones(sheet, stored.tank, stored.targets, stored.wanted),
        "zones": zones,
        "purposes": [(key, name, *light_for(stored.targets, key)) for key, name in PURPOSES.items()],
        "snap": 0.01 if measure.unit == "cm" else 0.5 * INCH,
        "wrong": bad is not None,
        "last": bad[1].errors.get("zone") if bad else None,
    }
    return page(request, "judging/target_zones.html", context, tank=stored, setup=setup, status=422 if bad else 200)

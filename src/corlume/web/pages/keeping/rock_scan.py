"""Scans of rock, seen in the tank before they are added."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, Field

from corlume.core.errors import Rules
from corlume.core.light.rock_mesh import RockMesh
from corlume.core.light.rock_scan import UNITS, UPS, Up
from corlume.core.light.rock_scan import Unit as ScanUnit
from corlume.core.units import DEGREE
from corlume.formats.file_faults import BadFile
from corlume.formats.measure import parse_number
from corlume.services.keeping import rock_scans, tanks
from corlume.services.keeping.rock_scans import ReadyScan
from corlume.store.tanks import StoredTank
from corlume.web.drawing.natural_rock import draw_from_above, draw_natural_rock
from corlume.web.drawing.sheet import lay_out_pair
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.forms.form import Form
from corlume.web.request.page import Db, Files, FormData, Looked, RowId, Unit, go, measure_of, narrow_of, page

router = APIRouter()
RockKey = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]


@router.get("/made-up-scan.ply")
def example_scan() -> Response:
    """A made-up scan to try the import with."""
    headers = {"Content-Disposition": 'attachment; filename="made-up-scan.ply"'}
    return Response(rock_scans.made_up_scan(), media_type="application/octet-stream", headers=headers)


@router.get("/tanks/{tank_id}/rock-scan")
def choose_scan(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """Choose the file of a scan."""
    return _scan_page(request, tanks.open_tank(db, tank_id), setup)


@router.post("/tanks/{tank_id}/rock-scan")
def bring_scan(request: Request, db: Db, tank_id: RowId, sent: Files, setup: Looked = None) -> Response:
    """Read a scan, and show it in the tank."""
    stored, data = tanks.open_tank(db, tank_id), sent.files.get("file", b"")
    faults = ["No file was chosen, or it is empty."]
    if data:
        try:
            scan = rock_scans.keep_scan(db, stored.tank, data)
            done = {name: getattr(scan, name) for name in ("unit", "up", "crumbs", "closed", "open_edges")}
            return go(f"/tanks/{tank_id}/rock-scan/{scan.key}?{urlencode(done)}", setup)
        except BadFile as error:
            faults = [f"{fault.where[:1].upper()}{fault.where[1:]} {fault.what}." for fault in error.faults]
    return _scan_page(request, stored, setup, faults=faults)


class ScanChoice(BaseModel):
    """How a scan is looked at: its unit, the way up, its turn [degrees] as it was typed, the four corners of a whole
    tank's bottom as "x,y x,y x,y x,y" in the scan's own units, and what was done to it.
    """

    unit: ScanUnit = "m"
    up: Up = "+z"
    turn: str = Field("0", max_length=20)
    bottom: str = Field("", max_length=200)
    crumbs: int = Field(0, ge=0, le=10**9)
    closed: int = Field(0, ge=0, le=10**9)
    open_edges: int = Field(0, ge=0, le=10**9)


@router.get("/tanks/{tank_id}/rock-scan/{key}")
def show_scan(
    request: Request,
    db: Db,
    measure: Unit,
    tank_id: RowId,
    key: RockKey,
    choice: Annotated[ScanChoice, Query()],
    setup: Looked = None,
) -> HTMLResponse:
    """A scan as it would lie in the tank, before it is added."""
    stored, scan, form = tanks.open_tank(db, tank_id), rock_scans.kept_scan(db, key), Form({}, measure)
    ready = form.attempt(lambda: _ready(stored, scan, "Scan", choice))
    return _scan_page(request, stored, setup, scan=scan, key=key, choice=choice, ready=ready, errors=form.errors)


def _ready(stored: StoredTank, scan: RockMesh, name: str, choice: ScanChoice) -> ReadyScan:
    bottom, turn, rules = rock_scans.corners_of(choice.bottom), 0.0, Rules()
    try:
        turn = parse_number(choice.turn)
    except ValueError:
        rules.that(False, "turn", "must be a number of degrees, such as 90")
    rules.between("turn", turn, -360.0, 360.0)
    rules.finish()
    return rock_scans.ready_scan(stored.tank, scan, name, choice.unit, choice.up, turn * DEGREE, bottom)


@router.post("/tanks/{tank_id}/rock-scan/{key}")
def add_scan(
    request: Request, db: Db, measure: Unit, tank_id: RowId, key: RockKey, data: FormData, setup: Looked = None
) -> Response:
    """Add a scan to the tank as it is shown."""
    stored, scan, form = tanks.open_tank(db, tank_id), rock_scans.kept_scan(db, key), Form(data, measure)
    name, given = form.text("name") or "Scanned rock", {one: form.text(one) for one in ScanChoice.model_fields}
    choice = ScanChoice()
    try:
        choice = ScanChoice.model_validate({field: value for field, value in given.items() if value})
    except ValueError:
        form.errors["unit"] = "is not one of those offered: choose again"
    ready = form.attempt(lambda: _ready(stored, scan, name, choice)) if form.ok else None
    if ready and form.ok:
        form.attempt(lambda: rock_scans.add_scan(db, tank_id, ready))
    if not form.errors:
        return go(f"/tanks/{tank_id}#rock", setup)
    return _scan_page(
        request, stored, setup, scan=scan, key=key, choice=choice, ready=ready, errors=form.errors, name=name
    )


def _scan_page(
    request: Request,
    stored: StoredTank,
    setup: int | None,
    *,
    scan: RockMesh | None = None,
    key: str = "",
    choice: ScanChoice | None = None,
    ready: ReadyScan | None = None,
    errors: Mapping[str, str] | None = None,
    faults: Sequence[str] = (),
    name: str = "",
) -> HTMLResponse:
    measure = measure_of(request)
    context: dict[str, Any] = {
        "stored": stored,
        "key": key,
        "choice": choice,
        "ready": ready,
        "errors": errors or {},
        "faults": faults,
        "units": list(UNITS),
        "ups": UPS,
        "typed_name": name,
    }
    if scan and choice:
        context["from_above"] = draw_from_above(rock_scans.seen_from_above(scan, choice.up))
    if ready:
        sheet = lay_out_pair(stored.tank, height=480, narrow=narrow_of(request))
        slices = (stored.tank.water_depth, ready.rock.y)
        context["sheet"], context["drawing"] = sheet, draw_frame(sheet, stored.tank, measure)
        for view, at in zip(sheet.views(), slices, strict=True):
            context["drawing"] += draw_rock(view, stored.tank, at) + draw_natural_rock(view, stored.tank, ready.rock)
        context["sizes"] = [measure.length(value) for value in ready.size]
    status = 422 if errors or faults else 200
    return page(request, "keeping/rock_scan.html", context, tank=stored, setup=stored.setup(setup), status=status)

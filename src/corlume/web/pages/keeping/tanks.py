"""All tanks: the list, import and export, undo, and the preferences of this device."""

from __future__ import annotations

import re
from collections.abc import Sequence

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from corlume.core.mounting.tape_measure import tape_of
from corlume.formats.file_faults import BadFile
from corlume.services.keeping import daily_copies, tanks
from corlume.store.database import Database
from corlume.store.tanks import Unreadable
from corlume.web.drawing.tank_card import draw_card
from corlume.web.request.coral_light_log import light_recorded
from corlume.web.request.page import Db, Files, FormData, RowId, go, measure_of, page, templates, told

router = APIRouter()


@router.get("/tanks")
def list_tanks(request: Request, db: Db) -> HTMLResponse:
    """All tanks."""
    return show_tanks(request, db)


@router.post("/tanks/import")
def import_tank(request: Request, db: Db, sent: Files) -> Response:
    """Import the tank of an uploaded scene file."""
    data = sent.files.get("file", b"")
    faults = ["No file was chosen, or it is empty."]
    if data:
        try:
            return go(f"/tanks/{tanks.import_tank(db, data)}/par-map")
        except BadFile as error:
            faults = [str(fault) for fault in error.faults]
    return show_tanks(request, db, faults=faults)


@router.get("/tanks/{tank_id}/export")
def export_tank(db: Db, tank_id: RowId) -> Response:
    """The tank as a scene file, or in a zip with its photos and the setups of its log when it has some."""
    stored, packed = tanks.open_tank(db, tank_id), tanks.has_files(db, tank_id)
    name = re.sub(r"[^a-z0-9]+", "-", stored.name.lower()).strip("-") or "tank"
    headers = {"Content-Disposition": f'attachment; filename="{name}.{"zip" if packed else "json"}"'}
    if packed:
        return Response(tanks.export_zip(db, tank_id), media_type="application/zip", headers=headers)
    return Response(tanks.export_tank(db, tank_id), media_type="application/json", headers=headers)


@router.post("/tanks/{tank_id}/remove")
def remove_tank(db: Db, tank_id: RowId) -> RedirectResponse:
    """Delete a tank; can be undone on the tanks page."""
    tanks.delete_tank(db, tank_id)
    return go("/tanks")


@router.post("/tanks/{tank_id}/mend")
def mend(db: Db, tank_id: RowId) -> RedirectResponse:
    """Delete rock and braces that keep a tank from being opened; can be undone."""
    tanks.take_out_misfits(db, tank_id)
    return go(f"/tanks/{tank_id}")


@router.post("/undo")
@router.post("/redo")
@router.post("/tanks/{tank_id}/undo", dependencies=[Depends(light_recorded)])
@router.post("/tanks/{tank_id}/redo", dependencies=[Depends(light_recorded)])
def step(request: Request, db: Db, data: FormData, tank_id: RowId | None = None) -> RedirectResponse:
    """Undo or redo, then return to the page, or to the nearest page that is still there."""
    (tanks.undo if request.url.path.endswith("/undo") else tanks.redo)(db, tank_id)
    back = data.get("back", "/tanks")
    shown = re.search(r"[?&]setup=(\d{1,9})", back)
    if tank_id and shown and not tanks.has_setup(db, tank_id, int(shown[1])):
        back = back.partition("?")[0]
    return go(back)


@router.post("/preferences")
def preferences(data: FormData) -> RedirectResponse:
    """Save the unit, the theme, the tape setting and the first page of tanks of this device."""
    answer = go(data.get("back", "/tanks"))
    for name, allowed in (("unit", ("cm", "in")), ("theme", ("day", "night")), ("opens", ("today", "chart"))):
        if data.get(name) in allowed:
            _remember(answer, name, data[name])
    if "along" in data:
        tape = tape_of(".".join(data.get(name, "") for name in ("along", "across", "to")))
        _remember(answer, "tape", f"{tape.along}.{tape.across}.{tape.to}")
    return answer


def _remember(answer: Response, name: str, value: str) -> None:
    answer.set_cookie(name, value, max_age=10 * 365 * 86400, httponly=True, samesite="strict")


def show_tanks(request: Request, db: Database, *, faults: Sequence[str] = ()) -> HTMLResponse:
    """The list of tanks, with the errors of an imported file; pictures load when scrolled to."""
    context = {"tanks": tanks.tank_list(db), "faults": faults, "copies": list(daily_copies.copies(db))}
    return page(request, "keeping/tanks.html", context, status=422 if faults else 200)


@router.get("/tanks/{tank_id}/card")
def tank_card(request: Request, db: Db, tank_id: RowId) -> JSONResponse:
    """Picture of a tank for the list, or the error of one that cannot be opened."""
    try:
        return JSONResponse({"html": draw_card(tanks.open_tank(db, tank_id))})
    except Unreadable as error:
        context = {"faulty": error, "faults": told(error, measure_of(request))}
        return JSONResponse(
            {"html": templates.get_template("keeping/import_errors.html").render(**context), "faulty": True}
        )

"""Presets and PAR wanted at a coral: previewed with their effect on the corals, then applied; kept and passed on."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from corlume.core.errors import InvalidInput
from corlume.core.schedule.presets import Preset
from corlume.formats.file_faults import BadFile
from corlume.formats.preset_file import from_code, read_presets, to_code, write_presets
from corlume.services.keeping import tanks
from corlume.services.schedule import colour
from corlume.services.schedule.colour import Tried
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.forms.par import read_par
from corlume.web.request.page import Db, Files, FormData, Looked, RowId, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/day/presets")


@router.get("")
def show_presets(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """Presets, with one tried where the address says so."""
    return _page(request, tanks.open_tank(db, tank_id), setup, dict(request.query_params))


@router.post("/apply")
def apply(request: Request, db: Db, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Apply what was tried."""
    stored = tanks.open_tank(db, tank_id)
    one = stored.setup(setup)
    try:
        tried, label = _tried(stored, one, data)
        if tried is not None:
            colour.apply(db, tank_id, one.id, tried, label)
    except InvalidInput:
        return _page(request, stored, setup, data, 422)
    return go(f"/tanks/{tank_id}/day/presets", setup)


@router.post("/keep")
def keep(request: Request, db: Db, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Save the colour of a fixture as a preset, or a pasted one."""
    stored = tanks.open_tank(db, tank_id)
    one = stored.setup(setup)
    try:
        if "code" in data:
            colour.keep_preset(db, tank_id, from_code(data["code"]))
        else:
            number = data.get("fixture", "")
            fixture_id = int(number) if number.isdecimal() and len(number) < 15 else -1
            colour.keep_colour(db, tank_id, one.id, fixture_id, data.get("name", "").strip())
    except InvalidInput as error:
        faults = {e.field: measure_of(request).message(e) for e in error.errors}
        return _page(request, stored, setup, data, 422, faults)
    return go(f"/tanks/{tank_id}/day/presets", setup)


@router.post("/import")
def import_file(request: Request, db: Db, tank_id: RowId, upload: Files, setup: Looked = None) -> Response:
    """Import presets from a file."""
    try:
        made = read_presets(upload.files.get("file", b""))
    except BadFile as error:
        stored = tanks.open_tank(db, tank_id)
        return _page(request, stored, setup, {}, 422, file_faults=[str(fault) for fault in error.faults])
    for one in made:
        colour.keep_preset(db, tank_id, one)
    return go(f"/tanks/{tank_id}/day/presets", setup)


@router.get("/presets.json")
def export_file(db: Db, tank_id: RowId) -> Response:
    """All presets as a file."""
    return _file(colour.presets_of(tanks.open_tank(db, tank_id)).values(), "presets")


@router.get("/colours.json")
def export_colours(db: Db, tank_id: RowId, setup: Looked = None, fixture: str = "") -> Response:
    """The colours of one fixture as it is set, or of all, as a file of presets with their names."""
    one = tanks.open_tank(db, tank_id).setup(setup)
    chosen = int(fixture) if fixture.isdecimal() and len(fixture) < 15 else None
    return _file(colour.colours_of(one, chosen), "colours")


def _file(presets: Iterable[Preset], name: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}.json"'}
    return Response(write_presets(presets), media_type="application/json", headers=headers)


@router.post("/{preset_id}/delete")
def delete(db: Db, tank_id: RowId, preset_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a preset."""
    colour.delete_preset(db, tank_id, preset_id)
    return go(f"/tanks/{tank_id}/day/presets", setup)


def _tried(stored: StoredTank, setup: StoredSetup, data: Mapping[str, str]) -> tuple[Tried | None, str]:
    """What is asked for, tried, and its name; None where nothing is."""
    group = data.get("group", "")
    if key := data.get("preset"):
        tried = colour.try_preset(stored, setup, key, group, keep_flux=data.get("keep", "") == "on")
        return tried, f"apply preset {colour.name_of(stored, setup, key)} to"
    if text := data.get("par"):
        number = data.get("coral", "")
        coral_id = int(number) if number.isdecimal() and len(number) < 15 else -1
        return colour.try_par(stored, setup, coral_id, read_par(text), group), "dim"
    return None, ""


def _page(
    request: Request,
    stored: StoredTank,
    setup_id: int | None,
    data: Mapping[str, str],
    status: int = 200,
    faults: Mapping[str, str] | None = None,
    file_faults: list[str] | None = None,
) -> HTMLResponse:
    setup, found, tried = stored.setup(setup_id), dict(faults or {}), None
    if not faults:
        try:
            tried, _ = _tried(stored, setup, data)
        except InvalidInput as error:
            found = {e.field: measure_of(request).message(e) for e in error.errors}
    context: dict[str, Any] = {
        "stored": stored,
        "setup": setup,
        "data": data,
        "presets": [(key, one, to_code(one), key.isdecimal()) for key, one in colour.presets_of(stored).items()],
        "lights": colour.lights_of(stored, setup),
        "by_name": colour.BY_NAME if colour.named_presets(stored, setup) else "",
        "groups": list(dict.fromkeys(k.value.group for k in setup.fixtures if k.value.group)),
        "placed": [(n, k) for n, k in enumerate(stored.corals, 1) if k.value.place is not None],
        "coloured": [k for k in setup.fixtures if len(k.value.emitter.channels) > 1],
        "tried": tried,
        "before": {kept.id: kept.value for kept in setup.fixtures},
        "faults": found,
        "file_faults": file_faults or [],
    }
    return page(request, "schedule/presets.html", context, tank=stored, setup=setup, status=status)

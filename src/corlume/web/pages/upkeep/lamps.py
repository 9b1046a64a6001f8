"""Lamps: what is in each fixture, how worn it is, when it is due, and how it is changed."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from corlume.core.upkeep.lamp import USUAL_LIVES, Lamp
from corlume.core.upkeep.spares import Spare
from corlume.services.keeping import tanks
from corlume.services.upkeep import lamps, spares
from corlume.store.tables import found
from corlume.store.tanks import StoredTank
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/log/lamps")
Ids = Annotated[list[int], Query(alias="lamp", max_length=100)]


def today() -> datetime.date:
    """Today's local date."""
    return datetime.date.today()


@router.get("")
def show_lamps(request: Request, db: Db, tank_id: RowId, edit: RowId | None = None) -> HTMLResponse:
    """All lamps of a tank, with one to be edited."""
    return _page(request, tanks.open_tank(db, tank_id), edit=edit)


@router.post("/add")
def add(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Record a lamp."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    lamp = form.read(Lamp)
    if lamp and form.ok:
        form.attempt(lambda: lamps.add_lamps(db, tank_id, [lamp], today()))
    return _page(request, stored, added=form) if form.errors else go(f"/tanks/{tank_id}/log/lamps", setup)


@router.post("/all")
def add_all(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Record a lamp with the usual life for every fixture that has none, all installed on one day."""
    stored, form = tanks.open_tank(db, tank_id), Form({"installed": data.get("installed", "")}, measure)
    first = lamps.without_lamps(stored)
    usual = [lamps.usual_lamp(fixture, today()) for fixture in first]
    read = form.read(Lamp, usual[0]) if usual else None
    if read and form.ok:
        made = [replace(one, installed=read.installed) for one in usual]
        form.attempt(lambda: lamps.add_lamps(db, tank_id, made, today()))
    return _page(request, stored, all_of=form) if form.errors else go(f"/tanks/{tank_id}/log/lamps", setup)


@router.get("/labels")
def show_labels(request: Request, db: Db, tank_id: RowId) -> HTMLResponse:
    """Labels of all lamps to print and stick on."""
    stored = tanks.open_tank(db, tank_id)
    context = {"stored": stored, "states": lamps.lamp_states(stored, today())}
    return page(request, "upkeep/labels.html", context, tank=stored)


@router.get("/change")
def show_change(request: Request, db: Db, tank_id: RowId, ids: Ids = ()) -> Response:  # type: ignore[assignment]
    """The steps of a change of lamps, and what it does to the corals."""
    stored = tanks.open_tank(db, tank_id)
    if not set(ids) & {kept.id for kept in stored.lamps}:
        return go(f"/tanks/{tank_id}/log/lamps")
    return _change_page(request, stored, ids)


@router.post("/change")
def change(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData) -> Response:
    """Put new lamps in the place of old ones; goes on to a slow change from the light before."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    ids = [int(text) for text in form.text("lamps").split(",") if text.isdecimal() and len(text) < 15]
    labels = [form.text(f"label.{k}") for k in range(len(ids))]
    chosen, _ = form.text("spare"), form.text("next")
    spare = int(chosen) if chosen.isdecimal() and len(chosen) < 15 else None
    read = form.read(Lamp, lamps.usual_lamp(stored.setup().hung[0], today())) if stored.setup().hung else None
    if read and form.ok:
        edit = form.attempt(lambda: lamps.change_lamps(db, tank_id, ids, read.installed, labels, spare, today()))
        if edit is not None:
            plan = f"/tanks/{tank_id}/day/plan?was=e{edit}&setup={stored.setup().id}"
            return go(plan if data.get("next") == "plan" else f"/tanks/{tank_id}/log/lamps")
    return _change_page(request, stored, ids, form)


@router.post("/spares")
def add_spare(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Add a spare, or set how many there are of one."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    spare = form.read(Spare)
    if spare and form.ok:
        form.attempt(lambda: spares.save_spare(db, tank_id, spare))
    return _page(request, stored, spare=form) if form.errors else go(f"/tanks/{tank_id}/log/lamps#spares", setup)


@router.post("/{lamp_id}")
def save(
    request: Request, db: Db, measure: Unit, tank_id: RowId, lamp_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change what is recorded of a lamp."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    lamp = form.read(Lamp, found(stored.lamps, lamp_id, "lamp").value)
    if lamp and form.ok:
        form.attempt(lambda: lamps.save_lamp(db, tank_id, lamp_id, lamp, today()))
    if form.errors:
        return _page(request, stored, edit=lamp_id, edited=form)
    return go(f"/tanks/{tank_id}/log/lamps", setup)


@router.post("/{lamp_id}/delete")
def delete(db: Db, tank_id: RowId, lamp_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a lamp from the record."""
    lamps.delete_lamp(db, tank_id, lamp_id)
    return go(f"/tanks/{tank_id}/log/lamps", setup)


def _page(
    request: Request,
    stored: StoredTank,
    *,
    edit: int | None = None,
    edited: Form | None = None,
    added: Form | None = None,
    all_of: Form | None = None,
    spare: Form | None = None,
) -> HTMLResponse:
    measure, without, states = measure_of(request), lamps.without_lamps(stored), lamps.lamp_states(stored, today())
    hung = without or stored.setup().hung
    first = shown_values(lamps.usual_lamp(hung[0], today()), measure) if hung else {}
    one = found(stored.lamps, edit, "lamp") if edit is not None else None
    context: dict[str, Any] = {
        "stored": stored,
        "date": today(),
        "states": states,
        "surveyed": any(one.surveyed is not None for one in states),
        "gone": sorted((k for k in stored.lamps if k.value.taken_out), key=lambda k: k.value.taken_out or today()),
        "without": without,
        "names": list(dict.fromkeys(f.name for setup in stored.setups for f in setup.hung)),
        "lives": {f.name: USUAL_LIVES[f.emitter.made_by.wears] for f in hung},
        "fields": asked(Lamp, added.data if added else first, added.errors if added else {}, measure),
        "added": added,
        "installed": asked(Lamp, all_of.data if all_of else {}, all_of.errors if all_of else {}, measure)["installed"],
        "edit": one,
        "edit_fields": asked(
            Lamp,
            edited.data if edited else shown_values(one.value, measure) if one else {},
            edited.errors if edited else {},
            measure,
            "",
        ),
        "edited": edited,
        "spares": stored.lists["spares"],
        "spare_fields": asked(Spare, spare.data if spare else {}, spare.errors if spare else {}, measure),
    }
    status = 422 if edited or added or all_of or spare else 200
    return page(request, "upkeep/lamps.html", context, tank=stored, status=status)


def _change_page(request: Request, stored: StoredTank, ids: Sequence[int], form: Form | None = None) -> HTMLResponse:
    measure = measure_of(request)
    chosen = [one for one in lamps.lamp_states(stored, today()) if one.kept.id in ids]
    wears = {f.emitter.made_by.wears for f in stored.setup().hung
             if f.name in {one.kept.value.fixture for one in chosen}}  # fmt: skip
    values = form.data if form else {"installed": today().isoformat()}
    context: dict[str, Any] = {
        "stored": stored,
        "chosen": chosen,
        "wears": wears,
        "effect": lamps.effect_of_change(stored, ids, today()),
        "installed": asked(Lamp, values, form.errors if form else {}, measure)["installed"],
        "data": values,
        "faults": form.errors if form else {},
        "form": form,
        "spares": [kept for kept in stored.lists["spares"] if kept.value.count],
    }
    return page(request, "upkeep/change_lamps.html", context, tank=stored, status=422 if form else 200)

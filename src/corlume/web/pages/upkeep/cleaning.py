"""Cleaning: the rhythm of each part, what is due, and what a cleaning brought."""

from __future__ import annotations

import datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from corlume.core.upkeep.cleaning import CLEANERS, PARTS, Cleaning, CleaningRhythm
from corlume.services.keeping import tanks
from corlume.services.upkeep import cleaning
from corlume.store.tables import found
from corlume.store.tanks import StoredTank
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/log/cleaning")


def today() -> datetime.date:
    """Today's local date."""
    return datetime.date.today()


@router.get("")
def show_cleaning(request: Request, db: Db, tank_id: RowId, edit: RowId | None = None) -> HTMLResponse:
    """What is cleaned how often, and when it was."""
    return _page(request, tanks.open_tank(db, tank_id), edit=edit)


@router.post("/begin")
def begin(db: Db, tank_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Begin with the usual rhythm of the parts that the lights have."""
    cleaning.begin_rhythms(db, tank_id, today())
    return go(f"/tanks/{tank_id}/log/cleaning", setup)


@router.post("/log")
def log(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Log a cleaning."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    read = form.read(Cleaning)
    if read and form.ok:
        form.attempt(lambda: cleaning.add_cleaning(db, tank_id, read, today()))
    return _page(request, stored, logged=form) if form.errors else go(f"/tanks/{tank_id}/log/cleaning", setup)


@router.post("/log/{cleaning_id}/delete")
def delete_entry(db: Db, tank_id: RowId, cleaning_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a cleaning from the record."""
    cleaning.delete_cleaning(db, tank_id, cleaning_id)
    return go(f"/tanks/{tank_id}/log/cleaning", setup)


@router.post("/rhythms")
def add(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Add a part to clean."""
    return _save(request, db, measure, tank_id, data, None, setup)


@router.post("/rhythms/{rhythm_id}")
def save(
    request: Request, db: Db, measure: Unit, tank_id: RowId, rhythm_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change how often a part is cleaned."""
    return _save(request, db, measure, tank_id, data, rhythm_id, setup)


@router.post("/rhythms/{rhythm_id}/delete")
def delete(db: Db, tank_id: RowId, rhythm_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Stop cleaning a part by a rhythm."""
    cleaning.delete_rhythm(db, tank_id, rhythm_id)
    return go(f"/tanks/{tank_id}/log/cleaning", setup)


@router.post("/rhythms/{rhythm_id}/measured")
def take_measured(db: Db, tank_id: RowId, rhythm_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Take the loss that was read."""
    cleaning.take_measured_loss(db, tank_id, rhythm_id)
    return go(f"/tanks/{tank_id}/log/cleaning", setup)


def _save(
    request: Request, db: Db, measure: Unit, tank_id: int, data: FormData, rhythm_id: int | None, setup: int | None
) -> Response:
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    was = found(stored.lists["rhythms"], rhythm_id, "rhythm").value if rhythm_id is not None else None
    read = form.read(CleaningRhythm, was)
    if read and form.ok:
        form.attempt(lambda: cleaning.save_rhythm(db, tank_id, rhythm_id, read, today()))
    if form.errors:
        return _page(request, stored, edit=rhythm_id, rhythm=form)
    return go(f"/tanks/{tank_id}/log/cleaning", setup)


def _page(
    request: Request,
    stored: StoredTank,
    *,
    edit: int | None = None,
    logged: Form | None = None,
    rhythm: Form | None = None,
) -> HTMLResponse:
    measure, states = measure_of(request), cleaning.cleaning_states(stored, today())
    one = found(stored.lists["rhythms"], edit, "rhythm") if edit is not None else None
    next_part = states[0].kept.value.part if states else "cover"
    first = shown_values(Cleaning(today(), next_part), measure)
    rhythm_values = shown_values(one.value if one else CleaningRhythm("cover", today()), measure)
    context: dict[str, Any] = {
        "stored": stored,
        "date": today(),
        "states": states,
        "parts": PARTS,
        "cleaners": CLEANERS,
        "names": list(dict.fromkeys(f.name for setup in stored.setups for f in setup.hung)),
        "fields": asked(Cleaning, logged.data if logged else first, logged.errors if logged else {}, measure),
        "logged": logged,
        "edit": one,
        "rhythm_fields": asked(
            CleaningRhythm, rhythm.data if rhythm else rhythm_values, rhythm.errors if rhythm else {}, measure
        ),
        "rhythm": rhythm,
        "log": sorted(stored.lists["cleanings"], key=lambda kept: (kept.value.day, kept.id), reverse=True),
    }
    status = 422 if logged or rhythm else 200
    return page(request, "upkeep/cleaning.html", context, tank=stored, status=status)

"""The coral library: searched and filtered, compared with the tank's own spots, added from, changed, and as a table."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.placement.coral_card import GROUPS
from corlume.core.placement.coral_type import ALLELOPATHY, BASES, FORMS, SEATS, CoralType
from corlume.core.placement.spot_score import SpotTable, light_score
from corlume.core.placement.surface_orientation import SAT
from corlume.core.schedule.dose import USUAL_DAY, daily_range
from corlume.formats.file_faults import BadFile
from corlume.formats.measure import parse_number
from corlume.reference.coral_library import coral_library, suiting
from corlume.services.acclimation.own_ranges import export_own_ranges, own_ranges
from corlume.services.keeping import coral_types, tanks
from corlume.services.placement.spots import spots_of
from corlume.store.tables import NotFound
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, Files, FormData, Looked, RowId, Unit, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/corals/library")
Typed = Annotated[str, Query(max_length=80)]
LIKED = 0.7
"""A seat that is worth so much to a kind is one that it likes [-]; ours."""


@router.get("")
def show_library(
    request: Request, db: Db, tank_id: RowId, setup: Looked = None, q: Typed = "", group: Typed = "", form: Typed = "",
    par: Typed = "", on: Typed = "",
) -> HTMLResponse:  # fmt: skip
    """Coral types by word, group, growth form and PAR; each with the number of suitable spots."""
    return _library(request, db, tank_id, setup, {"q": q, "group": group, "form": form, "par": par, "on": on})


def _library(
    request: Request, db: Db, tank_id: int, setup: int | None, asked_for: dict[str, str], faults: Sequence[str] = ()
) -> HTMLResponse:
    stored = tanks.open_tank(db, tank_id)
    looked, wrong = stored.setup(setup), ""
    kinds = list(coral_types.library(stored).values())
    if asked_for["par"].strip():
        try:
            known, kinds = kinds, suiting(kinds, parse_number(asked_for["par"]))
            kinds += [kind for kind in known if kind.food and asked_for["on"]]
        except ValueError as error:
            wrong = f"The reading {error}."
    words = asked_for["q"].casefold().split()
    kinds = [
        kind
        for kind in kinds
        if all(word in f"{kind.card.name} {kind.card.note} {FORMS[kind.form]}".casefold() for word in words)
        and asked_for["group"] in ("", kind.card.group)
        and asked_for["form"] in ("", kind.form)
        and (not asked_for["on"] or sits_on(kind, asked_for["on"]))
    ]
    seats = spots_of(stored, looked.hung)
    context = {
        "stored": stored,
        "kinds": kinds,
        "own": {kept.value.card.name for kept in stored.kinds},
        "fit": {kind.card.name: suited(kind, seats) for kind in kinds},
        "seats": len(seats.names),
        "own_ranges": own_ranges(db, stored),
        "groups": GROUPS,
        "forms": FORMS,
        "bases": BASES,
        "allelopathy": ALLELOPATHY,
        "sorts": SAT,
        "asked": asked_for,
        "wrong": wrong,
        "faults": faults,
        "usual": USUAL_DAY,
        "daily_range": daily_range,
    }
    status = 422 if wrong or faults else 200
    return page(request, "placement/coral_library.html", context, tank=stored, setup=looked, status=status)


def sits_on(kind: CoralType, sat: str) -> bool:
    """Whether a coral type prefers a sort of spot."""
    return any(share >= LIKED for one, share in kind.sits().items() if one == sat)


def suited(kind: CoralType, seats: SpotTable) -> int:
    """Number of spots that suit a coral type and its light; non-photosynthetic types take dim ones."""
    liked = {sat for sat in SAT if sits_on(kind, sat)}
    where = np.isin(seats.sat, list(liked))
    return int((where & (light_score(kind.card, seats.par, food=kind.food) > 0)).sum())


@router.get("/own-ranges")
def export_own(db: Db, tank_id: RowId) -> Response:
    """Own ranges as CSV."""
    text = export_own_ranges(db, tanks.open_tank(db, tank_id))
    headers = {"Content-Disposition": 'attachment; filename="own-ranges.csv"'}
    return Response(text, media_type="text/csv; charset=utf-8", headers=headers)


@router.get("/type")
def show_kind(request: Request, db: Db, tank_id: RowId, setup: Looked = None, name: Typed = "") -> HTMLResponse:
    """Form of a coral type; empty for a new one without a name."""
    return _kind(request, db, tank_id, setup, name, None)


@router.post("/type")
def save_kind(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Save a coral type as typed."""
    form, stored = Form(data, measure), tanks.open_tank(db, tank_id)
    was = form.text("was")
    kind = form.read(CoralType, coral_types.library(stored).get(was))
    if kind and form.ok:
        form.attempt(lambda: coral_types.save_type(db, tank_id, kind, was))
    if form.errors or kind is None:
        return _kind(request, db, tank_id, setup, was, form)
    return go(f"/tanks/{tank_id}/corals/library", setup)


@router.post("/type/remove")
def remove_kind(db: Db, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Delete a coral type of the keeper's."""
    coral_types.remove_type(db, tank_id, data.get("was", ""))
    return go(f"/tanks/{tank_id}/corals/library", setup)


@router.get("/table")
def export_table(db: Db, tank_id: RowId, own: bool = False) -> Response:
    """The library as CSV: all of it, or the keeper's own types."""
    stored = tanks.open_tank(db, tank_id)
    kinds = [kept.value for kept in stored.kinds] if own else list(coral_types.library(stored).values())
    headers = {"Content-Disposition": 'attachment; filename="coral-kinds.csv"'}
    return Response(coral_types.export_types(kinds), media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/table")
def import_table(request: Request, db: Db, tank_id: RowId, sent: Files, setup: Looked = None) -> Response:
    """Import coral types from CSV."""
    data, faults = sent.files.get("file", b""), ["No file was chosen, or it is empty."]
    if data:
        try:
            coral_types.import_types(db, tank_id, data)
            return go(f"/tanks/{tank_id}/corals/library", setup)
        except BadFile as error:
            faults = [str(fault) for fault in error.faults]
    return _library(request, db, tank_id, setup, dict.fromkeys(("q", "group", "form", "par", "on"), ""), faults)


def _kind(request: Request, db: Db, tank_id: int, setup: int | None, name: str, form: Form | None) -> HTMLResponse:
    stored, measure = tanks.open_tank(db, tank_id), measure_of(request)
    kind = coral_types.library(stored).get(name)
    if name and kind is None:
        raise NotFound(f"no kind {name}")
    values = form.data if form else shown_values(kind, measure) if kind else {}
    context: dict[str, Any] = {
        "stored": stored,
        "kind": kind,
        "was": name,
        "fields": asked(CoralType, values, form.errors if form else {}, measure),
        "places": list(SEATS),
        "own": any(kept.value.card.name == name for kept in stored.kinds),
        "known": name in coral_library(),
        "wrong": form,
    }
    looked = stored.setup(setup)
    return page(request, "placement/coral_type.html", context, tank=stored, setup=looked, status=422 if form else 200)

"""A substitute setup for a fixture that failed, with what it does to the corals, saved in one click."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.errors import InvalidInput
from corlume.core.message_text import letter
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.keeping import tanks
from corlume.services.mounting.owned import owned
from corlume.services.upkeep.substitute import covers, save_substitute, substitute
from corlume.store.tanks import StoredTank
from corlume.web.forms.form import Form
from corlume.web.request.page import Db, FormData, RowId, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/log/substitute")


@router.get("")
def show_substitute(
    request: Request, db: Db, tank_id: RowId, fixture: Annotated[int, Query(ge=0, le=1000)] = 0, spare: str = ""
) -> HTMLResponse:
    """The setup in use without a fixture by its index, or with a spare in its place, levels solved for the corals."""
    return _page(request, db, tanks.open_tank(db, tank_id), fixture, spare)


@router.post("")
def save(request: Request, db: Db, tank_id: RowId, data: FormData) -> Response:
    """Save the substitute as a setup, and put it to use where that was asked for."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure_of(request))
    failed = int(form.text("fixture")) if form.text("fixture").isdecimal() and len(form.text("fixture")) < 5 else -1
    use = form.text("next") == "use"
    spare = form.text("spare")
    made = form.attempt(lambda: save_substitute(db, stored, failed, use=use, spare=_spare(db, spare)))
    if made is None:
        return _page(request, db, stored, max(failed, 0), spare)
    return go(f"/tanks/{tank_id}/par-map", made)


def _spare(db: Db, key: str) -> CatalogueEntry | None:
    return next((one.entry for one in owned(db) if one.entry.key == key and one.count), None)


def _page(request: Request, db: Db, stored: StoredTank, failed: int, spare: str) -> HTMLResponse:
    found, fault = None, ""
    spares = [one.entry for one in owned(db) if one.count]
    try:
        found = substitute(stored, failed, _spare(db, spare))
    except InvalidInput as error:
        fault = measure_of(request).message(error.errors[0])
    context: dict[str, Any] = {
        "stored": stored,
        "used": stored.setup(),
        "hung": [f"{letter(k)} {fixture.name}" for k, fixture in enumerate(stored.setup().hung)],
        "failed": failed,
        "found": found,
        "spare": spare if _spare(db, spare) else "",
        "covers": covers(stored, failed, spares) if failed < len(stored.setup().hung) else [],
        "fault": fault,
    }
    return page(request, "upkeep/substitute.html", context, tank=stored, status=422 if fault else 200)

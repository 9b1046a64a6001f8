"""A substitute setup for a fixture that failed, with what it does to the corals, saved in one click."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.errors import InvalidInput
from corlume.core.message_text import letter
from corlume.services.keeping import tanks
from corlume.services.upkeep.substitute import save_substitute, substitute
from corlume.store.tanks import StoredTank
from corlume.web.forms.form import Form
from corlume.web.request.page import Db, FormData, RowId, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/log/substitute")


@router.get("")
def show_substitute(
    request: Request, db: Db, tank_id: RowId, fixture: Annotated[int, Query(ge=0, le=1000)] = 0
) -> HTMLResponse:
    """The setup in use without a fixture by its index, the others raised for the corals."""
    return _page(request, tanks.open_tank(db, tank_id), fixture)


@router.post("")
def save(request: Request, db: Db, tank_id: RowId, data: FormData) -> Response:
    """Save the substitute as a setup, and put it to use where that was asked for."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure_of(request))
    failed = int(form.text("fixture")) if form.text("fixture").isdecimal() and len(form.text("fixture")) < 5 else -1
    use = form.text("next") == "use"
    made = form.attempt(lambda: save_substitute(db, stored, failed, use=use))
    if made is None:
        return _page(request, stored, max(failed, 0))
    return go(f"/tanks/{tank_id}/par-map", made)


def _page(request: Request, stored: StoredTank, failed: int) -> HTMLResponse:
    found, fault = None, ""
    try:
        found = substitute(stored, failed)
    except InvalidInput as error:
        fault = measure_of(request).message(error.errors[0])
    context: dict[str, Any] = {
        "stored": stored,
        "used": stored.setup(),
        "hung": [f"{letter(k)} {fixture.name}" for k, fixture in enumerate(stored.setup().hung)],
        "failed": failed,
        "found": found,
        "fault": fault,
    }
    return page(request, "upkeep/substitute.html", context, tank=stored, status=422 if fault else 200)

"""Compare kinds of light on the keeper's own tank."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse

from corlume.services import compare, tanks
from corlume.store.tanks import Kept, StoredSetup
from corlume.web.drawing.card import draw_card
from corlume.web.site import Db, RowId, go, page

router = APIRouter(prefix="/tanks/{tank_id}/kinds")


@router.get("")
def show_kinds(request: Request, db: Db, tank_id: RowId) -> HTMLResponse:
    """Every kind of light, laid out by rule and set to the same PAR."""
    stored = tanks.open_tank(db, tank_id)
    options = compare.compare_kinds(stored)
    pictures = {}
    for option in options:
        fixtures = tuple(Kept(k, fixture) for k, fixture in enumerate(option.fixtures))
        setup = StoredSetup(0, option.name, True, fixtures)
        pictures[option.key] = draw_card(replace(stored, setups=(setup,)))
    context = {"stored": stored, "options": options, "pictures": pictures, "target": compare.target_par(stored)}
    return page(request, "kinds.html", context, tank=stored)


@router.post("/{key}/adopt")
def adopt(db: Db, tank_id: RowId, key: str) -> RedirectResponse:
    """Make a setup of one kind and open its chart."""
    return go(f"/tanks/{tank_id}/chart?setup={compare.adopt(db, tank_id, key)}")

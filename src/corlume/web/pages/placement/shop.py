"""The card for the shop: free spots, what suits each, and a note of what was bought, kept on the phone until sent."""

from __future__ import annotations

import datetime
from typing import Annotated

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse
from pydantic import BaseModel, Field

from corlume.core.acclimation.log_entry import Course
from corlume.core.errors import InvalidInput
from corlume.core.placement.coral_card import GROUPS
from corlume.formats.measure import parse_number
from corlume.services.keeping import coral_types, tanks
from corlume.services.placement.shop_card import bought, shop_card
from corlume.web.request.page import Db, Looked, RowId, Unit, page

router = APIRouter(prefix="/tanks/{tank_id}/corals/shop")


class Purchase(BaseModel):
    """What was bought, as typed in the shop."""

    name: Annotated[str, Field(max_length=80)]
    par: Annotated[str, Field(max_length=20)] = ""
    across: Annotated[str, Field(max_length=20)] = ""
    origin: Annotated[str, Field(max_length=120)] = ""
    day: datetime.date


@router.get("")
def show_shop_card(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """The card, to be read without a connection once it is open."""
    stored = tanks.open_tank(db, tank_id)
    looked = stored.setup(setup)
    library = coral_types.library(stored)
    context = {
        "stored": stored,
        "spots": shop_card(stored, looked),
        "types": {
            heading: [kind.card for kind in library.values() if kind.card.group == group]
            for group, heading in GROUPS.items()
        },
    }
    return page(request, "placement/shop.html", context, tank=stored, setup=looked)


LABELS = {
    "name": "Coral type",
    "par": "Shop PAR",
    "had": "Shop PAR",
    "across": "Size",
    "origin": "From",
    "bought": "Day",
}


@router.post("/bought")
def note_purchase(db: Db, measure: Unit, tank_id: RowId, body: Purchase) -> JSONResponse:
    """Add what was bought as an unplaced coral; what is wrong is told by its field."""
    cards = {name: kind.card for name, kind in coral_types.library(tanks.open_tank(db, tank_id)).items()}
    read = {"par": parse_number, "across": measure.parse}
    values, wrong = dict[str, float | None](), dict[str, str]()
    for field, parse in read.items():
        text = getattr(body, field).strip()
        try:
            values[field] = parse(text) if text else None
        except ValueError as error:
            wrong[field] = str(error)
    if not wrong:
        try:
            course = Course(body.day, body.origin.strip(), had=values["par"], across=values["across"])
            return JSONResponse({"saved": bought(db, tank_id, cards, body.name, course, datetime.date.today())})
        except InvalidInput as error:
            wrong = {one.field: measure.message(one) for one in error.errors}
    message = " ".join(f"{LABELS.get(field, field)} {words}." for field, words in wrong.items())
    return JSONResponse({"errors": wrong, "message": message}, 422)

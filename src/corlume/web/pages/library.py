"""The coral library: searched and filtered, held against the tank's own seats, and added from."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from corlume.core.coral import GROUPS
from corlume.core.placing.fit import light_worth
from corlume.formats.measure import parse_number
from corlume.reference.coral_library import FORMS, SEATS, coral_library, suiting
from corlume.services.advice.place_all import seats_of
from corlume.services.keeping import tanks
from corlume.web.page import Db, Looked, RowId, page

router = APIRouter(prefix="/tanks/{tank_id}/corals/library")
Typed = Annotated[str, Query(max_length=80)]


@router.get("")
def show_library(
    request: Request, db: Db, tank_id: RowId, setup: Looked = None, q: Typed = "", group: Typed = "", form: Typed = "",
    par: Typed = "",
) -> HTMLResponse:  # fmt: skip
    """Kinds that hold a word, are of a group and a form, and suit a reading; each with how many seats suit it."""
    stored = tanks.open_tank(db, tank_id)
    looked, wrong = stored.setup(setup), ""
    kinds = list(coral_library().values())
    if par.strip():
        try:
            kinds = suiting(parse_number(par))
        except ValueError as error:
            wrong = f"The reading {error}."
    words = q.casefold().split()
    kinds = [
        kind
        for kind in kinds
        if all(word in f"{kind.card.name} {kind.card.note} {FORMS[kind.form]}".casefold() for word in words)
        and group in ("", kind.card.group)
        and form in ("", kind.form)
    ]
    seats = seats_of(stored, looked.hung)
    context = {
        "stored": stored,
        "kinds": kinds,
        "fit": {kind.card.name: int((light_worth(kind.card, seats.par) > 0).sum()) for kind in kinds},
        "seats": len(seats.names),
        "groups": GROUPS,
        "forms": FORMS,
        "places": SEATS,
        "asked": {"q": q, "group": group, "form": form, "par": par},
        "wrong": wrong,
        "hours": stored.running.hours,
    }
    return page(request, "corals/library.html", context, tank=stored, setup=looked, status=422 if wrong else 200)

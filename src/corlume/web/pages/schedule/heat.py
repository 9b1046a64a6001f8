"""Heat of the lights: the daily rise of the water under each setup, and against the keeper's own temperatures."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from corlume.formats.measure import parse_number
from corlume.services.keeping import tanks
from corlume.services.schedule.day_heat import HOLD, measured_heat, setup_heat
from corlume.web.request.page import Db, Looked, RowId, page

router = APIRouter(prefix="/tanks/{tank_id}/day/heat")
Typed = Annotated[str, Query(max_length=20)]
COOLEST, WARMEST = 10.0, 40.0
"""Temperatures of a reef tank lie between these, else the unit is another [C]."""
WIDE_SWING = 1.5
"""A daily rise from which a fan or chiller is advised [K]; our estimate."""


@router.get("")
def show_heat(
    request: Request, db: Db, tank_id: RowId, setup: Looked = None, before: Typed = "", after: Typed = ""
) -> HTMLResponse:
    """The rise under each setup; with two temperatures typed, what they say of the setup shown."""
    stored = tanks.open_tank(db, tank_id)
    looked = stored.setup(setup)
    typed = {"before": before, "after": after}
    faults, values = dict[str, str](), dict[str, float]()
    for name, text in typed.items():
        if not (before.strip() or after.strip()):
            continue
        try:
            values[name] = parse_number(text)
        except ValueError as error:
            faults[name] = str(error)
            continue
        if not COOLEST <= values[name] <= WARMEST:
            faults[name] = f"must be from {COOLEST:g} to {WARMEST:g} \u00b0C, not \u00b0F"
    rise = values["after"] - values["before"] if len(values) == 2 and not faults else None
    rows = [setup_heat(stored, one) for one in stored.setups]
    context = {
        "stored": stored,
        "setup": looked,
        "rows": rows,
        "shown": next(row for row in rows if row.setup.id == looked.id),
        "typed": typed,
        "faults": faults,
        "rise": rise,
        "left": measured_heat(stored, looked, rise) if rise is not None else None,
        "wide": WIDE_SWING,
        "hold": HOLD,
    }
    return page(request, "schedule/heat.html", context, tank=stored, setup=looked, status=422 if faults else 200)

"""Costs of the setups over the years, what is owned over all tanks, the load by the clock, and what a meter brings."""

from __future__ import annotations

import datetime
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from corlume.formats.measure import parse_number
from corlume.services.keeping import fixture_library, tanks
from corlume.services.mounting.owned import everything_owned
from corlume.services.survey.meter_options import ENOUGH, advised, meter_options
from corlume.services.upkeep.running_costs import AHEAD, OWNED, Owned, crossings, setup_costs
from corlume.web.drawing.cost_lines import STYLES, draw_cost_lines
from corlume.web.drawing.load_lines import draw_load
from corlume.web.request.page import Db, RowId, narrow_of, page

router = APIRouter(prefix="/tanks/{tank_id}/log/costs")
Typed = Annotated[str, Query(max_length=20)]
RENT, PRICE = "45", "520"
"""Round figures of our own [currency]."""
MOST = 1e6


@router.get("")
def show_costs(
    request: Request, db: Db, tank_id: RowId, owned: Owned = "here", rent: Typed = RENT, price: Typed = PRICE
) -> HTMLResponse:
    """The costs, with what is counted as owned, and ways to get a meter at a rent a week and a price."""
    every = tanks.all_tanks(db)
    stored = tanks.open_tank(db, tank_id)
    others = [one for one in every if one.id != stored.id]
    faults, values = dict[str, str](), dict[str, float]()
    for name, text in (("rent", rent), ("price", price)):
        try:
            values[name] = parse_number(text)
        except ValueError as error:
            faults[name] = str(error)
            continue
        if not 0 <= values[name] <= MOST:
            faults[name] = f"must be from 0 to {MOST:,.0f} {stored.running.currency}"
    rows = setup_costs(stored, others, fixture_library.entries(db), owned)
    met = crossings(rows)
    options = [] if faults else meter_options(stored, datetime.date.today(), values["rent"], values["price"])
    context = {
        "stored": stored,
        "rows": rows,
        "met": met,
        "years": AHEAD,
        "lines": draw_cost_lines([row.line for row in rows], met, stored.running.currency, narrow=narrow_of(request)),
        "load": draw_load(rows, narrow=narrow_of(request)),
        "styles": STYLES,
        "owned": owned,
        "owned_options": list(OWNED.items()),
        "lines_owned": everything_owned(db),
        "typed": {"rent": rent, "price": price, "owned": owned},
        "faults": faults,
        "options": options,
        "advised": advised(options),
        "enough": ENOUGH,
    }
    return page(request, "upkeep/costs.html", context, tank=stored, status=422 if faults else 200)

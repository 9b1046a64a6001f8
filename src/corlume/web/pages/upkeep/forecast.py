"""The forecast of PAR at the corals, as lamps fade and glass dims."""

from __future__ import annotations

import datetime

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from corlume.services.keeping import tanks
from corlume.services.upkeep.forecast import forecast, forecast_days
from corlume.web.drawing.forecast import draw_forecast
from corlume.web.request.page import Db, RowId, page

router = APIRouter(prefix="/tanks/{tank_id}/log/forecast")


@router.get("")
def show_forecast(request: Request, db: Db, tank_id: RowId) -> HTMLResponse:
    """PAR at every placed coral over two years."""
    stored, today = tanks.open_tank(db, tank_id), datetime.date.today()
    days = forecast_days(today)
    rows = [(one, draw_forecast(one, days), days[k] if (k := one.range_ends) is not None else None)
            for one in forecast(db, stored, today)]  # fmt: skip
    context = {"stored": stored, "rows": rows, "known": bool(stored.lamps or stored.lists["rhythms"])}
    return page(request, "upkeep/forecast.html", context, tank=stored)

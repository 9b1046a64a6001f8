"""Was it the light: for every coral that ails or was lost, the odds of each cause and the evidence."""

from __future__ import annotations

import datetime

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from corlume.core.acclimation.light_cause import BEFORE, CAUSES, PRIOR, SURE
from corlume.services.keeping import tanks
from corlume.services.upkeep.light_causes import LATELY, light_causes
from corlume.web.request.page import Db, RowId, page

router = APIRouter(prefix="/tanks/{tank_id}/log/light-cause")


@router.get("")
def show_light_causes(request: Request, db: Db, tank_id: RowId) -> HTMLResponse:
    """The answer for every ailing coral of a tank."""
    stored, today = tanks.open_tank(db, tank_id), datetime.date.today()
    context = {
        "stored": stored,
        "found": light_causes(db, stored, today),
        "causes": CAUSES,
        "prior": PRIOR,
        "sure": SURE,
        "before": BEFORE,
        "lately": LATELY,
    }
    return page(request, "upkeep/light_cause.html", context, tank=stored)

"""A survey read again at the same points, and compared with the earlier one point by point."""

from __future__ import annotations

import datetime
import statistics

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse

from corlume.services.keeping import surveys, tanks
from corlume.services.survey.repeated_survey import earlier_survey, point_changes, repeat_survey
from corlume.services.upkeep.setup_log import fixture_changes
from corlume.web.request.page import Db, Looked, RowId, go, page

router = APIRouter(prefix="/tanks/{tank_id}/survey")


@router.post("/{survey_id}/repeat")
def repeat(db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Begin a survey at the points of this one."""
    again = repeat_survey(db, tanks.open_tank(db, tank_id), survey_id, datetime.date.today())
    return go(f"/tanks/{tank_id}/survey/{again}", setup)


@router.get("/{survey_id}/points")
def compare_points(request: Request, db: Db, tank_id: RowId, survey_id: RowId) -> HTMLResponse:
    """This survey beside the one before it, point by point, with what is different about the lights."""
    stored, survey = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id)
    earlier = earlier_survey(surveys.all_surveys(db, tank_id), survey)
    rows = point_changes(earlier.value, survey.value) if earlier else []
    context = {
        "stored": stored,
        "survey": survey,
        "earlier": earlier,
        "rows": rows,
        "middle": statistics.median(one.change for one in rows) if rows else 0.0,
        "lights": fixture_changes(earlier.value.fixtures, survey.value.fixtures) if earlier else [],
    }
    return page(request, "survey/points_compared.html", context, tank=stored)

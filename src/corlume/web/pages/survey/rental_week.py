"""Rental week: a page a day, on the screen and on paper."""

from __future__ import annotations

import datetime

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.survey.balance import AGREE
from corlume.services.keeping import surveys, tanks
from corlume.services.survey import rental_week
from corlume.services.survey.rental_week import OFF_LEVEL, PARTS, WITHIN
from corlume.store.tables import NotFound
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, page

router = APIRouter(prefix="/tanks/{tank_id}/survey/week")


@router.post("")
def begin(db: Db, measure: Unit, tank_id: RowId, setup: Looked = None) -> Response:
    """Plan a week for the shown setup."""
    stored = tanks.open_tank(db, tank_id)
    survey_id = rental_week.begin(db, stored, stored.setup(setup), datetime.date.today(), measure)
    return go(f"/tanks/{tank_id}/survey/week/{survey_id}", setup)


@router.get("/{survey_id}")
def show(request: Request, db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> HTMLResponse:
    """All days of a week: points to read, and results."""
    stored, looked = tanks.open_tank(db, tank_id), tanks.open_tank(db, tank_id).setup(setup)
    session = rental_week.session_of(db, stored, survey_id)
    context = {
        "stored": stored,
        "session": session,
        "survey_id": survey_id,
        "days": rental_week.days(stored, surveys.all_surveys(db, tank_id), session),
        "within": WITHIN,
        "agree": AGREE,
        "off_level": OFF_LEVEL,
        "heights": rental_week.heights_to_try(stored, looked),
        "dark": not any(f.output > 0 for f in looked.hung),
    }
    return page(request, "survey/rental_week.html", context, tank=stored, setup=looked)


@router.post("/{survey_id}/day")
def begin_day(
    db: Db, measure: Unit, tank_id: RowId, survey_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Plan the points of the next day, under the shown setup as it hangs now."""
    stored = tanks.open_tank(db, tank_id)
    session, part = rental_week.session_of(db, stored, survey_id), data.get("part", "")
    chosen = next((key for key in PARTS if key == part), None)
    if chosen is None:
        raise NotFound(f"no day {part[:20]} in a week")
    rental_week.begin_day(db, stored, stored.setup(setup), session, chosen, datetime.date.today(), measure)
    return go(f"/tanks/{tank_id}/survey/week/{survey_id}#{chosen}", setup)

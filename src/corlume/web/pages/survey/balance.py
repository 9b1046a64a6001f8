"""Balance with a meter: rounds of a few readings, each with the move that would equalise them."""

from __future__ import annotations

import datetime

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.survey.balance import AGREE, STRONG, Strong
from corlume.formats.round_steps import STEPS
from corlume.services.keeping import surveys, tanks
from corlume.services.survey import balance_rounds
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/survey/balance")


@router.post("")
def begin(db: Db, tank_id: RowId, setup: Looked = None) -> Response:
    """Begin to balance the shown setup."""
    stored = tanks.open_tank(db, tank_id)
    survey_id = balance_rounds.begin(db, stored, stored.setup(setup), datetime.date.today())
    return go(f"/tanks/{tank_id}/survey/balance/{survey_id}", setup)


def _session(db: Database, stored: StoredTank, survey_id: int) -> str:
    survey = surveys.open_survey(db, stored.id, survey_id).value
    if survey.kind != "balance":
        raise NotFound(f"survey {survey_id} is no round of a balance")
    return survey.session


def _strong(text: str) -> Strong:
    return next((key for key in STRONG if key == text), "")


@router.get("/{survey_id}")
def show(
    request: Request, db: Db, tank_id: RowId, survey_id: RowId, strong: str = "", setup: Looked = None
) -> HTMLResponse:
    """All rounds of a session, and the next move."""
    stored, measure = tanks.open_tank(db, tank_id), measure_of(request)
    session, end = _session(db, stored, survey_id), _strong(strong)
    rounds = balance_rounds.rounds(db, stored, session, end, STEPS[measure.unit])
    context = {
        "stored": stored,
        "session": session,
        "rounds": rounds,
        "last": rounds[-1],
        "strong": end,
        "ends": STRONG,
        "agree": AGREE,
    }
    return page(request, "survey/balance.html", context, tank=stored, setup=stored.setup(setup))


@router.post("/{survey_id}/shift")
def shift(db: Db, measure: Unit, tank_id: RowId, survey_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Save that the fixtures were shifted as suggested, and begin the next round."""
    stored = tanks.open_tank(db, tank_id)
    session, end = _session(db, stored, survey_id), _strong(data.get("strong", ""))
    last = balance_rounds.rounds(db, stored, session, end, STEPS[measure.unit])[-1]
    hung = next((s for s in stored.setups if s.name == last.survey.value.setup), None)
    if last.move is None or hung is None:
        return go(f"/tanks/{tank_id}/survey/balance/{survey_id}", setup)
    following = balance_rounds.shift(db, stored, hung, last, datetime.date.today())
    return go(f"/tanks/{tank_id}/survey/balance/{following}{f'?strong={end}' if end else ''}", setup)

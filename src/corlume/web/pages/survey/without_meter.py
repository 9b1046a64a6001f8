"""Without a meter: the hand outside the panes, and cloudy water."""

from __future__ import annotations

import datetime

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.light.geometry import SIDES
from corlume.core.survey.survey_record import Survey
from corlume.core.survey.without_meter import SHOWS
from corlume.services.keeping import surveys, tanks
from corlume.services.survey.rental_week import WITHIN
from corlume.services.survey.seen_light import heights, results_of, spill_survey
from corlume.store.database import Database
from corlume.store.tanks import StoredTank
from corlume.web.forms.form import Form
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/survey/without")


@router.get("")
def show(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """Observations without a meter, and how to make them."""
    return _page(request, db, tanks.open_tank(db, tank_id), setup)


@router.post("/spill")
def note_spill(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Save the height at which spill showed first, and outside which panes."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    looked, sides = stored.setup(setup), [side for side in SIDES if form.text(f"side_{side}") == "on"]
    height = form.length("height")
    if height == height and not 0.01 <= height <= stored.tank.room_height:
        room = measure.length(stored.tank.room_height)
        form.errors.setdefault("height", f"is outside the room: the canopy or ceiling is {room} above the water")
    if not sides:
        form.errors.setdefault("sides", "Tick the panes outside of which it showed.")
    if not looked.hung:
        form.errors.setdefault("sides", "This setup has no fixtures.")
    if form.errors:
        return _page(request, db, stored, setup, form)
    today = datetime.date.today()
    name = f"Spill at {measure.length(height)}"
    survey = spill_survey(stored, looked, height=height, sides=sides, day=today, name=name)
    return go(f"/tanks/{tank_id}/survey/{surveys.add_survey(db, tank_id, survey)}", setup)


@router.post("/cloudy")
def begin_cloudy(db: Db, tank_id: RowId, setup: Looked = None) -> Response:
    """Open a drawing on which dark and lit places are marked."""
    stored = tanks.open_tank(db, tank_id)
    looked = stored.under(None).setup(stored.setup(setup).id)
    today = datetime.date.today()
    survey = Survey("Cloudy water", today, looked.name, fixtures=tuple(looked.hung), kind="cloudy")
    return go(f"/tanks/{tank_id}/survey/{surveys.add_survey(db, tank_id, survey)}", setup)


def _page(
    request: Request, db: Database, stored: StoredTank, setup_id: int | None, bad: Form | None = None
) -> HTMLResponse:
    setup, measure = stored.setup(setup_id), measure_of(request)
    earlier = [one for one in surveys.all_surveys(db, stored.id) if one.value.kind in ("spill", "cloudy")]
    now = min((f.emitter.height for f in setup.hung), default=0.3)
    context = {
        "stored": stored,
        "heights": heights(stored, setup),
        "shows": SHOWS,
        "within": WITHIN,
        "sides": SIDES,
        "values": bad.data if bad else {"height": measure.number(now)},
        "errors": bad.errors if bad else {},
        "earlier": [(one, results_of(stored, one.value)) for one in earlier],
    }
    return page(request, "survey/without_meter.html", context, tank=stored, setup=setup, status=422 if bad else 200)

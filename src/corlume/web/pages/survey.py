"""Survey: planned, taken at the tank, judged, and taken into use."""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Any, Literal

from fastapi import APIRouter, Request
from fastapi.responses import (
    HTMLResponse,
    JSONResponse,
    PlainTextResponse,
    RedirectResponse,
    Response,
    StreamingResponse,
)
from pydantic import BaseModel, Field

from corlume.core.survey.misfit import LUX_BY_PAR
from corlume.core.survey.needle import Needle
from corlume.core.survey.record import Spot, Survey
from corlume.formats.faults import BadFile
from corlume.formats.survey_table import read_survey, write_survey
from corlume.services.advice.survey import Findings, findings, predicted
from corlume.services.advice.survey_compare import JUMP, coral_jumps, lit, offered
from corlume.services.advice.survey_plan import COUNTS, offer
from corlume.services.keeping import surveys, tanks
from corlume.services.keeping.meter import MeterLost, meter_readings
from corlume.services.keeping.surveys import StoredSurvey
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank
from corlume.web.drawing.difference import NAMES, difference_plan
from corlume.web.drawing.sheet import lay_out_pair
from corlume.web.drawing.survey import Mark, draw_left_out, draw_spots
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.page import Db, Files, FormData, Looked, RowId, Unit, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/survey")
ASKED = ("name", "day", "pumps", "meter", "immersion")
"""What is asked of a new survey."""


@router.get("")
def show_surveys(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """All surveys of a tank on their time line, and a new one to be planned."""
    return _list(request, db, tanks.open_tank(db, tank_id), setup)


@router.post("")
def begin(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Plan a survey of so many spots under the setup that is looked at."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    hung, wanted = stored.setup(setup), form.text("count")
    if wanted not in ("0", *map(str, COUNTS)):
        form.errors.setdefault("count", "is not one of those offered")
    survey = form.read(Survey)
    if survey and form.ok:
        spots = offer(stored, hung).plan(int(wanted))
        fixtures = tuple(stored.under(None).setup(hung.id).hung)
        made = replace(survey, spots=spots, fixtures=fixtures, setup=hung.name)
        survey_id = form.attempt(lambda: surveys.add_survey(db, tank_id, made))
        if survey_id is not None:
            return go(f"/tanks/{tank_id}/survey/{survey_id}", setup)
    return _list(request, db, stored, setup, form)


def _list(
    request: Request, db: Database, stored: StoredTank, setup_id: int | None, bad: Form | None = None
) -> HTMLResponse:
    measure, setup = measure_of(request), stored.setup(setup_id)
    kept = surveys.all_surveys(db, stored.id)
    today = datetime.date.today()
    first = Survey(f"Survey {len(kept) + 1}", today)
    values = bad.data if bad else shown_values(first, measure)
    left = offer(stored, setup).left()
    context = {
        "stored": stored,
        "surveys": kept,
        "fields": asked(Survey, values, bad.errors if bad else {}, measure),
        "asked": ASKED,
        "counts": [(count, share) for count, share in left.items() if count],
        "before": left.get(0, 0.0),
        "count": values.get("count", "12"),
        "wrong": bad,
        "dark": not any(f.output > 0 for f in setup.hung),
    }
    return page(request, "survey/surveys.html", context, tank=stored, setup=setup, status=422 if bad else 200)


@router.get("/compare")
def compare(request: Request, db: Db, tank_id: RowId, a: str = "", b: str = "", setup: Looked = None) -> HTMLResponse:
    """Two surveys or setups held against each other: the light at the rock top, and at every coral."""
    stored, kept = tanks.open_tank(db, tank_id), surveys.all_surveys(db, tank_id)
    choices = offered(stored, kept)
    keys = list(choices)
    before = lit(stored, kept, a or f"setup-{stored.setup().id}")
    after = lit(stored, kept, b or next((key for key in keys if key != before.key), before.key))
    label = f"PAR of {after.name} less that of {before.name}"
    context = {
        "stored": stored,
        "choices": choices,
        "before": before,
        "after": after,
        "difference": difference_plan(stored.tank, after.plane(), before.plane(), width=560, label=label),
        "jumps": coral_jumps(before, after),
        "differences": NAMES,
        "depth": stored.tank.rock_top(),
        "limit": JUMP,
    }
    return page(request, "survey/compare.html", context, tank=stored, setup=stored.setup(setup))


@router.get("/{survey_id}")
def show(request: Request, db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> HTMLResponse:
    """What a survey says."""
    return _survey(request, tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id), setup)


@router.post("/{survey_id}")
def save(
    request: Request, db: Db, measure: Unit, tank_id: RowId, survey_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change what is said of a survey as a whole."""
    stored, kept, form = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id), Form(data, measure)
    survey = form.read(Survey, kept.value)
    if survey and form.ok:
        form.attempt(lambda: surveys.save_survey(db, tank_id, survey_id, survey))
    if form.errors:
        return _survey(request, stored, kept, setup, whole=form)
    return go(f"/tanks/{tank_id}/survey/{survey_id}", setup)


@router.post("/{survey_id}/remove")
def remove(db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Take a survey out."""
    surveys.remove_survey(db, tank_id, survey_id)
    return go(f"/tanks/{tank_id}/survey", setup)


@router.post("/{survey_id}/use")
def use(db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Let chart, Hang and corals follow what the survey found."""
    stored, kept = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id)
    found = findings(stored, kept.value)
    if found:
        surveys.use_survey(db, tank_id, survey_id, found.correction)
    return go(f"/tanks/{tank_id}/survey/{survey_id}", setup)


@router.post("/{survey_id}/leave")
def leave(db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Go by the prediction alone."""
    surveys.use_survey(db, tank_id, None)
    return go(f"/tanks/{tank_id}/survey/{survey_id}", setup)


@router.post("/{survey_id}/spots")
def add_spot(
    request: Request, db: Db, measure: Unit, tank_id: RowId, survey_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Add a spot by hand."""
    stored, kept, form = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id), Form(data, measure)
    spot = form.read(Spot)
    if spot and form.ok:
        form.attempt(lambda: surveys.add_spot(db, tank_id, survey_id, spot))
    if form.errors:
        return _survey(request, stored, kept, setup, new=form)
    return go(f"/tanks/{tank_id}/survey/{survey_id}", setup)


@router.post("/{survey_id}/spots/{spot_id}")
def change_spot(
    request: Request, db: Db, measure: Unit, tank_id: RowId, survey_id: RowId, spot_id: RowId, data: FormData,
    setup: Looked = None,
) -> Response:  # fmt: skip
    """Move a spot, or change what is said of it."""
    stored, kept, form = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id), Form(data, measure)
    spot = form.read(Spot, kept.spot(spot_id).value)
    if spot and form.ok:
        form.attempt(lambda: surveys.save_spot(db, tank_id, survey_id, spot_id, spot))
    if form.errors:
        return _survey(request, stored, kept, setup, spot=(spot_id, form))
    return go(f"/tanks/{tank_id}/survey/{survey_id}#spot-{spot_id}", setup)


@router.post("/{survey_id}/spots/{spot_id}/drop")
def drop_spot(db: Db, tank_id: RowId, survey_id: RowId, spot_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Drop a spot."""
    surveys.remove_spot(db, tank_id, survey_id, spot_id)
    return go(f"/tanks/{tank_id}/survey/{survey_id}", setup)


@router.get("/{survey_id}/table")
def save_table(db: Db, tank_id: RowId, survey_id: RowId) -> Response:
    """The readings as CSV."""
    kept = surveys.open_survey(db, tank_id, survey_id)
    name = f"attachment; filename=survey-{kept.value.day.isoformat()}.csv"
    text = write_survey(spot.value for spot in kept.spots)
    return PlainTextResponse(text, media_type="text/csv; charset=utf-8", headers={"Content-Disposition": name})


@router.post("/{survey_id}/table")
def bring_table(
    request: Request, db: Db, measure: Unit, tank_id: RowId, survey_id: RowId, sent: Files, setup: Looked = None
) -> Response:
    """Bring readings in from CSV or from what was pasted."""
    stored, kept = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id)
    text = sent.texts.get("pasted", "")
    try:
        lux = float(sent.texts.get("lux") or "nan")
        if sent.files.get("file"):
            text = sent.files["file"].decode("utf-8-sig")
        brought = read_survey(text, measure.unit, lux if lux > 0 else None)
        surveys.bring_spots(db, tank_id, survey_id, brought.spots)
    except UnicodeDecodeError:
        return _survey(request, stored, kept, setup, table=["The file is not UTF-8 text."], pasted=text)
    except ValueError as error:
        faults = error.faults if isinstance(error, BadFile) else []
        told = [str(fault) for fault in faults] or [f"{e.field.replace('.', ' ')} {measure.message(e)}"
                for e in getattr(error, "errors", ())] or [str(error)]  # fmt: skip
        return _survey(request, stored, kept, setup, table=told, pasted=text)
    kept = surveys.open_survey(db, tank_id, survey_id)
    return _survey(request, tanks.open_tank(db, tank_id), kept, setup, understood=brought.understood)


def _survey(
    request: Request,
    stored: StoredTank,
    kept: StoredSurvey,
    setup_id: int | None,
    *,
    whole: Form | None = None,
    new: Form | None = None,
    spot: tuple[int, Form] | None = None,
    table: Sequence[str] = (),
    pasted: str = "",
    understood: Sequence[str] = (),
) -> HTMLResponse:
    measure, setup = measure_of(request), stored.setup(setup_id)
    found = findings(stored, kept.value)
    sheet = lay_out_pair(stored.tank, width=640, height=560)
    drawing = draw_frame(sheet, stored.tank, measure)
    marks = _marks(stored, kept, found)
    for view, at in ((sheet.plan, stored.tank.water_depth), (sheet.front, stored.tank.width / 2)):
        drawing += draw_rock(view, stored.tank, at) + draw_spots(view, marks)
    by_spot = {row.spot: row for row in found.spots} if found else {}
    rows = []
    for one in kept.spots:
        form = spot[1] if spot and spot[0] == one.id else None
        values = form.data if form else shown_values(one.value, measure)
        fields = asked(Spot, values, form.errors if form else {}, measure)
        rows.append((one, fields, by_spot.get(one.value), form))
    blank = Spot("Spot", 0.5 * stored.tank.length, 0.5 * stored.tank.width, 0.15)
    values = whole.data if whole else shown_values(kept.value, measure)
    added = new.data if new else shown_values(blank, measure)
    context: dict[str, Any] = {
        "stored": stored,
        "survey": kept,
        "found": found,
        "sheet": sheet,
        "drawing": drawing,
        "predicted": {mark.id: mark.predicted for mark in marks},
        "rows": rows,
        "fields": asked(Survey, values, whole.errors if whole else {}, measure),
        "asked": (*ASKED, "note"),
        "new": asked(Spot, added, new.errors if new else {}, measure),
        "wrong": {"whole": whole, "new": new, "spot": spot},
        "table": table,
        "pasted": pasted,
        "understood": understood,
        "left_out": draw_left_out([(s.expected, s.par, s.fits) for s in found.spots]) if found else "",
        "stale": found and kept.value.in_use and kept.value.correction != found.correction,
        "lux": LUX_BY_PAR,
    }
    bad = bool(whole or new or spot or table)
    return page(request, "survey/survey.html", context, tank=stored, setup=setup, status=422 if bad else 200)


def _marks(stored: StoredTank, kept: StoredSurvey, found: Findings | None) -> list[Mark]:
    """Its spots as the drawings have them."""
    doubtful = {row.spot for row in found.spots if not row.fits} if found else set()
    par = predicted(stored, kept)
    return [
        Mark(one.id, i, one.value.name, *one.value.place, kept.value.par(one.value), par[one.id], one.value in doubtful)
        for i, one in enumerate(kept.spots, 1)
    ]


@router.get("/{survey_id}/take")
def take(request: Request, db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> HTMLResponse:
    """The page for the tank: spot by spot, with a big pad of numbers."""
    stored, kept = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id)
    measure, sheet = measure_of(request), lay_out_pair(stored.tank, width=360, height=300)
    marks = _marks(stored, kept, None)
    drawing = draw_frame(sheet, stored.tank, measure)
    for view, at in ((sheet.plan, stored.tank.water_depth), (sheet.front, stored.tank.width / 2)):
        drawing += draw_rock(view, stored.tank, at) + draw_spots(view, marks, numbers=True)
    spots = [
        {
            "id": one.id,
            "name": one.value.name,
            "where": f"{measure.length(one.value.x)} from left, {measure.length(one.value.y)} from front, "
            f"{measure.length(one.value.depth)} down",
            "predicted": round(mark.predicted),
            **_state(one),
        }
        for one, mark in zip(kept.spots, marks, strict=True)
    ]
    context = {"stored": stored, "survey": kept, "sheet": sheet, "drawing": drawing, "spots": spots}
    return page(request, "survey/take.html", context, tank=stored, setup=stored.setup(setup))


def _state(one: Kept[Spot]) -> dict[str, Any]:
    """What the page at the tank knows of a spot."""
    spot = one.value
    return {"readings": list(spot.readings), "skipped": spot.skipped, "note": spot.note, "upright": spot.upright,
            "pumps": spot.pumps}  # fmt: skip


class Act(BaseModel):
    """Something done at the tank: ``at`` is how many readings the spot had by then, so that none is sent twice."""

    act: Literal["read", "redo", "skip", "note", "lux"]
    spot: RowId
    par: float = 0.0
    at: int = Field(0, ge=0, le=1000)
    note: str = Field("", max_length=400)
    pumps: Literal["", "on", "off"] = ""
    upright: bool = True
    time: datetime.time | None = None


@router.post("/{survey_id}/act")
def act(db: Db, tank_id: RowId, survey_id: RowId, body: Act) -> JSONResponse:
    """Write down at once what was done at the tank; answers with the spot as it is now, and a word where one is due."""
    stored = tanks.open_tank(db, tank_id)
    kept = surveys.open_survey(db, tank_id, survey_id)
    was = kept.spot(body.spot).value
    match body.act:
        case "read" if len(was.readings) > body.at:
            pass  # it came through before, and its answer was lost
        case "read":
            surveys.enter(db, tank_id, survey_id, body.spot, body.par, pumps=body.pumps, upright=body.upright,
                          time=body.time)  # fmt: skip
        case "redo":
            surveys.take_back(db, tank_id, survey_id, body.spot)
        case "skip":
            surveys.skip(db, tank_id, survey_id, body.spot)
        case "note":
            noted = replace(was, note=body.note)
            surveys.save_spot(db, tank_id, survey_id, body.spot, noted, label=f"note at {was.name}")
        case "lux":
            surveys.from_lux(db, tank_id, survey_id, body.spot, LUX_BY_PAR)
    kept = surveys.open_survey(db, tank_id, survey_id)
    now = kept.spot(body.spot)
    return JSONResponse({**_state(now), **_word(stored, kept, now)})


def _word(stored: StoredTank, kept: StoredSurvey, now: Kept[Spot]) -> dict[str, Any]:
    """A word about a reading that is far from what is predicted, or from the one before it."""
    par = kept.value.par(now.value)
    if par is None:
        return {}
    told = predicted(stored, replace(kept, spots=(now,)))[now.id]
    last = now.value.readings[-1]
    if last > 25 * max(told, 1.0):
        times, meant = last / max(told, 1.0), last / LUX_BY_PAR
        word = f"{last:.0f} is {times:.0f} times what is predicted: is the meter set to lux? "
        return {"word": f"{word}Divided by {LUX_BY_PAR:.0f}, as of sunlight, it would be {meant:.0f}.", "lux": True}
    if len(now.value.readings) > 1 and max(now.value.readings) > 2 * min(now.value.readings):
        return {"word": "Two readings here differ by a factor of two. Redo takes both back."}
    if not told / 3 < par < told * 3:
        word = f"Predicted are {told:.0f}: is it the right spot, and the probe the right way up?"
        return {"word": f"{word} It is kept all the same."}
    return {}


@router.get("/{survey_id}/meter")
def meter(request: Request, db: Db, tank_id: RowId, survey_id: RowId, spot: RowId) -> StreamingResponse:
    """Readings of the meter at a spot as they come (server-sent events), until they have settled."""
    place = surveys.open_survey(db, tank_id, survey_id).spot(spot).value.place
    return StreamingResponse(_events(request.app.state.meter, place), media_type="text/event-stream")


def _events(address: str, place: tuple[float, float, float]) -> Iterator[str]:
    """One event a reading: the needle, its middle, how sure that is, whether it has settled; words when it is lost."""
    needle = Needle()
    try:
        for par in meter_readings(address, place):
            needle.add(par)
            now = {
                "par": par,
                "middle": round(needle.middle, 1 if needle.middle < 20 else None),
                "settled": needle.settled,
            }
            yield f"data: {json.dumps(now | {'sure': min(99.0, round(100 * needle.sure, 1))})}\n\n"
            if needle.settled:
                return
        lost = "The needle does not settle: is something moving over the probe? Type what you take it for."
    except MeterLost as error:
        lost = f"{error} What was read so far is kept; type the rest, or try again."
    yield f"data: {json.dumps({'lost': lost})}\n\n"


@router.get("/{survey_id}/sheet")
def sheet(request: Request, db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> HTMLResponse:
    """The spots on paper, to be written on."""
    stored, kept = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id)
    measure, laid = measure_of(request), lay_out_pair(stored.tank, width=640, height=520)
    marks = _marks(stored, kept, None)
    drawing = draw_frame(laid, stored.tank, measure)
    for view, at in ((laid.plan, stored.tank.water_depth), (laid.front, stored.tank.width / 2)):
        drawing += draw_rock(view, stored.tank, at) + draw_spots(view, marks, numbers=True)
    context = {"stored": stored, "survey": kept, "sheet": laid, "drawing": drawing, "marks": marks}
    return page(request, "survey/sheet.html", context, tank=stored, setup=stored.setup(setup))

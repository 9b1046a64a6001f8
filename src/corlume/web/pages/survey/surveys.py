"""Surveys: planned, read at the tank, judged, and applied."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import replace
from typing import Any, Literal, NamedTuple

from fastapi import APIRouter, Request
from fastapi.responses import (
    HTMLResponse,
    JSONResponse,
    PlainTextResponse,
    RedirectResponse,
    Response,
)
from pydantic import BaseModel, Field

from corlume.core.survey.outliers import LUX_BY_PAR
from corlume.core.survey.survey_record import KINDS, LOOKS, MeasuringPoint, Seen, Survey
from corlume.formats.file_faults import BadFile
from corlume.formats.round_steps import STEPS
from corlume.formats.survey_table import read_survey, write_survey
from corlume.services.keeping import surveys, tanks
from corlume.services.keeping.surveys import StoredSurvey
from corlume.services.survey.fitted_parameters import CAUTION
from corlume.services.survey.light_comparison import JUMP, coral_jumps, lit, offered
from corlume.services.survey.seen_light import results_of
from corlume.services.survey.survey_moves import corrected, try_move
from corlume.services.survey.survey_plan import COUNTS, TEMPLATES, offer, template
from corlume.services.survey.survey_results import predicted, survey_results_of
from corlume.store.database import Database
from corlume.store.tanks import StoredTank
from corlume.web.drawing.difference import NAMES, difference_plan
from corlume.web.drawing.survey_points import draw_left_out, draw_survey, marks_of
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.pages.search.layout_rows import faults_context
from corlume.web.request.page import (
    Db,
    Files,
    FormData,
    Looked,
    RowId,
    Unit,
    go,
    measure_of,
    narrow_of,
    page,
    templates,
)

router = APIRouter(prefix="/tanks/{tank_id}/survey")
ASKED = ("name", "day", "pumps", "meter", "immersion")
"""What is asked of a new survey."""


@router.get("")
def show_surveys(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """All surveys of a tank in order of time, and the form for a new one."""
    return _list(request, db, tanks.open_tank(db, tank_id), setup)


@router.post("")
def begin(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Plan a survey of so many points under the shown setup."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    hung, wanted = stored.setup(setup), form.text("count")
    if wanted not in ("0", *TEMPLATES, *map(str, COUNTS)):
        form.errors.setdefault("count", "is not one of those offered")
    survey = form.read(Survey)
    if survey and form.ok:
        spots = template(stored, hung, wanted) if wanted in TEMPLATES else offer(stored, hung).plan(int(wanted))
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
    context = {
        "stored": stored,
        "surveys": kept,
        "entries": _time_line(kept),
        "fields": asked(Survey, values, bad.errors if bad else {}, measure),
        "asked": ASKED,
        "counts": COUNTS,
        "templates": TEMPLATES,
        "count": values.get("count", "12"),
        "wrong": bad,
        "dark": not any(f.output > 0 for f in setup.hung),
    }
    return page(request, "survey/surveys.html", context, tank=stored, setup=setup, status=422 if bad else 200)


@router.get("/buys")
def what_readings_buy(db: Db, tank_id: RowId, setup: Looked = None) -> JSONResponse:
    """Uncertainty of the map with no reading and with each number offered, in words; takes seconds with many fixtures,
    so that the page asks for it once shown.
    """
    stored = tanks.open_tank(db, tank_id)
    left = offer(stored, stored.setup(setup)).left
    return JSONResponse({count: f"\u00b1{100 * share:.0f} %" for count, share in left.items()})


class Entry(NamedTuple):
    """A row of the list: one survey, or all of a session, with its address under the station's."""

    name: str
    day: datetime.date
    path: str
    setup: str
    done: int
    spots: int
    in_use: bool
    kind: str


def _time_line(kept: Sequence[StoredSurvey]) -> list[Entry]:
    """Surveys, the newest first; a session is one row, and a week's balance belongs to the week."""
    groups = dict[str, list[StoredSurvey]]()
    for one in kept:
        groups.setdefault(one.value.session.partition(",")[0] or f"#{one.id}", []).append(one)
    found = []
    for group in groups.values():
        newest, first = group[0], group[-1]
        week = next((s for s in group if s.value.session and s.value.kind not in ("", "balance")), None)
        path = f"week/{week.id}" if week else f"balance/{newest.id}" if newest.value.session else str(newest.id)
        name = week.value.session if week else newest.value.session or newest.value.name
        done, spots = sum(s.done for s in group), sum(len(s.spots) for s in group)
        used = any(s.value.in_use for s in group)
        kind = "a week with a rented meter" if week else KINDS[newest.value.kind] if newest.value.kind else ""
        found.append(Entry(name, first.value.day, path, newest.value.setup, done, spots, used, kind))
    return found


@router.get("/compare")
def compare(request: Request, db: Db, tank_id: RowId, a: str = "", b: str = "", setup: Looked = None) -> HTMLResponse:
    """Two surveys or setups compared: PAR at the rock top, and at every coral."""
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
    """Results of a survey."""
    return _survey(request, tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id), setup)


@router.post("/{survey_id}")
def save(
    request: Request, db: Db, measure: Unit, tank_id: RowId, survey_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change the data of a survey as a whole."""
    stored, kept, form = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id), Form(data, measure)
    survey = form.read(Survey, kept.value)
    if survey and form.ok:
        form.attempt(lambda: surveys.save_survey(db, tank_id, survey_id, survey))
    if form.errors:
        return _survey(request, stored, kept, setup, whole=form)
    return go(f"/tanks/{tank_id}/survey/{survey_id}", setup)


@router.get("/{survey_id}/advice")
def advice(request: Request, db: Db, tank_id: RowId, survey_id: RowId) -> JSONResponse:
    """Verdicts of the corrected light, its problems and suggested changes; takes some seconds."""
    stored, survey = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id).value
    found, measure = corrected(stored, survey), measure_of(request)
    if found is None:
        return JSONResponse({"html": ""})
    diagnosis = found.diagnosis(STEPS[measure.unit])
    context = faults_context(db, found.stored, found.fixtures, found.intent, diagnosis) | {
        "verdicts": found.verdicts(),
        "name": survey.setup or survey.name,
        "try": f"/tanks/{tank_id}/survey/{survey_id}/try/KEY",
        "measure": measure,
    }
    return JSONResponse({"html": templates.get_template("survey/advice.html").render(**context)})


@router.post("/{survey_id}/try/{key}")
def try_it(db: Db, measure: Unit, tank_id: RowId, survey_id: RowId, key: str) -> RedirectResponse:
    """Save a suggested change as a new setup, and open its PAR map."""
    return go(f"/tanks/{tank_id}/par-map?setup={try_move(db, tank_id, survey_id, key, STEPS[measure.unit])}")


@router.post("/{survey_id}/remove")
def remove(db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a survey."""
    surveys.remove_survey(db, tank_id, survey_id)
    return go(f"/tanks/{tank_id}/survey", setup)


@router.post("/{survey_id}/use")
def use(db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Apply a survey's correction to all pages."""
    stored, kept = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id)
    found = survey_results_of(stored, kept.value)
    if found:
        surveys.use_survey(db, tank_id, survey_id, found.correction)
    return go(f"/tanks/{tank_id}/survey/{survey_id}", setup)


@router.post("/{survey_id}/leave")
def leave(db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Turn the correction off."""
    surveys.use_survey(db, tank_id, None)
    return go(f"/tanks/{tank_id}/survey/{survey_id}", setup)


@router.post("/{survey_id}/spots")
def add_point(
    request: Request, db: Db, measure: Unit, tank_id: RowId, survey_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Add a point by hand."""
    stored, kept, form = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id), Form(data, measure)
    spot = form.read(MeasuringPoint)
    if spot and form.ok:
        form.attempt(lambda: surveys.add_point(db, tank_id, survey_id, spot))
    if form.errors:
        return _survey(request, stored, kept, setup, new=form)
    return go(f"/tanks/{tank_id}/survey/{survey_id}", setup)


@router.post("/{survey_id}/spots/{spot_id}")
def change_point(
    request: Request, db: Db, measure: Unit, tank_id: RowId, survey_id: RowId, spot_id: RowId, data: FormData,
    setup: Looked = None,
) -> Response:  # fmt: skip
    """Change a point."""
    stored, kept, form = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id), Form(data, measure)
    spot = form.read(MeasuringPoint, kept.spot(spot_id).value)
    if spot and form.ok:
        form.attempt(lambda: surveys.save_point(db, tank_id, survey_id, spot_id, spot))
    if form.errors:
        return _survey(request, stored, kept, setup, spot=(spot_id, form))
    return go(f"/tanks/{tank_id}/survey/{survey_id}#spot-{spot_id}", setup)


@router.post("/{survey_id}/spots/{spot_id}/drop")
def drop_point(db: Db, tank_id: RowId, survey_id: RowId, spot_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a point."""
    surveys.remove_point(db, tank_id, survey_id, spot_id)
    return go(f"/tanks/{tank_id}/survey/{survey_id}", setup)


class PlacedPoint(BaseModel):
    """Where a point was dragged to on the drawing [m], with its third coordinate unchanged; or that it was deleted."""

    x: float | None = Field(None, allow_inf_nan=False)
    y: float | None = Field(None, allow_inf_nan=False)
    depth: float | None = Field(None, allow_inf_nan=False)
    dropped: bool = False


@router.post("/{survey_id}/spots/{spot_id}/place")
def place_point(db: Db, tank_id: RowId, survey_id: RowId, spot_id: RowId, body: PlacedPoint) -> JSONResponse:
    """Move a point on the drawing, or delete it."""
    if body.dropped:
        surveys.remove_point(db, tank_id, survey_id, spot_id)
        return JSONResponse({"dropped": spot_id})
    was = surveys.open_survey(db, tank_id, survey_id).spot(spot_id).value
    to = {name: round(value, 4) for name in ("x", "y", "depth") if (value := getattr(body, name)) is not None}
    surveys.save_point(db, tank_id, survey_id, spot_id, replace(was, **to), label=f"move spot {was.name}")
    return JSONResponse({"moved": spot_id})


class TappedPoint(BaseModel):
    """A tap on a view, from its upper left corner [m]; ``third`` is the typed coordinate that the view lacks."""

    view: Literal["plan", "front"]
    u: float = Field(allow_inf_nan=False)
    v: float = Field(allow_inf_nan=False)
    third: str = Field("", max_length=40)
    seen: Seen = ""


@router.post("/{survey_id}/tap")
def tap(db: Db, measure: Unit, tank_id: RowId, survey_id: RowId, body: TappedPoint) -> JSONResponse:
    """Add a point where the drawing was tapped, or mark how the place looks."""
    stored, kept = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id)
    what = "depth" if body.view == "plan" else "distance from the front"
    try:
        third = measure.parse(body.third)
    except ValueError as error:
        return JSONResponse({"errors": {}, "message": f"The {what} that a tap takes {error}."}, 422)
    place = (stored.tank.width - body.v, third) if body.view == "plan" else (third, body.v)
    y, depth = (round(value, 3) for value in place)
    name, reason = f"Tapped {len(kept.spots) + 1}", "tapped on the drawing"
    if body.seen:
        name, reason = f"{LOOKS[body.seen].capitalize()} {len(kept.spots) + 1}", "seen in cloudy water"
    spot = MeasuringPoint(name, round(body.u, 3), y, depth, reason, seen=body.seen)
    return JSONResponse({"added": surveys.add_point(db, tank_id, survey_id, spot)})


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
    """Import readings from CSV or pasted text."""
    stored, kept = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id)
    text = sent.texts.get("pasted", "")
    try:
        lux = float(sent.texts.get("lux") or "nan")
        if sent.files.get("file"):
            text = sent.files["file"].decode("utf-8-sig")
        brought = read_survey(text, measure.unit, lux if lux > 0 else None)
        surveys.import_points(db, tank_id, survey_id, brought.spots)
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
    found = survey_results_of(stored, kept.value)
    marks = marks_of(kept, predicted(stored, kept), found.doubtful if found else ())
    sheet, drawing = draw_survey(
        stored.tank, marks, measure, width=640, height=560, grab=True, narrow=narrow_of(request)
    )
    by_spot = {row.spot: row for row in found.spots} if found else {}
    rows = []
    for one in kept.spots:
        form = spot[1] if spot and spot[0] == one.id else None
        values = form.data if form else shown_values(one.value, measure)
        fields = asked(MeasuringPoint, values, form.errors if form else {}, measure)
        rows.append((one, fields, by_spot.get(one.value), form))
    blank = MeasuringPoint("Spot", 0.5 * stored.tank.length, 0.5 * stored.tank.width, 0.15)
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
        "new": asked(MeasuringPoint, added, new.errors if new else {}, measure),
        "wrong": {"whole": whole, "new": new, "spot": spot},
        "table": table,
        "pasted": pasted,
        "understood": understood,
        "left_out": draw_left_out([(s.expected, s.par, s.fits) for s in found.spots]) if found else "",
        "seen": results_of(stored, kept.value),
        "hand": {
            "snap": STEPS[measure.unit].snap,
            "depth": measure.number(0.15),
            "row": measure.number(0.5 * stored.tank.width),
        },
        "kinds": KINDS,
        "stale": found and kept.value.in_use and kept.value.correction != found.correction,
        "lux": LUX_BY_PAR,
        "caution": CAUTION,
    }
    bad = bool(whole or new or spot or table)
    return page(request, "survey/survey.html", context, tank=stored, setup=setup, status=422 if bad else 200)

"""Readings at the tank: point by point with a large number pad, by meter, or on paper."""

from __future__ import annotations

import datetime
import json
from collections.abc import AsyncIterator, Sequence
from typing import Any, Literal

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, StreamingResponse
from pydantic import BaseModel, Field

from corlume.core.errors import Rules
from corlume.core.survey.outliers import LUX_BY_PAR
from corlume.core.survey.photo_geometry import Photo
from corlume.core.survey.reading_settler import ReadingSettler
from corlume.core.survey.survey_record import MOST_LUX, MOST_PAR, OVERFLOW, PUMPS, MeasuringPoint
from corlume.services.keeping import photos, surveys, tanks
from corlume.services.keeping.meter_stream import MeterLost, meter_readings
from corlume.services.schedule.reading_level import reading_level
from corlume.services.survey.survey_results import predicted, predicted_at
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank
from corlume.web.drawing.survey_points import draw_survey, marks_of
from corlume.web.request.page import Db, Looked, RowId, measure_of, narrow_of, page

router = APIRouter(prefix="/tanks/{tank_id}/survey")


@router.get("/{survey_id}/take")
def take(request: Request, db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> HTMLResponse:
    """The page at the tank: point by point with a large number pad."""
    stored, kept = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id)
    measure = measure_of(request)
    marks = marks_of(kept, predicted(stored, kept))
    sheet, drawing = draw_survey(stored.tank, marks, measure, width=360, height=300, numbers=True)
    fixed = [photo for photo in photos.all_photos(db, tank_id) if photo.value.corners]
    spots = [
        {
            "id": one.id,
            "name": one.value.name,
            "where": f"{measure.length(one.value.x)} from left, {measure.length(one.value.y)} from front, "
            f"{measure.length(one.value.depth)} down",
            "predicted": round(mark.predicted),
            "at": _on_photos(stored, fixed, one.value),
            **_state(one),
        }
        for one, mark in zip(kept.spots, marks, strict=True)
    ]
    context = {
        "stored": stored,
        "survey": kept,
        "sheet": sheet,
        "drawing": drawing,
        "spots": spots,
        "photos": fixed,
        "scheduled": any(one.name == kept.value.setup and one.groups for one in stored.setups),
        "pumps": {"": f"as the survey ({PUMPS[kept.value.pumps]})", "on": "on", "off": "off"},
    }
    return page(request, "survey/take.html", context, tank=stored, setup=stored.setup(setup))


def _on_photos(
    stored: StoredTank, fixed: Sequence[Kept[Photo]], spot: MeasuringPoint
) -> dict[int, tuple[float, float]]:
    """Place of a point in each mapped photo, as shares of its width and height, by the photo's id."""
    return {photo.id: photo.value.point(stored.tank, spot.place) for photo in fixed}


def _state(one: Kept[MeasuringPoint]) -> dict[str, Any]:
    """State of a point for the page at the tank."""
    spot = one.value
    return {"readings": list(spot.readings), "skipped": spot.skipped, "note": spot.note, "upright": spot.upright,
            "pumps": spot.pumps, "level": spot.level, "reason": spot.reason}  # fmt: skip


class Act(BaseModel):
    """An action at the tank: ``at`` is the number of readings the point had then, so that none is sent twice."""

    act: Literal["read", "redo", "skip", "note", "lux"]
    spot: RowId
    par: float = 0.0
    at: int = Field(0, ge=0, le=1000)
    note: str = Field("", max_length=400)
    pumps: Literal["", "on", "off"] = ""
    upright: bool = True
    level: float | None = Field(1.0, ge=0.05, le=1.5)
    time: datetime.time | None = None


@router.post("/{survey_id}/act")
def act(db: Db, tank_id: RowId, survey_id: RowId, body: Act) -> JSONResponse:
    """Save an action at the tank at once; answers with the point as it is now, and a warning if due."""
    here = db, tank_id, survey_id, body.spot
    match body.act:
        case "read" if MOST_PAR < body.par <= MOST_LUX and body.par not in OVERFLOW:
            meant = body.par / LUX_BY_PAR
            word = f"{body.par:.0f} is more than any PAR over a tank: is the meter set to lux? Divided by "
            word += f"{LUX_BY_PAR:.0f}, as of sunlight, it would be {meant:.0f}. It is not written down yet."
            now = surveys.open_survey(db, tank_id, survey_id).spot(body.spot)
            return JSONResponse({**_state(now), "word": word, "lux": body.par})
        case "read":
            level, word = _level(db, tank_id, survey_id, body)
            taken = surveys.enter(
                *here, body.par, at=body.at, pumps=body.pumps, upright=body.upright, level=level, time=body.time
            )
            if word:
                return JSONResponse({**_state(taken.point), "word": word, **_word(taken)})
        case "redo":
            taken = surveys.take_back(*here)
        case "skip":
            taken = surveys.skip(*here)
        case "note":
            taken = surveys.note(*here, body.note)
        case "lux":
            taken = surveys.from_lux(*here, body.par, LUX_BY_PAR)
    return JSONResponse({**_state(taken.point), **_word(taken)})


def _level(db: Database, tank_id: int, survey_id: int, body: Act) -> tuple[float, str]:
    """Level of the lights at a reading, and what to say of it: as typed, or left blank that of the schedule.

    ``InvalidInput`` by the field "level" when the lights are all but out.
    """
    if body.level is not None:
        return body.level, ""
    stored, survey = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id)
    at, place = body.time or datetime.datetime.now().time(), survey.spot(body.spot).value.place
    found = reading_level(stored, survey.value, place, at, datetime.date.today())
    if found is None:
        return 1.0, ""
    rules = Rules()
    rules.that(
        found.level >= LEAST_LEVEL,
        "level",
        f"is {100 * found.level:.0f} % at {at:%H:%M} by the schedule: too little to read. Wait for the day, "
        "or set the lights by hand and type their level",
    )
    rules.finish()
    if found.warming:
        return found.level, f"{', '.join(found.warming)} still warms up: wait some minutes and read again."
    if found.level < 0.995:
        return found.level, f"By the schedule the lights are at {100 * found.level:.0f} % now: the reading counts so."
    return found.level, ""


LEAST_LEVEL = 0.05


def _word(taken: surveys.PointTaken) -> dict[str, Any]:
    """Warning about a reading far from the prediction, or from the reading before."""
    point = taken.point.value
    par = taken.survey.par(point)
    if par is None:
        return {}
    told, last = float(predicted_at(taken.tank, taken.survey, [point.place])[0]), point.readings[-1]
    if last > 25 * max(told, 1.0):
        times, meant = last / max(told, 1.0), last / LUX_BY_PAR
        word = f"{last:.0f} is {times:.0f} times what is predicted: is the meter set to lux? "
        return {"word": f"{word}Divided by {LUX_BY_PAR:.0f}, as of sunlight, it would be {meant:.0f}.", "lux": last}
    if len(point.readings) > 1 and max(point.readings) > 2 * min(point.readings):
        return {"word": "Two readings here differ by a factor of two. Clear readings deletes both."}
    if not told / 3 < par < told * 3:
        word = f"Predicted are {told:.0f}: is it the right spot, and the probe the right way up?"
        return {"word": f"{word} It is kept all the same."}
    return {}


@router.get("/{survey_id}/meter")
def meter(request: Request, db: Db, tank_id: RowId, survey_id: RowId, spot: RowId) -> StreamingResponse:
    """Readings of the meter at a point as they come (server-sent events), until they settle; holds no thread."""
    place = surveys.open_survey(db, tank_id, survey_id).spot(spot).value.place
    return StreamingResponse(_events(request.app.state.meter, place), media_type="text/event-stream")


async def _events(address: str, place: tuple[float, float, float]) -> AsyncIterator[str]:
    """One event a reading: the value, the mean, its uncertainty, whether it has settled; a message when the meter is
    lost.
    """
    needle = ReadingSettler()
    try:
        async for par in meter_readings(address, place):
            needle.add(par)
            now = {
                "par": par,
                "middle": round(needle.middle, 1 if needle.middle < 20 else None),
                "settled": needle.settled,
            }
            yield f"data: {json.dumps(now | {'sure': min(99.0, round(100 * needle.sure, 1))})}\n\n"
            if needle.settled:
                return
        lost = "The reading does not settle: is something moving over the probe? Type the middle value."
    except MeterLost as error:
        lost = f"{error} What was read so far is kept; type the rest, or try again."
    yield f"data: {json.dumps({'lost': lost})}\n\n"


@router.get("/{survey_id}/sheet")
def sheet(request: Request, db: Db, tank_id: RowId, survey_id: RowId, setup: Looked = None) -> HTMLResponse:
    """The points on paper, to be filled in."""
    stored, kept = tanks.open_tank(db, tank_id), surveys.open_survey(db, tank_id, survey_id)
    marks = marks_of(kept, predicted(stored, kept))
    laid, drawing = draw_survey(
        stored.tank, marks, measure_of(request), width=640, height=520, numbers=True, narrow=narrow_of(request)
    )
    context = {"stored": stored, "survey": kept, "sheet": laid, "drawing": drawing, "marks": marks}
    return page(request, "survey/sheet.html", context, tank=stored, setup=stored.setup(setup))

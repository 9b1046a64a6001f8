"""Photos of the tank: mapped by tapping four corners; then a tap is a place, and readings are drawn on the picture."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from pydantic import BaseModel, Field

from corlume.core.errors import InvalidInput
from corlume.core.survey.photo_geometry import CORNERS, VIEWS, Photo
from corlume.core.survey.survey_record import MeasuringPoint
from corlume.formats.file_faults import BadFile
from corlume.services.keeping import photos, surveys, tanks
from corlume.services.keeping.surveys import StoredSurvey
from corlume.services.survey.survey_results import predicted, survey_results_of
from corlume.store.database import Database
from corlume.store.tanks import StoredTank
from corlume.web.request.page import Db, Files, Looked, RowId, Unit, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/survey/photos")
Part = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
ROWS = {"front": ("front", 0.12), "middle": ("middle", 0.5), "back": ("back", 0.88)}
"""Where a tap on a front view lies behind the front pane, as a share of the width."""


@router.get("")
def show_photos(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """All photos of the tank, and the import."""
    return _list(request, db, tank_id, setup, [], {})


@router.post("")
def bring(request: Request, db: Db, measure: Unit, tank_id: RowId, sent: Files, setup: Looked = None) -> Response:
    """Import a photo."""
    typed, data = sent.texts, sent.files.get("photo", b"")
    name, view = typed.get("name", "").strip() or "Photo", typed.get("view", "front")
    try:
        if not data:
            raise ValueError("No photo was chosen, or it is empty.")
        if view not in VIEWS:
            raise ValueError("A photo is taken from the front or from above.")
        photo_id = photos.add_photo(db, tank_id, name, view, data)
    except BadFile as error:
        return _list(request, db, tank_id, setup, [str(fault) for fault in error.faults], typed)
    except InvalidInput as error:
        faults = [f"{e.field} {measure.message(e)}" for e in error.errors]
        return _list(request, db, tank_id, setup, faults, typed)
    except ValueError as error:
        return _list(request, db, tank_id, setup, [str(error)], typed)
    return go(f"/tanks/{tank_id}/survey/photos/{photo_id}", setup)


def _list(
    request: Request, db: Database, tank_id: int, setup: int | None, faults: list[str], typed: dict[str, str]
) -> HTMLResponse:
    stored = tanks.open_tank(db, tank_id)
    context = {
        "stored": stored,
        "photos": photos.all_photos(db, tank_id),
        "views": VIEWS,
        "faults": faults,
        "typed": typed,
    }
    looked = stored.setup(setup)
    return page(request, "survey/photos.html", context, tank=stored, setup=looked, status=422 if faults else 200)


@router.get("/{photo_id}/picture")
def show_picture(db: Db, tank_id: RowId, photo_id: RowId) -> Response:
    """The photo itself."""
    return Response(photos.picture(db, photos.open_photo(db, tank_id, photo_id)), media_type="image/jpeg")


@router.get("/{photo_id}")
def show_photo(
    request: Request, db: Db, tank_id: RowId, photo_id: RowId, survey: RowId | None = None, setup: Looked = None
) -> HTMLResponse:
    """A photo with the readings of a survey."""
    stored, photo = tanks.open_tank(db, tank_id), photos.open_photo(db, tank_id, photo_id)
    every = surveys.all_surveys(db, tank_id)
    chosen = next((one for one in every if one.id == survey), every[0] if every else None)
    labels = _labels(stored, photo, chosen)
    context: dict[str, Any] = {
        "stored": stored,
        "photo": photo,
        "photo_id": photo_id,
        "surveys": every,
        "chosen": chosen,
        "corners": CORNERS[photo.view],
        "labels": labels,
        "names": {kept.id: kept.value.name for kept in chosen.spots} if chosen else {},
        "rows": {key: name for key, (name, _) in ROWS.items()},
        "depth": measure_of(request).number(0.15),
    }
    return page(request, "survey/photo.html", context, tank=stored, setup=stored.setup(setup))


def _labels(stored: StoredTank, photo: Photo, survey: StoredSurvey | None) -> list[Any]:
    if survey is None:
        return []
    found = survey_results_of(stored, survey.value)
    return photos.labels(stored, photo, survey, predicted(stored, survey), found.doubtful if found else ())


@router.get("/{photo_id}/marked.png")
def save_marked(db: Db, tank_id: RowId, photo_id: RowId, survey: RowId) -> Response:
    """The photo with its readings, to save."""
    stored, photo = tanks.open_tank(db, tank_id), photos.open_photo(db, tank_id, photo_id)
    found = _labels(stored, photo, surveys.open_survey(db, tank_id, survey))
    headers = {"Content-Disposition": 'attachment; filename="par-on-photo.png"'}
    return Response(photos.marked(db, photo, found), media_type="image/png", headers=headers)


class Corners(BaseModel):
    """Tapped corners as shares of the picture; none to begin again."""

    corners: list[tuple[Part, Part]] = Field(max_length=4)


@router.post("/{photo_id}/corners")
def fix(db: Db, tank_id: RowId, photo_id: RowId, body: Corners) -> JSONResponse:
    """Map the photo to the tank."""
    photos.fix_photo(db, tank_id, photo_id, tuple(body.corners))
    return JSONResponse({"fixed": bool(body.corners)})


class Tap(BaseModel):
    """A tap on a mapped photo, for a survey: with the coordinate that the picture does not show."""

    survey: RowId
    u: Part
    v: Part
    row: str = "middle"
    depth: str = ""
    name: str = Field("", max_length=80)


@router.post("/{photo_id}/tap")
def tap(db: Db, measure: Unit, tank_id: RowId, photo_id: RowId, body: Tap) -> JSONResponse:
    """Add a point where the photo was tapped; answers with its place."""
    stored, photo = tanks.open_tank(db, tank_id), photos.open_photo(db, tank_id, photo_id)
    kept = surveys.open_survey(db, tank_id, body.survey)
    if not photo.corners:
        return JSONResponse({"errors": {}, "message": "Tap the four corners first."}, 422)
    if photo.view == "front":
        third = ROWS.get(body.row, ROWS["middle"])[1] * stored.tank.width
    else:
        try:
            third = measure.parse(body.depth)
        except ValueError as error:
            return JSONResponse({"errors": {"depth": str(error)}, "message": f"Depth {error}."}, 422)
    x, y, depth = (round(value, 3) for value in photo.place(stored.tank, body.u, body.v, third))
    name = body.name.strip() or f"Tapped {len(kept.spots) + 1}"
    spot_id = surveys.add_point(db, tank_id, body.survey, MeasuringPoint(name, x, y, depth, "tapped on a photo"))
    where = f"{measure.length(x)} from left, {measure.length(y)} from front, {measure.length(depth)} down"
    return JSONResponse({"saved": spot_id, "where": where})


@router.post("/{photo_id}/remove")
def remove(db: Db, tank_id: RowId, photo_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a photo."""
    photos.remove_photo(db, tank_id, photo_id)
    return go(f"/tanks/{tank_id}/survey/photos", setup)

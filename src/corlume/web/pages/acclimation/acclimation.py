"""Acclimation: the daily check on the phone, and each coral's log with photos and light."""

from __future__ import annotations

import datetime
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Path, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from corlume.core.acclimation.acclimation_status import STAGES, is_acclimating
from corlume.core.acclimation.log_entry import COLOUR, NOTE_KINDS, POLYPS, TISSUE, Course, LogEntry, NoteKind
from corlume.core.errors import FieldError, InvalidInput
from corlume.formats.file_faults import BadFile
from corlume.services.acclimation.acclimation import all_at_once, lights_on, spot_for, watch_all, watched_one
from corlume.services.keeping import acclimation_log, tanks
from corlume.services.upkeep.log import other_changes
from corlume.store.tanks import StoredTank
from corlume.web.drawing.light_line import draw_light_line
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, Files, FormData, Looked, RowId, Unit, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/corals")
CoralId = Annotated[RowId, Path()]
_LOOK = LogEntry("watch", datetime.date.min)
SEEN: dict[str, tuple[str, LogEntry]] = {
    "fine": ("Full, colour as it was", replace(_LOOK, tissue="full", colour="good")),
    "flat": ("Flat or thin", replace(_LOOK, tissue="flat")),
    "receding": ("Receding", replace(_LOOK, tissue="receding")),
    "paler": ("Paler", replace(_LOOK, colour="paler")),
    "darker": ("Browner or darker", replace(_LOOK, colour="darker")),
    "better": ("Full, coloured up", replace(_LOOK, tissue="full", colour="better")),
}
"""The second tap of a look: what is written down of tissue and colour."""
SETTLED = ("fixed", "untold")
"""Stages in which a coral is not looked at every day."""
WRITTEN: tuple[NoteKind, ...] = ("watch", "dip", "loose", "temporary", "moved", "fixed", "note", "photo")
"""What a keeper writes down."""


def today() -> datetime.date:
    """Today's local date."""
    return datetime.date.today()


@router.get("/check")
def show_round(request: Request, db: Db, tank_id: RowId, setup: Looked = None, everyone: bool = False) -> HTMLResponse:
    """Corals to check today, a card each."""
    return _round(request, db, tank_id, setup, everyone)


@router.post("/check/{coral_id}")
def look(request: Request, db: Db, tank_id: RowId, coral_id: CoralId, data: FormData, setup: Looked = None) -> Response:
    """Log how a coral looks now, by two taps."""
    polyps = next((key for key in POLYPS if key and key == data.get("polyps")), None)
    second = SEEN.get(data.get("seen", ""))
    everyone = data.get("everyone") == "on"
    if polyps is None or second is None:
        words = "Tap first how its polyps are" if polyps is None else "Tap then what its tissue and colour are like"
        return _round(
            request, db, tank_id, setup, everyone, fault=(coral_id, f"{words}: nothing was written down yet.")
        )
    now = datetime.datetime.now()
    note = replace(second[1], day=now.date(), time=now.time().replace(second=0, microsecond=0), polyps=polyps)
    acclimation_log.add_entry(db, tank_id, coral_id, note, today=now.date())
    return go(f"/tanks/{tank_id}/corals/check{'?everyone=true' if everyone else ''}", setup)


def _round(
    request: Request, db: Db, tank_id: int, setup: int | None, everyone: bool, *, fault: tuple[int, str] | None = None
) -> HTMLResponse:
    stored = tanks.open_tank(db, tank_id)
    watched = watch_all(stored, acclimation_log.logs(db, tank_id), today())
    shown = [
        one
        for one in watched
        if one.standing.stage not in ("waits", "lost", *SETTLED) or (everyone and one.standing.stage in SETTLED)
    ]
    context: dict[str, Any] = {
        "stored": stored,
        "watched": shown,
        "due": sum(one.standing.due for one in shown),
        "fixed": sum(one.standing.stage in SETTLED for one in watched),
        "waiting": sum(one.standing.stage == "waits" for one in watched),
        "everyone": everyone,
        "several": all_at_once(watched, today()),
        "polyps": [(key, words) for key, words in POLYPS.items() if key],
        "polyp_words": POLYPS,
        "seen": {key: words for key, (words, _) in SEEN.items()},
        "stages": STAGES,
        "fault": fault,
    }
    status = 422 if fault else 200
    return page(request, "acclimation/daily_check.html", context, tank=stored, setup=stored.setup(setup), status=status)


@router.get("/{coral_id}/log")
def show_course(request: Request, db: Db, tank_id: RowId, coral_id: CoralId, setup: Looked = None) -> HTMLResponse:
    """A coral's origin and acclimation log."""
    return _course(request, db, tanks.open_tank(db, tank_id), coral_id, setup)


@router.post("/{coral_id}/log")
def save_course(
    request: Request, db: Db, measure: Unit, tank_id: RowId, coral_id: CoralId, data: FormData, setup: Looked = None
) -> Response:
    """Save a coral's origin, its approach, or that it was lost."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    changed = form.read(Course, stored.coral(coral_id).value.course)
    if changed and form.ok:
        form.attempt(lambda: acclimation_log.save_course(db, tank_id, coral_id, changed, today=today()))
    if form.errors:
        return _course(request, db, stored, coral_id, setup, bad=form)
    return go(f"/tanks/{tank_id}/corals/{coral_id}/log", setup)


@router.post("/{coral_id}/log/notes")
def add_note(
    request: Request, db: Db, measure: Unit, tank_id: RowId, coral_id: CoralId, sent: Files, setup: Looked = None
) -> Response:
    """Add a log entry."""
    stored, form = tanks.open_tank(db, tank_id), Form(sent.texts, measure)
    photo = sent.files.get("photo", b"")
    note = form.read(LogEntry, prefix="note_")
    if note and form.ok:
        try:
            form.attempt(
                lambda: acclimation_log.add_entry(db, tank_id, coral_id, note, today=today(), photo=photo), "note_"
            )
        except BadFile as error:
            form.errors["photo"] = "; ".join(str(fault) for fault in error.faults)
    if form.errors:
        return _course(request, db, stored, coral_id, setup, noted=form)
    return go(f"/tanks/{tank_id}/corals/{coral_id}/log#line", setup)


@router.post("/{coral_id}/log/notes/{note_id}/remove")
def remove_note(
    db: Db, tank_id: RowId, coral_id: CoralId, note_id: Annotated[RowId, Path()], setup: Looked = None
) -> RedirectResponse:
    """Delete a log entry."""
    acclimation_log.remove_entry(db, tank_id, coral_id, note_id)
    return go(f"/tanks/{tank_id}/corals/{coral_id}/log#line", setup)


@router.get("/{coral_id}/log/notes/{note_id}/photo")
def show_photo(db: Db, tank_id: RowId, coral_id: CoralId, note_id: Annotated[RowId, Path()]) -> Response:
    """Photo of a log entry."""
    return Response(acclimation_log.photo_of(db, tank_id, coral_id, note_id), media_type="image/jpeg")


@router.post("/{coral_id}/log/move")
def move(db: Db, tank_id: RowId, coral_id: CoralId, setup: Looked = None) -> RedirectResponse:
    """Move a coral to the better spot as offered."""
    stored = tanks.open_tank(db, tank_id)
    found = spot_for(stored, watched_one(db, stored, coral_id, today()))
    if found is None:
        raise InvalidInput([FieldError("seat", "that was offered is no longer there: reload the page")])
    acclimation_log.move_coral(db, tank_id, coral_id, found.place, f"To {found.name}.", today())
    return go(f"/tanks/{tank_id}/corals/{coral_id}/log", setup)


def _course(
    request: Request,
    db: Any,
    stored: StoredTank,
    coral_id: int,
    setup: int | None,
    *,
    bad: Form | None = None,
    noted: Form | None = None,
) -> HTMLResponse:
    measure, one = measure_of(request), watched_one(db, stored, coral_id, today())
    now = datetime.datetime.now()
    fresh = {"note_kind": "watch", "note_day": now.date().isoformat(), "note_time": f"{now:%H:%M}"}
    light = lights_on(stored)
    line = [kept.value for kept in one.notes]
    now_lit = [LogEntry("light", today(), par=one.par)] if one.par is not None else []
    context: dict[str, Any] = {
        "stored": stored,
        "one": one,
        "coral": one.coral.value,
        "stages": STAGES,
        "kinds": NOTE_KINDS,
        "acclimating": is_acclimating(line, one.coral.value.course, today()),
        "words": {"polyps": POLYPS, "tissue": TISSUE, "colour": COLOUR},
        "better": spot_for(stored, one),
        "several": all_at_once(watch_all(stored, acclimation_log.logs(db, stored.id), today()), today()),
        "others": other_changes(db, stored.id, today()) if one.standing.bad_days else [],
        "drawn": draw_light_line([*line, *now_lit], one.coral.value.card, light, today()),
        "course_form": asked(
            Course,
            bad.data if bad else shown_values(one.coral.value.course, measure),
            bad.errors if bad else {},
            measure,
        ),
        "note_form": asked(LogEntry, noted.data if noted else fresh, noted.errors if noted else {}, measure, "note_"),
        "note_kinds": [(key, NOTE_KINDS[key]) for key in WRITTEN],
        "photo_error": noted.errors.get("photo", "") if noted else "",
        "wrong": bad or noted,
    }
    status = 422 if bad or noted else 200
    return page(request, "acclimation/log.html", context, tank=stored, setup=stored.setup(setup), status=status)

"""The log: one time line, narrowed by kind, text and days, and added to by hand."""

from __future__ import annotations

import datetime
import itertools
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from corlume.core.upkeep.log_event import BY_HAND, EVENT_KINDS, LogEvent
from corlume.formats.file_faults import BadFile
from corlume.services.keeping import tanks
from corlume.services.upkeep import log, setup_log
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, Files, Looked, RowId, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/log")
PAGE = 100
QUICK = (
    ("incident", "Power cut"),
    ("incident", "Settings lost"),
    ("incident", "Heat wave"),
    ("media", "Filter media changed"),
    ("water", "Water changed"),
    ("dosing", "Dosing changed"),
    ("feeding", "Feeding changed"),
)
"""What is logged with one tap."""


def now() -> datetime.datetime:
    """The local time now."""
    return datetime.datetime.now()


@router.get("")
def show_log(
    request: Request, db: Db, tank_id: RowId, group: Annotated[str, Query(max_length=20)] = "",
    text: Annotated[str, Query(max_length=80)] = "", since: Annotated[str, Query(max_length=10)] = "",
    until: Annotated[str, Query(max_length=10)] = "", skip: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
) -> HTMLResponse:  # fmt: skip
    """The log, the newest entries first."""
    narrowed = {"group": group, "text": text.strip(), "since": since, "until": until}
    return _page(request, db, tanks.open_tank(db, tank_id), narrowed, skip)


@router.get("/log.csv")
def export(db: Db, tank_id: RowId) -> Response:
    """The whole log as CSV."""
    tanks.open_tank(db, tank_id)
    headers = {"Content-Disposition": 'attachment; filename="log.csv"'}
    return Response(log.log_table(db, tank_id), media_type="text/csv; charset=utf-8", headers=headers)


@router.post("")
def add(request: Request, db: Db, tank_id: RowId, sent: Files, setup: Looked = None) -> Response:
    """Log an event by hand, with a photo if there is one."""
    stored, form = tanks.open_tank(db, tank_id), Form(sent.texts, measure_of(request))
    quick = form.text("quick")
    kind, _, words = quick.partition("|")
    if quick:
        if (kind, words) not in QUICK:
            raise NotFound("no such entry")
        more, time = form.text("words"), now()
        form.data |= {"kind": kind, "words": f"{words}: {more}" if more else words,
                      "day": time.date().isoformat(), "time": f"{time:%H:%M}"}  # fmt: skip
    event = form.read(LogEvent)
    if event and form.ok:
        try:
            form.attempt(lambda: log.add_event(db, tank_id, event, now(), sent.files.get("photo", b"")))
        except BadFile as error:
            form.errors["photo"] = str(error.faults[0])
    return _page(request, db, stored, {}, 0, form) if form.errors else go(f"/tanks/{tank_id}/log", setup)


@router.post("/events/{event_id}/delete")
def delete(db: Db, tank_id: RowId, event_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete an entry."""
    log.delete_event(db, tank_id, event_id)
    return go(f"/tanks/{tank_id}/log", setup)


@router.get("/events/{event_id}/photo")
def show_photo(db: Db, tank_id: RowId, event_id: RowId) -> Response:
    """The photo of an entry."""
    return Response(log.photo_of(db, tank_id, event_id), media_type="image/jpeg")


@router.get("/events/{event_id}/lights")
def show_lights(request: Request, db: Db, tank_id: RowId, event_id: RowId) -> HTMLResponse:
    """The setup as it was from an entry on."""
    stored = tanks.open_tank(db, tank_id)
    event = log.open_event(db, tank_id, event_id)
    context = {"stored": stored, "id": event_id, "event": event, "then": setup_log.setup_at(db, event.state)}
    return page(request, "upkeep/lights_then.html", context, tank=stored)


@router.get("/lights/{day}")
def show_lights_of_day(request: Request, db: Db, tank_id: RowId, day: datetime.date) -> HTMLResponse:
    """The setup as it was on a day."""
    stored = tanks.open_tank(db, tank_id)
    kept = setup_log.state_on(db, tank_id, day)
    context = {"stored": stored, "id": kept.id, "event": kept.value, "then": setup_log.setup_at(db, kept.value.state)}
    return page(request, "upkeep/lights_then.html", context, tank=stored)


@router.post("/events/{event_id}/lights")
def take_lights(db: Db, tank_id: RowId, event_id: RowId) -> RedirectResponse:
    """Save the setup of an entry as a setup of its own."""
    event = log.open_event(db, tank_id, event_id)
    setup_id = setup_log.save_again(db, tank_id, event)
    return go(f"/tanks/{tank_id}/par-map", setup_id)


def _page(
    request: Request, db: Database, stored: StoredTank, narrowed: dict[str, str], skip: int, bad: Form | None = None
) -> HTMLResponse:
    measure, faults = measure_of(request), dict[str, str]()
    days: dict[str, datetime.date | None] = {"since": None, "until": None}
    for name in days:
        try:
            days[name] = datetime.date.fromisoformat(narrowed[name]) if narrowed.get(name) else None
        except ValueError:
            faults[name] = "is no day: write it as 2026-03-31"
    found = log.entries(
        db,
        stored.id,
        group=narrowed.get("group", ""),
        text=narrowed.get("text", ""),
        since=days["since"],
        until=days["until"],
        most=PAGE + 1,
        skip=skip,
    )
    shown = itertools.groupby(found[:PAGE], key=lambda one: one.day)
    first = shown_values(LogEvent("note", now().date()), measure)
    context: dict[str, Any] = {
        "stored": stored,
        "days": [(day, list(lines)) for day, lines in shown],
        "lit_since": setup_log.first_state(db, stored.id),
        "more": skip + PAGE if len(found) > PAGE else None,
        "skip": skip,
        "narrowed": narrowed,
        "narrow": any(narrowed.values()),
        "faults": faults,
        "groups": {key: name for key, (name, _) in log.GROUPS.items()},
        "kinds": [(key, EVENT_KINDS[key]) for key in BY_HAND],
        "quick": QUICK,
        "hung": {fixture.name: k for k, fixture in reversed(list(enumerate(stored.setup().hung)))},
        "names": list(dict.fromkeys(f.name for f in stored.setup().hung)),
        "fields": asked(LogEvent, bad.data if bad else first, bad.errors if bad else {}, measure),
        "bad": bad,
        "others": log.other_changes(db, stored.id, now().date()),
    }
    return page(request, "upkeep/log.html", context, tank=stored, status=422 if bad or faults else 200)

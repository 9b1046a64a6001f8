"""Day: the schedule of a setup on one time axis, its points moved by hand or typed, and the light of the day."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from pydantic import BaseModel, Field

from corlume.core.errors import InvalidInput
from corlume.core.light.light_group import DayPoint, LightGroup, minute_of
from corlume.core.message_text import letter
from corlume.core.schedule.day import clock, clock_stretches
from corlume.core.schedule.slow_change import BOUND
from corlume.core.schedule.starts import STARTS
from corlume.formats.file_faults import BadFile
from corlume.services.keeping import acclimation_log, light_groups, tanks
from corlume.services.keeping.light_groups import DayMove
from corlume.services.light.probe import probe_of
from corlume.services.schedule.change_light import setup_on
from corlume.services.schedule.day_light import CoralDay, coral_days, day_at, zone_days
from corlume.services.schedule.day_report import lights_now, report_day, start_effects
from corlume.services.schedule.plan_card import plan_cards
from corlume.services.schedule.recent_rise import find_recent_rise
from corlume.store.database import Database
from corlume.store.tables import Kept, NotFound, found
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.drawing.day import Line, draw_day, short_labels
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, Files, FormData, Looked, RowId, Unit, go, measure_of, narrow_of, page

HOLDS = (7, 14, 28)
"""Days by which a plan can be held."""
router = APIRouter(prefix="/tanks/{tank_id}/day")
POINTS_MORE = 1
"""Blank rows below the points of a group."""


class PointMoved(BaseModel):
    """Where a point of the day was dropped: minute of the day [min] and level [-]; or that it was deleted."""

    minute: Annotated[float, Field(ge=0, lt=1440, allow_inf_nan=False)] | None = None
    level: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] | None = None
    dropped: bool = False


@router.get("")
def show_day(
    request: Request, db: Db, tank_id: RowId, setup: Looked = None,
    corals: Annotated[str, Query(max_length=200)] = "", probe: Annotated[str, Query(max_length=40)] = "",
) -> HTMLResponse:  # fmt: skip
    """The day of a setup."""
    return _page(request, db, tanks.open_tank(db, tank_id), setup, corals=corals, probe=probe)


@router.post("/start")
def start(db: Db, tank_id: RowId, data: FormData, setup: Looked = None) -> RedirectResponse:
    """Replace the schedule by that of an approach."""
    stored = tanks.open_tank(db, tank_id)
    light_groups.begin_schedule(db, tank_id, stored.setup(setup).id, data.get("start", ""))
    return go(f"/tanks/{tank_id}/day", setup)


@router.post("/move")
def move(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Shift the whole schedule to begin at another time, or stretch it to another length."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    read = form.read(DayMove)
    if read and form.ok:
        form.attempt(lambda: light_groups.move_day(db, tank_id, stored.setup(setup).id, read))
    if form.errors:
        return _page(request, db, stored, setup, moved=form)
    return go(f"/tanks/{tank_id}/day", setup)


@router.post("/import")
def import_file(request: Request, db: Db, tank_id: RowId, upload: Files, setup: Looked = None) -> Response:
    """Replace the schedule by that of a file."""
    stored, measure = tanks.open_tank(db, tank_id), measure_of(request)
    try:
        light_groups.import_schedule(db, tank_id, stored.setup(setup).id, upload.files.get("file", b""))
    except BadFile as error:
        return _page(request, db, stored, setup, file_faults=[str(fault) for fault in error.faults])
    except InvalidInput as error:
        return _page(request, db, stored, setup, file_faults=[f"{e.field} {measure.message(e)}" for e in error.errors])
    return go(f"/tanks/{tank_id}/day", setup)


@router.post("/groups")
def add_group(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Add a group with a plain day, to be changed."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    one, name = stored.setup(setup), form.text("name")
    points = (
        DayPoint(clock(600), 0.0),
        DayPoint(clock(660), 1.0),
        DayPoint(clock(1080), 1.0),
        DayPoint(clock(1140), 0.0),
    )
    form.attempt(
        lambda: light_groups.save_group(db, tank_id, one.id, light_groups.NEW, LightGroup(name, "linear", points))
    )
    form.errors = {name.rpartition(".")[2]: text for name, text in form.errors.items()}
    if form.errors:
        return _page(request, db, stored, setup, added=form)
    return go(f"/tanks/{tank_id}/day", setup)


@router.post("/groups/{group_id}")
def change_group(
    request: Request, db: Db, measure: Unit, tank_id: RowId, group_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Save a group as typed: its name, ramps, points, the fixtures that follow it, and moonlight if it is added."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    one = stored.setup(setup)
    was = found(one.groups, group_id, "group").value
    group = form.read(LightGroup, replace(was, points=()))
    points = form.rows(DayPoint, "points")
    rows = [prefix for prefix in form.prefixes("points") if _typed(form, prefix)]
    mine = [kept.id for kept in one.fixtures if form.text(f"fixture.{kept.id}") == "on"]
    moonlight = form.text("moonlight") == "on"
    if group and points is not None and form.ok:
        try:
            group = replace(group, points=tuple(points))
            group = light_groups.moonlit(one, group, mine) if moonlight else group
            light_groups.save_group(db, tank_id, one.id, group_id, group, mine)
        except InvalidInput as error:
            for fault in error.errors:
                form.errors[_field(fault.field, rows)] = measure.message(fault)
    if form.errors:
        return _page(request, db, stored, setup, bad=(group_id, form))
    return go(f"/tanks/{tank_id}/day#group-{group_id}", setup)


def _typed(form: Form, prefix: str) -> bool:
    """Whether a row of the form counts: it is neither blank nor marked as gone."""
    texts = [text for key, text in form.data.items() if key.startswith(prefix)]
    return form.data.get(f"{prefix}gone") != "on" and any(text.strip() for text in texts)


def _field(field: str, rows: Sequence[str]) -> str:
    """Field of a fault in a group's form: ``groups.0.points.1.time`` is the time of its second row that counts."""
    parts = field.split(".")
    if "points" in parts:
        number, name = parts[parts.index("points") + 1 :]
        return f"{rows[int(number)]}{name}" if int(number) < len(rows) else "name"
    return parts[-1]


@router.post("/groups/{group_id}/remove")
def remove_group(db: Db, tank_id: RowId, group_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a group."""
    light_groups.delete_group(db, tank_id, tanks.open_tank(db, tank_id).setup(setup).id, group_id)
    return go(f"/tanks/{tank_id}/day", setup)


@router.post("/groups/{group_id}/copy")
def copy_group(db: Db, tank_id: RowId, group_id: RowId, data: FormData, setup: Looked = None) -> RedirectResponse:
    """Give a group the schedule of another."""
    source = data.get("from", "")
    if not source.isdecimal() or len(source) > 15:
        raise NotFound("no such group")
    light_groups.copy_points(db, tank_id, tanks.open_tank(db, tank_id).setup(setup).id, int(source), group_id)
    return go(f"/tanks/{tank_id}/day#group-{group_id}", setup)


@router.post("/groups/{group_id}/points/{number}")
def move_point(
    db: Db, tank_id: RowId, group_id: RowId, number: RowId, body: PointMoved, setup: Looked = None
) -> JSONResponse:
    """Move a point of the day, or delete it."""
    one = tanks.open_tank(db, tank_id).setup(setup)
    group = found(one.groups, group_id, "group").value
    if number >= len(group.points):
        raise NotFound("no such point")
    point = group.points[number]
    rest = [other for k, other in enumerate(group.points) if k != number]
    if not body.dropped:
        time = point.time if body.minute is None else clock(body.minute)
        rest.append(replace(point, time=time, level=point.level if body.level is None else body.level))
    points = tuple(sorted(rest, key=lambda one: one.time))
    light_groups.save_group(db, tank_id, one.id, group_id, replace(group, points=points))
    return JSONResponse({"saved": number})


def _page(
    request: Request,
    db: Database,
    stored: StoredTank,
    setup_id: int | None,
    *,
    corals: str = "",
    probe: str = "",
    bad: tuple[int, Form] | None = None,
    moved: Form | None = None,
    added: Form | None = None,
    file_faults: Sequence[str] = (),
) -> HTMLResponse:
    measure, setup, today = measure_of(request), stored.setup(setup_id), datetime.date.today()
    lit = setup_on(stored, setup, today)
    report, days = report_day(stored, lit), coral_days(stored, lit.hung)
    drawn, place = _drawn(days, corals), probe_of(probe, stored.tank)
    names = short_labels([f"{one.number} {one.coral.card.name}" for one in drawn])
    lines = [Line(f"{name} {one.peak:.0f}", one.par) for name, one in zip(names, drawn, strict=True)]
    if setup.fixtures:
        there = day_at(stored, lit.hung, place)
        names, lines = [*names, "the probe"], [*lines, Line(f"probe {there.max():.0f}", there)]
    powers = [(one.name, one.watts) for one in report.powers]
    time = datetime.datetime.now().time()
    minute = minute_of(time)
    span = shown_values(light_groups.day_move([kept.value for kept in setup.groups]), measure)
    context: dict[str, Any] = {
        "stored": stored,
        "setup": setup,
        "report": report,
        "days": sorted(days, key=lambda one: -one.dose),
        "zones": zone_days(stored, lit.hung),
        "on_step": lit is not setup,
        "probe": place,
        "clocks": len(clock_stretches(today)) > 1,
        "drawn": {one.id for one in drawn},
        "drawing": draw_day(lines, powers, setup.groups, most=report.bears, now=minute, narrow=narrow_of(request)),
        "now": f"{time:%H:%M}",
        "lights": lights_now(stored, setup, today, minute),
        "lines": list(zip(LINES, names, strict=False)) if narrow_of(request) else [],
        "cards": [_card(setup, kept, bad[1] if bad and bad[0] == kept.id else None, measure) for kept in setup.groups],
        "plain": [(letter(k), kept.value) for k, kept in enumerate(setup.fixtures) if kept.value.day is None],
        "starts": STARTS,
        "effects": start_effects(stored, setup),
        "plans": plan_cards(stored, acclimation_log.logs(db, stored.id), today),
        "rise": find_recent_rise(db, stored, datetime.datetime.now(datetime.UTC)) if setup.in_use else None,
        "bound": BOUND,
        "holds": HOLDS,
        "span": asked(DayMove, moved.data if moved else span, moved.errors if moved else {}, measure),
        "added": added,
        "file_faults": file_faults,
        "wrong": bad is not None,
    }
    status = 422 if bad or moved or added or file_faults else 200
    return page(request, "schedule/day.html", context, tank=stored, setup=setup, status=status)


LINES = ("solid", "dashed", "dotted", "dash and dot", "short dashes", "thin")
"""How the lines of the drawing look, in words, in their order."""


def _drawn(days: Sequence[CoralDay], chosen: str) -> list[CoralDay]:
    """Corals whose light is drawn: those chosen, or the brightest, the one in the middle and the darkest."""
    ids = {int(text) for text in chosen.split(",") if text.isdecimal() and len(text) < 15}
    if mine := [one for one in days if one.id in ids]:
        return mine[: len(LINES) - 1]
    ranked = sorted(days, key=lambda one: -one.peak)
    return [ranked[k] for k in sorted({0, len(ranked) // 2, len(ranked) - 1})] if ranked else []


def _card(setup: StoredSetup, kept: Kept[LightGroup], form: Form | None, measure: Any) -> dict[str, Any]:
    """The form of a group."""
    group = kept.value
    values = dict(form.data) if form else shown_values(group, measure)
    errors = form.errors if form else {}
    count = max((int(prefix.split(".")[1]) + 1 for prefix in form.prefixes("points")), default=0) if form else 0
    if not form:
        for k, point in enumerate(group.points):
            values |= shown_values(point, measure, f"points.{k}.")
        count = len(group.points) + POINTS_MORE
    return {
        "kept": kept,
        "form": form,
        "fields": asked(LightGroup, values, errors, measure),
        "rows": [asked(DayPoint, values, errors, measure, f"points.{k}.") for k in range(count)],
        "fixtures": [
            (
                f.id,
                letter(k),
                f.value.name,
                values.get(f"fixture.{f.id}") == "on" if form else f.value.group == group.name,
            )
            for k, f in enumerate(setup.fixtures)
        ],
        "mixed": any(len(f.value.emitter.channels) > 1 for f in setup.fixtures if f.value.group == group.name),
    }

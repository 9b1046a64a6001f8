"""The PAR map: its page, and the answers to everything done on it."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from pydantic import BaseModel, Field

from corlume.core.errors import Rules
from corlume.core.judging.intent import SHIMMER_WORDS, Intent, in_words
from corlume.core.light.beam_optics import LED_POWER
from corlume.core.light.geometry import Tank
from corlume.core.light.lamp_set import LAMP_WISHES, MOST_SOCKETS, LampWish
from corlume.core.light.technology import TECHNOLOGIES
from corlume.core.mounting.alignment import Arranging
from corlume.core.mounting.tape_measure import Tape
from corlume.core.upkeep.wear import AGES, Age
from corlume.formats.measure import Measure
from corlume.formats.round_steps import STEPS
from corlume.reference.catalogue import CatalogueEntry, lamps_for
from corlume.services.judging.lens_change import lens_change_effect
from corlume.services.keeping import fixture_library, hung_fixtures, setups, tanks
from corlume.services.keeping.hung_units import arrange_units, place_as_read, units_of
from corlume.services.light.fields import first_look
from corlume.services.light.layers import LAYERS, OF_SURVEY, Layer
from corlume.services.light.points import WaterPoint
from corlume.services.light.probe import default_probe
from corlume.services.placement.zone_placement import coral_change
from corlume.services.schedule.day_light import peak_minute
from corlume.services.schedule.par_at_place import outputs_for_par, outputs_that_keep_par
from corlume.services.search.light_types import BETWEEN, first_frame
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.forms.fixture import FixtureChange, read_fixture_changes
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.forms.par import read_par
from corlume.web.pages.light import chart_view
from corlume.web.request.page import (
    Db,
    FormData,
    Narrow,
    RowId,
    TapeRead,
    Unit,
    go,
    measure_of,
    narrow_of,
    page,
    tape_of_device,
    templates,
)

router = APIRouter(prefix="/tanks/{tank_id}")
Metres = Annotated[float, Field(allow_inf_nan=False)]


class ProbeAt(BaseModel):
    """The probe [m]."""

    x: Metres
    y: Metres
    depth: Metres


class ChartRequest(BaseModel):
    """The probe's place, the selected fixture, changes of fixtures, and whether a drag is going on.

    ``steady`` keeps the PAR at the probe while channels change; ``par_wanted`` is a PAR typed for the probe, which the
    output of the picked fixtures, or of all, has to reach.
    """

    probe: ProbeAt
    selected: int | None = None
    layer: Layer = "par"
    minute: Annotated[float, Field(ge=0, lt=1440, allow_inf_nan=False)] | None = None
    dragging: bool = False
    changes: dict[int, FixtureChange] = Field(default={}, max_length=200)
    picked: list[int] = Field(default=[], max_length=200)
    age: Age = "today"
    steady: bool = False
    par_wanted: str = Field(default="", max_length=40)


class ArrangeRequest(ChartRequest):
    """What to do with all picked fixtures."""

    how: Arranging


def _changes(
    stored: StoredTank, setup: StoredSetup, request: ChartRequest, measure: Measure, tape: Tape
) -> dict[int, dict[str, Any]]:
    """Changes by fixture, in SI; a typed place is where the tape reads it."""
    found = {}
    for fixture_id, change in request.changes.items():
        values = read_fixture_changes(change.model_dump(exclude_none=True), measure)
        for axis in AXES:
            reading = values.pop(f"at_{axis}", None)
            if reading is not None:
                values[axis] = place_as_read(stored.tank, setup, fixture_id, tape, axis, reading)
        found[fixture_id] = values
    levels = {fixture_id: values["levels"] for fixture_id, values in found.items() if "levels" in values}
    if request.steady and levels:
        for fixture_id, output in outputs_that_keep_par(stored, setup, _probe(stored, request.probe), levels).items():
            found[fixture_id]["output"] = output
    if request.par_wanted:
        held = [fixture_id for unit in units_of(setup) if unit.id in request.picked for fixture_id in unit.ids]
        par, ids = read_par(request.par_wanted), held if len(request.picked) > 1 else ()
        for fixture_id, output in outputs_for_par(stored, setup, _probe(stored, request.probe), par, ids).items():
            found.setdefault(fixture_id, {})["output"] = output
    return found


AXES: tuple[Literal["x", "y"], ...] = ("x", "y")


def _probe(stored: StoredTank, at: ProbeAt) -> WaterPoint:
    rules = Rules()
    tank = stored.tank
    for name, value, limit in (
        ("x", at.x, tank.length),
        ("y", at.y, tank.width),
        ("depth", at.depth, tank.water_depth),
    ):
        rules.between(name, value, -1e-6, limit + 1e-6, "length")
    rules.finish()
    return WaterPoint(*(max(0.0, v) for v in (at.x, at.y, at.depth)))


@router.get("/par-map")
def chart(
    request: Request, db: Db, tank_id: RowId, setup: RowId | None = None, fixture: RowId | None = None
) -> HTMLResponse:
    """PAR map of a setup."""
    stored = tanks.open_tank(db, tank_id)
    return _page(request, db, stored, stored.setup(setup), fixture)


def _page(
    request: Request,
    db: Database,
    stored: StoredTank,
    shown: StoredSetup,
    fixture: int | None = None,
    bad: Form | None = None,
    frame: Form | None = None,
) -> HTMLResponse:
    """The PAR map, with the errors of a typed goal or of a frame."""
    measure = measure_of(request)
    selected = fixture if any(f.id == fixture for f in shown.fixtures) else None
    if selected is None and shown.fixtures:
        selected = shown.fixtures[0].id
    sheet = chart_view.sheet_of(stored, shown, narrow=narrow_of(request))
    probe = default_probe(stored.tank)
    coarse = first_look(stored.lit_tank()) if shown.fixtures else None
    if coarse:
        parts = chart_view.first_parts(stored, coarse, sheet, shown, probe, selected, measure)
    else:
        parts = chart_view.moving_parts(stored, sheet, shown, probe, selected, measure)
    values = bad.data if bad else shown_values(shown.intent, measure)
    context = {
        "stored": stored,
        "setup": shown,
        "coarse": coarse is not None,
        "selected": selected,
        "probe": probe,
        "sheet": sheet,
        "parts": parts,
        "frame": chart_view.frame(stored, sheet, measure),
        "panel": chart_view.panel(stored, shown, selected, measure, tape_of_device(request)),
        "layers": {key: name for key, name in LAYERS.items() if stored.survey or key not in OF_SURVEY},
        "entries": fixture_library.entries(db),
        "ages": AGES if stored.lamps or stored.lists["rhythms"] else {},
        "peak": peak_minute(stored.running.day, shown.hung),
        "snap": STEPS[measure.unit].snap,
        "meant": in_words(shown.intent.meant(stored.targets.stocking)),
        "shimmer": SHIMMER_WORDS[shown.intent.shimmer],
        "intent": asked(Intent, values, bad.errors if bad else {}, measure),
        "wrong": bad,
        "framed": frame.data if frame else _frame_to_begin_with(stored.tank, fixture_library.entries(db), measure),
        "sockets": _sockets(shown),
        "lamp_wishes": LAMP_WISHES,
        "frame_errors": frame.errors if frame else {},
        "change": None if coarse or shown.in_use else coral_change(stored, shown.hung),
    }
    return page(request, "light/chart.html", context, tank=stored, setup=shown, status=422 if bad or frame else 200)


def _frame_to_begin_with(tank: Tank, entries: Sequence[CatalogueEntry], measure: Measure) -> dict[str, str]:
    """Defaults of the form for a frame: parts that fit the tank."""
    count, each_side, long = first_frame(tank, entries)
    return {"count": str(count), "each_side": str(each_side), "gap": measure.number(BETWEEN), "middle": "cluster",
            "long": long}  # fmt: skip


def _sockets(setup: StoredSetup) -> list[tuple[str, str, int]]:
    """Technologies of a setup with lamps in sockets: key, name, and number of sockets."""
    keys = [kept.value.emitter.technology for kept in setup.fixtures]
    return [(key, TECHNOLOGIES[key].name, keys.count(key)) for key in dict.fromkeys(keys)
            if lamps_for(key) and 1 < keys.count(key) <= MOST_SOCKETS]  # fmt: skip


@router.post("/setups/{setup_id}/intent")
def intend(request: Request, db: Db, measure: Unit, tank_id: RowId, setup_id: RowId, data: FormData) -> Response:
    """Save the goal of a setup."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    intent = form.read(Intent, stored.setup(setup_id).intent)
    if intent and form.ok:
        form.attempt(lambda: setups.save_intent(db, tank_id, setup_id, intent))
    if form.errors:
        return _page(request, db, stored, stored.setup(setup_id), bad=form)
    return go(f"/tanks/{tank_id}/par-map?setup={setup_id}")


@router.post("/setups/{setup_id}/light")
def light(
    db: Db, measure: Unit, tape: TapeRead, narrow: Narrow, tank_id: RowId, setup_id: RowId, body: ChartRequest
) -> JSONResponse:
    """The PAR map under some changes; nothing is saved."""
    stored = _aged(tanks.open_tank(db, tank_id), body)
    setup = stored.setup(setup_id)
    drafted = hung_fixtures.draft(stored.tank, setup, _changes(stored, setup, body, measure, tape))
    sheet = chart_view.sheet_of(stored, setup, narrow=narrow)
    probe = _probe(stored, body.probe)
    parts = chart_view.moving_parts(
        stored,
        sheet,
        drafted,
        probe,
        body.selected,
        measure,
        body.layer,
        picked=body.picked,
        coarse=body.dragging and bool(body.changes),
        minute=body.minute,
    )
    if not body.changes:
        parts["panel"] = chart_view.panel(stored, setup, body.selected, measure, tape, body.picked, steady=body.steady)
    return JSONResponse(chart_view.as_json(parts))


@router.post("/setups/{setup_id}/fixtures")
def change_fixtures(
    db: Db, measure: Unit, tape: TapeRead, narrow: Narrow, tank_id: RowId, setup_id: RowId, body: ChartRequest
) -> JSONResponse:
    """Save changes of fixtures; answers with the new PAR map."""
    stored = tanks.open_tank(db, tank_id)
    changes = _changes(stored, stored.setup(setup_id), body, measure, tape)
    hung_fixtures.change_fixtures(db, tank_id, setup_id, changes)
    return _kept(db, measure, tape, tank_id, setup_id, body, narrow=narrow)


@router.post("/setups/{setup_id}/arrange")
def arrange(
    db: Db, measure: Unit, tape: TapeRead, narrow: Narrow, tank_id: RowId, setup_id: RowId, body: ArrangeRequest
) -> JSONResponse:
    """Align several fixtures; answers with the new PAR map."""
    arrange_units(db, tank_id, setup_id, body.picked, body.how)
    return _kept(db, measure, tape, tank_id, setup_id, body, narrow=narrow)


def _aged(stored: StoredTank, body: ChartRequest) -> StoredTank:
    """A tank with the lamps of the age that the PAR map shows."""
    return stored if body.age == "today" else stored.on(datetime.date.today(), body.age)


def _kept(
    db: Database, measure: Measure, tape: Tape, tank_id: int, setup_id: int, body: ChartRequest, *, narrow: bool
) -> JSONResponse:
    """The PAR map as saved, with the panel and the next undo."""
    stored = _aged(tanks.open_tank(db, tank_id), body)
    setup = stored.setup(setup_id)
    sheet = chart_view.sheet_of(stored, setup, narrow=narrow)
    steps = tanks.steps(db, tank_id)
    probe = _probe(stored, body.probe)
    parts = chart_view.moving_parts(
        stored, sheet, setup, probe, body.selected, measure, body.layer, picked=body.picked, minute=body.minute
    )
    parts |= chart_view.frame(stored, sheet, measure)
    panel = chart_view.panel(stored, setup, body.selected, measure, tape, body.picked, steady=body.steady)
    parts |= {"panel": panel}
    parts |= {"undo": steps.undo or "", "redo": steps.redo or ""}
    return JSONResponse(chart_view.as_json(parts))


@router.get("/setups/{setup_id}/fixtures/{fixture_id}/front/{key}")
def look_at_front(db: Db, tank_id: RowId, setup_id: RowId, fixture_id: RowId, key: str) -> JSONResponse:
    """Effect of another lens or reflector, before it is fitted."""
    stored = tanks.open_tank(db, tank_id)
    found = lens_change_effect(stored, stored.setup(setup_id), fixture_id, key)
    put = {"lens": key}
    context = {"c": found, "all": dict.fromkeys(found.ids, put), "one": {fixture_id: put}, "led_watts": LED_POWER}
    return JSONResponse({"html": templates.get_template("light/lens_change.html").render(**context)})


@router.post("/setups/{setup_id}/add")
def add_fixture(db: Db, tank_id: RowId, setup_id: RowId, form: FormData) -> RedirectResponse:
    """Hang another fixture."""
    fixture_id = hung_fixtures.add_fixture(db, tank_id, setup_id, form.get("entry", ""))
    return go(f"/tanks/{tank_id}/par-map?setup={setup_id}&fixture={fixture_id}")


@router.post("/setups/{setup_id}/frame")
def add_frame(request: Request, db: Db, measure: Unit, tank_id: RowId, setup_id: RowId, data: FormData) -> Response:
    """Hang a frame of the keeper's own: modules in the middle, tubes or bars beside them."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    counts = [form.number(name) for name in ("count", "each_side")]
    gap = form.length("gap")
    for name, value in zip(("count", "each_side"), counts, strict=True):
        if value == value and value != int(value):
            form.errors.setdefault(name, "must be a whole number")
    middle, long = form.text("middle"), form.text("long")
    if form.ok:
        count, each = map(int, counts)
        fixture_id = form.attempt(
            lambda: hung_fixtures.add_frame(db, tank_id, setup_id, middle, count, long, each, gap)
        )
        if fixture_id is not None:
            return go(f"/tanks/{tank_id}/par-map?setup={setup_id}&fixture={fixture_id}")
    return _page(request, db, stored, stored.setup(setup_id), frame=form)


@router.post("/setups/{setup_id}/lamps")
def fill_sockets(db: Db, tank_id: RowId, setup_id: RowId, form: FormData) -> RedirectResponse:
    """Choose a set of lamps for all tubes or halides of a setup."""
    wish: LampWish | None = next((key for key in LAMP_WISHES if key == form.get("wish")), None)
    technology = form.get("technology", "")
    if wish is None or technology not in TECHNOLOGIES:
        raise NotFound("no such set of lamps")
    hung_fixtures.fill_sockets(db, tank_id, setup_id, technology, wish)
    return go(f"/tanks/{tank_id}/par-map?setup={setup_id}")


@router.post("/setups/{setup_id}/fixtures/{fixture_id}/copy")
def copy_fixture(db: Db, tank_id: RowId, setup_id: RowId, fixture_id: RowId) -> RedirectResponse:
    """Hang a copy of a fixture."""
    copy_id = hung_fixtures.copy_fixture(db, tank_id, setup_id, fixture_id)
    return go(f"/tanks/{tank_id}/par-map?setup={setup_id}&fixture={copy_id}")


@router.post("/setups/{setup_id}/fixtures/{fixture_id}/remove")
def remove_fixture(db: Db, tank_id: RowId, setup_id: RowId, fixture_id: RowId, whole: bool = False) -> RedirectResponse:
    """Delete a fixture, or the whole frame that it is part of."""
    hung_fixtures.remove_fixture(db, tank_id, setup_id, fixture_id, whole=whole)
    return go(f"/tanks/{tank_id}/par-map?setup={setup_id}")

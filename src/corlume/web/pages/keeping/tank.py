"""A tank's own data: its form, its rock and its braces."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Sequence
from typing import Annotated, Any, TypeVar

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from corlume.core.errors import Rules
from corlume.core.judging.targets import SCHOOLS, LightTargets
from corlume.core.keeping.rockscapes import SCAPES, ScapeKey, with_scape
from corlume.core.keeping.scene import Running, Scene, Setup
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Brace, Rock, Tank
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.light.water import Water
from corlume.core.units import CM, INCH
from corlume.formats.measure import Measure
from corlume.formats.round_steps import STEPS
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.keeping import fixture_library, tanks
from corlume.services.search.starting_points import starting_points
from corlume.store.database import Database
from corlume.store.tanks import StoredTank, unstored
from corlume.web.drawing.drag_handles import draw_area, draw_drag_handles
from corlume.web.drawing.natural_rock import draw_natural_handles
from corlume.web.drawing.sheet import lay_out_pair
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.drawing.tank_card import draw_scape
from corlume.web.forms.form import Asked, Form, asked, shown_values
from corlume.web.forms.tank import PANE_CHOICES, RIPPLES, read_name, read_tank, read_targets, tank_fields
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, measure_of, narrow_of, page

router = APIRouter()
T = TypeVar("T")
NEW_TANK = Tank(length=1.2, width=0.55, water_depth=0.5, water=Water(ripple=0.1))


@router.get("/tanks/new")
def new_tank(request: Request, db: Db, measure: Unit) -> HTMLResponse:
    """The form for a new tank."""
    values = tank_fields("", NEW_TANK, LightTargets(), Running(), measure) | {"back_pane": "dark", "scape": "islands"}
    return _tank_form(request, None, values, {}, entries=fixture_library.entries(db))


@router.post("/tanks/new")
def create_tank(request: Request, db: Db, measure: Unit, data: FormData) -> Response:
    """Save a new tank."""
    form = Form(data, measure)
    tank, targets, running = read_tank(form, None), read_targets(form, None), form.read(Running)
    name, key = read_name(form), read_scape(form)
    entry = next((one for one in fixture_library.entries(db) if one.key == form.text("hung")), None)
    if form.text("hung") and entry is None:
        form.errors.setdefault("hung", "is not in the fixture library")
    if tank and targets and running and form.ok:
        tank_id = form.attempt(lambda: _create(db, name, tank, targets, running, key, entry, measure))
        if tank_id is not None:
            return go(f"/tanks/{tank_id}/par-map")
    return _tank_form(request, None, form.data, form.errors, entries=fixture_library.entries(db), status=422)


def _create(
    db: Database,
    name: str,
    tank: Tank,
    targets: LightTargets,
    running: Running,
    key: ScapeKey,
    entry: CatalogueEntry | None,
    measure: Measure,
) -> int:
    """Save a tank with its rockscape, and fixtures by the rule of cover, several a little further out than equally
    spaced.
    """
    whole, fixtures = with_scape(tank, key, new_seed()), tuple[Fixture, ...]()
    if entry:
        begun = unstored(Scene(name, whole, targets, running, setups=(Setup("As it hangs", in_use=True),)))
        starts = starting_points(begun, entry, steps=STEPS[measure.unit])
        fixtures = next((one for one in starts if "wider" in one.rule), starts[0]).fixtures
    return tanks.create_tank(db, name, whole, targets, running, fixtures)


def new_seed() -> int:
    """A number from which a rockscape grows that nobody has had."""
    return secrets.randbelow(2**31)


def read_scape(form: Form) -> ScapeKey:
    """The chosen rockscape; none is bare."""
    chosen = form.text("scape") or "open"
    key: ScapeKey = next((one for one in SCAPES if one == chosen), "open")
    if key != chosen:
        form.errors.setdefault("scape", "is not one of those offered")
    return key


@router.post("/tanks/{tank_id}/copy")
def copy_tank(db: Db, tank_id: RowId) -> RedirectResponse:
    """Copy the tank."""
    return go(f"/tanks/{tanks.copy_tank(db, tank_id)}")


@router.get("/tanks/{tank_id}")
def edit_tank(
    request: Request,
    db: Db,
    measure: Unit,
    tank_id: RowId,
    setup: Looked = None,
    cut: Annotated[str, Query(max_length=20)] = "",
) -> HTMLResponse:
    """A tank's own data, its rock and its braces; the front view is cut in the middle, or where it is asked for."""
    stored = tanks.open_tank(db, tank_id)
    return _tank_form(request, stored, _fields(stored, measure), {}, setup=setup, cut=cut)


@router.post("/tanks/{tank_id}")
def save_tank(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change a tank's own data."""
    stored = tanks.open_tank(db, tank_id)
    form = Form(data, measure)
    tank, targets, running = (
        read_tank(form, stored.tank),
        read_targets(form, stored.targets),
        form.read(Running, stored.running),
    )
    name = read_name(form)
    if tank and targets and running and form.ok:
        values: dict[str, Any] = {"name": name, "tank": tank, "targets": targets, "running": running}
        form.attempt(lambda: tanks.save_tank(db, tank_id, **values))
        if not form.errors:
            return go(f"/tanks/{tank_id}", setup)
    return _tank_form(request, stored, form.data, form.errors, setup=setup, status=422)


@router.post("/tanks/{tank_id}/braces")
def add_brace(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Add a brace."""
    form = Form(data, measure)
    save_typed(form, form.read(Brace), lambda typed: tanks.add_brace(db, tank_id, typed))
    return part_answer(request, tanks.open_tank(db, tank_id), form, "brace", None, setup)


@router.post("/tanks/{tank_id}/braces/{brace_id}/remove")
def remove_brace(db: Db, tank_id: RowId, brace_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a brace."""
    tanks.delete_brace(db, tank_id, brace_id)
    return go(f"/tanks/{tank_id}#brace", setup)


def save_typed(form: Form, typed: T | None, save: Callable[[T], object]) -> None:
    """Save a part as typed where its whole form could be read; objections become errors by field."""
    if typed is not None and form.ok:
        form.attempt(lambda: save(typed))


def part_answer(
    request: Request, stored: StoredTank, form: Form, part: str, part_id: int | None, setup: int | None
) -> Response:
    """Redirect to the page, or the page with the part's form as typed."""
    if not form.errors:
        return go(f"/tanks/{stored.id}#{part}", setup)
    bad = {"part": part, "id": part_id, "values": form.data, "errors": form.errors}
    return _tank_form(request, stored, _fields(stored, form.measure), {}, setup=setup, bad=bad, status=422)


ASKED = {"scene": Scene, "tank": Tank, "water": Water, "targets": LightTargets, "running": Running}


def _cut_at(typed: str, tank: Tank, measure: Measure) -> tuple[float, str]:
    """Where the front view is cut [m], in the middle by default, and what is wrong with what was typed."""
    form, rules = Form({"cut": typed}, measure), Rules()
    at = form.length("cut") if typed.strip() else tank.width / 2
    if not form.errors:
        rules.between("cut", at, 0.0, tank.width, "length")
        form.attempt(rules.finish)
    return (tank.width / 2, form.errors["cut"]) if form.errors else (at, "")


def _row(
    cls: type, part: str, part_id: int | None, thing: object, bad: dict[str, Any] | None, measure: Measure
) -> tuple[int | None, dict[str, Asked], dict[str, str]]:
    """Form of a rock or a brace: its id, its fields, and the errors of what was typed."""
    typed = bad if bad and (bad["part"], bad["id"]) == (part, part_id) else None
    errors = typed["errors"] if typed else {}
    return part_id, asked(cls, typed["values"] if typed else shown_values(thing, measure), errors, measure), errors


def _fields(stored: StoredTank, measure: Measure) -> dict[str, str]:
    return tank_fields(stored.name, stored.tank, stored.targets, stored.running, measure)


def _tank_form(
    request: Request,
    stored: StoredTank | None,
    values: dict[str, str],
    errors: dict[str, str],
    *,
    setup: int | None = None,
    bad: dict[str, Any] | None = None,
    entries: Sequence[CatalogueEntry] = (),
    cut: str = "",
    status: int = 200,
) -> HTMLResponse:
    measure = measure_of(request)
    shown = {*tank_fields("", NEW_TANK, LightTargets(), Running(), measure), "scape", "hung"}
    context: dict[str, Any] = {
        "stored": stored,
        "values": values,
        "errors": errors,
        "entries": entries,
        "scapes": {key: (*words, draw_scape(key)) for key, words in SCAPES.items()},
        "others": {key: text for key, text in errors.items() if key not in shown},
        "asks": {key: asked(cls, values, errors, measure) for key, cls in ASKED.items()},
        "panes": PANE_CHOICES,
        "schools": SCHOOLS,
        "ripples": [(key, text) for key, (text, _) in RIPPLES.items()],
    }
    if stored:
        rocks: list[tuple[int | None, Rock]] = [(kept.id, kept.value) for kept in stored.rocks]
        blank = Rock(0.1, 0.1, 0.0, 0.3, 0.2, min(0.25, 0.5 * stored.tank.water_depth), "")
        context["rocks"] = [
            _row(Rock, "rock", rock_id, rock, bad, measure) for rock_id, rock in [*rocks, (None, blank)]
        ]
        context["natural_rocks"] = [
            _row(NaturalRock, "natural-rock", kept.id, kept.value, bad, measure) for kept in stored.natural_rocks
        ]
        middle = stored.tank.length / 2
        strip = Brace(middle - 0.04, 0.0, 0.08, stored.tank.width)
        context["brace"] = _row(Brace, "brace", None, strip, bad, measure)
        sheet = lay_out_pair(stored.tank, width=760, height=560, narrow=narrow_of(request), side=True)
        context["sheet"] = sheet
        tank = stored.tank
        at, context["cut_fault"] = _cut_at(cut, tank, measure)
        context |= {
            "cut": at,
            "typed_cut": cut or measure.number(at),
            "unit_size": CM if measure.unit == "cm" else INCH,
            "brush_size": "4" if measure.unit == "cm" else "1.5",
            "brush_by": "3" if measure.unit == "cm" else "1",
        }
        slices = (tank.water_depth, at, tank.length / 2)
        context["drawing"] = draw_frame(sheet, tank, measure)
        for view, place in zip(sheet.views(), slices, strict=True):
            context["drawing"] += draw_rock(view, tank, place)
        for view in sheet.views():
            context["drawing"] += draw_area(view) if view.kind != "side" else ""
            context["drawing"] += draw_natural_handles(view, tank, stored.natural_rocks)
            context["drawing"] += draw_drag_handles(view, tank, stored.rocks)
        context["snap"] = STEPS[measure.unit].snap
    return page(
        request, "keeping/tank.html", context, tank=stored, setup=stored.setup(setup) if stored else None, status=status
    )

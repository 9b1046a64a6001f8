"""Corals: care cards, light zones, suitability, and placement."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from markupsafe import Markup
from pydantic import BaseModel

from corlume.core.errors import InvalidInput
from corlume.core.placement.coral import Coral, Placement
from corlume.core.placement.coral_card import GROUPS, CoralCard
from corlume.core.placement.coral_type import ALLELOPATHY
from corlume.core.placement.placement_preferences import PlacementPreferences
from corlume.core.placement.suitability import nearest_miss
from corlume.core.schedule.dose import USUAL_DAY
from corlume.formats.file_faults import BadFile
from corlume.formats.measure import Measure
from corlume.formats.round_steps import STEPS
from corlume.services.flow.tank_flow import surface_flow
from corlume.services.keeping import coral_types, corals, tanks
from corlume.services.keeping.placement_choices import save_preferences
from corlume.services.light.fields import surface_par
from corlume.services.light.layers import dose_bands
from corlume.services.light.points import surfaces_of
from corlume.services.placement import zone_placement
from corlume.services.placement.grown_shade import switch_change
from corlume.services.placement.growth import MONTHS, clashes, grown
from corlume.services.placement.placement_preview import preview_placement
from corlume.services.placement.spots import spots_of
from corlume.services.placement.zone_summary import summarise_zones
from corlume.services.schedule.change_light import fixtures_on
from corlume.services.schedule.day_light import peak_minute
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.drawing.coral_spots import draw_coral_spots
from corlume.web.drawing.corals import draw_clashes, draw_corals, draw_surface_flow, draw_surfaces, draw_zones
from corlume.web.drawing.flow import FLOW_BANDS
from corlume.web.drawing.sheet import Sheet, lay_out_pair
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.forms.dragged import Metres
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, Files, FormData, Looked, RowId, Unit, along, go, measure_of, narrow_of, page

router = APIRouter(prefix="/tanks/{tank_id}/corals")


Layer = Literal["light", "hour", "dose", "flow", "seats"]
LAYERS: dict[Layer, str] = {
    "light": "light", "hour": "by the hour", "dose": "daily light", "flow": "flow", "seats": "spots"
}  # fmt: skip


class DropAt(BaseModel):
    """Where a coral was dropped, seen from above [m]."""

    x: float
    y: float


class HeldAt(BaseModel):
    """Where a coral is held on a view: x and y from above, x and depth from the front [m]."""

    view: Literal["plan", "front"]
    u: Metres
    v: Metres


@router.get("")
def corals_page(
    request: Request,
    db: Db,
    tank_id: RowId,
    setup: Looked = None,
    coral: RowId | None = None,
    layer: Layer = "light",
    minute: Annotated[int | None, Query(ge=0, le=1439)] = None,
) -> HTMLResponse:
    """The corals of a tank under the shown setup."""
    return _corals(request, tanks.open_tank(db, tank_id), setup, coral, layer=layer, minute=minute)


@router.get("/hour")
def show_hour(
    request: Request, db: Db, tank_id: RowId, minute: Annotated[int, Query(ge=0, le=1439)], setup: Looked = None
) -> JSONResponse:
    """The floor of the plan by the light of a minute of the day."""
    stored = tanks.open_tank(db, tank_id)
    sheet = lay_out_pair(stored.tank, narrow=narrow_of(request))
    return JSONResponse({"plan": _floor(stored, stored.setup(setup), sheet, "hour", minute)})


@router.post("/add")
def add(db: Db, tank_id: RowId, form: FormData, setup: Looked = None) -> Response:
    """Add a coral of a type in the library."""
    kind = coral_types.library(tanks.open_tank(db, tank_id)).get(form.get("card", ""))
    if kind is None:
        raise NotFound("no such card")
    coral_id = corals.add_coral(db, tank_id, kind.card)
    return go(f"/tanks/{tank_id}/corals?coral={coral_id}", setup)


@router.get("/table")
def export_table(db: Db, tank_id: RowId) -> Response:
    """The corals as a table."""
    headers = {"Content-Disposition": 'attachment; filename="corals.csv"'}
    text = corals.export_corals(tanks.open_tank(db, tank_id))
    return Response(text, media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/table")
def import_table(request: Request, db: Db, tank_id: RowId, sent: Files, setup: Looked = None) -> Response:
    """Import corals from CSV."""
    data, faults = sent.files.get("file", b""), ["No file was chosen, or it is empty."]
    if data:
        try:
            corals.import_corals(db, tank_id, data)
            return go(f"/tanks/{tank_id}/corals", setup)
        except BadFile as error:
            faults = [str(fault) for fault in error.faults]
        except InvalidInput as error:
            faults = [f"The table {measure_of(request).message(e)}." for e in error.errors]
    return _corals(request, tanks.open_tank(db, tank_id), setup, None, faults=faults)


@router.post("/shade")
def shade(db: Db, tank_id: RowId, form: FormData) -> RedirectResponse:
    """Switch the shade of grown corals on or off, for all pages of the tank."""
    corals.save_shade(db, tank_id, shade=form.get("shade") == "on")
    return go(form.get("back", f"/tanks/{tank_id}/corals"))


@router.post("/{coral_id}/card")
def change_card(
    request: Request, db: Db, measure: Unit, tank_id: RowId, coral_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change a coral's care card."""
    form, stored = Form(data, measure), tanks.open_tank(db, tank_id)
    card = form.read(CoralCard, stored.coral(coral_id).value.card)
    if card is None or not form.ok:
        return _corals(request, stored, setup, coral_id, form=form)
    corals.change_card(db, tank_id, coral_id, card)
    return go(f"/tanks/{tank_id}/corals?coral={coral_id}", setup)


@router.post("/{coral_id}/place")
def place(db: Db, tank_id: RowId, coral_id: RowId, body: DropAt, setup: Looked = None) -> JSONResponse:
    """Place a coral where it was dropped."""
    stored = tanks.open_tank(db, tank_id)
    corals.place_coral(db, tank_id, coral_id, corals.resting_place(stored.tank, body.x, body.y))
    return JSONResponse({"next": along(f"/tanks/{tank_id}/corals?coral={coral_id}", setup)})


@router.post("/{coral_id}/try")
def try_it(
    request: Request, db: Db, tank_id: RowId, coral_id: RowId, body: HeldAt, setup: Looked = None
) -> JSONResponse:
    """PAR of a coral at the place where it is held, and the corals it would shade."""
    measure, stored = measure_of(request), tanks.open_tank(db, tank_id)
    found = preview_placement(stored, stored.setup(setup), coral_id, body.view, body.u, body.v)
    no = [measure.fill(r.text, r.lengths) for r in found.reasons if r.answer == "no"]
    x, y, depth = (measure.place(value) for value in found.place)
    where = f"{found.seat or 'Where it comes to rest'}: {x} from left, {y} from front, {depth} {measure.unit} down"
    shade = [f"{name} {before:.0f} to {after:.0f} PAR" for _, name, before, after in found.shaded[:4]]
    more = f" and {len(found.shaded) - 4} more" * (len(found.shaded) > 4)
    return JSONResponse({
        "where": where,
        "par": f"{found.par:.0f} PAR",
        "suits": not no,
        "words": no or [measure.fill(r.text, r.lengths) for r in found.reasons],
        "shade": f"It would shade {', '.join(shade)}{more} when grown." if shade else "",
        "shaded": [coral for coral, *_ in found.shaded],
        "place": found.place,
    })  # fmt: skip


@router.post("/{coral_id}/drop")
def drop(db: Db, tank_id: RowId, coral_id: RowId, body: HeldAt, setup: Looked = None) -> JSONResponse:
    """Place a coral where it was dropped on a view: on the spot that it snaps to."""
    stored = tanks.open_tank(db, tank_id)
    found = preview_placement(stored, stored.setup(setup), coral_id, body.view, body.u, body.v)
    corals.place_coral(db, tank_id, coral_id, found.place)
    return JSONResponse({"next": along(f"/tanks/{tank_id}/corals?coral={coral_id}", setup)})


@router.post("/{coral_id}/wish")
def wish(
    request: Request, db: Db, measure: Unit, tank_id: RowId, coral_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Save a coral's placement preferences."""
    form, stored = Form(data, measure), tanks.open_tank(db, tank_id)
    wished = form.read(PlacementPreferences, stored.coral(coral_id).value.wish, prefix="wish_")
    if wished and form.ok:
        form.attempt(lambda: save_preferences(db, tank_id, coral_id, wished), "wish_")
    if form.errors:
        return _corals(request, stored, setup, coral_id, form=form)
    return go(f"/tanks/{tank_id}/corals?coral={coral_id}", setup)


@router.post("/{coral_id}/put")
def put(
    request: Request, db: Db, measure: Unit, tank_id: RowId, coral_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Place a coral at a typed place, on what lies below."""
    form, stored = Form(data, measure), tanks.open_tank(db, tank_id)
    old = stored.coral(coral_id).value.place or (None, None, None)
    x, y = form.length("at_x", old[0]), form.length("at_y", old[1])
    if form.ok:
        form.attempt(lambda: corals.place_coral(db, tank_id, coral_id, corals.resting_place(stored.tank, x, y)))
        form.errors = {f"at_{name}" if name in ("x", "y") else name: text for name, text in form.errors.items()}
    if form.errors:
        return _corals(request, stored, setup, coral_id, form=form)
    return go(f"/tanks/{tank_id}/corals?coral={coral_id}", setup)


@router.post("/{coral_id}/send")
def send(db: Db, tank_id: RowId, coral_id: RowId, form: FormData, setup: Looked = None) -> RedirectResponse:
    """Place a coral on the best site of a zone."""
    stored = tanks.open_tank(db, tank_id)
    fixtures = stored.setup(setup).hung
    zone_placement.send_to_zone(db, tank_id, coral_id, form.get("zone", ""), fixtures)
    return go(f"/tanks/{tank_id}/corals?coral={coral_id}", setup)


@router.post("/{coral_id}/lift")
def lift(db: Db, tank_id: RowId, coral_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Unplace a coral."""
    corals.place_coral(db, tank_id, coral_id, None)
    return go(f"/tanks/{tank_id}/corals?coral={coral_id}", setup)


@router.post("/{coral_id}/remove")
def remove(db: Db, tank_id: RowId, coral_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a coral."""
    corals.remove_coral(db, tank_id, coral_id)
    return go(f"/tanks/{tank_id}/corals", setup)


def _fields(coral: Coral, measure: Measure) -> dict[str, str]:
    """Fields of a coral's forms: its care card, and its place or the default one."""
    at = shown_values(coral.place, measure, "at_") if coral.place else {}
    return shown_values(coral.card, measure) | at | shown_values(coral.wish, measure, "wish_")


def _floor(stored: StoredTank, setup: StoredSetup, sheet: Sheet, layer: Layer, minute: float) -> Markup:
    """The floor of the plan in a layer; ``minute`` is that of the light by the hour [min]."""
    floor, day, fixtures, targets = surfaces_of(stored.tank), stored.running.day, tuple(setup.hung), stored.targets
    if layer == "flow":
        return draw_surface_flow(sheet.plan, stored.tank, list(zip(floor, surface_flow(stored), strict=True)))
    if layer == "hour":
        fixtures = day.at(fixtures_on(stored, setup, datetime.date.today()), minute)
    elif layer == "dose":  # as PAR over ten hours, so that it falls into the bands of PAR
        fixtures = day.averaged(fixtures)
    par = surface_par(stored.lit_tank(), fixtures)
    if layer == "dose":
        par = [24.0 / USUAL_DAY * one for one in par]
    drawn = draw_surfaces(sheet.plan, stored.tank, list(zip(floor, par, strict=True)), targets)
    return drawn + draw_coral_spots(sheet.plan, spots_of(stored, setup.hung), targets) if layer == "seats" else drawn


def _corals(
    request: Request,
    stored: StoredTank,
    setup_id: int | None,
    selected: int | None,
    *,
    form: Form | None = None,
    faults: Sequence[str] = (),
    layer: Layer = "light",
    minute: int | None = None,
) -> HTMLResponse:
    measure = measure_of(request)
    setup = stored.setup(setup_id)
    now = datetime.datetime.now()
    minute = 60 * now.hour + now.minute if minute is None else minute
    fixtures = setup.hung
    states = zone_placement.states(stored, fixtures)
    chosen = next((s for s in states if s.id == selected), None)
    if selected is not None and chosen is None:
        raise NotFound(f"no coral {selected}")
    zones = zone_placement.zones_of(stored, fixtures)
    fits = zone_placement.fits(stored, fixtures, chosen.id) if chosen else []
    sheet = lay_out_pair(stored.tank, narrow=narrow_of(request))
    bodies, met = grown(stored, now.date()), clashes(stored)
    values = (_fields(chosen.coral, measure) if chosen else {}) | (form.data if form else {})
    errors = form.errors if form else {}
    context: dict[str, Any] = {
        "stored": stored,
        "states": states,
        "chosen": chosen,
        "zones": zones,
        "read": summarise_zones(stored, fixtures) if not chosen else [],
        "fits": fits,
        "switched": switch_change(stored, fixtures),
        "effects": zone_placement.effects(stored, fixtures, chosen.id, fits) if chosen else {},
        "miss": nearest_miss(chosen.coral.card, fits) if chosen else None,
        "snap": STEPS[measure.unit].snap,
        "sheet": sheet,
        "surfaces": _floor(stored, setup, sheet, layer, minute),
        "layer": layer,
        "layers": LAYERS,
        "minute": minute,
        "hour": f"{minute // 60:02}:{minute % 60:02}",
        "times": (("now", 60 * now.hour + now.minute), ("peak", peak_minute(stored.running.day, setup.hung))),
        "months": MONTHS,
        "clash_marks": [draw_clashes(view, met) for view in sheet.views()],
        "clashes": len(met),
        "wish_form": asked(PlacementPreferences, values, errors, measure, prefix="wish_"),
        "names": sorted({s.coral.card.name for s in states if not chosen or s.id != chosen.id}),
        "frame": draw_frame(sheet, stored.tank, measure),
        "rock_front": draw_rock(sheet.front, stored.tank, stored.tank.width / 2),
        "zone_marks": draw_zones(sheet.plan, zones, fits, states),
        "coral_marks": [draw_corals(view, stored.tank, states, selected, bodies=bodies) for view in sheet.views()],
        "bands": FLOW_BANDS
        if layer == "flow"
        else dose_bands(stored.targets)
        if layer == "dose"
        else stored.targets.bands(),
        "cards": {name: kind.card for name, kind in coral_types.library(stored).items()},
        "groups": GROUPS,
        "poisonous": coral_types.allelopathic(stored),
        "allelopathy": ALLELOPATHY,
        "card_form": asked(CoralCard, values, errors, measure),
        "seat_form": asked(Placement, values, errors, measure, prefix="at_"),
        "wrong": form,
        "faults": faults,
        "rules": {"light": "light", "room": "no room", "flow": "flow", "neighbour": "stung"},
    }
    return page(
        request, "placement/corals.html", context, tank=stored, setup=setup, status=422 if form or faults else 200
    )

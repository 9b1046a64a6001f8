"""Hang: starting points by rule, the search for a better layout, and its answers."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from markupsafe import Markup

from corlume.core.errors import InvalidInput
from corlume.core.scene import Setup
from corlume.formats.measure import Measure
from corlume.reference.catalogue import FixtureKindEntry
from corlume.services import searches, shelf, tanks
from corlume.services.diagnosis import find_faults
from corlume.services.hanging import YEARS, cost_of
from corlume.services.predict import figures, slice_plane
from corlume.services.rack import rack_of
from corlume.services.searches import Search
from corlume.services.starting import default_wish, starting_points
from corlume.services.wish import GOALS, ZONES, Wish, WishGoal
from corlume.store.database import Database
from corlume.store.tanks import Kept, NotFound, StoredSetup, StoredTank
from corlume.web.drawing.card import draw_card
from corlume.web.drawing.difference import NAMES, difference_plan
from corlume.web.drawing.lamps import letter
from corlume.web.drawing.trade import draw_trade
from corlume.web.forms import Form
from corlume.web.site import Db, FormData, RowId, Unit, go, measure_of, page, templates

router = APIRouter(prefix="/tanks/{tank_id}/hang")


@router.get("")
def show_hang(
    request: Request,
    db: Db,
    measure: Unit,
    tank_id: RowId,
    kind: str = "cluster",
    setup: RowId | None = None,
    goal: WishGoal | None = None,
) -> HTMLResponse:
    """Faults of a setup, starting points, the wish, and the newest search."""
    stored = tanks.open_tank(db, tank_id)
    newest = searches.newest(db, tank_id)
    entry = _kind(db, kind)
    wish = newest.wish if newest and newest.wish.kind == entry.key else default_wish(stored, entry)
    wish = replace(wish, goal=goal or wish.goal)
    return _page(request, db, stored, stored.setup(setup), entry, _fields(wish, measure), {}, newest)


@router.post("")
def begin(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData) -> Response:
    """Begin a search."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    chosen = form.text("setup")
    setup = stored.setup(int(chosen) if re.fullmatch(r"[0-9]{1,18}", chosen) else None)
    wish = _read_wish(form)
    if not form.errors:
        form.attempt(lambda: searches.begin(db, tank_id, setup.id, wish))
    if form.errors:
        newest = searches.newest(db, tank_id)
        return _page(request, db, stored, setup, _kind(db, form.text("kind")), form.data, form.errors, newest)
    return go(f"/tanks/{tank_id}/hang?setup={setup.id}&kind={wish.kind}#answers")


@router.post("/start/{number}")
def adopt_start(db: Db, tank_id: RowId, number: RowId, data: FormData) -> RedirectResponse:
    """Make a setup of a starting point and open its chart."""
    entry = _kind(db, data.get("kind", ""))
    starts = starting_points(tanks.open_tank(db, tank_id), entry)
    if not 0 <= number < len(starts):
        raise NotFound(f"no starting point {number}")
    setup = Setup(f"{entry.name[:50]}: {starts[number].rule}", starts[number].fixtures)
    return go(f"/tanks/{tank_id}/chart?setup={searches.add_setup(db, tank_id, setup)}")


@router.get("/faults")
def faults(request: Request, db: Db, tank_id: RowId, setup: RowId | None = None) -> JSONResponse:
    """What is wrong with the light of a setup, and what each remedy would do; it takes a second to work out."""
    stored = tanks.open_tank(db, tank_id)
    shown = stored.setup(setup)
    now, found = find_faults(stored, [kept.value for kept in shown.fixtures])
    context = {"now": now, "found": found, "setup": shown, "measure": measure_of(request)}
    return JSONResponse({"html": templates.get_template("parts/faults.html").render(**context)})


@router.get("/{search_id}")
def watch(request: Request, db: Db, tank_id: RowId, search_id: RowId) -> JSONResponse:
    """How far a search is, with its answers as they stand."""
    found = searches.look(db, tank_id, search_id)
    stored = tanks.open_tank(db, tank_id)
    return JSONResponse(
        {"state": found.state, "done": found.done, "answers": _answers(stored, found, measure_of(request))}
    )


@router.post("/{search_id}/stop")
def stop(db: Db, tank_id: RowId, search_id: RowId) -> RedirectResponse:
    """Stop a search; what it has found stays."""
    searches.stop(db, tank_id, search_id)
    stopped = searches.look(db, tank_id, search_id)
    setup = _searched(tanks.open_tank(db, tank_id), stopped)
    return go(f"/tanks/{tank_id}/hang?setup={setup.id}&kind={stopped.wish.kind}#answers")


@router.post("/{search_id}/resume")
def resume(db: Db, tank_id: RowId, search_id: RowId) -> RedirectResponse:
    """Take up a search that a restart cut off."""
    searches.resume(db, tank_id, search_id)
    found = searches.look(db, tank_id, search_id)
    setup = _searched(tanks.open_tank(db, tank_id), found)
    return go(f"/tanks/{tank_id}/hang?setup={setup.id}&kind={found.wish.kind}#answers")


@router.post("/{search_id}/adopt/{number}")
def adopt(db: Db, tank_id: RowId, search_id: RowId, number: RowId) -> RedirectResponse:
    """Make a setup of a layout and open its chart."""
    return go(f"/tanks/{tank_id}/chart?setup={searches.adopt(db, tank_id, search_id, number)}")


def _kind(db: Database, key: str) -> FixtureKindEntry:
    kinds = shelf.entries(db)
    return next((entry for entry in kinds if entry.key == key), kinds[0])


def _fields(wish: Wish, measure: Measure) -> dict[str, str]:
    return {
        "kind": wish.kind,
        "goal": wish.goal,
        "count_low": str(wish.counts[0]),
        "count_high": str(wish.counts[1]),
        "height_low": measure.number(wish.heights[0]),
        "height_high": measure.number(wish.heights[1]),
        "band_low": f"{wish.band[0]:g}",
        "band_high": f"{wish.band[1]:g}",
        "symmetric": "on" if wish.symmetric else "",
        "zones": wish.zones,
        "beside": "on" if wish.beside else "",
        "watts": f"{wish.watts:g}" if wish.watts else "",
        "money": f"{wish.money:g}" if wish.money else "",
    }


def _read_wish(form: Form) -> Wish:
    counts = [form.number(f"count_{end}") for end in ("low", "high")]
    for end, number in zip(("low", "high"), counts, strict=True):
        if number == number and number != int(number):
            form.errors.setdefault(f"count_{end}", "must be a whole number")
    heights = [form.length(f"height_{end}") for end in ("low", "high")]
    band = [form.number(f"band_{end}") for end in ("low", "high")]
    least, most = (0 if n != n else int(min(n, 99)) for n in counts)
    watts, money = (form.number(name) if form.text(name) else 0.0 for name in ("watts", "money"))
    goal: Any = form.text("goal")
    zones: Any = form.text("zones") or "each"
    return Wish(
        form.text("kind"), goal, (least, most), (heights[0], heights[1]), (band[0], band[1]),
        form.text("symmetric") == "on", zones, form.text("beside") == "on", watts, money,
    )  # fmt: skip


def _page(
    request: Request,
    db: Database,
    stored: StoredTank,
    setup: StoredSetup,
    entry: FixtureKindEntry,
    values: dict[str, str],
    errors: dict[str, str],
    newest: Search | None,
) -> HTMLResponse:
    measure = measure_of(request)
    starts = starting_points(stored, entry)
    context = {
        "stored": stored,
        "setup": setup,
        "entry": entry,
        "kinds": shelf.entries(db),
        "goals": [(key, name) for key, (name, _) in GOALS.items()],
        "meanings": GOALS.values(),
        "count_hint": "along the tank" if rack_of(stored.tank, entry.parts).along == "x" else "side by side",
        "zones": list(ZONES.items()),
        "values": values,
        "errors": errors,
        "starts": [(start, _picture(stored, start.fixtures)) for start in starts],
        "search": newest,
        "answers": _answers(stored, newest, measure) if newest else "",
    }
    return page(request, "hang.html", context, tank=stored, status=422 if errors else 200)


def _picture(stored: StoredTank, fixtures: Any, *, zones: bool = False) -> Any:
    setup = StoredSetup(0, "", True, tuple(Kept(k, f) for k, f in enumerate(fixtures)))
    return draw_card(replace(stored, setups=(setup,)), zones=zones)


def _answers(stored: StoredTank, found: Search, measure: Measure) -> str:
    """What a search has found, against the setup that it began from."""
    setup = _searched(stored, found)
    now = [kept.value for kept in setup.fixtures]
    try:
        pictures = [_picture(stored, one.fixtures, zones=found.wish.goal == "drawn") for one in found.found]
        # they take a moment each: not while the search runs
        differences = [] if found.state in ("waiting", "running") else _differences(stored, setup, found)
    except InvalidInput:
        pictures, differences = [], []
    return templates.get_template("parts/answers.html").render(
        stored=stored,
        search=found,
        years=YEARS,
        now=figures(stored.tank, now, stored.targets, stored.running) if now else None,
        cost_now=cost_of(stored, now),
        pictures=pictures,
        differences=differences,
        steps=NAMES,
        against=setup.name,
        goal=GOALS[found.wish.goal][0],
        letter=letter,
        curve=draw_trade(found.curve, measure),
        measure=measure,
    )


def _searched(stored: StoredTank, found: Search) -> StoredSetup:
    """The setup that a search began from, or the one in use when that is gone."""
    return next((s for s in stored.setups if s.id == found.setup_id), stored.setup())


def _differences(stored: StoredTank, setup: StoredSetup, found: Search) -> list[Markup]:
    """For each layout what it changes at the rock top; nothing when nothing hangs now."""
    tank, now = stored.lit_tank(), [kept.value for kept in setup.fixtures]
    base = slice_plane(tank, now, "plan", tank.rock_top())
    label = f"PAR of this layout less that of {setup.name}"
    return [
        difference_plan(tank, slice_plane(tank, one.fixtures, "plan", tank.rock_top()), base, width=250, label=label)
        for one in found.found * bool(now)
    ]

"""The page Layout: starting points by rule, the search for a better layout, and its results."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from markupsafe import Markup

from corlume.core.errors import InvalidInput
from corlume.core.judging.intent import SHIMMER_WORDS, SHIMMERS, Intent
from corlume.core.keeping.scene import Setup
from corlume.core.mounting.collisions import find_overlaps
from corlume.formats.measure import Measure
from corlume.formats.round_steps import STEPS
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.judging.judge import figures
from corlume.services.judging.suggested_changes import problems_of, try_change
from corlume.services.keeping import fixture_library, tanks
from corlume.services.keeping.fixture_settings import settings_in_words
from corlume.services.keeping.setups import add_setup
from corlume.services.light.fields import slice_plane
from corlume.services.search import search_jobs
from corlume.services.search.arrangement import arrangement_of
from corlume.services.search.candidate import LEAST_LEVEL, Found
from corlume.services.search.costs import YEARS, five_year_costs
from corlume.services.search.proposal import edge_of
from corlume.services.search.search_jobs import Search
from corlume.services.search.search_request import (
    MEANS,
    WISH_PURPOSES,
    ZONES,
    Means,
    SearchRequest,
    WishPurpose,
    band_for,
    intent_of,
)
from corlume.services.search.search_results import in_order
from corlume.services.search.starting_points import StartingPoint, default_request, starting_points
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.drawing.difference import NAMES, difference_plan
from corlume.web.drawing.trade_off import draw_trade_off
from corlume.web.forms.form import Form
from corlume.web.pages.search.layout_rows import (
    faults_context,
    found_rows,
    graded,
    large_map,
    made_of,
    picture_of,
    render_rows,
    start_rows,
)
from corlume.web.request.page import Db, FormData, RowId, Unit, go, measure_of, page, templates

router = APIRouter(prefix="/tanks/{tank_id}/layout")


@router.get("")
def show_hang(
    request: Request,
    db: Db,
    measure: Unit,
    tank_id: RowId,
    key: Annotated[str, Query(alias="entry")] = "cluster",
    setup: RowId | None = None,
    purpose: WishPurpose | None = None,
    means: Means | None = None,
) -> HTMLResponse:
    """Problems of a setup, starting points, the request, and the latest search."""
    stored = tanks.open_tank(db, tank_id)
    newest = search_jobs.newest(db, tank_id)
    entry = _entry(db, key)
    shown, measured = stored.setup(setup), STEPS[measure.unit]
    wish = default_request(stored, entry, measured, shown.intent)
    if newest and newest.wish.entry == entry.key and newest.setup_id == shown.id:
        wish = newest.wish
    if purpose and purpose != wish.purpose:
        wish = replace(wish, purpose=purpose, band=band_for(stored, purpose))
    wish = replace(wish, means=means or wish.means)
    return _page(request, db, stored, shown, entry, _fields(wish, shown, measure), {}, newest)


@router.post("")
def begin(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData) -> Response:
    """Begin a search."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    setup = _setup(stored, form.text("setup"))
    wish = replace(_read_wish(form, setup), grain=STEPS[measure.unit].grain)
    if wish.purpose == setup.intent.meant(stored.targets.stocking):
        wish = replace(wish, end=setup.intent.end)
    if form.ok:
        form.attempt(lambda: search_jobs.begin(db, tank_id, setup.id, wish))
    if form.errors:
        newest = search_jobs.newest(db, tank_id)
        return _page(request, db, stored, setup, _entry(db, form.text("entry")), form.data, form.errors, newest)
    return go(f"/tanks/{tank_id}/layout?setup={setup.id}&entry={wish.entry}#answers")


@router.get("/start/{number}/map")
def start_map(db: Db, measure: Unit, tank_id: RowId, number: RowId, entry: str = "", setup: str = "") -> HTMLResponse:
    """The large map of a starting point."""
    stored = tanks.open_tank(db, tank_id)
    start = _start(stored, _entry(db, entry), _setup(stored, setup).intent, number, measure)
    return large_map(stored, start.fixtures, start.rule)


@router.get("/{search_id}/adopt/{number}/map")
def found_map(db: Db, measure: Unit, tank_id: RowId, search_id: RowId, number: RowId) -> HTMLResponse:
    """The large map of a result."""
    one = search_jobs.result_of(db, tank_id, search_id, number)
    return large_map(tanks.open_tank(db, tank_id), one.fixtures, made_of(one, measure))


def _start(stored: StoredTank, entry: CatalogueEntry, intent: Intent, number: int, measure: Measure) -> StartingPoint:
    starts = starting_points(stored, entry, intent, STEPS[measure.unit])
    if not 0 <= number < len(starts):
        raise NotFound(f"no starting point {number}")
    return starts[number]


@router.post("/start/{number}")
def adopt_start(db: Db, measure: Unit, tank_id: RowId, number: RowId, data: FormData) -> RedirectResponse:
    """Save a starting point as a new setup and open its PAR map."""
    entry, stored = _entry(db, data.get("entry", "")), tanks.open_tank(db, tank_id)
    intent = _setup(stored, data.get("setup", "")).intent
    start = _start(stored, entry, intent, number, measure)
    setup = Setup(f"{start.name[:50]}: {start.rule}", start.fixtures, intent=intent)
    return go(f"/tanks/{tank_id}/par-map?setup={add_setup(db, tank_id, setup)}")


@router.post("/try/{key}")
def try_it(db: Db, measure: Unit, tank_id: RowId, key: str, setup: RowId) -> RedirectResponse:
    """Save a suggested change as a new setup and open its PAR map."""
    return go(f"/tanks/{tank_id}/par-map?setup={try_change(db, tank_id, setup, key, STEPS[measure.unit])}")


@router.get("/faults")
def faults(request: Request, db: Db, tank_id: RowId, setup: RowId | None = None) -> JSONResponse:
    """Problems of a setup, and the effect of each suggested change; takes a second."""
    stored, measure = tanks.open_tank(db, tank_id), measure_of(request)
    shown = stored.setup(setup)
    found = problems_of(stored, shown.hung, shown.intent, STEPS[measure.unit])
    context = faults_context(db, stored, shown.hung, shown.intent, found) | {
        "name": shown.name,
        "try": f"/tanks/{stored.id}/layout/try/KEY?setup={shown.id}",
        "measure": measure,
    }
    return JSONResponse({"html": templates.get_template("judging/problems.html").render(**context)})


@router.get("/{search_id}")
def watch(request: Request, db: Db, tank_id: RowId, search_id: RowId) -> JSONResponse:
    """Progress of a search, with its results so far."""
    found = _look(db, tank_id, search_id)
    stored = tanks.open_tank(db, tank_id)
    measure = measure_of(request)
    entries, setup = fixture_library.entries(db), _searched(stored, found)
    entry = next((one for one in entries if one.key == found.wish.entry), entries[0])
    starts = starting_points(stored, entry, setup.intent, STEPS[measure.unit])
    by_rule = start_rows(stored, setup, entry, starts, entries, found.wish)
    rows = render_rows(stored, found_rows(stored, setup, found, entries, by_rule, measure), measure)
    return JSONResponse(
        {
            "state": found.state,
            "done": found.done,
            "rows": rows,
            "curve": _curve(found, measure),
            "answers": _answers(stored, found, measure, entries),
        }
    )


@router.post("/{search_id}/stop")
def stop(db: Db, tank_id: RowId, search_id: RowId) -> RedirectResponse:
    """Stop a search; its results stay."""
    search_jobs.stop(db, tank_id, search_id)
    stopped = _look(db, tank_id, search_id)
    setup = _searched(tanks.open_tank(db, tank_id), stopped)
    return go(f"/tanks/{tank_id}/layout?setup={setup.id}&entry={stopped.wish.entry}#answers")


@router.post("/{search_id}/resume")
def resume(db: Db, tank_id: RowId, search_id: RowId) -> RedirectResponse:
    """Resume a search that a restart cut off."""
    search_jobs.resume(db, tank_id, search_id)
    found = _look(db, tank_id, search_id)
    setup = _searched(tanks.open_tank(db, tank_id), found)
    return go(f"/tanks/{tank_id}/layout?setup={setup.id}&entry={found.wish.entry}#answers")


@router.post("/{search_id}/adopt/{number}")
def adopt(db: Db, tank_id: RowId, search_id: RowId, number: RowId) -> RedirectResponse:
    """Save a layout as a new setup and open its PAR map."""
    return go(f"/tanks/{tank_id}/par-map?setup={search_jobs.adopt(db, tank_id, search_id, number)}")


def _look(db: Database, tank_id: int, search_id: int) -> Search:
    """A search for a layout; ``NotFound`` otherwise, and for a comparison of light types, which has its own page."""
    found = search_jobs.look(db, tank_id, search_id)
    if found.wish.means not in MEANS:
        raise NotFound(f"search {search_id} is none for a layout")
    return found


FOLDED = {
    "mounts",
    "count_low",
    "count_high",
    "band_low",
    "band_high",
    "watts",
    "money",
    "zones",
    "groups",
    "arm",
    "shimmer",
}
"""What of the wish is folded away while nothing is wrong with it."""


def _setup(stored: StoredTank, chosen: str) -> StoredSetup:
    """The setup of a form's field, or the one in use."""
    return stored.setup(int(chosen) if re.fullmatch(r"[0-9]{1,18}", chosen) else None)


def _entry(db: Database, key: str) -> CatalogueEntry:
    entries = fixture_library.entries(db)
    return next((entry for entry in entries if entry.key == key), entries[0])


def _fields(wish: SearchRequest, setup: StoredSetup, measure: Measure) -> dict[str, str]:
    return {
        "entry": wish.entry,
        "purpose": wish.purpose,
        "means": wish.means,
        "groups": wish.groups,
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
        "arm": measure.number(wish.arm) if wish.arm else "",
        "shimmer": wish.shimmer,
    } | {f"mount-{kept.id}": "on" for kept in setup.mounts if kept.value.name in wish.mounts}


def _read_wish(form: Form, setup: StoredSetup) -> SearchRequest:
    counts = [form.number(f"count_{end}") for end in ("low", "high")]
    for end, number in zip(("low", "high"), counts, strict=True):
        if number == number and number != int(number):
            form.errors.setdefault(f"count_{end}", "must be a whole number")
    heights = [form.length(f"height_{end}") for end in ("low", "high")]
    band = [form.number(f"band_{end}") for end in ("low", "high")]
    least, most = (0 if n != n else int(min(n, 99)) for n in counts)
    watts, money = (form.number(name) if form.text(name) else 0.0 for name in ("watts", "money"))
    arm = form.length("arm") if form.text("arm") else 0.0
    purpose: Any = form.text("purpose")
    zones: Any = form.text("zones") or "each"
    means: Any = form.text("means") or "new"
    shimmer: Any = form.text("shimmer") or "any"
    return SearchRequest(
        form.text("entry"), purpose, (least, most), (heights[0], heights[1]), (band[0], band[1]),
        form.text("symmetric") == "on", zones, form.text("beside") == "on", watts, money, means,
        form.text("groups"), arm=arm, shimmer=shimmer, mounts=_read_mounts(form, setup),
    )  # fmt: skip


def _read_mounts(form: Form, setup: StoredSetup) -> tuple[str, ...]:
    """Names of the mounts that are ticked; none where lights may hang anywhere."""
    return tuple(kept.value.name for kept in setup.mounts if form.text(f"mount-{kept.id}") == "on")


def _page(
    request: Request,
    db: Database,
    stored: StoredTank,
    setup: StoredSetup,
    entry: CatalogueEntry,
    values: dict[str, str],
    errors: dict[str, str],
    newest: Search | None,
) -> HTMLResponse:
    measure = measure_of(request)
    starts, entries = starting_points(stored, entry, setup.intent, STEPS[measure.unit]), fixture_library.entries(db)
    wish = newest.wish if newest else default_request(stored, entry, STEPS[measure.unit], setup.intent)
    by_rule = start_rows(stored, setup, entry, starts, entries, wish)
    fresh = newest is not None and newest.setup_id == setup.id and newest.wish.entry == entry.key
    context = {
        "stored": stored,
        "setup": setup,
        "entry": entry,
        "stale": newest is not None and not search_jobs.still_true(stored, newest),
        "begin": not errors and not (fresh and newest and search_jobs.still_true(stored, newest)),
        "entries": entries,
        "purposes": [(key, name, *band_for(stored, key)) for key, (name, _) in WISH_PURPOSES.items()],
        "means": [(key, name) for key, (name, _) in MEANS.items()],
        "meanings": [*WISH_PURPOSES.values(), *MEANS.values()],
        "count_hint": "along the tank" if arrangement_of(stored.tank, entry.parts).along == "x" else "side by side",
        "zones": list(ZONES.items()),
        "shimmers": list(SHIMMERS.items()),
        "top": setup.intent.top(stored.targets),
        "conflicts": find_overlaps(stored.tank, setup.hung, stored.surroundings),
        "values": values,
        "errors": errors,
        "limits": _limits(values, stored.running.currency),
        "folded": not FOLDED & set(errors),
        "starts": render_rows(stored, by_rule, measure),
        "first_height": min((f.emitter.height for f in starts[0].fixtures), default=0.0) if starts else 0.0,
        "search": newest,
        "rows": render_rows(stored, found_rows(stored, setup, newest, entries, by_rule, measure), measure)
        if newest
        else "",
        "curve": _curve(newest, measure) if newest else "",
        "answers": _answers(stored, newest, measure, entries) if newest else "",
    }
    return page(request, "search/layout.html", context, tank=stored, setup=setup, status=422 if errors else 200)


def _limits(values: dict[str, str], currency: str) -> str:
    """The folded limits in one line."""
    said = [
        f"{values.get('count_low', '')} to {values.get('count_high', '')}",
        f"{values.get('band_low', '')} to {values.get('band_high', '')} PAR",
        f"up to {values['watts']} W" if values.get("watts") else "any power",
        f"up to {values['money']} {currency}" if values.get("money") else "any price",
    ]
    said += [f"on an arm, {values['arm']} from the back"] if values.get("arm") else []
    said += ["only on mounts"] if any(name.startswith("mount-") for name in values) else []
    said += [words for key, words in SHIMMER_WORDS.items() if words and values.get("shimmer") == key]
    said += ["mirror images"] * bool(values.get("symmetric")) + ["with the present fixtures"] * bool(
        values.get("beside")
    )
    return ", ".join(said)


def _answers(stored: StoredTank, found: Search, measure: Measure, entries: Sequence[CatalogueEntry]) -> str:
    """Results of a search, compared with the setup that it began from."""
    setup = _searched(stored, found)
    now, intent = setup.hung, intent_of(stored, found.wish)
    settled = found.state not in ("waiting", "running")
    shown = list(enumerate(found.found))
    try:
        # they take a moment each: not while the search runs
        answers = in_order(stored, found.wish, found.found, entries, setup.hung) if settled else []
        shown = [(one.number, one.found) for one in answers] or shown
        pictures = [picture_of(stored, one.fixtures, zones=found.wish.purpose == "zones") for _, one in shown]
        differences = _differences(stored, setup, [one for _, one in shown]) if settled else []
    except InvalidInput:
        answers, pictures, differences = [], [], []
    return templates.get_template("search/results.html").render(
        stored=stored,
        search=found,
        years=YEARS,
        now=figures(stored, now, intent) if now else None,
        shown=shown,
        grades=[graded(stored, one.figures, intent) for _, one in shown],
        does=[one.proposal for one in answers],
        settings=[settings_in_words(one.fixtures) for _, one in shown],
        cost_now=five_year_costs(stored, now, entries).total,
        edge_now=edge_of(stored, now),
        pictures=pictures,
        differences=differences,
        steps=NAMES,
        against=setup.name,
        purpose=WISH_PURPOSES[found.wish.purpose][0],
        means=MEANS[found.wish.means][0],
        least=LEAST_LEVEL,
        measure=measure,
    )


def _curve(found: Search, measure: Measure) -> str:
    """The trade-off of height, drawn as a curve to move along."""
    points = [
        {
            "height": measure.number(height),
            "words": f"{measure.length(height)}: uniformity {100 * even:.0f} %, {par:.0f} PAR by 100 W",
        }
        for height, even, par in found.curve
        if even == even
    ]
    told = [(height, even) for height, even, _ in sorted(found.curve) if even == even]
    gain = told[-1][1] - told[0][1] if len(told) > 1 else 0.0
    return templates.get_template("search/trade_off.html").render(
        drawn=draw_trade_off(found.curve, measure), points=points, gain=gain
    )


def _searched(stored: StoredTank, found: Search) -> StoredSetup:
    """Setup that a search began from, or the one in use when that is gone."""
    return next((s for s in stored.setups if s.id == found.setup_id), stored.setup())


def _differences(stored: StoredTank, setup: StoredSetup, found: Sequence[Found]) -> list[Markup]:
    """Change of the PAR map at the rock top by each layout; none when nothing hangs now."""
    tank, now = stored.lit_tank(), setup.hung
    base = slice_plane(tank, now, "plan", tank.rock_top())
    label = f"PAR of this layout less that of {setup.name}"
    return [
        difference_plan(tank, slice_plane(tank, one.fixtures, "plan", tank.rock_top()), base, width=250, label=label)
        for one in found
        if now
    ]

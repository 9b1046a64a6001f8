"""Light types on the keeper's own tank: each at its best, ranked by the keeper's weights."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from corlume.core.errors import InvalidInput
from corlume.core.judging.intent import SHIMMER_WORDS
from corlume.core.judging.ranking import CRITERIA, MOST_WEIGHT, SHIMMER_WEIGHTS, USUAL
from corlume.core.judging.verdicts import VerdictCase
from corlume.formats.round_steps import STEPS
from corlume.reference.catalogue import told_of_hybrids
from corlume.services.judging.judge import verdicts_of_case
from corlume.services.keeping import fixture_library, tanks
from corlume.services.keeping.fixture_settings import settings_in_words
from corlume.services.light.fields import slice_plane
from corlume.services.light.points import same_tank
from corlume.services.placement.zone_placement import coral_change
from corlume.services.search import light_type_ranking, search_jobs
from corlume.services.search.costs import YEARS
from corlume.services.search.fixture_comparison import MOST_SIDE, ComparedFixture, compare_fixtures
from corlume.services.search.light_type_ranking import LightTypeOption
from corlume.services.search.light_types import light_types_for, light_types_request
from corlume.services.search.search_jobs import Search
from corlume.store.tables import Kept, NotFound
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.drawing.difference import NAMES, difference_plan
from corlume.web.drawing.tank_card import draw_card
from corlume.web.request.page import Db, Looked, RowId, Unit, go, page, templates

router = APIRouter(prefix="/tanks/{tank_id}/light-types")
WEIGHTS = "weights"
"""The cookie that keeps a keeper's weights on this device: a digit for each criterion."""
JUDGED = (
    ("coverage", "In range", "Share of target places in range."),
    ("uniformity", "Uniformity (min, P10)",
     "Min and P10 at rock-top height over the mean; grade: our estimate."),
    ("ends", "Ends vs centre", "The weaker end over the centre; aim for 75 % (common practice)."),
    ("spread", "Spread",
     "Eight of ten readings are within this of each other; aim for 100 PAR for SPS (common practice)."),
    ("hottest", "Hottest point", "At or below the rock top."),
    ("spill", "Spill", "Light that misses the opening."),
)  # fmt: skip
"""Verdicts that are shown for each kind, with what they say."""


@router.get("")
def show_kinds(
    request: Request, db: Db, measure: Unit, tank_id: RowId, setup: Looked = None, usable: bool = False
) -> HTMLResponse:
    """Every light type at its best over the tank, ranked."""
    stored = tanks.open_tank(db, tank_id)
    looked = stored.setup(setup)
    wish = light_types_request(stored, looked, usable=usable, steps=STEPS[measure.unit])
    search = search_jobs.newest_of(db, tank_id, wish)
    weights = _weights(request, looked)
    context = {
        "stored": stored,
        "search": search,
        "usable": usable,
        "kinds": light_types_for(stored.tank),
        "weights": weights,
        "criteria": CRITERIA,
        "most": MOST_WEIGHT,
        "schools": told_of_hybrids()["schools"],
        "band": wish.band,
        "shimmer": SHIMMER_WORDS[looked.intent.shimmer],
        **_parts(stored, looked, search, weights, measure),
    }
    return page(request, "search/light_types.html", context, tank=stored, setup=looked)


@router.post("")
def begin(db: Db, measure: Unit, tank_id: RowId, setup: Looked = None, usable: bool = False) -> RedirectResponse:
    """Begin to search every light type, unless that is done for the tank as it is."""
    stored = tanks.open_tank(db, tank_id)
    looked = stored.setup(setup)
    wish = light_types_request(stored, looked, usable=usable, steps=STEPS[measure.unit])
    if search_jobs.newest_of(db, tank_id, wish) is None:
        search_jobs.begin(db, tank_id, looked.id, wish)
    return go(f"/tanks/{tank_id}/light-types{'?usable=1' if usable else ''}", setup)


@router.get("/{search_id}/answers")
def answers(
    request: Request, db: Db, measure: Unit, tank_id: RowId, search_id: RowId, setup: Looked = None, w: str = "",
    table: bool = True,
) -> JSONResponse:  # fmt: skip
    """Progress of a comparison, its ranking by some weights, and its table if asked for."""
    stored = tanks.open_tank(db, tank_id)
    looked, search = stored.setup(setup), search_jobs.look(db, tank_id, search_id)
    weights = _read(w) or _weights(request, looked)
    parts = _parts(stored, looked, search, weights, measure, table=table)
    answer = JSONResponse({"state": search.state, "done": search.done, **parts})
    if any(weights.values()) and weights != _weights(request, looked):
        answer.set_cookie(WEIGHTS, _written(weights), max_age=10 * 365 * 86400, httponly=True, samesite="strict")
    return answer


@router.get("/fixtures")
def show_shelf_side(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """Choose up to six fixtures of the library to compare over this tank."""
    stored = tanks.open_tank(db, tank_id)
    ticked = request.query_params.getlist("entry")[:99]
    context = {
        "stored": stored,
        "entries": fixture_library.entries(db),
        "ticked": ticked or ["cluster", "cluster-large"],
        "asked": "&".join(f"entry={quote(key)}" for key in ticked),
        "most": MOST_SIDE,
    }
    return page(request, "search/library_fixtures.html", context, tank=stored, setup=stored.setup(setup))


@router.get("/fixtures/beside")
def shelf_beside(request: Request, db: Db, measure: Unit, tank_id: RowId, setup: Looked = None) -> JSONResponse:
    """The comparison, which takes a second or two per fixture."""
    stored, ticked = tanks.open_tank(db, tank_id), request.query_params.getlist("entry")
    chosen = [entry for entry in fixture_library.entries(db) if entry.key in ticked]
    wrong, rows = "", list[ComparedFixture]()
    try:
        rows = compare_fixtures(stored, stored.setup(setup), chosen, STEPS[measure.unit])
    except InvalidInput as error:
        wrong = f"Fixtures {measure.message(error.errors[0])}."
    html = templates.get_template("search/fixture_comparison.html").render(
        rows=rows, wrong=wrong, stored=stored, measure=measure
    )
    return JSONResponse({"html": html})


@router.post("/{search_id}/adopt/{key}")
def adopt(db: Db, tank_id: RowId, search_id: RowId, key: str) -> RedirectResponse:
    """Save one light type as a new setup and open its PAR map."""
    return go(f"/tanks/{tank_id}/par-map", light_type_ranking.adopt(db, tank_id, search_id, key))


@router.get("/{search_id}/side")
def side(
    request: Request, db: Db, tank_id: RowId, search_id: RowId, a: str = "", b: str = "", setup: Looked = None
) -> Response:
    """PAR maps of two light types beside each other."""
    stored = tanks.open_tank(db, tank_id)
    search = search_jobs.look(db, tank_id, search_id)
    options = light_type_ranking.options_of(stored, search)
    if len(options) < 2:
        raise NotFound("fewer than two light types were found")
    first = next((one for one in options if one.key == a), options[0])
    second = next((one for one in options if one.key == b and one is not first), options[options[0] is first])
    tank = same_tank(stored.lit_tank())
    planes = [slice_plane(tank, one.fixtures, "plan", tank.rock_top()) for one in (first, second)]
    label = f"PAR of {second.name} less that of {first.name}"
    context = {
        "stored": stored,
        "search": search,
        "options": options,
        "pair": (first, second),
        "pictures": [draw_card(_alone(stored, one)) for one in (first, second)],
        "difference": difference_plan(tank, planes[1], planes[0], width=560, label=label),
        "differences": NAMES,
        "bands": stored.targets.bands(),
        "depth": tank.rock_top(),
    }
    return page(request, "search/side_by_side.html", context, tank=stored, setup=stored.setup(setup))


def _alone(stored: StoredTank, option: LightTypeOption) -> StoredTank:
    """The tank under one light type alone."""
    fixtures = tuple(Kept(k, fixture) for k, fixture in enumerate(option.fixtures))
    return replace(stored, setups=(StoredSetup(0, option.name, True, fixtures),))


def _parts(
    stored: StoredTank, looked: StoredSetup, search: Search | None, weights: dict[str, int], measure: Any, *,
    table: bool = True,
) -> dict[str, str]:  # fmt: skip
    """Changing parts of the page: the ranking, and the table."""
    options = light_type_ranking.options_of(stored, search) if search else []
    ranking, wrong = None, ""
    try:
        ranking = light_type_ranking.order(options, weights) if options else None
    except InvalidInput as error:
        wrong = f"The weights {measure.message(error.errors[0])}."
    places = {place.candidate.key: k for k, place in enumerate(ranking.places)} if ranking else {}
    options.sort(key=lambda one: places.get(one.key, 0))
    common = {"stored": stored, "search": search, "ranking": ranking, "wrong": wrong, "criteria": CRITERIA,
              "measure": measure, "looked": looked, "against": _against(weights, looked)}  # fmt: skip
    parts = {"order": templates.get_template("search/light_type_ranking.html").render(**common, options=options)}
    if table and options:
        judged = {one.key: replace(one.figures, shimmer=one.fluctuation) for one in options}
        cases = {key: VerdictCase(figures, stored.targets, looked.intent) for key, figures in judged.items()}
        parts["table"] = templates.get_template("search/light_type_table.html").render(
            **common,
            options=options,
            pictures={one.key: draw_card(_alone(stored, one), small=True) for one in options},
            judged=JUDGED,
            grades={key: {v.key: v for v in verdicts_of_case(stored, case)} for key, case in cases.items()},
            changes={one.key: coral_change(stored, one.fixtures) for one in options},
            years=YEARS,
            scores={place.candidate.key: place.total for place in ranking.places} if ranking else {},
            low=any(one.figures.low_places == one.figures.low_places for one in options),
            settings={one.key: settings_in_words(one.fixtures) for one in options},
        )
    return parts


def _weights(request: Request, looked: StoredSetup) -> dict[str, int]:
    """The keeper's weights, or the defaults; shimmer as the setup's goal has it, until one is moved."""
    return _read(request.cookies.get(WEIGHTS, "")) or USUAL | SHIMMER_WEIGHTS[looked.intent.shimmer]


def _against(weights: dict[str, int], looked: StoredSetup) -> bool:
    """Whether the weights want the opposite of the setup's goal for shimmer."""
    wanted = weights["shimmer"] - weights["calm"]
    return wanted * {"liked": 1, "any": 0, "calm": -1}[looked.intent.shimmer] < 0


def _read(text: str) -> dict[str, int] | None:
    """Weights from one digit per criterion, or None when they cannot be read."""
    if not re.fullmatch(rf"[0-{MOST_WEIGHT}]{{{len(CRITERIA)}}}", text):
        return None
    return dict(zip(CRITERIA, map(int, text), strict=True))


def _written(weights: dict[str, int]) -> str:
    return "".join(str(weights[key]) for key in CRITERIA)

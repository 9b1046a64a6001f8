"""An own fixture from its watts and technology, a few readings, or a PAR grid."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, Response
from markupsafe import Markup

from corlume.core.keeping.own_fixture import OwnFixture
from corlume.core.light.beam_optics import optics_for
from corlume.core.light.fixture import Fixture
from corlume.core.light.technology import TECHNOLOGIES
from corlume.core.survey.fixture_estimate import usual_emitter
from corlume.formats.file_faults import BadFile
from corlume.formats.par_grid import read_grid, read_points
from corlume.reference.catalogue import colours_for
from corlume.reference.spectrum_tables import weightings
from corlume.services.keeping import fixture_library
from corlume.services.keeping.own_fixture_fit import (
    COLOUR_WORDS,
    FRONT_WORDS,
    EnteredFixture,
    FittedFixture,
    flux_range,
    from_readings,
    from_watts,
    grid_places,
)
from corlume.web.drawing.beam_optics import draw_front
from corlume.web.drawing.spectrum import draw_colours
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.pages.keeping.fixture_library import sheet_of
from corlume.web.request.page import Db, FormData, Unit, measure_of, page

router = APIRouter(prefix="/fixtures/fit")
MODES = {"watts": "Watts only", "points": "A few readings", "grid": "A grid of PAR"}
FIRST = EnteredFixture("My fixture", "led_cluster")


@router.get("")
def show_form(request: Request) -> HTMLResponse:
    """Form for what the keeper knows of the fixture."""
    return _form(request, shown_values(FIRST, measure_of(request)), {})


@router.get("/flux")
def show_flux(measure: Unit, technology: str = "", watts: str = "", age: str = "") -> JSONResponse:
    """Range of photon flux of a technology at the typed watts, in words; empty while they cannot be read."""
    form = Form({"name": "it", "technology": technology, "watts": watts, "age": age}, measure)
    told = form.read(EnteredFixture)
    if told is None:
        return JSONResponse({"words": ""})
    low, usual, high = flux_range(told.technology, told.watts, told.age)
    words = f"{told.watts:g} W of this technology give {low:.0f} to {high:.0f} µmol/s, usually about {usual:.0f}"
    return JSONResponse({"words": words})


@router.post("")
def fit(request: Request, db: Db, measure: Unit, data: FormData) -> Response:
    """Fit the fixture, and show the fit beside the readings before it is saved."""
    form = Form(data, measure)
    mode, text = form.text("mode") or "watts", data.get("readings", "")
    form.asked.add("readings")
    told, faults, fitted = form.read(EnteredFixture), list[str](), None
    if mode not in MODES:
        form.errors["mode"] = "is not one of those offered"
    if told and form.ok and mode != "watts":
        try:
            if mode == "grid":
                flat, par = read_grid(text, across=told.across, deep=told.deep)
                places = grid_places(flat, told.depth)
            else:
                places, par = read_points(text, measure)
            fitted = form.attempt(lambda: from_readings(told, places, par))
        except BadFile as error:
            faults = [str(fault) for fault in error.faults]
    if told is None or form.errors or faults:
        return _form(request, data, form.errors, faults, form)
    brought = fitted.brought if fitted else from_watts(told)
    return _preview(request, brought, fixture_library.keep_draft(db, brought), fitted)


def _form(
    request: Request, values: dict[str, str], errors: dict[str, str], faults: list[str] | None = None,
    wrong: Form | None = None,
) -> HTMLResponse:  # fmt: skip
    context = {
        "fields": asked(EnteredFixture, values, errors, measure_of(request)),
        "kind": values.get("technology", FIRST.technology),
        "fronts": _fronts(),
        "colours": _colours(),
        "words": {"front": FRONT_WORDS[""], "colours": COLOUR_WORDS[""]},
        "chosen": {name: values.get(name, "") for name in ("front", "colours")},
        "mode": values.get("mode", "watts"),
        "modes": MODES,
        "readings": values.get("readings", ""),
        "faults": [*(faults or []), *([errors["readings"]] if "readings" in errors else [])],
        "wrong": wrong,
    }
    bad = bool(faults or errors)
    return page(request, "keeping/own_fixture_fit.html", context | _steps(request), status=422 if bad else 200)


@cache
def _fronts() -> list[tuple[str, str, list[str], Markup]]:
    """Lenses and reflectors by key: their words, the technologies they fit, and a picture."""
    found: dict[str, tuple[str, list[str], Markup]] = {}
    for kind in TECHNOLOGIES:
        face = usual_emitter(kind, 1.0)
        for key, front in optics_for(face).items():
            picture = draw_front(front, reflector=not face.made_by.lensed)
            found.setdefault(key, (front.words, [], picture))[1].append(kind)
    return [(key, *rest) for key, rest in found.items()]


@cache
def _colours() -> list[tuple[str, str, list[str], Markup]]:
    """Colours by key: their name, the technologies that have them, and a picture."""
    found: dict[str, tuple[str, list[str], Markup]] = {}
    for kind in TECHNOLOGIES:
        for key, colours in colours_for(kind).items():
            found.setdefault(key, (colours.name, [], draw_colours(colours.channels)))[1].append(kind)
    return [(key, *rest) for key, rest in found.items()]


def _steps(request: Request) -> dict[str, Any]:
    return {"steps": fixture_library.steps(request.app.state.database), "scope": "/fixtures"}


def _preview(
    request: Request, brought: fixture_library.ImportedFixture, draft: int, fitted: FittedFixture | None
) -> HTMLResponse:
    measure = measure_of(request)
    rows = []
    if fitted:
        for place, par, fit_par in zip(fitted.places, fitted.par, fitted.fit.predicted, strict=True):
            rows.append((*map(float, place), float(par), fit_par, 100 * (float(par) / fit_par - 1)))
    values = {"name": brought.fixture.name}
    context = {
        "sheets": [sheet_of(brought.fixture)],
        "brought": brought,
        "draft": draft,
        "fixture_form": asked(Fixture, values, {}, measure),
        "own_form": asked(OwnFixture, {}, {}, measure),
        "wrong": None,
        "probe_depth": fixture_library.PROBE_DEPTH,
        "weightings": weightings(),
        "fitted": fitted,
        "rows": rows,
        "degrees": float(np.degrees(1.0)),
    }
    return page(request, "keeping/import_fixture.html", context | _steps(request))

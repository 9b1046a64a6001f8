"""A fixture for the shelf from what the keeper has: watts and kind, a few readings, or a grid of PAR."""

from __future__ import annotations

from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.fixture import Fixture
from corlume.core.own_fixture import OwnFixture
from corlume.formats.faults import BadFile
from corlume.formats.par_grid import read_grid, read_points
from corlume.reference.spectra import weightings
from corlume.services.keeping import shelf
from corlume.services.keeping.fixture_fit import Fitted, Told, from_readings, from_watts, grid_places
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.page import Db, FormData, Unit, measure_of, page
from corlume.web.pages.shelf import sheet_of

router = APIRouter(prefix="/shelf/fit")
MODES = {"watts": "Watts and kind alone", "points": "A few readings", "grid": "A grid of PAR"}
FIRST = Told("My fixture", "led_cluster")


@router.get("")
def show_form(request: Request) -> HTMLResponse:
    """What is known of the fixture."""
    return _form(request, shown_values(FIRST, measure_of(request)), {})


@router.post("")
def fit(request: Request, db: Db, measure: Unit, data: FormData) -> Response:
    """Fit it, and show the fit beside the readings before anything is kept."""
    form = Form(data, measure)
    mode, text = form.text("mode") or "watts", data.get("readings", "")
    form.asked.add("readings")
    told, faults, fitted = form.read(Told), list[str](), None
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
    return _preview(request, brought, shelf.keep_draft(db, brought), fitted)


def _form(
    request: Request, values: dict[str, str], errors: dict[str, str], faults: list[str] | None = None,
    wrong: Form | None = None,
) -> HTMLResponse:  # fmt: skip
    context = {
        "fields": asked(Told, values, errors, measure_of(request)),
        "mode": values.get("mode", "watts"),
        "modes": MODES,
        "readings": values.get("readings", ""),
        "faults": [*(faults or []), *([errors["readings"]] if "readings" in errors else [])],
        "wrong": wrong,
    }
    bad = bool(faults or errors)
    return page(request, "shelf/fit.html", context | _steps(request), status=422 if bad else 200)


def _steps(request: Request) -> dict[str, Any]:
    return {"steps": shelf.steps(request.app.state.database), "scope": "/shelf"}


def _preview(request: Request, brought: shelf.Brought, draft: int, fitted: Fitted | None) -> HTMLResponse:
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
        "probe_depth": shelf.PROBE_DEPTH,
        "weightings": weightings(),
        "fitted": fitted,
        "rows": rows,
        "degrees": float(np.degrees(1.0)),
    }
    return page(request, "shelf/import.html", context | _steps(request))

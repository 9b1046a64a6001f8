"""What all pages share: the database, the keeper's preferences, templates, error answers."""

from __future__ import annotations

import math
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any, cast

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from fastapi.templating import Jinja2Templates

from corlume import __version__
from corlume.formats.measure import LengthUnit, Measure
from corlume.services import tanks
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

HERE = Path(__file__).parent
templates = Jinja2Templates(directory=HERE / "templates")
templates.env.globals["version"] = __version__
templates.env.trim_blocks = templates.env.lstrip_blocks = True


def _signed(change: float) -> str:
    """A whole number with its sign, or 0; nothing when it is not a number."""
    return "" if math.isnan(change) else f"{round(change):+,d}" if round(change) else "0"


def _whole(value: float, unit: str = "") -> str:
    """A whole number with its unit, or words when there is no reading to tell it from."""
    return "no reading" if math.isnan(value) else f"{value:,.0f}{' ' * bool(unit)}{unit}"


templates.env.filters |= {"signed": _signed, "whole": _whole}


def database(request: Request) -> Database:
    """The database of this application."""
    return cast(Database, request.app.state.database)


def measure_of(request: Request) -> Measure:
    """The keeper's unit of length, from a cookie of this device."""
    unit = request.cookies.get("unit", "cm")
    return Measure(cast(LengthUnit, unit if unit in ("cm", "in") else "cm"))


async def form_data(request: Request) -> dict[str, str]:
    """The texts of a submitted form."""
    async with request.form(max_files=1, max_fields=200) as form:
        return {key: value for key, value in form.items() if isinstance(value, str)}


Db = Annotated[Database, Depends(database)]
Unit = Annotated[Measure, Depends(measure_of)]
FormData = Annotated[dict[str, str], Depends(form_data)]


def page(
    request: Request, name: str, context: Mapping[str, Any], *, tank: StoredTank | None = None, status: int = 200
) -> HTMLResponse:
    """Render a page with what every page needs."""
    db = database(request)
    common = {
        "measure": measure_of(request),
        "theme": "night" if request.cookies.get("theme") == "night" else "day",
        "steps": tanks.steps(db, tank.id if tank else None),
        "tank_of_page": tank,
        "here": request.url.path + (f"?{request.url.query}" if request.url.query else ""),
    }
    return templates.TemplateResponse(request, name, {**common, **context}, status_code=status)


def error_page(request: Request, status: int, title: str, text: str) -> Response:
    """A page of our own for what went wrong."""
    return page(request, "error.html", {"title": title, "text": text}, status=status)


def go(path: str) -> RedirectResponse:
    """Send the browser on after a post; only to pages of ours."""
    local = path.startswith("/") and not path.startswith("//") and "\\" not in path
    return RedirectResponse(path if local else "/tanks", status_code=303)

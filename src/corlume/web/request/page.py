"""What all pages share: the database, the keeper's preferences, templates, error answers."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Annotated, Any, cast

from fastapi import Depends, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from fastapi.templating import Jinja2Templates
from jinja2.filters import do_format
from markupsafe import Markup
from pydantic import Field

from corlume import __version__
from corlume.core.keeping.scene import Scene
from corlume.core.message_text import signed
from corlume.core.mounting.tape_measure import Tape, tape_of
from corlume.core.schema import most_of
from corlume.formats.measure import LengthUnit, Measure, trim
from corlume.reference.catalogue import terms
from corlume.services.flow.tank_flow import solved_flow
from corlume.services.keeping import tanks
from corlume.store.database import Database
from corlume.store.tanks import StoredSetup, StoredTank, Unreadable
from corlume.web.forms.form import Sent
from corlume.web.request.assets import asset, script
from corlume.web.request.request_guard import MAX_BODY

HERE = Path(__file__).parent.parent
templates = Jinja2Templates(directory=HERE / "templates")


def basis(words: str) -> Markup:
    """A tag that says what a figure rests on, and opens what that means: common practice, our estimate, published."""
    key = words.lower().replace(" ", "-")
    return Markup('<button type="button" class="word basis" popovertarget="term-{}">{}</button>').format(key, words)


templates.env.globals |= {"version": __version__, "asset": asset, "script": script, "terms": terms, "basis": basis}
templates.env.globals["flow_is_solved"] = lambda stored: solved_flow(stored) is not None
templates.env.globals["today"] = lambda: date.today().isoformat()
templates.env.trim_blocks = templates.env.lstrip_blocks = True


def _whole(value: float, unit: str = "") -> str:
    """A whole number with its unit, or words when there is no reading."""
    return "no reading" if math.isnan(value) else f"{value:,.0f}{' ' * bool(unit)}{unit}"


def _trim1(value: float) -> str:
    """A number to one decimal, trimmed."""
    return trim(value, 1)


def _format(text: str, *values: Any) -> str:
    """Format as ``%`` does, and never print "-0"."""
    found: str = do_format(text, *values)
    return _MINUS_NOTHING.sub("", found)


_MINUS_NOTHING = re.compile(r"(?<![\w.])-(?=0(?:\.0+)?(?![\d.]))")
templates.env.filters |= {"signed": signed, "whole": _whole, "trim1": _trim1, "format": _format}


def database(request: Request) -> Database:
    """The database of this application."""
    return cast(Database, request.app.state.database)


def measure_of(request: Request) -> Measure:
    """The keeper's unit of length, from this device's cookie."""
    unit = request.cookies.get("unit", "cm")
    return Measure(cast(LengthUnit, unit if unit in ("cm", "in") else "cm"))


def tape_of_device(request: Request) -> Tape:
    """Tape setting of this device, from its cookie."""
    return tape_of(request.cookies.get("tape", ""))


def narrow_of(request: Request) -> bool:
    """Whether this device has a phone's screen, from the cookie that its page sets."""
    return request.cookies.get("screen") == "narrow"


async def form_data(request: Request) -> Sent:
    """Texts of a submitted form; of a field sent twice the last counts, and a difference is noted."""
    return (await _sent(request, files=0))[0]


MOST_FIELDS = 4 * most_of(Scene, "corals")
"""Fields of a form at most: a plan has one a coral."""


async def _sent(request: Request, files: int) -> tuple[Sent, dict[str, bytes]]:
    try:
        async with request.form(max_files=files, max_fields=MOST_FIELDS, max_part_size=MAX_BODY) as form:
            texts = Sent((key, value) for key, value in form.multi_items() if isinstance(value, str))
            # a box that is not ticked sends the nothing that lies before it
            texts.twice = {
                key: (value, texts[key])
                for key, value in form.multi_items()
                if isinstance(value, str) and value and value != texts[key]
            }
            uploads = {key: await value.read() for key, value in form.items() if not isinstance(value, str)}
    except HTTPException as error:
        raise HTTPException(400, "The form was cut off on its way, or holds more than it may.") from error
    except (LookupError, ValueError) as error:  # a set of characters that there is not, or bytes that are none of it
        raise HTTPException(400, "The form came in characters that cannot be read.") from error
    return texts, uploads


@dataclass(frozen=True, slots=True)
class Upload:
    """A form with files, read as it arrives, so that its processing holds nobody else up."""

    texts: Sent
    files: dict[str, bytes]


async def uploaded(request: Request) -> Upload:
    """Texts and files of a submitted form."""
    return Upload(*await _sent(request, files=2))


def _at_once(read: Callable[[Request], object]) -> Any:
    """Dependency that reads a request in the event loop: a hop to a thread and back costs more than it does."""

    async def depend(request: Request) -> object:
        return read(request)

    return Depends(depend)


Db = Annotated[Database, _at_once(database)]
Unit = Annotated[Measure, _at_once(measure_of)]
TapeRead = Annotated[Tape, _at_once(tape_of_device)]
Narrow = Annotated[bool, _at_once(narrow_of)]
FormData = Annotated[Sent, Depends(form_data)]
Files = Annotated[Upload, Depends(uploaded)]
RowId = Annotated[int, Field(ge=0, le=2**63 - 1)]
"""An id of the database, whose numbers end there."""
Looked = Annotated[RowId | None, Query(alias="setup")]
"""Setup shown on the page; defaults to the one in use."""


def along(path: str, setup_id: int | None) -> str:
    """A path that keeps the shown setup; without one, the setup in use is meant."""
    if setup_id is None:
        return path
    path, mark, place = path.partition("#")
    return f"{path}{'&' if '?' in path else '?'}setup={setup_id}{mark}{place}"


def _looked_at(request: Request, tank: StoredTank) -> StoredSetup:
    """The setup of an address, or the one in use where it names none of the tank."""
    text = request.query_params.get("setup", "")
    return next((one for one in tank.setups if str(one.id) == text), tank.setup())


OWN_STEPS = {"steps"}
"""What a page may give itself in place of that of all pages: the library's undo."""


def page(
    request: Request,
    name: str,
    context: Mapping[str, Any],
    *,
    tank: StoredTank | None = None,
    setup: StoredSetup | None = None,
    status: int = 200,
) -> HTMLResponse:
    """Render a page with everything that pages share.

    ``setup`` is the shown setup of the tank; by default that of the address, handed on by pages of the setup in use.
    """
    db, looked = database(request), setup or (tank and _looked_at(request, tank))
    kept = looked.id if looked and not looked.in_use else None
    common = {
        "measure": measure_of(request),
        "theme": "night" if request.cookies.get("theme") == "night" else "day",
        "steps": tanks.steps(db, tank.id if tank else None),
        "stations": request.app.state.stations,
        "tank_of_page": tank,
        "looked": looked,
        "along": lambda path: along(path, kept),
        "limited": getattr(request.state, "limited", False),
        "here": request.url.path + (f"?{request.url.query}" if request.url.query else ""),
    }
    taken = context.keys() & ((common.keys() | templates.env.globals.keys()) - OWN_STEPS)
    if taken:
        raise ValueError(f"{name} would cover {', '.join(sorted(taken))} of all pages")
    return templates.TemplateResponse(request, name, {**common, **context}, status_code=status)


def error_page(request: Request, status: int, title: str, text: str) -> Response:
    """Our own page for an error."""
    return page(request, "error.html", {"title": title, "text": text}, status=status)


def told(faulty: Unreadable, measure: Measure) -> list[str]:
    """Errors of a tank that cannot be opened, in the keeper's units."""
    found = []
    for error in faulty.faults:
        part, _, rest = error.field.partition(".")
        number = rest.partition(".")[0]
        one = {"rocks": "Rock", "braces": "Brace"}.get(part)
        name = f"{one} {int(number) + 1}" if one and number.isdecimal() else error.field.replace("_", " ")
        found.append(f"{name} {measure.message(error)}")
    return found


def go(path: str, setup_id: int | None = None) -> RedirectResponse:
    """Redirect after a post, to the shown setup; only to pages of ours."""
    local = path.startswith("/") and not path.startswith("//") and "\\" not in path
    return RedirectResponse(along(path, setup_id) if local else "/tanks", status_code=303)

"""The fixtures shelf: list, a fixture's sheet, import and export of photometry."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import get_args

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from corlume.core.conversion import LUX_PER_PPFD
from corlume.core.emitter import FixtureKind
from corlume.core.errors import InvalidInput
from corlume.core.lobe import width_at_half
from corlume.core.scene import Fixture
from corlume.formats.faults import BadFile
from corlume.formats.measure import parse_number
from corlume.services import shelf
from corlume.store.database import Database
from corlume.web.drawing.polar import draw_polar
from corlume.web.site import Db, Unit, go, page

router = APIRouter(prefix="/shelf")
KIND_NAMES: dict[str, str] = {
    "led_cluster": "LED cluster",
    "led_bar": "LED bar",
    "t5_tube": "T5 tube",
    "power_compact": "Power compact",
    "halide": "Metal halide",
}


@router.get("")
def show_shelf(request: Request, db: Db) -> HTMLResponse:
    """All fixtures."""
    return _shelf(request, db)


@router.post("/import")
async def import_file(request: Request, db: Db, measure: Unit) -> Response:
    """Put the fixture of a photometry file on the shelf."""
    async with request.form(max_files=1) as form:
        upload = form.get("file")
        data = b"" if upload is None or isinstance(upload, str) else await upload.read()
        typed = {key: value[:80] for key, value in form.items() if isinstance(value, str)}
    faults: list[str] = []
    kind, light = typed.get("kind", ""), typed.get("light", "")
    if not data:
        faults.append("No file was chosen, or it is empty.")
    if kind not in get_args(FixtureKind) or light not in (*LUX_PER_PPFD, ""):
        faults.append("The kind of fixture or of light is not one of those offered.")
    ppf = None
    if typed.get("ppf", "").strip():
        try:
            ppf = parse_number(typed["ppf"])
        except ValueError as error:
            faults.append(f"PPF {error}.")
    if not faults:
        try:
            key = shelf.import_photometry(
                db,
                data,
                kind=kind,  # type: ignore[arg-type]
                light=light,
                ppf=ppf,
                dimmable=typed.get("dimmable") == "on",
            )
            return go(f"/shelf/{key}")
        except BadFile as error:
            faults = [str(fault) for fault in error.faults]
        except InvalidInput as error:
            faults = [f"{e.field.upper() if e.field == 'ppf' else e.field} {measure.message(e)}." for e in error.errors]
    return _shelf(request, db, faults, typed)


@router.post("/undo")
@router.post("/redo")
def step(request: Request, db: Db) -> RedirectResponse:
    """Undo or redo on the shelf."""
    (shelf.undo if request.url.path.endswith("/undo") else shelf.redo)(db)
    return go("/shelf")


@router.get("/{key}")
def show_sheet(request: Request, db: Db, key: str) -> HTMLResponse:
    """A fixture's sheet."""
    entry = shelf.entry(db, key)
    sheets = [
        {
            "part": part,
            "kind": KIND_NAMES[part.emitter.kind],
            "polar": draw_polar(part.emitter.shape()),
            "along": width_at_half(part.emitter.shape()),
            "across": width_at_half(part.emitter.shape(), 3.14159265 / 2),
            "footprints": shelf.footprints(part),
        }
        for part in dict.fromkeys(_plain(part) for part in entry.parts)
    ]
    context = {"entry": entry, "sheets": sheets, "source": shelf.source_of(db, key), "probe_depth": shelf.PROBE_DEPTH}
    return page(request, "fixture.html", {**context, "steps": shelf.steps(db), "scope": "/shelf"})


@router.get("/{key}/lm63")
def export_file(db: Db, key: str) -> Response:
    """A fixture as an LM-63 file."""
    text = shelf.export_photometry(db, key)
    name = re.sub(r"[^a-z0-9]+", "-", shelf.entry(db, key).name.lower()).strip("-") or "fixture"
    headers = {"Content-Disposition": f'attachment; filename="{name}.ies"'}
    return Response(text, media_type="text/plain", headers=headers)


@router.post("/{key}/remove")
def remove(db: Db, key: str) -> RedirectResponse:
    """Take an own fixture off the shelf; undo brings it back."""
    shelf.entry(db, key)
    if key.startswith("own-"):
        shelf.remove_own(db, key)
    return go("/shelf")


def _plain(part: Fixture) -> Fixture:
    """A part without its place, so that four tubes of a hybrid make one sheet."""
    return replace(part, emitter=replace(part.emitter, x=0.0, y=0.0))


def _shelf(
    request: Request, db: Database, faults: list[str] | None = None, typed: dict[str, str] | None = None
) -> HTMLResponse:
    entries = shelf.entries(db)
    groups = {"Your own": [e for e in entries if e.key.startswith("own-")]}
    for kind, name in KIND_NAMES.items():
        groups[name] = [
            e for e in entries if len(e.parts) == 1 and e.parts[0].emitter.kind == kind and not e.key.startswith("own-")
        ]
    groups["Hybrid frames"] = [e for e in entries if len(e.parts) > 1]
    context = {"groups": groups, "kinds": KIND_NAMES, "lights": LUX_PER_PPFD, "faults": faults or []}
    context |= {"typed": typed or {}, "steps": shelf.steps(db), "scope": "/shelf", "width_at_half": width_at_half}
    return page(request, "shelf.html", context, status=422 if faults else 200)

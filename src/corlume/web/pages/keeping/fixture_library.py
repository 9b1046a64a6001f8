"""The fixture library: its list, a fixture's sheet, import and export of photometry."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from markupsafe import Markup

from corlume.core.errors import InvalidInput
from corlume.core.keeping.own_fixture import OwnFixture
from corlume.core.light.conversion import LUX_PER_PPFD
from corlume.core.light.efficacy import measured_share_of_maker, usual_efficacy
from corlume.core.light.fixture import FLUX_BASES, Fixture
from corlume.core.light.lobe import width_at_half
from corlume.core.light.technology import TECHNOLOGIES
from corlume.core.survey.fixture_estimate import SPREAD
from corlume.core.survey.priors import FLUX
from corlume.formats.file_faults import BadFile
from corlume.formats.measure import parse_number
from corlume.reference.catalogue import CatalogueEntry, technology_notes
from corlume.reference.spectrum_tables import lamp_spectra, weightings, white_leds
from corlume.services.keeping import fixture_library
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.web.drawing.polar import draw_beam, draw_polar
from corlume.web.drawing.spectrum import draw_colours, draw_spectrum
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, Files, FormData, Unit, go, measure_of, page

router = APIRouter(prefix="/fixtures")
KIND_NAMES = {key: technology.name for key, technology in TECHNOLOGIES.items()}


@router.get("")
def show_shelf(request: Request, db: Db) -> HTMLResponse:
    """All fixtures."""
    return _shelf(request, db)


@router.post("/import")
def preview_file(request: Request, db: Db, measure: Unit, sent: Files) -> Response:
    """Show the fixture of a photometry file before it is saved."""
    files, typed = sent.files, sent.texts
    faults: list[str] = []
    kind, light, colours = (typed.get(name, "") for name in ("technology", "light", "colours"))
    if not files.get("file"):
        faults.append("No file was chosen, or it is empty.")
    offered = kind in TECHNOLOGIES and light in (*LUX_PER_PPFD, *white_leds(), "") and colours in (*lamp_spectra(), "")
    if not offered:
        faults.append("Choose one of the technologies and lights offered.")
    ppf = None
    if typed.get("ppf", "").strip():
        try:
            ppf = parse_number(typed["ppf"])
        except ValueError as error:
            faults.append(f"PPF {error}.")
    if not faults:
        try:
            brought = fixture_library.read_import(
                files["file"],
                technology=kind,
                ppf=ppf,
                light=light,
                colours=colours,
                spectrum=files.get("spectrum", b""),
                dimmable=typed.get("dimmable") == "on",
            )
            return _preview(request, brought, fixture_library.keep_draft(db, brought))
        except BadFile as error:
            faults = [str(fault) for fault in error.faults]
        except InvalidInput as error:
            faults = [f"{e.field.upper() if e.field == 'ppf' else e.field} {measure.message(e)}." for e in error.errors]
    return _shelf(request, db, faults, typed)


@router.post("/put")
def put_on_shelf(request: Request, db: Db, measure: Unit, data: FormData) -> Response:
    """Save a previewed fixture in the library."""
    form = Form(data, measure)
    draft = form.text("draft")
    try:
        brought = fixture_library.draft(db, int(draft) if re.fullmatch(r"[0-9]{1,18}", draft) else 0)
    except NotFound:
        return _shelf(request, db, ["What was read from the file is no longer kept: bring the file in again."])
    weight, price = (form.number(name) if form.text(name) else 0.0 for name in ("weight", "price"))
    about = {"name": form.text("name"), "weight": weight, "price": price, "mount": form.text("mount")}
    key = form.attempt(lambda: fixture_library.put(db, brought, **about)) if form.ok else None  # type: ignore[arg-type]
    return go(f"/fixtures/{key}") if key else _preview(request, brought, int(draft), form)


@router.get("/own")
def export_own(db: Db) -> Response:
    """All own fixtures as a JSON file."""
    headers = {"Content-Disposition": 'attachment; filename="fixtures.json"'}
    return Response(fixture_library.export_own(db), media_type="application/json", headers=headers)


@router.post("/own")
def import_own(request: Request, db: Db, sent: Files) -> Response:
    """Import own fixtures from such a file."""
    data = sent.files.get("file", b"")
    faults = ["No file was chosen, or it is empty."]
    if data:
        try:
            fixture_library.import_own(db, data)
            return go("/fixtures")
        except BadFile as error:
            faults = [str(fault) for fault in error.faults]
    return _shelf(request, db, faults)


def _preview(
    request: Request, brought: fixture_library.ImportedFixture, draft: int, form: Form | None = None
) -> HTMLResponse:
    values = form.data if form else {"name": brought.fixture.name}
    errors = form.errors if form else {}
    context = {
        "sheets": [sheet_of(brought.fixture)],
        "brought": brought,
        "draft": draft,
        "fixture_form": asked(Fixture, values, errors, measure_of(request)),
        "own_form": asked(OwnFixture, values, errors, measure_of(request)),
        "wrong": form,
        "probe_depth": fixture_library.PROBE_DEPTH,
        "weightings": weightings(),
    }
    return page(request, "keeping/import_fixture.html", context, status=422 if form else 200)


@router.post("/undo")
@router.post("/redo")
def step(request: Request, db: Db) -> RedirectResponse:
    """Undo or redo in the library."""
    (fixture_library.undo if request.url.path.endswith("/undo") else fixture_library.redo)(db)
    return go("/fixtures")


@router.get("/{key}")
def show_sheet(request: Request, db: Db, key: str) -> HTMLResponse:
    """A fixture's sheet."""
    return _sheet(request, db, key)


@router.post("/{key}/copy")
def copy(db: Db, key: str) -> RedirectResponse:
    """Copy a fixture to the keeper's own."""
    return go(f"/fixtures/{fixture_library.copy_to_own(db, key)}")


@router.post("/{key}/change")
def change(request: Request, db: Db, measure: Unit, key: str, data: FormData) -> Response:
    """Change an own fixture."""
    form = Form(data, measure)
    own = form.read(OwnFixture, fixture_library.own_fixture(db, key))
    if own and form.ok:
        form.attempt(lambda: fixture_library.save_own(db, key, own))
    return _sheet(request, db, key, form) if form.errors else go(f"/fixtures/{key}")


OWN = ("name", "watts", "ppf", "basis", "fwhm", "length", "width", "dimmable", "weight", "price", "mount", "source")
"""What is asked of an own fixture."""


def _sheet(request: Request, db: Database, key: str, wrong: Form | None = None) -> HTMLResponse:
    entry, own = (
        fixture_library.entry(db, key),
        fixture_library.own_fixture(db, key) if key.startswith("own-") else None,
    )
    sheets = [sheet_of(part) for part in dict.fromkeys(_plain(part) for part in entry.parts)]
    context = {
        "entry": entry,
        "sheets": sheets,
        "source": fixture_library.source_of(db, key),
        "probe_depth": fixture_library.PROBE_DEPTH,
    }
    context |= {"weightings": weightings(), "wrong": wrong}
    if own:
        measure = measure_of(request)
        values = wrong.data if wrong else shown_values(own, measure)
        context["fields"] = asked(OwnFixture, values, wrong.errors if wrong else {}, measure)
        context["asked"] = OWN
        usual = usual_efficacy(own.fixture.emitter.technology)
        context["usual"] = (*(share * usual for share in SPREAD), usual)
    context |= {"steps": fixture_library.steps(db), "scope": "/fixtures"}
    return page(request, "keeping/fixture.html", context, status=422 if wrong else 200)


@router.get("/{key}/lm63")
def export_file(db: Db, key: str) -> Response:
    """A fixture as an LM-63 file."""
    text = fixture_library.export_photometry(db, key)
    name = re.sub(r"[^a-z0-9]+", "-", fixture_library.entry(db, key).name.lower()).strip("-") or "fixture"
    headers = {"Content-Disposition": f'attachment; filename="{name}.ies"'}
    return Response(text, media_type="text/plain", headers=headers)


@router.post("/{key}/remove")
def remove(db: Db, key: str) -> RedirectResponse:
    """Delete an own fixture; can be undone."""
    fixture_library.entry(db, key)
    if key.startswith("own-"):
        fixture_library.remove_own(db, key)
    return go("/fixtures")


def sheet_of(part: Fixture) -> dict[str, Any]:
    """Contents of the sheet of one part."""
    shape, colours = part.emitter.shape(), fixture_library.colours(part)
    return {
        "part": part,
        "kind": part.emitter.made_by.name,
        "basis": FLUX_BASES[part.basis],
        "flux_sd": FLUX[part.basis].sd,
        "chain": part.emitter.made_by.chain,
        "by_maker": part.emitter.ppf / measured_share_of_maker(part.emitter.technology),
        "lamp": technology_notes()[part.emitter.technology],
        "polar": draw_polar(shape),
        "along": width_at_half(shape),
        "across": width_at_half(shape, math.pi / 2),
        "footprints": fixture_library.footprints(part),
        "colours": colours,
        "spectrum": draw_spectrum(colours),
    }


def _plain(part: Fixture) -> Fixture:
    """A part without its place, so that four equal tubes of a hybrid share one sheet."""
    return replace(part, emitter=replace(part.emitter, x=0.0, y=0.0))


def _spectrum_of(entry: CatalogueEntry) -> Markup:
    """Small picture of the light of all parts together; empty where no spectrum is known."""
    whole = sum(part.emitter.ppf for part in entry.parts)
    channels = [
        replace(channel, share=max(0.0001, channel.share * part.emitter.ppf / whole))
        for part in entry.parts
        for channel in part.emitter.channels
        if channel.spectrum is not None
    ]
    return draw_colours(channels) if channels else Markup("")


def _shelf(
    request: Request, db: Database, faults: list[str] | None = None, typed: dict[str, str] | None = None
) -> HTMLResponse:
    entries = fixture_library.entries(db)
    groups = {"Your own": [e for e in entries if e.key.startswith("own-")]}
    for kind, name in KIND_NAMES.items():
        groups[name] = [
            e
            for e in entries
            if len(e.parts) == 1 and e.parts[0].emitter.technology == kind and not e.key.startswith("own-")
        ]
    groups["Hybrid frames"] = [e for e in entries if len(e.parts) > 1]
    context = {
        "groups": groups,
        "beams": {e.key: draw_beam(e.parts[0].emitter.shape()) for e in entries if len(e.parts) == 1},
        "spectra_of": {e.key: _spectrum_of(e) for e in entries},
        "kinds": KIND_NAMES,
        "lights": [
            (key, f"{name} (published, {factor:g} lux per PAR)") for key, (name, factor) in LUX_PER_PPFD.items()
        ],
        "leds": [(key, name) for key, (name, _) in white_leds().items()],
        "spectra": lamp_spectra(),
        "faults": faults or [],
    }
    context |= {
        "typed": typed or {},
        "faults": faults or [],
        "steps": fixture_library.steps(db),
        "scope": "/fixtures",
        "width_at_half": width_at_half,
    }
    return page(request, "keeping/fixture_library.html", context, status=422 if faults else 200)

"""The mounting sheet: checks, drawing and lists, on the page and as files."""

from __future__ import annotations

import re
from dataclasses import fields
from typing import Literal

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.mounting import Site
from corlume.formats.measure import Measure
from corlume.formats.mount_drawing import MARGIN, PAGES, TRUE, draw_mount, fitted_scale, to_pdf, to_svg
from corlume.services import tanks
from corlume.services.mount import MountSheet, mount_sheet
from corlume.store.database import Database
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.drawing.lamps import letter
from corlume.web.forms import Form
from corlume.web.site import Db, Unit, page

router = APIRouter(prefix="/tanks/{tank_id}/setups/{setup_id}/mount")
LENGTHS = ("lead", "stand", "eye", "away", "gap")


@router.get("")
def show_sheet(request: Request, db: Db, measure: Unit, tank_id: int, setup_id: int) -> HTMLResponse:
    """The sheet with its checks; what the keeper knows of the place comes in the address."""
    stored = tanks.open_tank(db, tank_id)
    setup = stored.setup(setup_id)
    form = Form(dict(request.query_params), measure)
    site = _site(form)
    sheet = mount_sheet(db, stored, setup, site or Site())
    scale = fitted_scale(stored.tank, sheet.marks, PAGES["a4"])
    drawing = to_svg(draw_mount(stored.tank, sheet.marks, measure, letter, scale))
    context = {
        "stored": stored,
        "setup": setup,
        "sheet": sheet,
        "drawing": drawing,
        "letter": letter,
        "values": form.data if form.errors else _shown(sheet.site, measure),
        "errors": form.errors,
        "query": request.url.query,
        "scale": TRUE / scale,
    }
    return page(request, "mount.html", context, tank=stored, status=422 if form.errors else 200)


@router.get("/sheet.svg")
def svg(db: Db, measure: Unit, tank_id: int, setup_id: int) -> Response:
    """The drawing at true scale."""
    stored, setup, sheet = _sheet(db, tank_id, setup_id, Site())
    text = to_svg(draw_mount(stored.tank, sheet.marks, measure, letter, TRUE))
    return _file(text.replace("currentColor", "black").encode(), "image/svg+xml", setup.name, "svg")


@router.get("/sheet.pdf")
def pdf(
    request: Request, db: Db, measure: Unit, tank_id: int, setup_id: int, paper: Literal["a4", "letter", "true"] = "a4"
) -> Response:
    """The sheet fitted to a page, or at true scale on a page as large as it takes."""
    # the checks of the file are those of the page that it was taken from
    site = _site(Form(dict(request.query_params), measure)) or Site()
    stored, setup, sheet = _sheet(db, tank_id, setup_id, site)
    scale = TRUE if paper == "true" else fitted_scale(stored.tank, sheet.marks, PAGES[paper])
    drawing = draw_mount(stored.tank, sheet.marks, measure, letter, scale)
    size = PAGES[paper] if paper != "true" else (drawing.width + 2 * MARGIN, drawing.height + 2 * MARGIN + 10)
    ratio = "true scale" if paper == "true" else f"1 : {TRUE / scale:.1f}"
    title = f"{stored.name}: {setup.name}, {ratio}, {measure.unit}"
    return _file(to_pdf(drawing, size, title, _tables(sheet, measure)), "application/pdf", setup.name, "pdf")


def _sheet(db: Database, tank_id: int, setup_id: int, site: Site) -> tuple[StoredTank, StoredSetup, MountSheet]:
    stored = tanks.open_tank(db, tank_id)
    setup = stored.setup(setup_id)
    return stored, setup, mount_sheet(db, stored, setup, site)


def _tables(sheet: MountSheet, measure: Measure) -> list[tuple[str, list[list[str]]]]:
    u = measure.unit
    head = [
        "",
        "Fixture",
        f"From left, {u}",
        f"From back, {u}",
        f"Above water, {u}",
        f"Above rim, {u}",
        "kg",
        "Supports, kg each",
    ]
    rows = [
        [letter(m.number), m.fixture.name, *(measure.number(v) for v in (m.left, m.back, m.above_water, m.above_rim)),
         f"{m.weight:.1f}" if m.weight else "not known", f"2 x {m.rating:.0f}" if m.weight else "not known"]
        for m in sheet.marks
    ]  # fmt: skip
    checks = [[c.title, {"yes": "holds", "no": "does not hold", "look": "look"}[c.answer],
               measure.fill(c.found, c.lengths), measure.fill(c.rule, c.lengths)] for c in sheet.checks]  # fmt: skip
    return [
        ("Centres and heights", [head, *rows]),
        ("Parts", [["Part", "Count"], *([name, str(count)] for name, count in sheet.parts)]),
        ("Looked at (common practice, no source; local code and licensed work go before it)",
         [["What", "Holds", "Found", "Rule"], *checks]),
        ("In this order", [[f"{k}. {step}"] for k, step in enumerate(sheet.order, 1)]),
    ]  # fmt: skip


def _site(form: Form) -> Site | None:
    """What is known of the place, from the address; None with errors noted."""
    if not any(form.text(f.name) for f in fields(Site)):
        return Site()
    values = {f.name: form.length(f.name) if f.name in LENGTHS else form.number(f.name) for f in fields(Site)}
    return None if form.errors else form.build(Site, **values)


def _shown(site: Site, measure: Measure) -> dict[str, str]:
    return {
        f.name: measure.number(getattr(site, f.name)) if f.name in LENGTHS else f"{getattr(site, f.name):g}"
        for f in fields(Site)
    }


def _file(data: bytes, kind: str, name: str, ending: str) -> Response:
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "setup"
    return Response(data, media_type=kind, headers={"Content-Disposition": f'attachment; filename="{plain}.{ending}"'})

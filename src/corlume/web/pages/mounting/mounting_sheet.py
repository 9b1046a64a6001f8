"""The mounting sheet: checks, drawing and lists, on the page and as files."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from typing import Literal

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.mounting.mounting_checks import ANSWERS
from corlume.core.mounting.surroundings import Surroundings
from corlume.formats.measure import Measure
from corlume.formats.mount_drawing import (
    PAGES,
    TRUE,
    draw_mount,
    fitted_scale,
    tiles,
    to_pdf,
    to_svg,
    to_tables,
    to_tiles,
    with_notes,
)
from corlume.services.keeping import tanks
from corlume.services.mounting import owned
from corlume.services.mounting.mounting_sheet import MountSheet, mount_sheet, save_surroundings
from corlume.services.schedule.change_light import running_plan
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.pages.mounting.rig_tables import Shelf, check_rows, mount_tables, rig_tables, shopping_rows
from corlume.web.request.page import Db, FormData, RowId, Unit, go, page

router = APIRouter(prefix="/tanks/{tank_id}/setups/{setup_id}/mounting")


@router.get("")
def show_sheet(request: Request, db: Db, measure: Unit, tank_id: RowId, setup_id: RowId) -> HTMLResponse:
    """The sheet with its checks."""
    stored = tanks.open_tank(db, tank_id)
    setup = stored.setup(setup_id)
    return _page(request, db, stored, setup, _shown(stored.surroundings, setup, measure), {}, measure)


@router.post("")
def save(request: Request, db: Db, measure: Unit, tank_id: RowId, setup_id: RowId, data: FormData) -> Response:
    """Save the surroundings and the weights."""
    stored = tanks.open_tank(db, tank_id)
    setup = stored.setup(setup_id)
    form = Form(data, measure)
    surroundings = form.read(Surroundings, stored.surroundings)
    names = {kept.id: f"weight-{kept.id}" for kept in setup.fixtures}
    weights = {i: form.number(name) if form.text(name) else 0.0 for i, name in names.items() if name in form.data}
    if surroundings and form.ok:
        form.attempt(lambda: save_surroundings(db, tank_id, setup_id, surroundings, weights))
    if form.errors:
        return _page(request, db, stored, setup, form.data, form.errors, measure, form)
    return go(f"/tanks/{tank_id}/setups/{setup_id}/mounting#holds")


@router.get("/sheet.svg")
def svg(db: Db, measure: Unit, tank_id: RowId, setup_id: RowId) -> Response:
    """The drawing at true scale, with the settings of each fixture below."""
    stored, setup, sheet = _sheet(db, tank_id, setup_id)
    drawing = draw_mount(stored.tank, sheet.marks, sheet.drilled, measure, letter, TRUE, sheet.mounts)
    text = to_svg(with_notes(drawing, _notes(sheet)))
    return _file(text.replace("currentColor", "black").encode(), "image/svg+xml", setup.name, "svg")


@router.get("/sheet.pdf")
def pdf(
    db: Db,
    measure: Unit,
    tank_id: RowId,
    setup_id: RowId,
    paper: Literal["a4", "letter"] = "a4",
    scale: Literal["fit", "true"] = "fit",
) -> Response:
    """The sheet fitted to a page, or at true scale over as many pages as needed, to be joined."""
    stored, setup, sheet = _sheet(db, tank_id, setup_id)
    ratio = TRUE if scale == "true" else fitted_scale(stored.tank, sheet.marks, PAGES[paper], sheet.mounts)
    drawing = draw_mount(stored.tank, sheet.marks, sheet.drilled, measure, letter, ratio, sheet.mounts)
    shown = "true scale" if scale == "true" else f"1 : {TRUE / ratio:.1f}"
    title = f"{stored.name}: {setup.name}, {shown}, {measure.unit}"
    write = to_tiles if scale == "true" else to_pdf
    return _file(
        write(drawing, PAGES[paper], title, _tables(sheet, setup.hung, measure)), "application/pdf", setup.name, "pdf"
    )


@router.get("/rig.pdf")
def rig_pdf(
    db: Db,
    measure: Unit,
    tank_id: RowId,
    setup_id: RowId,
    paper: Literal["a4", "letter"] = "a4",
    part: Literal["all", "wiring", "shopping", "checklist"] = "all",
) -> Response:
    """The rig on paper: the drawing with all tables, or one part of it."""
    stored, setup, sheet = _sheet(db, tank_id, setup_id)
    parts = rig_tables(stored, setup, _shelf(db), measure)
    title = f"{stored.name}: {setup.name}"
    if part != "all":
        data = to_tables(PAGES[paper], title, parts[part])
        return _file(data, "application/pdf", f"{setup.name} {part}", "pdf")
    ratio = fitted_scale(stored.tank, sheet.marks, PAGES[paper], sheet.mounts)
    drawing = draw_mount(stored.tank, sheet.marks, sheet.drilled, measure, letter, ratio, sheet.mounts)
    tables = [*_tables(sheet, setup.hung, measure), *(table for some in parts.values() for table in some)]
    data = to_pdf(drawing, PAGES[paper], f"{title}, 1 : {TRUE / ratio:.1f}, {measure.unit}", tables)
    return _file(data, "application/pdf", f"{setup.name} rig", "pdf")


@router.get("/shopping.csv")
def shopping_csv(db: Db, measure: Unit, tank_id: RowId, setup_id: RowId) -> Response:
    """The shopping list as CSV."""
    stored, setup, _ = _sheet(db, tank_id, setup_id)
    rows = shopping_rows(stored, setup, _shelf(db), measure)
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows(rows)
    return _file(out.getvalue().encode(), "text/csv; charset=utf-8", f"{setup.name} shopping", "csv")


def _page(
    request: Request,
    db: Db,
    stored: StoredTank,
    setup: StoredSetup,
    values: dict[str, str],
    errors: dict[str, str],
    measure: Measure,
    wrong: Form | None = None,
) -> HTMLResponse:
    sheet = mount_sheet(stored, setup)
    scale = fitted_scale(stored.tank, sheet.marks, PAGES["a4"], sheet.mounts)
    true = draw_mount(stored.tank, sheet.marks, sheet.drilled, measure, letter, TRUE, sheet.mounts)
    context = {
        "stored": stored,
        "setup": setup,
        "sheet": sheet,
        "pages": {paper: len(tiles(true, size)) for paper, size in PAGES.items()},
        "marks": list(zip(sheet.marks, [kept.id for kept in setup.fixtures], strict=True)),
        "drawing": to_svg(draw_mount(stored.tank, sheet.marks, sheet.drilled, measure, letter, scale, sheet.mounts)),
        "letter": letter,
        "hung": _hung(sheet, measure),
        "mount_tables": mount_tables(sheet, setup.hung, measure),
        "shopping": shopping_rows(stored, setup, _shelf(db), measure),
        "settings": (SETTINGS, _settings(sheet)),
        "words": ANSWERS,
        "plan": running_plan(stored, setup),
        "surroundings": asked(Surroundings, values, errors, measure),
        "values": values,
        "errors": errors,
        "wrong": wrong,
        "scale": TRUE / scale,
    }
    return page(
        request, "mounting/mounting_sheet.html", context, tank=stored, setup=setup, status=422 if errors else 200
    )


def _shelf(db: Db) -> Shelf:
    return owned.owned(db), owned.mounts_in_cupboard(db)


def _sheet(db: Db, tank_id: RowId, setup_id: RowId) -> tuple[StoredTank, StoredSetup, MountSheet]:
    stored = tanks.open_tank(db, tank_id)
    setup = stored.setup(setup_id)
    return stored, setup, mount_sheet(stored, setup)


def _hung(sheet: MountSheet, measure: Measure) -> list[list[str]]:
    """For each hanger its fixtures, its drill points, its weight, and the rated load of each support."""
    rows = []
    for hanger in sheet.hangers:
        names = ", ".join(letter(number) for number in hanger.numbers)
        points = [measure.number(value) for point in hanger.points for value in point]
        known = [f"{hanger.weight:.1f}", str(hanger.rating)] if hanger.weight else ["not known"] * 2
        rows.append([f"{hanger.frame}: {names}" if hanger.frame else names, *points, *known])
    return rows


SETTINGS = ["", "Fixture", "Output, %", "Each channel, % of full", "Lens or reflector", "Tilt"]


def _settings(sheet: MountSheet) -> list[list[str]]:
    """Settings of each fixture, as rows."""
    return [
        [
            letter(one.number), one.name, str(one.output) if one.dims else "on" if one.output else "off",
            ", ".join(f"{name} {level}" for name, level in one.absolute) or "one channel",
            f"{one.front}, computed at {one.fwhm}°", one.tilt or "level",
        ]
        for one in sheet.settings
    ]  # fmt: skip


def _notes(sheet: MountSheet) -> list[str]:
    """Settings of each fixture and lenses to change, a line each."""
    lines = [
        f"{row[0]}  {row[1]}; "
        + "; ".join(f"{name.lower()}: {value}" for name, value in zip(SETTINGS[2:], row[2:], strict=True))
        for row in _settings(sheet)
    ]
    return [*lines, *(f"To change: {change.words}" for change in sheet.lenses)]


def _tables(sheet: MountSheet, hung: Sequence[Fixture], measure: Measure) -> list[tuple[str, list[list[str]]]]:
    u = measure.unit
    where = ("From left", "From back", "Above water", "Above rim")
    head = ["", "Fixture", *(f"{one}, {u}" for one in where), "Hangs on"]
    rows = [
        [
            letter(m.number),
            m.fixture.name,
            *(measure.number(v) for v in (m.left, m.back, m.above_water, m.above_rim)),
            m.fixture.held_by or "its own supports",
        ]
        for m in sheet.marks
    ]
    drill = [
        "Hangs", *(f"{n}: from {side}, {u}" for n in ("First", "Second") for side in ("left", "back")), "kg",
        "Each rated, kg",
    ]  # fmt: skip
    return [
        ("Centres and heights", [head, *rows]),
        ("Settings of each fixture, in per cent of full", [SETTINGS, *_settings(sheet)]),
        *([("Lenses and reflectors to change", [[change.words] for change in sheet.lenses])] if sheet.lenses else []),
        *mount_tables(sheet, hung, measure),
        *([("Drill points, two supports each; where the fixture's own hanging points differ, use those instead",
            [drill, *_hung(sheet, measure)])] if sheet.hangers else []),
        ("Parts", [["Part", "Count"], *([name, str(count)] for name, count in sheet.parts)]),
        check_rows(sheet.checks, measure),
    ]  # fmt: skip


def _shown(surroundings: Surroundings, setup: StoredSetup, measure: Measure) -> dict[str, str]:
    weights = {f"weight-{k.id}": shown_values(k.value, measure)["weight"] for k in setup.fixtures}
    return shown_values(surroundings, measure) | weights


def _file(data: bytes, kind: str, name: str, ending: str) -> Response:
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "setup"
    return Response(data, media_type=kind, headers={"Content-Disposition": f'attachment; filename="{plain}.{ending}"'})

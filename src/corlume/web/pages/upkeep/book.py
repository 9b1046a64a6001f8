"""The book of a tank: one HTML file without scripts or addresses, to be opened anywhere, also offline."""

from __future__ import annotations

import base64
import datetime
import re
from functools import cache

import numpy as np
from fastapi import APIRouter
from fastapi.responses import Response
from markupsafe import Markup

from corlume.core.message_text import letter
from corlume.core.schedule.day_checks import MINUTES
from corlume.formats.book_drawings import day_drawing, par_drawing, tank_drawing
from corlume.formats.book_pdf import book_pdf
from corlume.formats.measure import Measure
from corlume.formats.mount_drawing import PAGES, draw_mount, fitted_scale, to_svg
from corlume.formats.paper import Drawing
from corlume.services.judging.judge import verdicts_in_doubt
from corlume.services.keeping import tanks
from corlume.services.keeping.surveys import all_surveys
from corlume.services.keeping.target_zones import zones_met
from corlume.services.light.fields import slice_plane
from corlume.services.mounting.mounting_sheet import mount_sheet
from corlume.services.placement.zone_placement import coral_light
from corlume.services.schedule.day_light import coral_days, power_by_group
from corlume.services.schedule.day_report import report_day
from corlume.services.upkeep.forecast import when_words
from corlume.services.upkeep.forecast_jobs import known_forecast
from corlume.services.upkeep.lamps import lamp_states
from corlume.services.upkeep.log import entries, photo_of
from corlume.store.database import Database
from corlume.store.tanks import StoredTank
from corlume.web.drawing.day import Line, draw_day
from corlume.web.drawing.plan_chart import plan_chart
from corlume.web.drawing.sheet import lay_out_pair
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.request.assets import STATIC
from corlume.web.request.page import Db, RowId, Unit, templates

router = APIRouter(prefix="/tanks/{tank_id}/log/book")
WIDTH, PHOTOS, LINES = 760.0, 8, 5
"""Width of the PAR map in the book; so many photos and lines of light are in it."""


@router.get("")
def export_book(db: Db, measure: Unit, tank_id: RowId) -> Response:
    """The book as one HTML file."""
    stored = tanks.open_tank(db, tank_id)
    text = write_book(db, stored, measure)
    return Response(text, media_type="text/html; charset=utf-8", headers=_attached(stored, "html"))


@router.get("/pdf")
def export_pdf(db: Db, measure: Unit, tank_id: RowId) -> Response:
    """The book as a PDF, on the paper of the unit's country."""
    stored = tanks.open_tank(db, tank_id)
    tall, wide = PAGES["letter" if measure.unit == "in" else "a4"]
    title = f"{stored.name}: book of the tank, {datetime.date.today().isoformat()}"
    data = book_pdf(write_book(db, stored, measure), _drawings(stored, measure, wide - 28), (wide, tall), title)
    return Response(data, media_type="application/pdf", headers=_attached(stored, "pdf"))


def _attached(stored: StoredTank, ending: str) -> dict[str, str]:
    name = re.sub(r"[^a-z0-9]+", "-", stored.name.lower()).strip("-") or "tank"
    return {"Content-Disposition": f'attachment; filename="{name}-book.{ending}"'}


def _drawings(stored: StoredTank, measure: Measure, width: float) -> dict[str, Drawing]:
    """Drawings for paper of a width [mm], by the names that they have in the book."""
    setup, tank = stored.setup(), stored.lit_tank()
    plane = slice_plane(tank, setup.hung, "plan", tank.rock_top())
    corals = [(str(n), (p.x, p.y, p.depth)) for n, kept in enumerate(stored.corals, 1) if (p := kept.value.place)]
    levels = [band.low for band in stored.targets.bands() if band.low > 0]
    marks = mount_sheet(stored, setup)
    found = {
        "tank": tank_drawing(stored.tank, corals, measure, width),
        "par": par_drawing(stored.tank, (plane.u, plane.v, plane.par), levels, measure, width),
        "day": day_drawing(sum((g.watts for g in power_by_group(stored, setup)), np.zeros(len(MINUTES))), width),
    }
    if marks.marks:
        scale = fitted_scale(stored.tank, marks.marks, (width + 20, 260.0), marks.mounts)
        found["mounting"] = draw_mount(stored.tank, marks.marks, marks.drilled, measure, letter, scale, marks.mounts)
    return found


def write_book(db: Database, stored: StoredTank, measure: Measure) -> str:
    """The book as text: tank, light, mounting, survey, zones, corals, day, lamps, forecast, what to do when."""
    setup, tank, today = stored.setup(), stored.lit_tank(), datetime.date.today()
    sheet, mounted = lay_out_pair(stored.tank), mount_sheet(stored, setup)
    plan = draw_frame(sheet, stored.tank, measure)
    for view, at in zip(sheet.views(), (stored.tank.water_depth, stored.tank.width / 2), strict=True):
        plan += draw_rock(view, stored.tank, at)
    plane = slice_plane(tank, setup.hung, "plan", tank.rock_top())
    days, report = coral_days(stored, setup.hung), report_day(stored, setup)
    brightest = sorted(days, key=lambda one: -one.peak)[:LINES]
    scale = fitted_scale(stored.tank, mounted.marks, PAGES["a4"], mounted.mounts)
    ahead = known_forecast(db, stored, today)
    surveys = [one for one in all_surveys(db, stored.id) if one.value.read()]
    context = {
        "stored": stored,
        "setup": setup,
        "measure": measure,
        "today": today,
        "style": _style(),
        "sheet": sheet,
        "plan": plan,
        "map": plan_chart(
            tank, plane, stored.targets.bands(), width=WIDTH, label="PAR at the rock top", fixtures=setup.hung
        ),
        "bands": stored.targets.bands(),
        "depth": tank.rock_top(),
        "verdicts": verdicts_in_doubt(stored, setup.hung, setup.intent),
        "mounting": Markup(
            to_svg(draw_mount(stored.tank, mounted.marks, mounted.drilled, measure, letter, scale, mounted.mounts))
        ),
        "mounted": mounted,
        "letter": letter,
        "survey": max(surveys, key=lambda one: one.value.day) if surveys else None,
        "zones": zones_met(stored, setup.hung),
        "light": coral_light(stored, setup.hung),
        "days": days,
        "report": report,
        "day": draw_day(
            [Line(f"{one.number} {one.coral.card.name} {one.peak:.0f}", one.par) for one in brightest],
            [(one.name, one.watts) for one in report.powers],
            setup.groups,
            most=report.bears,
            now=None,
        ),
        "lamps": lamp_states(stored, today),
        "ahead": ahead,
        "when": lambda leaving: when_words(leaving, ahead.days),
        "photos": _photos(db, stored.id),
    }
    return templates.get_template("upkeep/book.html").render(**context)


def _photos(db: Database, tank_id: int) -> list[tuple[datetime.date, str, str]]:
    """Photos of the log, the newest first: day, words, and the picture as a data address."""
    found = list[tuple[datetime.date, str, str]]()
    for entry in entries(db, tank_id, pictures=True):
        if entry.source == "event" and len(found) < PHOTOS:
            data = base64.b64encode(photo_of(db, tank_id, entry.id)).decode()
            found.append((entry.day, entry.told, f"data:image/jpeg;base64,{data}"))
    return found


@cache
def _style() -> Markup:
    """The style of all pages with its fonts inside."""

    def inside(match: re.Match[str]) -> str:
        data = base64.b64encode((STATIC / "fonts" / match[1]).read_bytes()).decode()
        return f"url(data:font/woff2;base64,{data})"

    text = (STATIC / "app.css").read_text(encoding="utf-8")
    return Markup(re.sub(r'url\("?/static/fonts/([\w.-]+)"?\)', inside, text))

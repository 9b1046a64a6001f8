"""The drawing of a mounting sheet, in millimetres on paper, as SVG and as PDF; at true scale or fitted to a page."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from html import escape
from typing import TYPE_CHECKING

from corlume.core.light.geometry import Tank
from corlume.core.mounting.mount import Mount
from corlume.core.mounting.mounting_checks import DrillMark, Hanger
from corlume.formats.measure import Measure
from corlume.formats.paper import FONT, WIDTHS, Drawing, Line, Text, begin_pdf, plain_text, put_drawing

if TYPE_CHECKING:
    from fpdf import FPDF

PAGES = {"a4": (297.0, 210.0), "letter": (279.4, 215.9)}
"""Landscape pages, width and height [mm]."""
TRUE = 1000.0
"""Paper millimetres for a metre at true scale."""
MARGIN, LEFT, TOP, GAP, RIGHT, BOTTOM = 10.0, 22.0, 20.0, 16.0, 30.0, 8.0
TEXT, NOTE = 3.0, 4.5
LEAST_WIDE, MOST_WIDE = 8, 60
"""A column of a table is as wide as its longest text, in letters within these."""
ROOMY = 300.0
"""From this scale on every mark has words of its own [mm for a metre]."""


def draw_mount(
    tank: Tank,
    marks: Sequence[DrillMark],
    hangers: Sequence[Hanger],
    measure: Measure,
    letters: Callable[[int], str],
    scale: float,
    mounts: Sequence[Mount] = (),
) -> Drawing:
    """Draw plan and front elevation: every centre as an upright cross, every drill point as a slanted one; mounts as
    dashed outlines.
    """
    air = _air(marks, mounts)
    width, depth = tank.length * scale, tank.width * scale
    lines: list[Line] = []
    texts: list[Text] = []
    x0, y0 = LEFT, TOP

    def rectangle(x: float, y: float, w: float, h: float, kind: str) -> None:
        corners = [(x, y), (x + w, y), (x + w, y + h), (x, y + h)]
        lines.extend(Line(*a, *b, kind) for a, b in zip(corners, corners[1:] + corners[:1], strict=True))

    rectangle(x0, y0, width, depth, "edge")
    texts += [Text(x0 + width / 2, y0 - 14, "Plan: back pane above, front pane below")]
    water = y0 + depth + GAP + air * scale
    tall = (tank.rim_height + tank.water_depth) * scale
    rim, floor = water - tank.rim_height * scale, water + tank.water_depth * scale
    lines += [
        Line(x0, rim, x0, floor, "edge"),
        Line(x0 + width, rim, x0 + width, floor, "edge"),
        Line(x0, floor, x0 + width, floor, "edge"),
        Line(x0 - 4, water, x0 + width + 4, water, "dash"),
    ]
    texts += [Text(x0 + 2, water + 4, "water line", "start"), Text(x0 + width / 2, rim + tall - 3, "From the front")]
    for mount in mounts:
        low, top = water - mount.height * scale, water - (mount.height + mount.thick) * scale
        left, long = x0 + mount.x * scale, mount.length * scale
        rectangle(left, y0 + (tank.width - mount.y1) * scale, long, mount.width * scale, "dash")
        rectangle(left, top, long, low - top, "dash")
        texts.append(Text(left + 1, y0 + (tank.width - mount.y) * scale + 3.5, mount.name, "start"))
    stacks: dict[tuple[float, float], list[str]] = {}
    hung_at: dict[float, list[str]] = {}
    backs: dict[float, list[str]] = {}
    lefts: dict[float, list[str]] = {}
    for m in marks:
        name, e = letters(m.number), m.fixture.emitter
        cx, cy = x0 + m.left * scale, y0 + m.back * scale
        half_x, half_y = (half * scale for half in e.half_extent())
        rectangle(cx - half_x, cy - half_y, 2 * half_x, 2 * half_y, "thin")
        lines += [Line(cx - 3, cy, cx + 3, cy, "mark"), Line(cx, cy - 3, cx, cy + 3, "mark")]
        texts.append(Text(cx - half_x - 1, cy + 1, name, "end"))
        if scale >= ROOMY:
            texts.append(Text(cx + 4, cy - 1, f"centre of {name}", "start"))
        up = water - m.above_water * scale
        lines.append(Line(cx - half_x, up, cx + half_x, up, "mark"))
        stacks.setdefault((round(cx, 1), round(up, 1)), []).append(name)
        hung_at.setdefault(round(m.above_water, 4), []).append(name)
        backs.setdefault(round(m.back, 4), []).append(name)
        lefts.setdefault(round(m.left, 4), []).append(name)
    for hanger, (px, py) in [(one, point) for one in hangers for point in one.points]:
        x, y = x0 + px * scale, y0 + py * scale
        if scale >= ROOMY:
            texts.append(Text(x + 4, y + 1, f"drill for {_several([letters(n) for n in hanger.numbers])}", "start"))
        lines += [Line(x - 1.5, y - 1.5, x + 1.5, y + 1.5, "drill"), Line(x - 1.5, y + 1.5, x + 1.5, y - 1.5, "drill")]
    if hangers:
        texts.append(Text(x0 + 2, y0 + depth - 2, "+ centre, x drill point", "start"))
    texts += [Text(x, y - 2, _several(names)) for (x, y), names in stacks.items()]
    for left in lefts:
        lines.append(Line(x0 + left * scale, y0 - 6, x0 + left * scale, y0, "thin"))
        texts.append(Text(x0 + left * scale, y0 - 7, measure.number(left)))
    for back, names in backs.items():
        y = y0 + back * scale
        lines.append(Line(x0 + width, y, x0 + width + 5, y, "thin"))
        texts.append(Text(x0 + width + 6, y + 1, f"{measure.number(back)} ({_several(names)})", "start"))
    for above, names in hung_at.items():
        y = water - above * scale
        lines.append(Line(x0 + width, y, x0 + width + 5, y, "thin"))
        texts.append(Text(x0 + width + 6, y + 1, f"{measure.number(above)} ({_several(names)})", "start"))
    texts += [Text(x0, y0 - 7, f"from left, {measure.unit}", "end"),
              Text(x0 + width + 6, y0 - 3, f"from back, {measure.unit}", "start"),
              Text(x0 + width + 6, water + 1, f"above water, {measure.unit}", "start")]  # fmt: skip
    height = water + tank.water_depth * scale + BOTTOM
    return Drawing(x0 + width + RIGHT, height, scale, tuple(lines), tuple(texts))


def _air(marks: Sequence[DrillMark], mounts: Sequence[Mount]) -> float:
    """How much air over the water is drawn [m]."""
    tops = [mark.above_water for mark in marks] + [mount.height + mount.thick for mount in mounts]
    return max(tops, default=0.3) + 0.06


def fitted_scale(
    tank: Tank, marks: Sequence[DrillMark], page: tuple[float, float], mounts: Sequence[Mount] = ()
) -> float:
    """The largest scale at which the drawing fits a page [mm for a metre]."""
    air = _air(marks, mounts)
    across, down = page[0] - 2 * MARGIN, page[1] - 2 * MARGIN - 12
    tall = tank.width + air + tank.water_depth
    return min((across - LEFT - RIGHT) / tank.length, (down - TOP - GAP - BOTTOM) / tall)


def _several(names: Sequence[str]) -> str:
    return ", ".join(names) if len(names) < 4 else f"{names[0]} to {names[-1]}"


def with_notes(drawing: Drawing, notes: Sequence[str]) -> Drawing:
    """The drawing with lines of text under it; the paper grows as long and as wide as they need."""
    if not notes:
        return drawing
    texts = [Text(MARGIN, drawing.height + NOTE * (k + 1), words, "start") for k, words in enumerate(notes)]
    width = max(drawing.width, MARGIN + 0.55 * TEXT * max(map(len, notes)))
    height = drawing.height + NOTE * len(notes) + BOTTOM
    return replace(drawing, width=width, height=height, texts=(*drawing.texts, *texts))


def to_svg(drawing: Drawing) -> str:
    """The drawing as SVG that prints in real millimetres."""
    lines = "".join(
        f'<line x1="{li.x1:.3f}" y1="{li.y1:.3f}" x2="{li.x2:.3f}" y2="{li.y2:.3f}" stroke-width="{WIDTHS[li.kind]}"'
        + (' stroke-dasharray="3 2"' if li.kind == "dash" else "")
        + "/>"
        for li in drawing.lines
    )
    texts = "".join(
        f'<text x="{t.x:.2f}" y="{t.y:.2f}" text-anchor="{t.anchor}">{escape(t.words)}</text>' for t in drawing.texts
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{drawing.width:.3f}mm" height="{drawing.height:.3f}mm" '
        f'viewBox="0 0 {drawing.width:.3f} {drawing.height:.3f}" role="img" '
        f'aria-label="Mounting sheet: plan and front elevation"><g stroke="currentColor" fill="none">{lines}</g>'
        f'<g font-size="{TEXT}" font-family="{FONT}, sans-serif" fill="currentColor">{texts}</g></svg>'
    )


Tables = Sequence[tuple[str, Sequence[Sequence[str]]]]
HEAD = 8.0
"""Room for the title over the drawing [mm]."""
OVERLAP = 10.0
"""How far neighbouring pages of a drawing at true scale repeat each other [mm]."""


def to_pdf(drawing: Drawing, page: tuple[float, float], title: str, tables: Tables) -> bytes:
    """The drawing on one page of a size [mm], then its tables."""
    pdf = begin_pdf(page, title)
    pdf.add_page()
    _head(pdf, title)
    put_drawing(pdf, drawing, MARGIN, MARGIN + HEAD)
    return _end(pdf, tables)


def to_tables(page: tuple[float, float], title: str, tables: Tables) -> bytes:
    """Tables alone, on pages of a size [mm]."""
    pdf = begin_pdf(page, title)
    return _end(pdf, tables, title)


def to_tiles(drawing: Drawing, page: tuple[float, float], title: str, tables: Tables) -> bytes:
    """The drawing as it is over as many pages as it takes, then its tables.

    The first page shows how the others are joined. Pages repeat ``OVERLAP`` of their neighbours, with rings to
    lay over each other; a page that nothing is drawn on is left out.
    """
    wide, tall = _room(page)
    kept = tiles(drawing, page)
    pdf = begin_pdf(page, title)
    pdf.add_page()
    _head(pdf, f"{title}: how {len(kept)} pages are joined. Print at 100 %, not fitted to the page.")
    share = min(wide / drawing.width, tall / drawing.height)
    put_drawing(pdf, drawing, MARGIN, MARGIN + HEAD, share)
    pdf.set_dash_pattern()
    for number, (x, y) in enumerate(kept, 1):
        left, top = MARGIN + share * x, MARGIN + HEAD + share * y
        pdf.set_line_width(0.2)
        pdf.rect(left, top, share * min(wide, drawing.width - x), share * min(tall, drawing.height - y))
        pdf.set_font(FONT, "B", 9)
        pdf.text(left + 1.5, top + 4, str(number))
    for number, (x, y) in enumerate(kept, 1):
        pdf.add_page()
        _head(pdf, f"Page {number} of {len(kept)}. {title}. This line is 100 mm long:")
        end = pdf.w - MARGIN
        pdf.set_line_width(0.4)
        pdf.line(end - 100, MARGIN + 1, end, MARGIN + 1)
        with pdf.rect_clip(MARGIN, MARGIN + HEAD, wide, tall):
            put_drawing(pdf, drawing, MARGIN - x, MARGIN + HEAD - y)
        pdf.set_dash_pattern()
        pdf.set_line_width(0.1)
        half = 0.5 * OVERLAP
        for across in (MARGIN + half, MARGIN + wide - half):
            for down in (MARGIN + HEAD + half, MARGIN + HEAD + tall - half):
                pdf.circle(across, down, 2.5)
                pdf.circle(across, down, 0.3)
    return _end(pdf, tables)


def _room(page: tuple[float, float]) -> tuple[float, float]:
    """What of a page is drawn on [mm]."""
    return page[0] - 2 * MARGIN, page[1] - 2 * MARGIN - HEAD


def tiles(drawing: Drawing, page: tuple[float, float]) -> list[tuple[float, float]]:
    """Corners of the pages that a drawing at true scale takes, from its own corner [mm]."""
    wide, tall = _room(page)
    columns, rows = (
        max(1, math.ceil((size - OVERLAP) / (room - OVERLAP)))
        for size, room in ((drawing.width, wide), (drawing.height, tall))
    )
    corners = [(c * (wide - OVERLAP), r * (tall - OVERLAP)) for r in range(rows) for c in range(columns)]
    return [(x, y) for x, y in corners if _touches(drawing, x, y, wide, tall)]


def _touches(drawing: Drawing, x: float, y: float, wide: float, tall: float) -> bool:
    """Whether any line or word lies on a page with its corner at (x, y)."""
    lines = any(
        max(li.x1, li.x2) >= x and min(li.x1, li.x2) <= x + wide and max(li.y1, li.y2) >= y
        and min(li.y1, li.y2) <= y + tall
        for li in drawing.lines
    )  # fmt: skip
    return lines or any(x <= t.x <= x + wide and y <= t.y <= y + tall for t in drawing.texts)


def _head(pdf: FPDF, title: str) -> None:
    pdf.set_font(FONT, "B", 10)
    pdf.text(MARGIN, MARGIN + 2, plain_text(pdf, title))


def _end(pdf: FPDF, tables: Tables, title: str = "") -> bytes:
    from fpdf.enums import XPos, YPos

    pdf.add_page()
    if title:
        _head(pdf, title)
        pdf.ln(6)
    for heading, rows in tables:
        pdf.set_font(FONT, "B", 10)
        pdf.cell(0, 7, plain_text(pdf, heading), new_x=XPos.LMARGIN, new_y=YPos.NEXT)
        pdf.set_font(FONT, "", 8)
        widths = tuple(min(MOST_WIDE, max(LEAST_WIDE, *map(len, column))) for column in zip(*rows, strict=True))
        with pdf.table(
            first_row_as_headings=len(rows[0]) > 1, line_height=4.5, text_align="LEFT", col_widths=widths
        ) as table:
            for row in rows:
                cells = table.row()
                for text in row:
                    cells.cell(plain_text(pdf, text))
        pdf.ln(3)
    return bytes(pdf.output())

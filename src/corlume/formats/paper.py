"""Drawings of lines and words on paper, and how they, text and tables come into a PDF."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from fpdf import FPDF

FONT, FONT_FILES = "Atkinson Next", Path(__file__).parent / "fonts"
WIDTHS = {"edge": 0.7, "thin": 0.25, "dash": 0.3, "mark": 0.4, "drill": 0.4, "iso": 0.12}
"""Widths of the kinds of line [mm]."""


@dataclass(frozen=True, slots=True)
class Line:
    """A straight line [mm]; ``kind`` is one of ``WIDTHS``."""

    x1: float
    y1: float
    x2: float
    y2: float
    kind: str = "thin"


@dataclass(frozen=True, slots=True)
class Text:
    """A word at a place [mm]; ``anchor`` is start, middle or end."""

    x: float
    y: float
    words: str
    anchor: str = "middle"


@dataclass(frozen=True, slots=True)
class Drawing:
    """Lines and words on paper of a size [mm]; ``scale`` is paper millimetres for a metre."""

    width: float
    height: float
    scale: float
    lines: tuple[Line, ...]
    texts: tuple[Text, ...]


def begin_pdf(page: tuple[float, float], title: str) -> FPDF:
    """A document without pages, of a page's width and height [mm]."""
    from fpdf import FPDF  # half a second, which no page waits for

    wide = page[0] > page[1]
    pdf = FPDF("landscape" if wide else "portrait", unit="mm", format=(min(page), max(page)))
    pdf.set_creation_date(datetime(2000, 1, 1, tzinfo=UTC))  # the same sheet is the same file
    pdf.set_auto_page_break(True, margin=12)
    for style in ("", "B"):
        pdf.add_font(FONT, style, FONT_FILES / f"atkinson-hyperlegible-next-{'bold' if style else 'regular'}.ttf")
    pdf.set_title(title)
    return pdf


def put_drawing(pdf: FPDF, drawing: Drawing, left: float, top: float, share: float = 1.0) -> None:
    """Draw with the corner at (left, top) [mm], shrunk to a share; words are left out where they would not be read."""
    for li in drawing.lines:
        pdf.set_line_width(WIDTHS[li.kind])
        pdf.set_dash_pattern(3, 2) if li.kind == "dash" else pdf.set_dash_pattern()
        pdf.line(left + share * li.x1, top + share * li.y1, left + share * li.x2, top + share * li.y2)
    if share < 0.5:
        return
    pdf.set_font(FONT, "", 8)
    for t in drawing.texts:
        words = plain_text(pdf, t.words)
        back = {"start": 0.0, "middle": 0.5, "end": 1.0}[t.anchor] * pdf.get_string_width(words)
        pdf.text(left + share * t.x - back, top + share * t.y, words)


def plain_text(pdf: FPDF, text: str) -> str:
    """The text with a question mark for each character that the font does not have, and u for the micro sign."""
    from fpdf.fonts import TTFFont

    font = pdf.fonts[FONT.lower()]
    drawn = font.cmap if isinstance(font, TTFFont) else {}
    return "".join(one if ord(one) in drawn else "?" for one in text.replace("\u00b5", "u"))

"""The book of a tank as a PDF, from its HTML: headings, text, lists and tables as they stand there, with drawings."""

from __future__ import annotations

import base64
import io
from collections.abc import Mapping
from dataclasses import dataclass, field
from html.parser import HTMLParser
from typing import TYPE_CHECKING, Literal

from corlume.formats.paper import FONT, Drawing, begin_pdf, plain_text, put_drawing

if TYPE_CHECKING:
    from fpdf import FPDF

MARGIN = 14.0
SIZES = {1: 18.0, 2: 13.0, 3: 10.5}
"""Letters of headings [pt]."""
TEXT, SMALL = 9.5, 8.0
MOST_WEIGHT = 60
"""A column counts as no wider than so many letters when the width is shared out."""
Sort = Literal["heading", "text", "list", "table", "drawing", "picture"]


@dataclass
class Block:
    """A part of the book: a heading of a level, a text, a list of items, a table of rows, or a picture by its key."""

    sort: Sort
    text: str = ""
    level: int = 0
    rows: list[list[str]] = field(default_factory=list)


class _Reader(HTMLParser):
    """Reads the book's own HTML into blocks; drawings stand in elements that name them."""

    def __init__(self) -> None:
        super().__init__()
        self.blocks: list[Block] = []
        self._said, self._skipped = "", 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        named = dict(attrs)
        if self._skipped or tag in ("svg", "style", "nav", "head"):
            self._skipped += tag not in ("meta", "img", "input", "br", "link", "path", "use")
        elif "data-drawing" in named:
            self.blocks.append(Block("drawing", named["data-drawing"] or ""))
            self._skipped = 1
        elif tag == "img":
            self.blocks.append(Block("picture", named.get("src") or ""))
        elif tag == "table":
            self.blocks.append(Block("table"))
        elif tag == "tr":
            self.blocks[-1].rows.append([])
        elif tag == "ol":
            self.blocks.append(Block("list"))
        if tag in ("p", "li", "td", "th", "h1", "h2", "h3", "figcaption"):
            self._said = ""

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag == "img":
            self.handle_starttag(tag, attrs)

    def handle_endtag(self, tag: str) -> None:
        if self._skipped:
            self._skipped -= 1
            return
        words = " ".join(self._said.split())
        if tag in ("h1", "h2", "h3"):
            self.blocks.append(Block("heading", words, int(tag[1])))
        elif tag in ("p", "figcaption") and words:
            self.blocks.append(Block("text", words))
        elif tag == "li":
            self.blocks[-1].rows.append([words])
        elif tag in ("td", "th"):
            self.blocks[-1].rows[-1].append(words)

    def handle_data(self, data: str) -> None:
        if not self._skipped:
            self._said += data


def read_blocks(html: str) -> list[Block]:
    """The blocks of the book's HTML in order."""
    reader = _Reader()
    reader.feed(html)
    return reader.blocks


def book_pdf(html: str, drawings: Mapping[str, Drawing], page: tuple[float, float], title: str) -> bytes:
    """The book on pages of a width and height [mm]; ``drawings`` by the names that the HTML gives them."""
    pdf = begin_pdf(page, title)
    pdf.set_margins(MARGIN, MARGIN)
    pdf.add_page()
    blocks = read_blocks(html)
    for k, block in enumerate(blocks):
        match block.sort:
            case "heading":
                after = [drawings[b.text].height for b in blocks[k + 1 : k + 3] if b.text in drawings]
                _heading(pdf, block, max(after, default=0.0))
            case "text":
                _text(pdf, block.text)
            case "list":
                for number, (words,) in enumerate(block.rows, 1):
                    _text(pdf, f"{number}. {words}", 1.0)
                pdf.ln(1.5)
            case "table":
                _table(pdf, block.rows)
            case "picture":
                _picture(pdf, block.text)
            case "drawing":
                if block.text in drawings:
                    _drawing(pdf, drawings[block.text])
    for number in range(1, pdf.page + 1):
        pdf.page = number
        pdf.set_font(FONT, "", SMALL)
        pdf.text(pdf.w - MARGIN - 8, pdf.h - 7, str(number))
    return bytes(pdf.output())


def _heading(pdf: FPDF, block: Block, after: float) -> None:
    """A heading on the page of what follows it, a drawing of a height among it [mm]."""
    size = SIZES[block.level]
    if pdf.get_y() + 2 * size + after > pdf.h - MARGIN and pdf.get_y() > 2 * MARGIN:
        pdf.add_page()
    if block.level > 1 and pdf.get_y() > 2 * MARGIN:
        pdf.ln(3)
    pdf.set_font(FONT, "B", size)
    pdf.multi_cell(0, 0.5 * size, plain_text(pdf, block.text), new_x="LMARGIN", new_y="NEXT")
    pdf.ln(1.5)


def _text(pdf: FPDF, words: str, after: float = 2.0) -> None:
    pdf.set_font(FONT, "", TEXT)
    pdf.multi_cell(0, 4.6, plain_text(pdf, words), align="L", new_x="LMARGIN", new_y="NEXT")
    pdf.ln(after)


def _table(pdf: FPDF, rows: list[list[str]]) -> None:
    """A table whose columns share the width by their longest words."""
    if not rows:
        return
    count = max(len(row) for row in rows)
    filled = [row + [""] * (count - len(row)) for row in rows]
    weights = tuple(min(MOST_WEIGHT, max(4, *(len(row[k]) for row in filled))) for k in range(count))
    pdf.set_font(FONT, "", SMALL)
    pdf.set_line_width(0.1)
    with pdf.table(col_widths=weights, line_height=4.2, text_align="LEFT", borders_layout="HORIZONTAL_LINES") as table:
        for row in filled:
            cells = table.row()
            for words in row:
                cells.cell(plain_text(pdf, words))
    pdf.ln(3)


def _picture(pdf: FPDF, source: str) -> None:
    """A photo that stands in the HTML as data."""
    head, _, data = source.partition(",")
    if not head.endswith("base64"):
        return
    if pdf.get_y() > pdf.h - 80:
        pdf.add_page()
    pdf.image(io.BytesIO(base64.b64decode(data)), w=80, keep_aspect_ratio=True)
    pdf.ln(2)


def _drawing(pdf: FPDF, drawing: Drawing) -> None:
    room = pdf.w - 2 * MARGIN
    share = min(1.0, room / drawing.width)
    if pdf.get_y() + share * drawing.height > pdf.h - MARGIN:
        pdf.add_page()
    top = pdf.get_y()
    put_drawing(pdf, drawing, MARGIN, top, share)
    pdf.set_dash_pattern()
    pdf.set_line_width(0.2)
    pdf.set_y(top + share * drawing.height + 2)

"""The book of a tank: all chapters in one file that asks nothing of anybody, with the figures of the pages."""

from __future__ import annotations

import datetime
import io
import re
from html import unescape

from PIL import Image
from pypdf import PdfReader
from starlette.testclient import TestClient

from corlume.core.judging.targets import LightTargets
from corlume.core.keeping.scene import Running
from corlume.core.light.geometry import Tank
from corlume.core.upkeep.log_event import LogEvent
from corlume.services.keeping import tanks
from corlume.services.upkeep.log import add_event
from corlume.store.database import Database

BOOK = "/tanks/1/log/book"


def test_the_book_has_all_chapters_and_no_address_outside(client: TestClient, db: Database) -> None:
    picture = io.BytesIO()
    Image.new("RGB", (60, 40), "navy").save(picture, "JPEG")
    now = datetime.datetime.now()
    add_event(db, 1, LogEvent("note", now.date(), words="<b>From the sofa"), now, picture.getvalue())
    answer = client.get(BOOK)
    assert answer.headers["content-disposition"] == 'attachment; filename="tern-skerry-book.html"'
    book = answer.text
    for heading in ("Tank", "Light", "Mounting", "Survey", "Corals", "Day", "Lamps", "What to do when"):
        assert f">{heading}</h2>" in book
    assert "<script" not in book
    outside = re.findall(r'(?:src|href)="(?!#|data:)[^"]*"|url\((?!data:|#|"?data:)[^)]*\)|@import', book)
    assert outside == []
    assert len(re.findall(r'src="data:image/jpeg;base64,', book)) >= 1
    assert "&lt;b&gt;From the sofa" in book
    # the same figures as on the pages
    state = re.findall(r'coral-state">(\d+)', client.get("/tanks/1/corals").text)
    column = re.findall(r"<td>[\d.]+, [\d.]+, [\d.]+</td><td>(\d+)</td>", re.sub(r">\s+<", "><", book))
    assert column == state
    assert len(book) < 2_000_000


def test_the_pdf_says_what_the_html_says(client: TestClient) -> None:
    """Read back by pypdf: every heading, every coral with its PAR, every reading, on the paper of the unit."""
    html = client.get(BOOK).text
    answer = client.get(f"{BOOK}/pdf")
    assert answer.headers["content-disposition"] == 'attachment; filename="tern-skerry-book.pdf"'
    reader = PdfReader(io.BytesIO(answer.content))
    assert [round(float(side) / 72 * 25.4) for side in reader.pages[0].mediabox[2:]] == [210, 297]
    words = re.sub(r"\s+", " ", " ".join(page.extract_text() for page in reader.pages))
    for heading in re.findall(r"<h[123][^>]*>([^<]+)<", html):
        assert heading in words
    for row in re.findall(r"<tr>(.*?)</tr>", html, re.DOTALL):
        for cell in re.findall(r"<td>([^<]*)</td>", row):
            plain = re.sub(r"\s+", " ", unescape(cell)).strip().replace("\u00b5", "u")
            assert plain in words, plain
    assert "umol/m" in words
    assert "PAR; lines at" in words
    assert "?" not in words
    assert len(reader.pages) < 12
    client.cookies.set("unit", "in")
    inches = PdfReader(io.BytesIO(client.get(f"{BOOK}/pdf").content))
    assert [round(float(side) / 72, 1) for side in inches.pages[0].mediabox[2:]] == [8.5, 11.0]


def test_a_tank_without_anything_has_a_book(client: TestClient, db: Database) -> None:
    bare = tanks.create_tank(db, "Bare", Tank(0.8, 0.4, 0.4), LightTargets(), Running())
    assert client.get(f"/tanks/{bare}/log/book/pdf").content.startswith(b"%PDF")
    book = client.get(f"/tanks/{bare}/log/book")
    assert book.status_code == 200
    for words in ("No fixtures in this setup.", "No survey yet", "No lamps recorded."):
        assert words in book.text

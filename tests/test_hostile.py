"""Requests that no page of ours sends: none may end in an answer of 500, and none may slip past the guard."""

from __future__ import annotations

import asyncio
import datetime
import html
import io
import json
import logging
import random
import re
import subprocess
import sys
import threading
import time
from collections import Counter
from contextlib import suppress
from html.parser import HTMLParser
from pathlib import Path
from urllib.parse import urlencode

import pillow_heif
import pytest
from PIL import Image
from starlette.testclient import TestClient

from corlume.core.light.fixture import Fixture
from corlume.core.light.lobe import TableLobe
from corlume.formats.file_faults import BadFile
from corlume.formats.photometry import write_lm63
from corlume.formats.picture import read_picture
from corlume.serve import _log_to
from corlume.services import jobs
from corlume.services.keeping import fixture_library, hung_fixtures, tanks
from corlume.settings import Settings
from corlume.store.database import Database
from corlume.web.app import create_app
from corlume.web.request.request_guard import MAX_BODY
from tests import loops
from tests.light.test_photometry import GOOD

IDS = [0, 1, 2, 3, 7, 15, 999, -1, 2**31, 2**63 - 1, 2**63, 2**64, "1.5", "x", "%00", "1e9", "\u0663", ""]
TEXTS = [
    "",
    " ",
    "0",
    "-1",
    "1,5",
    "90 deg",
    "45 %",
    "1e308",
    "nan",
    "inf",
    "12 in",
    "{0}",
    "{away:>300000000}",
    "%s",
]
TEXTS += [
    "{away}",
    "<b>",
    "x" * 300,
    "y" * 5000,
    "\u202e",
    "\x00",
    "\U0001f420",
    "on",
    "sps",
    "cluster",
    "1" * 400,
    "2026-02-30",
]
SCALARS = [*TEXTS, None, True, 0, -1, 1e308, 2**63, 0.3, [], {}, [[]], {"x": 1}, "\ud800"]
TYPES = ["application/json", "application/x-www-form-urlencoded", "multipart/form-data; boundary=b", "text/plain", ""]
TYPES += ["multipart/form-data; boundary=b; charset=klingon", "multipart/form-data", "application/json; charset=utf-7"]
FIELDS = """
name length width x y height entry stocking purpose school back setup zone card unit
theme count_low count_high height_low height_high band_low band_high draft weight price form flow base water
ripple left_pane probe changes selected layer purpose start end view depth levels wear output
agreed par_low par_high volts a b
""".split()


def some(draw: random.Random, depth: int = 0) -> object:
    if depth < 2 and draw.random() < 0.3:
        return {draw.choice([*FIELDS, "1", "2"]): some(draw, depth + 1) for _ in range(draw.randrange(5))}
    return draw.choice(SCALARS)


def body_of(draw: random.Random, kind: str) -> bytes:
    """A body that goes with its kind about as often as not."""
    fields = {draw.choice(FIELDS): draw.choice(TEXTS) for _ in range(draw.randrange(8))}
    match draw.randrange(5):
        case 0:
            probe = {"x": draw.choice([0.3, 9, None]), "y": 0.2, "depth": draw.choice([0.2, "deep"])}
            values = {draw.choice(FIELDS): draw.choice(SCALARS) for _ in range(3)}
            changes = {str(draw.choice(IDS)): values, "1": {draw.choice(["x", "name", "output"]): draw.choice(SCALARS)}}
            return json.dumps({"probe": probe, "changes": changes}).encode()
        case 1:
            return json.dumps(some(draw)).encode()
        case 2:
            return bytes(draw.randrange(256) for _ in range(draw.randrange(200)))
    if "multipart" in kind:
        parts = [f'--b\r\nContent-Disposition: form-data; name="{k}"\r\n\r\n{v}\r\n' for k, v in fields.items()]
        parts += [f'--b\r\nContent-Disposition: form-data; name="file"; filename="f{k}"\r\n\r\n{GOOD}\r\n'
                  for k in range(draw.randrange(4))]  # fmt: skip
        return ("".join(parts) + "--b--\r\n").encode("utf-8", "replace")[: draw.choice([10**6, 120])]
    return "&".join(f"{k}={v}" for k, v in fields.items()).encode("utf-8", "replace")


# what a form that breaks off had in memory is closed by the collector of garbage, which says so
@pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")
@pytest.mark.logs_light
def test_no_request_of_six_hundred_ends_in_an_answer_of_500(client: TestClient, db: Database) -> None:
    draw, seen = random.Random(20261125), Counter[int]()
    tanks.import_tank(db, tanks.export_tank(db, 1).encode())
    routes = [(path, m.upper()) for path, ms in client.app.openapi()["paths"].items() for m in ms]  # type: ignore[attr-defined]
    assert len(routes) > 60
    slow = ("/light-types", "/faults", "/mounting", "/restore", "/backup")
    routes = [(path, method) for path, method in routes for _ in range(1 if any(s in path for s in slow) else 4)]
    for _ in range(600):
        path, method = draw.choice(routes)
        while "{" in path:
            name = path.partition("{")[2].partition("}")[0]
            good = {"tank_id": [1, 2], "setup_id": [1, 2, 3]}.get(name, [1, 2, 4])
            path = path.replace(f"{{{name}}}", str(draw.choice(good if draw.random() < 0.7 else IDS)), 1)
        if draw.random() < 0.3:
            path += (
                f"?{draw.choice(['setup', 'entry', 'purpose', 'coral', 'a', 'b'])}={draw.choice([*IDS, *TEXTS[:12]])}"
            )
        kind = draw.choice(TYPES)
        headers = {"Content-Type": kind} if kind else {}
        if draw.random() < 0.1:
            headers["Cookie"] = f"unit={draw.choice(['in', 'x', '%00'])}; theme=night"
        answer = client.request(method, path.replace("\x00", "%00"), content=body_of(draw, kind), headers=headers)
        jobs.stop_all()  # nobody waits for what it may have begun
        seen[answer.status_code] += 1
        assert answer.status_code < 500, (method, path, headers, answer.text[:300])
        assert answer.headers["Content-Security-Policy"]
        assert len(answer.content) < 3_000_000
    assert client.get("/tanks").status_code == 200
    assert min(seen[200], seen[303], seen[404], seen[422]) > 10, seen  # it got everywhere


def test_braces_in_names_are_braces_everywhere(client: TestClient, db: Database) -> None:
    names = ["Lamp {1}", "{away:>300000000}", "{nothing}", "{{x}} %s {", "}"]
    for name, fixture in zip(names, tanks.open_tank(db, 1).setups[1].fixtures, strict=False):
        hung_fixtures.change_fixtures(db, 1, 2, {fixture.id: {"name": name}})
    scene = json.loads(tanks.export_tank(db, 1))
    for coral in scene["corals"]:
        coral["name"] = names[len(coral["name"]) % 5] + coral["name"][:20]
    tank_id = tanks.import_tank(db, json.dumps(scene).encode())
    setup = tanks.open_tank(db, tank_id).setups[1].id
    coral = tanks.open_tank(db, tank_id).corals[3].id
    mount = f"setups/{setup}/mounting"
    for path in (
        mount,
        f"{mount}/sheet.pdf",
        "corals",
        f"corals?coral={coral}",
        f"par-map?setup={setup}",
        f"layout?setup={setup}",
    ):
        answer = client.get(f"/tanks/{tank_id}/{path}")
        assert answer.status_code == 200, path
        assert len(answer.content) < 2_000_000
    sheet = client.get(f"/tanks/{tank_id}/setups/{setup}/mounting").text
    assert all(html.escape(name) in sheet for name in names)
    low = {"changes": {str(tanks.open_tank(db, tank_id).setups[1].fixtures[0].id): {"height": "{value"}},
           "probe": {"x": 0.3, "y": 0.2, "depth": 0.2}}  # fmt: skip
    answer = client.post(f"/tanks/{tank_id}/setups/{setup}/light", json=low)
    assert 'is not a number: "{value"' in answer.json()["errors"]["height"]


@pytest.mark.parametrize("place", ["name", "frame"])
def test_long_text_is_refused_with_words_and_never_cut(client: TestClient, db: Database, place: str) -> None:
    body = {"probe": {"x": 0.3, "y": 0.2, "depth": 0.2}, "changes": {"1": {place: "n" * 300}}}
    answer = client.post("/tanks/1/setups/1/fixtures", json=body)
    assert answer.status_code == 422
    assert answer.json()["errors"][place] == "has 300 characters, and at most 80 are kept"
    name, size = {"name": "n" * 300}, {"x": "1", "y": "1", "base": "0", "length": "5", "width": "5", "height": "5"}
    for path, data in (("setups/1/rename", name), ("rocks", name | size), ("corals/1/card", name)):
        page = client.post(f"/tanks/1/{path}", data=data)
        assert page.status_code == 422
        assert "300 characters, and at most 80" in page.text
    assert 20 * "n" not in tanks.export_tank(db, 1)


def test_headers_stand_on_refusals_too_and_pages_are_not_kept(client: TestClient) -> None:
    wrong = client.get("/tanks", headers={"Host": "elsewhere.example"})
    assert wrong.status_code == 400
    assert "CORLUME_HOSTS" in wrong.text
    for answer in (wrong, client.get("/tanks"), client.get("/nowhere")):
        assert answer.headers["Content-Security-Policy"].startswith("default-src 'none'")
        assert answer.headers["X-Content-Type-Options"] == "nosniff"
        assert answer.headers["Cache-Control"] == "no-store"
    assert client.get("/static/app.css").headers["Cache-Control"] == "no-cache"
    page = client.get("/tanks", headers={"Accept-Encoding": "gzip"})
    assert page.headers["Content-Encoding"] == "gzip"
    [styles] = re.findall(r'href="(/static/app\.css\?v=[0-9a-f]{12})"', page.text)
    assert "immutable" in client.get(styles).headers["Cache-Control"]


async def _raw(app: object, messages: list[dict[str, object]], headers: dict[str, str]) -> int:
    """Speak to the application without a client that knows how to behave; returns the status."""
    named = [(k.encode(), v.encode()) for k, v in {"host": "127.0.0.1", **headers}.items()]
    scope = {
        "type": "http",
        "http_version": "1.1",
        "method": "POST",
        "path": "/tanks/1/setups/1/rename",
        "headers": named,
    }
    scope |= {"raw_path": b"", "query_string": b"", "root_path": "", "scheme": "http", "client": ("127.0.0.1", 9)}
    scope |= {"server": ("127.0.0.1", 80)}
    queue, sent = iter(messages), []

    async def receive() -> dict[str, object]:
        if (message := next(queue, None)) is None:
            await asyncio.sleep(60)
        return message or {"type": "http.disconnect"}

    async def send(message: dict[str, object]) -> None:
        sent.append(message)

    await app(scope, receive, send)  # type: ignore[operator]
    return int(sent[0]["status"])


def _answered(app: object, messages: list[dict[str, object]], headers: dict[str, str]) -> int:
    return loops.run(_raw(app, messages, headers))


def test_bodies_are_counted_as_they_come_and_half_sent_ones_are_given_up(
    db: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("corlume.web.request.request_guard.PATIENCE", 0.1)
    piece = {"type": "http.request", "body": b"x" * 100_000, "more_body": True}
    lying = {"content-length": "10", "transfer-encoding": "chunked", "content-type": "text/plain"}
    app = create_app(db, Settings())
    assert _answered(app, [piece] * (MAX_BODY // 100_000 + 2), lying) == 413
    start = time.monotonic()
    assert _answered(app, [piece], lying) == 408
    assert time.monotonic() - start < 5


def test_large_upload_holds_nobody_up_and_can_be_kept(client: TestClient, db: Database) -> None:
    """A table of 181 x 181 directions, 1.3 MB as LM-63: once it held every page up and never came back."""
    theta, phi = ([k * 0.00872664626 for k in range(181)], [k * 0.0349065850399 for k in range(181)])
    table = tuple(tuple(1.0 + 0.001 * ((i * 7 + j * 13) % 97) for j in range(181)) for i in range(181))
    lobe = TableLobe(tuple(theta), tuple(phi), table)
    text = write_lm63("Large", lobe, length=0.4, width=0.2, watts=90).encode()
    waits: list[float] = []

    def look() -> None:
        for _ in range(12):
            start = time.perf_counter()
            client.get("/static/mark.svg")
            waits.append(time.perf_counter() - start)

    other = threading.Thread(target=look)
    other.start()
    seen = client.post("/fixtures/import", files={"file": ("a.ies", text)}, data={"technology": "led_bar", "ppf": "90"})
    other.join()
    assert seen.status_code == 200
    draft = seen.text.partition('name="draft" value="')[2].partition('"')[0]
    assert len(seen.content) < 300_000
    key = client.post("/fixtures/put", data={"draft": draft, "name": "Large"}).headers["location"].rpartition("/")[2]
    kept: Fixture = fixture_library.entry(db, key).parts[0]
    assert kept.emitter.lobe is not None
    assert max(waits) < 1.5


class Forms(HTMLParser):
    """Gathers the forms of a page: where each is posted to, and what its fields hold."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.found: list[tuple[str, dict[str, str]]] = []
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        found = dict(attrs)
        if tag == "form" and found.get("method") == "post":
            self.found.append((found.get("action") or "", {}))
        if self.found and tag in ("input", "textarea", "select", "button") and found.get("name"):
            self.found[-1][1][str(found["name"])] = found.get("value") or ""


def test_a_field_that_comes_twice_with_two_texts_is_told_on_every_form(client: TestClient) -> None:
    tank = "/tanks/1"
    pages = ["/tanks/new", tank, f"{tank}/zones", f"{tank}/corals?coral=3", f"{tank}/corals/3/log", f"{tank}/layout",
             f"{tank}/survey", f"{tank}/survey/1", f"{tank}/setups/1/mounting", f"{tank}/corals/spots",
             f"{tank}/corals/flow", "/fixtures/fit"]  # fmt: skip
    told, headers = 0, {"Content-Type": "application/x-www-form-urlencoded"}
    for page in pages:
        for address, fields in Forms(client.get(page).text).found:
            if any(word in address for word in ("remove", "undo", "redo", "survey/1/spots/1")):
                continue
            for name in [*fields][::5]:
                body = urlencode([*fields.items(), (name, "this"), (name, "that")])
                answer = client.post(address or page, content=body, headers=headers)
                assert answer.status_code < 500, (address, name)
                told += "came twice" in answer.text
    assert told > 15


def test_names_of_a_host_that_are_none_are_refused(client: TestClient) -> None:
    for host in ("127.0.0.1:80@evil.example", "127.0.0.1@evil.example", "127.0.0.1:80:90", "127.0.0.1/", ""):
        assert client.get("/tanks", headers={"Host": host}).status_code == 400, host
    assert client.get("/tanks", headers={"Host": "127.0.0.1:8420"}).status_code == 200
    lost = client.get("/pair/nothing/style.css")
    assert (lost.status_code, bool(lost.text)) == (410, True)


def test_line_breaks_of_a_path_make_no_line_of_the_log(tmp_path: Path) -> None:
    _log_to(tmp_path / "corlume.log")
    logger = logging.getLogger("corlume")
    logger.warning("refused GET %s", "/a\nERROR forged\x1b[2J\u2028b")
    handler = logger.handlers[-1]
    handler.close()
    for name in ("corlume", "uvicorn.error"):
        logging.getLogger(name).removeHandler(handler)
    text = (tmp_path / "corlume.log").read_text()
    assert text.count("\n") == 1
    assert r"/a\nERROR forged\x1b[2J\u2028b" in text


def test_photos_of_a_phone_are_read_anywhere_and_damaged_ones_are_told(client: TestClient) -> None:
    picture = Image.effect_noise((2400, 2000), 90).convert("RGB")
    large, heic = io.BytesIO(), io.BytesIO()
    picture.save(large, "JPEG", quality=97)
    assert len(large.getvalue()) > 4_000_000
    pillow_heif.from_pillow(picture.resize((240, 200))).save(heic)
    note, photo = (
        {"note_kind": "photo", "note_day": datetime.date.today().isoformat()},
        {"name": "Front", "view": "front"},
    )
    for path, data in (("corals/3/log/notes", note), ("survey/photos", photo)):
        kept = client.post(f"/tanks/1/{path}", data=data, files={"photo": ("a.jpg", large.getvalue())})
        assert kept.status_code == 303, path
        half = len(heic.getvalue()) // 2
        torn = client.post(f"/tanks/1/{path}", data=data, files={"photo": ("a.heic", heic.getvalue()[:half])})
        assert torn.status_code == 422
        assert "is not a PNG, JPEG or HEIC image that can be read" in torn.text
    draw = random.Random(3)
    for _ in range(60):
        damaged = bytearray(heic.getvalue())
        for _ in range(20):
            damaged[draw.randrange(len(damaged))] = draw.randrange(256)
        with suppress(BadFile):
            read_picture(bytes(damaged))


TWO_AT_ONCE = """
import io, resource, sys, threading
from PIL import Image
from corlume.formats.picture import read_picture
data = open(sys.argv[1], "rb").read()
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
threads = [threading.Thread(target=read_picture, args=(data,)) for _ in range(3)]
[t.start() for t in threads]; [t.join() for t in threads]
print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024)
"""


def test_large_pictures_take_their_turn_and_too_large_ones_are_refused(tmp_path: Path) -> None:
    """Three of 39 megapixels at once take less than 400 MB; one of 42 is not decoded."""
    Image.new("RGB", (6500, 6000), (9, 200, 30)).save(tmp_path / "a.png")
    command = [sys.executable, "-c", TWO_AT_ONCE, str(tmp_path / "a.png")]
    done = subprocess.run(command, capture_output=True, text=True, timeout=120, check=True)
    assert float(done.stdout) < 400
    large = io.BytesIO()
    Image.new("L", (7000, 6000)).save(large, "PNG")
    with pytest.raises(BadFile, match="42 million pixels: at most 40"):
        read_picture(large.getvalue())


def test_light_that_comes_out_of_the_dark_is_compared_in_words(client: TestClient, db: Database) -> None:
    fixtures = tanks.open_tank(db, 1).setup(1).fixtures
    hung_fixtures.change_fixtures(db, 1, 1, {kept.id: {"output": 0.0} for kept in fixtures})
    assert "from dark" in client.get("/tanks/1/survey/compare?a=setup-1&b=setup-2").text
    assert "dark in both" in client.get("/tanks/1/survey/compare?a=setup-1&b=setup-1").text

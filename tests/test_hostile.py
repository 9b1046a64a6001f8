"""Requests that no page of ours sends: none may end in an answer of 500, and none may slip past the guard."""

from __future__ import annotations

import asyncio
import html
import json
import random
import re
import threading
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor

import pytest
from starlette.testclient import TestClient

from corlume.core.fixture import Fixture
from corlume.core.optics.lobe import TableLobe
from corlume.formats.photometry import write_lm63
from corlume.services.keeping import hung_fixtures, shelf, tanks
from corlume.settings import Settings
from corlume.store.database import Database
from corlume.web.app import create_app
from corlume.web.guard import MAX_BODY
from tests.test_photometry import GOOD

IDS = [0, 1, 2, 3, 7, 15, 999, -1, 2**31, 2**63 - 1, 2**63, 2**64, "1.5", "x", "%00", "1e9", "\u0663", ""]
TEXTS = ["", " ", "0", "-1", "1,5", "90 deg", "45 %", "1e308", "nan", "inf", "12 in", "{0}", "{away:>300000000}", "%s"]
TEXTS += ["<b>", "x" * 300, "y" * 5000, "\u202e", "\x00", "\U0001f420", "on", "sps", "cluster", "1" * 400, "2026-02-30"]
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
def test_no_request_of_two_thousand_ends_in_an_answer_of_500(client: TestClient, db: Database) -> None:
    draw, seen = random.Random(20261125), Counter[int]()
    tanks.import_tank(db, tanks.export_tank(db, 1).encode())
    routes = [(path, m.upper()) for path, ms in client.app.openapi()["paths"].items() for m in ms]  # type: ignore[attr-defined]
    assert len(routes) > 60
    slow = ("/kinds", "/faults", "/mount", "/restore", "/backup")
    routes = [(path, method) for path, method in routes for _ in range(1 if any(s in path for s in slow) else 4)]
    for _ in range(2000):
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
        seen[answer.status_code] += 1
        assert answer.status_code < 500, (method, path, headers, answer.text[:300])
        assert answer.headers["Content-Security-Policy"]
        assert len(answer.content) < 3_000_000
    assert client.get("/tanks").status_code == 200
    assert min(seen[200], seen[303], seen[404], seen[422]) > 20, seen  # it got everywhere


def test_braces_in_names_are_braces_everywhere(client: TestClient, db: Database) -> None:
    names = ["Lamp {1}", "{away:>300000000}", "{distance}", "{{x}} %s {", "}"]
    for name, fixture in zip(names, tanks.open_tank(db, 1).setups[1].fixtures, strict=False):
        hung_fixtures.change_fixtures(db, 1, 2, {fixture.id: {"name": name}})
    scene = json.loads(tanks.export_tank(db, 1))
    for coral in scene["corals"]:
        coral["name"] = names[len(coral["name"]) % 5] + coral["name"][:20]
    tank_id = tanks.import_tank(db, json.dumps(scene).encode())
    setup = tanks.open_tank(db, tank_id).setups[1].id
    coral = tanks.open_tank(db, tank_id).corals[3].id
    mount = f"setups/{setup}/mount"
    for path in (
        mount,
        f"{mount}/sheet.pdf",
        "corals",
        f"corals?coral={coral}",
        f"chart?setup={setup}",
        f"hang?setup={setup}",
    ):
        answer = client.get(f"/tanks/{tank_id}/{path}")
        assert answer.status_code == 200, path
        assert len(answer.content) < 2_000_000
    sheet = client.get(f"/tanks/{tank_id}/setups/{setup}/mount").text
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
    assert "nnn" not in tanks.export_tank(db, 1)


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
    # a browser test of the same worker leaves its loop running in this thread: speak from another
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(lambda: asyncio.run(_raw(app, messages, headers))).result()


def test_bodies_are_counted_as_they_come_and_half_sent_ones_are_given_up(
    db: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("corlume.web.guard.PATIENCE", 0.1)
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
    seen = client.post("/shelf/import", files={"file": ("a.ies", text)}, data={"technology": "led_bar", "ppf": "90"})
    other.join()
    assert seen.status_code == 200
    draft = seen.text.partition('name="draft" value="')[2].partition('"')[0]
    assert len(seen.content) < 300_000
    key = client.post("/shelf/put", data={"draft": draft, "name": "Large"}).headers["location"].rpartition("/")[2]
    kept: Fixture = shelf.entry(db, key).parts[0]
    assert kept.emitter.lobe is not None
    assert max(waits) < 1.5

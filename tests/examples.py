"""What CONTRIBUTING.md says that a coral field, a list, a station, a figure, a technology and a kind of meter need.

Each example is the edits of its files: the text of a new file, or pairs of what is there and what to put behind it.
"""

from __future__ import annotations

from pathlib import Path

EXAMPLES: dict[str, dict[str, str | list[tuple[str, str]]]] = {
    "A new field of a coral": {
        "src/corlume/core/placement/coral_card.py": [
            (
                'note: Annotated[str, Text("Note", 500)] = ""\n',
                '    origin: Annotated[str, Text("Origin", 80)] = ""\n',
            ),
        ],
        "src/corlume/store/sql/0901_coral_origin.sql": (
            "ALTER TABLE corals ADD COLUMN origin TEXT NOT NULL DEFAULT '';\n"
            "ALTER TABLE coral_kinds ADD COLUMN origin TEXT NOT NULL DEFAULT '';\n"
        ),
    },
    "A new kept list": {
        "src/corlume/core/placement/trim.py": '''"""When a coral was trimmed."""

from __future__ import annotations

import datetime
from dataclasses import dataclass
from typing import Annotated

from corlume.core.schema import Day, Length, limits


@dataclass(frozen=True, slots=True)
class Trim:
    """A cut: the day, and how much was taken off [m]."""

    day: Annotated[datetime.date, Day("Day")]
    length: Annotated[float, Length("Taken off", 0.0, 1.0)]

    def __post_init__(self) -> None:
        limits(self).finish()
''',
        "src/corlume/core/placement/coral.py": [
            (
                "notes: Annotated[tuple[LogEntry, ...], Many(2000, table=\"coral_notes\", apart=True)] = ()\n",
                "    trims: Annotated[tuple[Trim, ...], Many(100, apart=True)] = ()\n",
            ),
            (
                "from corlume.core.placement.placement_preferences import NO_WISH, PlacementPreferences\n",
                "from corlume.core.placement.trim import Trim\n",
            ),
        ],
        "src/corlume/store/sql/0902_trims.sql": (
            "CREATE TABLE trims (id INTEGER PRIMARY KEY, coral_id INTEGER NOT NULL, day TEXT NOT NULL, "
            "length REAL NOT NULL) STRICT;\n"
        ),
    },
    "A new station": {
        "src/corlume/core/keeping/feeding.py": '''"""What was fed."""

from __future__ import annotations

import datetime
from dataclasses import dataclass
from typing import Annotated

from corlume.core.schema import Day, Whole, limits


@dataclass(frozen=True, slots=True)
class Feeding:
    """What was given, and when."""

    day: Annotated[datetime.date, Day("Day")]
    cubes: Annotated[int, Whole("Cubes", 1, 40)]

    def __post_init__(self) -> None:
        limits(self).finish()
''',
        "src/corlume/core/keeping/scene.py": [
            (
                'kept_free: Annotated[tuple[KeptFree, ...], Many(40, one="part kept free")] = ()\n',
                "    feedings: Annotated[tuple[Feeding, ...], Many(500)] = ()\n",
            ),
            (
                "from corlume.core.judging.targets import LightTargets\n",
                "from corlume.core.keeping.feeding import Feeding\n",
            ),
        ],
        "src/corlume/store/sql/0903_feedings.sql": (
            "CREATE TABLE feedings (id INTEGER PRIMARY KEY, tank_id INTEGER NOT NULL REFERENCES tanks (id), "
            "day TEXT NOT NULL, cubes INTEGER NOT NULL) STRICT;\n"
        ),
        "src/corlume/services/keeping/feedings.py": '''"""Keep what was fed."""

from __future__ import annotations

from corlume.core.keeping.feeding import Feeding
from corlume.core.keeping.scene import Scene
from corlume.core.schema import check_count
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import OF_SCENE
from corlume.store.tanks import load_tank


def add_feeding(db: Database, tank_id: int, feeding: Feeding) -> int:
    """Write a feeding down; returns its id."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        check_count(Scene, "feedings", len(stored.lists["feedings"]) + 1)
        return OF_SCENE["feedings"].insert(Edit(connection, tank_scope(tank_id), "add a feeding"), feeding, tank_id)
''',
        "src/corlume/web/pages/keeping/feedings.py": '''"""Feeding."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.keeping.feeding import Feeding
from corlume.services.keeping import feedings, tanks
from corlume.web.forms.form import Form, asked
from corlume.web.request.page import Db, FormData, RowId, Unit, go, page

router = APIRouter(prefix="/tanks/{tank_id}/feed")


@router.get("")
def feed(request: Request, db: Db, measure: Unit, tank_id: RowId) -> HTMLResponse:
    """The feedings of a tank, and the form for one more."""
    return _show(request, db, Form({}, measure), tank_id)


@router.post("")
def add(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData) -> Response:
    """Write a feeding down."""
    form = Form(data, measure)
    feeding = form.read(Feeding)
    if feeding is None or not form.ok:
        return _show(request, db, form, tank_id, status=422)
    feedings.add_feeding(db, tank_id, feeding)
    return go(f"/tanks/{tank_id}/feed")


def _show(request: Request, db: Db, form: Form, tank_id: int, status: int = 200) -> HTMLResponse:
    stored = tanks.open_tank(db, tank_id)
    context = {"stored": stored, "fields": asked(Feeding, form.data, form.errors, form.measure)}
    return page(request, "keeping/feedings.html", context, tank=stored, status=status)
''',
        "src/corlume/web/templates/keeping/feedings.html": '''{% extends "base.html" %}
{% from "parts/field.html" import ask %}
{% set station = "feed" %}
{% block main %}
<h1>Feeding</h1>
{% for kept in stored.lists.feedings %}<p class="fed">{{ kept.value.day }}: {{ kept.value.cubes }}</p>{% endfor %}
<form method="post">
  {{ ask(fields.day) }}
  {{ ask(fields.cubes) }}
  <button class="button">Add feeding</button>
</form>
{% endblock %}
''',
        "src/corlume/web/stations.py": [
            (
                "from corlume.web.pages.judging import setups, target_zones\n",
                "from corlume.web.pages.keeping import feedings\n",
            ),
            (
                'Station("corals", "Corals", "/corals", CORALS, ("corals.js", "place_all.js", "spots.js", "shop.js")),\n',
                '    Station("feed", "Feed", "/feed", (feedings.router,)),\n',
            ),
        ],
    },
    "A new figure": {
        "src/corlume/core/judging/figures.py": [
            (
            "shimmer: float | None = None\n",
            '''
    @property
    def least(self) -> float:
        """The least PAR over the mean on the plane at the rock top [-]."""
        return self.plane.least / self.plane.mean
''',
            ),
        ],
        "src/corlume/core/judging/verdicts.py": [
            (
            "        case.graded(_spread(f)),\n",
            '''        Verdict("least", "Least over mean", f"{f.least:.2f}", "plain", "The darkest place at the rock top.",
                "Worked out; no school.", "Spread the light."),
''',
            ),
        ],
    },
    "A new technology": {
        "src/corlume/core/light/technology.py": [
            (
            "TECHNOLOGIES: dict[TechnologyKey, Technology] = {\n",
            '''    "plasma": Technology(
        name="Plasma lamp", wears="arc", arc=Arc(0.5, 0.01), fwhm=100 * DEGREE, length=0.2, width=0.2,
        warm_up=WarmUp(0.5, 60.0), chain=Chain(4.2, "white", (ChainStep("Lamp", 0.3, _OURS),)),
    ),
''',
            ),
        ],
        "src/corlume/reference/fixtures.json": [
            (
            '  "technologies": {\n',
            '''    "plasma": {"life_hours": 20000, "lamp_price": 90, "strong": "full spectrum", "weak": "rare",
      "compared": {"key": "plasma", "name": "Plasma", "told": {"growth": 0.5, "colour": 0.5, "control": 0.5, "quiet": 1.0},
        "fixtures": [{"fixture": "plasma-280"}]}},
''',
            ),
            (
                '  "fixtures": [\n',
                '    {"key": "plasma-280", "name": "Plasma 280 W", "kind": "plasma", "ppf": 300, "fwhm_deg": 100, "length_cm": 20, '
                '"width_cm": 20, "height_cm": 30, "watts": 290, "dimmable": true, "weight_kg": 4, "price": 500, "mount": "Wires", '
                '"channels": [{"name": "Lamp", "spectrum": "halide-10000", "share": 1}]},\n',
            ),
        ],
    },
    "A new type of meter": {
        "src/corlume/devices/plain_meter.py": '''"""A PAR meter that sends plain numbers, a line each, wherever its probe stands."""

from __future__ import annotations

import asyncio
import socketserver
from collections.abc import AsyncIterator, Callable

from corlume.devices.meter import HOST, Meter, MeterKind, MeterLost, Place


async def listen(host: str, port: int, place: Place) -> AsyncIterator[float]:
    """Yield PAR as the meter sends it [umol/m2/s]."""
    try:
        reader, writer = await asyncio.open_connection(host, port)
    except OSError as error:
        raise MeterLost("No meter answers.") from error
    try:
        while line := await reader.readline():
            yield float(line)
    finally:
        writer.close()


class PlainMeterServer(socketserver.ThreadingTCPServer):
    """Sends what a simulated meter reads."""

    daemon_threads = True

    def __init__(self, port: int, new_meter: Callable[[], Meter]) -> None:
        self.new_meter = new_meter
        super().__init__((HOST, port), _Plain)


class _Plain(socketserver.StreamRequestHandler):
    server: PlainMeterServer

    def handle(self) -> None:
        for par in self.server.new_meter().readings():
            self.wfile.write(f"{par}\\n".encode())


PLAIN = MeterKind("plain", "plain numbers", 8425, listen, PlainMeterServer)
''',
        "src/corlume/devices/register.py": [
            (
                "from corlume.devices.line_meter import LINES\n",
                "from corlume.devices.plain_meter import PLAIN\n",
            ),
            ("for kind in (LINES,", " PLAIN"),
        ],
    },
}  # fmt: skip


def apply(root: Path) -> None:
    """Edit a copy of the sources as all examples say."""
    for name, edit in ((name, edit) for edits in EXAMPLES.values() for name, edit in edits.items()):
        path = root / name
        text = edit if isinstance(edit, str) else path.read_text(encoding="utf-8")
        for behind, more in [] if isinstance(edit, str) else edit:
            assert text.count(behind) == 1, f"{name} has no one place {behind!r}"
            text = text.replace(behind, behind + more)
        path.write_text(text, encoding="utf-8")

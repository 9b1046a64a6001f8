"""Odd tanks, many hands at once, and pages that everyone can use."""

from __future__ import annotations

import datetime
import re
import threading
from collections import Counter
from dataclasses import replace
from html.parser import HTMLParser

import numpy as np
import pytest
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.judging.light_zones import surfaces
from corlume.core.keeping.scene import Running, Scene, Setup
from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import SIDES, Brace, Pane, Rock, Tank
from corlume.core.light.water import Water
from corlume.core.placement.coral import Coral, Placement
from corlume.core.placement.coral_card import PlacedCoral
from corlume.core.units import DEGREE
from corlume.formats.scene_file import read_scene, write_scene
from corlume.reference.catalogue import catalogue
from corlume.services.keeping import tanks
from corlume.services.keeping.demo import demo_scene
from corlume.services.light import fields
from corlume.services.placement import zone_placement
from corlume.services.search import run_search
from corlume.services.search.starting_points import default_request
from corlume.store.database import Database
from corlume.store.tanks import unstored
from corlume.web.drawing.corals import draw_corals, draw_surfaces, draw_zones
from corlume.web.drawing.sheet import lay_out_pair
from tests.cards import coral_cards

FACE = Emitter("led_cluster", 200, 110 * DEGREE, 0.18, 0.14, 0.1, 0.1, 0.22)
DARK = Pane("plain", 0.0)


def scene(name: str, tank: Tank, *fixtures: Fixture) -> Scene:
    place = (tank.length / 2, tank.width / 2, tank.water_depth / 2)
    stock = (Coral(coral_cards()["Zoanthus"], Placement(*place)), Coral(coral_cards()["Galaxea"]))
    return Scene(name, tank, setups=(Setup("Only", fixtures, True),), corals=stock)


def lamp(**changes: object) -> Fixture:
    return Fixture(replace(FACE, **changes), watts=100, name="Lamp")  # type: ignore[arg-type]


ODD = [
    scene("No light", Tank(0.8, 0.4, 0.4)),
    scene("All off", Tank(0.8, 0.4, 0.4), replace(lamp(), output=0.0)),
    scene("Least", Tank(0.1, 0.1, 0.05, sand=0.0, rim_height=0.0, room_height=0.1), lamp(x=0.05, y=0.05, height=0.05)),
    scene("Greatest", Tank(5.0, 5.0, 2.0, room_height=5.0), lamp(x=2.5, y=2.5, height=4.9)),
    scene("Long and thin", Tank(5.0, 0.1, 0.5), lamp(x=2.0)),
    scene("Deep and narrow", Tank(0.3, 0.3, 2.0), lamp()),
    scene("Light far outside", Tank(0.8, 0.4, 0.4), lamp(x=-0.9, y=1.3, height=0.02)),
    scene("Black", Tank(0.8, 0.4, 0.4, sand_albedo=0, rock_albedo=0, **dict.fromkeys(SIDES, DARK)), lamp()),
    scene("Rock out of the water", Tank(0.8, 0.4, 0.4, rocks=(Rock(0.3, 0.1, 0, 0.2, 0.2, 0.42),)), lamp()),
    scene("All rock", Tank(0.8, 0.4, 0.4, rocks=(Rock(0, 0, 0, 0.8, 0.4, 0.4),)), lamp()),
    scene("All brace", Tank(0.8, 0.4, 0.4, braces=(Brace(0.0, 0.0, 0.8, 0.4),)), lamp()),
    scene("Steep", Tank(0.8, 0.4, 0.4), lamp(roll=70 * DEGREE, pitch=-40 * DEGREE, turn=1.0, height=0.5)),
    scene("Murky", Tank(0.8, 0.4, 0.4, water=Water("plain", attenuation=5.0, index=1.5), cover=0.05), lamp()),
    scene("Like air", Tank(0.8, 0.4, 0.4, water=Water("plain", index=1.0)), lamp()),
]  # fmt: skip


@pytest.mark.parametrize("odd", ODD, ids=lambda s: s.name)
def test_odd_tanks_draw_judge_and_place_without_nonsense(client: TestClient, odd: Scene) -> None:
    again = read_scene(write_scene(odd).encode())
    assert again.tank.length == pytest.approx(odd.tank.length)
    answer = client.post("/tanks/import", files={"file": ("odd.json", write_scene(odd).encode())})
    assert answer.status_code == 303, answer.text
    paths = ["", "/2", "/2/par-map", "/2/corals?coral=27", "/2/corals?coral=26"]
    # laying out every kind takes long over a large tank, and shows nothing new there
    paths += ["/2/light-types"] * (odd.tank.length < 0.9)
    paths += [f"/2/layout?entry={kind}" for kind in ("cluster", "hybrid-120")]
    paths += ["/2/zones", "/2/setups", "/2/setups/4/mounting"]
    for path in paths:
        page = client.get(f"/tanks{path}")
        assert page.status_code == 200, path
        shown = re.sub(r"<script.*?</script>|<[^>]*>", " ", page.text, flags=re.S)
        assert not re.search(r"\b(nan|inf|None|undefined)\b", shown), path
        assert "nan" not in re.sub(r"<title>.*?</title>", "", " ".join(re.findall(r' d="[^"]*"', page.text)))
    faults = client.get("/tanks/2/layout/faults", headers={"Content-Type": "application/json"})
    assert faults.status_code == 200
    assert not re.search(r"\b(nan|inf|None|undefined)\b", faults.json()["html"])
    for layer in ("par", "share", "shadow"):
        body = {"probe": {"x": 0.05, "y": 0.05, "depth": 0.03}, "layer": layer}
        assert client.post("/tanks/2/setups/4/light", json=body).status_code == 200


def test_light_is_never_negative_and_never_more_than_was_given() -> None:
    for odd in ODD:
        corner = (odd.tank.length, odd.tank.width, odd.tank.water_depth)
        points = np.linspace((0.0, 0.0, 0.0), corner, 40)
        par = fields.par_at(odd.tank, odd.setup().fixtures, points)
        assert (par >= 0).all()
        assert np.isfinite(par).all()


def test_many_hands_at_once_lose_nothing(client: TestClient, db: Database) -> None:
    answers: list[int] = []

    def work(k: int) -> None:
        probe = {"x": 0.3, "y": 0.3, "depth": 0.1 + 0.01 * k}
        moved = {1 + k % 3: {"x": 0.3 + 0.02 * k}}
        answers.append(client.post("/tanks/1/setups/1/light", json={"probe": probe, "changes": moved}).status_code)
        answers.append(client.post("/tanks/1/setups/1/add", data={"entry": "bar"}).status_code)

    threads = [threading.Thread(target=work, args=(k,)) for k in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert Counter(answers) == {200: 8, 303: 8}
    assert len(tanks.open_tank(db, 1).setup(1).fixtures) == 11
    for _ in range(8):
        assert tanks.undo(db, 1) == "add LED bar"
    assert tanks.undo(db, 1) is None


class Labels(HTMLParser):
    """Gathers what has an id, what is a control, and what labels it."""

    def __init__(self) -> None:
        super().__init__()
        self.ids: list[str] = []
        self.controls: list[dict[str, str | None]] = []
        self.labelled: set[str] = set()
        self.inside_label = False

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        found = dict(attrs)
        if found.get("id"):
            self.ids.append(str(found["id"]))
        if tag == "label":
            self.inside_label = True
            self.labelled.add(str(found.get("for")))
        if tag in ("input", "select") and found.get("type") != "hidden" and not self.inside_label:
            self.controls.append(found)

    def handle_endtag(self, tag: str) -> None:
        if tag == "label":
            self.inside_label = False


@pytest.mark.parametrize(
    "path",
    [
        "/tanks",
        "/fixtures",
        "/tanks/new",
        "/tanks/1",
        "/tanks/1/par-map?setup=2",
        "/tanks/1/light-types",
        "/tanks/1/corals?coral=3",
        "/tanks/1/layout",
        "/tanks/1/zones",
        "/tanks/1/setups?a=1&b=2",
        "/tanks/1/setups/1/mounting",
    ],
)
@pytest.mark.parametrize("look", [{"unit": "cm"}, {"unit": "in", "theme": "night"}])
def test_every_control_has_a_name_and_every_id_is_used_once(
    client: TestClient, path: str, look: dict[str, str]
) -> None:
    for name, value in look.items():
        client.cookies.set(name, value)
    text = client.get(path).text
    page = Labels()
    page.feed(text)
    assert [i for i, count in Counter(page.ids).items() if count > 1] == []
    nameless = [c for c in page.controls if c.get("id") not in page.labelled and not c.get("aria-label")]
    assert nameless == []
    assert f'data-theme="{look.get("theme", "day")}"' in text
    assert re.findall(r"<button[^>]*>\s*</button>", text) == []


# ---- the corals' drawing ----


def test_corals_drawing_shows_sites_only_where_the_coral_fits(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    fixtures = [kept.value for kept in stored.setup().fixtures]
    sheet = lay_out_pair(stored.tank)
    zones = zone_placement.zones_of(stored, fixtures)
    fits = zone_placement.fits(stored, fixtures, 15)
    states = zone_placement.states(stored, fixtures)
    drawn = draw_zones(sheet.plan, zones, fits, states)
    assert drawn.count('class="site"') == sum(int(f.sites.sum()) for f in fits)
    assert draw_zones(sheet.plan, zones, [], states).count('class="site"') == 0
    marks = draw_corals(sheet.plan, stored.tank, states, 3)
    assert marks.count("data-coral=") == sum(s.coral.place is not None for s in states)
    assert marks.count("coral-warn") == sum(bool(s.trouble) for s in states)
    lit = list(zip(surfaces(stored.tank), fields.surface_par(stored.tank, fixtures), strict=True))
    floor = draw_surfaces(sheet.plan, stored.tank, lit, stored.targets)
    assert {f"band-{b.key}" in floor for b in stored.targets.bands()} == {True}
    assert floor.count("rock-contour") >= 3  # contours of depth over what is tinted


def test_demo_is_the_keepers_own_and_runs_at_a_plain_price() -> None:
    demo = demo_scene()
    assert demo.running == Running(9, 0.31, "EUR", datetime.time(20, 30))
    inches = {round(v / 0.0254) for v in (demo.tank.length, demo.tank.width)}
    assert inches != {48, 24}
    assert inches != {24}
    assert all(kind.parts for kind in catalogue().values())
    galaxea = next(c for c in demo.corals if c.card.name == "Galaxea" and c.place)
    assert PlacedCoral(1, galaxea.card, *galaxea.place).card.sweepers == pytest.approx(0.2)  # type: ignore[misc]


@pytest.mark.parametrize("odd", [s for s in ODD if s.tank.length < 2.0], ids=lambda s: s.name)
def test_search_over_odd_tanks_finds_something_or_says_why_not(odd: Scene) -> None:
    stored, kinds = unstored(odd), catalogue()
    setup = list(odd.setup().fixtures)
    for key, purpose, means in (
        ("cluster", "even", "new"), ("cluster", "mixed", "new"), ("cluster", "even", "own"),
        ("t5-24", "strong_left", "new"), ("cluster", "lps", "new"),
    ):  # fmt: skip
        wish = default_request(stored, kinds[key])
        low = wish.heights[0]
        wish = replace(
            wish,
            purpose=purpose,
            means=means,
            counts=(1, 1),
            heights=(low, min(low + 0.04, wish.heights[1])),
            symmetric=True,
        )  # type: ignore[arg-type]
        refused, best = set(), ()
        try:
            *_, step = run_search.search(stored, kinds[key], wish, setup)
            best = step.best
        except InvalidInput as error:
            refused = {e.rule.split(":")[0] for e in error.errors}
        assert refused <= {"finds no open water in its target zones", "needs a setup with at least one fixture"}
        for one in best:
            assert all(0.0 <= f.output <= 1.0 for f in one.fixtures)
            assert all(f.emitter.height <= odd.tank.room_height for f in one.fixtures)
            assert np.isfinite(one.layout.merit)

"""The drawings say what the numbers say: scales, bands, labels, dimensions, marks."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from dataclasses import replace
from itertools import combinations, pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from markupsafe import Markup

from corlume.core.judging.targets import LightTargets
from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Brace, Pane, Rock, Tank
from corlume.core.units import DEGREE
from corlume.formats.measure import Measure
from corlume.services.light.fields import Plane
from corlume.services.light.points import WaterPoint
from corlume.store.tables import Kept
from corlume.web.drawing.difference import draw_difference
from corlume.web.drawing.fixtures import _apart, draw_dimensions, draw_fixtures, draw_probe, letter
from corlume.web.drawing.light import draw_light, isolines_of
from corlume.web.drawing.sheet import View, lay_out, lay_out_pair
from corlume.web.drawing.svg import el
from corlume.web.drawing.tank import draw_frame, draw_rock

TANK = Tank(1.2, 0.6, 0.5, room_height=0.6, rim_inset=0.02, back=Pane("plain", 0.1), braces=(Brace(0.5, 0, 0.1, 0.6),),
            rocks=(Rock(0.3, 0.2, 0.0, 0.3, 0.2, 0.3, "<Pillar>"),))  # fmt: skip
TARGETS = LightTargets()
CM, INCH = Measure("cm"), Measure("in")


def parse(markup: Markup | str) -> ET.Element:
    return ET.fromstring(f"<svg>{markup}</svg>")


def texts(markup: Markup, kind: str) -> list[str]:
    return [e.text or "" for e in parse(markup).iter("text") if kind in (e.get("class") or "").split()]


def hung(*places: tuple[float, float, float]) -> list[Kept[Fixture]]:
    base = Emitter("led_cluster", 100, 110 * DEGREE, 0.18, 0.14, 0, 0, 0.2)
    return [
        Kept(i + 1, Fixture(replace(base, x=x, y=y, height=h), name=f"No. {i}")) for i, (x, y, h) in enumerate(places)
    ]


def ramp() -> tuple[View, Plane]:
    """Light that rises evenly from 0 on the left to 600 on the right."""
    view = View("plan", 0.0, 0.0, 300.0, 1.2, 0.6)
    u, v = np.linspace(0, 1.2, 61), np.linspace(0, 0.6, 31)
    return view, Plane(u, v, np.repeat(500 * u[:, None], 31, axis=1))


@given(
    length=st.floats(0.1, 5), width=st.floats(0.1, 5), depth=st.floats(0.05, 2), highest=st.floats(0, 3),
)  # fmt: skip
def test_every_tank_fits_on_its_sheets(length: float, width: float, depth: float, highest: float) -> None:
    tank = Tank(length, width, depth, sand=0.0, room_height=3.0)
    for sheet in (lay_out(tank, highest), lay_out_pair(tank)):
        assert len({view.scale for view in sheet.views()}) == 1
        assert sheet.width <= 1000
        assert sheet.height <= 700
        for view in sheet.views():
            assert view.left > 0
            assert view.right < sheet.width
            assert view.top - view.above * view.scale > 0
            assert view.bottom < sheet.height
    assert sheet.plan.left == sheet.front.left


def test_place_on_paper_is_its_place_in_the_tank() -> None:
    sheet = lay_out(TANK, 0.3)
    assert sheet.plan.at(0.0, 0.0) == (sheet.plan.left, sheet.plan.bottom)
    assert sheet.plan.at(1.2, 0.6) == (pytest.approx(sheet.plan.right), pytest.approx(sheet.plan.top))
    assert sheet.front.at(0.0, 0.5) == (sheet.front.left, pytest.approx(sheet.front.bottom))
    assert sheet.front.at(0.0, -0.2)[1] < sheet.front.top


def test_bands_cover_the_area_their_light_covers() -> None:
    view, plane = ramp()
    drawn = parse(draw_light(view, plane, TARGETS.bands()))
    for band in TARGETS.bands():
        path = next(e.get("d") or "" for e in drawn.iter("path") if f"band-{band.key}" in (e.get("class") or ""))
        xs = [float(x) for x in re.findall(r"[-\d.]+", path)[::2]]
        assert min(xs) == pytest.approx(band.low / 500 * 300, abs=0.6)
        assert max(xs) == pytest.approx(min(band.high, 600) / 500 * 300, abs=0.6)


def test_too_strong_is_hatched_as_well_as_tinted() -> None:
    view, plane = ramp()
    classes = [e.get("class") for e in parse(draw_light(view, plane, TARGETS.bands())).iter("path")]
    assert classes.count("hatch") == 1


def test_isolines_carry_their_value_where_it_is_true() -> None:
    view, plane = ramp()
    labels = [
        e for e in parse(draw_light(view, plane, TARGETS.bands())).iter("text") if "isolabel" in (e.get("class") or "")
    ]
    assert {"75", "150", "200", "350"} <= {e.text for e in labels}
    for e in labels:
        x = float(re.findall(r"translate\(([\d.]+)", e.get("transform") or "")[0])
        assert x == pytest.approx(float(e.text or 0) / 500 * 300, abs=1.0)


def test_isolines_of_always_hold_the_limits_and_stay_few() -> None:
    levels = isolines_of(np.array([[3.0, 2900.0]]), TARGETS.bands())
    assert [x for x, limit in levels if limit] == [75, 150, 200, 350]
    assert len(levels) <= 4 + 11


def test_soundings_are_the_readings_and_keep_clear_of_labels() -> None:
    view, plane = ramp()
    drawn = parse(draw_light(view, plane, TARGETS.bands()))
    soundings = [e for e in drawn.iter("text") if e.get("class") == "sounding"]
    assert len(soundings) > 20
    for e in soundings:
        assert float(e.text or 0) == pytest.approx(float(e.get("x") or 0) / 300 * 500, abs=0.6)


def test_rock_hides_readings_and_darkness_has_no_numbers() -> None:
    view, plane = ramp()
    plane.par[20:40] = np.nan
    xs = [
        float(e.get("x") or 0)
        for e in parse(draw_light(view, plane, TARGETS.bands())).iter("text")
        if e.get("class") == "sounding"
    ]
    assert not [x for x in xs if 0.41 * 300 < x < 0.77 * 300]
    # less than half a PAR is no difference, whichever way: "-0" once
    less = str(draw_difference(view, Plane(plane.u, plane.v, plane.par - 0.3), plane))
    assert set(re.findall(r">([+-]?\d+)<", less)) == {"0"}
    dark = draw_light(view, Plane(plane.u, plane.v, np.zeros((61, 31))), TARGETS.bands())
    assert texts(dark, "sounding") == []
    assert texts(dark, "no-light") == ["no light yet"]


def test_dimensions_are_shared_once_and_never_overlap() -> None:
    fixtures = hung((0.3, 0.3, 0.2), (0.305, 0.3, 0.2), (0.9, 0.3, 0.21))
    drawn = parse(draw_dimensions(lay_out(TANK, 0.2), fixtures, CM))
    found = {
        (g.get("data-field"), g.get("data-text"), g.get("data-ids")) for g in drawn.iter("g") if g.get("data-field")
    }
    assert found == {
        ("x", "30", "1"), ("x", "30.5", "2"), ("x", "90", "3"), ("y", "30", "1,2,3"), ("height", "20", "1,2"),
        ("height", "21", "3"),
    }  # fmt: skip
    boxes = [
        [float(r.get(k) or 0) for k in ("x", "y", "width", "height")]
        for g in drawn.iter("g") if g.get("data-field") for r in g.iter("rect")
    ]  # fmt: skip
    for (ax, ay, aw, ah), (bx, by, bw, bh) in combinations(boxes, 2):
        assert ax + aw <= bx + 1 or bx + bw <= ax + 1 or ay + ah <= by + 1 or by + bh <= ay + 1


@given(st.lists(st.floats(0, 500), max_size=12))
def test_labels_pushed_apart_keep_their_order_and_gap(places: list[float]) -> None:
    moved = _apart(places, 18.0)
    order = sorted(range(len(places)), key=lambda i: places[i])
    assert all(moved[b] - moved[a] > 17.99 for a, b in pairwise(order))


def test_dimensions_are_in_the_keepers_unit() -> None:
    drawn = draw_dimensions(lay_out(TANK, 0.2), hung((0.3302, 0.3, 0.2032)), INCH)
    assert set(texts(drawn, "dim-text")) == {"13", "11.8", "8"}
    assert texts(drawn, "note") == ["left, in", "front, in", "to centres"]


def test_fixtures_are_drawn_in_all_views_and_named_for_the_keyboard() -> None:
    drawn = parse(draw_fixtures(lay_out(TANK, 0.2), hung((0.3, 0.3, 0.2), (0.9, 0.3, 0.2)), 2))
    groups = [g for g in drawn.iter("g") if g.get("data-fixture")]
    assert len(groups) == 9  # in three views, and the chosen one once more on top
    focusable = [g for g in groups if g.get("tabindex")]
    assert [g.get("data-view") for g in focusable] == ["plan", "plan"]
    assert focusable[0].get("aria-label") == "A, No. 0, 100%"
    assert all("selected" not in (g.get("class") or "") for g in focusable)  # their order never changes
    assert [g.get("aria-hidden") for g in groups if "selected" in (g.get("class") or "")] == ["true"] * 3
    assert [
        t.text
        for g in groups
        if g.get("data-view") == "side" and "selected" not in g.get("class", "")
        for t in g.iter("text")
    ] == ["A B"]
    assert letter(25) + letter(26) == "ZA2"


def test_frame_shows_what_each_pane_is_and_names_its_axes() -> None:
    sheet = lay_out(TANK, 0.55)
    frame = draw_frame(sheet, TANK, INCH)
    notes = texts(frame, "note")
    assert {"from left pane, in", "from front pane, in", "depth, in", "canopy or ceiling"} <= set(notes)
    lines = [e.get("class") for e in parse(frame).iter("line")]
    assert lines.count("pane pane-plain") == 2
    assert lines.count("pane pane-glass") == lines.count("pane pane-core") == 6


def test_rock_is_land_where_the_slice_cuts_it_and_an_outline_elsewhere() -> None:
    sheet = lay_out(TANK, 0.2)
    for view, cut, beyond in ((sheet.plan, 0.3, 0.1), (sheet.front, 0.3, 0.5), (sheet.side, 0.45, 0.9)):
        assert 'class="rock cut"' in draw_rock(view, TANK, cut)
        assert 'class="rock beyond"' in draw_rock(view, TANK, beyond)
    assert 'class="brace"' in draw_rock(sheet.plan, TANK, 0.1)


def test_probe_crosses_at_its_place_in_every_view() -> None:
    sheet = lay_out(TANK, 0.2)
    rings = [
        e for e in parse(draw_probe(sheet, WaterPoint(0.4, 0.2, 0.1))).iter("circle") if e.get("class") == "probe-ring"
    ]
    found = [(float(e.get("cx") or 0), float(e.get("cy") or 0)) for e in rings]
    expected = [sheet.plan.at(0.4, 0.2), sheet.front.at(0.4, 0.1), sheet.views()[2].at(0.2, 0.1)]
    assert found == [pytest.approx(e, abs=0.06) for e in expected]


def test_elements_escape_what_they_are_given() -> None:
    drawn = el("text", "<b>&", data_name='"><script>', hidden=None, x=1.25)
    assert str(drawn) == '<text data-name="&quot;&gt;&lt;script&gt;" x="1.2">&lt;b&gt;&amp;</text>'

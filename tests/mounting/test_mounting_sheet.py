"""The mounting sheet: whether it can hang, and the numbers to drill from."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from io import BytesIO

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pypdf import PdfReader
from starlette.testclient import TestClient

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.mounting.mounting_checks import MountingCheck, check_mounting, find_hangers, support_load
from corlume.core.mounting.power import PowerPart
from corlume.core.mounting.rig_checks import check_rig
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.units import DEGREE
from corlume.formats.measure import Measure
from corlume.reference.catalogue import catalogue
from corlume.services.keeping import tanks
from corlume.services.keeping.fixture_settings import fixture_settings
from corlume.services.mounting.mounting_sheet import mount_sheet
from corlume.store.database import Database
from corlume.web.drawing.fixtures import letter
from tests.mounting.bare_rig import take_rig_down
from tests.ruled import CLUSTER, RULED


def test_mount_checks_follow_their_rules() -> None:
    fixtures = [
        Fixture(replace(CLUSTER.parts[0].emitter, x=x, y=0.3), watts=115.0, name="A", weight=2.4) for x in (0.3, 0.9)
    ]

    def answers(lamps: list[Fixture], site: Surroundings, tank: Tank = RULED) -> dict[str, str]:
        return {c.key: c.answer for c in check_mounting(tank, lamps, site)}

    assert support_load(2.4) == 6  # five times half the weight
    assert support_load(2.5) == 7  # 6.25 kg: never rounded down
    found = answers(fixtures, Surroundings(lead=1.0))
    assert (found["weight"], found["splash"], found["leads"]) == ("listed", "look", "yes")
    found = answers([fixtures[0], replace(fixtures[1], weight=0.0)], Surroundings(lead=0.6))
    assert (found["weight"], found["leads"]) == ("look", "no")
    # 80 % of 10 A at 120 V is 960 W
    many, small = [replace(f, watts=400.0) for f in fixtures], Surroundings(volts=120.0, breaker=10.0, others=200.0)

    def circuit(site: Surroundings, *parts: PowerPart) -> str:
        return next(c.answer for c in check_rig(RULED, many, site, parts=parts) if c.key == "circuit")

    assert circuit(small) == "no"
    assert circuit(replace(small, others=160.0)) == "yes"
    assert circuit(replace(small, others=160.0), PowerPart("Controller", "controller", watts=5.0)) == "no"
    halide = catalogue()["halide-250"].parts[0]
    assert answers([halide], Surroundings(), replace(RULED, room_height=0.4))["heat"] == "no"


def test_what_is_set_on_a_fixture_says_how_it_is_turned_and_tilted_in_degrees() -> None:
    plain = CLUSTER.parts[0]
    leaned = replace(plain, emitter=replace(plain.emitter, turn=90 * DEGREE, pitch=-12 * DEGREE))
    level, tilted = fixture_settings([plain, leaned])
    assert (level.tilt, tilted.tilt) == ("", "turned 90 degrees, pitched -12 degrees")
    assert tilted.fwhm == level.fwhm == round(plain.emitter.fwhm / DEGREE)


def test_frame_hangs_from_supports_of_its_own() -> None:
    parts = [replace(f, frame="Arrangement") for f in catalogue()["hybrid-60"].parts]
    parts = [replace(f, emitter=replace(f.emitter, x=0.6 + f.emitter.x, y=0.3 + f.emitter.y)) for f in parts]
    whole = sum(f.weight for f in parts)
    (hanger,) = find_hangers(RULED, parts)
    assert hanger.rating == pytest.approx(support_load(whole))
    # over the long axis of the whole frame, alike on both sides of its middle
    (a, _), (b, _) = hanger.points
    assert 0.5 * (a + b) == pytest.approx(0.6)
    assert b - a == pytest.approx(0.7 * 0.55)
    # one part of unknown weight leaves the whole frame's unknown
    assert find_hangers(RULED, [replace(parts[0], weight=0.0), *parts[1:]])[0].rating == 0.0


def test_sheets_numbers_are_the_setups_to_the_millimetre(client: TestClient, db: Database) -> None:
    setup = tanks.open_tank(db, 1).setup(1)
    page = client.get("/tanks/1/setups/1/mounting").text
    svg = client.get("/tanks/1/setups/1/mounting/sheet.svg").text
    assert 'width="1552.000mm"' in svg  # 150 cm and the margins
    for kept in setup.fixtures:
        e = kept.value.emitter
        assert f"<td>{Measure('cm').number(e.x)}</td><td>{Measure('cm').number(0.65 - e.y)}</td>" in page
        # at true scale the centre mark lies as many millimetres from the left pane as the lamp does
        x = [
            float(a)
            for a, b in re.findall(r'x1="([\d.]+)" y1="[\d.]+" x2="([\d.]+)"[^>]*stroke-width="0.4"', svg)
            if a == b
        ]
        assert min(abs(a - 22.0 - 1000 * e.x) for a in x) < 0.5
    for query in ("paper=a4", "paper=letter", "scale=true", "scale=true&paper=letter"):
        answer = client.get(f"/tanks/1/setups/1/mounting/sheet.pdf?{query}")
        assert answer.content.startswith(b"%PDF")
        assert answer.content == client.get(f"/tanks/1/setups/1/mounting/sheet.pdf?{query}").content


def test_place_and_weights_are_kept_undone_and_refused_by_field(client: TestClient, db: Database) -> None:
    take_rig_down(db)
    url, before = "/tanks/1/setups/1/mounting", tanks.open_tank(db, 1)
    first = before.setup(1).fixtures[0]
    form = {"volts": "120", "breaker": "15", "others": "100", "lead": "90", "stand": "125", "eye": "115",
            "away": "150", "gap": "4", f"weight-{first.id}": "3.6"}  # fmt: skip
    usual = client.get(f"{url}/sheet.pdf").content
    assert client.post(url, data=form).status_code == 303
    after = tanks.open_tank(db, 1)
    assert replace(after.surroundings, eye=1.15, residual=0.0) == Surroundings(120, 15, 100, 0.9, 1.25, 1.15, 1.5, 0.04)
    assert after.surroundings.eye == pytest.approx(1.15)
    assert after.setup(1).fixture(first.id).value.weight == 3.6
    assert "<td>3.6</td><td>9</td>" in client.get(url).text  # 5 x 3.6 / 2
    assert client.get(f"{url}/sheet.pdf").content != usual  # the file's checks are those of the keeper's own place
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).surroundings == before.surroundings
    assert tanks.open_tank(db, 1).setup(1) == before.setup(1)
    bad = client.post(url, data={**form, "volts": "12", f"weight-{first.id}": "heavy"})
    assert bad.status_code == 422
    assert 'value="heavy"' in bad.text
    assert 'value="12"' in bad.text
    worse = client.post(url, data={**form, "volts": "12", f"weight-{first.id}": "900"})
    assert "must be from 90 to 260, not 12" in worse.text
    assert tanks.open_tank(db, 1).surroundings == before.surroundings


def test_pdf_holds_the_sheets_numbers(client: TestClient, db: Database) -> None:
    """Read back by pypdf."""
    reader = PdfReader(BytesIO(client.get("/tanks/1/setups/2/mounting/sheet.pdf?paper=letter").content))
    assert [round(float(v) / 72, 2) for v in reader.pages[0].mediabox[2:]] == [11.0, 8.5]  # Letter, landscape, inches
    words = "\n".join(page.extract_text() for page in reader.pages)
    for kept in tanks.open_tank(db, 1).setup(2).fixtures:
        assert kept.value.name in words
        assert Measure("cm").number(0.65 - kept.value.emitter.y) in words
    for check in mount_sheet(tanks.open_tank(db, 1), tanks.open_tank(db, 1).setup(2)).checks:
        assert check.title in words


def test_what_hangs_on_a_rail_has_marks_on_it_and_no_supports_of_its_own(client: TestClient, db: Database) -> None:
    """The sheet of a rig: nothing is drilled for a light that a rail holds, and the rail's own marks are listed."""
    stored = tanks.open_tank(db, 1)
    sheet, rail = mount_sheet(stored, stored.setup()), stored.setup().mount_values[0]
    assert (sheet.hangers, sheet.drilled) == ((), ())
    assert not any("supports" in name for name, _ in sheet.parts)
    assert {check.key for check in sheet.checks} >= {"load", "circuit", "reach"}
    assert not {"weight", "behind"} & {check.key for check in sheet.checks}
    page = client.get(f"/tanks/1/setups/{stored.setup().id}/mounting").text
    assert "Drill points" not in page
    for kept in stored.setup().hung:
        assert f"{Measure('cm').number(kept.emitter.x - rail.x)} from left end of the rail" in page


def test_true_scale_pages_join_to_the_whole_drawing(client: TestClient, db: Database) -> None:
    """Read back by pypdf: every mark lies on a page, and pages are as large as their paper says."""
    take_rig_down(db)
    reader = PdfReader(BytesIO(client.get("/tanks/1/setups/1/mounting/sheet.pdf?scale=true").content))
    texts = [page.extract_text() for page in reader.pages]
    tiles = [text for text in texts if re.match(r"Page \d+ of", text)]
    assert f"how {len(tiles)} pages are joined" in texts[0]
    # 150 x 65 cm and the elevation below cannot do with less paper than their area
    assert len(tiles) >= 1.55 * 1.9 / (0.277 * 0.182) * 0.6
    assert [round(float(v) / 72 * 25.4) for v in reader.pages[1].mediabox[2:]] == [297, 210]
    for number in range(3):
        assert any(f"centre of {letter(number)}" in text for text in tiles)
        assert sum(text.count(f"drill for {letter(number)}") for text in tiles) >= 2


@settings(max_examples=25, deadline=None)
@given(
    x=st.floats(0.0, 1.2), y=st.floats(0.0, 0.6), turn=st.floats(-3.1, 3.1), length=st.floats(0.05, 1.5),
    weight=st.floats(0.1, 40.0),
)  # fmt: skip
def test_supports_stand_alike_on_both_sides_of_what_they_carry(
    x: float, y: float, turn: float, length: float, weight: float
) -> None:
    emitter = replace(CLUSTER.parts[0].emitter, x=x, y=y, turn=turn, length=length)
    [hanger] = find_hangers(RULED, [Fixture(emitter, weight=weight)])
    (left, back), (right, front) = hanger.points
    assert (0.5 * (left + right), RULED.width - 0.5 * (back + front)) == pytest.approx((x, y))
    assert math.hypot(right - left, front - back) == pytest.approx(max(0.1, 0.7 * length))
    # five times the whole weight on both of them together
    assert 0 <= 2 * hanger.rating - 5 * weight + 1e-6 < 2 + 1e-5


def test_glare_falls_with_shielding_distance_and_lean() -> None:
    def glare(lamp: Fixture, site: Surroundings) -> MountingCheck:
        return next(c for c in check_mounting(RULED, [lamp], site) if c.key == "glare")

    lamp = Fixture(replace(CLUSTER.parts[0].emitter, x=0.6, y=0.3, height=0.4, fwhm=120 * DEGREE), name="A")
    seated = Surroundings(stand=1.3, eye=1.2, away=0.5)
    assert glare(lamp, seated).answer == "look"
    assert glare(lamp, replace(seated, eye=2.3)).answer == "yes"  # standing: the eye is over the face
    away = replace(lamp, emitter=replace(lamp.emitter, roll=0.9))  # leaned to the back
    assert glare(away, seated).answer == "yes"


def test_total_heat_is_that_of_the_power() -> None:
    lamp = Fixture(replace(CLUSTER.parts[0].emitter, x=0.6, y=0.3), watts=300.0, output=0.5, name="A")
    heat = next(c for c in check_mounting(RULED, [lamp, lamp], Surroundings()) if c.key == "total_heat")
    assert heat.answer == "look"
    assert heat.found.startswith("300 W as it is dimmed, 600 W at full")
    assert not check_mounting(RULED, [], Surroundings())

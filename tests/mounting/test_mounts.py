"""Mounts: what they hold and where, what they shade and meet, and that no search leaves them."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import date
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.keeping.scene import Scene
from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium, channel_fields, unit_field
from corlume.core.light.fixture import Fixture, bodies_below
from corlume.core.light.geometry import Brace, Pane, Tank
from corlume.core.light.water import Water
from corlume.core.mounting.mount import Mount, covered, mounted, open_place, region_of, strips_of
from corlume.core.mounting.mount_checks import check_mounts
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.survey.survey_record import MeasuringPoint, Survey
from corlume.core.units import DEGREE
from corlume.services.keeping import setups, surveys, tanks
from corlume.services.light.fields import par_at
from corlume.services.light.points import same_tank
from corlume.services.mounting import mounts
from corlume.services.search import search_jobs
from corlume.services.search.mounted_case import case_on
from corlume.services.search.on_mounts import slid
from corlume.services.search.search_request import SearchRequest
from corlume.store.database import Database
from corlume.store.tanks import unstored
from tests.judging.test_judging import ended
from tests.mounting.bare_rig import take_rig_down
from tests.renderer import BOX, FACE, INDEX, rendered
from tests.ruled import CLUSTER, RULED

AROUND = Surroundings()
RAIL = Mount("Rail", "rail", 0.1, 0.28, 1.0, 0.04, 0.4, low=0.15, high=0.3)


def module(x: float, y: float = 0.3, height: float = 0.2, **more: Any) -> Fixture:
    emitter = replace(CLUSTER.parts[0].emitter, x=x, y=y, height=height)
    return replace(CLUSTER.parts[0], **({"emitter": emitter, "name": f"At {x:g}", "weight": 2.4} | more))


def answers(tank: Tank, hung: list[Fixture], *held: Mount, around: Surroundings = AROUND) -> dict[str, str]:
    return {check.key: check.answer for check in check_mounts(tank, hung, held, around)}


def test_where_a_body_can_hang_worked_by_hand() -> None:
    """Bodies of 20 by 10 cm: within the ends of a rail, at the head of an arm, wholly under a lid."""
    rail = region_of(RAIL, 0.1, 0.05)
    assert rail
    assert rail[1:7] == pytest.approx((0.2, 1.0, 0.3, 0.3, 0.15, 0.3))
    arm = region_of(Mount("Arm", "arm", 0.48, 0.35, 0.04, 0.3, 0.3), 0.1, 0.05)
    assert arm
    assert arm[1:5] == pytest.approx((0.5, 0.5, 0.35, 0.35))
    lid = Mount("Lid", "half_lid", 0.0, 0.3, 1.2, 0.3, 0.03, 0.02, 0.05, 0.1)
    assert region_of(lid, 0.1, 0.05)[1:5] == pytest.approx((0.1, 1.1, 0.35, 0.55))  # type: ignore[index]
    assert region_of(replace(lid, length=0.15), 0.1, 0.05) is None


def test_lid_swings_about_its_hinge_and_a_lift_goes_up() -> None:
    lid = Mount("Lid", "half_lid", 0.0, 0.3, 1.2, 0.3, 0.03, swing=90 * DEGREE)
    # 20 cm from the hinge and 5 cm over the underside: 20 cm above it, and 5 cm behind
    assert open_place(lid, 0.4, 0.4, 0.08) == pytest.approx((0.4, 0.65, 0.23))
    assert open_place(replace(lid, hinge="front"), 0.4, 0.4, 0.08) == pytest.approx((0.4, 0.25, 0.13))
    assert open_place(replace(lid, swing=0.0, lift=0.3), 0.4, 0.4, 0.08) == pytest.approx((0.4, 0.4, 0.38))


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(st.floats(0.0, 1.0), st.floats(0.0, 1.0), st.floats(0.05, 0.5)), max_size=4))
def test_lid_covers_all_but_its_cut_outs(places: list[tuple[float, float, float]]) -> None:
    """Against 20,000 places drawn at random over the lid."""
    lid = Mount("Lid", "half_lid", 0.0, 0.0, 1.0, 0.5, 0.03)
    faces = [
        replace(
            module(x, 0.5 * y, 0.1, held_by="Lid"), emitter=Emitter("led_bar", 1.0, 1.8, size, 0.1, x, 0.5 * y, 0.1)
        )
        for x, y, size in places
    ]
    points = np.random.default_rng(5).random((20_000, 2)) * (1.0, 0.5)
    held = np.zeros(len(points), dtype=int)
    for x0, x1, y0, y1, _ in strips_of(lid, faces):
        held += (points[:, 0] > x0) & (points[:, 0] < x1) & (points[:, 1] > y0) & (points[:, 1] < y1)
    cut = np.zeros(len(points), dtype=bool)
    for face in faces:
        e, (a, b) = face.emitter, face.emitter.half_extent()
        cut |= (abs(points[:, 0] - e.x) < a) & (abs(points[:, 1] - e.y) < b)
    assert held.max(initial=0) <= 1
    assert held.mean() == pytest.approx(1 - cut.mean(), abs=0.04)


def test_load_places_and_what_a_mount_meets() -> None:
    hung = [module(x, held_by="Rail") for x in (0.3, 0.6, 0.9)]
    tank = replace(RULED, room_height=0.6)
    assert answers(tank, hung, RAIL)["load"] == "look"  # a rating is asked for, never guessed
    assert answers(tank, hung, replace(RAIL, load=7.2))["load"] == "yes"
    heavy = next(c for c in check_mounts(tank, hung, [replace(RAIL, load=6.0)], AROUND) if c.key == "load")
    assert heavy.answer == "no"
    assert "1.2 kg less" in heavy.found
    short = next(c for c in check_mounts(tank, hung, [replace(RAIL, length=0.5)], AROUND) if c.key == "length")
    need = sum(2 * f.emitter.half_extent()[0] for f in hung)
    assert short.lengths == pytest.approx({"need": need, "room": 0.5, "by": need - 0.5})
    assert answers(tank, [*hung, module(0.5, 0.5, held_by="Rail")], RAIL)["place"] == "no"
    assert answers(tank, hung, replace(RAIL, most=2))["count"] == "no"
    assert answers(tank, [module(0.3)], RAIL)["held"] == "look"
    braced = replace(tank, braces=(Brace(0.5, 0.0, 0.1, tank.width, height=0.41),))
    assert answers(braced, hung, RAIL)["brace"] == "no"
    assert "brace" not in answers(braced, hung, replace(RAIL, height=0.41))  # which lies on it
    assert answers(replace(tank, room_height=0.42), hung, RAIL)["ceiling"] == "no"
    arm = Mount("Arm", "arm", 0.48, 0.3, 0.04, tank.width - 0.26, 0.3)
    assert answers(tank, [], arm, around=replace(AROUND, gap=0.03))["behind"] == "no"
    assert answers(tank, [], replace(arm, width=1.0))["wall"] == "no"
    eurobrace = replace(tank, rim_inset=0.06)
    assert answers(eurobrace, [], replace(arm, clamp=0.04))["clamp"] == "no"
    lift = Mount("Lift", "lift", 0.0, 0.0, tank.length, tank.width, 0.3, lift=0.5)
    assert answers(tank, [module(0.3, held_by="Lift")], lift)["open"] == "no"
    low = [module(0.3, 0.2, 0.1, held_by="Lid")]
    lid = Mount("Lid", "half_lid", 0.0, 0.0, tank.length, 0.4, tank.rim_height, 0.02, 0.05, 0.12)
    assert answers(tank, low, lid)["reach"] == "no"
    assert answers(tank, low, replace(lid, swing=1.4))["reach"] == "yes"
    assert covered(tank, lid, low) == pytest.approx(0.4 / tank.width, rel=0.02)


@pytest.mark.parametrize("kind", ["rail", "arm"])
def test_shade_of_a_mount_is_that_in_the_renderer(kind: str) -> None:
    """A bar 6 cm wide and 10 cm under the light, from pane to pane or to the middle, over black panes."""
    black, water = Pane("plain", 0.0), Water("plain", attenuation=0.0, index=INDEX)
    tank = Tank(BOX, BOX, BOX, sand=0.0, sand_albedo=0.0, rock_albedo=0.0, water=water, rim_height=0.0,
                left=black, right=black, front=black, back=black)  # fmt: skip
    bar, points = Mount("Bar", "rail", 0.0, 0.27, BOX, 0.06, 0.15), ((0.3, 0.24, 0.2), (0.18, 0.38, 0.15))
    if kind == "arm":
        bar, points = Mount("Bar", "arm", 0.2, 0.3, 0.06, 0.3, 0.15), ((0.1, 0.4, 0.15), (0.14, 0.36, 0.2))
    emitter = Emitter("led_cluster", 1.0, math.radians(120), FACE, FACE, 0.5 * BOX, 0.5 * BOX, 0.25)
    [lit] = mounted([Fixture(emitter, held_by="Bar")], [bar])
    for point in points:
        # fine sources: the renderer's face is an area, and so is the bar's half shade
        ours = float(unit_field(Medium.of(tank), emitter, np.array([point]), step=0.08)[0])
        found = channel_fields(Medium.of(tank), emitter, np.array([point]), step=0.08, bodies=bodies_below([lit], 0))
        shaded = float(found.sum())
        box = (bar.x, bar.x1, bar.y, bar.y1, bar.height)
        theirs, error = rendered(point, height=0.25, clear=False, samples=400_000, seeds=4, bar=box)
        assert shaded < 0.97 * ours
        assert shaded == pytest.approx(theirs, rel=0.03, abs=3 * error)


SHORT = unstored(Scene("Short", Tank(1.1, 0.5, 0.45)))


@st.composite
def some_mounts(draw: st.DrawFn) -> list[Mount]:
    low = draw(st.floats(0.1, 0.3))
    heights = {"low": low, "high": low + draw(st.floats(0.0, 0.2)), "load": draw(st.sampled_from([0.0, 5.0, 10.0]))}
    found: list[Mount] = []
    if draw(st.booleans()):
        x, y, length = draw(st.floats(0, 0.4)), draw(st.floats(0.05, 0.4)), draw(st.floats(0.3, 0.7))
        found.append(Mount("Rail", "rail", x, y, length, 0.03, 0.6, **heights))
    if draw(st.booleans()):
        y = draw(st.floats(0.1, 0.4))
        most = draw(st.sampled_from([0, 1, 3]))
        arms = [Mount(f"Arm {k}", "arm", 0.2 + 0.3 * k, y, 0.04, 0.5 - y, 0.6, most=most, **heights) for k in range(3)]
        arms[0] = replace(arms[0], load=draw(st.sampled_from([arms[0].load, 1.0])))  # which bears no module
        found += arms
    if draw(st.booleans()) or not found:
        x, y, length = draw(st.floats(-0.1, 0.3)), draw(st.floats(-0.1, 0.1)), draw(st.floats(0.3, 1.1))
        found.append(Mount("Canopy", "canopy", x, y, length, draw(st.floats(0.2, 0.5)), 0.9, **heights))
    return found


@settings(max_examples=12, deadline=None)
@given(some_mounts())
def test_no_search_leaves_what_the_mounts_allow(held: list[Mount]) -> None:
    wish = SearchRequest("cluster", "even", (1, 3), (0.1, 0.5), (150.0, 250.0), mounts=tuple(m.name for m in held))
    case, fields = None, set[str]()
    try:
        case = case_on(SHORT, CLUSTER, wish, [], held, coarse=True)
    except InvalidInput as error:
        fields = {e.field for e in error.errors}
    assert fields <= {"mounts", "count_low", "height_low"}
    grid = sorted((one for _, layouts in case.scan() for one in layouts), key=lambda one: one.merit) if case else []
    if not grid or not case:
        return
    better = case.refined(grid[0])
    layouts = [grid[0], grid[-1], *better, *case.variants(grid[0])]
    layouts += [plain for one in (grid[0], *better) for plain in case.plainer(one)]
    for layout in [*layouts, *map(case.snapped, layouts)]:
        hung = case.hung(layout)
        moved = {mount.name: mount for mount in slid(held, hung)}
        for name, mount in moved.items():
            on = [f for f in hung if f.held_by == name]
            assert len(on) <= (1 if mount.type == "arm" else mount.most or 99)
            assert not mount.load or sum(f.weight for f in on) <= mount.load + 1e-9
        for fixture in hung:
            e = fixture.emitter
            region = region_of(moved[fixture.held_by], *case.laid.module.half_extent())
            assert region is not None
            assert region.holds(e.x, e.y, e.height, 1e-4), (fixture.held_by, e.x, e.y, e.height, region)


def test_search_on_a_rail_is_saved_with_its_mount(db: Database) -> None:
    take_rig_down(db)
    stored = tanks.open_tank(db, 1)
    setup = stored.setup()
    mount_id = mounts.add_mount(db, 1, setup.id, "rail")
    rail = next(k.value for k in tanks.open_tank(db, 1).setup(setup.id).mounts if k.id == mount_id)
    y = 0.5 * (rail.y + rail.y1)
    wish = SearchRequest("cluster", "even", (2, 2), (0.18, 0.24), (150.0, 250.0), mounts=(rail.name,))
    found = search_jobs.begin(db, 1, setup.id, wish)
    ended(db, found)
    made = search_jobs.adopt(db, 1, found, 0)
    saved = tanks.open_tank(db, 1).setup(made)
    assert [mount.name for mount in saved.mount_values] == [rail.name]
    assert {f.held_by for f in saved.hung} == {rail.name}
    assert [f.emitter.y for f in saved.hung] == pytest.approx([y, y])
    setups.copy_setup(db, 1, made)
    text = tanks.export_tank(db, 1)
    again = tanks.open_tank(db, tanks.import_tank(db, text.encode() if isinstance(text, str) else text))
    assert sum(len(one.mounts) for one in again.setups) == 3


def test_page_of_mounts_keeps_what_was_typed_and_says_what_is_wrong(client: TestClient, db: Database) -> None:
    take_rig_down(db)
    setup = tanks.open_tank(db, 1).setup()
    client.post("/tanks/1/mounting/mounts", data={"type": "rail"})
    kept = tanks.open_tank(db, 1).setup().mounts[0]
    assert all(f.held_by == kept.value.name for f in tanks.open_tank(db, 1).setup().hung)
    bad = client.post(f"/tanks/1/mounting/mounts/{kept.id}", data={"name": "{rail}", "low": "40", "high": "20"})
    assert bad.status_code == 422
    assert "{rail}" in bad.text
    assert "is lower than the lowest, 40 cm" in bad.text
    client.post(f"/tanks/1/mounting/mounts/{kept.id}", data={"name": "{rail}", "load": "3"})
    page = client.get("/tanks/1/mounting").text
    assert "Load of {rail}" in page
    assert "rated for 3 kg" in page
    held = tanks.open_tank(db, 1).setup().fixtures[0]
    assert held.value.held_by == "{rail}"
    assert client.post("/tanks/1/mounting/held", data={f"held-{held.id}": "Nowhere"}).status_code == 422
    client.post("/tanks/1/mounting/held", data={f"held-{held.id}": ""})
    assert tanks.open_tank(db, 1).setup().fixtures[0].value.held_by == ""
    before = tanks.open_tank(db, 1).setup()
    client.post(f"/tanks/1/mounting/mounts/{kept.id}/remove")
    assert tanks.open_tank(db, 1).setup().mounts == ()
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).setup() == before
    assert setup.id == before.id


def test_survey_is_compared_with_the_shade_of_its_days_mounts(db: Database) -> None:
    """A lid over the water on the day of a survey shades its prediction, when the lid is gone too, and in its file."""
    lid_id = mounts.add_mount(db, 1, tanks.open_tank(db, 1).setup().id, "half_lid")
    stored = tanks.open_tank(db, 1)
    mounts.hold(db, 1, stored.setup().id, {stored.setup().fixtures[0].id: "Half-lid that swings"})
    hung = tanks.open_tank(db, 1).setup().hung
    spot = MeasuringPoint("Under the lid", 0.9, 0.5, 0.2)
    survey_id = surveys.add_survey(db, 1, Survey("Now", date(2026, 5, 1), spots=(spot,), fixtures=tuple(hung)))
    mounts.delete_mount(db, 1, stored.setup().id, lid_id)
    again = tanks.import_tank(db, tanks.export_tank(db, 1).encode())
    copied = next(one.id for one in surveys.all_surveys(db, again) if one.value.name == "Now")
    for tank_id, its in ((1, survey_id), (again, copied)):
        survey = surveys.open_survey(db, tank_id, its).value
        tank = same_tank(tanks.open_tank(db, tank_id).tank)
        lit, bare = par_at(tank, survey.fixtures, np.array([spot.place])), [replace(f, strips=()) for f in hung]
        assert lit == pytest.approx(par_at(tank, hung, np.array([spot.place])), rel=1e-4)
        assert lit[0] < 0.9 * par_at(tank, bare, np.array([spot.place]))[0]


def test_page_says_what_a_lid_over_the_water_takes(client: TestClient, db: Database) -> None:
    """A lid under a light takes what it covers, but for its cut-out; a rail over it takes nothing."""
    take_rig_down(db)
    client.post("/tanks/1/mounting/mounts", data={"type": "rail"})
    assert "Mounts shade these lights" not in client.get("/tanks/1/mounting").text
    client.post("/tanks/1/mounting/mounts", data={"type": "half_lid"})
    setup = tanks.open_tank(db, 1).setup()
    first = setup.fixtures[0]
    client.post("/tanks/1/mounting/held", data={f"held-{first.id}": "Half-lid that swings"})
    page = client.get("/tanks/1/mounting").text
    assert "Mounts shade these lights" in page
    stored = tanks.open_tank(db, 1)
    shade = mounts.shade_of(stored, stored.setup())
    assert shade
    assert 0 < shade.mean < 0.9 * shade.without

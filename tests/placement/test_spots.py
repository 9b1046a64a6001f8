"""Coral spots: light on tilted surfaces, where they are found, racks, own spots, preferences, a coral held over one."""

from __future__ import annotations

import datetime
import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.keeping.scene import racked
from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium, channel_fields
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Pane, Rock, Tank
from corlume.core.light.water import Water
from corlume.core.placement.custom_spots import CustomSpot, FragRack
from corlume.core.placement.placement_preferences import KeptFree, PlacementPreferences, apply_preferences
from corlume.core.placement.surface_orientation import gaps_behind, orientations, reach_to, steep_spots
from corlume.reference.coral_library import coral_library
from corlume.services.keeping import corals, natural_rock, placement_choices, tanks
from corlume.services.light.fields import par_at
from corlume.services.placement.growth import MONTHS, clashes, grown
from corlume.services.placement.place_all import first_plan, plans
from corlume.services.placement.placement_preview import preview_placement
from corlume.services.placement.placement_problem import PlacementRequest
from corlume.services.placement.spots import spots_of
from corlume.services.placement.zone_placement import coral_light, states
from corlume.store.database import Database
from tests.cards import coral_cards

HALF = math.sqrt(0.5)

BLACK = Pane("plain", 0.0)
AIR = Tank(
    2.0, 2.0, 1.0, sand_albedo=0.0, rock_albedo=0.0, rim_height=0.0,
    water=Water(kind="plain", index=1.0, attenuation=0.0, ripple=0.0),
    left=BLACK, right=BLACK, front=BLACK, back=BLACK,
)  # fmt: skip
SMALL = Emitter("led_cluster", 100.0, math.radians(120), 0.001, 0.001, 1.0, 1.0, 0.5)


@settings(max_examples=30, deadline=None)
@given(
    lean=st.floats(0, math.pi / 2), turn=st.floats(0, 2 * math.pi), x=st.floats(0.3, 1.7), y=st.floats(0.3, 1.7),
    depth=st.floats(0.1, 0.9),
)  # fmt: skip
def test_light_on_a_tilted_surface_is_that_of_a_point_source(
    lean: float, turn: float, x: float, y: float, depth: float
) -> None:
    """Closed form: a Lambert point source of flux P gives P cos(a) cos(b) / (pi R^2), b to the surface's normal."""
    normal = np.array([math.sin(lean) * math.cos(turn), math.sin(lean) * math.sin(turn), math.cos(lean)])
    found = channel_fields(Medium.of(AIR), SMALL, np.array([[x, y, depth]]), normals=normal[None])[0, 0]
    to_source = np.array([1.0 - x, 1.0 - y, 0.5 + depth])
    far = float(np.linalg.norm(to_source))
    slant = float(to_source @ normal) / far
    assume(abs(slant) > 0.002)  # what the plane of the surface cuts in two is no point
    cosine = max(0.0, slant)
    assert found == pytest.approx(100 / math.pi * (to_source[2] / far) * cosine / far**2, rel=1e-4, abs=1e-4)


def test_upright_normals_are_what_a_meter_reads_and_a_face_gets_what_comes_from_its_side(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    tank, hung = stored.lit_tank(), stored.setup().hung
    points = np.array([[0.5, 0.2, 0.2], [1.0, 0.3, 0.1]])
    plain = par_at(tank, hung, points)
    assert par_at(tank, hung, points, normals=np.tile([0.0, 0.0, 1.0], (2, 1))) == pytest.approx(plain, rel=1e-9)
    left, right = (par_at(tank, hung[:1], points, normals=np.tile([s * HALF, 0, HALF], (2, 1))) for s in (-1, 1))
    assert left[1] > right[1]  # the only lamp hangs to the left of it
    down = par_at(tank, hung, points, normals=np.tile([0.0, 0.0, -1.0], (2, 1)))
    assert (down > 0).all()  # light from the sand, and nothing else
    assert (down < 0.15 * plain).all()


def test_sand_under_the_light_can_read_more_than_a_high_place_at_the_side() -> None:
    """Common practice, no source."""
    tank = Tank(1.3, 0.6, 0.4, rocks=(Rock(1.1, 0.2, 0.0, 0.15, 0.2, 0.3),))
    lamp = Fixture(Emitter("led_cluster", 200.0, math.radians(80), 0.15, 0.15, 0.35, 0.3, 0.2), 1.0, 100.0, "Left")
    sand, top = par_at(tank, [lamp], np.array([[0.35, 0.3, 0.37], [1.17, 0.3, 0.1]]))
    assert sand > 2 * top


def test_seats_lie_in_open_water_on_what_they_say() -> None:
    tank = Tank(
        1.3, 0.6, 0.5,
        rocks=(Rock(0.3, 0.2, 0.0, 0.3, 0.2, 0.3, "Pillar"), Rock(0.8, 0.2, 0.2, 0.3, 0.25, 0.06, "Shelf"),
               Rock(0.05, 0.57, 0.0, 0.1, 0.02, 0.1, "Tight")),
    )  # fmt: skip
    found = {(name, sat): points for name, sat, points in steep_spots(tank, 0.06)}
    assert len(found["Pillar, face", "face"]) >= 20
    assert len(found["Under Shelf", "under"]) >= 6
    assert ("Under Pillar", "under") not in found
    for (_, sat), points in found.items():
        assert not tank.in_rock(points).any()
        assert (orientations(tank, points)[0] == sat).all()
    places = (((0.45, 0.3, 0.2), "top"), ((0.2, 0.1, 0.47), "sand"), ((0.29, 0.3, 0.3), "face"),
                       ((0.9, 0.3, 0.31), "under"), ((0.7, 0.595, 0.2), "pane"), ((0.7, 0.1, 0.2), "rack"))  # fmt: skip
    for point, sat in places:
        assert orientations(tank, np.array([point]))[0][0] == sat
    assert gaps_behind(tank, 0.02) == [("Tight", pytest.approx(0.01))]
    # by hand: a hand over the front rim to 30 cm in and 40 cm down
    assert reach_to(replace(tank, rim_height=0.0), np.array([[0.6, 0.3, 0.4]])) == pytest.approx([0.5])


def test_no_face_behind_a_rock_is_a_spot_where_a_coral_would_touch_the_back_pane() -> None:
    for gap, some in ((0.015, False), (0.15, True)):
        tank = Tank(1.0, 0.5, 0.5, rocks=(Rock(0.3, 0.2, 0.05, 0.3, 0.3 - gap, 0.3),))
        faces = next(points for _, sat, points in steep_spots(tank, 0.05) if sat == "face")
        assert (faces[:, 1] > tank.rocks[0].y + tank.rocks[0].width).any() == some


def test_a_rack_takes_its_share_of_the_light_below_and_none_above(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    tank, hung = replace(stored.tank, rocks=(), natural_rocks=(), sand_albedo=0.0, rock_albedo=0.0), stored.setup().hung
    under = racked(tank, [FragRack("R", 0.0, 0.0, tank.length, tank.width, 0.2, 0.75)])
    points = np.array([[0.5, 0.3, 0.1], [0.5, 0.3, 0.199], [0.5, 0.3, 0.3], [1.2, 0.5, 0.5]])
    share = par_at(under, hung, points) / par_at(tank, hung, points)
    assert share == pytest.approx([1.0, 1.0, 0.75, 0.75], rel=1e-6)
    placement_choices.save_choice(db, 1, "racks", FragRack("Frags", 1.1, 0.02, 0.2, 0.1, 0.2, 0.5))
    after = tanks.open_tank(db, 1)
    seats = spots_of(after, hung)
    on = seats.sat == "rack"
    assert on.sum() >= 8
    assert seats.par[on] == pytest.approx(par_at(stored.lit_tank(), hung, seats.points[on]), rel=1e-3)
    for kept in after.corals:
        corals.place_coral(db, 1, kept.id, None)
    after = tanks.open_tank(db, 1)
    corals.place_coral(db, 1, after.corals[0].id, (1.2, 0.07, 0.5))
    below = coral_light(tanks.open_tank(db, 1), hung)[after.corals[0].id]
    corals.place_coral(db, 1, after.corals[0].id, (1.2, 0.07, 0.5))
    placement_choices.remove_choice(db, 1, "racks", after.racks[0].id)
    assert below < 0.92 * coral_light(tanks.open_tank(db, 1), hung)[after.corals[0].id]


def test_coral_on_a_face_reads_the_same_in_the_plan_and_on_its_page(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    seats = spots_of(stored, stored.setup().hung)
    steep = np.flatnonzero((seats.sat == "face") & (np.abs(seats.par - seats.meter) > 5))
    k = int(steep[seats.par[steep].argmax()])
    waiting = next(kept for kept in stored.corals if kept.value.place is None)
    corals.place_coral(db, 1, waiting.id, tuple(seats.points[k].tolist()))  # type: ignore[arg-type]
    after = tanks.open_tank(db, 1)
    assert coral_light(after, after.setup().hung)[waiting.id] == pytest.approx(seats.par[k], rel=1e-3)
    state = next(s for s in states(after, after.setup().hung) if s.id == waiting.id)
    assert f"Reads {seats.par[k]:.0f}" in " ".join(r.text for r in state.reasons)


def test_own_seats_no_seats_and_parts_kept_free_are_heard(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    hung = stored.setup().hung
    before = spots_of(stored, hung)
    placement_choices.save_choice(db, 1, "perches", CustomSpot("Cup hook", 0.9, 0.6, 0.2, "face", math.radians(270)))
    placement_choices.save_choice(db, 1, "perches", CustomSpot("Wobbles", *before.points[0].tolist(), holds="none"))
    placement_choices.save_choice(db, 1, "kept_free", KeptFree("Front glass", 0.0, 0.0, 1.5, 0.1))
    after = spots_of(tanks.open_tank(db, 1), hung)
    assert "Cup hook" in after.names
    assert np.linalg.norm(after.points - before.points[0], axis=1).min() >= 0.08
    assert after.points[:, 1].min() > 0.1
    with pytest.raises(InvalidInput, match="inside rock"):
        placement_choices.save_choice(db, 1, "perches", CustomSpot("Buried", 0.25, 0.35, 0.3))
    with pytest.raises(InvalidInput, match="taken"):
        placement_choices.save_choice(db, 1, "perches", CustomSpot("Cup hook", 0.9, 0.5, 0.2))
    kept = tanks.open_tank(db, 1).kept_free[0]
    typed = {"name": "Front glass", "x": "0", "y": "0", "length": "200", "width": "10"}
    answer = client.post(f"/tanks/1/corals/spots/kept_free/{kept.id}", data=typed)
    assert answer.status_code == 422
    assert "Length reaches to 200 cm; the tank ends at 150 cm" in answer.text
    assert client.get("/tanks/1/corals/spots?behind=20").text.count("of open water behind it") >= 2
    assert (
        client.post(
            "/tanks/1/corals/spots/tap", json={"view": "plan", "u": 0.5, "v": 0.6, "third": "", "seen": "rest"}
        ).status_code
        == 200
    )


def test_wishes_move_seats_up_and_down_and_a_show_piece_comes_forward(db: Database) -> None:
    points = np.column_stack([np.linspace(0, 1, 11), np.full(11, 0.1), np.full(11, 0.3)])
    worth = np.full(11, 1.5)
    near = apply_preferences(worth, PlacementPreferences(near="A"), points, 0.6, [("A", (0.0, 0.1, 0.3))])
    far = apply_preferences(worth, PlacementPreferences(far="A"), points, 0.6, [("A", (0.0, 0.1, 0.3))])
    assert near.argmax() == 0
    assert far.argmax() == 10
    assert apply_preferences(worth, PlacementPreferences(near="B"), points, 0.6, []) == pytest.approx(worth)
    with pytest.raises(InvalidInput, match="too"):
        PlacementPreferences(near="A", far="A")
    stored = tanks.open_tank(db, 1)
    waiting = [kept for kept in stored.corals if kept.value.place is None]
    lps = next(kept for kept in waiting if kept.value.card.name == "Goniopora")
    placement_choices.save_preferences(db, 1, lps.id, PlacementPreferences(show=True))
    stored = tanks.open_tank(db, 1)
    seat = {one.coral.id: one for one in first_plan(stored, stored.setup(), PlacementRequest()).seated}[lps.id]
    assert seat.place[1] < 0.5 * stored.tank.width
    with pytest.raises(InvalidInput, match="unplaced"):
        placement_choices.save_preferences(db, 1, lps.id, PlacementPreferences(pinned=True))
    with pytest.raises(InvalidInput, match="none of your other corals"):
        placement_choices.save_preferences(db, 1, lps.id, PlacementPreferences(near="Nobody"))


def test_a_ledge_that_is_proposed_gives_the_coral_its_seat(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    for rock in stored.natural_rocks:
        natural_rock.delete_natural_rock(db, 1, rock.id)
    for kept in stored.corals:
        corals.remove_coral(db, 1, kept.id)
    corals.add_coral(db, 1, replace(coral_cards()["Acropora tenuis"], par_low=300.0, par_high=420.0))
    stored = tanks.open_tank(db, 1)
    *_, plan = plans(stored, stored.setup(), PlacementRequest(), seconds=2.0)
    [none] = plan.unseated
    ledge = next(help for help in none.helps if "ledge" in help.words)
    x, y, depth, size = (ledge.lengths[name] for name in ("x", "y", "depth", "size"))
    base = stored.tank.water_depth - depth - 0.03
    tanks.save_rock(db, 1, None, Rock(x - size / 2, y - size / 2, base, size, size, 0.03, "New ledge"))
    stored = tanks.open_tank(db, 1)
    [seated] = first_plan(stored, stored.setup(), PlacementRequest()).seated
    assert seated.seat == "New ledge"


def test_a_held_coral_snaps_to_a_seat_and_says_what_it_would_have_there(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    setup = stored.setup()
    seats = spots_of(replace(stored, corals=tuple(k for k in stored.corals if k.id != 3)), setup.hung)
    k = int(np.flatnonzero(seats.sat == "top")[4])
    x, y, depth = seats.points[k].tolist()
    held = preview_placement(stored, setup, 3, "plan", x + 0.01, y - 0.01)
    assert held.place == pytest.approx((x, y, depth))
    assert held.par == pytest.approx(seats.par[k])
    told = client.post("/tanks/1/corals/3/try", json={"view": "plan", "u": x + 0.01, "v": y - 0.01}).json()
    assert told["par"] == f"{held.par:.0f} PAR"
    dropped = client.post("/tanks/1/corals/3/drop", json={"view": "plan", "u": x + 0.01, "v": y - 0.01})
    assert dropped.status_code == 200
    after = tanks.open_tank(db, 1)
    assert tuple(after.coral(3).value.place or ()) == pytest.approx((x, y, depth))
    assert coral_light(after, setup.hung)[3] == pytest.approx(held.par, rel=1e-3)
    front = preview_placement(after, setup, 3, "front", x, depth + 0.01)
    assert front.place[2] == pytest.approx(depth, abs=0.05)
    for view, u, v, field in (("plan", 9.0, 0.1, "x"), ("front", 9.0, 0.1, "x"), ("front", 0.1, 2.0, "depth")):
        refused = client.post("/tanks/1/corals/3/try", json={"view": view, "u": u, "v": v})
        assert refused.status_code == 422
        assert set(refused.json()["errors"]) == {field}


def test_bodies_grow_to_their_size_and_clashes_are_those_that_sting(db: Database) -> None:
    stored, today = tanks.open_tank(db, 1), datetime.date(2026, 11, 30)
    for coral_id, body in grown(stored, today).items():
        coral = stored.coral(coral_id).value
        card, came = coral.card, coral.course.bought
        years = max(0, (today - came).days) / 365.25 if came else 0.0
        assert len(body.across) == len(MONTHS)
        assert list(body.across) == sorted(body.across)
        assert body.across[0] == pytest.approx(0.25 * card.size + years * coral_library()[card.name].growth)
        assert body.across[-1] <= card.size
    stung = {s.id for s in states(stored, stored.setup().hung) if any(r.rule == "neighbour" for r in s.trouble)}
    met = clashes(stored)
    assert {one.one for one in met} | {one.other for one in met} == stung

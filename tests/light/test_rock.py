"""Rock of any shape: solids in closed form, light against a renderer, seats by slope, scans, and the brush."""

from __future__ import annotations

import json
import math
from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.light.brush import Stroke, brushed
from corlume.core.light.brushed_rock import BrushedRock
from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium, unit_field
from corlume.core.light.geometry import Pane, Rock, Tank
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.light.rock_bytes import pack_mesh, pack_strokes, rock_key, unpack_mesh, unpack_strokes
from corlume.core.light.rock_mesh import RockMesh, centred
from corlume.core.light.rock_scan import UNITS, fitted_to_bottom, likely_unit, likely_up, turned_up
from corlume.core.light.rock_surface import plugs, rock_surface
from corlume.core.light.rockwork import Rockwork, tops_of
from corlume.core.placement.suitability import room_at
from corlume.core.placement.surface_orientation import in_crevice, orientations
from corlume.devices.scan_standin import scanned
from corlume.formats.file_faults import BadFile
from corlume.formats.scan_file import read_scan, write_ply, write_stl
from corlume.formats.scene_file import read_scene, write_scene
from corlume.services.keeping import natural_rock, rock_scans, tanks
from corlume.store.database import Database
from tests.renderer import BOX, ROCK_TABLE, beside_rock, lit_beside

BLACK = Pane("plain", 0.0)


def mesh_of(solid: trimesh.Trimesh) -> RockMesh:
    return centred(np.asarray(solid.vertices), np.asarray(solid.faces))


def lying(mesh: RockMesh, x: float, y: float, **how: float) -> NaturalRock:
    return NaturalRock("Rock", "0" * 64, x, y, mesh=mesh, **how)  # type: ignore[arg-type]


def volume(rock: Rockwork) -> float:
    runs = rock.runs
    return float(((runs[:, 3] - runs[:, 0]) * (runs[:, 7] - runs[:, 6]) * (runs[:, 9] - runs[:, 8])).sum())


SPHERE, CONE = trimesh.creation.icosphere(5, 0.1), trimesh.creation.cone(0.12, 0.2, sections=256)
TORUS = trimesh.creation.torus(0.12, 0.04, 128, 64)


@pytest.mark.parametrize(("solid", "height"), [(SPHERE, 0.2), (CONE, 0.2), (TORUS, 0.08)])
@pytest.mark.parametrize("turn", [0.0, 0.7])
def test_a_solid_keeps_its_volume_and_height(solid: trimesh.Trimesh, height: float, turn: float) -> None:
    """Volumes as trimesh has them, heights by hand: within 2 %."""
    tank = Tank(1.3, 0.6, 0.5, natural_rocks=(lying(mesh_of(solid), 0.553, 0.311, base=0.05, turn=turn),))
    assert volume(tank.rockwork) == pytest.approx(solid.volume, rel=0.02)
    assert 0.5 - 0.05 - tank.rockwork.peak == pytest.approx(height, rel=0.02)
    surface = rock_surface(tank)
    assert len(surface.triangles) > 500
    # caves and holes are kept: straight through the middle of a torus there is water
    inside = tank.in_rock(np.array([[0.553, 0.311, 0.5 - 0.05 - 0.5 * height]]))[0]
    assert inside == (solid is not TORUS)


def test_normals_of_a_sphere_point_away_from_its_middle() -> None:
    """Within 5 degrees everywhere above its lowest tenth."""
    tank = Tank(1.0, 0.6, 0.5, natural_rocks=(lying(mesh_of(SPHERE), 0.5, 0.3, base=0.1),))
    surface = rock_surface(tank)
    away = (surface.corners - np.array([0.5, 0.3, 0.3])) * np.array([1.0, 1.0, -1.0])
    cosine = np.einsum("ij,ij->i", surface.normals, away / np.linalg.norm(away, axis=1)[:, None])
    assert np.degrees(np.arccos(np.clip(cosine, -1, 1))).max() < 5.0


def test_seats_of_a_hemisphere_go_by_its_slope() -> None:
    """By hand: at the angle t from its top a ball of 15 cm leans by t; up to 45 degrees it is a top, then a face."""
    ball = trimesh.creation.icosphere(6, 0.15)
    tank = Tank(1.0, 0.6, 0.5, sand=0.0, natural_rocks=(lying(mesh_of(ball), 0.5, 0.3, base=0.0),))
    for degrees in (0, 10, 20, 30, 40, 55, 70, 85):
        t = math.radians(degrees)
        point = np.array([[0.5 + 0.15 * math.sin(t), 0.3, 0.35 - 0.15 * math.cos(t)]])
        what, way = orientations(tank, point)
        assert what[0] == ("top" if degrees < 45 else "face"), degrees
        # a coral turns halfway from straight off the rock to straight up
        assert math.degrees(math.atan2(way[0, 0], way[0, 2])) == pytest.approx(degrees / 2, abs=3.0)
        if degrees <= 40:
            rest = plugs(tank.rockwork, point)
            assert math.degrees(math.acos(rest.normal[0, 2])) == pytest.approx(degrees, abs=3.0)
            assert rest.held[0] > 0.9
    under = orientations(tank, np.array([[0.5 + 0.15 * math.sin(2.6), 0.3, 0.35 - 0.15 * math.cos(2.6)]]))[0]
    assert under[0] == "under"


def test_a_turned_scan_gives_the_turned_field() -> None:
    """A quarter turn of rock and lamp in a square tank of equal panes turns the light with it."""
    rock = lying(scanned_rock(), 0.42, 0.35)
    lamp = Emitter("led_cluster", 150.0, 2.0, 0.1, 0.1, 0.36, 0.28, 0.2)
    tank = Tank(0.8, 0.8, 0.45, natural_rocks=(rock,), left=BLACK, right=BLACK, front=BLACK, back=BLACK)
    # a quarter turn anticlockwise takes (x, y) to (0.8 - y, x)
    turned = replace(tank, natural_rocks=(replace(rock, x=0.8 - rock.y, y=rock.x, turn=math.pi / 2),))
    there = replace(lamp, x=0.8 - lamp.y, y=lamp.x, turn=math.pi / 2)
    points = np.random.default_rng(3).random((1500, 3)) * (0.8, 0.8, 0.42)
    points = points[~tank.in_rock(points)]
    moved = np.column_stack((0.8 - points[:, 1], points[:, 0], points[:, 2]))
    before, after = unit_field(Medium.of(tank), lamp, points), unit_field(Medium.of(turned), there, moved)
    assert np.sqrt(((after - before) ** 2).mean()) < 0.02 * before.mean()


def scanned_rock() -> RockMesh:
    scan = read_scan(write_ply(scanned("bommie", 4)))
    return unpack_mesh(pack_mesh(centred(0.001 * turned_up(scan.corners, "+y"), scan.triangles)))


@pytest.mark.parametrize("shape", ["sphere", "torus"])
def test_light_beside_a_sphere_and_behind_a_torus_is_that_of_the_renderer(shape: str) -> None:
    """Against mitsuba, the mesh itself in water with black panes and floor: 3 % rms free of edges, 6 % with them.

    The table is written by ``python -m tests.renderer``; one place of it is rendered here again.
    """
    table = np.array(json.loads(ROCK_TABLE.read_text())[shape])
    tank, rock, lamp = beside_rock(shape)
    found = unit_field(Medium.of(tank), lamp, table[:, :3], step=0.15)
    seen, most = table[:, 3], table[:, 3].max()
    error = (found - seen) / most
    edge = np.abs(np.gradient(seen, table[:, 0])) * 0.01 > 0.06 * most  # a centimetre aside is another reading
    assert np.sqrt((error[~edge] ** 2).mean()) < 0.03
    assert np.sqrt((error**2).mean()) < 0.06
    assert edge.any()
    assert seen.min() < 0.3 * most  # there is a shadow
    assert rock.mesh is not None
    again = lit_beside(tuple(table[-1, :3]), rock.laid(BOX), rock.mesh.triangles, samples=400_000)
    assert again == pytest.approx(seen[-1], rel=0.1)


def test_a_made_up_scan_is_set_upright_in_its_unit_and_closed(client: TestClient, db: Database) -> None:
    data = write_ply(scanned("arch", 9))
    scan = read_scan(data)
    assert (scan.crumbs, scan.open_edges) == (1, 0)
    assert scan.closed >= 6
    up = likely_up(scan)
    assert up == "+y"
    size = np.ptp(turned_up(scan.corners, up), axis=0)
    assert likely_unit(size, (1.5, 0.65, 0.56)) == "mm"
    for written in (trimesh.Trimesh(scan.corners, scan.triangles, process=False).export(file_type="obj").encode(),
                    write_stl(RockMesh(0.001 * scan.corners, scan.triangles)),
                    trimesh.Trimesh(scan.corners, scan.triangles, process=False).export(file_type="glb")):  # fmt: skip
        again = read_scan(written)
        assert np.ptp(again.corners, axis=0) == pytest.approx(np.ptp(scan.corners, axis=0), rel=1e-3)
    page = client.post("/tanks/1/rock-scan", files={"file": ("scan.ply", data)})
    assert page.status_code == 303
    url = page.headers["location"]
    text = client.get(url).text
    assert "1 loose crumb taken off" in text
    assert client.get(url.replace("unit=mm", "unit=m")).status_code == 422
    wrong = client.get(f"{url}&turn=a bit")
    assert (wrong.status_code, "Turned must be a number of degrees" in wrong.text) == (422, True)
    assert 'value="a bit"' in wrong.text
    added = client.post(url.partition("?")[0], data={"name": "Scanned arch", "unit": "mm", "up": "+y", "turn": "30"})
    assert added.status_code == 303
    stored = tanks.open_tank(db, 1)
    rock = stored.natural_rocks[-1].value
    assert rock.name == "Scanned arch"
    assert rock.mesh is not None
    assert max(rock.mesh.size) == pytest.approx(0.001 * float(size.max()), rel=0.02)
    assert read_scene(write_scene(stored.scene()).encode()).tank == stored.tank
    for form in ("ply", "stl"):
        exported = client.get(f"/tanks/1/rock.{form}").content
        assert len(read_scan(exported).triangles) > 5000
    client.post("/tanks/1/undo")
    assert len(tanks.open_tank(db, 1).natural_rocks) == len(stored.natural_rocks) - 1


def test_the_scan_of_a_whole_tank_is_fitted_by_its_four_corners() -> None:
    """A scan at another scale, turned by 0.4 and moved comes back to where its rock lay."""
    true = np.array([[0.2, 0.1, 0.0], [0.9, 0.5, 0.3], [0.4, 0.2, 0.1]])
    turn = np.array([[math.cos(0.4), -math.sin(0.4)], [math.sin(0.4), math.cos(0.4)]])

    def away(points: np.ndarray) -> np.ndarray:
        return 1.7 * points @ turn.T + (3.0, -2.0)

    bottom = away(np.array([[0.0, 0.0], [0.0, 0.6], [1.2, 0.6], [1.2, 0.0]]))
    scan = np.column_stack((away(true[:, :2]), 1.7 * true[:, 2]))
    assert fitted_to_bottom(scan, bottom, 1.2, 0.6) == pytest.approx(true, abs=1e-9)
    with pytest.raises(InvalidInput, match="front left"):
        fitted_to_bottom(scan, bottom[[0, 2, 1, 3]], 1.2, 0.6)
    with pytest.raises(InvalidInput, match="four places"):
        rock_scans.corners_of("1,2 3,4 5,6")


def test_a_whole_tank_is_brought_in_by_its_corners(client: TestClient, db: Database) -> None:
    """The demo tank's bottom with a ball on it, in millimetres and turned by a right angle: the ball lies where it
    lay.
    """
    tank = tanks.open_tank(db, 1).tank
    ball = trimesh.creation.icosphere(4, 0.08).apply_translation([1.35, 0.12, 0.07])
    plate = trimesh.creation.box((tank.length, tank.width, 0.004))
    plate.apply_translation([0.5 * tank.length, 0.5 * tank.width, 0.0])
    whole = trimesh.util.concatenate([ball, plate])
    x, y, z = 1000.0 * np.asarray(whole.vertices).T
    data = write_ply(RockMesh(np.column_stack((-y, x, z)), np.asarray(whole.faces)))
    url = client.post("/tanks/1/rock-scan", files={"file": ("tank.ply", data)}).headers["location"]
    low = 1000.0 * np.array([[0.0, 0.0], [0.0, tank.width], [tank.length, tank.width], [tank.length, 0.0]])
    bottom = " ".join(f"{-v:g},{u:g}" for u, v in low.tolist())
    chosen = {"name": "Ball", "unit": "mm", "up": "+z", "bottom": bottom}
    assert client.post(url.partition("?")[0], data=chosen).status_code == 303
    rock = tanks.open_tank(db, 1).natural_rocks[-1].value
    x0, x1, y0, y1, _, _ = rock.extent(tank.water_depth)
    assert (x0, x1, y0, y1) == pytest.approx((1.27, 1.43, 0.04, 0.2), abs=0.004)


BAD = {
    b"": "is empty",
    b"hello": "is not a mesh",
    b"solid x\nendsolid x\n": "is not a mesh",
    b"ply\nformat ascii 1.0\nelement vertex 99999999\nend_header\n": "damaged or cut off",
    b"glTF" + b"\0" * 30: "damaged or cut off",
    b'{"asset": {"version": "2.0"}, "buffers": [{"uri": "rock.bin"}]}': "names other files",
    b"v 0 0 0\nv 1 0 0\n": "no surface",
    b"v 0 0 0\nv 1 0 nan\nv 0 1 0\nf 1 2 3\n": "no numbers",
    b"v 0 0 0\nv 1e300 0 0\nv 0 1 0\nf 1 2 3\n": "endless",
    b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n": "damaged or cut off",
}


@pytest.mark.parametrize("data", BAD)
def test_what_is_no_scan_is_refused_in_words(client: TestClient, data: bytes) -> None:
    with pytest.raises(BadFile, match=BAD[data]):
        read_scan(data)
    if data:
        assert BAD[data] in client.post("/tanks/1/rock-scan", files={"file": ("x", data)}).text


@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    seed=st.integers(0, 10**6), turn=st.floats(-6, 6), tilt=st.floats(-3, 3), x=st.floats(0, 1.5), y=st.floats(0, 0.65),
    scale=st.floats(0.3, 3.0), base=st.floats(0, 0.5),
)  # fmt: skip
def test_any_mesh_that_is_accepted_leaves_a_tank_that_draws_saves_and_undoes(
    client: TestClient, db: Database, seed: int, turn: float, tilt: float, x: float, y: float, scale: float, base: float
) -> None:
    """Random lumps, often wholly out of sight: the pages answer, the file reads back the same, undo takes it away."""
    draw = np.random.default_rng(seed)
    lump = trimesh.convex.convex_hull(draw.normal(0, 0.08, (int(draw.integers(5, 40)), 3)))
    data = pack_mesh(mesh_of(lump))
    before = tanks.open_tank(db, 1)
    rock = NaturalRock("Lump", rock_key(data), x, y, base, turn, tilt, 0.0, scale, mesh=unpack_mesh(data))
    try:
        natural_rock.add_natural_rocks(db, 1, (rock,), "add lump")
    except InvalidInput:  # it would bury a pump
        return
    stored = tanks.open_tank(db, 1)
    assert client.get("/tanks/1").status_code == 200
    assert client.get("/tanks/1/corals").status_code == 200
    assert read_scene(write_scene(stored.scene()).encode()).tank.rockwork.runs.shape == stored.tank.rockwork.runs.shape
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1) == before
    tanks.redo(db, 1)
    assert tanks.open_tank(db, 1) == stored
    tanks.undo(db, 1)


def test_a_stroke_raises_lowers_adds_and_carves_and_is_kept(db: Database) -> None:
    tank = Tank(1.0, 0.5, 0.5, rocks=(Rock(0.3, 0.15, 0.0, 0.4, 0.2, 0.2),))

    def top(one: Tank, x: float, y: float) -> float:
        return float(tops_of(one.rockwork, -1, np.array([x]), np.array([y]), 1)[0, 0, 0])

    def after(one: Tank, stroke: Stroke) -> Tank:
        data = pack_strokes(brushed(one, stroke))
        return replace(one, brushed_rock=(BrushedRock(rock_key(data), unpack_strokes(data)),))

    raised = after(tank, Stroke("plan", [(0.5, 0.25)], True, 0.06, 0.0, by=0.05))
    assert top(raised, 0.5, 0.25) == pytest.approx(0.25, abs=1e-3)
    assert top(raised, 0.35, 0.25) == pytest.approx(0.3, abs=1e-3)
    lowered = after(raised, Stroke("plan", [(0.5, 0.25)], False, 0.06, 0.0, by=0.08))
    assert top(lowered, 0.5, 0.25) == pytest.approx(0.33, abs=1e-3)
    # a ball of 5 cm carved out of the front view at mid-depth of the block: its volume, by hand
    carved = after(tank, Stroke("front", [(0.5, 0.4)], False, 0.05, 0.0, at=0.25))
    assert volume(tank.rockwork) - volume(carved.rockwork) == pytest.approx(4 / 3 * math.pi * 0.05**3, rel=0.02)
    assert not carved.in_rock(np.array([[0.5, 0.25, 0.4]]))[0]
    filled = after(carved, Stroke("front", [(0.5, 0.4)], True, 0.06, 0.0, at=0.25))
    assert filled.in_rock(np.array([[0.5, 0.25, 0.4]]))[0]
    longer = replace(filled, length=1.2)  # what was drawn stays where it was
    assert longer.in_rock(np.array([[0.5, 0.25, 0.4]]))[0]
    stored = tanks.open_tank(db, 1)
    natural_rock.brush_rock(db, 1, Stroke("plan", [(1.3, 0.1), (1.4, 0.1)], True, 0.04, 0.5))
    after_one = tanks.open_tank(db, 1)
    natural_rock.brush_rock(db, 1, Stroke("front", [(1.35, 0.5)], False, 0.03, 0.0, at=0.1))
    assert tanks.undo(db, 1) == "carve rock with the brush"
    assert tanks.open_tank(db, 1) == after_one
    assert read_scene(write_scene(after_one.scene()).encode()).tank == after_one.tank
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1) == stored
    with pytest.raises(InvalidInput, match="radius"):
        Stroke("plan", [(1.0, 0.1)], True, 0.9, 0.0)


def test_units_cover_what_scans_come_in() -> None:
    """A rock of 30 cm in each unit is taken for what it is, in a tank of usual size."""
    for unit, metres in UNITS.items():
        assert likely_unit(np.array([0.3, 0.25, 0.2]) / metres, (1.2, 0.5, 0.5)) == unit


def test_a_coral_under_rock_has_no_more_room_than_up_to_it() -> None:
    """By hand: 20 cm of water between sand and a shelf."""
    tank = Tank(1.2, 0.6, 0.5, sand=0.0, rocks=(Rock(0.4, 0.2, 0.2, 0.4, 0.25, 0.05),))
    under, beside = room_at(tank, np.array([[0.6, 0.3, 0.5], [0.25, 0.3, 0.5]]))
    assert under == pytest.approx(0.2, abs=0.011)
    assert beside == pytest.approx(0.25)


def test_a_place_with_rock_around_half_of_it_is_a_crevice() -> None:
    """A slot of 4 cm between two blocks on a third, and the open top of one of them."""
    blocks = (
        Rock(0.3, 0.2, 0.0, 0.3, 0.2, 0.1),
        Rock(0.3, 0.2, 0.1, 0.13, 0.2, 0.06),
        Rock(0.47, 0.2, 0.1, 0.13, 0.2, 0.06),
    )
    tank = Tank(1.0, 0.6, 0.5, sand=0.0, rocks=blocks)
    assert in_crevice(tank, np.array([[0.45, 0.3, 0.4], [0.36, 0.3, 0.34]])).tolist() == [True, False]

"""A tank in three dimensions: its surface in closed form, the light on it, surfaces of equal PAR, and places on it."""

from __future__ import annotations

import json

import numpy as np
import pytest
from fastapi.testclient import TestClient

from corlume.core.light.geometry import Rock, Tank
from corlume.core.light.rock_surface import surface_mesh
from corlume.services.keeping import tanks
from corlume.services.light.fields import par_at
from corlume.services.light.points import same_tank
from corlume.services.light.tank_model import equal_par, lit_surface, water_grid
from corlume.services.placement.place_here import suits_here
from corlume.services.placement.zone_placement import coral_light
from corlume.store.database import Database

UP = np.array([1.0, 1.0, -1.0])
VIEW = "/tanks/1/par-map/3d"


def areas(corners: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """Area and direction of triangles, x right, y back and z up (m, 3)."""
    a, b, c = (corners[triangles[:, k]] * UP for k in range(3))
    return 0.5 * np.cross(b - a, c - a)


def test_the_surface_of_a_block_on_sand_is_that_of_its_faces() -> None:
    """By hand: a metre by half a metre of sand, and a block 15 cm out of it, its edges rounded by a cell."""
    plain = Tank(1.0, 0.5, 0.5, sand=0.05)
    block = Rock(x=0.4, y=0.2, length=0.2, width=0.1, height=0.2, base=0.0)
    tank = Tank(1.0, 0.5, 0.5, sand=0.05, rocks=(block,))
    for one, area in ((plain, 0.5), (tank, 0.5 + 2 * (0.2 + 0.1) * 0.15)):
        mesh = surface_mesh(one, 0.05)
        each = areas(mesh.corners, mesh.triangles)
        assert np.linalg.norm(each, axis=1).sum() == pytest.approx(area, rel=0.02)
        # every triangle faces along the normals of its corners, out of rock and sand
        facing = mesh.normals[mesh.triangles[:, 0]]
        assert (np.einsum("mk,mk->m", each, facing) > 0).all()
        # a little over it is water; at rounded edges it lies up to half a cell inside
        # a centimetre over it is water, but at the corners of the block, which are rounded
        assert one.in_rock(mesh.corners[mesh.triangles].mean(axis=1) + 0.01 * facing * UP).mean() < 0.02


def test_its_light_is_what_the_tank_gives_there(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    tank, hung = same_tank(stored.lit_tank()), stored.setup().hung
    mesh, par = lit_surface(tank, hung)
    free = np.flatnonzero(~tank.in_rock(mesh.lit_points()))[::97]
    expected = par_at(tank, hung, mesh.lit_points(), normals=mesh.normals)
    assert par[free] == pytest.approx(expected[free], rel=1e-6, abs=1e-6)
    assert np.isfinite(par).all()
    grid = water_grid(tank, hung)
    corners, triangles = equal_par(grid, 200.0)
    assert len(triangles) > 500
    # away from rock, where the field is smooth, the surface lies at its level
    assert np.median(np.abs(par_at(tank, hung, corners[::23]) / 200.0 - 1)) < 0.02
    assert len(equal_par(grid, 4000.0)[1]) == 0


def test_the_view_is_sent_as_a_list_and_arrays(client: TestClient, db: Database) -> None:
    data = client.get(f"{VIEW}/model").content
    length = int.from_bytes(data[:4], "little")
    told = json.loads(data[4 : 4 + length])
    arrays = {
        name: np.frombuffer(data, dtype=f"<{one['type']}", count=one["count"], offset=one["start"])
        for name, one in told["arrays"].items()
    }
    stored = tanks.open_tank(db, 1)
    mesh, par = lit_surface(same_tank(stored.lit_tank()), stored.setup().hung)
    assert arrays["par"] == pytest.approx(par, rel=1e-6)
    assert arrays["triangles"].reshape(-1, 3).tolist() == mesh.triangles.tolist()
    light = coral_light(stored, stored.setup().hung)
    assert {one["id"]: one["par"] for one in told["model"]["corals"]} == {i: round(p) for i, p in light.items()}
    assert len(data) < 1_500_000
    assert client.get(f"{VIEW}/equal-par?level=bright").status_code == 422
    assert client.get(f"{VIEW}/equal-par?level=200").content[:4] != b""
    text = client.get(VIEW).text
    assert "1 Acropora millepora:" in text


def test_a_place_tells_its_light_and_who_suits(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    tanks.save_rock(db, 1, None, Rock(1.2, 0.04, 0.0, 0.14, 0.14, 0.3, "Step"))
    stored = tanks.open_tank(db, 1)
    setup, tank = stored.setup(), same_tank(stored.lit_tank())
    [box] = stored.tank.boxes()
    point = (box.x0 + 0.04, box.y1 - 0.04, box.top)
    here = suits_here(stored, setup, point, (0.0, 0.0, 1.0))
    assert here.sat == "top"
    assert here.par == pytest.approx(float(par_at(tank, setup.hung, np.array([point]) - [[0, 0, 1e-4]])[0]), rel=1e-6)
    assert here.par == here.meter
    for coral_id, _, name in here.corals:
        card = stored.coral(coral_id).value.card
        assert card.name == name
        assert stored.coral(coral_id).value.place is None
        assert card.par_low <= here.par <= card.par_high
    side = suits_here(stored, setup, (box.x0, box.y0 + 0.07, box.top + 0.06), (-1.0, 0.0, 0.0))
    assert side.sat == "face"
    assert side.par != side.meter
    asked = "x={}&y={}&depth={}&right=0&back=0&up=1"
    json_please = {"Content-Type": "application/json"}
    answer = client.get(f"{VIEW}/spot?{asked.format(*point)}", headers=json_please)
    assert f"{here.meter:.0f} PAR</b>" in answer.json()["html"]
    refused = client.get(f"{VIEW}/spot?{asked.format(9, 0.1, 0.1)}", headers=json_please)
    assert refused.status_code == 422
    assert "x" in refused.json()["errors"]
    x, y, depth = here.place
    placed = client.post(f"{VIEW}/place", json={"coral": 15, "x": x, "y": y, "depth": depth})
    assert placed.json() == {"placed": 15}
    now = tanks.open_tank(db, 1)
    assert coral_light(now, now.setup().hung)[15] == pytest.approx(here.par, rel=0.02)
    assert client.post(f"{VIEW}/place", json={"coral": 15, "x": 9, "y": y, "depth": depth}).status_code == 422

"""Rock drawn freehand: strips that cover what an outline encloses, kept as one step, refused when they cannot be."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.keeping.rock_outline import Strip, strips_of
from corlume.services.keeping import tanks
from corlume.store.database import Database


def covered(strips: list[Strip], u: np.ndarray, v: np.ndarray) -> np.ndarray:
    return np.any([(u >= a) & (u <= b) & (v >= c) & (v <= d) for a, b, c, d in strips], axis=0)


@given(rx=st.floats(0.06, 0.4), ry=st.floats(0.06, 0.25), start=st.floats(0, 6), clockwise=st.booleans())
def test_strips_of_an_ellipse_cover_it(rx: float, ry: float, start: float, clockwise: bool) -> None:
    """Of what either covers, ellipse or strips, at least 85 % is common to both; the area by pi a b within 6 %."""
    turn = start + np.linspace(0, 2 * np.pi, 90) * (-1 if clockwise else 1)
    strips = strips_of([(0.6 + rx * np.cos(t), 0.3 + ry * np.sin(t)) for t in turn.tolist()])
    u, v = np.meshgrid(np.linspace(0, 1.2, 241), np.linspace(0, 0.6, 121), indexing="ij")
    ellipse, strip = ((u - 0.6) / rx) ** 2 + ((v - 0.3) / ry) ** 2 <= 1, covered(strips, u, v)
    assert (ellipse & strip).sum() >= 0.85 * (ellipse | strip).sum()
    assert sum((b - a) * (d - c) for a, b, c, d in strips) == pytest.approx(np.pi * rx * ry, rel=0.06)


def test_an_arch_keeps_its_opening_and_a_box_is_one_block() -> None:
    """By hand: two legs of 10 cm and a lintel of 10 cm over 40 cm; the strips between the legs have one span alone."""
    arch = [(0.0, 0.4), (0.0, 0.0), (0.4, 0.0), (0.4, 0.4), (0.3, 0.4), (0.3, 0.1), (0.1, 0.1), (0.1, 0.4)]
    strips = strips_of(arch)
    middle = [one for one in strips if one[0] < 0.2 < one[1]]
    assert [(c, d) for _, _, c, d in middle] == [pytest.approx((0.0, 0.1))]
    assert covered(strips, np.array([0.05, 0.35]), np.array([0.3, 0.3])).all()
    assert strips_of([(0.1, 0.1), (0.5, 0.1), (0.5, 0.3), (0.1, 0.3)]) == [pytest.approx((0.1, 0.5, 0.1, 0.3))]
    # drawn like a C, the strips through its mouth have a span above and one below
    mouth = [(0.0, 0.0), (0.4, 0.0), (0.4, 0.1), (0.1, 0.1), (0.1, 0.3), (0.4, 0.3), (0.4, 0.4), (0.0, 0.4)]
    assert len([one for one in strips_of(mouth) if one[0] < 0.3 < one[1]]) == 2
    for small in ([(0.1, 0.1), (0.11, 0.1), (0.1, 0.11)], [(0.1, 0.1), (0.5, 0.1), (0.3, 0.1)]):
        with pytest.raises(InvalidInput):
            strips_of(small)


def test_a_stroke_on_either_view_is_rock_in_one_step_of_undo(client: TestClient, db: Database) -> None:
    tank = tanks.open_tank(db, 1).tank
    before = len(tanks.open_tank(db, 1).rocks)
    around = [(0.02, 0.02), (0.12, 0.03), (0.1, 0.12), (0.03, 0.1)]
    assert client.post("/tanks/1/rocks/outline", json={"view": "plan", "points": around}).status_code == 200
    drawn = [k.value for k in tanks.open_tank(db, 1).rocks[before:]]
    assert len(drawn) >= 3
    assert all(rock.y >= tank.width - 0.12 - 1e-6 and rock.base == 0 for rock in drawn)  # up on the plan is the back
    tanks.undo(db, 1)
    assert len(tanks.open_tank(db, 1).rocks) == before
    # in the front view what reaches the sand stands on the bottom pane
    low = tank.water_depth - 0.035
    front = [(0.02, low), (0.03, low - 0.2), (0.2, low - 0.2), (0.2, low)]
    client.post("/tanks/1/rocks/outline", json={"view": "front", "points": front}).raise_for_status()
    assert {k.value.base for k in tanks.open_tank(db, 1).rocks[before:]} == {0.0}
    tiny = client.post(
        "/tanks/1/rocks/outline", json={"view": "front", "points": [(0.1, 0.1), (0.11, 0.1), (0.1, 0.11)]}
    )
    assert tiny.status_code == 422
    assert "at least 3 cm across" in tiny.json()["message"]
    out = client.post("/tanks/1/rocks/outline", json={"view": "plan", "points": [(0.1, 0.1), (9.0, 0.1), (0.1, 0.4)]})
    assert out.status_code == 422

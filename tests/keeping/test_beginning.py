"""From an empty start to a first chart: scapes that fit every tank, a first light by rule, rock drawn, a copy."""

from __future__ import annotations

import json

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient

from corlume.core.keeping.rockscapes import SCAPES, ScapeKey, scape
from corlume.core.light.fixture import overlaps
from corlume.core.light.geometry import Tank
from corlume.services.keeping import surveys, tanks
from corlume.store.database import Database
from tests.test_web import NEW

JSON = {"content-type": "application/json"}


@settings(max_examples=25, deadline=None)
@given(
    key=st.sampled_from(list(SCAPES)), length=st.floats(0.3, 4.0), width=st.floats(0.25, 1.2),
    depth=st.floats(0.2, 1.0), seed=st.integers(0, 2**31),
)  # fmt: skip
@example(key="islands", length=3.0, width=0.75, depth=0.21875, seed=32)
def test_every_scape_stands_in_every_tank_with_open_water_behind_it(
    key: ScapeKey, length: float, width: float, depth: float, seed: int
) -> None:
    for rock in scape(key, Tank(length, width, depth), seed):
        x0, x1, y0, y1, top, bottom = rock.extent(depth)
        assert x0 >= 0
        assert x1 <= length
        assert y0 >= 0
        # a hand's share of the width stays open at the back, and light above; each piece stands on the bottom
        assert y1 <= 0.92 * width
        assert top >= 0.1 * depth
        assert bottom == pytest.approx(depth, abs=1e-6)
        assert rock.mesh is not None
        assert rock.mesh.volume > 0
    assert scape(key, Tank(1.0, 0.5, 0.5), seed) == scape(key, Tank(1.0, 0.5, 0.5), seed)
    if key != "open":
        assert scape(key, Tank(1.0, 0.5, 0.5), seed) != scape(key, Tank(1.0, 0.5, 0.5), seed + 1)


@pytest.mark.parametrize("hung", ["", "cluster", "t5-39", "hybrid-60"])
def test_a_new_tank_has_its_scape_and_its_first_light(client: TestClient, db: Database, hung: str) -> None:
    typed = {**NEW, "scape": "arch", "hung": hung}
    where = client.post("/tanks/new", data=typed).headers["location"]
    stored = tanks.open_tank(db, int(where.split("/")[2]))
    assert [rock.name for rock in stored.tank.natural_rocks] == ["Arch", "Foot"]
    fixtures = stored.setup().hung
    assert bool(fixtures) == bool(hung)
    assert not overlaps(fixtures)
    assert client.get(where).status_code == 200
    assert "not one of those offered" in client.post("/tanks/new", data={**typed, "scape": "volcano"}).text
    bad = client.post("/tanks/new", data={**typed, "hung": "candle"})
    assert "is not in the fixture library" in bad.text
    assert 'value="arch" checked' in bad.text


def test_a_scape_is_laid_drawn_on_and_undone(client: TestClient, db: Database) -> None:
    before = tanks.open_tank(db, 1)
    # the demo has rock already: more of it may stand on it, and one step takes it back
    assert client.post("/tanks/1/scape", data={"scape": "bommie"}).status_code == 303
    assert len(tanks.open_tank(db, 1).natural_rocks) == len(before.natural_rocks) + 3
    client.post("/tanks/1/undo")
    assert tanks.open_tank(db, 1).natural_rocks == before.natural_rocks

    def draw(**what: object) -> int:
        return client.post("/tanks/1/rocks/draw", content=json.dumps(what), headers=JSON).status_code

    assert draw(view="plan", start=[0.9, 0.05], end=[0.7, 0.2]) == 200
    rock = tanks.open_tank(db, 1).rocks[-1].value
    assert (rock.x, rock.length, rock.base) == pytest.approx((0.7, 0.2, 0))
    assert (rock.y, rock.width) == pytest.approx((before.tank.width - 0.2, 0.15))
    assert draw(view="front", start=[0.1, 0.3], end=[0.3, 0.4]) == 200
    shelf = tanks.open_tank(db, 1).rocks[-1].value
    assert (shelf.base, shelf.height) == pytest.approx((before.tank.water_depth - 0.4, 0.1))
    assert draw(view="plan", start=[1.4, 0.1], end=[1.7, 0.3]) == 422
    assert len(tanks.open_tank(db, 1).rocks) == len(before.rocks) + 2


def test_a_second_tank_is_a_copy_with_all_that_belongs_to_it(client: TestClient, db: Database) -> None:
    where = client.post("/tanks/1/copy").headers["location"]
    copy, first = tanks.open_tank(db, int(where.split("/")[2])), tanks.open_tank(db, 1)
    assert copy.tank == first.tank
    assert copy.setup().hung == first.setup().hung
    assert len(surveys.all_surveys(db, copy.id)) == len(surveys.all_surveys(db, 1))
    client.post("/undo", data={"back": "/tanks"})
    assert len(tanks.all_tanks(db)) == 1

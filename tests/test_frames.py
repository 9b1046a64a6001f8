"""Frames as one thing: put together in one step, hung clear of what hangs, copied, moved and taken down as one."""

from __future__ import annotations

import pytest
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.fixture import overlaps
from corlume.core.hanging.frame import build_frame
from corlume.reference.catalogue import catalogue
from corlume.services.keeping import hung_fixtures, tanks
from corlume.store.database import Database
from corlume.store.tanks import StoredSetup

FRAME = {"middle": "cluster", "count": "2", "long": "t5-54", "each_side": "2", "gap": "2"}


def setup(db: Database) -> StoredSetup:
    return tanks.open_tank(db, 1).setup(1)


def test_a_frame_is_put_together_by_its_measures() -> None:
    """Two modules over a tube of 115 cm stand 57.5 cm apart; tubes begin a gap from the modules' edge."""
    middle, tube = catalogue()["cluster"].parts[0], catalogue()["t5-54"].parts[0]
    parts = build_frame(middle, 2, tube, 2, gap=0.02)
    assert [p.emitter.x for p in parts[:2]] == pytest.approx([-0.2875, 0.2875])
    assert [p.emitter.y for p in parts[2:]] == pytest.approx([0.115, -0.115, 0.175, -0.175])
    assert {p.emitter.height for p in parts} == {middle.emitter.height}
    assert not overlaps(parts)
    with pytest.raises(InvalidInput) as caught:
        build_frame(catalogue()["cluster-large"].parts[0], 3, tube, 1, gap=0.02)
    assert [e.field for e in caught.value.errors] == ["count"]


def test_a_frame_is_hung_clear_copied_and_taken_down_as_one(client: TestClient, db: Database) -> None:
    before = setup(db)
    where = client.post("/tanks/1/setups/1/frame", data=FRAME).headers["location"]
    first = int(where.rpartition("=")[2])
    hung = setup(db)
    assert len(hung.fixtures) == len(before.fixtures) + 6
    assert {k.value.frame for k in hung.fixtures} == {"", "Frame"}
    assert len(overlaps(hung.hung)) == len(overlaps(before.hung))
    tank = tanks.open_tank(db, 1).tank
    tubes = [k.value.emitter for k in hung.fixtures if k.value.emitter.technology == "t5_tube"]
    assert {round(t.x, 3) for t in tubes} == {tank.length / 2}  # the whole hangs over the middle, not its first part
    # one step of undo, one object to lift
    hung_fixtures.change_fixtures(db, 1, 1, {first: {"height": hung.fixture(first).value.emitter.height + 0.05}})
    lifted = [k.value.emitter.height for k in setup(db).fixtures if k.value.frame]
    assert len(set(lifted)) == 1
    tanks.undo(db, 1)
    client.post(f"/tanks/1/setups/1/fixtures/{first}/copy")
    copied = setup(db)
    assert sorted(k.value.frame for k in copied.fixtures if k.value.frame) == ["Frame"] * 6 + ["Frame 2"] * 6
    assert len(overlaps(copied.hung)) == len(overlaps(before.hung))
    client.post(f"/tanks/1/setups/1/fixtures/{first}/remove?whole=1")
    assert {k.value.frame for k in setup(db).fixtures} == {"", "Frame 2"}
    for _ in range(3):
        tanks.undo(db, 1)
    assert setup(db) == before


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"count": "6", "middle": "cluster-large"}, "is too many: over that length they overlap by"),
        ({"count": "two"}, "is not a number"),
        ({"each_side": "1.5"}, "must be a whole number"),
        ({"gap": "90"}, "must be from 0 cm to 50 cm"),
        ({"long": "cluster"}, "choose a tube or a bar"),
        ({"middle": "hybrid-60"}, "is a frame itself"),
    ],
)
def test_frames_that_cannot_be_are_told_by_field(
    client: TestClient, db: Database, change: dict[str, str], words: str
) -> None:
    answer = client.post("/tanks/1/setups/1/frame", data={**FRAME, **change})
    assert answer.status_code == 422
    assert words in answer.text
    assert len(setup(db).fixtures) == 3

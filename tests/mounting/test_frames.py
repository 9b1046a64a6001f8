"""Frames as one thing: put together, hung clear, copied, moved and taken down as one; and lamps in their sockets."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
import pytest
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.light.colour_blend import broad_mix
from corlume.core.light.fixture import overlaps
from corlume.core.light.lamp_set import LAMP_WISHES, ColourWish, choose_lamps
from corlume.core.light.socket import Lamp, with_lamp
from corlume.core.mounting.frame import build_frame
from corlume.reference.catalogue import catalogue, lamps_for
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


def test_a_set_of_lamps_is_the_best_of_all_sets_for_its_wish() -> None:
    """Against every ordered choice for four sockets; a glowing set is violet and blue, growth has most PAR."""
    lamps = lamps_for("t5_tube")

    def shares(chosen: Sequence[Lamp]) -> np.ndarray:
        flux = np.array([lamp.flux for lamp in chosen])
        return flux @ np.array([broad_mix(lamp.spectrum) for lamp in chosen]) / flux.sum()

    for wish, wanted in LAMP_WISHES.items():

        def miss(chosen: Sequence[Lamp], wanted: ColourWish = wanted) -> float:
            gain = np.mean([lamp.flux for lamp in chosen]) - 1
            return float(0.5 * np.abs(shares(chosen) - wanted.mix).sum() - wanted.flux * gain)

        best = min(miss(chosen) for chosen in itertools.product(lamps, repeat=4))
        assert miss(choose_lamps(lamps, 4, wish)) == pytest.approx(best)
    pop, growth = (choose_lamps(lamps, 8, wish) for wish in ("pop", "growth"))  # type: ignore[arg-type]
    assert shares(pop)[:2].sum() > shares(growth)[:2].sum()
    assert sum(lamp.flux for lamp in growth) > sum(lamp.flux for lamp in pop)
    with pytest.raises(InvalidInput):
        choose_lamps(lamps_for("led_cluster"), 4, "pop")


def test_lamps_of_all_tubes_are_chosen_in_one_step(client: TestClient, db: Database) -> None:
    before = tanks.open_tank(db, 1).setup(2)
    assert "Lamps in all 4 T5 tubes" in client.get("/tanks/1/par-map?setup=2").text
    assert client.post("/tanks/1/setups/2/lamps", data={"technology": "t5_tube", "wish": "pop"}).status_code == 303
    after = tanks.open_tank(db, 1).setup(2)
    tubes = [k.value.emitter for k in after.fixtures if k.value.emitter.technology == "t5_tube"]
    assert "Actinic tube" in {tube.channels[0].name for tube in tubes}
    lamps = lamps_for("t5_tube")
    # the same lamp put into each, before and after: the same flux
    told = [k.value.emitter for k in before.fixtures if k.value.emitter.technology == "t5_tube"]
    flux = [[with_lamp(tube, lamps[1], lamps).ppf for tube in tubes] for tubes in (told, tubes)]
    assert flux[1] == pytest.approx(flux[0], rel=0.005)
    assert client.post("/tanks/1/setups/2/lamps", data={"technology": "sun", "wish": "pop"}).status_code == 404
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).setup(2) == before

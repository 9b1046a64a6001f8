"""The checklist of a rig: steps for what there is, places by tape, ticks, and a swap in stages with its light."""

from __future__ import annotations

import csv
import datetime
import io
from collections.abc import Iterator
from dataclasses import replace
from io import BytesIO
from itertools import permutations

import numpy as np
import pytest
from pypdf import PdfReader
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.keeping.owned_item import OwnedItem
from corlume.core.light.fixture import Fixture
from corlume.core.mounting.cables import leads_of
from corlume.core.mounting.checklist import Swap, Tick, steps_of
from corlume.core.mounting.mount import MOUNT_TYPES, Mount
from corlume.core.mounting.mount_starts import start_mount
from corlume.core.mounting.power import Cord, PowerPart
from corlume.core.mounting.screw_marks import bears, screw_marks, spacer_of
from corlume.core.mounting.surroundings import Surroundings
from corlume.reference.catalogue import catalogue
from corlume.services.judging.judge import mean_on_top
from corlume.services.keeping import setups, tanks
from corlume.services.mounting import checklist
from corlume.services.mounting.owned import save_owned
from corlume.services.mounting.swap_stages import swap_stages
from corlume.services.upkeep.substitute import substitute
from corlume.store.database import Database
from corlume.store.tanks import StoredTank
from tests.mounting.bare_rig import take_rig_down
from tests.ruled import CLUSTER, RULED

TODAY = datetime.date(2026, 11, 2)


def module(x: float, mount: str, height: float = 0.2) -> Fixture:
    emitter = replace(CLUSTER.parts[0].emitter, x=x, y=0.3, height=height, length=0.2, width=0.1)
    return Fixture(emitter, name="Module", weight=2.4, held_by=mount)


def test_places_by_tape_worked_by_hand() -> None:
    """A body of 20 cm at (0.5, 0.3) has hanging points 7 cm to each side of its middle."""
    lid = Mount("Lid", "canopy", 0.1, 0.05, 1.0, 0.5, 0.4)
    hung = [module(0.5, "Lid", 0.25)]
    marks = screw_marks(RULED, lid, hung)
    # from the panel's own left edge and from its back edge, which lies 0.55 m from the front pane
    assert [mark.distances for mark in marks] == [pytest.approx((0.33, 0.25)), pytest.approx((0.47, 0.25))]
    assert marks[0].edges == ("left edge", "back edge")
    assert spacer_of(lid, hung) == pytest.approx(0.05)  # 40 cm, less 25 and a body of 10
    assert bears(lid, hung) == 12  # five times 2.4 kg
    rail = Mount("Lid", "rail", 0.1, 0.28, 1.0, 0.04, 0.4)
    assert screw_marks(RULED, rail, hung)[0].distances[0] == pytest.approx(0.4)
    wires = Mount("Lid", "wires", 0.0, 0.0, RULED.length, RULED.width, 0.9)
    assert screw_marks(RULED, wires, hung)[0].distances == pytest.approx((0.43, RULED.width - 0.3))


@pytest.mark.parametrize("kind", MOUNT_TYPES)
def test_every_type_of_mount_has_its_steps_once_each(kind: str) -> None:
    mount = start_mount(RULED, [module(0.5, "")], Surroundings(), kind, ())  # type: ignore[arg-type]
    mount = replace(mount, name="A {mount}")
    hung = [module(0.5, "A {mount}")]
    strip = PowerPart("Strip", x=1.3, y=0.7, height=-0.2)
    leads = leads_of(hung, [Cord("Module", fed_by="Strip")], [strip], ["A"])
    steps = steps_of(RULED, hung, [mount], leads, ["A: 60 in place of 90"], [Swap("Old", "New")])
    keys = [step.key for step in steps]
    assert len(set(keys)) == len(keys)
    assert any(step.stage == "mounts" and "A {{mount}}" in step.words for step in steps)
    stages = list(dict.fromkeys(step.stage for step in steps))
    assert stages == ["before", "mounts", "lenses", "lights", "power", "swap", "trial", "after"]


def test_cautions_stand_where_the_danger_is() -> None:
    halide = catalogue()["halide-250"].parts[0]
    steps = {step.key: step for step in steps_of(RULED, [halide], [], [])}
    assert "burn" in steps["off"].caution
    assert "ultraviolet" in steps["shield"].caution
    plain = {step.key: step for step in steps_of(RULED, [module(0.5, "")], [], [])}
    assert plain["off"].caution == ""
    assert "shield" not in plain
    assert steps_of(RULED, [], [], []) == []


def every_order(stored: StoredTank, was: list[Fixture], now: list[Fixture]) -> Iterator[list[float]]:
    """Means at the rock top on the way, for each order in which the lights are swapped."""
    for order in permutations(range(len(was))):
        states = [[now[k] if k in order[:n] else was[k] for k in range(len(was))] for n in range(len(was) + 1)]
        yield [mean_on_top(stored, state) for state in states]


def test_a_swap_goes_one_at_a_time_with_the_light_of_each_stage(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    was = stored.setup().hung
    now = [
        *was[:1],
        *(replace(f, emitter=replace(f.emitter, ppf=2 * f.emitter.ppf), name=f"New {f.name}") for f in was[1:]),
    ]
    stages = swap_stages(stored, was, now)
    assert [(stage.swap.down, stage.swap.up) for stage in stages] == [(f.name, f"New {f.name}") for f in was[1:]]
    assert [len(stage.fixtures) for stage in stages] == [len(was)] * len(stages)
    assert stages[0].mean == pytest.approx(mean_on_top(stored, [was[0], now[1], *was[2:]]))
    assert sorted(stages[-1].fixtures, key=lambda f: f.name) == sorted(now, key=lambda f: f.name)
    assert swap_stages(stored, was, was) == ()
    # the same light at another place is moved, and stages that take light away and add some alternate
    aside = [replace(f, emitter=replace(f.emitter, x=f.emitter.x + 0.3)) for f in was[:1]]
    assert [stage.swap.way for stage in swap_stages(stored, was, [*aside, *was[1:]])] == ["move"]
    half, double = (
        replace(f, emitter=replace(f.emitter, ppf=k * f.emitter.ppf), name=f"{k}")
        for f, k in zip(was, (0.5, 2), strict=False)
    )
    both = [half, double, *(replace(f, emitter=replace(f.emitter, ppf=1.01 * f.emitter.ppf)) for f in was[2:])]
    stages = swap_stages(stored, was, both)
    means = [mean_on_top(stored, was), *(stage.mean for stage in stages)]
    straight = np.linspace(means[0], means[-1], len(means))
    others = [sum(abs(m - s) for m, s in zip(order, straight, strict=True)) for order in every_order(stored, was, both)]
    assert sum(abs(np.array(means) - straight)) <= 1.3 * min(others) + 1e-9
    # two go up where one comes down
    more = swap_stages(stored, was[:1], now[1:])
    assert [(bool(stage.swap.down), bool(stage.swap.up)) for stage in more] == [(True, True), (False, True)]


def test_ticks_are_kept_with_day_and_note_and_undone(client: TestClient, db: Database) -> None:
    take_rig_down(db)
    setup = tanks.open_tank(db, 1).setup()
    client.post("/tanks/1/mounting/mounts", data={"type": "canopy"})
    rows = checklist.checklist(tanks.open_tank(db, 1), tanks.open_tank(db, 1).setup()).rows
    screws = next(step.key for step, _ in rows if step.counts)
    home = "/tanks/1/mounting/checklist"
    lost = client.post(home, data={"step": screws, "out": "12", "back": "11"})
    assert lost.status_code == 422
    assert "12 came out: find the rest" in lost.text
    assert 'value="12"' in lost.text
    client.post(home, data={"step": screws, "out": "12", "back": "11", "note": "one stripped"})
    ticked = client.post(home, data={"step": "off", "at": "step-1", "note": "", "day": TODAY.isoformat()})
    assert ticked.headers["location"].endswith("#step-1")
    page = client.get(home).text
    assert "2 of" in page
    assert "12 screws out" in page
    assert "one stripped" in page
    assert client.post(home, data={"step": "fly", "day": "2026-01-01"}).status_code == 422
    assert client.post(home, data={"step": "cover", "day": "2999-01-01"}).status_code == 422
    client.post(f"{home}/undo", data={"step": "off"})
    now = tanks.open_tank(db, 1).setup()
    assert [kept.value.step for kept in now.ticks] == [screws]
    tanks.undo(db, 1)
    assert len(tanks.open_tank(db, 1).setup().ticks) == 2
    # a copy is a rig that is still to be built
    made = setups.copy_setup(db, 1, setup.id)
    assert tanks.open_tank(db, 1).setup(made).ticks == ()
    with pytest.raises(InvalidInput):
        Tick("", TODAY)


def test_the_rig_on_paper_has_every_part(client: TestClient, db: Database) -> None:
    take_rig_down(db)
    client.post("/tanks/1/mounting/mounts", data={"type": "rail"})
    home = "/tanks/1/setups/1/mounting"
    words = {}
    for part in ("", "?part=wiring", "?part=shopping", "?part=checklist"):
        read = PdfReader(BytesIO(client.get(f"{home}/rig.pdf{part}").content))
        words[part] = " ".join(page.extract_text() for page in read.pages)
    assert "Rail with clamps" in words[""]
    assert "Residual-current protection" in words["?part=wiring"]
    assert "residual-current device, 30 mA" in words["?part=shopping"]
    assert "spirit level" in words["?part=checklist"]
    assert all(some[:40] in words[""] for some in ("Shopping list", "Checklist: Before you start", "Marks by tape"))
    rows = list(csv.reader(io.StringIO(client.get(f"{home}/shopping.csv").text)))
    assert rows[0][:2] == ["What", "Count"]
    # the planned tubes are bought, the modules that hang are not
    planned = client.get("/tanks/1/setups/2/mounting/shopping.csv").text
    assert "T5" in planned
    assert "LED cluster" not in planned


def test_a_spare_from_the_cupboard_takes_the_place_of_a_light_that_died(client: TestClient, db: Database) -> None:
    home = "/tanks/1/log/substitute"
    assert "No spare fixture is entered" in client.get(f"{home}?fixture=1").text
    save_owned(db, OwnedItem("cluster-small", 1))
    page = client.get(f"{home}?fixture=1").text
    assert "From the cupboard" in page
    stored = tanks.open_tank(db, 1)
    spare = catalogue()["cluster-small"]
    alone, with_spare = substitute(stored, 1), substitute(stored, 1, spare)
    was = stored.setup().hung[1].emitter
    put = with_spare.fixtures[-1].emitter
    assert (put.x, put.y, put.height) == pytest.approx((was.x, was.y, was.height))
    # nearer to the light that the corals had
    assert len(with_spare.rows) <= len(alone.rows)
    assert len(with_spare.corals.leave) <= len(alone.corals.leave)
    made = client.post(home, data={"fixture": "1", "spare": "cluster-small", "next": "save"}).headers["location"]
    saved = tanks.open_tank(db, 1).setup(int(made.split("=")[1]))
    assert len(saved.fixtures) == len(stored.setup().fixtures)
    assert saved.name.endswith("with " + spare.name)

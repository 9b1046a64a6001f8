"""Buying in stages: small cases against every purchase there is, what stays owned, and what is asked wrong."""

from __future__ import annotations

import time
from dataclasses import replace
from itertools import product

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.keeping.owned_item import OwnedItem
from corlume.core.mounting.buying_stages import CoralTargets, Hung, Pack, StageSolver
from corlume.core.mounting.mount import region_of
from corlume.core.upkeep.spares import Spare
from corlume.reference.catalogue import catalogue
from corlume.services.keeping import setups, tanks
from corlume.services.mounting import buying, mounts, owned
from corlume.services.mounting.buying import BuyingRequest, plan_buying
from corlume.services.mounting.owned import Owned
from corlume.services.placement.zone_placement import coral_light
from corlume.services.upkeep import spares
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 10**6), budget=st.sampled_from([0.0, 100.0, 200.0, 350.0]))
@example(seed=9026, budget=200.0)  # the best of them was not among the ten that were solved exactly
def test_a_stage_is_never_worse_than_the_best_single_purchase(seed: int, budget: float) -> None:
    """Against every purchase within the budget, beside what hangs and in place of it, at every tenth of each level."""
    draw = np.random.default_rng(seed)
    fields = draw.uniform(10, 250, (5, 4))
    low = draw.uniform(40, 200, 4)
    corals = CoralTargets(low, 1.8 * low)
    packs = [Pack(0, 1, (1,)), Pack(0, 2, (1, 2)), Pack(1, 1, (3,)), Pack(2, 1, (4,), frozenset({0}))]
    prices = [100.0, 150.0, 80.0]
    solver = StageSolver(fields, np.zeros(5), corals, packs, prices)
    result = solver.stages(Hung((0,)), {}, [budget])[0]
    assert result.cost <= budget + 1e-9
    choices = [(0,), ()]
    for pack in packs:
        if pack.count * prices[pack.kind] <= budget:
            choices += [pack.lights] + ([(0, *pack.lights)] if not pack.blocked else [])
    best = 0
    for lights in choices:
        for levels in product(np.linspace(0, 1, 6), repeat=len(lights)):
            par = np.array(levels) @ fields[list(lights)] if lights else np.zeros(4)
            best = max(best, int(corals.served(par).sum()))
    assert result.count >= best
    single = max(
        StageSolver(fields, np.zeros(5), corals, [pack], prices).stages(Hung((0,)), {}, [budget])[0].count
        for pack in packs
    )
    assert result.count >= single


def test_what_was_bought_is_owned_and_money_is_kept() -> None:
    """Two corals that one light each serves: the second stage pays for one more of the same, not for two."""
    fields = np.array([[100.0, 0.0], [0.0, 100.0]])
    corals = CoralTargets(np.array([80.0, 80.0]), np.array([120.0, 120.0]))
    packs = [Pack(0, 1, (0,)), Pack(0, 2, (0, 1))]
    solver = StageSolver(fields, np.zeros(2), corals, packs, [100.0])
    first, second = solver.stages(Hung(), {}, [100.0, 100.0])
    assert (first.count, first.bought, first.cost) == (1, ((0, 1),), 100.0)
    assert (second.count, second.bought, second.cost) == (2, ((0, 1),), 100.0)
    # one is in the cupboard; and what a stage does not spend, the next one has
    assert [one.cost for one in solver.stages(Hung(), {0: 1}, [0.0, 100.0])] == [0.0, 100.0]
    assert [one.cost for one in solver.stages(Hung(), {}, [60.0, 60.0])] == [0.0, 100.0]
    # without a price a kind cannot be bought, but hung where it is owned
    unpriced = StageSolver(fields, np.zeros(2), corals, packs, [0.0])
    assert [one.count for one in unpriced.stages(Hung(), {}, [100.0])] == [0]
    assert [one.count for one in unpriced.stages(Hung(), {0: 2}, [0.0])] == [2]


def bare(db: Database) -> StoredTank:
    """The demo's tank with its corals and nothing over it."""
    stored = tanks.open_tank(db, 1)
    return replace(stored, setups=tuple(replace(one, fixtures=()) if one.in_use else one for one in stored.setups))


def test_stages_over_the_demo_are_setups_with_the_light_they_say(db: Database) -> None:
    stored = bare(db)
    shelf = [Owned(catalogue()[key], 0, 0.0) for key in ("cluster-small", "t5-80", "cluster") if key in catalogue()]
    plan = plan_buying(stored, shelf, BuyingRequest((200.0, 400.0)))
    assert [stage.served for stage in plan.stages] == sorted(stage.served for stage in plan.stages)
    assert plan.stages[-1].served > plan.now.served == 0
    assert sum(stage.cost for stage in plan.stages) <= 600.0
    for stage in plan.stages:
        light = coral_light(stored, stage.fixtures)
        assert [coral.par for coral in stage.corals] == pytest.approx(list(light.values()))
        assert stage.cost == pytest.approx(sum(one.count * one.price for one in stage.bought))
    years = [0.5, 9.5]
    whole = sum(stage.cost + lasts * stage.yearly for stage, lasts in zip(plan.stages, years, strict=True))
    assert plan.total == pytest.approx(whole)
    assert plan.once
    assert plan.once.cost <= 600.0
    assert plan.once.served >= plan.stages[0].served
    assert plan.once_total == pytest.approx(plan.once.cost + 10 * plan.once.yearly)
    with pytest.raises(InvalidInput, match="serves none of these corals with the first amount"):
        plan_buying(stored, shelf, BuyingRequest((0.0,)))
    with pytest.raises(InvalidInput, match="are not placed yet"):
        plan_buying(replace(stored, corals=()), shelf, BuyingRequest((100.0,)))
    # second-hand is paid where it is less
    offer = replace(shelf[0], offer=10.0)
    assert offer.price == 10.0


def test_page_of_stages_keeps_what_was_typed_and_saves_a_setup(client: TestClient, db: Database) -> None:
    home = "/tanks/1/mounting/buying"
    wrong = client.get(home, params={"budgets": "a lot"})
    assert wrong.status_code == 422
    assert "must be amounts with commas between" in wrong.text
    assert 'value="a lot"' in wrong.text
    empty = client.get(home, params={"budgets": ""})
    assert empty.status_code == 422
    assert "needs at least one amount" in empty.text
    assert "need at least one tick" in client.get(home, params={"budgets": "300", "corals": "none"}).text
    assert client.get(home).status_code == 200
    assert client.post(f"{home}/owned", data={"key": "nowhere", "count": "1"}).status_code == 422
    assert client.post(f"{home}/owned", data={"key": "cluster", "count": "-1"}).status_code == 422
    client.post(f"{home}/owned", data={"key": "cluster", "count": "2", "offer": "90"})
    mine = next(one for one in owned.owned(db) if one.entry.key == "cluster")
    assert (mine.count, mine.price) == (2, 90.0)
    asked_for = {"budgets": "0", "coral": tanks.open_tank(db, 1).corals[0].id}
    assert client.get(f"{home}/plan/state", params=asked_for).json()["state"] == "none"
    first = client.get(home, params=asked_for)
    assert "Trying what to buy" in first.text or "of 1 corals in range" in first.text
    while client.get(f"{home}/plan/state", params=asked_for).json()["state"] == "working":
        time.sleep(0.05)
    assert "of 1 corals in range" in client.get(home, params=asked_for).text
    asked = {"budgets": "0", "months": "6", "corals": "", "stage": "0"}
    made = client.post(f"{home}/save", data=asked).headers["location"]
    saved = tanks.open_tank(db, 1).setup(int(made.split("=")[1]))
    assert saved.name == "Stage 1 of 1"
    assert client.post(f"{home}/save", data={"budgets": "0", "months": "6", "stage": "7"}).status_code == 422
    assert buying.amounts("300; 250,50") == (300.0, 250.0, 50.0)


def test_new_lights_keep_to_the_mounts_and_are_saved_with_them(db: Database) -> None:
    """A rail that bears three modules: nothing hangs elsewhere, nothing over its rating, and the setup has it."""
    stored = bare(db)
    [kept] = stored.setup().mounts
    entry = catalogue()["cluster"]
    weight = sum(part.weight for part in entry.parts)
    rail = replace(kept.value, load=3.2 * weight)
    changed = tuple(replace(one, mounts=(Kept(kept.id, rail),)) if one.in_use else one for one in stored.setups)
    stored = replace(stored, setups=changed)
    shelf = [Owned(entry, 9, 0.0)]
    plan = plan_buying(stored, shelf, BuyingRequest((0.0,), on_mounts=True))
    hung = plan.stages[0].fixtures
    assert 1 <= len(hung) <= 3
    region = region_of(rail, *hung[0].emitter.half_extent())
    assert region
    for fixture in hung:
        assert fixture.held_by == rail.name
        assert region.holds(fixture.emitter.x, fixture.emitter.y, fixture.emitter.height, 1e-3)
    made = buying.save_stage(db, stored, plan, 0)
    saved = tanks.open_tank(db, 1).setup(made)
    assert saved.mount_values == [rail]
    assert len(saved.power_parts) == len(stored.setup().power_parts)
    weak = replace(rail, load=0.5 * weight)
    changed = tuple(replace(one, mounts=(Kept(kept.id, weak),)) if one.in_use else one for one in stored.setups)
    with pytest.raises(InvalidInput, match="do not bear it"):
        plan_buying(replace(stored, setups=changed), shelf, BuyingRequest((0.0,), on_mounts=True))
    free = plan_buying(stored, shelf, BuyingRequest((0.0,)))
    assert free.stages[0].served >= plan.stages[0].served


def test_all_that_is_owned_is_counted_over_all_tanks(client: TestClient, db: Database) -> None:
    again = tanks.import_tank(db, tanks.export_tank(db, 1).encode())
    spares.save_spare(db, 1, Spare("T5 tube", 2))
    spares.save_spare(db, again, Spare("T5 tube", 1))
    owned.save_owned(db, OwnedItem("mount:arm", 2, 15.0))
    lines = {line.name: line for line in owned.everything_owned(db)}
    assert {len(line.used) for line in lines.values() if line.sort == "fixture"} == {2}
    assert [count for _, count in lines["Rail with clamps"].used] == [1, 1]
    assert (lines["Arm on the rim"].spare, lines["Arm on the rim"].offer) == (2, 15.0)
    assert lines["T5 tube"].spare == 3
    for path in ("/tanks/1/mounting/buying", "/tanks/1/log/costs"):
        assert "Arm on the rim" in client.get(path).text
    # a planned setup asks for the mount that is not owned yet
    planned = setups.copy_setup(db, 1, tanks.open_tank(db, 1).setup().id)
    for kind in ("arm", "wall"):
        mount_id = mounts.add_mount(db, 1, planned, kind)
        setup = tanks.open_tank(db, 1).setup(planned)
        name = next(one.value.name for one in setup.mounts if one.id == mount_id)
        mounts.hold(db, 1, planned, {setup.fixtures[0 if kind == "arm" else 1].id: name})
    listed = client.get(f"/tanks/1/setups/{planned}/mounting/shopping.csv").text
    assert '"Wall bracket, wall bracket",1,not known,,"holds B, 2.4 kg"' in listed
    assert "Arm on the rim" not in listed

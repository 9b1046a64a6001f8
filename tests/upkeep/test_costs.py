"""Costs over the years against sums by hand, parts of other tanks, the load by the clock, and what a meter brings."""

from __future__ import annotations

import datetime
import math
from dataclasses import replace

import numpy as np
import pytest
from fastapi.testclient import TestClient

from corlume.core.keeping.scene import Setup
from corlume.core.survey.meter_value import doubt_over, undecided
from corlume.core.upkeep.cost_line import CostLine, crossing
from corlume.services.keeping import setups, tanks
from corlume.services.search.costs import five_year_costs
from corlume.services.survey.meter_options import advised, meter_options
from corlume.services.upkeep.running_costs import crossings, setup_costs
from corlume.store.database import Database


def test_costs_of_each_setup_are_a_sum_by_hand(db: Database) -> None:
    """By hand: energy of the day at its price, lamps by 3,500 and 3,650 burning hours at 18 and 75 each."""
    stored = tanks.open_tank(db, 1)
    rows = {row.setup.name: row for row in setup_costs(stored, [])}
    old = rows["Halide and T5, as it was"]
    day, price = stored.running.day, stored.running.price
    electricity = sum(365 * price * day.energy(f) for f in old.setup.hung)
    lamps = sum(
        365 * day.hours_on(f) * (75 / 3650 if f.emitter.technology == "halide" else 18 / 3500) for f in old.setup.hung
    )
    assert old.line.yearly == pytest.approx(electricity + lamps)
    assert sum(k.electricity + k.lamps for k in old.kinds) == pytest.approx(electricity + lamps)
    assert old.line.after(5) == pytest.approx(five_year_costs(stored, old.setup.hung).total)
    assert old.costs.buy == 2 * 210 + 2 * 70
    at_noon = sum(float(day.power(f, np.array([14 * 60.0]))[0]) for f in old.setup.hung) + stored.surroundings.others
    assert old.watts[14 * 60] == pytest.approx(at_noon)
    assert old.load == pytest.approx(old.watts.max())


def test_parts_that_hang_over_other_tanks_need_not_be_bought(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    planned = next(setup for setup in stored.setups if "planned" in setup.name)
    twin = replace(stored, id=2, name="Twin", setups=tuple(replace(s, in_use=s == planned) for s in stored.setups))

    def buy(owned: str) -> float:
        return next(r.costs.buy for r in setup_costs(stored, [twin], (), owned) if r.setup == planned)  # type: ignore[arg-type]

    assert buy("here") == 4 * 70
    assert buy("all") == 0
    assert buy("none") == 4 * 70  # its LEDs have no price


def test_lines_cross_where_what_is_saved_has_paid_for_what_was_bought(db: Database, client: TestClient) -> None:
    """By hand: 300 more to buy and 75 a year less to run are even after four years."""
    dear, cheap = CostLine("dear", 500, 100), CostLine("cheap", 200, 175)
    assert crossing(dear, cheap, 10) == pytest.approx(4.0)
    assert dear.after(4) == cheap.after(4) == 900
    assert crossing(dear, cheap, 3) is None
    assert crossing(cheap, CostLine("dearer in both", 300, 180), 10) is None
    stored = tanks.open_tank(db, 1)
    old = next(setup for setup in stored.setups if "as it was" in setup.name)
    halides = tuple(f for f in old.hung if f.emitter.technology == "halide")
    tubes = tuple(f for f in old.hung if f.emitter.technology != "halide")
    setups.add_setup(db, 1, Setup("Tubes", (*tubes, *(replace(f, name=f"{f.name} b") for f in tubes), *tubes[:1])))
    setups.add_setup(db, 1, Setup("One halide", halides[:1]))
    rows = setup_costs(tanks.open_tank(db, 1), [])
    met = crossings(rows)
    assert met
    for one in met:
        first, then = (next(r.line for r in rows if r.line.name == name) for name in (one.first, one.then))
        assert first.after(one.years) == pytest.approx(then.after(one.years))
        assert first.buy > then.buy
        assert first.after(one.years + 1) < then.after(one.years + 1)
        assert one.first in client.get("/tanks/1/log/costs").text


def test_a_meter_is_worth_what_it_tells(db: Database, client: TestClient) -> None:
    """By hand: 30 % before and 8 % after; a fifth of the light lost since, known to half, adds to it by squares."""
    wear = [1.0, 0.9, 0.8, 0.7]
    assert doubt_over(0.3, 0.08, wear, ())[0] == pytest.approx(0.3)
    assert doubt_over(0.3, 0.08, wear, (0,))[2] == pytest.approx(math.hypot(0.08, 0.5 * math.log(0.8)))
    assert doubt_over(0.3, 0.08, wear, (0, 2))[2] == pytest.approx(0.08)
    par, low, high = np.array([100.0, 100.0, 100.0]), np.array([95.0, 50.0, 60.0]), np.array([200.0, 105.0, 180.0])
    assert undecided(par, low, high, 0.1) == 2
    assert undecided(par, low, high, 0.01) == 0
    stored, today = tanks.open_tank(db, 1), datetime.date(2026, 11, 30)
    options = {one.name: one for one in meter_options(stored, today, 45.0, 520.0)}
    assert options["No meter"].mean > 2 * options["Rent once"].mean >= 2 * options["Buy"].mean
    assert (options["Rent each year"].cost, options["Buy"].cost, options["Borrow"].cost) == (90, 520, 0)
    assert options["No meter"].undecided > options["Buy"].undecided
    best = advised(list(options.values()))
    assert best is not None
    assert best.cost == 0
    text = client.get("/tanks/1/log/costs?rent=-4&price=dear").text
    assert "Rent for a week must be from 0" in text
    assert 'value="-4"' in text
    assert 'value="dear"' in text

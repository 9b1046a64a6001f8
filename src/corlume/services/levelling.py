"""Levels of what hangs: everything stays where it is, and what dims gets the levels that come nearest."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from corlume.core.errors import Rules
from corlume.core.levels import best_levels
from corlume.core.module import Layout
from corlume.core.scene import Fixture
from corlume.services.hanging import Found, Step, cost_of
from corlume.services.predict import figures, par_at
from corlume.services.wanted import zones_met
from corlume.services.wish import Wish, Zones, aim_of
from corlume.store.tanks import StoredTank


def level_setup(stored: StoredTank, wish: Wish, setup: Sequence[Fixture]) -> Step:
    """Solve the levels of what dims in a setup, zone by zone; everything stays where it hangs."""
    tank = stored.tank
    rules = Rules()
    rules.that(any(f.dimmable for f in setup), "goal", "needs a setup in which something can be dimmed")
    rules.finish()
    fixed = [f if not f.dimmable else replace(f, output=0.0) for f in setup]
    aim = aim_of(stored, wish, lambda points: par_at(tank, fixed, points))
    zones = _zones(setup, wish.zones)
    keys = list(dict.fromkeys(zone for zone, f in zip(zones, setup, strict=True) if f.dimmable))

    def alone(key: object) -> list[Fixture]:
        # what is off still hangs in the way
        return [replace(f, output=float(f.dimmable and zone == key)) for zone, f in zip(zones, setup, strict=True)]

    fields = np.array([par_at(tank, alone(key), aim.points) for key in keys])
    watts = np.array([sum(f.power for f in alone(key)) for key in keys])
    always = sum(f.power for f in setup if not f.dimmable)
    rules.that(
        not wish.watts or always < wish.watts, "watts", "is too little: what does not dim takes {low}", "power",
        wish.watts, low=always,
    )  # fmt: skip
    rules.finish()
    budget = wish.watts - always if wish.watts else float("inf")
    solved, off = best_levels(fields, aim, watts=watts, budget=budget)
    down = math.floor if wish.watts else round  # what is shown in whole percent must not break the limit
    level = {key: down(100 * s + 1e-9) / 100 for key, s in zip(keys, solved.tolist(), strict=True)}
    lit = tuple(replace(f, output=level[z]) if f.dimmable else f for z, f in zip(zones, setup, strict=True))
    layout = Layout(
        tuple(f.emitter.x for f in setup), float(np.mean([f.emitter.height for f in setup])), (tank.width / 2,),
        tuple(f.output for f in lit), off, off**2,
    )  # fmt: skip
    figured = figures(tank, lit, stored.targets, stored.running)
    binds = ["Full output binds: stronger or more fixtures would come nearer"] * any(s > 0.995 for s in solved)
    name = "Levels of what hangs"
    found = Found(name, lit, layout, figured, cost_of(stored, lit), 0.0, tuple(binds), tuple(zones_met(stored, lit)))
    return Step(1.0, 1, (found,), ())


def _zones(setup: Sequence[Fixture], by: Zones) -> list[object]:
    """The zone that each fixture is in: itself, its row, or the outer ring and what is inside."""
    places = [(round(f.emitter.x / 0.05), round(f.emitter.y / 0.05)) for f in setup]
    if by == "rows":
        return [y for _, y in places]
    if by == "each":
        return list(range(len(setup)))
    ends = [(min(values), max(values)) for values in zip(*places, strict=True)]
    return [any(v in end for v, end in zip(place, ends, strict=True)) for place in places]

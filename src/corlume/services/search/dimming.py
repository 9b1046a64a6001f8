"""Levels of what hangs: everything stays where it is, and what dims gets the levels nearest to what is wanted."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from corlume.core.errors import Rules
from corlume.core.fixture import Fixture
from corlume.core.hanging.dimming import best_levels
from corlume.core.hanging.module import Layout
from corlume.core.words import letter
from corlume.services.advice.judge import figures
from corlume.services.keeping.wanted_zones import zones_met
from corlume.services.light.fields import par_at
from corlume.services.search.candidate import LEAST_LEVEL, Found, Step, braced, cost_of
from corlume.services.search.wish import Wish, aim_of, intent_of
from corlume.store.tanks import StoredTank


def level_setup(stored: StoredTank, wish: Wish, setup: Sequence[Fixture]) -> Step:
    """Solve the levels of what dims in a setup, group by group; everything stays where it hangs.

    A group that would be dimmed to less than ``LEAST_LEVEL`` is off instead, and the rest is solved without it.
    """
    tank = stored.lit_tank()
    rules = Rules()
    rules.that(any(f.dimmable for f in setup), "means", "needs a setup in which something can be dimmed")
    groups = _groups(setup, wish, rules)
    rules.finish()
    fixed = [f if not f.dimmable else replace(f, output=0.0) for f in setup]
    aim = aim_of(stored, wish, lambda points: par_at(tank, fixed, points))
    keys = list(dict.fromkeys(group for group, f in zip(groups, setup, strict=True) if f.dimmable))

    def alone(key: object) -> list[Fixture]:
        # what is off still hangs in the way
        return [replace(f, output=float(f.dimmable and group == key)) for group, f in zip(groups, setup, strict=True)]

    fields = {key: par_at(tank, alone(key), aim.points) for key in keys}
    watts = {key: sum(f.power for f in alone(key)) for key in keys}
    always = sum(f.power for f in setup if not f.dimmable)
    rules.that(
        not wish.watts or always < wish.watts, "watts", "is too little: what does not dim takes {low}", "power",
        wish.watts, low=always,
    )  # fmt: skip
    rules.finish()
    budget = wish.watts - always if wish.watts else float("inf")
    on, least = keys, 0.0
    while True:
        rows, taken = (np.array([values[key] for key in on]) for values in (fields, watts))
        solved, off = best_levels(rows, aim, watts=taken, budget=budget, least=least)
        idle = [key for key, level in zip(on, solved.tolist(), strict=True) if level < LEAST_LEVEL - 1e-9]
        if not idle or len(idle) == len(on) or least:
            break
        on, least = [key for key in on if key not in idle], LEAST_LEVEL
    down = math.floor if wish.watts else round  # what is shown in whole percent must not break the limit
    level = dict.fromkeys(keys, 0.0) | {k: down(100 * s + 1e-9) / 100 for k, s in zip(on, solved.tolist(), strict=True)}
    lit = tuple(replace(f, output=level[g]) if f.dimmable else f for g, f in zip(groups, setup, strict=True))
    layout = Layout(
        tuple(f.emitter.x for f in setup), float(np.mean([f.emitter.height for f in setup])), (tank.width / 2,),
        tuple(f.output for f in lit), off, off**2,
    )  # fmt: skip
    figured = figures(stored, lit, intent_of(stored, wish))
    binds = ["Full output binds: stronger or more fixtures would come nearer"] * any(s > 0.995 for s in solved)
    dark = [letter(i) for i, f in enumerate(lit) if not f.output]
    binds += [f"Not needed for this, and off: {', '.join(dark)}"] * bool(dark)
    binds += braced(stored, lit)
    found = Found(LEVELS, lit, layout, figured, cost_of(stored, lit), 0.0, tuple(binds), tuple(zones_met(stored, lit)))
    return Step(1.0, 1, (found,), ())


LEVELS = "Levels of what hangs"


def _groups(setup: Sequence[Fixture], wish: Wish, rules: Rules) -> list[object]:
    """The group that each fixture is in: itself, its column or row, outer ring or inside, or what was typed."""
    places = [(round(f.emitter.x / 0.05), round(f.emitter.y / 0.05)) for f in setup]
    match wish.zones:
        case "each":
            return list(range(len(setup)))
        case "columns":
            return [x for x, _ in places]
        case "rows":
            return [y for _, y in places]
        case "hand":
            return _typed_groups(wish.groups, len(setup), rules)
    ends = [(min(values), max(values)) for values in zip(*places, strict=True)]
    return [any(v in end for v, end in zip(place, ends, strict=True)) for place in places]


def _typed_groups(text: str, count: int, rules: Rules) -> list[object]:
    """Read groups such as "A B, C D"; fixtures that are not named keep a group of their own."""
    number = {letter(i): i for i in range(count)}
    groups: list[object] = [f"alone {i}" for i in range(count)]
    named = [part.upper().split() for part in text.split(",")]
    words = [word for part in named for word in part]
    unknown = [word for word in words if word not in number]
    twice = sorted({word for word in words if words.count(word) > 1})
    rules.that(bool(words), "groups", "is empty: name the fixtures of each group, such as A B, C D")
    rules.that(
        not unknown,
        "groups",
        f"names no fixture of this setup by {', '.join(unknown[:5])}: it has A to {letter(count - 1)}",
    )
    rules.that(not twice, "groups", f"names {', '.join(twice[:5])} twice")
    for k, part in enumerate(named):
        for word in part:
            if word in number:
                groups[number[word]] = k
    return groups

"""Best levels of a setup: everything stays in place, and what dims gets the levels nearest to the target."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.search.layout import Layout
from corlume.core.search.level_solver import LevelTarget, best_levels
from corlume.services.judging.judge import figures
from corlume.services.keeping.coral_types import lives_off_food
from corlume.services.keeping.target_zones import zones_met
from corlume.services.light.fields import par_at
from corlume.services.placement.zone_placement import coral_change, coral_light
from corlume.services.search.candidate import LEAST_LEVEL, Found, SearchStep
from corlume.services.search.costs import five_year_costs
from corlume.services.search.layout_scores import braced
from corlume.services.search.search_request import SearchRequest, aim_of, intent_of
from corlume.store.tanks import StoredTank


def level_setup(
    stored: StoredTank, wish: SearchRequest, setup: Sequence[Fixture], *, corals: bool = False
) -> SearchStep:
    """Solve the levels of a setup group by group; everything stays where it hangs.

    With ``corals`` the placed corals are aimed at instead of the goal: each the PAR that it has now, brought into its
    range. A group that would be dimmed to less than ``LEAST_LEVEL`` is off instead, and the rest is solved without it.
    """
    tank = stored.lit_tank()
    rules = Rules()
    rules.that(any(f.dimmable for f in setup), "means", "needs a setup in which something can be dimmed")
    groups = _groups(setup, wish, rules)
    rules.finish()
    fixed = [f if not f.dimmable else replace(f, output=0.0) for f in setup]
    aim_at = corals_aim if corals else aim_of
    aim = aim_at(stored, wish, lambda points: par_at(tank, fixed, points))
    keys = list(dict.fromkeys(group for group, f in zip(groups, setup, strict=True) if f.dimmable))

    def alone(key: object) -> list[Fixture]:
        # what is off still hangs in the way
        return [replace(f, output=float(f.dimmable and group == key)) for group, f in zip(groups, setup, strict=True)]

    fields = {key: par_at(tank, alone(key), aim.points) for key in keys}
    watts = {key: sum(f.power for f in alone(key)) for key in keys}
    always = sum(f.power for f in setup if not f.dimmable)
    rules.that(
        not wish.watts or always < wish.watts, "watts", "is too little: fixtures that do not dim draw {low}", "power",
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
    binds = ["Limited by full output: stronger or more fixtures would come nearer"] * any(s > 0.995 for s in solved)
    dark = [letter(i) for i, f in enumerate(lit) if not f.output]
    binds += [f"Not needed for this, and off: {', '.join(dark)}"] * bool(dark)
    binds += braced(stored, lit)
    money, met = five_year_costs(stored, lit, hung=setup), tuple(zones_met(stored, lit))
    found = Found(LEVELS, lit, layout, figured, money.running, money.buy, tuple(binds), met)
    return SearchStep(1.0, 1, (found,), ())


Array = NDArray[np.float64]
LEVELS = "Levels of the present fixtures"
FOR_CORALS, AS_IT_HANGS = "levels for your corals", "As it hangs"
INSIDE = 0.08
"""Corals are aimed so far inside the ends of their range, as a share of its width [-]; ours."""


def corals_aim(stored: StoredTank, _: SearchRequest, given: Callable[[Array], Array]) -> LevelTarget:
    """Places of the placed corals with the nearest PAR in range, less what ``given`` brings already; a miss counts
    relative to the target.
    """
    now = coral_light(stored, stored.setup().hung)
    placed = [kept for kept in stored.corals if kept.id in now and not lives_off_food(stored, kept.value.card)]
    points = np.array([kept.value.place for kept in placed], dtype=float).reshape(-1, 3)
    low, high = (np.array([getattr(kept.value.card, end) for kept in placed]) for end in ("par_low", "par_high"))
    margin = INSIDE * (high - low)
    wanted = np.clip(np.array([now[kept.id] for kept in placed]), low + margin, high - margin)
    return LevelTarget(points, wanted - given(points), 1.0 / np.maximum(1.0, wanted) ** 2)


def keeping_corals(
    stored: StoredTank, wish: SearchRequest, found: Sequence[Found], setup: Sequence[Fixture]
) -> Found | None:
    """A result with levels for the placed corals, where the first results drive any of them out of range.

    The levels of each answer are solved for the corals, those that would leave a fixture idle passed over; the one
    that drives fewest out is it, when that is no more than half as many as the first drives out and fewer than any
    does by itself. Where all of them drive out a third or more, the levels of the present setup are tried as well, and
    the best is it in any case.
    """
    if not found or not any(kept.value.place for kept in stored.corals):
        return None
    changes = [coral_change(stored, one.fixtures) for one in found]
    leaving, placed = [len(change.leave) for change in changes], changes[0].placed
    if not leaving[0] or not placed:
        return None
    dire = 3 * min(leaving) >= placed
    tried = [(one.name, one.fixtures) for one in found] + [(AS_IT_HANGS, tuple(setup))] * dire
    best: tuple[int, Found] | None = None
    for name, fixtures in tried:
        if not any(f.dimmable for f in fixtures):
            continue
        solved = level_setup(stored, replace(wish, zones="each", watts=0.0), fixtures, corals=True).best[0]
        if name != AS_IT_HANGS and not all(f.output for f in solved.fixtures):
            continue
        left = len(coral_change(stored, solved.fixtures).leave)
        if best is None or left < best[0]:
            best = left, replace(solved, name=f"{name}, {FOR_CORALS}")
    enough = best is not None and best[0] < min(leaving) and 2 * best[0] <= leaving[0]
    return best[1] if best and (enough or dire) else None


def _groups(setup: Sequence[Fixture], wish: SearchRequest, rules: Rules) -> list[object]:
    """Group of each fixture: itself, its column or row, outer ring or inside, or as typed."""
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
    """Parse groups such as "A B, C D"; fixtures that are not named keep a group of their own."""
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

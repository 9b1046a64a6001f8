"""Buying in stages for the corals of a tank: what to buy at each, the setup that it makes, and its cost."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from corlume.core.errors import InvalidInput, Rules
from corlume.core.light.fixture import Fixture
from corlume.core.mounting.buying_stages import CoralTargets, Hung, Pack, StageResult, StageSolver
from corlume.core.mounting.mount import hold_limit, mounted
from corlume.services.judging.judge import mean_on_top
from corlume.services.keeping.hung_fixtures import changed
from corlume.services.keeping.setups import add_setup
from corlume.services.mounting.buying_lights import Lights
from corlume.services.mounting.owned import Owned
from corlume.services.placement.zone_placement import coral_light, coral_places
from corlume.services.search.costs import lamp_costs
from corlume.services.search.on_mounts import slid
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

MOST_STAGES = 6
PATH_YEARS = 10
LEAST_LEVEL = 0.005
"""What is dimmed further is off [-]."""


@dataclass(frozen=True, slots=True)
class Bought:
    """What is bought at a stage: a fixture, how many, and the price of one [currency]."""

    name: str
    count: int
    price: float


@dataclass(frozen=True, slots=True)
class CoralAtStage:
    """A coral at a stage: its number and name, its PAR [umol/m2/s], and "in range", "too dim" or "too strong"."""

    number: int
    name: str
    par: float
    state: str


@dataclass(frozen=True, slots=True)
class BuyingStage:
    """A stage: its purchases and their cost, the setup that it makes, mean PAR at the rock top [umol/m2/s], the corals
    in it, and electricity and lamps a year [currency].
    """

    bought: tuple[Bought, ...]
    cost: float
    fixtures: tuple[Fixture, ...]
    mean: float
    corals: tuple[CoralAtStage, ...]
    yearly: float

    @property
    def served(self) -> int:
        """How many corals are in range."""
        return sum(coral.state == "in range" for coral in self.corals)


@dataclass(frozen=True, slots=True)
class BuyingPlan:
    """Stages, what is left over at the end by name, and what everything costs over ``PATH_YEARS`` [currency]; ``now``
    is the state before the first, ``once`` what all the money at once would come to, None for a single stage, and
    ``once_total`` its cost over the same years.
    """

    now: BuyingStage
    stages: tuple[BuyingStage, ...]
    left_over: tuple[tuple[str, int], ...]
    total: float
    once: BuyingStage | None = None
    once_total: float = 0.0


@dataclass(frozen=True, slots=True)
class BuyingRequest:
    """Budgets of the stages [currency], months between them, the ids of the corals they are for, all placed ones where
    none is named, and whether new lights keep to the mounts of the setup in use.
    """

    budgets: tuple[float, ...]
    months: int = 6
    corals: tuple[int, ...] = ()
    on_mounts: bool = False


def check_buying(stored: StoredTank, wish: BuyingRequest) -> None:
    """``InvalidInput`` by field for a request that cannot be."""
    ids, places = coral_places(stored)
    rules = Rules()
    rules.that(bool(wish.budgets), "budgets", "needs at least one amount, such as 300, 250")
    rules.that(len(wish.budgets) <= MOST_STAGES, "budgets", f"can hold {MOST_STAGES} stages at most")
    rules.that(all(0 <= one <= 1e6 for one in wish.budgets), "budgets", "must be amounts from 0 to a million")
    rules.that(1 <= wish.months <= 60, "months", "must be from 1 to 60")
    rules.that(places is not None, "corals", "are not placed yet: place those that the light is for")
    wanted = places is None or not wish.corals or any(one in wish.corals for one in ids)
    rules.that(wanted, "corals", "holds none of those placed: choose at least one")
    has_mounts = bool(stored.setup().mounts) or not wish.on_mounts
    rules.that(has_mounts, "mounts", "are none in the setup in use: add what holds the lights, or hang them anywhere")
    rules.finish()


def plan_buying(
    stored: StoredTank, shelf: Sequence[Owned], wish: BuyingRequest, told: Callable[[float], object] = lambda _: None
) -> BuyingPlan:
    """Solve the stages, telling the share done.

    ``InvalidInput`` by field for a request that cannot be, mounts that hold none of the fixtures, or a first stage that
    serves no coral.
    """
    check_buying(stored, wish)
    ids, places = coral_places(stored)
    assert places is not None
    rules, wanted = Rules(), [k for k, one in enumerate(ids) if not wish.corals or one in wish.corals]
    cards = [stored.coral(ids[k]).value.card for k in wanted]
    targets = CoralTargets(np.array([c.par_low for c in cards]), np.array([c.par_high for c in cards]))
    normals = None if places.normals is None else places.normals[wanted]
    lights = Lights(stored, places.points[wanted], normals, stored.setup().mount_values if wish.on_mounts else ())
    solver, hung, sold = solver_of(lights, shelf, targets, lambda done: told(0.5 * done))
    cupboard = {kind: one.count for kind, one in enumerate(sold) if one.count}
    results = solver.stages(hung, cupboard, wish.budgets, lambda done: told(0.5 + 0.3 * done))
    if not results[0].count:
        cheapest = min((one.price for one in sold if one.price), default=0.0)
        words = "serves none of these corals with the first amount"
        words += f"; the cheapest fixture costs {cheapest:g}" if cheapest else "; no fixture of the library has a price"
        rules.that(False, "budgets", words)
        rules.finish()
    kept = [one.id for one in stored.corals]
    rows = [(kept.index(ids[k]) + 1, ids[k]) for k in wanted]
    told(0.8)
    stages = tuple(_stage(stored, lights, sold, result, rows) for result in results)
    now = _state(stored, tuple(stored.setup().hung), (), 0.0, rows)
    plan = BuyingPlan(now, stages, _left_over(stored, stages), _total(stages, wish.months))
    if len(stages) == 1:
        return plan
    told(0.9)
    [whole] = solver.stages(hung, cupboard, (sum(wish.budgets),))
    once = _stage(stored, lights, sold, whole, rows)
    return replace(plan, once=once, once_total=_total((once,), wish.months))


def solver_of(
    lights: Lights, shelf: Sequence[Owned], targets: CoralTargets, told: Callable[[float], object] = lambda _: None
) -> tuple[StageSolver, Hung, list[Owned]]:
    """The solver over what can be had of a shelf, what hangs now, and the kinds that the solver knows.

    ``InvalidInput`` by the field "mounts" where these hold none of the kinds.
    """
    sold = [one for one in shelf if one.price or one.count]
    hung, packs, refused = lights.add_hung(sold), list[Pack](), list[InvalidInput]()
    for kind, one in enumerate(sold):
        told(kind / len(sold))
        try:
            packs += lights.packs_of(kind, one)
        except InvalidInput as error:
            refused.append(error)
    if refused and not packs:
        raise refused[0]
    prices, limits = [one.price for one in sold], {m.name: hold_limit(m) for m in lights.mounts}
    return StageSolver(lights.fields, lights.least, targets, lights.blocked(packs), prices, limits), hung, sold


Rows = Sequence[tuple[int, int]]
"""Number and id of each coral."""


def _stage(stored: StoredTank, lights: Lights, shelf: Sequence[Owned], result: StageResult, rows: Rows) -> BuyingStage:
    fixtures = []
    for light, level in zip(result.lights, result.levels, strict=True):
        for part in lights.units[light]:
            output = round(level, 2) if part.dimmable else 1.0
            if output > LEAST_LEVEL:
                fixtures.append(changed(stored.tank, replace(part, output=output, frame=""), {}))
    fixtures = list(mounted(fixtures, slid(stored.setup().mount_values, fixtures)))
    bought = tuple(Bought(shelf[kind].entry.name, count, shelf[kind].price) for kind, count in result.bought)
    return _state(stored, tuple(fixtures), bought, result.cost, rows)


def _state(
    stored: StoredTank, fixtures: tuple[Fixture, ...], bought: tuple[Bought, ...], cost: float, rows: Rows
) -> BuyingStage:
    """A state with the light that its setup will show on every page."""
    light = coral_light(stored, fixtures) if fixtures else {one: 0.0 for _, one in rows}
    corals = []
    for number, one in rows:
        card, par = stored.coral(one).value.card, light[one]
        state = "too dim" if par < card.par_low else "too strong" if par > card.par_high else "in range"
        corals.append(CoralAtStage(number, card.name, par, state))
    yearly = stored.running.yearly(fixtures) + lamp_costs(stored, fixtures)
    mean = mean_on_top(stored, fixtures) if fixtures else 0.0
    return BuyingStage(bought, cost, fixtures, mean, tuple(corals), yearly)


def _left_over(stored: StoredTank, stages: Sequence[BuyingStage]) -> tuple[tuple[str, int], ...]:
    """Fixtures that hang now or were hung on the way, and hang no more at the end, by name."""
    had = Counter(f.name for f in stored.setup().hung)
    for stage in stages:
        had |= Counter(f.name for f in stage.fixtures)
    left = had - Counter(f.name for f in stages[-1].fixtures)
    return tuple(left.items())


def _total(stages: Sequence[BuyingStage], months: int) -> float:
    """Purchases, and electricity and lamps of each stage for as long as it lasts, over ``PATH_YEARS``."""
    years = [months / 12] * (len(stages) - 1)
    years.append(max(0.0, PATH_YEARS - sum(years)))
    return sum(stage.cost + lasts * stage.yearly for stage, lasts in zip(stages, years, strict=True))


def save_stage(db: Database, stored: StoredTank, plan: BuyingPlan, number: int) -> int:
    """Save the setup of a stage; returns its id."""
    rules = Rules()
    rules.that(0 <= number < len(plan.stages), "stage", "is not one of this plan")
    rules.finish()
    used, fixtures = stored.setup().value, plan.stages[number].fixtures
    name, mounts = f"Stage {number + 1} of {len(plan.stages)}", slid(used.mounts, fixtures)
    return add_setup(db, stored.id, replace(used, name=name, fixtures=fixtures, mounts=mounts, in_use=False, ticks=()))


def amounts(text: str) -> tuple[float, ...]:
    """Parse amounts with commas, semicolons or spaces between; ``ValueError`` for anything else."""
    return tuple(float(part) for part in text.replace(";", " ").replace(",", " ").split())

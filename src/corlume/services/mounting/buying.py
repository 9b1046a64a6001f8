"""Buying in stages for the corals of a tank: what to buy at each, the setup that it makes, and its cost."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.keeping.scene import Setup
from corlume.core.light.field import channel_fields
from corlume.core.light.fixture import Fixture
from corlume.core.mounting.buying_stages import CoralTargets, Hung, Pack, StageResult, StageSolver
from corlume.core.search.layout import Layout
from corlume.core.search.rules_of_thumb import balanced, wider
from corlume.services.judging.judge import mean_on_top
from corlume.services.keeping.hung_fixtures import changed
from corlume.services.keeping.setups import add_setup
from corlume.services.light.fields import medium_of
from corlume.services.mounting.owned import Owned
from corlume.services.placement.zone_placement import coral_light, coral_places
from corlume.services.search.arrangement import CLEARANCE, Arrangement, arrangement_of
from corlume.services.search.costs import body_of, lamp_costs
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
MOST_STAGES, MOST_OF_ONE = 6, 4
"""Stages at most, and columns of one fixture that a pack has at most."""
HIGHER, LOWEST = 0.12, 0.22
"""A second height is tried so much over the first, which is this where nothing hangs yet [m]."""
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
    """Budgets of the stages [currency], months between them, and the ids of the corals they are for; all placed ones
    where none is named.
    """

    budgets: tuple[float, ...]
    months: int = 6
    corals: tuple[int, ...] = ()


def plan_buying(stored: StoredTank, shelf: Sequence[Owned], wish: BuyingRequest) -> BuyingPlan:
    """Solve the stages. ``InvalidInput`` by field for a wish that cannot be, or a first stage that serves no coral."""
    ids, places = coral_places(stored)
    rules = Rules()
    rules.that(bool(wish.budgets), "budgets", "needs at least one amount, such as 300, 250")
    rules.that(len(wish.budgets) <= MOST_STAGES, "budgets", f"can hold {MOST_STAGES} stages at most")
    rules.that(all(0 <= one <= 1e6 for one in wish.budgets), "budgets", "must be amounts from 0 to a million")
    rules.that(1 <= wish.months <= 60, "months", "must be from 1 to 60")
    rules.that(places is not None, "corals", "are not placed yet: place those that the light is for")
    wanted = [k for k, one in enumerate(ids) if not wish.corals or one in wish.corals]
    rules.that(places is None or bool(wanted), "corals", "holds none of those placed: choose at least one")
    rules.finish()
    assert places is not None
    cards = [stored.coral(ids[k]).value.card for k in wanted]
    targets = CoralTargets(np.array([c.par_low for c in cards]), np.array([c.par_high for c in cards]))
    lights = Lights(stored, places.points[wanted], None if places.normals is None else places.normals[wanted])
    solver, hung, sold = solver_of(lights, shelf, targets)
    cupboard = {kind: one.count for kind, one in enumerate(sold) if one.count}
    results = solver.stages(hung, cupboard, wish.budgets)
    if not results[0].count:
        cheapest = min((one.price for one in sold if one.price), default=0.0)
        words = "serves none of these corals with the first amount"
        words += f"; the cheapest fixture costs {cheapest:g}" if cheapest else "; no fixture of the library has a price"
        rules.that(False, "budgets", words)
        rules.finish()
    kept = [one.id for one in stored.corals]
    rows = [(kept.index(ids[k]) + 1, ids[k]) for k in wanted]
    stages = tuple(_stage(stored, lights, sold, result, rows) for result in results)
    now = _state(stored, tuple(stored.setup().hung), (), 0.0, rows)
    plan = BuyingPlan(now, stages, _left_over(stored, stages), _total(stages, wish.months))
    if len(stages) == 1:
        return plan
    [whole] = solver.stages(hung, cupboard, (sum(wish.budgets),))
    once = _stage(stored, lights, sold, whole, rows)
    return replace(plan, once=once, once_total=_total((once,), wish.months))


def solver_of(lights: Lights, shelf: Sequence[Owned], targets: CoralTargets) -> tuple[StageSolver, Hung, list[Owned]]:
    """The solver over what can be had of a shelf, what hangs now, and the kinds that the solver knows."""
    sold = [one for one in shelf if one.price or one.count]
    hung = lights.add_hung(sold)
    packs = [pack for kind, one in enumerate(sold) for pack in lights.packs_of(kind, one)]
    prices = [one.price for one in sold]
    return StageSolver(lights.fields, lights.least, targets, lights.blocked(packs), prices), hung, sold


class Lights:
    """Lights that can hang over a tank, each with its field at the corals; equal ones at one place are kept once."""

    def __init__(self, stored: StoredTank, points: Array, normals: Array | None) -> None:
        self.stored, self.points, self.normals = stored, points, normals
        self.medium = medium_of(stored.lit_tank())
        self.units = list[tuple[Fixture, ...]]()
        self._fields = list[Array]()
        self._least = list[float]()
        self._columns: dict[tuple[object, ...], tuple[int, ...]] = {}

    @property
    def fields(self) -> Array:
        """PAR (n, c) of each light at full output at the corals [umol/m2/s]."""
        return np.array(self._fields).reshape(-1, len(self.points))

    @property
    def least(self) -> Array:
        """Lowest level of each light (n,) [-]."""
        return np.array(self._least)

    def add_hung(self, shelf: Sequence[Owned]) -> Hung:
        """What hangs now, with what of it the shelf has."""
        fixtures = self.stored.setup().hung
        lights = tuple(light for fixture in fixtures for light in self._add([fixture]))
        bodies = {body_of(one.entry.parts[0]): kind for kind, one in enumerate(shelf) if len(one.entry.parts) == 1}
        counts = Counter(bodies[body] for f in fixtures if (body := body_of(f)) in bodies)
        return Hung(lights, tuple(sorted(counts.items())))

    def packs_of(self, kind: int, one: Owned) -> list[Pack]:
        """One to four columns of a fixture in the usual places, at two heights."""
        tank = self.stored.tank
        laid = arrangement_of(tank, one.entry.parts)
        first = min((f.emitter.height for f in self.stored.setup().hung), default=LOWEST)
        room = tank.room_height - CLEARANCE
        heights = sorted({min(first, room), min(first + HIGHER, room)})
        packs = []
        for count in range(1, min(laid.most, MOST_OF_ONE) + 1):
            ways = {laid.packed(count)} if laid.along == "y" else {balanced(count, laid.side), wider(count, laid.side)}
            for places in sorted(way for way in ways if laid.apart(way)):
                for height in heights:
                    lights = tuple(light for place in places for light in self._column(one, laid, place, height))
                    packs.append(Pack(kind, count * len(laid.rows), lights))
        return packs

    def blocked(self, packs: Sequence[Pack]) -> list[Pack]:
        """Packs with the lights that they cannot hang beside: nothing hangs over anything else."""
        boxes = np.array([(e.x, e.y, *e.half_extent()) for unit in self.units for e in [unit[0].emitter]]).reshape(
            -1, 4
        )
        away = abs(boxes[:, None] - boxes[None])
        touch = away[..., 0] < boxes[:, None, 2] + boxes[None, :, 2]
        touch &= away[..., 1] < boxes[:, None, 3] + boxes[None, :, 3]
        beside = [frozenset(np.flatnonzero(row).tolist()) for row in touch]
        return [replace(pack, blocked=frozenset().union(*(beside[light] for light in pack.lights))) for pack in packs]

    def _column(self, one: Owned, laid: Arrangement, place: float, height: float) -> tuple[int, ...]:
        key = (one.entry.key, round(place, 4), height)
        if key not in self._columns:
            layout = Layout((place,), height, laid.rows, (1.0,), along=laid.along)
            column, size = layout.column(laid.module, place), len(laid.module.parts)
            self._columns[key] = tuple(
                light for k in range(0, len(column), size) for light in self._add(column[k : k + size])
            )
        return self._columns[key]

    def _add(self, parts: Sequence[Fixture]) -> tuple[int, ...]:
        """Lights of a body: what dims by one level, and what does not."""
        found = []
        for dims in (True, False):
            group = tuple(part for part in parts if part.dimmable == dims)
            if group:
                found.append(len(self.units))
                self.units.append(group)
                self._fields.append(np.sum([self._field(part) for part in group], axis=0))
                self._least.append(0.0 if dims else 1.0)
        return tuple(found)

    def _field(self, fixture: Fixture) -> Array:
        found = channel_fields(self.medium, fixture.emitter, self.points, normals=self.normals)
        field: Array = np.array(replace(fixture, output=1.0, lit=None).strengths) @ found
        return field


Rows = Sequence[tuple[int, int]]
"""Number and id of each coral."""


def _stage(stored: StoredTank, lights: Lights, shelf: Sequence[Owned], result: StageResult, rows: Rows) -> BuyingStage:
    fixtures = []
    for light, level in zip(result.lights, result.levels, strict=True):
        for part in lights.units[light]:
            output = round(level, 2) if part.dimmable else 1.0
            if output > LEAST_LEVEL:
                fixtures.append(changed(stored.tank, replace(part, output=output, frame=""), {}))
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
    name, fixtures = f"Stage {number + 1} of {len(plan.stages)}", plan.stages[number].fixtures
    return add_setup(db, stored.id, Setup(name, fixtures, intent=stored.setup().intent))


def amounts(text: str) -> tuple[float, ...]:
    """Parse amounts with commas, semicolons or spaces between; ``ValueError`` for anything else."""
    return tuple(float(part) for part in text.replace(";", " ").replace(",", " ").split())

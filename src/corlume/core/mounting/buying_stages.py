"""Buying in stages: what to buy at each stage within its budget, so that as many corals as can be are in range.

A pack is so many of one fixture, hung in one way. At each stage every pack that can be paid for is tried beside what
hangs already, and in place of it, so that no stage is worse than the best single purchase for the same money; then more
packs are added while they help. What was bought stays owned: to go from two of a fixture to three costs one.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp

from corlume.core.search.level_solver import LevelProblem, LevelTarget

Array = NDArray[np.float64]
SHARPENED, HARDER = 6, 1.6
"""So often corals out of range count more, each time by this factor [-]; ours."""
TRIED = 16
"""So many of the best choices by cost, and by light, are sharpened."""
STEPS, PASSES = 21, 3
"""Levels that are tried for each light, and how often it is gone through them all."""
EXACT, PATIENCE = 32, 0.3
"""For so many of the best choices the levels that serve most corals are solved exactly, each for so long [s]."""
MOST_PACKS = 4
"""So many packs hang together at most."""


Held = tuple[str, int, float]
"""What a mount of a name holds: how many bodies, and their weight [kg]."""


@dataclass(frozen=True, slots=True)
class Pack:
    """So many of a fixture, hung in one way: its kind, how many, its lights, the lights that it cannot hang beside, and
    what mounts hold of it.
    """

    kind: int
    count: int
    lights: tuple[int, ...]
    blocked: frozenset[int] = frozenset()
    held: tuple[Held, ...] = ()


@dataclass(frozen=True, slots=True)
class Hung:
    """What hangs now: its lights, how many of each kind of the shelf are among it, and what mounts hold of it."""

    lights: tuple[int, ...] = ()
    counts: tuple[tuple[int, int], ...] = ()
    held: tuple[Held, ...] = ()


@dataclass(frozen=True)
class CoralTargets:
    """Ranges of the corals, each from and to (c,) [umol/m2/s]."""

    low: Array
    high: Array

    @property
    def middle(self) -> Array:
        """Middles of the ranges (c,) [umol/m2/s]."""
        return 0.5 * (self.low + self.high)

    def served(self, par: Array) -> NDArray[np.bool_]:
        """Which corals are in range, (..., c)."""
        return (par >= self.low) & (par <= self.high)

    def miss(self, par: Array) -> Array:
        """How far off the corals are, as root mean square of their share out of range (...) [-]."""
        short = np.maximum(0.0, self.low - par) / np.maximum(1.0, self.low)
        over = np.maximum(0.0, par - self.high) / np.maximum(1.0, self.high)
        found: Array = np.sqrt(np.mean((short + over) ** 2, axis=-1))
        return found


@dataclass(frozen=True, slots=True)
class StageResult:
    """A stage: whether what hung at first still hangs, the packs that hang, how many of each kind are bought, what that
    costs [currency]; what is lit with its levels, PAR at the corals (c,) [umol/m2/s], and which are in range.
    """

    keeps: bool
    packs: tuple[int, ...]
    bought: tuple[tuple[int, int], ...]
    cost: float
    lights: tuple[int, ...] = ()
    levels: tuple[float, ...] = ()
    par: tuple[float, ...] = ()
    served: tuple[bool, ...] = ()

    @property
    def count(self) -> int:
        """How many corals are in range."""
        return sum(self.served)


class StageSolver:
    """Solves stages over lights with known fields.

    Parameters
    ----------
    fields : PAR (n, c) of each light at full output at the corals [umol/m2/s].
    least : lowest level of each (n,), 1 for one that does not dim [-].
    corals : their ranges.
    packs : how the kinds can hang.
    prices : of one of each kind [currency].
    mounts : for each by its name the most bodies that it holds, and the most weight, 0 where not known [kg].
    """

    def __init__(
        self,
        fields: Array,
        least: Array,
        corals: CoralTargets,
        packs: Sequence[Pack],
        prices: Sequence[float],
        mounts: Mapping[str, tuple[int, float]] | None = None,
    ) -> None:
        self.fields, self.least, self.corals, self.packs, self.prices = fields, least, corals, packs, prices
        self.mounts = mounts or {}

    def stages(
        self,
        hung: Hung,
        cupboard: Mapping[int, int],
        budgets: Sequence[float],
        told: Callable[[float], object] = lambda _: None,
    ) -> list[StageResult]:
        """Return a result for each stage; what a stage leaves of its budget goes to the next.

        ``cupboard`` is how many of each kind are owned and hang nowhere. What was bought stays owned, and can be hung
        otherwise at a later stage.
        """
        found, left = list[StageResult](), 0.0
        have = Counter(cupboard) + Counter(dict(hung.counts))
        state = (bool(hung.lights), tuple[int, ...]())
        for number, budget in enumerate(budgets):
            told(number / len(budgets))
            left += budget
            best = self._stage(hung, state, left, have)
            left -= best.cost
            have |= self._used(hung, best.keeps, best.packs)
            state = (best.keeps, best.packs)
            found.append(best)
        return found

    def _stage(self, hung: Hung, state: tuple[bool, tuple[int, ...]], budget: float, have: Counter[int]) -> StageResult:
        keeps, packs = state
        options = {state, (keeps, ()), (False, ())}
        for k in range(len(self.packs)):
            options |= {(keeps, (*packs, k)), (keeps, (k,)), (False, (*packs, k)), (False, (k,))}
        best = self._best(hung, options, budget, have)
        assert best is not None  # nothing at all can always be had
        while True:
            more = {(best.keeps, (*best.packs, k)) for k in range(len(self.packs))}
            better = self._best(hung, more, budget, have) if len(best.packs) < MOST_PACKS else None
            if better is None or better.count <= best.count:
                return best
            best = better

    def _used(self, hung: Hung, keeps: bool, packs: Sequence[int]) -> Counter[int]:
        """How many of each kind hang in a state."""
        used = Counter(dict(hung.counts) if keeps else {})
        for k in packs:
            used[self.packs[k].kind] += self.packs[k].count
        return used

    def _lights(self, hung: Hung, keeps: bool, packs: Sequence[int]) -> tuple[int, ...] | None:
        """Lights of a state, None where bodies are in each other's way."""
        lights = list(hung.lights) if keeps else []
        for k in packs:
            if self.packs[k].blocked & set(lights):
                return None
            lights += self.packs[k].lights
        return tuple(lights)

    def _holds(self, hung: Hung, keeps: bool, packs: Sequence[int]) -> bool:
        """Whether the mounts hold and bear all that hangs on them in a state."""
        bodies, weights = dict[str, int](), dict[str, float]()
        for name, count, weight in (*(hung.held if keeps else ()), *(one for k in packs for one in self.packs[k].held)):
            bodies[name], weights[name] = bodies.get(name, 0) + count, weights.get(name, 0.0) + weight
        return all(
            bodies.get(name, 0) <= most and (not load or weights.get(name, 0.0) <= load + 1e-9)
            for name, (most, load) in self.mounts.items()
        )

    def _able(
        self, hung: Hung, option: tuple[bool, tuple[int, ...]], budget: float, have: Counter[int]
    ) -> StageResult | None:
        """An option that has room and can be paid for, not lit yet."""
        lights = self._lights(hung, *option)
        if lights is None or not self._holds(hung, *option):
            return None
        bought = self._used(hung, *option) - have
        cost = sum(self.prices[kind] * count for kind, count in bought.items())
        without_price = any(self.prices[kind] <= 0 for kind in bought)
        if cost > budget + 1e-9 or without_price:
            return None
        return StageResult(*option, tuple(sorted(bought.items())), cost, lights)

    def _miss(self, one: StageResult) -> float:
        return float(self.corals.miss(np.array(one.par)))

    def _best(
        self, hung: Hung, options: Iterable[tuple[bool, tuple[int, ...]]], budget: float, have: Counter[int]
    ) -> StageResult | None:
        """The option that serves most corals, of those the cheapest, then the nearest to their ranges; None if none can
        be had. What serves no more than what there is, is not bought: its money is kept for the next stage.
        """
        able = [one for option in sorted(options) if (one := self._able(hung, option, budget, have))]
        weight = 1.0 / np.maximum(1.0, self.corals.middle) ** 2
        by_size: dict[int, list[StageResult]] = {}
        for one in able:
            by_size.setdefault(len(one.lights), []).append(one)
        rough = list[tuple[int, float, StageResult, Array]]()
        for size, alike in by_size.items():
            levels = self._levels(
                np.array([one.lights for one in alike], dtype=np.int64).reshape(len(alike), size), weight
            )
            for one, level in zip(alike, levels, strict=True):
                par = self._par(one.lights, level)
                rough.append((-int(self.corals.served(par).sum()), float(self.corals.miss(par)), one, level))
        cheap = sorted(rough, key=lambda row: (row[0], row[2].cost, row[1]))[:TRIED]
        near = sorted(rough, key=lambda row: (row[0], row[1], row[2].cost))[:TRIED]
        results = [self._sharpened(one, level) for _, _, one, level in (*cheap, *near)]
        first = sorted(results, key=self._rank)[:EXACT]
        return min((self._most_served(one) for one in first), key=self._rank, default=None)

    def _rank(self, one: StageResult) -> tuple[int, float, float, int]:
        return -one.count, one.cost, round(self._miss(one), 4), len(one.lights)

    def _levels(self, picked: NDArray[np.int64], weight: Array) -> Array:
        """Levels (k, n) of choices of lights (k, n) that come nearest to the middles of the ranges."""
        if picked.shape[1] == 0:
            return np.zeros((len(picked), 0))
        own, at = np.unique(picked, return_inverse=True)
        target, none = LevelTarget(np.empty((0, 3)), self.corals.middle, weight), np.zeros(len(own))
        problem = LevelProblem.of(self.fields[own], target, least=self.least[own], waste=none, watts=none)
        return problem.solve(at.reshape(picked.shape).astype(np.int64))[2]

    def _par(self, lights: Sequence[int], levels: Array) -> Array:
        return levels @ self.fields[list(lights)] if len(lights) else np.zeros(self.fields.shape[1])

    def _sharpened(self, one: StageResult, level: Array) -> StageResult:
        """An option with levels for which corals out of range count more and more; the best of them."""
        weight = 1.0 / np.maximum(1.0, self.corals.middle) ** 2
        best: tuple[int, float] | None = None
        found = level
        for _ in range(SHARPENED):
            level = np.round(level, 2)  # as it is set on a fixture
            par = self._par(one.lights, level)
            served = self.corals.served(par)
            rank = (-int(served.sum()), float(self.corals.miss(par)))
            if best is None or rank < best:
                best, found = rank, level
            if served.all() or not one.lights:
                break
            weight = np.where(served, weight, HARDER * weight)
            level = self._levels(np.array([one.lights], dtype=np.int64), weight)[0]
        found = self._one_by_one(one.lights, found)
        par = self._par(one.lights, found)
        served = self.corals.served(par)
        return replace(one, levels=tuple(found.tolist()), par=tuple(par.tolist()), served=tuple(served.tolist()))

    def _most_served(self, one: StageResult) -> StageResult:
        """A choice with the levels that serve the most corals, by mixed-integer programming, where that is more."""
        n, c = len(one.lights), len(self.corals.low)
        if not n or all(one.served):
            return one
        fields = self.fields[list(one.lights)].T
        # a coral's range holds where its flag is 1, and nothing where it is 0
        most = np.maximum(fields.sum(axis=1), self.corals.high)
        low = LinearConstraint(np.hstack([fields, -np.diag(self.corals.low)]), lb=0.0)
        high = LinearConstraint(np.hstack([fields, np.diag(most - self.corals.high)]), ub=most)
        found = milp(
            np.concatenate([np.zeros(n), -np.ones(c)]), constraints=[low, high],
            bounds=Bounds(np.concatenate([self.least[list(one.lights)], np.zeros(c)]), np.ones(n + c)),
            integrality=np.concatenate([np.zeros(n), np.ones(c)]), options={"time_limit": PATIENCE},
        )  # fmt: skip
        if found.x is None:
            return one
        levels = self._one_by_one(one.lights, np.clip(found.x[:n], 0.0, 1.0))
        par = self._par(one.lights, levels)
        served = self.corals.served(par)
        better = replace(one, levels=tuple(levels.tolist()), par=tuple(par.tolist()), served=tuple(served.tolist()))
        return better if better.count > one.count else one

    def _one_by_one(self, lights: tuple[int, ...], levels: Array) -> Array:
        """Levels moved one light at a time, as long as that serves more corals or brings them nearer."""
        levels, steps = levels.copy(), np.linspace(0.0, 1.0, STEPS)
        for _ in range(PASSES):
            before = levels.copy()
            for k, light in enumerate(lights):
                tried = np.append(np.maximum(steps, self.least[light]), levels[k])
                rest = self._par(lights, levels) - levels[k] * self.fields[light]
                par = rest + tried[:, None] * self.fields[light]
                counts, misses = self.corals.served(par).sum(axis=1), self.corals.miss(par)
                levels[k] = tried[min(range(len(tried)), key=lambda i: (-counts[i], misses[i], -i))]
            if (levels == before).all():
                break
        return levels

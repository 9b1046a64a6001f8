"""Best levels of lights with known fields: bounded least squares, solved for many layouts at once.

For a given geometry PAR is linear in the levels. Of the unit fields only their products with each other and with the
aim go into the problem, so that judging a layout takes microseconds once these are formed.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

Array = NDArray[np.float64]
SWEEPS = 60
MOST_PRICE, BISECTIONS = 1e3, 26
"""The highest price on a watt that is tried, in units of the squared miss [1/W], and how often the search for the
right one is halved."""


@dataclass(frozen=True)
class LevelTarget:
    """Target PAR at points (p, 3) [m]: PAR (p,) [umol/m2/s] and weight (p,) [-]."""

    points: Array
    wanted: Array
    weight: Array

    def off(self, par: Array) -> float:
        """Weighted root mean square miss of PAR (p,), over that of the target [-]."""
        miss = self.weight @ (par - self.wanted) ** 2
        return float(np.sqrt(miss / (self.weight @ self.wanted**2)))


@dataclass(frozen=True)
class LevelProblem:
    """Lights to choose from, as products of their fields.

    ``products`` (n, n) of their fields with each other, ``hits`` (n,) with what is wanted, ``whole`` the square of
    what is wanted; ``least`` (n,) the lowest level of each, 1 for one that does not dim; ``waste`` (n,) what each
    counts against a layout at full output, in units of the squared miss [-]; ``watts`` (n,) of each at full output
    and the ``budget`` that a choice of them may take together [W].
    """

    products: Array
    hits: Array
    whole: float
    least: Array
    waste: Array
    watts: Array
    budget: float

    @classmethod
    def of(
        cls, fields: Array, aim: LevelTarget, *, least: Array, waste: Array, watts: Array, budget: float = float("inf")
    ) -> LevelProblem:
        """Form the products of unit fields (n, p)."""
        weighted = fields * aim.weight
        whole = float(aim.weight @ aim.wanted**2)
        return cls(weighted @ fields.T, weighted @ aim.wanted, whole, least, waste, watts, budget)

    def solve(self, picked: NDArray[np.int64]) -> tuple[Array, Array, Array]:
        """Best levels for each choice of lights.

        Parameters
        ----------
        picked : indices (k, n) of the lights of each choice.

        Returns
        -------
        Merits (k,), the squared miss over ``whole`` and the waste together, infinite for a choice that takes more
        than the budget however far it is dimmed; the share of the miss as a root mean square (k,) [-]; and the
        levels (k, n).
        """
        merits, levels = _judge(
            self.products, self.hits, self.whole, picked, self.least, self.waste, self.watts, self.budget
        )
        wasted = (self.waste[picked] * levels).sum(axis=1)
        return merits, np.sqrt(np.maximum(0.0, merits - wasted)), levels


def best_levels(
    fields: Array, aim: LevelTarget, *, watts: Array | None = None, budget: float = float("inf"), least: float = 0.0
) -> tuple[Array, float]:
    """Best levels (n,) from 0 to 1 for unit fields (n, p), and their miss [-].

    With ``watts`` (n,) of each at full, they take no more than ``budget`` together [W].
    """
    none, lowest = np.zeros(len(fields)), np.full(len(fields), least)
    given = none if watts is None else watts
    problem = LevelProblem.of(fields, aim, least=lowest, waste=none, watts=given, budget=budget)
    _, off, levels = problem.solve(np.arange(len(fields)).reshape(1, -1))
    return levels[0], float(off[0])


@njit(cache=True)
def _judge(
    products: Array,
    hits: Array,
    whole: float,
    picked: NDArray[np.int64],
    least: Array,
    waste: Array,
    watts: Array,
    budget: float,
) -> tuple[Array, Array]:
    """Least misses (k,) and the levels (k, n) that reach them.

    The waste is linear in the levels, so that the problem stays a bounded least squares one with the hits a
    little lower. So is the power: where it is over the budget, a price on the watt is raised until it is not, which
    by the conditions of Karush, Kuhn and Tucker is the best within the budget.
    """
    count, n = picked.shape
    merits, levels = np.empty(count), np.empty((count, n))
    lowered, priced, tried = np.empty_like(hits), np.empty_like(hits), np.empty(n)
    _lower(lowered, hits, waste, 0.5 * whole)
    for k in range(count):
        s = levels[k]
        for a in range(n):
            s[a] = 1.0
        _solve(products, lowered, picked[k], s, least)
        if _power(watts, picked[k], s) > budget:
            low, high = 0.0, 1e-6
            while _power(watts, picked[k], s) > budget and high < MOST_PRICE:
                high *= 4.0
                _lower(priced, lowered, watts, 0.5 * high * whole)
                _solve(products, priced, picked[k], s, least)
            if _power(watts, picked[k], s) > budget:
                merits[k] = np.inf
                continue
            for a in range(n):
                tried[a] = s[a]
            for _ in range(BISECTIONS):
                price = 0.5 * (low + high)
                _lower(priced, lowered, watts, 0.5 * price * whole)
                _solve(products, priced, picked[k], tried, least)
                if _power(watts, picked[k], tried) > budget:
                    low = price
                else:
                    high = price
                    for a in range(n):
                        s[a] = tried[a]
        miss = whole
        for a in range(n):
            i = picked[k, a]
            miss -= 2.0 * s[a] * lowered[i]
            for b in range(n):
                miss += s[a] * s[b] * products[i, picked[k, b]]
        merits[k] = miss / whole
    return merits, levels


@njit(cache=True)
def _lower(found: Array, hits: Array, by: Array, times: float) -> None:
    for i in range(hits.shape[0]):
        found[i] = hits[i] - times * by[i]


@njit(cache=True)
def _power(watts: Array, picked: NDArray[np.int64], s: Array) -> float:
    total = 0.0
    for a in range(picked.shape[0]):
        total += s[a] * watts[picked[a]]
    return total


@njit(cache=True)
def _solve(products: Array, hits: Array, picked: NDArray[np.int64], s: Array, least: Array) -> None:
    """Bounded least squares by coordinate descent, in place; exact in the limit, as the problem is convex."""
    n = picked.shape[0]
    for _ in range(SWEEPS):
        moved = 0.0
        for a in range(n):
            i = picked[a]
            rest = hits[i]
            for b in range(n):
                if b != a:
                    rest -= products[i, picked[b]] * s[b]
            best = min(1.0, max(least[i], rest / products[i, i])) if products[i, i] > 0.0 else least[i]
            moved = max(moved, abs(best - s[a]))
            s[a] = best
        if moved < 1e-6:
            break

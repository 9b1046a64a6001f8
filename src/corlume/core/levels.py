"""Best levels of lights whose fields are known: bounded least squares, solved for many layouts at once.

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


@dataclass(frozen=True)
class Aim:
    """What PAR is wanted where: points (p, 3) [m], PAR wanted (p,) [umol/m2/s] and how much each counts (p,) [-]."""

    points: Array
    wanted: Array
    weight: Array

    def off(self, par: Array) -> float:
        """Weighted root mean square of what PAR (p,) misses, over that of what is wanted [-]."""
        miss = self.weight @ (par - self.wanted) ** 2
        return float(np.sqrt(miss / (self.weight @ self.wanted**2)))


@dataclass(frozen=True)
class Problem:
    """Lights to choose from, as the solver wants them.

    ``products`` (n, n) of their fields with each other, ``hits`` (n,) with what is wanted, ``whole`` the square of
    what is wanted; ``least`` (n,) the lowest level of each, 1 for one that does not dim; ``waste`` (n,) what each
    counts against a layout at full output, in units of the squared miss [-].
    """

    products: Array
    hits: Array
    whole: float
    least: Array
    waste: Array

    @classmethod
    def of(cls, fields: Array, aim: Aim, least: Array, waste: Array) -> Problem:
        """Form the products of unit fields (n, p)."""
        weighted = fields * aim.weight
        whole = float(aim.weight @ aim.wanted**2)
        return cls(weighted @ fields.T, weighted @ aim.wanted, whole, least, waste)

    def solve(self, picked: NDArray[np.int64]) -> tuple[Array, Array, Array]:
        """Best levels for each choice of lights.

        Parameters
        ----------
        picked : indices (k, n) of the lights of each choice.

        Returns
        -------
        Merits (k,), the squared miss over ``whole`` and the waste together; the share of the miss as a root mean
        square (k,) [-]; and the levels (k, n).
        """
        merits, levels = _judge(self.products, self.hits, self.whole, picked, self.least, self.waste)
        wasted = (self.waste[picked] * levels).sum(axis=1)
        return merits, np.sqrt(np.maximum(0.0, merits - wasted)), levels


def best_levels(fields: Array, aim: Aim) -> tuple[Array, float]:
    """Best levels (n,) from 0 to 1 for unit fields (n, p), and how far off the aim they are [-]."""
    none = np.zeros(len(fields))
    _, off, levels = Problem.of(fields, aim, none, none).solve(np.arange(len(fields)).reshape(1, -1))
    return levels[0], float(off[0])


@njit(cache=True)
def _judge(
    products: Array, hits: Array, whole: float, picked: NDArray[np.int64], least: Array, waste: Array
) -> tuple[Array, Array]:
    """Least merits (k,) and the levels (k, n) that reach them.

    The waste is linear in the levels, so that the problem stays a bounded least squares one with the hits a
    little lower.
    """
    count, n = picked.shape
    merits, levels = np.empty(count), np.empty((count, n))
    lowered = hits - 0.5 * waste * whole
    for k in range(count):
        s = levels[k]
        s[:] = 1.0
        _solve(products, lowered, picked[k], s, least)
        miss = whole
        for a in range(n):
            i = picked[k, a]
            miss -= 2.0 * s[a] * lowered[i]
            for b in range(n):
                miss += s[a] * s[b] * products[i, picked[k, b]]
        merits[k] = miss / whole
    return merits, levels


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

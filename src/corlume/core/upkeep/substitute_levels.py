"""Levels of the fixtures that are left when one fails: corals lose as little as can be, and none gets a jump."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
OUT_OF_RANGE = 4.0
"""A share of light that a coral lacks to its range counts so much more than one that it lacks to what it had [-]; our
estimate."""


def substitute_levels(light: Array, fixed: Array, had: Array, low: Array, bound: float) -> Array:
    """Levels (n,) from 0 to 1 at which corals lack least of what they had and of their range.

    Minimises the sum over corals of ``max(0, had - par) / had + OUT_OF_RANGE max(0, low - par) / low`` under
    ``par <= (1 + bound) had``, a linear programme.

    Parameters
    ----------
    light : PAR (n, p) of each fixture at its full level at each coral [umol/m2/s].
    fixed : PAR (p,) of fixtures that do not dim [umol/m2/s].
    had, low : PAR (p,) before, and where the range of each begins; both above 0 [umol/m2/s].
    bound : by how much the light of a coral may rise [-].
    """
    from scipy.optimize import linprog

    n, p = light.shape
    goals = (had, np.minimum(low, (1.0 + bound) * had))
    most = np.maximum((1.0 + bound) * had - fixed, 0.0)
    # unknown are the levels, then what each coral lacks of what it had, then of its range
    lacks = [np.hstack([-light.T / goal[:, None], *(-np.eye(p) * (k == j) for j in range(2))])
             for k, goal in enumerate(goals)]  # fmt: skip
    rows = np.vstack([np.hstack([light.T, np.zeros((p, 2 * p))]), *lacks])
    sides = np.concatenate([most, *(fixed / goal - 1.0 for goal in goals)])
    costs = np.concatenate([np.full(n, 1e-6), np.ones(p), np.full(p, OUT_OF_RANGE)])
    bounds = [(0.0, 1.0)] * n + [(0.0, None)] * (2 * p)
    found = linprog(costs, A_ub=rows, b_ub=sides, bounds=bounds, method="highs")
    levels: Array = np.clip(found.x[:n], 0.0, 1.0)
    return levels

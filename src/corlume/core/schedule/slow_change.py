"""Slow change: steps from one light to another that keep every coral's rise within a bound.

A change runs from part 0, the light it starts with, to part 1, the light that is wanted. What the light at each coral
is at a part is given as a function, so that levels, hours and height are stepped alike.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules

Array = NDArray[np.float64]
By = Literal["levels", "hours", "height", "stages"]
DIM_PAR, DIM_DOSE = 20.0, 0.7
"""A rise up to here harms no coral, whatever share of its light it is; our own [umol/m2/s], [mol/m2/d]."""
BOUND = 0.15
"""Most that a step adds to the light of a coral, where the keeper says nothing else; our own [-]."""
FINEST = 0.01
"""Parts of a change are whole per cents, as fixtures are set [-]."""
MOST_STEPS = 120


@dataclass(frozen=True, slots=True)
class Approach:
    """How keepers change light slowly, and why.

    Parameters
    ----------
    by : what is changed from step to step.
    every : days from one step to the next.
    bound : most that a step may add to the light or the daily light of any coral [-].
    weeks : how long the rise takes, where nothing limits it.
    watches : whether each step waits for good checks of the corals.
    """

    name: str
    why: str
    by: By
    every: int
    bound: float
    weeks: float
    watches: bool = False


APPROACHES: dict[str, Approach] = {
    "match": Approach(
        "Match the old light, then rise",
        "No coral gets more than it had on the first day; then up by small steps. Up to nine weeks for new Acropora "
        "are said to halve losses.",
        "levels",
        7,
        BOUND,
        6.0,
    ),
    "photoperiod": Approach(
        "Longer day, week by week",
        "The added lamp is on for one hour a day, and ten minutes longer each week: the way for lamps that do not dim. "
        "Ten minutes more each day has ended badly for keepers: corals need weeks to adapt.",
        "hours",
        7,
        0.25,
        48.0,
    ),
    "hold": Approach(
        "Small steps, each held for seven weeks",
        "Six to eight weeks at each level: in this telling even weekly rises are too fast, and harm shows late.",
        "levels",
        49,
        BOUND,
        21.0,
    ),
    "watch": Approach(
        "Rise, watch, go on when they look well",
        "Closing polyps and paling warn before harm is done: the next step waits for good checks.",
        "levels",
        7,
        BOUND,
        6.0,
        watches=True,
    ),
    "stages": Approach(
        "Swap one fixture after the other",
        "Each new fixture is set to what it replaces, and corals meet one at a time: a swap of many at once adds up to "
        "a jump.",
        "stages",
        7,
        BOUND,
        0.0,
    ),
    "height": Approach(
        "Start higher, lower by some centimetres a week",
        "Distance dims every fixture alike, colour and all: for fixtures that do not dim, and for mounts that move.",
        "height",
        7,
        BOUND,
        6.0,
    ),
}
"""All common practice, no source; bounds and weeks are ours where the trade gives none."""


@dataclass(frozen=True, slots=True)
class LightAt:
    """Greatest PAR (n,) [umol/m2/s] and daily light (n,) [mol/m2/d] of some corals."""

    peak: Array
    dose: Array

    def most(self) -> LightAt:
        """What counts as the light had so far: at least that of a dim place."""
        return LightAt(np.maximum(self.peak, DIM_PAR), np.maximum(self.dose, DIM_DOSE))

    def rises(self, after: LightAt, *, peaks: bool = True) -> Array:
        """Largest rise (n,) of PAR or daily light to another state [-]; 0 where neither rises past a dim place's.

        Without ``peaks`` daily light counts alone, as where the day grows.
        """
        had = self.most()
        share = after.dose / had.dose
        if peaks:
            share = np.maximum(share, after.peak / had.peak)
        found: Array = np.maximum(0.0, share - 1.0)
        return found


@dataclass(frozen=True, slots=True)
class Step:
    """A step: its part of the change [-], the largest rise that it brings to any coral [-], and which that is."""

    part: float
    rise: float
    coral: int


def find_steps(light: Callable[[float], LightAt], wanted: Sequence[float], bound: float) -> list[Step]:
    """Step from part 0 to part 1 as wanted, or slower where a coral's rise would pass the bound.

    Parameters
    ----------
    light : what corals have at a part.
    wanted : parts after each step, rising to 1, if no coral limits them.
    bound : most that a step may add to any coral [-].

    Raises
    ------
    InvalidInput
        by the field "bound", when no step of 1 % keeps within it, or there would be more than ``MOST_STEPS``.
    """
    rules, found, part, now = Rules(), list[Step](), 0.0, light(0.0)
    for k in range(MOST_STEPS):
        target = wanted[min(k, len(wanted) - 1)]
        reached = round(_furthest(light, now, part, max(target, part + FINEST), bound), 2)
        rules.that(reached > part, "bound", f"is too small: 1 % more light raises a coral by over {100 * bound:.0f} %")
        rules.finish()
        after = light(reached)
        found.append(_step(now, after, reached))
        part, now = reached, after
        if part >= 1.0 - 1e-9:
            return found
    rules.that(False, "bound", f"is too small: the change would take more than {MOST_STEPS} steps")
    rules.finish()
    return found


def fixed_steps(light: Callable[[float], LightAt], parts: Sequence[float], *, peaks: bool = False) -> list[Step]:
    """Steps to given parts, with the rise of daily light at each, whatever it is; with ``peaks`` of PAR as well."""
    states = [light(part) for part in (0.0, *parts)]
    pairs = zip(parts, itertools.pairwise(states), strict=True)
    return [_step(now, after, part, peaks=peaks) for part, (now, after) in pairs]


def _step(now: LightAt, after: LightAt, part: float, *, peaks: bool = True) -> Step:
    rises = now.rises(after, peaks=peaks)
    return Step(part, float(rises.max(initial=0.0)), int(rises.argmax()) if len(rises) else -1)


def _furthest(light: Callable[[float], LightAt], now: LightAt, part: float, target: float, bound: float) -> float:
    """The furthest part up to a target, in whole per cents, at which no coral has risen by more than the bound."""
    low, high = round(part / FINEST), math.floor(min(1.0, target) / FINEST + 1e-9)
    if now.rises(light(high * FINEST)).max(initial=0.0) <= bound:
        return high * FINEST
    while high - low > 1:
        middle = (low + high) // 2
        within = now.rises(light(middle * FINEST)).max(initial=0.0) <= bound
        low, high = (middle, high) if within else (low, middle)
    return low * FINEST


def even_parts(weeks: float, every: int) -> list[float]:
    """Parts of equal steps over some weeks, one every so many days."""
    count = max(1, round(7 * weeks / every))
    return [(k + 1) / count for k in range(count)]


def parts_by_minutes(first: float, hours: float, minutes: float) -> list[float]:
    """Parts of a day that grows from ``first`` to ``hours`` [h] by some minutes a step."""
    more = 60 * (hours - first)
    count = max(1, math.ceil(more / minutes - 1e-9))
    return [min(1.0, (k + 1) * minutes / more) if more > 0 else 1.0 for k in range(count)]


def match_levels(before: LightAt, light: Sequence[Array], doses: Sequence[Array], fixed: tuple[Array, Array]) -> Array:
    """Levels (groups,) of groups at which no coral gets more light than before, and all get as much as they may [-].

    Parameters
    ----------
    before : what corals had.
    light : PAR (corals, minutes) of each group at its full level over the day [umol/m2/s].
    doses : daily light (corals,) of each group at its full level [mol/m2/d].
    fixed : PAR and daily light of what cannot be dimmed, in the same shapes.
    """
    from scipy.optimize import linprog

    groups = len(light)
    peaks = np.stack(light, axis=-1).reshape(-1, groups)
    had = before.most()
    most = np.repeat(had.peak, light[0].shape[1]) - fixed[0].ravel()
    days, dose = np.stack(doses, axis=-1), had.dose - fixed[1]
    binding = peaks.max(axis=1) > 0
    found = linprog(
        -(days / had.dose[:, None]).sum(axis=0) - 1e-9,
        A_ub=np.concatenate([peaks[binding], days]),
        b_ub=np.concatenate([most[binding], dose]),
        bounds=[(0.0, 1.0)] * groups,
        method="highs",
    )
    levels: Array = np.clip(found.x, 0.0, 1.0)
    return levels

"""Search for a layout: modules of one kind in rows, their heights, places and levels.

For a given geometry PAR is linear in the levels, so that the best levels solve a small bounded least squares
problem. Of the unit fields only their products with each other and with the aim go into it: these are formed
once for all places on a grid, and judging a layout then takes microseconds.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import combinations, pairwise

import numpy as np
from numba import njit
from numpy.typing import NDArray

from corlume.core.emitter import Emitter
from corlume.core.field import Medium, unit_field

Array = NDArray[np.float64]
MOST_COMBINATIONS = 60_000
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


@dataclass(frozen=True, slots=True)
class Space:
    """Where modules may hang.

    Parameters
    ----------
    counts : how many along the tank, each number to be tried.
    places : x on a grid to choose from, rising [m].
    heights : face above the water, rising [m].
    rows : y of each row of modules; all rows share their x [m].
    gap : least distance of neighbours along the tank [m].
    symmetric : whether the layout must be its own mirror image; more than four along the tank always are.
    dims : whether modules can be dimmed, or burn at full.
    waste : what a column at full output counts against a layout, in units of its squared miss [-]; so that of
        two layouts that come as near, the one that takes less power is the better.
    """

    counts: tuple[int, ...]
    places: tuple[float, ...]
    heights: tuple[float, ...]
    rows: tuple[float, ...]
    gap: float
    symmetric: bool = False
    dims: bool = True
    waste: float = 0.0


@dataclass(frozen=True, slots=True)
class Layout:
    """Modules along a tank: x of each column, height, y of the rows [m], level of each column [-].

    ``off`` is how far off the aim it is, ``merit`` by what it is ranked: the square of that, and its waste [-].
    ``fwhm`` is that of other lenses put in, 0 for the module's own lobe; columns aside of ``middle`` [m] lean
    inward by ``lean`` [rad].
    """

    places: tuple[float, ...]
    height: float
    rows: tuple[float, ...]
    levels: tuple[float, ...]
    off: float = 0.0
    merit: float = 0.0
    fwhm: float = 0.0
    lean: float = 0.0
    middle: float = 0.0

    @property
    def mirrored(self) -> bool:
        """Whether the columns are their own mirror image about their middle, to half a centimetre."""
        sums = [a + b for a, b in zip(self.places, reversed(self.places), strict=True)]
        return max(sums) - min(sums) < 0.01

    def lensed(self, module: Emitter, x: float) -> Emitter:
        """The module as it is at a column: with its lenses and its lean."""
        if self.fwhm:
            module = replace(module, fwhm=self.fwhm, lobe=None)
        aside = x - self.middle
        if self.lean and abs(aside) > 0.05:
            module = replace(module, height=max(module.height, self.height), pitch=-math.copysign(self.lean, aside))
        return module

    def emitters(self, module: Emitter) -> list[Emitter]:
        """The modules where they hang, column by column."""
        return [replace(self.lensed(module, x), x=x, y=y, height=self.height) for x in self.places for y in self.rows]

    def outputs(self) -> list[float]:
        """Level of every module of ``emitters``."""
        return [level for level in self.levels for _ in self.rows]


def column_field(medium: Medium, module: Emitter, aim: Aim, x: float, height: float, rows: Sequence[float]) -> Array:
    """PAR (p,) of one column of modules at full output [umol/m2/s]."""
    total = np.zeros(len(aim.points))
    for y in rows:
        total += unit_field(medium, replace(module, x=x, y=y, height=height), aim.points)
    return total


def scan(medium: Medium, module: Emitter, aim: Aim, space: Space) -> Iterator[tuple[int, list[Layout]]]:
    """Judge every layout of the grid, height by height.

    Yields the number of layouts judged at a height and the best few for every count there.
    """
    choices = {count: _choices(space, count) for count in space.counts}
    whole = float(aim.weight @ aim.wanted**2)
    for height in space.heights:
        fields = np.array([column_field(medium, module, aim, x, height, space.rows) for x in space.places])
        weighted = fields * aim.weight
        products, hits = weighted @ fields.T, weighted @ aim.wanted
        found, judged = [], 0
        for picked in choices.values():
            if not len(picked):
                continue
            merits, levels = _judge(products, hits, whole, picked, 0.0 if space.dims else 1.0, space.waste)
            judged += len(picked)
            for k in np.argsort(merits, kind="stable")[:3]:
                places = tuple(space.places[i] for i in picked[k])
                found.append(_layout(places, height, space, levels[k], merits[k]))
        yield judged, found


def _layout(places: tuple[float, ...], height: float, space: Space, levels: Array, merit: float) -> Layout:
    off = float(np.sqrt(max(0.0, merit - space.waste * levels.sum())))
    return Layout(places, height, space.rows, tuple(levels.tolist()), off, float(merit))


def _choices(space: Space, count: int) -> NDArray[np.int64]:
    """Indices of places (k, count) for every allowed layout of so many columns."""
    n, x = len(space.places), np.array(space.places)
    if space.symmetric or count > 4:
        half = list(combinations(range(n // 2), count // 2))
        middle = [n // 2] if count % 2 else []
        rows = [[*left, *middle, *(n - 1 - i for i in reversed(left))] for left in half]
        if count % 2 and n % 2 == 0:
            rows = []
    else:
        rows = [list(one) for one in combinations(range(n), count)]
    picked = np.array(rows, dtype=np.int64).reshape(-1, count)
    if count > 1:
        picked = picked[(np.diff(x[picked], axis=1) >= space.gap - 1e-9).all(axis=1)]
    if len(picked) > MOST_COMBINATIONS:
        # a fixed seed, so that the same question has the same answer
        picked = picked[np.random.default_rng(7).choice(len(picked), MOST_COMBINATIONS, replace=False)]
    return picked


@njit(cache=True)
def _judge(
    products: Array, hits: Array, whole: float, picked: NDArray[np.int64], least: float, waste: float
) -> tuple[Array, Array]:
    """Least merits (k,) and the levels (k, n) that reach them, each level from ``least`` to 1.

    The merit is the squared miss over ``whole`` and ``waste`` for every full column: linear in the levels, so that
    the problem stays a bounded least squares one with the hits a little lower.
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
def _solve(products: Array, hits: Array, picked: NDArray[np.int64], s: Array, least: float) -> None:
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
            best = min(1.0, max(least, rest / products[i, i])) if products[i, i] > 0.0 else least
            moved = max(moved, abs(best - s[a]))
            s[a] = best
        if moved < 1e-6:
            break


def evened(layout: Layout, length: float) -> Layout:
    """A layout halfway to its own mirror image in a tank of that length [m]."""
    pairs = zip(layout.places, reversed(layout.places), strict=True)
    return replace(layout, places=tuple(0.5 * (a + length - b) for a, b in pairs))


def best_levels(fields: Array, aim: Aim, *, dims: bool = True, waste: float = 0.0) -> tuple[Array, float]:
    """Best levels (n,) for unit fields (n, p), and the merit they reach [-]."""
    weighted = fields * aim.weight
    whole = float(aim.weight @ aim.wanted**2)
    picked = np.arange(len(fields)).reshape(1, -1)
    merits, levels = _judge(weighted @ fields.T, weighted @ aim.wanted, whole, picked, 0.0 if dims else 1.0, waste)
    return levels[0], float(merits[0])


def refine(
    medium: Medium,
    module: Emitter,
    aim: Aim,
    space: Space,
    layout: Layout,
    *,
    mirrored: bool = False,
    step: float = 0.02,
    finest: float = 0.005,
) -> Layout:
    """Move a layout's columns and height by ever smaller steps while that brings it nearer to the aim.

    With ``mirrored``, a layout that is its own mirror image about the middle stays so. Heights stay within those
    of ``space`` and columns within its places.
    """
    known: dict[tuple[float, ...], Array] = {}

    def judged(trial: Layout) -> Layout:
        fields = []
        for x in trial.places:
            key = (round(x, 4), trial.height, *trial.rows)
            if key not in known:
                at = trial.lensed(module, x)
                known[key] = column_field(medium, at, aim, key[0], trial.height, trial.rows)
            fields.append(known[key])
        levels, merit = best_levels(np.array(fields), aim, dims=space.dims, waste=space.waste)
        off = float(np.sqrt(max(0.0, merit - space.waste * levels.sum())))
        return replace(trial, levels=tuple(levels.tolist()), off=off, merit=merit)

    def allowed(trial: Layout) -> bool:
        inside = space.places[0] - 1e-9 <= trial.places[0] and trial.places[-1] <= space.places[-1] + 1e-9
        apart = all(b - a >= space.gap - 1e-9 for a, b in pairwise(trial.places))
        return inside and apart and space.heights[0] - 1e-9 <= trial.height <= space.heights[-1] + 1e-9

    best = judged(layout)
    middle = 0.5 * (space.places[0] + space.places[-1])
    mirrored = mirrored and best.mirrored and abs(best.places[0] + best.places[-1] - 2 * middle) < 1e-6
    while step >= finest - 1e-9:
        for trial in _neighbours(best, step, mirrored):
            if allowed(trial):
                found = judged(trial)
                if found.merit < best.merit - 1e-8:
                    best = found
                    break
        else:
            step /= 2
    return best


def _neighbours(layout: Layout, step: float, mirrored: bool) -> Iterator[Layout]:
    count = len(layout.places)

    def moved(up: float = 0.0, back: float = 0.0, **aside: float) -> Layout:
        places = [round(x + aside.get(f"c{k}", 0.0), 4) for k, x in enumerate(layout.places)]
        rows = tuple(round(y + back, 4) for y in layout.rows)
        return replace(layout, places=tuple(places), height=round(layout.height + up, 4), rows=rows)

    for sign in (step, -step):
        yield moved(up=sign)
        yield moved(back=sign)
        for k in range(count // 2 if mirrored else count):
            yield moved(**{f"c{k}": sign} | ({f"c{count - 1 - k}": -sign} if mirrored else {}))
        for other in (step, -step):
            # two at once, as what one gives another takes; and with the height, as lower asks for wider
            for k in range(0 if mirrored else count):
                for m in range(k + 1, count):
                    yield moved(**{f"c{k}": sign, f"c{m}": other})
            if count > 1:
                yield moved(up=other, **{"c0": sign, f"c{count - 1}": -sign})

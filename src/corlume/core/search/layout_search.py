"""Search for a layout: the height, places and levels of modules of one type in columns."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import combinations, pairwise

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.field import Medium
from corlume.core.light.fixture import Fixture
from corlume.core.search.layout import Axis, Layout, Module
from corlume.core.search.level_solver import LevelProblem, LevelTarget

Array = NDArray[np.float64]
MOST_COMBINATIONS = 60_000


@dataclass(frozen=True, slots=True)
class Space:
    """Limits on where modules can hang.

    Parameters
    ----------
    counts : how many along the axis, each number to be tried.
    places : where along the axis, on a grid to choose from, rising [m].
    heights : face above the water, rising [m].
    rows : where along the other axis; all columns share them [m].
    gap : least distance of neighbours along the axis [m].
    symmetric : whether the layout must be its own mirror image; more than four columns always are.
    waste : what a watt counts against a layout, in units of its squared miss [1/W]; so that of two layouts that
        come as near, the one that takes less power is the better.
    along : the axis, "x" from left to right or "y" from front to back.
    others : what hangs already and stays; nothing may take its room.
    budget : the most that the modules may take together as they are dimmed [W].
    least : the lowest level of what dims [-]; nothing is hung to stay off.
    held : whether the rows stay where they are, as on fixed arms.
    bounds : from and to of the places, and of the rows, that nothing may leave, as on a mount; None where only the
        grid says so [m].
    """

    counts: tuple[int, ...]
    places: tuple[float, ...]
    heights: tuple[float, ...]
    rows: tuple[float, ...]
    gap: float
    symmetric: bool = False
    waste: float = 0.0
    along: Axis = "x"
    others: tuple[Fixture, ...] = ()
    budget: float = float("inf")
    least: float = 0.0
    held: bool = False
    bounds: tuple[float, float, float, float] | None = None

    @property
    def middle(self) -> float:
        """Middle of the places [m]."""
        return 0.5 * (self.places[0] + self.places[-1])

    def within(self, layout: Layout) -> bool:
        """Whether a layout keeps to the bounds."""
        if self.bounds is None:
            return True
        low, high, first, last = self.bounds
        inside = low - 1e-9 <= layout.places[0] and layout.places[-1] <= high + 1e-9
        return inside and first - 1e-9 <= min(layout.rows) and max(layout.rows) <= last + 1e-9

    def empty(self, height: float) -> Layout:
        """A layout without columns at a height."""
        return Layout((), height, self.rows, (), along=self.along)


class Columns:
    """PAR of columns of a module at the points of a target, each computed once.

    Places and heights are told apart to a tenth of a millimetre.
    """

    def __init__(self, medium: Medium, module: Module, aim: LevelTarget) -> None:
        self.medium, self.module, self.aim = medium, module, aim
        self.groups = module.groups()
        self._known: dict[tuple[object, ...], Array] = {}

    def fields(self, layout: Layout, place: float) -> Array:
        """PAR (groups, p) of a layout's column at a place, at full output [umol/m2/s]."""
        place = round(place, 4)
        key = (place, layout.height, layout.rows, layout.along, layout.lens, layout.lean, layout.middle, layout.outer)
        if key not in self._known:
            self._known[key] = layout.fields(self.medium, self.module, place, self.aim.points)
        return self._known[key]

    def problem(self, layout: Layout, places: Sequence[float], space: Space) -> LevelProblem:
        """Level problem for columns at some places; the groups of a column follow one another."""
        fields = np.concatenate([self.fields(layout, place) for place in places])
        least = np.tile([space.least if dims else 1.0 for dims, _ in self.groups], len(places))
        watts = np.array([each * len(space.rows) for place in places for _, each in self._groups_at(layout, place)])
        return LevelProblem.of(
            fields, self.aim, least=least, waste=space.waste * watts, watts=watts, budget=space.budget
        )

    def _groups_at(self, layout: Layout, place: float) -> list[tuple[bool, float]]:
        return layout.dressed(self.module, place).groups() if layout.outer else self.groups

    def fits(self, layout: Layout, place: float, others: Sequence[Fixture]) -> bool:
        """Whether a layout's column hangs clear of the water and of what is there already."""
        return layout.fits(self.module, place, others)


def scan(columns: Columns, space: Space) -> Iterator[tuple[int, list[Layout]]]:
    """Test every layout of the grid, height by height.

    Yields the number of layouts judged at a height and the best few for every count there.
    """
    choices = {count: _choices(space, count) for count in space.counts}
    groups = len(columns.groups)
    for height in space.heights:
        empty = space.empty(height)
        free = np.array([columns.fits(empty, place, space.others) for place in space.places])
        problem = columns.problem(empty, space.places, space)
        found, judged = [], 0
        for picked in choices.values():
            able = picked[free[picked].all(axis=1)]
            if not len(able):
                continue
            lights = (able[:, :, None] * groups + np.arange(groups)).reshape(len(able), -1)
            merits, offs, levels = problem.solve(lights)
            judged += len(able)
            for k in (k for k in np.argsort(merits, kind="stable")[:3] if np.isfinite(merits[k])):
                found.append(
                    replace(
                        empty,
                        places=tuple(space.places[i] for i in able[k]),
                        levels=tuple(levels[k, ::groups].tolist()),
                        off=float(offs[k]),
                        merit=float(merits[k]),
                    )
                )
        yield judged, found


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


def evened(layout: Layout, length: float) -> Layout:
    """A layout halfway to its own mirror image over a side of a given length [m]."""
    pairs = zip(layout.places, reversed(layout.places), strict=True)
    return replace(layout, places=tuple(0.5 * (a + length - b) for a, b in pairs))


def refine(
    columns: Columns,
    space: Space,
    layout: Layout,
    *,
    mirrored: bool = False,
    step: float = 0.02,
    finest: float = 0.005,
) -> Layout | None:
    """Shift a layout's columns and height by ever smaller steps while the result improves.

    With ``mirrored``, a layout that is its own mirror image about the middle stays so. Heights stay within those
    of ``space`` and columns within its places. None for a layout that cannot hang as it is, or takes too much power.
    """

    def judged(trial: Layout) -> Layout:
        return levelled(columns, space, trial)

    def allowed(trial: Layout) -> bool:
        inside = space.places[0] - 1e-9 <= trial.places[0] and trial.places[-1] <= space.places[-1] + 1e-9
        apart = all(b - a >= space.gap - 1e-9 for a, b in pairwise(trial.places))
        lifted = space.heights[0] - 1e-9 <= trial.height <= space.heights[-1] + 1e-9
        return inside and apart and lifted and space.within(trial) and hangs(trial)

    def hangs(trial: Layout) -> bool:
        plain = not space.others and not trial.lean  # only then can nothing be in the way
        return plain or all(columns.fits(trial, place, space.others) for place in trial.places)

    if not hangs(layout):
        return None
    best = judged(layout)
    middle = space.middle
    mirrored = mirrored and best.mirrored and abs(best.places[0] + best.places[-1] - 2 * middle) < 1e-6
    while step >= finest - 1e-9:
        for trial in _neighbours(best, step, mirrored, held=space.held):
            if allowed(trial):
                found = judged(trial)
                if found.merit < best.merit - 1e-8:
                    best = found
                    break
        else:
            step /= 2
    return best if np.isfinite(best.merit) else None


def snapped(columns: Columns, space: Space, layout: Layout, grain: float) -> Layout:
    """A layout rounded to multiples of a grain [m], at its best levels.

    Outer columns are moved outwards where bodies would touch otherwise. It stays as it is where that has no room or
    takes too much power.
    """

    def even(value: float, way: Callable[[float], int]) -> float:
        return round(way(value / grain) * grain, 6)

    def outward(value: float) -> float:
        return even(value, math.floor if value < middle else math.ceil)

    middle = space.middle
    height = even(layout.height, round)
    if not space.heights[0] - 1e-9 <= height <= space.heights[-1] + 1e-9:
        height = even(layout.height, math.ceil if height < space.heights[0] else math.floor)
    rows = layout.rows if space.held else tuple(even(y, round) for y in layout.rows)
    for rounded in (lambda value: even(value, round), outward):
        places = tuple(rounded(place) for place in layout.places)
        trial = replace(layout, places=places, rows=rows, height=height)
        apart = all(b - a >= space.gap - 1e-9 for a, b in pairwise(places))
        lifted = space.heights[0] - 1e-9 <= height <= space.heights[-1] + 1e-9
        free = space.within(trial) and all(columns.fits(trial, place, space.others) for place in places)
        if apart and lifted and free:
            found = levelled(columns, space, trial)
            if np.isfinite(found.merit):
                return found
    return layout


def levelled(columns: Columns, space: Space, layout: Layout) -> Layout:
    """A layout at its best levels, with its result."""
    problem = columns.problem(layout, layout.places, space)
    merits, offs, levels = problem.solve(np.arange(len(problem.hits)).reshape(1, -1))
    groups = len(columns.groups)
    return replace(layout, levels=tuple(levels[0, ::groups].tolist()), off=float(offs[0]), merit=float(merits[0]))


def at_one_level(columns: Columns, space: Space, layout: Layout) -> Layout:
    """A layout with one level for all that dims, with its result; with its own levels where not all of it dims."""
    if not all(dims for dims, _ in columns.groups):
        return levelled(columns, space, layout)
    fields = np.sum([columns.fields(layout, place) for place in layout.places], axis=(0, 1), keepdims=False)[None, :]
    watts = np.array([sum(each * len(space.rows) for place in layout.places for _, each in columns.groups)])
    problem = LevelProblem.of(
        fields, columns.aim, least=np.array([space.least]), waste=space.waste * watts, watts=watts, budget=space.budget
    )
    merits, offs, levels = problem.solve(np.zeros((1, 1), dtype=np.int64))
    level = (float(levels[0, 0]),) * len(layout.places)
    return replace(layout, levels=level, off=float(offs[0]), merit=float(merits[0]))


def _neighbours(layout: Layout, step: float, mirrored: bool, *, held: bool) -> Iterator[Layout]:
    count = len(layout.places)

    def moved(up: float = 0.0, back: float = 0.0, **aside: float) -> Layout:
        places = [round(x + aside.get(f"c{k}", 0.0), 4) for k, x in enumerate(layout.places)]
        rows = tuple(round(y + back, 4) for y in layout.rows)
        return replace(layout, places=tuple(places), height=round(layout.height + up, 4), rows=rows)

    for sign in (step, -step):
        yield moved(up=sign)
        if layout.along == "x" and not held:
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


def same_in_a_mirror(one: Sequence[float], other: Sequence[float], room: float) -> bool:
    """Whether two rows of as many places are alike to within ``room``, as they are or as mirror images [m]."""
    sums = [a + b for a, b in zip(one, reversed(other), strict=True)]
    moved = max(abs(a - b) for a, b in zip(one, other, strict=True))
    return min(max(sums) - min(sums), moved) < room


def differs(one: Layout, other: Layout) -> bool:
    """Whether two layouts are clearly different: in count, size, lens or lean, by 6 cm of height, or by 6 cm of
    spacing.
    """
    if len(one.places) != len(other.places) or abs(one.height - other.height) >= 0.06:
        return True
    if (one.lens, one.lean, bool(one.outer)) != (other.lens, other.lean, bool(other.outer)):
        return True
    return not same_in_a_mirror(one.places, other.places, 0.06)


TIDY = 0.05
"""How much better by merit a lopsided layout must be than its own mirror image, and one with other lenses or a lean
than the same without [-]; ours."""


def distinct(pool: Sequence[Layout], most: int) -> list[Layout]:
    """The best layouts that differ from each other in count, by 6 cm of height, or by 6 cm of spacing, best first.

    The best of every count goes before the second of any, as fewer or more is what a keeper asks about first.
    """
    ranked = sorted(pool, key=_rank)
    firsts = {len(one.places): one for one in reversed(ranked)}
    return sorted(different([*sorted(firsts.values(), key=_rank), *ranked], most), key=_rank)


def different(layouts: Iterable[Layout], most: int) -> list[Layout]:
    """The first layouts, in their order, that differ from each before them."""
    kept: list[Layout] = []
    for one in layouts:
        if len(kept) < most and all(differs(one, other) for other in kept):
            kept.append(one)
    return kept


def _rank(layout: Layout) -> float:
    return layout.merit * (1 - TIDY * layout.mirrored)

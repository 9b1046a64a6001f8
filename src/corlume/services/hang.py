"""How many, how high, how far apart: the search from a keeper's wish to layouts."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.emitter import Emitter
from corlume.core.errors import InvalidInput, Rules
from corlume.core.field import Medium, grid
from corlume.core.figures import evenness
from corlume.core.scene import Fixture
from corlume.core.search import Aim, Layout, Space, best_levels, column_field, evened, refine, scan
from corlume.core.units import DEGREE
from corlume.core.verdicts import Figures
from corlume.reference.catalogue import FixtureKindEntry, lamp_kinds
from corlume.services.predict import figures, par_at
from corlume.services.starting import fixtures_of, rows_of
from corlume.services.wish import PLANE, Wish, Zones, aim_of, check_wish
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
YEARS = 5
REACHED = 0.6
"""Share of the rock top in the band from which the search for the cheapest takes it as reached [-]; ours."""
LONGEST_MODULE = 0.7
"""Longest face that is searched for as a module; tubes and bars are not [m]."""
MOST_REFINED, MOST_FOUND = 6, 5
"""How many layouts of the grid are refined, and how many clearly different ones make the answer."""
WASTE = 4e-5
"""What a watt counts against a layout, in units of its squared miss [1/W]; near 15 % off, 100 W weigh 1.3 %; ours."""
TIDY = 0.05
"""How much better by merit a lopsided layout must be than one that is its own mirror image [-]; ours."""
LENSES, LEAN = (60 * DEGREE, 90 * DEGREE, 120 * DEGREE), 10 * DEGREE
"""Lenses and lean that are tried on the best layout [rad]."""
GRID_STEP = 0.04
HEIGHT_STEP = 0.03


@dataclass(frozen=True, slots=True)
class Found:
    """One layout of the answer: its fixtures, its figures, and what binds it.

    ``cost`` of electricity and lamps over ``YEARS`` and ``buy`` of its modules, 0 when not known [currency].
    """

    name: str
    fixtures: tuple[Fixture, ...]
    layout: Layout
    figures: Figures
    cost: float
    buy: float
    binds: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Step:
    """How far a search is: share done [-], layouts judged, best layouts so far, and the trade-off by height.

    ``curve`` holds height [m], evenness [-] and PAR at the rock top by 100 W of the best layout at each height.
    """

    done: float
    judged: int
    best: tuple[Found, ...]
    curve: tuple[tuple[float, float, float], ...]


@dataclass(frozen=True)
class _Case:
    """A search in the making: one kind of module over a tank, what it is for, and what stays beside it."""

    stored: StoredTank
    kind: FixtureKindEntry
    wish: Wish
    part: Fixture
    stay: tuple[Fixture, ...]
    module: Emitter
    space: Space
    medium: Medium
    aim: Aim

    @classmethod
    def of(cls, stored: StoredTank, kind: FixtureKindEntry, wish: Wish, setup: Sequence[Fixture]) -> _Case:
        tank, part, counts = stored.tank, kind.parts[0], wish.counts
        stay: list[Fixture] = []
        if wish.goal == "own":
            part, stay, counts = _own(setup)
        module, rows = replace(part.emitter, roll=0.0, pitch=0.0), rows_of(tank)
        places = max(9, round((tank.length - 0.1) / GRID_STEP)) | 1  # odd, so that the middle is a place
        space = Space(
            counts=tuple(range(counts[0], counts[1] + 1)),
            places=tuple(np.linspace(0.05, tank.length - 0.05, places).round(4).tolist()),
            heights=_heights(wish.heights),
            rows=rows,
            gap=2 * module.half_extent()[0] + 0.01,
            symmetric=wish.symmetric,
            dims=part.dimmable,
            waste=WASTE * part.watts * len(rows),
        )
        aim = aim_of(tank, stored.targets, wish, (lambda points: par_at(tank, stay, points)) if stay else None)
        return cls(stored, kind, wish, part, tuple(stay), module, space, Medium.of(tank), aim)

    def refined(self, layout: Layout) -> list[Layout]:
        """A layout moved freely, unless only mirror images are wanted, and as its own mirror image."""
        even = evened(layout, self.stored.tank.length)
        found = [refine(self.medium, self.module, self.aim, self.space, even, mirrored=True)]
        if not self.wish.symmetric:
            found.append(refine(self.medium, self.module, self.aim, self.space, layout))
        return found

    def variants(self, layout: Layout) -> list[Layout]:
        """The same with other lenses, where it is of LEDs, and with its outer columns leaned inward."""
        lenses = LENSES if self.module.kind in ("led_cluster", "led_bar") else ()
        middle = 0.5 * self.stored.tank.length
        others = [replace(layout, fwhm=fwhm) for fwhm in lenses if abs(fwhm - self.module.fwhm) > 5 * DEGREE]
        if len(layout.places) > 1:
            others.append(replace(layout, lean=LEAN, middle=middle))
        found = []
        for one in others:
            try:
                found.append(refine(self.medium, self.module, self.aim, self.space, one, mirrored=True))
            except InvalidInput:  # a leaned face would hang into the water
                continue
        return found


def search(
    stored: StoredTank,
    kind: FixtureKindEntry,
    wish: Wish,
    setup: Sequence[Fixture] = (),
    kinds: Sequence[FixtureKindEntry] = (),
) -> Iterator[Step]:
    """Search for layouts, height by height, then refine the best: a step at a time, so that it can be stopped.

    ``setup`` is what hangs now, for the goal that keeps it, and ``kinds`` the shelf, for the goal that chooses from
    it. ``InvalidInput`` for a wish that cannot be.
    """
    check_wish(stored.tank, kind, wish)
    if wish.goal == "cheapest":
        yield from _cheapest(stored, wish, kinds or [kind])
        return
    if wish.goal == "levels":
        yield _levelled(stored, wish, setup)
        return
    case = _Case.of(stored, kind, wish, setup)
    judged, pool = 0, list[Layout]()
    curve: list[tuple[float, float, float]] = []
    for k, (number, layouts) in enumerate(scan(case.medium, case.module, case.aim, case.space)):
        judged += number
        pool += layouts
        if layouts:
            curve.append(_trade(case, min(layouts, key=lambda one: one.merit)))
        done = 0.8 * (k + 1) / len(case.space.heights)
        yield Step(done, judged, tuple(_found(case, one) for one in _distinct(pool, 1)), tuple(curve))
    chosen = _distinct(pool, MOST_REFINED)
    better: list[Layout] = []
    for k, layout in enumerate(chosen):
        better += case.refined(layout)
        found = tuple(_found(case, one) for one in _distinct(better, MOST_FOUND))
        yield Step(0.8 + 0.15 * (k + 1) / len(chosen), judged, found, tuple(curve))
    if better:
        better += case.variants(_distinct(better, 1)[0])
        yield Step(1.0, judged, tuple(_found(case, one) for one in _distinct(better, MOST_FOUND)), tuple(curve))


def _levelled(stored: StoredTank, wish: Wish, setup: Sequence[Fixture]) -> Step:
    """Solve the levels of what dims in a setup, zone by zone; everything stays where it hangs."""
    tank = stored.tank
    rules = Rules()
    rules.that(any(f.dimmable for f in setup), "goal", "needs a setup in which something can be dimmed")
    rules.finish()
    fixed = [f if not f.dimmable else replace(f, output=0.0) for f in setup]
    aim = aim_of(tank, stored.targets, wish, lambda points: par_at(tank, fixed, points))
    zones = _zones(setup, wish.zones)
    keys = list(dict.fromkeys(zone for zone, f in zip(zones, setup, strict=True) if f.dimmable))

    def alone(key: object) -> list[Fixture]:
        # what is off still hangs in the way
        return [replace(f, output=float(f.dimmable and zone == key)) for zone, f in zip(zones, setup, strict=True)]

    fields = np.array([par_at(tank, alone(key), aim.points) for key in keys])
    solved, merit = best_levels(fields, aim)
    level = dict(zip(keys, solved.tolist(), strict=True))
    lit = tuple(replace(f, output=round(level[z], 2)) if f.dimmable else f for z, f in zip(zones, setup, strict=True))
    layout = Layout(
        tuple(f.emitter.x for f in setup), float(np.mean([f.emitter.height for f in setup])), (tank.width / 2,),
        tuple(f.output for f in lit), float(np.sqrt(max(0.0, merit))), merit,
    )  # fmt: skip
    figured = figures(tank, lit, stored.targets, stored.running)
    binds = ["Full output binds: stronger or more fixtures would come nearer"] * any(s > 0.995 for s in solved)
    name = "Levels of what hangs"
    return Step(1.0, 1, (Found(name, lit, layout, figured, cost_of(stored, lit), 0.0, tuple(binds)),), ())


def _zones(setup: Sequence[Fixture], by: Zones) -> list[object]:
    """The zone that each fixture is in: itself, its row, or the outer ring and what is inside."""
    places = [(round(f.emitter.x / 0.05), round(f.emitter.y / 0.05)) for f in setup]
    if by == "rows":
        return [y for _, y in places]
    if by == "each":
        return list(range(len(setup)))
    ends = [(min(values), max(values)) for values in zip(*places, strict=True)]
    return [any(v in end for v, end in zip(place, ends, strict=True)) for place in places]


def _cheapest(stored: StoredTank, wish: Wish, kinds: Sequence[FixtureKindEntry]) -> Iterator[Step]:
    """Scan every kind of module that has a price; those that reach the band come first, cheapest first."""
    able = [k for k in kinds if k.price and len(k.parts) == 1 and k.parts[0].emitter.length < LONGEST_MODULE]
    judged, found = 0, list[Found]()
    for k, kind in enumerate(able):
        case = _Case.of(stored, kind, replace(wish, kind=kind.key, symmetric=True), ())
        pool: list[Layout] = []
        for number, layouts in scan(case.medium, case.module, case.aim, replace(case.space, heights=_few(case.space))):
            judged += number
            pool += layouts
        for count in case.space.counts:
            best = min((one for one in pool if len(one.places) == count), key=lambda one: one.merit, default=None)
            if best is not None:
                found.append(_found(case, best))
        found.sort(key=_cheapness)
        yield Step((k + 1) / len(able), judged, tuple(found[:MOST_FOUND]), ())


def _cheapness(one: Found) -> tuple[bool, float]:
    """What reaches the band by its money, and after that what comes closest to it."""
    reached = one.figures.coverage >= REACHED
    return not reached, one.cost + one.buy if reached else -one.figures.coverage


def _few(space: Space) -> tuple[float, ...]:
    """Five heights of a space, for a first look."""
    picked = np.unique(np.linspace(0, len(space.heights) - 1, 5).round().astype(int))
    return tuple(space.heights[i] for i in picked)


def _own(setup: Sequence[Fixture]) -> tuple[Fixture, list[Fixture], tuple[int, int]]:
    """The modules that hang most often and dim, what stays beside them, and how many they are."""
    rules = Rules()
    kinds: dict[tuple[str, float, float], list[Fixture]] = {}
    for f in setup:
        if f.dimmable and f.emitter.length < LONGEST_MODULE:
            kinds.setdefault((f.emitter.kind, f.emitter.ppf, f.emitter.fwhm), []).append(f)
    rules.that(bool(kinds), "goal", "needs a setup in which modules hang that can be dimmed")
    rules.finish()
    mine = max(kinds.values(), key=len)
    rules.that(len(mine) <= 8, "goal", "can move at most eight modules", "plain", len(mine))
    rules.finish()
    return mine[0], [f for f in setup if f not in mine], (len(mine), len(mine))


def _heights(limits: tuple[float, float]) -> tuple[float, ...]:
    low, high = limits
    steps = max(1, round((high - low) / HEIGHT_STEP))
    return tuple(np.unique(np.linspace(low, high, steps + 1).round(4)).tolist())


def _distinct(pool: Sequence[Layout], most: int) -> list[Layout]:
    """The best layouts that differ from each other in count, by 6 cm of height, or by 6 cm of spacing."""
    kept: list[Layout] = []
    for one in sorted(pool, key=lambda one: one.merit * (1 - TIDY * one.mirrored)):
        if all(_differs(one, other) for other in kept):
            kept.append(one)
        if len(kept) == most:
            break
    return kept


def _differs(one: Layout, other: Layout) -> bool:
    if len(one.places) != len(other.places) or abs(one.height - other.height) >= 0.06:
        return True
    if (one.fwhm, one.lean) != (other.fwhm, other.lean):
        return True
    sums = [a + b for a, b in zip(one.places, reversed(other.places), strict=True)]
    moved = max(abs(a - b) for a, b in zip(one.places, other.places, strict=True))
    return min(max(sums) - min(sums), moved) >= 0.06  # a mirror image is no other layout


def _trade(case: _Case, layout: Layout) -> tuple[float, float, float]:
    """Height, evenness at the rock top, and mean PAR there by 100 W of a layout."""
    tank, top = case.stored.tank, case.stored.tank.rock_top()
    points = grid(tank, (*PLANE, 1), depths=(top, top))
    seen = Aim(points.reshape(-1, 3), np.ones(PLANE[0] * PLANE[1]), np.ones(PLANE[0] * PLANE[1]))
    par = sum(
        level * column_field(case.medium, layout.lensed(case.module, x), seen, x, layout.height, layout.rows)
        for x, level in zip(layout.places, layout.levels, strict=True)
    )
    plane = np.where(tank.in_rock(points), np.nan, np.asarray(par).reshape(points.shape[:-1]))[..., 0]
    watts = case.part.watts * sum(layout.outputs())
    return layout.height, evenness(plane), 100 * float(np.nanmean(plane)) / watts if watts else 0.0


def _found(case: _Case, layout: Layout) -> Found:
    stored, space, part = case.stored, case.space, case.part
    modules = fixtures_of(stored.tank, part, layout)
    everything = (*modules, *case.stay)
    figured = figures(stored.tank, everything, stored.targets, stored.running)
    binds = []
    if figured.mean < 0.95 * case.wish.band[0] and case.wish.goal in ("blanket", "own", "cheapest"):
        wished = case.wish.band[0]
        binds.append(f"The band is not reached: {figured.mean:.0f} PAR on average where {wished:g} was wished for")
    if layout.height >= space.heights[-1] - 1e-6:
        binds.append("The upper limit of height binds: higher would be more even")
    if layout.height <= space.heights[0] + 1e-6 and len(space.heights) > 1:
        binds.append("The lower limit of height binds: lower would give more light")
    if any(level > 0.995 for level in layout.levels) and part.dimmable:
        binds.append("Full output binds: stronger or more fixtures would come nearer")
    if len(layout.places) > 1 and min(np.diff(layout.places)) <= space.gap + 0.005:
        binds.append("The bodies bind: they touch")
    buy = 0.0 if case.wish.goal == "own" else case.kind.price * len(modules)
    return Found(part.name, everything, layout, figured, cost_of(stored, everything), buy, tuple(binds))


def cost_of(stored: StoredTank, fixtures: Sequence[Fixture]) -> float:
    """Electricity and lamps over ``YEARS`` [currency]; what fixtures cost to buy comes on top."""
    running, about = stored.running, lamp_kinds()
    lamps = sum(about[f.emitter.kind].price * running.hours * 365 / about[f.emitter.kind].life for f in fixtures)
    return YEARS * (running.yearly(sum(f.power for f in fixtures)) + lamps)

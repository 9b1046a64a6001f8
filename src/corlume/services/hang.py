"""How many, how high, how far apart: the search from a keeper's wish to layouts."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.field import Medium, grid
from corlume.core.figures import evenness
from corlume.core.layout import balanced
from corlume.core.levels import Aim, best_levels
from corlume.core.module import LENSED, Layout
from corlume.core.scene import Fixture
from corlume.core.search import Space, evened, levelled, refine, same_in_a_mirror, scan
from corlume.core.units import DEGREE
from corlume.core.verdicts import Figures
from corlume.core.wanted import Met
from corlume.reference.catalogue import FixtureKindEntry, lamp_kinds
from corlume.services.predict import figures, medium_of, par_at
from corlume.services.rack import MOST, Rack, by_rule, column_counts, rack_of
from corlume.services.reasons import Reason, reasons_for
from corlume.services.wanted import zones_met
from corlume.services.wish import PLANE, Wish, Zones, aim_of, check_wish
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
YEARS = 5
BLANKETS = ("blanket", "own", "cheapest")
"""Goals that ask for one band over the whole rock top."""
REACHED = 0.6
"""Share of the rock top in the band from which the search for the cheapest takes it as reached [-]; ours."""
MOST_REFINED, MOST_FOUND, LEAST_FOUND = 6, 5, 3
"""How many layouts of the grid are refined, and how many different ones make the answer, at most and at least."""
WASTE = 4e-5
"""What a watt counts against a layout, in units of its squared miss [1/W]; near 15 % off, 100 W weigh 1.3 %; ours."""
TIDY = 0.05
"""How much better by merit a lopsided layout must be than its own mirror image, and one with other lenses or a lean
than the same without [-]; ours."""
LENSES, LEAN = (60 * DEGREE, 90 * DEGREE, 120 * DEGREE), 10 * DEGREE
"""Lenses and lean that are tried on the best layout [rad]."""
GRID_STEP, FINE_STEP = 0.04, 0.03
"""Distance of the places that are tried along the tank, and from front to back [m]."""
HEIGHT_STEP = 0.03


@dataclass(frozen=True, slots=True)
class Found:
    """One layout of the answer: its fixtures, its figures, and what binds it.

    ``cost`` of electricity and lamps over ``YEARS`` and ``buy`` of its fixtures, 0 when not known [currency];
    ``met`` is how it meets the zones drawn by hand, ``reasons`` why it comes out as it does.
    """

    name: str
    fixtures: tuple[Fixture, ...]
    layout: Layout
    figures: Figures
    cost: float
    buy: float
    binds: tuple[str, ...]
    met: tuple[Met, ...] = ()
    reasons: tuple[Reason, ...] = ()


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
    """A search in the making: a module over a tank, what it is for, and what stays beside it."""

    stored: StoredTank
    name: str
    price: float
    wish: Wish
    rack: Rack
    space: Space
    medium: Medium
    aim: Aim

    @classmethod
    def of(
        cls, stored: StoredTank, kind: FixtureKindEntry, wish: Wish, setup: Sequence[Fixture], *, coarse: bool = False
    ) -> _Case:
        tank, counts = stored.tank, wish.counts
        name, price, parts = kind.name, kind.price, kind.parts
        stay = tuple(setup) if wish.beside else ()
        if wish.goal == "own":
            parts, stay, number = _own(setup)
            name, price = parts[0].frame or parts[0].name, 0.0
        rack = rack_of(tank, parts)
        if wish.goal == "own":
            # as many again as hang now: in the rows where they share them evenly, or else in one
            middle = 0.5 * (tank.width if rack.along == "x" else tank.length)
            rows = rack.rows if number % len(rack.rows) == 0 else (middle,)
            rack, counts = replace(rack, rows=rows), (number // len(rows), number // len(rows))
        step = (2 if coarse else 1) * (GRID_STEP if rack.along == "x" else FINE_STEP)
        places = max(9, round((rack.side - 0.1) / step)) | 1  # odd, so that the middle is a place
        heights = _heights(wish.heights)
        space = Space(
            counts=tuple(range(counts[0], counts[1] + 1)),
            places=tuple(np.linspace(0.05, rack.side - 0.05, places).round(4).tolist()),
            heights=_few(heights) if coarse else heights,
            rows=rack.rows,
            gap=rack.gap,
            symmetric=wish.symmetric,
            waste=WASTE,
            along=rack.along,
            others=stay,
        )
        aim = aim_of(stored, wish, (lambda points: par_at(tank, stay, points)) if stay else None)
        return cls(stored, name, price, wish, rack, space, medium_of(tank), aim)

    def scan(self) -> Iterator[tuple[int, list[Layout]]]:
        """Judge the grid, height by height."""
        return scan(self.medium, self.rack.module, self.aim, self.space)

    def refined(self, layout: Layout) -> list[Layout]:
        """A layout moved freely, unless only mirror images are wanted, and as its own mirror image."""
        found = [self._refine(evened(layout, self.rack.side), mirrored=True)]
        if not self.wish.symmetric:
            found.append(self._refine(layout))
        return [one for one in found if one]

    def variants(self, layout: Layout) -> list[Layout]:
        """The same with other lenses, where it is of LEDs, and with its outer columns leaned inward."""
        parts = self.rack.module.parts
        leds = [part.emitter for part in parts if part.emitter.kind in LENSED]
        others = [replace(layout, fwhm=fwhm) for fwhm in LENSES if any(abs(fwhm - e.fwhm) > 5 * DEGREE for e in leds)]
        if len(layout.places) > 1 and len(parts) == 1:
            others.append(replace(layout, lean=LEAN, middle=0.5 * self.rack.side))
        # a leaned face that would hang into the water comes back as None
        return [found for one in others if (found := self._refine(one, mirrored=True))]

    def _refine(self, layout: Layout, *, mirrored: bool = False) -> Layout | None:
        return refine(self.medium, self.rack.module, self.aim, self.space, layout, mirrored=mirrored)


def search(
    stored: StoredTank,
    kind: FixtureKindEntry,
    wish: Wish,
    setup: Sequence[Fixture] = (),
    kinds: Sequence[FixtureKindEntry] = (),
) -> Iterator[Step]:
    """Search for layouts, height by height, then refine the best: a step at a time, so that it can be stopped.

    ``setup`` is what hangs now, for the goals that keep it, and ``kinds`` the shelf, for the goal that chooses from
    it. ``InvalidInput`` for a wish that cannot be.
    """
    check_wish(stored, kind, wish)
    stored = replace(stored, tank=stored.lit_tank())
    if wish.goal == "cheapest":
        yield from _cheapest(stored, wish, kinds or [kind], setup)
        return
    if wish.goal == "levels":
        yield _levelled(stored, wish, setup)
        return
    case = _Case.of(stored, kind, wish, setup)
    judged, pool = 0, list[Layout]()
    curve: list[tuple[float, float, float]] = []
    for k, (number, layouts) in enumerate(case.scan()):
        judged += number
        pool += layouts
        if layouts:
            curve.append(_trade(case, min(layouts, key=lambda one: one.merit)))
        done = 0.8 * (k + 1) / len(case.space.heights)
        yield Step(done, judged, tuple(_found(case, one) for one in _distinct(pool, 1)), tuple(curve))
    # a frame costs as many fields as it has parts
    chosen = _distinct(pool, MOST_REFINED if len(case.rack.module.parts) == 1 else LEAST_FOUND)
    better: list[Layout] = []
    for k, layout in enumerate(chosen):
        better += case.refined(layout)
        found = tuple(_found(case, one) for one in _distinct(better, MOST_FOUND))
        yield Step(0.8 + 0.15 * (k + 1) / len(chosen), judged, found, tuple(curve))
    if better:
        best = _distinct(better, 1)[0]
        better += [one for one in case.variants(best) if one.merit < (1 - TIDY) * best.merit]
        answers = _distinct(better, MOST_FOUND)
        if len(answers) < LEAST_FOUND:
            # all went to the same best: what else there is stands as the grid had it
            answers = _distinct([*better, *pool], LEAST_FOUND)
        found = tuple(_reasoned(case, _found(case, one), setup) for one in answers)
        yield Step(1.0, judged, found, tuple(curve))


def _levelled(stored: StoredTank, wish: Wish, setup: Sequence[Fixture]) -> Step:
    """Solve the levels of what dims in a setup, zone by zone; everything stays where it hangs."""
    tank = stored.tank
    rules = Rules()
    rules.that(any(f.dimmable for f in setup), "goal", "needs a setup in which something can be dimmed")
    rules.finish()
    fixed = [f if not f.dimmable else replace(f, output=0.0) for f in setup]
    aim = aim_of(stored, wish, lambda points: par_at(tank, fixed, points))
    zones = _zones(setup, wish.zones)
    keys = list(dict.fromkeys(zone for zone, f in zip(zones, setup, strict=True) if f.dimmable))

    def alone(key: object) -> list[Fixture]:
        # what is off still hangs in the way
        return [replace(f, output=float(f.dimmable and zone == key)) for zone, f in zip(zones, setup, strict=True)]

    fields = np.array([par_at(tank, alone(key), aim.points) for key in keys])
    solved, off = best_levels(fields, aim)
    level = dict(zip(keys, solved.tolist(), strict=True))
    lit = tuple(replace(f, output=round(level[z], 2)) if f.dimmable else f for z, f in zip(zones, setup, strict=True))
    layout = Layout(
        tuple(f.emitter.x for f in setup), float(np.mean([f.emitter.height for f in setup])), (tank.width / 2,),
        tuple(f.output for f in lit), off, off**2,
    )  # fmt: skip
    figured = figures(tank, lit, stored.targets, stored.running)
    binds = ["Full output binds: stronger or more fixtures would come nearer"] * any(s > 0.995 for s in solved)
    name = "Levels of what hangs"
    found = Found(name, lit, layout, figured, cost_of(stored, lit), 0.0, tuple(binds), tuple(zones_met(stored, lit)))
    return Step(1.0, 1, (found,), ())


def _zones(setup: Sequence[Fixture], by: Zones) -> list[object]:
    """The zone that each fixture is in: itself, its row, or the outer ring and what is inside."""
    places = [(round(f.emitter.x / 0.05), round(f.emitter.y / 0.05)) for f in setup]
    if by == "rows":
        return [y for _, y in places]
    if by == "each":
        return list(range(len(setup)))
    ends = [(min(values), max(values)) for values in zip(*places, strict=True)]
    return [any(v in end for v, end in zip(place, ends, strict=True)) for place in places]


def _cheapest(
    stored: StoredTank, wish: Wish, kinds: Sequence[FixtureKindEntry], setup: Sequence[Fixture]
) -> Iterator[Step]:
    """Scan every kind of fixture that has a price; those that reach the band come first, cheapest first.

    Modules are tried in the counts of the wish; of tubes, bars and frames that many would mean something else, and
    they are tried in the counts that they begin with.
    """
    able = sorted((kind for kind in kinds if kind.price), key=lambda kind: kind.price)
    judged, found, limit = 0, list[Found](), float("inf")
    for k, kind in enumerate(able):
        rack, counts = rack_of(stored.tank, kind.parts), list(column_counts(stored, kind))
        if by_rule(rack):
            counts = [min(rack.most, count) for count in wish.counts]
        case = _Case.of(stored, kind, replace(wish, counts=(counts[0], counts[-1]), symmetric=True), setup, coarse=True)
        pool: list[Layout] = []
        for number, layouts in case.scan():
            judged += number
            pool += layouts
        for count in case.space.counts:
            best = min((one for one in pool if len(one.places) == count), key=lambda one: one.merit, default=None)
            if best is not None and _money(case, best) < limit:
                found.append(_found(case, best))
        found = sorted(found, key=_cheapness)[:MOST_FOUND]
        # what costs more than five that reach the band is not worth working out
        limit = found[-1].cost + found[-1].buy if sum(map(_reached, found)) == MOST_FOUND else limit
        yield Step((k + 1) / len(able), judged, tuple(found), ())


def _cheapness(one: Found) -> tuple[bool, float]:
    """What reaches the band by its money, and after that what comes closest to it."""
    return not _reached(one), one.cost + one.buy if _reached(one) else -one.figures.coverage


def _reached(one: Found) -> bool:
    return one.figures.coverage >= REACHED


def _money(case: _Case, layout: Layout) -> float:
    hung = layout.fixtures(case.rack.module)
    return cost_of(case.stored, [*hung, *case.space.others]) + case.price * len(layout.places) * len(layout.rows)


def _few(heights: tuple[float, ...]) -> tuple[float, ...]:
    """Five of some heights, for a first look."""
    picked = np.unique(np.linspace(0, len(heights) - 1, 5).round().astype(int))
    return tuple(heights[i] for i in picked)


def _own(setup: Sequence[Fixture]) -> tuple[tuple[Fixture, ...], tuple[Fixture, ...], int]:
    """What hangs most often, what stays beside it, and how many it is; what dims goes before what does not.

    The parts of a frame count as one.
    """
    units: dict[str, list[Fixture]] = {}
    for i, f in enumerate(setup):
        units.setdefault(f.frame or f"alone {i}", []).append(f)
    alike: dict[tuple[object, ...], list[list[Fixture]]] = {}
    for unit in units.values():
        alike.setdefault(tuple(sorted(_likeness(f) for f in unit)), []).append(unit)
    rules = Rules()
    rules.that(bool(alike), "goal", "needs a setup in which something hangs")
    rules.finish()
    mine = max(alike.values(), key=lambda same: (any(f.dimmable for f in same[0]), len(same)))
    rules.that(len(mine) <= MOST, "goal", f"can move at most {MOST} of a kind", "plain", len(mine))
    rules.finish()
    moved = {id(f) for unit in mine for f in unit}
    return tuple(mine[0]), tuple(f for f in setup if id(f) not in moved), len(mine)


def _likeness(fixture: Fixture) -> tuple[str, float, float, float]:
    e = fixture.emitter
    return e.kind, e.ppf, e.fwhm, round(e.length, 4)


def _heights(limits: tuple[float, float]) -> tuple[float, ...]:
    low, high = limits
    steps = max(1, round((high - low) / HEIGHT_STEP))
    return tuple(np.unique(np.linspace(low, high, steps + 1).round(4)).tolist())


def _distinct(pool: Sequence[Layout], most: int) -> list[Layout]:
    """The best layouts that differ from each other in count, by 6 cm of height, or by 6 cm of spacing, best first.

    The best of every count goes before the second of any, as fewer or more is what a keeper asks about first.
    """
    ranked = sorted(pool, key=_rank)
    firsts = {len(one.places): one for one in reversed(ranked)}
    kept: list[Layout] = []
    for one in [*sorted(firsts.values(), key=_rank), *ranked]:
        if len(kept) < most and all(_differs(one, other) for other in kept):
            kept.append(one)
    return sorted(kept, key=_rank)


def _rank(layout: Layout) -> float:
    return layout.merit * (1 - TIDY * layout.mirrored)


def _differs(one: Layout, other: Layout) -> bool:
    if len(one.places) != len(other.places) or abs(one.height - other.height) >= 0.06:
        return True
    if (one.fwhm, one.lean) != (other.fwhm, other.lean):
        return True
    return not same_in_a_mirror(one.places, other.places, 0.06)


def _trade(case: _Case, layout: Layout) -> tuple[float, float, float]:
    """Height, evenness at the rock top, and mean PAR there by 100 W of a layout."""
    tank, top = case.stored.tank, case.stored.tank.rock_top()
    points = grid(tank, (*PLANE, 1), depths=(top, top))
    fixtures = layout.fixtures(case.rack.module)
    fields = [layout.fields(case.medium, case.rack.module, place, points.reshape(-1, 3)) for place in layout.places]
    groups = case.rack.module.groups()
    par = sum(
        (level if dims else 1.0) * field[g]
        for field, level in zip(fields, layout.levels, strict=True)
        for g, (dims, _) in enumerate(groups)
    )
    plane = np.where(tank.in_rock(points), np.nan, np.asarray(par).reshape(points.shape[:-1]))[..., 0]
    watts = sum(f.power for f in fixtures)
    return layout.height, evenness(plane), 100 * float(np.nanmean(plane)) / watts if watts else 0.0


def _found(case: _Case, layout: Layout) -> Found:
    stored, space = case.stored, case.space
    hung = case.rack.hung(stored.tank, layout)
    everything = (*hung, *space.others)
    figured = figures(stored.tank, everything, stored.targets, stored.running)
    binds = []
    if figured.mean < 0.95 * case.wish.band[0] and case.wish.goal in BLANKETS:
        wished = case.wish.band[0]
        binds.append(f"The band is not reached: {figured.mean:.0f} PAR on average where {wished:g} was wished for")
    if layout.height >= space.heights[-1] - 1e-6:
        binds.append("The upper limit of height binds: higher would be more even")
    if layout.height <= space.heights[0] + 1e-6 and len(space.heights) > 1:
        binds.append("The lower limit of height binds: lower would give more light")
    if any(level > 0.995 for level in layout.levels) and case.rack.module.dims:
        binds.append("Full output binds: stronger or more fixtures would come nearer")
    if len(layout.places) > 1 and min(np.diff(layout.places)) <= space.gap + 0.005:
        binds.append("The bodies bind: they touch")
    buy = case.price * len(layout.places) * len(layout.rows)
    cost, met = cost_of(stored, everything), tuple(zones_met(stored, everything))
    if case.wish.goal == "drawn":
        binds += [
            f"{m.zone.name} is not reached: {m.mean:.0f} PAR on average where {m.zone.low:g} to {m.zone.high:g} was "
            "wanted" for m in met if not m.zone.low <= m.mean < m.zone.high
        ]  # fmt: skip
    return Found(case.name, everything, layout, figured, cost, buy, tuple(binds), met)


def _reasoned(case: _Case, found: Found, setup: Sequence[Fixture]) -> Found:
    """An answer with its reasons, held against balanced spacing at its own best levels and against what hangs now."""
    stored, layout, rack = case.stored, found.layout, case.rack
    even = replace(layout, places=balanced(len(layout.places), rack.side))
    rule, room = None, len(layout.places) > 1 and min(np.diff(even.places)) >= rack.gap
    if room and all(even.fits(rack.module, place, case.space.others) for place in even.places):
        even = levelled(case.medium, rack.module, case.aim, case.space, even)
        hung = [*rack.hung(stored.tank, even), *case.space.others]
        rule = figures(stored.tank, hung, stored.targets, stored.running)
    told = reasons_for(layout, even, found.figures, rule, setup, blanket=case.wish.goal in BLANKETS)
    return replace(found, reasons=tuple(told))


def cost_of(stored: StoredTank, fixtures: Sequence[Fixture]) -> float:
    """Electricity and lamps over ``YEARS`` [currency]; what fixtures cost to buy comes on top."""
    running, about = stored.running, lamp_kinds()
    lamps = sum(about[f.emitter.kind].price * running.hours * 365 / about[f.emitter.kind].life for f in fixtures)
    return YEARS * (running.yearly(sum(f.power for f in fixtures)) + lamps)

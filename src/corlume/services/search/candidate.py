"""A search in progress, one module over one tank: its layouts, refined, simplified and mixed."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.judging.figures import Figures
from corlume.core.judging.target_zones import ZoneLight
from corlume.core.light.fixture import Fixture
from corlume.core.light.lens import LENSES, LensKey, lens_on
from corlume.core.search.layout import Layout, Module
from corlume.core.search.layout_search import Columns, Space, at_one_level, evened, refine, scan, snapped
from corlume.core.units import DEGREE
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.light.fields import medium_of, par_at
from corlume.services.search.arrangement import MOST, Arrangement, arrangement_of
from corlume.services.search.layout_ranking import HAND, REFITTED, plainness, shimmered
from corlume.services.search.layout_reasons import LayoutReason
from corlume.services.search.on_mounts import MountRows
from corlume.services.search.search_request import SearchRequest, aim_of
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
MOST_FOUND = 5
"""How many clearly different layouts make the answer, at most."""
WASTE = 4e-5
"""What a watt counts against a layout, in units of its squared miss [1/W]; near 15 % off, 100 W weigh 1.3 %; ours."""
TRIED: tuple[LensKey, ...] = ("60", "90", "none")
LEAN = 10 * DEGREE
"""Lenses and lean [rad] that are tried on the best layout."""
LEAST_APART = 0.1
"""How much further out than the others the outer columns hang at least, where they are of another size [m]; ours."""
LEAST_LEVEL = 0.1
"""Level below which a fixture counts as idle: none is offered that hangs to be so [-]; ours."""
GRID_STEP, FINE_STEP = 0.04, 0.03
"""Distance of the places that are tried along the tank, and from front to back [m]."""
REFINING, FINISHING = 0.02, 0.01
"""Steps by which layouts of the grid are refined, and then the answers [m]."""
HEIGHT_STEP, EDGE = 0.03, 0.05
"""Distance of the heights that are tried, and how near to a pane a middle may hang [m]."""


@dataclass(frozen=True, slots=True)
class Found:
    """One result layout: its fixtures, its figures, and what limits it.

    ``running`` is what electricity and lamps come to over ``YEARS``, ``buy`` what has to be bought, and ``cost`` both
    together [currency], see ``search.money``; ``met`` is how it meets the zones drawn by hand, ``reasons`` why it
    comes out as it does; ``next_off`` by how much more the next clearly different layout is off what was wanted, where
    that was looked at [-].
    """

    name: str
    fixtures: tuple[Fixture, ...]
    layout: Layout
    figures: Figures
    running: float
    buy: float
    binds: tuple[str, ...]
    met: tuple[ZoneLight, ...] = ()
    reasons: tuple[LayoutReason, ...] = ()
    next_off: float | None = None

    @property
    def cost(self) -> float:
        """Total cost of the fixtures over ``YEARS`` [currency]."""
        return self.running + self.buy


@dataclass(frozen=True, slots=True)
class SearchStep:
    """Progress of a search: share done [-], layouts tested, best layouts so far, and the trade-off by height.

    ``curve`` holds height [m], uniformity (tenth percentile to mean) [-] and PAR at the rock top by 100 W of the best
    layout at each height.
    """

    done: float
    judged: int
    best: tuple[Found, ...]
    curve: tuple[tuple[float, float, float], ...]


@dataclass(frozen=True)
class SearchCase:
    """A search in progress: a module over a tank, its goal, and the fixtures that stay.

    ``mine`` is what hangs now and is to be hung better, from the first column to the last; otherwise empty. ``second``
    is another size that layouts may have in their outer columns, ``on`` the mounts that they keep to.
    """

    stored: StoredTank
    name: str
    price: float
    wish: SearchRequest
    laid: Arrangement
    space: Space
    columns: Columns
    mine: tuple[Fixture, ...] = ()
    second: CatalogueEntry | None = None
    on: MountRows | None = None

    @classmethod
    def of(
        cls,
        stored: StoredTank,
        entry: CatalogueEntry,
        wish: SearchRequest,
        setup: Sequence[Fixture],
        *,
        coarse: bool = False,
        on: MountRows | None = None,
    ) -> SearchCase:
        tank, counts, rules = stored.tank, wish.counts, Rules()
        name, price, parts = entry.name, entry.price, entry.parts
        stay, mine = tuple(setup) if wish.beside else (), list[list[Fixture]]()
        if wish.means == "own":
            mine, stay = own_units(setup)
            parts = tuple(mine[0])
            name, price = parts[0].frame or parts[0].name, 0.0
        laid = arrangement_of(tank, parts)
        if wish.arm:
            rules.that(laid.along == "x", "arm", "is for modules: tubes and bars are side by side from front to back")
            laid = replace(laid, rows=(tank.width - wish.arm,))
        if on:
            laid = replace(laid, rows=on.rows)
        if mine:
            # as many again as hang now: in the rows where they share them evenly, or else in one
            middle = 0.5 * (tank.width if laid.along == "x" else tank.length)
            rows = laid.rows if on or len(mine) % len(laid.rows) == 0 else (middle,)
            words = f"hold them in {len(rows)} rows, and {len(mine)} cannot be shared out evenly: choose one mount"
            rules.that(len(mine) % len(rows) == 0, "mounts", words)
            laid, counts = replace(laid, rows=rows), (len(mine) // len(rows), len(mine) // len(rows))
            mine.sort(key=lambda unit: getattr(unit[0].emitter, laid.along))
        else:
            counts = _paid(wish, price, counts, len(laid.rows), rules)
        low, high = on.places if on else (min(EDGE, 0.1 * laid.side), laid.side - min(EDGE, 0.1 * laid.side))
        room = 1 + math.floor((high - low) / laid.gap + 1e-6)
        too_many = "is more than there is room for: {n} of these side by side at most, or smaller ones"
        rules.that(bool(mine) or counts[0] <= room, "count_low", too_many.replace("{n}", str(room)), "plain", counts[0])
        budget = _budget(wish, laid, counts[0], stay, rules)
        heights = grid_heights(wish.heights)
        if on:
            least = counts[0] * len(laid.rows)
            words = f"is more than the mounts hold: {on.most * len(on.rows)} of these"
            rules.that(counts[0] <= on.most, "count_low", words, "plain", least)
            counts = (counts[0], min(counts[1], max(counts[0], on.most)))
            (bottom, top), (under, over) = wish.heights, on.heights
            words = "is out of what the mounts allow: {low} to {high} above the water"
            reach = max(bottom, under) <= min(top, over) + 1e-9
            rules.that(reach, "height_low", words, "length", bottom, low=under, high=over)
        rules.finish()
        if on:
            heights = grid_heights((max(wish.heights[0], on.heights[0]), min(wish.heights[1], on.heights[1])))
        # tubes and bars side by side leave no room for coarse steps
        step = (GRID_STEP * (2 if coarse else 1)) if laid.along == "x" else FINE_STEP
        space = Space(
            counts=tuple(range(counts[0], counts[1] + 1)),
            places=grid_places_between(*on.places, step) if on else grid_places(laid.side, step),
            heights=few_of(heights) if coarse else heights,
            rows=laid.rows,
            gap=laid.gap,
            symmetric=wish.symmetric,
            waste=WASTE,
            along=laid.along,
            others=stay,
            budget=budget,
            least=LEAST_LEVEL,
            held=bool(wish.arm) or (on is not None and on.held),
            bounds=(*on.places, *on.row_limits) if on else None,
        )
        lit = stored.lit_tank()
        aim = aim_of(stored, wish, (lambda points: par_at(lit, stay, points)) if stay else None)
        columns = Columns(medium_of(lit), laid.module, aim)
        hung = tuple(f for unit in mine for f in unit)
        return cls(stored, name, price, wish, laid, space, columns, hung, on=on)

    def hung(self, layout: Layout) -> list[Fixture]:
        """Fixtures of a layout as they would be saved; the keeper's own keep their names, weights and wear."""
        hung = self.laid.hung(self.stored.tank, layout, others=self.space.others, down=bool(self.wish.watts))
        if self.on:
            hung = self._held(self.on, hung, layout)
        if not self.mine:
            return hung
        return [
            replace(
                f,
                name=own.name,
                weight=own.weight,
                light_loss_factor=own.light_loss_factor,
                wear=own.wear,
                frame=own.frame,
            )
            for f, own in zip(hung, self.mine, strict=True)
        ]

    def _held(self, on: MountRows, hung: Sequence[Fixture], layout: Layout) -> list[Fixture]:
        """Fixtures of a layout, in its order, each with the name of the mount that holds it."""
        parts, rows = len(self.laid.module.parts), len(layout.rows)
        units = [k // parts for k in range(len(hung))]
        names = [on.holder(unit % rows, unit // rows) for unit in units]
        return [replace(f, held_by=name) for f, name in zip(hung, names, strict=True)]

    def scan(self) -> Iterator[tuple[int, list[Layout]]]:
        """Test the grid, height by height."""
        return scan(self.columns, self.space)

    def lively(self, layouts: Sequence[Layout]) -> list[Layout]:
        """Layouts in which nothing hangs idle at the least level allowed; fixtures that stay are exempt."""
        if self.mine or not self.laid.module.dims:
            return list(layouts)
        return [one for one in layouts if min(one.levels) > LEAST_LEVEL + 0.005]

    def refined(self, layout: Layout) -> list[Layout]:
        """A layout refined freely, unless only mirror images are wanted, and as its own mirror image."""
        found = [self._refine(evened(layout, 2 * self.space.middle), mirrored=True)]
        if not self.wish.symmetric:
            found.append(self._refine(layout))
        return [one for one in found if one]

    def plainer(self, layout: Layout) -> list[Layout]:
        """Simpler versions of a layout: mirrored with bodies a hand apart and off the lowest height, and the same with
        one level for all; none without clearance for that.
        """
        heights = tuple(h for h in self.space.heights if h > self.space.heights[0] + 1e-6) or self.space.heights
        room = replace(self.space, gap=self.space.gap + HAND * (self.laid.along == "x"), heights=heights)
        start = evened(layout, 2 * self.space.middle)
        start = replace(start, height=max(start.height, heights[0]))
        if len(start.places) > 1 and min(np.diff(start.places)) < room.gap:
            spread = np.linspace(-1.0, 1.0, len(start.places)) * 0.5 * room.gap * (len(start.places) - 1)
            start = replace(start, places=tuple((self.space.middle + spread).tolist()))
        if start.places[0] < room.places[0] - 1e-9 or start.places[-1] > room.places[-1] + 1e-9:
            return []
        refined = refine(self.columns, room, start, mirrored=True, step=REFINING, finest=FINISHING)
        if refined is None:
            return []
        found = self.snapped(refined)
        even = at_one_level(self.columns, room, found)
        return [found, *([even] if np.isfinite(even.merit) else [])]

    def points(self, layout: Layout) -> float:
        """Ranking of a layout, see ``layout_ranking``."""
        lowest = self.space.heights[0] if len(self.space.heights) > 1 else None
        refit = bool(layout.lens or layout.lean or layout.outer)
        everything = [*self.hung(layout), *self.space.others]
        added = plainness(everything, lowest) + shimmered(self.stored, everything, self.wish.shimmer)
        return 100 * layout.off + sum(points for _, points in added) + REFITTED * refit

    def variants(self, layout: Layout) -> list[Layout]:
        """The layout with other lenses, where it is of LEDs, and with its outer columns tilted inward."""
        parts = self.laid.module.parts
        leds = [part.emitter for part in parts if part.emitter.made_by.lensed]
        others = [replace(layout, lens=key) for key in TRIED if any(lens_on(e) != LENSES[key] for e in leds)]
        if len(layout.places) > 1 and len(parts) == 1:
            others.append(replace(layout, lean=LEAN, middle=0.5 * self.laid.side))
        # a leaned face that would hang into the water comes back as None
        return [found for one in others if (found := self._refine(one, mirrored=True))]

    def mixing(self, second: CatalogueEntry) -> SearchCase:
        """The case with another size of module for outer columns."""
        laid = replace(self.laid, module=replace(self.laid.module, second=Module.of(second.parts).parts))
        columns = Columns(self.columns.medium, laid.module, self.columns.aim)
        return replace(self, laid=laid, space=replace(self.space, gap=laid.gap), columns=columns, second=second)

    def mixed(self, layout: Layout) -> Layout | None:
        """A layout with the second size in its outermost columns, refined again; None where it does not fit or costs
        too much.
        """
        middle, places = 0.5 * self.laid.side, layout.places
        away = sorted(abs(place - middle) for place in places)
        outer = 0.5 * (away[-3] + away[-1]) if len(places) > 2 else 0.0
        if not outer or away[-1] - away[-3] < LEAST_APART or not self.laid.apart(places):
            return None
        found = self._refine(replace(layout, outer=outer, middle=middle, lens="", lean=0.0), mirrored=True)
        return None if found is None or (self.wish.money and self.buy(found) > self.wish.money) else found

    def buy(self, layout: Layout) -> float:
        """Price of the fixtures of a layout, 0 when not known [currency]."""
        count, outer = len(layout.places), self._outer(layout)
        second = self.second.price if self.second else 0.0
        known = self.price and (second or not outer)
        return ((count - outer) * self.price + outer * second) * len(layout.rows) if known else 0.0

    @property
    def kept(self) -> tuple[Fixture, ...]:
        """Hung fixtures that go on hanging, moved or not."""
        return (*self.mine, *self.space.others)

    @property
    def sold(self) -> list[CatalogueEntry]:
        """Library entries of the layout's fixtures, with prices."""
        own = CatalogueEntry("", self.name, self.laid.module.parts, 0.0 if self.mine else self.price)
        return [own, self.second] if self.second else [own]

    def named(self, layout: Layout) -> str:
        """Library entry of the layout's fixtures."""
        if not layout.outer or self.second is None:
            return self.name
        outer = self._outer(layout)
        return f"{outer} {self.second.name} outside, {len(layout.places) - outer} {self.name} between"

    def _outer(self, layout: Layout) -> int:
        return sum(abs(place - layout.middle) > layout.outer for place in layout.places) if layout.outer else 0

    def snapped(self, layout: Layout) -> Layout:
        """A layout rounded to the keeper's unit."""
        return snapped(self.columns, self.space, layout, self.wish.grain)

    def finished(self, layout: Layout) -> Layout:
        """A refined layout, refined again by smaller steps."""
        return self._refine(layout, mirrored=layout.mirrored, step=FINISHING) or layout

    def _refine(self, layout: Layout, *, mirrored: bool = False, step: float = REFINING) -> Layout | None:
        return refine(self.columns, self.space, layout, mirrored=mirrored, step=step, finest=step)


def _paid(wish: SearchRequest, price: float, counts: tuple[int, int], rows: int, rules: Rules) -> tuple[int, int]:
    """Counts of columns within the price limit."""
    if not wish.money:
        return counts
    rules.that(price > 0, "money", "cannot be kept to: this fixture has no price in the fixture library")
    most = math.floor(wish.money / (price * rows)) if price else counts[1]
    rules.that(
        most >= counts[0],
        "money",
        f"is too little: {counts[0] * rows} at {price:g} each come to {counts[0] * rows * price:g}",
        "plain",
        wish.money,
    )
    return counts[0], max(counts[0], min(most, counts[1]))


def _budget(wish: SearchRequest, laid: Arrangement, least: int, stay: Sequence[Fixture], rules: Rules) -> float:
    """Power left for the modules, after the fixtures that stay [W]."""
    if not wish.watts:
        return float("inf")
    left = wish.watts - sum(f.power for f in stay)
    always = least * len(laid.rows) * sum(watts for dims, watts in laid.module.groups() if not dims)
    rules.that(left > 0, "watts", "is no more than the present fixtures draw, {low}", "power", wish.watts,
               low=wish.watts - left)  # fmt: skip
    rules.that(
        left <= 0 or always <= left, "watts", "is too little: fixtures that do not dim draw {low}", "power", wish.watts,
        low=always + wish.watts - left,
    )  # fmt: skip
    return left


def few_of(heights: tuple[float, ...]) -> tuple[float, ...]:
    """Five of some heights, for a first look."""
    picked = np.unique(np.linspace(0, len(heights) - 1, 5).round().astype(int))
    return tuple(heights[i] for i in picked)


def own_units(setup: Sequence[Fixture]) -> tuple[list[list[Fixture]], tuple[Fixture, ...]]:
    """The commonest hung fixture, its parts for each unit, and the fixtures that stay; dimmable ones go first.

    The parts of a frame count as one.
    """
    units: dict[str, list[Fixture]] = {}
    for i, f in enumerate(setup):
        units.setdefault(f.frame or f"alone {i}", []).append(f)
    alike: dict[tuple[object, ...], list[list[Fixture]]] = {}
    for unit in units.values():
        alike.setdefault(tuple(sorted(_likeness(f) for f in unit)), []).append(unit)
    rules = Rules()
    rules.that(bool(alike), "means", "needs a setup with at least one fixture")
    rules.finish()
    mine = max(alike.values(), key=lambda same: (any(f.dimmable for f in same[0]), len(same)))
    rules.that(len(mine) <= MOST, "means", f"can move at most {MOST} alike", "plain", len(mine))
    rules.finish()
    moved = {id(f) for unit in mine for f in unit}
    return mine, tuple(f for f in setup if id(f) not in moved)


def _likeness(fixture: Fixture) -> tuple[str, float, float, float]:
    e = fixture.emitter
    return e.technology, e.ppf, e.fwhm, round(e.length, 4)


def grid_places(side: float, step: float) -> tuple[float, ...]:
    """Places about the middle of a side in even steps, which refining by halves meets again [m]."""
    half = 0.5 * side - min(EDGE, 0.1 * side)
    step = min(step, half / 4)
    steps = math.floor(half / step + 1e-9)
    return tuple(round(0.5 * side + k * step, 4) for k in range(-steps, steps + 1))


def grid_places_between(low: float, high: float, step: float) -> tuple[float, ...]:
    """Places from end to end of what a mount allows, in even steps of about ``step`` about its middle [m]."""
    if high - low < 1e-6:
        return (0.5 * (low + high),)
    many = max(2, math.ceil((high - low) / step - 1e-9))
    return tuple(low + (high - low) * k / many for k in range(many + 1))


def grid_heights(limits: tuple[float, float]) -> tuple[float, ...]:
    """Heights from the lowest to the highest allowed, in even steps but for the last [m]."""
    low, high = limits
    steps = math.floor((high - low) / HEIGHT_STEP + 1e-9)
    found = [round(low + k * HEIGHT_STEP, 4) for k in range(steps + 1)]
    if steps and high - found[-1] < 0.01:
        found.pop()
    return (*found, high) if high > low else (low,)

"""How many, how high, how far apart: starting points by rule, and the search from a keeper's wish to layouts."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.emitter import Emitter
from corlume.core.errors import Rules
from corlume.core.field import Medium, grid
from corlume.core.figures import evenness
from corlume.core.geometry import Tank
from corlume.core.layout import balanced, count_for, patches, wider
from corlume.core.scene import Fixture
from corlume.core.search import Aim, Layout, Space, column_field, evened, refine, scan
from corlume.core.targets import LightTargets
from corlume.core.verdicts import Figures
from corlume.core.zones import surfaces
from corlume.reference.catalogue import FixtureKindEntry, lamp_kinds
from corlume.services.lights import changed
from corlume.services.predict import figures, par_at
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
WishGoal = Literal["blanket", "strong_left", "strong_right", "zoned", "own"]
GOALS: dict[WishGoal, tuple[str, str]] = {
    "blanket": ("Even blanket", "The goal's band at the rock top from end to end, and on through the water."),
    "strong_left": ("Strong end left", "SPS light at the left end, falling to LPS light at the right."),
    "strong_right": ("Strong end right", "SPS light at the right end, falling to LPS light at the left."),
    "zoned": (
        "Mixed tank by places",
        "SPS light on high rock, LPS light on the sand and in low places, on your own rock.",
    ),
    "own": ("Best with what hangs", "The modules of the present setup, hung better; whatever else hangs stays."),
}
PLANE = (24, 12)
YEARS = 5
MOST_REFINED, MOST_FOUND = 6, 5
"""How many layouts of the grid are refined, and how many clearly different ones make the answer."""
WASTE = 4e-5
"""What a watt counts against a layout, in units of its squared miss [1/W]; near 15 % off, 100 W weigh 1.3 %; ours."""
TIDY = 0.01
"""How much better by merit a lopsided layout must be than one that is its own mirror image [-]; ours."""
GRID_STEP = 0.04
HEIGHT_STEP = 0.03
CLEARANCE = 0.03
"""Least room left over a fixture under canopy or ceiling [m]; ours."""


@dataclass(frozen=True, slots=True)
class Wish:
    """What the keeper asks the search for.

    ``counts`` least and most modules along the tank; ``heights`` lowest and highest face above the water [m];
    ``band`` PAR wanted at the rock top; ``symmetric`` asks for mirror images.
    """

    kind: str
    goal: WishGoal
    counts: tuple[int, int]
    heights: tuple[float, float]
    band: tuple[float, float]
    symmetric: bool = False


@dataclass(frozen=True, slots=True)
class Found:
    """One layout of the answer: its fixtures, its figures, how far off the aim it is [-], and what binds it."""

    name: str
    fixtures: tuple[Fixture, ...]
    layout: Layout
    figures: Figures
    cost: float
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


@dataclass(frozen=True, slots=True)
class Start:
    """A starting point by rule, with what it comes to here."""

    rule: str
    why: str
    fixtures: tuple[Fixture, ...]
    figures: Figures


def check_wish(tank: Tank, kind: FixtureKindEntry | None, wish: Wish) -> None:
    """Raise ``InvalidInput`` for what no layout can meet, by the field it concerns."""
    rules = Rules()
    rules.that(kind is not None, "kind", "is not on the shelf")
    rules.that(wish.goal in GOALS, "goal", "is not one of those offered")
    rules.that(1 <= wish.counts[0] <= 8, "count_low", "must be from 1 to 8", "plain", wish.counts[0])
    rules.that(
        wish.counts[1] >= wish.counts[0], "count_high", "must not be less than the least", "plain", wish.counts[1]
    )
    rules.that(wish.counts[1] <= 8, "count_high", "must be at most 8 along the tank", "plain", wish.counts[1])
    low, high = wish.heights
    rules.between("height_low", low, 0.05, 3.0, "length")
    room = tank.room_height - CLEARANCE
    rules.that(
        high <= room + 1e-9,
        "height_high",
        "is over the room: canopy or ceiling is at {high}, and a fixture needs some of that to hang in",
        "length",
        high,
        high=tank.room_height,
    )
    rules.that(high >= low, "height_high", "must not be lower than the lowest, {low}", "length", high, low=low)
    rules.that(wish.band[0] >= 1, "band_low", "must be at least 1 PAR", "plain", wish.band[0])
    rules.that(
        wish.band[1] > wish.band[0], "band_high", "must be more than where the band starts", "plain", wish.band[1]
    )
    rules.that(wish.band[1] <= 1500, "band_high", "must be at most 1500 PAR", "plain", wish.band[1])
    rules.finish()


def default_wish(stored: StoredTank, kind: FixtureKindEntry) -> Wish:
    """What most keepers would ask of this tank and kind."""
    tank, band = stored.tank, stored.targets.goal_band()
    across = patches(tank.length, tank.width)[1]
    least, most = count_for(stored.targets.goal, tank.length, tank.width)
    high = round(min(0.6, tank.room_height - 0.1), 2)
    counts = (max(1, least // across), max(1, min(6, -(-most // across))))
    return Wish(kind.key, "blanket", counts, (min(0.2, high), high), (band.low, band.high))


def starting_points(stored: StoredTank, kind: FixtureKindEntry) -> list[Start]:
    """Counts by the rule of cover and by goal, balanced and wider, each as it comes out over this tank."""
    tank = stored.tank
    along, across = patches(tank.length, tank.width)
    least, most = count_for(stored.targets.goal, tank.length, tank.width)
    rules = {"rule of cover": along, "least for the goal": -(-least // across), "most for the goal": -(-most // across)}
    counts = {
        count: " and ".join(rule for rule, asks in rules.items() if asks == count).capitalize()
        for count in rules.values()
    }
    found = []
    for count, why in sorted(counts.items()):
        for name, places in (("balanced", balanced(count, tank.length)), ("wider", wider(count, tank.length))):
            if name == "wider" and count == 1:
                continue
            height = min(kind.parts[0].emitter.height, tank.room_height - CLEARANCE)
            layout = Layout(places, height, _rows(tank), (1.0,) * count, 0.0)
            fixtures = _levelled(stored, _fixtures(tank, kind.parts[0], layout))
            figured = figures(tank, fixtures, stored.targets, stored.running)
            found.append(Start(f"{count * across}, {name}", why, tuple(fixtures), figured))
    return found


def _levelled(stored: StoredTank, fixtures: list[Fixture]) -> list[Fixture]:
    """All at one output that brings the mean to the middle of the band, where they dim that far."""
    band = stored.targets.goal_band()
    mean = figures(stored.tank, fixtures, stored.targets, stored.running).mean
    share = min(1.0, 0.5 * (band.low + band.high) / mean) if mean > 0 else 1.0
    return [replace(f, output=round(share, 2)) if f.dimmable else f for f in fixtures]


def _rows(tank: Tank) -> tuple[float, ...]:
    """y of the rows that the rule of cover asks for."""
    return balanced(patches(tank.length, tank.width)[1], tank.width)


def _fixtures(tank: Tank, part: Fixture, layout: Layout) -> list[Fixture]:
    return [
        changed(tank, replace(part, output=round(level, 2) if part.dimmable else 1.0),
                {"x": e.x, "y": e.y, "height": e.height})
        for e, level in zip(layout.emitters(part.emitter), layout.outputs(), strict=True)
    ]  # fmt: skip


def aim_of(tank: Tank, targets: LightTargets, wish: Wish, given: Callable[[Array], Array] | None = None) -> Aim:
    """Points with the PAR wanted there, less what ``given`` brings already."""
    middle = 0.5 * (wish.band[0] + wish.band[1])
    lps = 0.5 * (targets.lps_low + targets.lps_high)
    top, sand = tank.rock_top(), tank.sand_depth
    if wish.goal == "zoned":
        places = [s.points[s.free] for s in surfaces(tank)]
        points = np.concatenate([p[:: max(1, len(p) // 60)] for p in places])
        high = points[:, 2] < 0.5 * (top + sand)
        wanted, weight = np.where(high, middle, lps), np.where(high, 1.0 / high.sum(), 1.0 / max(1, (~high).sum()))
    else:
        plane = grid(tank, (*PLANE, 1), depths=(top, top)).reshape(-1, 3)
        water = grid(tank, (12, 6, 4), depths=(top, sand)).reshape(-1, 3)
        plane, water = plane[~tank.in_rock(plane)], water[~tank.in_rock(water)]
        along = plane[:, 0] / tank.length
        # light may fall towards the sand as it does of itself; in the water below, half of the top's is no fault
        below = middle - 0.5 * middle * (water[:, 2] - top) / max(1e-6, sand - top)
        wanted = np.concatenate([np.full(len(plane), middle), below])
        if wish.goal in ("strong_left", "strong_right"):
            share = along if wish.goal == "strong_right" else 1 - along
            wanted = lps + (middle - lps) * share
            points, weight = plane, np.full(len(plane), 1.0 / len(plane))
            return Aim(points, wanted - (given(points) if given else 0.0), weight)
        points = np.concatenate([plane, water])
        weight = np.concatenate([np.full(len(plane), 1.0 / len(plane)), np.full(len(water), 0.2 / max(1, len(water)))])
    return Aim(points, wanted - (given(points) if given else 0.0), weight)


def search(stored: StoredTank, kind: FixtureKindEntry, wish: Wish, setup: Sequence[Fixture] = ()) -> Iterator[Step]:
    """Search for layouts, height by height, then refine the best: a step at a time, so that it can be stopped.

    ``setup`` is what hangs now, for the goal that keeps it. ``InvalidInput`` for a wish that cannot be.
    """
    check_wish(stored.tank, kind, wish)
    tank, part, counts = stored.tank, kind.parts[0], wish.counts
    stay: list[Fixture] = []
    if wish.goal == "own":
        part, stay, counts = _own(setup)
    aim = aim_of(tank, stored.targets, wish, (lambda points: par_at(tank, stay, points)) if stay else None)
    module, rows = replace(part.emitter, roll=0.0, pitch=0.0), _rows(tank)
    half = module.half_extent()[0]
    count = max(9, round((tank.length - 0.1) / GRID_STEP)) | 1  # odd, so that the middle is a place
    space = Space(
        counts=tuple(range(counts[0], counts[1] + 1)),
        places=tuple(np.linspace(0.05, tank.length - 0.05, count).round(4).tolist()),
        heights=_heights(wish.heights),
        rows=rows,
        gap=2 * half + 0.01,
        symmetric=wish.symmetric,
        dims=part.dimmable,
        waste=WASTE * part.watts * len(rows),
    )
    medium, judged, pool = Medium.of(tank), 0, list[Layout]()
    curve: list[tuple[float, float, float]] = []
    for k, (number, layouts) in enumerate(scan(medium, module, aim, space)):
        judged += number
        pool += layouts
        if layouts:
            curve.append(_trade(tank, medium, part, module, min(layouts, key=lambda one: one.merit)))
        best = _distinct(pool, 1)
        done = 0.8 * (k + 1) / len(space.heights)
        yield Step(done, judged, tuple(_found(stored, part, stay, space, one) for one in best), tuple(curve))
    chosen = _distinct(pool, MOST_REFINED)
    better: list[Layout] = []
    for k, layout in enumerate(chosen):
        if not wish.symmetric:
            better.append(refine(medium, module, aim, space, layout))
        better.append(refine(medium, module, aim, space, evened(layout, tank.length), mirrored=True))
        ranked = _distinct(better, MOST_FOUND)
        found = tuple(_found(stored, part, stay, space, one) for one in ranked)
        yield Step(0.8 + 0.2 * (k + 1) / len(chosen), judged, found, tuple(curve))


def _own(setup: Sequence[Fixture]) -> tuple[Fixture, list[Fixture], tuple[int, int]]:
    """The modules that hang most often and dim, what stays beside them, and how many they are."""
    rules = Rules()
    kinds: dict[tuple[str, float, float], list[Fixture]] = {}
    for f in setup:
        if f.dimmable and f.emitter.length < 0.7:
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
    sums = [a + b for a, b in zip(one.places, reversed(other.places), strict=True)]
    moved = max(abs(a - b) for a, b in zip(one.places, other.places, strict=True))
    return min(max(sums) - min(sums), moved) >= 0.06  # a mirror image is no other layout


def _trade(tank: Tank, medium: Medium, part: Fixture, module: Emitter, layout: Layout) -> tuple[float, float, float]:
    """Height, evenness at the rock top, and mean PAR there by 100 W of a layout."""
    top = tank.rock_top()
    points = grid(tank, (*PLANE, 1), depths=(top, top))
    seen = Aim(points.reshape(-1, 3), np.ones(PLANE[0] * PLANE[1]), np.ones(PLANE[0] * PLANE[1]))
    par = sum(
        level * column_field(medium, module, seen, x, layout.height, layout.rows)
        for x, level in zip(layout.places, layout.levels, strict=True)
    )
    plane = np.where(tank.in_rock(points), np.nan, np.asarray(par).reshape(points.shape[:-1]))[..., 0]
    watts = part.watts * sum(layout.outputs())
    return layout.height, evenness(plane), 100 * float(np.nanmean(plane)) / watts if watts else 0.0


def _found(stored: StoredTank, part: Fixture, stay: Sequence[Fixture], space: Space, layout: Layout) -> Found:
    tank = stored.tank
    modules = _fixtures(tank, part, layout)
    everything = (*modules, *stay)
    figured = figures(tank, everything, stored.targets, stored.running)
    binds = []
    if layout.height >= space.heights[-1] - 1e-6:
        binds.append("The upper limit of height binds: higher would be more even")
    if layout.height <= space.heights[0] + 1e-6 and len(space.heights) > 1:
        binds.append("The lower limit of height binds: lower would give more light")
    if any(level > 0.995 for level in layout.levels) and part.dimmable:
        binds.append("Full output binds: stronger or more fixtures would come nearer")
    if len(layout.places) > 1 and min(np.diff(layout.places)) <= space.gap + 0.005:
        binds.append("The bodies bind: they touch")
    count = len(modules)
    name = f"{count} at {layout.height * 100:.0f} cm"
    return Found(name, everything, layout, figured, cost_of(stored, everything), tuple(binds))


def cost_of(stored: StoredTank, fixtures: Sequence[Fixture]) -> float:
    """Electricity and lamps over ``YEARS`` [currency]; what fixtures cost to buy comes on top."""
    running, about = stored.running, lamp_kinds()
    lamps = sum(about[f.emitter.kind].price * running.hours * 365 / about[f.emitter.kind].life for f in fixtures)
    return YEARS * (running.yearly(sum(f.power for f in fixtures)) + lamps)

"""What a keeper asks the search for, checked, and turned into PAR wanted at points."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.field import grid
from corlume.core.geometry import Tank
from corlume.core.layout import count_for, patches
from corlume.core.search import Aim
from corlume.core.targets import LightTargets
from corlume.core.zones import surfaces
from corlume.reference.catalogue import FixtureKindEntry
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
WishGoal = Literal["blanket", "strong_left", "strong_right", "zoned", "own", "levels", "cheapest"]
Zones = Literal["each", "rows", "rings"]
ZONES: dict[Zones, str] = {"each": "each fixture", "rows": "rows, front to back", "rings": "outer ring and inside"}
GOALS: dict[WishGoal, tuple[str, str]] = {
    "blanket": ("Even blanket", "The goal's band at the rock top from end to end, and on through the water."),
    "strong_left": ("Strong end left", "SPS light at the left end, falling to LPS light at the right."),
    "strong_right": ("Strong end right", "SPS light at the right end, falling to LPS light at the left."),
    "zoned": (
        "Mixed tank by places",
        "SPS light on high rock, LPS light on the sand and in low places, on your own rock.",
    ),
    "own": ("Best with what hangs", "The modules of the present setup, hung better; whatever else hangs stays."),
    "levels": (
        "Levels of what hangs",
        "Heights and places stay; what dims in the present setup gets the levels that come nearest to the blanket, by "
        "fixture, row or ring. For many small modules in a grid.",
    ),
    "cheapest": (
        "Cheapest over five years",
        "The blanket from whichever module or halide of the shelf reaches the band for the least money over five "
        "years: fixtures, electricity and lamps. The fixture chosen above is not looked at.",
    ),
}
PLANE = (24, 12)
CLEARANCE = 0.03
"""Least room left over a fixture under canopy or ceiling [m]; ours."""


@dataclass(frozen=True, slots=True)
class Wish:
    """What the keeper asks the search for.

    ``counts`` least and most modules along the tank; ``heights`` lowest and highest face above the water [m];
    ``band`` PAR wanted at the rock top; ``symmetric`` asks for mirror images; ``zones`` is what gets a level of
    its own where only levels are asked for.
    """

    kind: str
    goal: WishGoal
    counts: tuple[int, int]
    heights: tuple[float, float]
    band: tuple[float, float]
    symmetric: bool = False
    zones: Zones = "each"


def check_wish(tank: Tank, kind: FixtureKindEntry | None, wish: Wish) -> None:
    """Raise ``InvalidInput`` for what no layout can meet, by the field it concerns."""
    rules = Rules()
    rules.that(kind is not None, "kind", "is not on the shelf")
    rules.that(wish.goal in GOALS, "goal", "is not one of those offered")
    rules.that(wish.zones in ZONES, "zones", "is not one of those offered")
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

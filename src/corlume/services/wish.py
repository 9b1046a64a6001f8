"""What a keeper asks the search for, checked, and turned into PAR wanted at points."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.field import grid
from corlume.core.levels import Aim
from corlume.core.zones import surfaces
from corlume.reference.catalogue import FixtureKindEntry
from corlume.services.rack import CLEARANCE, MOST
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
WishGoal = Literal["blanket", "strong_left", "strong_right", "zoned", "drawn", "own", "levels", "cheapest"]
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
    "drawn": (
        "Zones drawn by hand",
        'What you drew on the page "Zones wanted": each zone gets the light written to it.',
    ),
    "own": (
        "Best with what hangs",
        "The fixtures of the present setup that are most of a kind, modules that dim before others, hung better; "
        "a frame hangs as one piece, and whatever else hangs stays.",
    ),
    "levels": (
        "Levels of what hangs",
        "Heights and places stay; what dims in the present setup gets the levels that come nearest to the blanket, by "
        "fixture, row or ring. For many small modules in a grid.",
    ),
    "cheapest": (
        "Cheapest over five years",
        "The blanket from whichever fixture of the shelf that has a price reaches the band for the least money over "
        "five years: fixtures, electricity and lamps. The fixture chosen above is not looked at.",
    ),
}
PLANE = (24, 12)


@dataclass(frozen=True, slots=True)
class Wish:
    """What the keeper asks the search for.

    ``counts`` least and most columns, of modules along the tank or of tubes and bars side by side; ``heights``
    lowest and highest face above the water [m]; ``band`` PAR wanted at the rock top; ``symmetric`` asks for mirror
    images; ``zones`` is what gets a level of its own where only levels are asked for; with ``beside``, what hangs
    in the setup stays and its light counts. ``watts`` is the most that everything may take as it is dimmed [W], and
    ``money`` what may be spent on fixtures [currency]; 0 for no limit.
    """

    kind: str
    goal: WishGoal
    counts: tuple[int, int]
    heights: tuple[float, float]
    band: tuple[float, float]
    symmetric: bool = False
    zones: Zones = "each"
    beside: bool = False
    watts: float = 0.0
    money: float = 0.0


def check_wish(stored: StoredTank, kind: FixtureKindEntry | None, wish: Wish) -> None:
    """Raise ``InvalidInput`` for what no layout can meet, by the field it concerns."""
    tank, rules = stored.tank, Rules()
    rules.that(kind is not None, "kind", "is not on the shelf")
    rules.that(wish.goal in GOALS, "goal", "is not one of those offered")
    rules.that(
        wish.goal != "drawn" or bool(stored.wanted),
        "goal",
        "needs a zone: draw one first",
    )
    rules.that(wish.zones in ZONES, "zones", "is not one of those offered")
    rules.that(1 <= wish.counts[0] <= MOST, "count_low", f"must be from 1 to {MOST}", "plain", wish.counts[0])
    rules.that(
        wish.counts[1] >= wish.counts[0], "count_high", "must not be less than the least", "plain", wish.counts[1]
    )
    rules.that(wish.counts[1] <= MOST, "count_high", f"must be at most {MOST} side by side", "plain", wish.counts[1])
    rules.that(0 <= wish.watts <= 20_000, "watts", "must be up to 20000 W, or left open", "plain", wish.watts)
    rules.that(0 <= wish.money <= 1e6, "money", "must be up to a million, or left open", "plain", wish.money)
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


Wanted = tuple[Array, Array, Array]
"""Points (p, 3), PAR wanted there (p,) and how much each counts (p,)."""


def aim_of(stored: StoredTank, wish: Wish, given: Callable[[Array], Array] | None = None) -> Aim:
    """Points with the PAR wanted there, less what ``given`` brings already; ``InvalidInput`` when there are none."""
    match wish.goal:
        case "zoned":
            points, wanted, weight = _by_rock(stored, wish)
        case "drawn":
            points, wanted, weight = _drawn(stored)
        case "strong_left" | "strong_right":
            points, wanted, weight = _slope(stored, wish)
        case _:
            points, wanted, weight = _blanket(stored, wish)
    rules = Rules()
    rules.that(len(points) > 0, "goal", "finds no open water where it wants light: all of it is rock")
    rules.finish()
    return Aim(points, wanted - (given(points) if given else 0.0), weight)


def _blanket(stored: StoredTank, wish: Wish) -> Wanted:
    tank, middle = stored.tank, 0.5 * (wish.band[0] + wish.band[1])
    top, sand = tank.rock_top(), tank.sand_depth
    plane, water = _plane(stored), grid(tank, (12, 6, 4), depths=(top, sand)).reshape(-1, 3)
    water = water[~tank.in_rock(water)]
    # light may fall towards the sand as it does of itself; in the water below, half of the top's is no fault
    below = middle - 0.5 * middle * (water[:, 2] - top) / max(1e-6, sand - top)
    return (
        np.concatenate([plane, water]),
        np.concatenate([np.full(len(plane), middle), below]),
        np.concatenate([_alike(plane), 0.2 * _alike(water)]),
    )


def _slope(stored: StoredTank, wish: Wish) -> Wanted:
    plane, middle, lps = _plane(stored), 0.5 * (wish.band[0] + wish.band[1]), _lps(stored)
    along = plane[:, 0] / stored.tank.length
    share = along if wish.goal == "strong_right" else 1 - along
    return plane, lps + (middle - lps) * share, _alike(plane)


def _by_rock(stored: StoredTank, wish: Wish) -> Wanted:
    """The band on surfaces in the upper half of the water, LPS light on those below."""
    tank = stored.tank
    places = [s.points[s.free] for s in surfaces(tank)]
    points = np.concatenate([np.empty((0, 3)), *(p[:: max(1, len(p) // 60)] for p in places)])
    high = points[:, 2] < 0.5 * (tank.rock_top() + tank.sand_depth)
    wanted = np.where(high, 0.5 * (wish.band[0] + wish.band[1]), _lps(stored))
    return points, wanted, np.where(high, 1.0 / max(1, high.sum()), 1.0 / max(1, (~high).sum()))


def _drawn(stored: StoredTank) -> Wanted:
    """The middle of each drawn zone's light; zones count alike, and a miss by the share of what is wanted there."""
    zones = [kept.value for kept in stored.wanted]
    points = [zone.points(stored.tank) for zone in zones]
    weights = [_alike(p) / zone.middle**2 for zone, p in zip(zones, points, strict=True)]
    wanted = [np.full(len(p), zone.middle) for zone, p in zip(zones, points, strict=True)]
    return np.concatenate(points), np.concatenate(wanted), np.concatenate(weights)


def _plane(stored: StoredTank) -> Array:
    tank, top = stored.tank, stored.tank.rock_top()
    plane = grid(tank, (*PLANE, 1), depths=(top, top)).reshape(-1, 3)
    free: Array = plane[~tank.in_rock(plane)]
    return free


def _alike(points: Array) -> Array:
    return np.full(len(points), 1.0 / max(1, len(points)))


def _lps(stored: StoredTank) -> float:
    return 0.5 * (stored.targets.lps_low + stored.targets.lps_high)

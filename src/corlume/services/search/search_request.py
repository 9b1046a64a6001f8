"""The search request: checked, and turned into target PAR at points."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.judging.intent import PURPOSES, SHIMMERS, Intent, Shimmer
from corlume.core.light.field import grid
from corlume.core.search.level_solver import LevelTarget
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.judging.judge import judged_places
from corlume.services.search.arrangement import CLEARANCE, MOST
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
WishPurpose = Literal["even", "mixed", "strong_left", "strong_right", "zones", "lps", "sps"]
WISH_PURPOSES: dict[WishPurpose, tuple[str, str]] = {key: PURPOSES[key] for key in get_args(WishPurpose)}
"""What a layout is searched for: the purposes of a setup."""
Means = Literal["new", "own", "levels", "cheapest", "kinds"]
MEANS: dict[Means, tuple[str, str]] = {
    "new": ("The fixture chosen", "Several of the fixture chosen, alone or with the present fixtures."),
    "own": (
        "Current fixtures, moved",
        "Moves the present fixtures of the most common type, dimmable modules first; a frame moves as one "
        "piece, all other fixtures stay.",
    ),
    "levels": (
        "Dimming only",
        "Heights and places stay; what dims in the present setup gets the levels that come nearest, by fixture, row, "
        "column, ring or in groups of your own. For many small modules in a grid, above all.",
    ),
    "cheapest": (
        "Lowest five-year cost",
        "Any priced fixture of the library: the target range for the lowest five-year cost (fixtures, "
        "electricity, lamps). Ignores the fixture chosen.",
    ),
}
"""What may be changed to get there; to compare "kinds" has a page of its own."""
Zones = Literal["each", "columns", "rows", "rings", "hand"]
ZONES: dict[Zones, str] = {
    "each": "each fixture",
    "columns": "columns, left to right",
    "rows": "rows, front to back",
    "rings": "outer ring and inside",
    "hand": "groups of your own",
}
PLANE = (24, 12)
LOW_COUNTS = 0.25
"""What light in the low places counts beside the rock top for a mixed tank [-]; ours. Most keepers set the light for
the corals on top and find low places for the rest (common practice, no source): with both alike, a fifth of the top is
given up to dim the sand."""
MOST_AIMED = 150
"""Seats of a part that light is aimed at, about."""


@dataclass(frozen=True, slots=True)
class SearchRequest:
    """The keeper's search request.

    ``purpose`` is what the light is for, ``means`` what may be changed for it. ``counts`` least and most columns, of
    modules along the tank or of tubes and bars side by side; ``heights`` lowest and highest face above the water [m];
    ``band`` PAR wanted on top; ``symmetric`` asks for mirror images; ``zones`` is what gets a level of its own where
    only levels are asked for, and ``groups`` these by hand, the letters of fixtures such as "A B, C D"; with
    ``beside``, what hangs in the setup stays and its light counts. ``watts`` is the most that everything may take as it
    is dimmed [W], and ``money`` what may be spent on fixtures [currency]; 0 for no limit. Places and heights of the
    answers are multiples of the ``grain`` [m]; ``end`` is the length of a strong end, 0 for a third of the tank [m].
    On a fixed ``arm`` middles stay so far from the back pane, 0 where they are free [m].
    Where kinds are compared, ``usable`` asks for equal usable light, and ``of`` says in one word what they are of;
    ``more`` is by how much more light than the targets say is wanted where the band does not tell it [-].
    With ``mounts``, by their names, lights hang only where those of the setup hold them.
    ``tank`` says in one word what the tank was like when it was asked; ``shimmer`` whether glitter lines are liked.
    """

    entry: str
    purpose: WishPurpose
    counts: tuple[int, int]
    heights: tuple[float, float]
    band: tuple[float, float]
    symmetric: bool = False
    zones: Zones = "each"
    beside: bool = False
    watts: float = 0.0
    money: float = 0.0
    means: Means = "new"
    groups: str = ""
    grain: float = 0.005
    end: float = 0.0
    usable: bool = False
    of: str = ""
    arm: float = 0.0
    more: float = 1.0
    tank: str = ""
    shimmer: Shimmer = "any"
    mounts: tuple[str, ...] = ()

    @property
    def keeps(self) -> bool:
        """Whether the setup's fixtures stay, moved or not."""
        return self.beside or self.means in ("own", "levels")


def intent_of(stored: StoredTank, wish: SearchRequest) -> Intent:
    """Goal of a setup made from a result."""
    plain = Intent(wish.purpose, end=wish.end, shimmer=wish.shimmer)
    own = wish.purpose != "zones" and wish.band != band_for(stored, wish.purpose)
    return replace(plain, low=wish.band[0], high=wish.band[1]) if own else plain


def band_for(stored: StoredTank, purpose: WishPurpose) -> tuple[float, float]:
    """Target range of a purpose at the rock top, by the keeper's targets [umol/m2/s]."""
    band = Intent(purpose).top(stored.targets)
    return band.low, band.high


def check_request(stored: StoredTank, entry: CatalogueEntry | None, wish: SearchRequest) -> None:
    """Raise ``InvalidInput`` for what no layout can meet, by field."""
    tank, rules = stored.tank, Rules()
    rules.that(entry is not None, "entry", "is not in the fixture library")
    rules.that(wish.purpose in WISH_PURPOSES, "purpose", "is not one of those offered")
    rules.that(
        wish.purpose != "zones" or bool(stored.wanted),
        "purpose",
        "needs a zone: draw one first",
    )
    rules.that(wish.means in (*MEANS, "kinds"), "means", "is not one of those offered")
    rules.that(wish.zones in ZONES, "zones", "is not one of those offered")
    rules.that(wish.shimmer in SHIMMERS, "shimmer", "is not one of those offered")
    rules.that(1 <= wish.counts[0] <= MOST, "count_low", f"must be from 1 to {MOST}", "plain", wish.counts[0])
    rules.that(
        wish.counts[1] >= wish.counts[0], "count_high", "must not be less than the least", "plain", wish.counts[1]
    )
    rules.that(wish.counts[1] <= MOST, "count_high", f"must be at most {MOST} side by side", "plain", wish.counts[1])
    rules.that(0 <= wish.watts <= 20_000, "watts", "must be up to 20000 W, or blank", "plain", wish.watts)
    rules.that(0 <= wish.money <= 1e6, "money", "must be up to a million, or blank", "plain", wish.money)
    low, high = wish.heights
    rules.between("height_low", low, 0.05, 3.0, "length")
    room = tank.room_height - CLEARANCE
    rules.that(
        high <= room + 1e-9,
        "height_high",
        "exceeds the clearance: canopy or ceiling is at {high}, and a fixture needs some of that",
        "length",
        high,
        high=tank.room_height,
    )
    rules.that(high >= low, "height_high", "must not be lower than the lowest, {low}", "length", high, low=low)
    rules.that(
        not wish.arm or 0.02 <= wish.arm <= tank.width - 0.02, "arm", "must hold it over the tank: from 2 cm to {high}",
        "length", wish.arm, high=tank.width - 0.02,
    )  # fmt: skip
    rules.that(wish.band[0] >= 1, "band_low", "must be at least 1 PAR", "plain", wish.band[0])
    rules.that(wish.band[1] > wish.band[0], "band_high", "must be above the start of the range", "plain", wish.band[1])
    rules.that(wish.band[1] <= 1500, "band_high", "must be at most 1500 PAR", "plain", wish.band[1])
    rules.finish()


Wanted = tuple[Array, Array, Array]
"""Points (p, 3), PAR wanted there (p,) and how much each counts (p,)."""


def aim_of(stored: StoredTank, wish: SearchRequest, given: Callable[[Array], Array] | None = None) -> LevelTarget:
    """Points with their target PAR, less what ``given`` brings already; ``InvalidInput`` when there are none."""
    match wish.purpose:
        case "mixed":
            points, wanted, weight = _by_rock(stored, wish)
        case "lps" | "sps":
            seats = judged_places(stored, Intent(wish.purpose))
            points = _few(seats[0].points) if seats else np.empty((0, 3))
            wanted, weight = np.full(len(points), 0.5 * (wish.band[0] + wish.band[1])), _alike(points)
        case "zones":
            points, wanted, weight = _drawn(stored, wish.more)
        case "strong_left" | "strong_right":
            points, wanted, weight = _slope(stored, wish)
        case _:
            points, wanted, weight = _blanket(stored, wish)
    rules = Rules()
    rules.that(len(points) > 0, "purpose", "finds no open water in its target zones: all of it is rock")
    rules.finish()
    return LevelTarget(points, wanted - (given(points) if given else 0.0), weight)


def _blanket(stored: StoredTank, wish: SearchRequest) -> Wanted:
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


def _slope(stored: StoredTank, wish: SearchRequest) -> Wanted:
    """The target range over the strong end, LPS light over as much of the other end, and a slope between."""
    plane, middle, lps = _plane(stored), 0.5 * (wish.band[0] + wish.band[1]), wish.more * _lps(stored)
    length = stored.tank.length
    away = plane[:, 0] if wish.purpose == "strong_left" else length - plane[:, 0]
    strong = Intent(wish.purpose, end=wish.end).strong(stored.tank)
    share = np.interp(away, (strong, max(strong + 1e-6, length - strong)), (1.0, 0.0))
    return plane, lps + (middle - lps) * share, _alike(plane)


def _by_rock(stored: StoredTank, wish: SearchRequest) -> Wanted:
    """The target range on high rock; LPS light on low rock and sand, which counts for less: see ``LOW_COUNTS``."""
    middle = 0.5 * (wish.band[0] + wish.band[1])
    parts: list[Wanted] = [(np.empty((0, 3)), np.empty(0), np.empty(0))]
    for part in judged_places(stored, Intent("mixed")):
        points = _few(part.points)
        par = middle if part.key == "top" else wish.more * _lps(stored)
        parts.append((points, np.full(len(points), par), _alike(points) * (1.0 if part.key == "top" else LOW_COUNTS)))
    points, wanted, weight = (np.concatenate(column) for column in zip(*parts, strict=True))
    return points, wanted, weight


def _drawn(stored: StoredTank, more: float) -> Wanted:
    """Middle of each target zone's range; zones count equally, and a miss counts relative to the target."""
    zones = [kept.value for kept in stored.wanted]
    points = [zone.points(stored.tank) for zone in zones]
    weights = [_alike(p) / (more * zone.middle) ** 2 for zone, p in zip(zones, points, strict=True)]
    wanted = [np.full(len(p), more * zone.middle) for zone, p in zip(zones, points, strict=True)]
    return np.concatenate(points), np.concatenate(wanted), np.concatenate(weights)


def _plane(stored: StoredTank) -> Array:
    tank, top = stored.tank, stored.tank.rock_top()
    plane = grid(tank, (*PLANE, 1), depths=(top, top)).reshape(-1, 3)
    free: Array = plane[~tank.in_rock(plane)]
    return free


def _few(points: Array) -> Array:
    """Some of many spots, enough to solve levels by."""
    few: Array = points[:: max(1, len(points) // MOST_AIMED)]
    return few


def _alike(points: Array) -> Array:
    return np.full(len(points), 1.0 / max(1, len(points)))


def _lps(stored: StoredTank) -> float:
    return 0.5 * (stored.targets.lps_low + stored.targets.lps_high)

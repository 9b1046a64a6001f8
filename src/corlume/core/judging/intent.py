"""The goal of a setup, and the places by which it is judged.

A strong end that was made on purpose is no fault, and a tank of LPS corals needs no blanket: figures are graded
against what the keeper means. All of it common practice, no source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import FieldError, Rules
from corlume.core.judging.light_zones import Surface
from corlume.core.judging.target_zones import TargetZone
from corlume.core.judging.targets import Band, LightTargets, Stocking
from corlume.core.light.geometry import Tank
from corlume.core.schema import Choice, Length, Par, limits

Array = NDArray[np.float64]
Purpose = Literal["stocking", "even", "mixed", "strong_left", "strong_right", "zones", "lps", "sps"]
PURPOSES: dict[Purpose, tuple[str, str]] = {
    "stocking": (
        "By the corals kept",
        "LPS tank: LPS light. SPS tank: even light. Mixed tank: by places",
    ),
    "even": ("Even light", "The target range from end to end at the rock top, and below it"),
    "mixed": ("Mixed tank by places", "SPS light on high rock, LPS light on the sand and in low places"),
    "strong_left": ("Strong end left", "SPS light at the left end, falling to LPS light at the right"),
    "strong_right": ("Strong end right", "SPS light at the right end, falling to LPS light at the left"),
    "zones": ("Target zones", "Each target zone at its own PAR"),
    "lps": ("LPS light everywhere", "LPS light on as much rock and sand as possible; it need not be even"),
    "sps": ("SPS from top to sand", "SPS light on all of rock and sand"),
}
"""Goals of a setup: name and meaning."""
Shimmer = Literal["liked", "any", "calm"]
SHIMMERS: dict[Shimmer, str] = {"liked": "Liked", "any": "Does not matter", "calm": "Calm light wanted"}
"""Preference for shimmer."""
SHIMMER_WORDS: dict[Shimmer, str] = {"liked": "shimmer liked", "any": "", "calm": "calm light wanted"}
"""The same within a sentence; empty where it does not matter."""
MUCH_SHIMMER, LITTLE_SHIMMER = 0.1, 0.05
"""Ripple fluctuation at the rock top from which light shimmers, and up to which it is calm [-]; ours."""
END_SHARE, MOST_STRONG = 1 / 3, 0.75
"""Length of a strong end where the keeper gives none, and at most, as a share of the tank's; ours [-]."""
MOST_SEATS, WIDEST = 600, 20
"""Seats that a part is judged by, about: of more, every second or third each way, at most every so many; that moves
means by a per cent or two, and shares of a broken light by up to five points."""


def in_words(purpose: Purpose) -> str:
    """A purpose as a phrase inside a sentence."""
    name = PURPOSES[purpose][0]
    return name if name[1].isupper() else name[0].lower() + name[1:]


@dataclass(frozen=True, slots=True)
class Intent:
    """The goal of a setup.

    ``low`` to ``high`` is the PAR wanted on top, 0 and 0 for the band of the keeper's targets; ``end`` the length of a
    strong end from its pane [m], 0 for a third of the tank; ``shimmer`` whether glitter lines are liked.
    """

    purpose: Annotated[
        Purpose, Choice("Goal", {key: name for key, (name, _) in PURPOSES.items()}, was={"goal": "stocking"})
    ] = "stocking"
    low: Annotated[
        float,
        Par(
            "On top from",
            0.0,
            2000.0,
            file="par_low",
            column="top_low",
            about="0 for the target range of the tank",
            empty=0.0,
        ),
    ] = 0.0
    high: Annotated[float, Par("to", 0.0, 2000.0, file="par_high", column="top_high", empty=0.0)] = 0.0
    end: Annotated[
        float,
        Length(
            "Strong end",
            0.0,
            5.0,
            file="strong_end_cm",
            column="strong_end",
            about="0 for a third of the tank",
            empty=0.0,
        ),
    ] = 0.0
    shimmer: Annotated[Shimmer, Choice("Shimmer", SHIMMERS)] = "any"

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(self.low == 0 or self.high > 0, "high", "is open: give both ends of the light on top, or none")
        rules.that(self.high == 0 or self.low > 0, "low", "is open: give both ends of the light on top, or none")
        rules.that(
            not self.low or not self.high or self.high > self.low,
            "high",
            f"must be more than {self.low:g}, where the light on top starts",
            "plain",
            self.high,
        )
        rules.finish()

    def meant(self, stocking: Stocking) -> Purpose:
        """The purpose; the one of the tank's stocking where the keeper chose none."""
        if self.purpose != "stocking":
            return self.purpose
        return {"lps": "lps", "sps": "even", "mixed": "mixed"}[stocking]  # type: ignore[return-value]

    def top(self, targets: LightTargets) -> Band:
        """Target range at the rock top: the setup's own, or that of the tank's targets."""
        if self.high:
            return Band("own", "Wanted on top", self.low, self.high)
        _, lps, _, sps, _ = targets.bands()
        match self.meant(targets.stocking):
            case "lps":
                return lps
            case "even":
                return targets.goal_band()
        return sps

    def strong(self, tank: Tank) -> float:
        """Length of the strong end [m]; the rest is the weak one."""
        return min(self.end or END_SHARE * tank.length, MOST_STRONG * tank.length)


def shimmer_off(wanted: Shimmer, fluctuation: float) -> float:
    """How far shimmer is past its limit: ripple fluctuation above or below what is liked [-]."""
    match wanted:
        case "calm":
            return max(0.0, fluctuation - LITTLE_SHIMMER)
        case "liked":
            return max(0.0, MUCH_SHIMMER - fluctuation)
    return 0.0


BY_STOCKING = Intent()
"""What a setup is meant for of which the keeper has said nothing."""
BLANKETS: tuple[Purpose, ...] = ("even", "mixed", "sps")
"""Purposes that ask for even light at the height of the rock top."""
STRONG_ENDS: tuple[Purpose, ...] = ("strong_left", "strong_right")


def intent_errors(tank: Tank, intent: Intent, faces: Sequence[float], zones: Sequence[TargetZone]) -> list[FieldError]:
    """Check a goal against the tank: ``faces`` are how far the fixtures reach along it [m]."""
    rules = Rules()
    if intent.purpose in STRONG_ENDS:
        least, length = max([0.05, *([min(faces)] if faces else [])]), intent.strong(tank)
        rules.that(
            length >= least - 1e-9, "end",
            "of {value} is narrower than the narrowest fixture, {low}: no light keeps to it", "length", length,
            low=least,
        )  # fmt: skip
        rules.that(
            intent.end <= MOST_STRONG * tank.length + 1e-9, "end",
            "leaves no weak end: at most {high}, three quarters of the tank", "length", intent.end,
            high=MOST_STRONG * tank.length,
        )  # fmt: skip
    rules.that(
        intent.purpose != "zones" or bool(zones), "purpose", "needs a zone: draw one on the page Zones wanted first"
    )
    return rules.errors


@dataclass(frozen=True, eq=False)
class Places:
    """Places that a setup is judged by: their ``name``, ``points`` (n, 3) [m], the ``zone`` if drawn, and ``normals``
    (n, 3) of surfaces that do not all face up.
    """

    key: str
    name: str
    points: Array
    zone: TargetZone | None = None
    normals: Array | None = None


def places_of(
    tank: Tank, purpose: Purpose, strong: float, seats: Sequence[Surface], plane: Array, zones: Sequence[TargetZone]
) -> tuple[Places, ...]:
    """The places of a purpose, none of them empty.

    Parameters
    ----------
    strong : length of the strong end [m].
    seats : the sand and every rock top with their cells, from the top down.
    plane : points (n, 3) over the plane at the height of the rock top, those in rock left out; they stand in for rock
        where there is none.
    """
    if purpose == "zones":
        return tuple(Places("zone", z.name, points, z) for z in zones if len(points := z.points(tank)))
    sand = [s for s in seats if s.depth >= tank.sand_depth - 1e-6]
    rock = [s for s in seats if s.depth < tank.sand_depth - 1e-6]
    half = 0.5 * (tank.rock_top() + tank.sand_depth)
    high, low = [s for s in rock if s.depth < half], [*(s for s in rock if s.depth >= half), *sand]
    if purpose in ("lps", "sps"):
        found = [("seats", "spots on rock and sand" if rock else "spots on the sand; there is no rock", _cells(seats))]
    elif purpose in STRONG_ENDS:
        sides = ("left", "right") if purpose == "strong_left" else ("right", "left")
        weak = min(strong, tank.length - strong)
        found = []
        for key, side, length in (("strong", sides[0], strong), ("weak", sides[1], weak)):
            # seats at this end, or what the plane reads there when no rock stands in it
            ends = [_within(points, tank.length, side, length) for points in (_cells(rock), plane)]
            name = f"spots on rock, {side} end" if len(ends[0]) else f"the plane at rock-top height, {side} end"
            found.append((key, name, ends[0] if len(ends[0]) else ends[1]))
    else:
        top = ("top", "spots on rock tops in the upper half", _cells(high))
        found = [top if high else ("top", "the plane at rock-top height, as there is no rock", plane)]
        if purpose == "mixed":
            found.append(("low", "spots on low rock and sand", _cells(low)))
    return tuple(Places(key, name, points) for key, name, points in found if len(points))


def _within(points: Array, length: float, side: str, far: float) -> Array:
    """Points no further than ``far`` from the pane of a side [m]."""
    away = points[:, 0] if side == "left" else length - points[:, 0]
    found: Array = points[away <= far]
    return found


def _cells(surfaces: Sequence[Surface]) -> Array:
    """Free cells of surfaces (n, 3), all of them or every n-th along and across."""
    stride = 1
    while stride < WIDEST and sum(int(_strided(s.free, stride).sum()) for s in surfaces) > MOST_SEATS:
        stride += 1
    found = (_strided(s.points, stride)[_strided(s.free, stride)] for s in surfaces)
    return np.concatenate([np.empty((0, 3)), *found])


def _strided(cells: NDArray[Any], stride: int) -> NDArray[Any]:
    """Every n-th cell of a surface both ways, about its middle; at least one."""
    first = [min(stride // 2, (n - 1) // 2) for n in cells.shape[:2]]
    return cells[first[0] :: stride, first[1] :: stride]


def wanted_in(places: Places, intent: Intent, targets: LightTargets) -> tuple[float, float]:
    """Target PAR in some places [umol/m2/s]."""
    if places.zone:
        return places.zone.low, places.zone.high
    if places.key in ("weak", "low"):
        return targets.lps_low, targets.lps_high
    band = intent.top(targets)
    return band.low, band.high

"""Target ranges of PAR, and the approaches that set them.

All limits are common practice in the trade, no source; every one can be edited by the keeper.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from itertools import pairwise
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.schema import Choice, Par, limits

Stocking = Literal["lps", "sps", "mixed"]
STOCKINGS: dict[Stocking, str] = {"mixed": "Mixed", "lps": "Soft and LPS", "sps": "SPS"}
LIMITS = ("lps_low", "lps_high", "sps_low", "sps_high", "ceiling")


@dataclass(frozen=True, slots=True)
class Band:
    """A range of PAR [umol/m2/s] with the words for it; ``high`` is infinite for the last."""

    key: str
    name: str
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class LightTargets:
    """Limits of the bands [umol/m2/s], the corals they are for and the school they follow.

    ``ceiling`` is the strongest light the keeper would run anywhere a coral sits.
    """

    lps_low: Annotated[float, Par("LPS from", 5.0, 2000.0)] = 75.0
    lps_high: Annotated[float, Par("LPS to", 5.0, 2000.0)] = 150.0
    sps_low: Annotated[float, Par("SPS from", 5.0, 2000.0)] = 200.0
    sps_high: Annotated[float, Par("SPS to", 5.0, 2000.0)] = 350.0
    ceiling: Annotated[float, Par("Maximum PAR", 5.0, 2000.0)] = 500.0
    stocking: Annotated[Stocking, Choice("Corals kept", STOCKINGS, formerly=("goal",), column="goal")] = "mixed"
    school: Annotated[str, Choice("Light targets", SCHOOL_NAMES)] = "moderate"

    def __post_init__(self) -> None:
        rules = limits(self)
        for below, above in pairwise(LIMITS):
            low, high = getattr(self, below), getattr(self, above)
            rules.that(high > low, above, f"must be more than {low:g}, the limit below it", "plain", high)
        rules.finish()

    def bands(self) -> tuple[Band, ...]:
        """The five bands from dim to too strong."""
        return (
            Band("dim", "Too dim", 0.0, self.lps_low),
            Band("lps", "LPS and soft", self.lps_low, self.lps_high),
            Band("between", "Between", self.lps_high, self.sps_low),
            Band("sps", "SPS", self.sps_low, self.sps_high),
            Band("strong", "Too strong", self.sps_high, float("inf")),
        )

    def goal_band(self) -> Band:
        """Target range at the rock top: LPS for an LPS tank, SPS for SPS and for the top of a mixed tank."""
        return self.bands()[1 if self.stocking == "lps" else 3]

    def volume_band(self) -> tuple[float, float]:
        """Target range of the water as a whole: in a mixed tank every band in which corals live."""
        if self.stocking == "mixed":
            return self.lps_low, self.sps_high
        band = self.goal_band()
        return band.low, band.high

    def band_index(self, par: NDArray[np.float64]) -> NDArray[np.int64]:
        """Index of the band of each reading; a reading on a limit belongs to the band above it."""
        return np.searchsorted(np.array([b.low for b in self.bands()[1:]]), par, side="right")

    def band_at(self, par: float) -> Band:
        """The band of one reading [umol/m2/s]."""
        return self.bands()[int(self.band_index(np.array(par)))]


@dataclass(frozen=True, slots=True)
class School:
    """An approach of keepers: its name, its limits, and the reason for them."""

    name: str
    limits: dict[str, float]
    why: str


SCHOOLS: dict[str, School] = {
    "moderate": School(
        "Moderate",
        dict(zip(LIMITS, (75.0, 150.0, 200.0, 350.0, 500.0), strict=True)),
        "SPS from 200: a wide range that most tanks can reach without hot spots.",
    ),
    "strict": School(
        "Strict SPS",
        dict(zip(LIMITS, (75.0, 150.0, 250.0, 350.0, 500.0), strict=True)),
        "SPS from 250: stony corals grow and colour best, in this telling, only above it.",
    ),
    "bright_white": School(
        "Bright white",
        dict(zip(LIMITS, (75.0, 200.0, 400.0, 600.0, 700.0), strict=True)),
        "SPS at 400 to 600 under whiter light. The explanation offered, that less of the white light is of "
        "use to the coral, is a guess.",
    ),
}
SCHOOL_NAMES = {
    **{key: school.name for key, school in SCHOOLS.items()},
    "own": "My own limits",
}


def school_of(targets: LightTargets) -> str:
    """Name of the approach whose limits these are, or "own" when the keeper changed one."""
    mine = {f.name: getattr(targets, f.name) for f in fields(targets) if f.name in LIMITS}
    return next((key for key, school in SCHOOLS.items() if school.limits == mine), "own")

"""Technologies of lighting: one table with everything that the rest of the code asks of them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from corlume.core.units import DEGREE

TechnologyKey = str
Wears = Literal["tube", "led", "arc"]


@dataclass(frozen=True, slots=True)
class Arc:
    """A small bright source in a reflector: its share of the light [-], and its size [m]."""

    share: float
    size: float


@dataclass(frozen=True, slots=True)
class WarmUp:
    """How far a cold fixture is below its steady light [-], and the time in which that falls to 1/e of it [s].

    Negative where it is brighter cold, as LEDs are.
    """

    off: float
    over: float


@dataclass(frozen=True, slots=True)
class ChainStep:
    """One step of a chain of losses: its name, the share of energy left, the source, and whether a maker's figure
    counts it.
    """

    words: str
    share: float
    source: str
    by_maker: bool = True


@dataclass(frozen=True, slots=True)
class Chain:
    """Losses from the socket to the water.

    Parameters
    ----------
    photons : photons by the joule of light of such colours [umol/J].
    colours : which colours these are, in words.
    steps : in the order of the energy's way.
    """

    photons: float
    colours: str
    steps: tuple[ChainStep, ...]

    @property
    def usual(self) -> float:
        """Typical photons in the water per joule at the socket [umol/J]."""
        return self.photons * math.prod(step.share for step in self.steps)

    @property
    def by_maker(self) -> float:
        """Photons per joule at the socket by the maker's figure [umol/J]."""
        return self.photons * math.prod(step.share for step in self.steps if step.by_maker)


@dataclass(frozen=True, slots=True, kw_only=True)
class Technology:
    """One technology of lighting.

    Parameters
    ----------
    name : as keepers say it.
    wears : which questions about age are asked of it.
    lensed : whether other lenses can be put on.
    long : whether one is hung beside the other along the tank, in a frame.
    arc : the bright spot that ripples throw about, for those that have one; they run hot, too.
    fwhm, length, width : a usual beam at half maximum [rad], and a usual emitting area [m].
    warm_up : from cold to steady.
    cools : how long a lamp must be out before it strikes again [s].
    chain : from the socket to the water.
    """

    name: str
    wears: Wears
    lensed: bool = False
    long: bool = False
    arc: Arc | None = None
    fwhm: float
    length: float
    width: float
    warm_up: WarmUp
    cools: float = 0.0
    chain: Chain


_MEMORY = "from memory"
_OURS = "our estimate"
_LED = "blue LEDs turn 0.55 to 0.65 into light at their rated current and 25 °C [22], from memory"
_DROOP = "droop and heat at full level [22], from memory"
_DRIVER = ChainStep("Driver and its controller", 0.88, f"usual for 50 to 200 W, {_MEMORY}")
TECHNOLOGIES: dict[TechnologyKey, Technology] = {
    "led_cluster": Technology(
        name="LED cluster",
        wears="led",
        lensed=True,
        fwhm=80 * DEGREE,
        length=0.18,
        width=0.18,
        warm_up=WarmUp(-0.03, 240.0),
        chain=Chain(
            4.0,
            "blue and violet with some white, as reefs are lit",
            (
                ChainStep("LEDs, all colours together", 0.54, _LED),
                _DRIVER,
                ChainStep("Driven hard and hot", 0.78, _DROOP, by_maker=False),
                ChainStep("Lenses and cover", 0.85, _OURS, by_maker=False),
                ChainStep("Fan", 0.95, _OURS, by_maker=False),
            ),
        ),
    ),
    "led_bar": Technology(
        name="LED bar",
        wears="led",
        lensed=True,
        long=True,
        fwhm=115 * DEGREE,
        length=0.9,
        width=0.03,
        warm_up=WarmUp(-0.03, 240.0),
        chain=Chain(
            4.0,
            "blue and white",
            (
                ChainStep("LEDs, all colours together", 0.54, _LED),
                _DRIVER,
                ChainStep("Driven warm", 0.85, "droop and heat [22], from memory", by_maker=False),
                ChainStep("Cover", 0.93, _OURS, by_maker=False),
            ),
        ),
    ),
    "t5_tube": Technology(
        name="T5 tube",
        wears="tube",
        long=True,
        fwhm=115 * DEGREE,
        length=1.1,
        width=0.06,
        warm_up=WarmUp(0.12, 300.0),
        chain=Chain(
            3.9,
            "blue and white phosphors",
            (
                ChainStep("Tube", 0.31, "1.1 to 1.2 µmol/J bare [9], from memory"),
                ChainStep("Ballast", 0.92, _MEMORY),
                ChainStep("Reflector and restrike", 0.82, _OURS, by_maker=False),
            ),
        ),
    ),
    "power_compact": Technology(
        name="Power compact",
        wears="tube",
        long=True,
        fwhm=120 * DEGREE,
        length=0.5,
        width=0.1,
        warm_up=WarmUp(0.15, 300.0),
        chain=Chain(
            4.3,
            "white and blue phosphors",
            (
                ChainStep("Tube", 0.25, "less than T5, as it runs hot [9], from memory"),
                ChainStep("Ballast", 0.90, _MEMORY),
                ChainStep("Reflector and restrike", 0.72, _OURS, by_maker=False),
            ),
        ),
    ),
    "halide": Technology(
        name="Metal halide",
        wears="arc",
        arc=Arc(0.35, 0.03),
        fwhm=110 * DEGREE,
        length=0.28,
        width=0.28,
        warm_up=WarmUp(0.6, 150.0),
        cools=900.0,  # a quarter of an hour, common practice, no source
        chain=Chain(
            4.0,
            "14,000 K",
            (
                ChainStep("Lamp", 0.33, "1.3 to 1.46 µmol/J bare [9], from memory"),
                ChainStep("Ballast", 0.90, _MEMORY),
                ChainStep("Reflector and shield glass", 0.73, _OURS, by_maker=False),
            ),
        ),
    ),
}
"""Share and size of the arc, and warm-up, are our own estimates. LED clusters have lenses, as they usually do, and read
like beams of 70 to 90 degrees (common practice, no source); other beams and areas are ours. Chains are held against
keepers' tables in test_trade.py.
"""

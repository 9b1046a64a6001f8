"""What a fixture gives for its watts, as a meter at the tank finds it: a chain from the socket to the water.

Photons by the joule of light follow from the spectrum; each further step says what share of the energy is left after
it. The makers' figure ends earlier in the chain: cold, at the best bin, and without lens and fan.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from corlume.core.optics.technology import TechnologyKey


@dataclass(frozen=True, slots=True)
class Step:
    """One step of a chain: what it is, the share of the energy that it leaves [-], where that comes from, and whether
    a maker's figure counts it.
    """

    words: str
    share: float
    source: str
    by_maker: bool = True


@dataclass(frozen=True, slots=True)
class Chain:
    """From the socket to the water.

    Parameters
    ----------
    photons : photons by the joule of light of such colours [umol/J].
    colours : which colours these are, in words.
    steps : in the order of the energy's way.
    """

    photons: float
    colours: str
    steps: tuple[Step, ...]

    @property
    def usual(self) -> float:
        """Photons in the water by the joule at the socket, as usually measured [umol/J]."""
        return self.photons * math.prod(step.share for step in self.steps)

    @property
    def by_maker(self) -> float:
        """The same as makers say [umol/J]."""
        return self.photons * math.prod(step.share for step in self.steps if step.by_maker)


_MEMORY = "from memory"
_OURS = "our estimate"
_LED = "blue LEDs turn 0.55 to 0.65 into light at their rated current and 25 °C [22], from memory"
_DRIVER = Step("Driver and its controller", 0.88, f"usual for 50 to 200 W, {_MEMORY}")
CHAINS: dict[TechnologyKey, Chain] = {
    "led_cluster": Chain(
        4.0,
        "blue and violet with some white, as reefs are lit",
        (
            Step("LEDs, all colours together", 0.54, _LED),
            _DRIVER,
            Step("Driven hard and hot", 0.78, "droop and heat at full level [22], from memory", by_maker=False),
            Step("Lenses and cover", 0.85, _OURS, by_maker=False),
            Step("Fan", 0.95, _OURS, by_maker=False),
        ),
    ),
    "led_bar": Chain(
        4.0,
        "blue and white",
        (
            Step("LEDs, all colours together", 0.54, _LED),
            _DRIVER,
            Step("Driven warm", 0.85, "droop and heat [22], from memory", by_maker=False),
            Step("Cover", 0.93, _OURS, by_maker=False),
        ),
    ),
    "t5_tube": Chain(
        3.9,
        "blue and white phosphors",
        (
            Step("Tube", 0.31, "1.1 to 1.2 µmol/J bare [9], from memory"),
            Step("Ballast", 0.92, _MEMORY),
            Step("Reflector and restrike", 0.82, _OURS, by_maker=False),
        ),
    ),
    "power_compact": Chain(
        4.3,
        "white and blue phosphors",
        (
            Step("Tube", 0.25, "less than T5, as it runs hot [9], from memory"),
            Step("Ballast", 0.90, _MEMORY),
            Step("Reflector and restrike", 0.72, _OURS, by_maker=False),
        ),
    ),
    "halide": Chain(
        4.0,
        "14,000 K",
        (
            Step("Lamp", 0.33, "1.3 to 1.46 µmol/J bare [9], from memory"),
            Step("Ballast", 0.90, _MEMORY),
            Step("Reflector and shield glass", 0.73, _OURS, by_maker=False),
        ),
    ),
}
"""By technology; LED clusters have lenses, as they usually do. Held against keepers' tables in tests/test_trade.py."""


def usual_efficacy(technology: TechnologyKey) -> float:
    """Photons in the water by the joule at the socket, as usually measured of a technology [umol/J]."""
    return CHAINS[technology].usual


def found_of_maker(technology: TechnologyKey) -> float:
    """What is usually measured of a technology, as a share of what makers say [-]."""
    return CHAINS[technology].usual / CHAINS[technology].by_maker

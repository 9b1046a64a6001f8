"""What a seat is worth to a coral, smooth inside its band and a little outside of it, and how far corals keep apart.

All common practice, no source, in numbers of our own: corals do best around the middle of their band and adapt to light
slightly outside of it; a step of flow off is taken by most, two by none; sweepers must not reach a neighbour's foot.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.coral import CoralCard
from corlume.core.judgement.placement import FLOW_STEP, sting

Array = NDArray[np.float64]
Growth = Literal["small", "half", "grown"]
GROWTHS: dict[Growth, tuple[str, float]] = {
    "small": ("as they are bought, to be moved later", 0.25),
    "half": ("half grown", 0.5),
    "grown": ("full grown", 1.0),
}
"""How much of their mature size corals get room for [-]."""
OUTSIDE = 0.1
"""How far outside its band light may lie that a coral adapts to, as a share of the band's own limit [-]; ours."""
FLOW_WORTH = (1.0, 0.75)
"""What a seat is worth with the flow that is wanted, and a step off it [-]; ours."""
FLOW_UNKNOWN = 0.9
"""What a seat is worth where no flow is noted [-]; ours."""
Ground = Literal["", "sand", "rock"]
"""What a kind wants under it; both will do for most."""
UNTIDY = 0.5
"""What a seat on the sand is worth for a kind of the rock: it can live there, but looks untidy and hinders cleaning
(common practice, no source; the number is ours) [-].
"""
CRAMPED = 0.7
"""What a seat is worth where a coral would meet a pane or the surface when it is full grown [-]; ours."""
PLACED = 1.0
"""What it is worth that a coral has a seat at all, beside how good it is: so one more goes before a better one."""


@dataclass(frozen=True)
class Seats:
    """Places where corals can sit: names (s,), points (s, 3) and room to panes and surface (s,) [m], PAR (s,)
    [umol/m2/s], flow (s,), empty where none is known, with its speed where it is
    estimated, else NaN (s,) [m/s], and whether it is the sand (s,).
    """

    names: tuple[str, ...]
    points: Array
    room: Array
    par: Array
    flow: tuple[str, ...]
    speed: Array
    sand: NDArray[np.bool_]


def light_worth(card: CoralCard, par: Array) -> Array:
    """Return what light is worth to a coral [-]: 1 in the middle of its band, 0.6 at its ends, less in the tenth
    outside where it adapts, and 0 beyond.
    """
    middle, half = 0.5 * (card.par_low + card.par_high), 0.5 * (card.par_high - card.par_low)
    taken = (par >= (1 - OUTSIDE) * card.par_low) & (par <= (1 + OUTSIDE) * card.par_high)
    found: Array = np.where(taken, np.exp(-0.5 * ((par - middle) / half) ** 2), 0.0)
    return found


def flow_worth(card: CoralCard, flow: str) -> float:
    """Return what flow is worth to a coral [-]."""
    if not flow:
        return FLOW_UNKNOWN
    steps = abs(FLOW_STEP[flow] - FLOW_STEP[card.flow])
    return FLOW_WORTH[steps] if steps < len(FLOW_WORTH) else 0.0


def seat_worth(card: CoralCard, seats: Seats, growth: Growth, ground: Ground = "") -> Array:
    """Return what seats (s,) are worth to a coral: 0 where it must not sit, else ``PLACED`` and up to 1 more.

    What wants the sand sits nowhere else; what wants rock sits on the sand when there is nothing better.
    """
    flows = np.array([flow_worth(card, flow) for flow in seats.flow])
    fits = seats.room >= 0.5 * GROWTHS[growth][1] * card.size
    later = np.where(seats.room >= 0.5 * card.size, 1.0, CRAMPED)
    under = {"": 1.0, "sand": 1.0 * seats.sand, "rock": np.where(seats.sand, UNTIDY, 1.0)}[ground]
    value = light_worth(card, seats.par) * flows * fits * later * under
    found: Array = np.where(value > 0, PLACED + value, 0.0)
    return found


def keep_apart(card: CoralCard, other: CoralCard, growth: Growth) -> float:
    """Return how far apart the feet of two corals stay [m]: out of reach of sweepers, and with room for both bodies;
    kin may touch.
    """
    if card.name == other.name:
        return 0.0
    bodies = 0.5 * GROWTHS[growth][1] * (card.size + other.size)
    return max(sting(card, other), bodies)

"""The worth of a spot to a coral, smooth inside its target range and a little beyond, and the distance between corals.

All common practice, no source, in numbers of our own: corals do best around the middle of their band and adapt to light
slightly outside of it; a step of flow off is taken by most, two by none; sweepers must not reach a neighbour's foot.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.placement.coral_card import CoralCard
from corlume.core.placement.suitability import ADAPTS, BLAST, CROWDED, FLOW_STEP, NPS_DIM, NPS_MOST, sting
from corlume.core.placement.surface_orientation import Sat

Array = NDArray[np.float64]
FLOW_WORTH = (1.0, 0.75)
"""What a seat is worth with the flow that is wanted, and a step off it [-]; ours."""
FLOW_UNKNOWN = 0.9
"""What a seat is worth where no flow is noted [-]; ours."""
SitsOn = Mapping[Sat, float]
"""What each sort of seat is worth to a kind, 0 where it does not sit [-]."""
CRAMPED = 0.7
"""What a seat is worth where a coral would meet a pane or the surface when it is full grown [-]; ours."""
PLACED = 1.0
"""What it is worth that a coral has a seat at all, beside how good it is: so one more goes before a better one."""


@dataclass(frozen=True)
class SpotTable:
    """Spots where corals can sit.

    Parameters
    ----------
    names : (s,) of what each is on; ``points`` (s, 3) where it is, ``room`` (s,) to panes and surface [m].
    par : (s,) as a coral there turns to the light, ``meter`` (s,) as a meter reads it [umol/m2/s].
    way : (s, 3) how a coral turns there, a unit vector, x right, y back and z up.
    flow : (s,) its word, empty where none is known; ``speed`` (s,) where it is estimated, else NaN [m/s].
    sat : (s,) the sort of seat, see ``Sat``.
    """

    names: tuple[str, ...]
    points: Array
    room: Array
    par: Array
    meter: Array
    way: Array
    flow: tuple[str, ...]
    speed: Array
    sat: NDArray[np.str_]


ANYWHERE: SitsOn = {"top": 1.0, "sand": 1.0}
"""For kinds of which nothing is known."""


def light_score(card: CoralCard, par: Array, *, food: bool = False) -> Array:
    """Return the worth of light to a coral [-]: 1 in the middle of its target range, 0.6 at its ends, less within a
    tenth outside, 0 beyond. Non-photosynthetic corals (``food``) do best in the dim.
    """
    if food:
        dim: Array = np.clip((NPS_MOST - par) / (NPS_MOST - NPS_DIM), 0.0, 1.0)
        return dim
    middle, half = 0.5 * (card.par_low + card.par_high), 0.5 * (card.par_high - card.par_low)
    taken = (par >= (1 - ADAPTS) * card.par_low) & (par <= (1 + ADAPTS) * card.par_high)
    found: Array = np.where(taken, np.exp(-0.5 * ((par - middle) / half) ** 2), 0.0)
    return found


def flow_score(card: CoralCard, flow: str) -> float:
    """Return the worth of flow to a coral [-]."""
    if not flow:
        return FLOW_UNKNOWN
    steps = abs(FLOW_STEP[flow] - FLOW_STEP[card.flow])
    return FLOW_WORTH[steps] if steps < len(FLOW_WORTH) else 0.0


def spot_score(card: CoralCard, seats: SpotTable, body: float, sits: SitsOn = ANYWHERE, *, food: bool = False) -> Array:
    """Return the worth of spots (s,) to a coral: 0 where it cannot sit, else ``PLACED`` and up to 1 more.

    There must be room for the ``body`` that it has by then [m]; what wants the sand sits nowhere else, and what wants
    rock sits on the sand when there is nothing better.
    """
    of_word = {word: flow_score(card, word) for word in set(seats.flow)}
    flows = np.array([of_word[word] for word in seats.flow]) * ~(seats.speed > BLAST[card.flow])
    fits = seats.room >= 0.5 * body
    later = np.where(seats.room >= 0.5 * card.size, 1.0, CRAMPED)
    under = np.array([sits.get(sat, 0.0) for sat in seats.sat.tolist()])
    value = light_score(card, seats.par, food=food) * flows * fits * later * under
    found: Array = np.where(value > 0, PLACED + value, 0.0)
    return found


def keep_apart(card: CoralCard, other: CoralCard, body: float, other_body: float) -> float:
    """Return the distance between the feet of two corals [m] at which sweeper tentacles reach neither and neither grows
    over the other.
    """
    return max(sting(card, other), 0.5 * (body + other_body), 0.5 * CROWDED * (card.size + other.size))

"""The turbulent free jet by its momentum: how the jet of an outlet slows down and widens.

Reichardt's rule (1942, from memory): the mean flux of momentum spreads like heat, as a bell curve whose width grows
with the distance, so that momentum is kept, and that of several streams adds up. With the width of the published round
jet (half-width of the speed 0.098 of the distance) the speed on its axis falls as 6.0 diameters over the distance, as
measured (Hussein, Capp and George 1994: 5.9 and 0.094 to 0.102; Panchapakesan and Lumley 1993: 6.06 and 0.096), and
with that of the plane jet (0.11) as 2.46 times the root of slot height over distance (Rajaratnam 1976: about 2.5). All
from memory.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
ROUND_SPREAD, PLANE_SPREAD = 0.098, 0.11
"""Half-width of the speed over the distance from the outlet [-]."""
ENTRAINED = 0.32
"""Water that a round jet has taken along, over its own, by distance in diameters (Ricou and Spalding 1961, from memory)
[-].
"""


@dataclass(frozen=True, slots=True)
class Jet:
    """Jet from an outlet.

    Parameters
    ----------
    at : (3,) middle of the outlet; ``ahead`` (3,) unit vector along the stream, ``side`` (3,) along a slot.
    speed : in the outlet [m/s]; ``area`` of the outlet [m2].
    slot : length of a slot [m], 0 for a round outlet.
    """

    at: Array
    ahead: Array
    side: Array
    speed: float
    area: float
    slot: float = 0.0

    @property
    def momentum(self) -> float:
        """Momentum flux over density [m4/s2], the same across every plane ahead."""
        return self.speed**2 * self.area

    @property
    def across(self) -> float:
        """Diameter of a round outlet, or height of a slot [m]."""
        return self.area / self.slot if self.slot else 2 * math.sqrt(self.area / math.pi)

    def square(self, points: Array) -> Array:
        """Return the squared mean speed (n,) at points (n, 3) [m2/s2]; 0 behind the outlet."""
        from scipy.special import ndtr

        steps = points - self.at
        along, sideways = steps @ self.ahead, steps @ self.side
        over = steps @ np.cross(self.ahead, self.side)
        spread = PLANE_SPREAD if self.slot else ROUND_SPREAD
        grown = spread * np.maximum(along, 0.0) / math.sqrt(4 * math.log(2))
        # so wide at the outlet that the speed on the axis begins as that of the outlet
        first = self.area / self.slot / math.sqrt(2 * math.pi) if self.slot else math.sqrt(self.area / (2 * math.pi))
        width = np.sqrt(grown**2 + first**2)
        bell = np.exp(-0.5 * (over / width) ** 2) / (math.sqrt(2 * math.pi) * width)
        if self.slot:
            half = 0.5 * self.slot
            # the ends of a slot begin sharp
            soft = np.maximum(grown, 1e-4)
            across = (ndtr((sideways + half) / soft) - ndtr((sideways - half) / soft)) / self.slot
        else:
            across = np.exp(-0.5 * (sideways / width) ** 2) / (math.sqrt(2 * math.pi) * width)
        found: Array = np.where(along > 0, self.momentum * bell * across, 0.0)
        return found

    def carried(self, distance: float) -> float:
        """Volume flux of the jet at a distance, entrained water included [m3/s]; never less than its own."""
        diameter = 2 * math.sqrt(self.area / math.pi)
        return self.speed * self.area * max(1.0, ENTRAINED * distance / diameter)

"""Growth of corals: their size month by month, and the bodies that shade what lies below them.

Diameters grow evenly by the growth a year of the type, up to the mature size, and heights in proportion. How high the
shading part of a body lies, and how much light it lets pass, goes by its form; these are our estimates, and so is the
spread of ``PACES``. Light does not change the pace of growth here.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.geometry import Colony
from corlume.core.placement.coral_card import CoralCard
from corlume.core.placement.coral_type import Form

Array = NDArray[np.float64]
AS_BOUGHT = 0.25
"""How large a coral is as it is bought, as a share of its mature size [-]; ours."""
USUAL_GROWTH = 0.03
"""Growth across a year of kinds of which it is not known [m]; ours."""
Pace = Literal["slow", "usual", "fast"]
PACES: dict[Pace, float] = {"usual": 1.0, "slow": 0.6, "fast": 1.5}
"""How fast corals grow, against the growth of their type [-]; the spread is our estimate."""
LEAST_DEPTH = 0.01
"""So near to the water line corals grow, and no further [m]; ours."""


def body_after(card: CoralCard, months: float, growth: float = USUAL_GROWTH, start: float | None = None) -> float:
    """Return the diameter of a coral so many months after it came [m], at its growth a year [m]: from ``start``, or
    from a usual size as bought, up to its mature size.
    """
    first = AS_BOUGHT * card.size if start is None else start
    return max(first, min(card.size, first + growth * months / 12))


class Body(NamedTuple):
    """How the body of a form shades: at what share of its height, and what share of light it lets pass [-]; and the
    share of a stream's momentum that it takes [-].
    """

    rise: float
    passes: float
    blocks: float


BODIES: dict[Form, Body] = {
    "plate": Body(1.0, 0.0, 0.6),
    "branch": Body(0.8, 0.5, 0.4),
    "mound": Body(0.5, 0.0, 0.7),
    "crust": Body(0.0, 0.0, 0.1),
    "mat": Body(0.0, 0.0, 0.2),
    "free": Body(0.5, 0.0, 0.5),
}
"""Our estimates."""


@dataclass(frozen=True)
class GrowingCorals:
    """Placed corals as they grow, of n corals each.

    Parameters
    ----------
    feet : (n, 3) places [m]; ``ways`` (n, 3) unit vectors of how they turn, x right, y back and z up.
    now, most : (n,) diameter today and when mature [m]; ``growth`` (n,) across a year [m].
    slender : (n,) height over diameter [-].
    bodies : (n, 3) ``Body`` of each.
    """

    feet: Array
    ways: Array
    now: Array
    most: Array
    growth: Array
    slender: Array
    bodies: Array

    def across(self, months: float) -> Array:
        """Diameters (n,) after so many months at the usual pace [m]."""
        grown: Array = np.maximum(self.now, np.minimum(self.most, self.now + self.growth * months / 12))
        return grown

    def heights(self, months: float) -> Array:
        """Heights (n,) after so many months, no higher than the water [m]."""
        heights: Array = np.minimum(self.slender * self.across(months), np.maximum(0.0, self.feet[:, 2] - LEAST_DEPTH))
        return heights

    def tops(self, months: float) -> Array:
        """Where they are lit (n, 3): today at the foot, as everywhere in Corlume, then as much further as they grew."""
        grown = self.heights(months) - self.heights(0.0)
        tops = self.feet + grown[:, None] * self.ways * np.array([1.0, 1.0, -1.0])
        tops[:, 2] = np.maximum(tops[:, 2], np.minimum(LEAST_DEPTH, self.feet[:, 2]))
        return np.asarray(tops)

    def discs(self, months: float) -> tuple[Colony, ...]:
        """Their bodies as discs that shade: today at the foot, as the light is, then as much higher as they grew."""
        depths = self.feet[:, 2] - self.bodies[:, 0] * (self.heights(months) - self.heights(0.0))
        rows = np.column_stack([self.feet[:, :2], depths, 0.5 * self.across(months), self.bodies[:, 1]])
        return tuple(Colony(*row) for row in rows.tolist())

    def mature_after(self) -> float:
        """Months until the last of them is mature at the usual pace; those that do not grow count as mature."""
        left = np.where(self.growth > 0, (self.most - self.now) / np.maximum(self.growth, 1e-9), 0.0)
        return float(12 * left.max(initial=0.0))

    def trimmed(self, which: Sequence[int]) -> GrowingCorals:
        """The same with some of them kept at the size that they have today."""
        growth = self.growth.copy()
        growth[list(which)] = 0.0
        return replace(self, growth=growth)

    def moved(self, index: int, foot: Array, way: Array) -> GrowingCorals:
        """The same with one of them at another place."""
        feet, ways = self.feet.copy(), self.ways.copy()
        feet[index], ways[index] = foot, way
        return replace(self, feet=feet, ways=ways)


def meeting_month(gap: float, one: Sequence[float], other: Sequence[float], reach: float) -> int | None:
    """The first month in which two corals meet: the sum of their radii and the ``reach`` of sweeper tentacles is more
    than the distance ``gap`` of their feet [m]; None where they do not in the months given.

    ``one`` and ``other`` are their diameters month by month [m].
    """
    meets = np.flatnonzero(0.5 * (np.asarray(one) + np.asarray(other)) + reach > gap)
    return int(meets[0]) if len(meets) else None

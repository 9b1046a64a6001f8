"""Steps that are round in the keeper's unit: how far remedies move things, and to what the search rounds places."""

from __future__ import annotations

from dataclasses import dataclass

from corlume.core.units import CM, INCH
from corlume.formats.measure import LengthUnit


@dataclass(frozen=True, slots=True)
class RoundSteps:
    """``lift`` and ``aside`` of a remedy, the ``grain`` of places and heights, the ``snap`` of a hand that drags, and
    the depths of the table by rings [m].
    """

    lift: float
    aside: float
    grain: float
    snap: float
    rings: tuple[float, ...]


STEPS: dict[LengthUnit, RoundSteps] = {
    "cm": RoundSteps(8 * CM, 6 * CM, 0.5 * CM, 1 * CM, (15 * CM, 30 * CM, 45 * CM)),
    "in": RoundSteps(3 * INCH, 2.5 * INCH, 0.5 * INCH, 0.5 * INCH, (6 * INCH, 12 * INCH, 18 * INCH)),
}

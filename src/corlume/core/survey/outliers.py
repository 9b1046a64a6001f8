"""Why a reading may be an outlier, from what is near it in the model, in words that a keeper can act on."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from corlume.core.survey.survey_record import MeasuringPoint, Survey

Array = NDArray[np.float64]
LUX = (25.0, 130.0)
"""A reading that is so many times what the model says is likely one in lux [-]."""
LUX_BY_PAR = 55.0
"""Lux of one umol/m2/s of sunlight, 54 to 55.4 by spectra [8]; of blue-rich LEDs it may be 30 to 60 [lux m2 s/umol]."""
BY_HAND = 0.03
"""How far off a hand may hold a probe [m]."""
NEAR = 0.08
"""A reading is like another place's when it is within so much of what the model says there [-]."""

OFF_BY = 0.06
"""A reading is like one without a fixture when it is within so much of that, as a share of all light [-]."""


def outlier_reason(
    survey: Survey,
    spot: MeasuringPoint,
    off: float,
    slope: Array,
    fluctuation: float,
    others: list[tuple[MeasuringPoint, float]],
    shares: list[tuple[str, float]],
) -> list[str]:
    """Likely reason for an outlier.

    Parameters
    ----------
    off : logarithm of the reading over the corrected model.
    slope : gradient of the logarithm of PAR there (3,) [1/m].
    fluctuation : of the light there with the surface rippled [-].
    others : spots next to it in the walk, with the logarithm of this reading over what the model says there.
    shares : of each fixture in the light there, by its name [-].
    """
    found = []
    if LUX[0] <= math.exp(off) <= LUX[1]:
        found.append(
            f"it is {math.exp(off):.0f} times what the model says: lux and not PAR? "
            f"Divided by {LUX_BY_PAR:.0f}, as of sunlight, it would be {(spot.median or 0) / LUX_BY_PAR:.0f}."
        )
    steep = float(np.abs(slope).max()) * BY_HAND
    if steep > 0.5 * abs(off):
        change = 100 * (math.exp(steep) - 1)
        found.append(f"light changes by {change:.0f} % within 3 cm here: the edge of a shadow or of a beam.")
    like = [other.name for other, left in others if abs(left) < NEAR]
    if like and abs(off) > 3 * NEAR:
        found.append(f"it would fit {' or '.join(like[:2])}: taken at another spot?")
    dark = [name for name, share in shares if abs(math.exp(off) - (1 - share)) < OFF_BY and share > 2 * OFF_BY]
    if dark:
        found.append(f"it would fit with {' or '.join(dark[:2])} off: dimmed, or shaded by an arm, just then?")
    if not spot.upright and -0.5 < off < 0:
        found.append("the probe was held by hand: tilted 30 degrees away from the light it reads 13 % less or more.")
    if (spot.pumps or survey.pumps) == "on" and fluctuation * 0.5 > abs(off):
        jump = 100 * fluctuation
        found.append(f"the surface is rippled, and light here jumps by {jump:.0f} %: read it several times.")
    if spot.spread > 0.15:
        found.append(f"its readings differ by {100 * spot.spread:.0f} % among themselves.")
    return found or ["the model does not explain it: read it again, or add what is there."]

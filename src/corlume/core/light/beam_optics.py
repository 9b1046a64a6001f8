"""Lenses over LEDs, and reflectors over tubes and arcs: their beam angle, and what a change of them does.

Widths of reflectors and what they send down are round figures of our own; a bare lamp sends half of its light up.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

from corlume.core.light.emitter import Emitter
from corlume.core.light.lens import LENSES, Lens, lens_on
from corlume.core.light.lobe import width_at_half
from corlume.core.units import DEGREE

TUBE_REFLECTORS: dict[str, Lens] = {
    "each": Lens("a polished reflector on each tube", 115 * DEGREE, 0.85),
    "shared": Lens("one flat white reflector for all", 130 * DEGREE, 0.65),
    "bare": Lens("no reflector", 155 * DEGREE, 0.5),
}
ARC_REFLECTORS: dict[str, Lens] = {
    "wide": Lens("a large spread reflector", 120 * DEGREE, 0.8),
    "deep": Lens("a deep pendant reflector", 80 * DEGREE, 0.75),
    "bare": Lens("no reflector", 155 * DEGREE, 0.5),
}
LED_POWER = 3.0
"""Power of one LED under a lens, from which lenses are counted [W]; ours."""
SPARES = 2 / 55
"""Lenses to spare, as they scratch and clips break: two for the 55 of a 165 W fixture (common practice, no source)."""


def optics_for(emitter: Emitter) -> Mapping[str, Lens]:
    """Return the lenses or reflectors that fit an emitter, by key."""
    if emitter.made_by.lensed:
        return {str(key): lens for key, lens in LENSES.items()}
    return ARC_REFLECTORS if emitter.made_by.arc else TUBE_REFLECTORS


def optic_on(emitter: Emitter) -> str:
    """Return the key of the lens or reflector on an emitter, taken to be the one nearest in beam angle."""
    offered = optics_for(emitter)
    if emitter.made_by.lensed:
        now = lens_on(emitter)
        return next(key for key, lens in offered.items() if lens == now)
    width = width_at_half(emitter.shape())
    return min(offered, key=lambda key: abs(offered[key].fwhm - width))


def with_optic(emitter: Emitter, key: str) -> Emitter:
    """Return an emitter with another lens or reflector, its beam angle and its transmittance. ``KeyError`` for one that
    does not fit.
    """
    offered = optics_for(emitter)
    front, now = offered[key], offered[optic_on(emitter)]
    return replace(emitter, fwhm=front.fwhm, lobe=None, ppf=emitter.ppf * front.passes / now.passes)


def pieces(emitter: Emitter, key: str, watts: float) -> tuple[int, int]:
    """Count the pieces that a change of lens or reflector takes for one fixture, with spares when it is the only one.

    Lenses are one over each LED of ``LED_POWER``; a diffuser or a reflector is one. Taking off needs none.
    """
    if key in ("none", "bare"):
        return 0, 0
    if emitter.made_by.lensed and key != "diffuser":
        count = max(1, round(watts / LED_POWER))
        return count, spares(count)
    return 1, 0


def spares(count: int) -> int:
    """Return how many lenses to buy over a count."""
    return max(2, math.ceil(SPARES * count - 1e-9))

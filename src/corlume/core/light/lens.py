"""Lenses over LEDs: their beam angle and their transmittance.

Widths are those that keepers see, not those on the box: what is sold as 120 degrees is hardly wider than 90, and none
at all is clearly the widest (common practice, no source). What a lens lets through is our own round figure.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from corlume.core.light.emitter import Emitter
from corlume.core.light.lobe import width_at_half
from corlume.core.units import DEGREE

LensKey = Literal["60", "80", "90", "120", "none", "diffuser"]


@dataclass(frozen=True, slots=True)
class Lens:
    """A lens: its words, its effective full width at half maximum [rad], and its transmittance [-]."""

    words: str
    fwhm: float
    passes: float


LENSES: dict[LensKey, Lens] = {
    "60": Lens("60 degree lenses", 60 * DEGREE, 0.90),
    "80": Lens("80 degree lenses", 80 * DEGREE, 0.91),
    "90": Lens("90 degree lenses", 90 * DEGREE, 0.92),
    "120": Lens("120 degree lenses", 98 * DEGREE, 0.93),
    "none": Lens("no lenses", 120 * DEGREE, 1.0),
    "diffuser": Lens("a diffuser", 150 * DEGREE, 0.80),
}
BARE = 115 * DEGREE
"""Width from which a face is taken to have no lenses [rad]."""


def lens_on(emitter: Emitter) -> Lens:
    """The lens on an emitter, taken to be the one nearest in beam angle."""
    width = width_at_half(emitter.shape())
    if width >= BARE:
        return min((LENSES["none"], LENSES["diffuser"]), key=lambda lens: abs(lens.fwhm - width))
    return min(LENSES.values(), key=lambda lens: abs(lens.fwhm - width) if lens.fwhm < BARE else 9.0)

"""A set of lamps for several sockets: every possible set is tried, a few hundred at most."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations_with_replacement
from typing import Literal

import numpy as np

from corlume.core.errors import Rules
from corlume.core.light.colour_blend import broad_mix
from corlume.core.light.socket import Lamp

LampWish = Literal["growth", "pop", "crisp"]


@dataclass(frozen=True, slots=True)
class ColourWish:
    """A colour preference: shares of the photons in violet, blue, green and red [-], and the weight of a tenth more PAR
    against a tenth of the photons of another colour [-].
    """

    words: str
    mix: tuple[float, float, float, float]
    flux: float


LAMP_WISHES: dict[LampWish, ColourWish] = {
    "growth": ColourWish("growth: most PAR, blue enough", (0.12, 0.42, 0.26, 0.20), 1.0),
    "pop": ColourWish("colours that glow: violet and blue", (0.35, 0.45, 0.12, 0.08), 0.15),
    "crisp": ColourWish("crisp white", (0.08, 0.34, 0.32, 0.26), 0.4),
}
"""Mixes are our own reading of what keepers call so."""
MOST_SOCKETS = 12


def choose_lamps(lamps: Sequence[Lamp], sockets: int, wish: LampWish) -> tuple[Lamp, ...]:
    """The set of lamps, one for each socket, that comes nearest to a preference; equal lamps stand apart.

    Notes
    -----
    Least of half the sum of differences of the mix from the wish's, less ``flux`` times the PAR gained over the usual
    lamp. Ties go to the earlier lamps. ``InvalidInput`` by the field "sockets" for none, or too many.
    """
    rules = Rules()
    rules.that(bool(lamps), "sockets", "take no other lamps")
    rules.between("sockets", sockets, 1, MOST_SOCKETS)
    rules.finish()
    wanted, mixes = LAMP_WISHES[wish], np.array([broad_mix(lamp.spectrum) for lamp in lamps])
    flux = np.array([lamp.flux for lamp in lamps])

    def miss(chosen: tuple[int, ...]) -> float:
        given = flux[list(chosen)]
        mix = given @ mixes[list(chosen)] / given.sum()
        return float(0.5 * np.abs(mix - wanted.mix).sum() - wanted.flux * (given.mean() - 1.0))

    best = min(combinations_with_replacement(range(len(lamps)), sockets), key=miss)
    # every second socket first, so that the same lamps are not all on one side
    order = [*range(0, sockets, 2), *range(1, sockets, 2)]
    placed: list[Lamp] = [lamps[0]] * sockets
    for at, index in zip(order, best, strict=True):
        placed[at] = lamps[index]
    return tuple(placed)

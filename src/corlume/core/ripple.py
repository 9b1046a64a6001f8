"""Ripples: how much the light at a place flickers, by the size of what gives it.

A rippled surface works as a field of weak lenses. A small lamp throws sharp moving lines through them; a long
tube throws so many, one beside the other, that they wash out.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from corlume.core.emitter import Emitter

Array = NDArray[np.float64]
RIPPLE_LENGTH = 0.06
"""Length of the ripples that pumps make, from crest to crest [m]: our own estimate."""
_DIRECTIONS = (np.arange(16) + 0.5) / 16 * math.pi


def flicker(emitter: Emitter, depth: Array, *, slope: float, index: float, length: float = RIPPLE_LENGTH) -> Array:
    """Standard deviation over mean of the light of one lamp at depths, pumps on [-].

    Parameters
    ----------
    depth : any shape [m].
    slope : root mean square slope of the surface, both axes together [-].
    index : refractive index of the water [-].
    length : of the ripples from crest to crest [m].

    Notes
    -----
    First-order lens effect of an even mix of waves of one length from all directions: curvature k times slope,
    times depth (1 - 1/n) / M, with M = 1 + d / (n h) for the beam that widens from height h; averaged over the
    lamp's face, whose image on the surface is d / (n h + d) of its size; levelled off towards 1 by
    S / sqrt(1 + S^2), as bright lines cannot be brighter than their neighbours are dark for long. A measure of
    our own, to compare by; checked in its first order against traced rays.
    """
    d = np.asarray(depth, dtype=np.float64)
    k = 2 * math.pi / length
    spread = index * emitter.height
    lens = k * slope * d * (1 - 1 / index) * spread / (spread + d)
    image = d / (spread + d)
    long, short, _ = emitter.axes()
    waves = np.stack((np.cos(_DIRECTIONS), np.sin(_DIRECTIONS))) / length
    along, across = emitter.length * (long[:2] @ waves), emitter.width * (short[:2] @ waves)
    washed = np.mean((np.sinc(image[..., None] * along) * np.sinc(image[..., None] * across)) ** 2, axis=-1)
    first = lens * np.sqrt(washed)
    result: Array = first / np.sqrt(1 + first * first)
    return result

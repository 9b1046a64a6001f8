"""Shimmer: fluctuation of the light at a place under a rippled surface, by the size of the source.

A rippled surface works as a field of weak lenses. A small lamp throws sharp moving lines through them; a long
tube throws so many, one beside the other, that they wash out.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.emitter import Emitter

Array = NDArray[np.float64]
RIPPLE_LENGTHS = (0.035, 0.045, 0.06, 0.08, 0.105)
"""Lengths of the ripples that pumps make, from crest to crest, each with an even part of the slope [m]: our own
estimate."""
_DIRECTIONS = (np.arange(16) + 0.5) / 16 * math.pi


def fluctuation(
    emitter: Emitter, depth: Array, *, slope: float, index: float, lengths: tuple[float, ...] = RIPPLE_LENGTHS
) -> Array:
    """Standard deviation over mean of the light of one lamp at depths, pumps on [-].

    Parameters
    ----------
    depth : any shape [m].
    slope : root mean square slope of the surface, both axes together [-].
    index : refractive index of the water [-].
    lengths : of the ripples from crest to crest [m].

    Notes
    -----
    First-order lens effect of waves from all directions: curvature k times slope, times depth (1 - 1/n) / M, with
    M = 1 + d / (n h) for the beam that widens from height h; averaged over the lamp's face, whose image on the
    surface is d / (n h + d) of its size; levelled off towards 1 by S / sqrt(1 + S^2), as bright lines cannot be
    brighter than their neighbours are dark for long. A measure of our own, to compare by; its first order is
    checked against traced rays.
    """
    d = np.asarray(depth, dtype=np.float64)
    spread = index * emitter.height
    lens = slope * d * (1 - 1 / index) * spread / (spread + d)
    image = (d / (spread + d))[..., None]
    long, short, _ = emitter.axes()
    k = 2 * math.pi / np.array(lengths)
    # every length with every direction, cycles by the metre
    waves = (np.stack((np.cos(_DIRECTIONS), np.sin(_DIRECTIONS)))[:, None, :] / np.array(lengths)[:, None]).reshape(
        2, -1
    )
    washed = np.sinc(image * (emitter.length * (long[:2] @ waves))) * np.sinc(
        image * (emitter.width * (short[:2] @ waves))
    )
    if arc := emitter.made_by.arc:
        washed = arc.share * np.sinc(image * arc.size * np.hypot(*waves)) + (1 - arc.share) * washed
    first = lens * np.sqrt(np.mean((np.repeat(k, len(_DIRECTIONS)) * washed) ** 2, axis=-1))
    result: Array = first / np.sqrt(1 + first * first)
    return result

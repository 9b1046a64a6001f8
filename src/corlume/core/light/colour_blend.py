"""Colour blend: how far the light's mix of colours varies from place to place."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.spectrum import WAVELENGTHS, Spectrum, photon_shares

Array = NDArray[np.float64]
EDGES = (430.0, 490.0, 580.0)
"""Violet, blue, green and red of a mix end here [nm]; ours."""


def broad_mix(spectrum: Spectrum | None) -> Array:
    """Shares (4,) of the photons in violet, blue, green and red [-]."""
    shares, band = photon_shares(spectrum), np.searchsorted(EDGES, WAVELENGTHS, side="right")
    return np.bincount(band, weights=shares, minlength=len(EDGES) + 1).astype(np.float64)


def mix_variation(light: Array, mixes: Array) -> float:
    """Variation of the mix of colours over some places, as a share of the photons [-].

    Parameters
    ----------
    light : (n, k) PAR that each source brings to each place [umol/m2/s]; places without any are left out.
    mixes : (n, 4) of each source, see ``broad_mix``.

    Returns
    -------
    Root mean square over places of half the sum of differences from the mean mix: 0 where all places have one colour,
    0.1 where a tenth of the photons would have to be of another colour. NaN in the dark. A measure of our own.
    """
    total = light.sum(axis=0)
    lit = total > 0
    if not lit.any():
        return float("nan")
    at_place = (light[:, lit] / total[lit]).T @ mixes
    mean = at_place.mean(axis=0)
    off = 0.5 * np.abs(at_place - mean).sum(axis=1)
    return float(np.sqrt((off**2).mean()))

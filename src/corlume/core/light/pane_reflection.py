"""Reflectance of a vertical pane, tabulated over the angle of incidence."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.geometry import Pane

GLASS_INDEX = 1.52
TABLE_SIZE = 2048


def slab_return(
    cos_in: NDArray[np.float64], water_index: float, *, glass_index: float = GLASS_INDEX
) -> NDArray[np.float64]:
    """Reflectance of a clean pane between water and air [-], incoherent sum of its inner reflections.

    Parameters
    ----------
    cos_in : cosine of the angle from the pane's normal, in water, any shape [-].
    water_index : refractive index of the water [-].

    Notes
    -----
    Per polarisation R = R1 + (1 - R1)^2 R2 / (1 - R1 R2), then the mean of both; total past
    the water-to-air critical angle, whatever the glass. Checked against the package tmm.
    """
    sin2 = 1.0 - np.clip(cos_in, 0.0, 1.0) ** 2
    cos_glass = np.sqrt(np.maximum(0.0, 1.0 - sin2 * (water_index / glass_index) ** 2))
    sin2_air = sin2 * water_index**2
    total = sin2_air >= 1.0
    cos_air = np.sqrt(np.where(total, 0.0, 1.0 - sin2_air))
    result = np.zeros_like(sin2)
    for p_polarised in (False, True):
        first = _boundary(cos_in, cos_glass, water_index, glass_index, p_polarised)
        second = _boundary(cos_glass, cos_air, glass_index, 1.0, p_polarised)
        result += 0.5 * (first + (1 - first) ** 2 * second / (1 - first * second + 1e-15))
    return np.where(total, 1.0, result)


def _boundary(
    cos_in: NDArray[np.float64], cos_out: NDArray[np.float64], n_in: float, n_out: float, p_polarised: bool
) -> NDArray[np.float64]:
    a, b = (n_out * cos_in, n_in * cos_out) if p_polarised else (n_in * cos_in, n_out * cos_out)
    return ((a - b) / (a + b + 1e-15)) ** 2


def return_table(pane: Pane, water_index: float) -> NDArray[np.float64]:
    """Tabulate a pane's reflectance over the cosine of incidence from 0 to 1 in ``TABLE_SIZE`` even steps [-]."""
    if pane.kind == "plain":
        return np.full(TABLE_SIZE, pane.factor)
    return pane.factor * slab_return(np.linspace(0.0, 1.0, TABLE_SIZE), water_index)

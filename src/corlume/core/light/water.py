"""Water: refractive index, absorption by wavelength, and ripples of the surface."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.spectrum import WAVELENGTHS, Spectrum, photon_shares
from corlume.core.schema import Choice, Number, limits

Array = NDArray[np.float64]
WaterKind = Literal["sea", "plain"]
WATER_KINDS: dict[WaterKind, str] = {"sea": "By wavelength", "plain": "Two plain numbers"}

PURE_NODES = np.arange(400.0, 701.0, 10.0)
PURE_ABSORPTION = np.array((
    .00663, .00473, .00454, .00495, .00635, .00922, .00979, .0106, .0127, .0150, .0204, .0325, .0409, .0434, .0474,
    .0565, .0619, .0695, .0896, .1351, .2224, .2644, .2755, .2916, .3108, .340, .410, .439, .465, .516, .624,
))  # fmt: skip
"""Absorption of pure water [1/m] at ``PURE_NODES`` [nm]: Pope and Fry 1997 [2], from memory."""
CDOM_SLOPE = 0.014
"""How fast absorption by CDOM falls off with wavelength [1/nm]: Bricaud and others 1981 [3], from memory."""
FADE_STEPS = 256


@dataclass(frozen=True, slots=True)
class Water:
    """Water of a tank.

    Parameters
    ----------
    kind : "sea" works out index and absorption from what follows; "plain" takes ``attenuation`` and ``index``
        as they stand, the same for every wavelength.
    temperature : 0..40 [degC].
    salinity : 0..45 [psu], near enough to parts per thousand.
    cdom_absorption : of coloured dissolved organic matter at 440 nm [1/m]; 0 in polished water, about 0.05 with carbon
        in use, 0.3 and more in old tea-coloured water. Our own estimates.
    attenuation : plain loss of PAR [1/m].
    index : plain refractive index [-].
    ripple : root mean square slope of the surface, both axes together [-]; 0 with pumps off, about 0.1 in use.
    """

    kind: Annotated[WaterKind, Choice("Index and loss", WATER_KINDS, column="water_kind")] = "sea"
    temperature: Annotated[float, Number("Temperature", 0.0, 40.0, "temperature")] = 25.0
    salinity: Annotated[float, Number("Salinity", 0.0, 45.0, "salinity", about="near parts per thousand")] = 35.0
    cdom_absorption: Annotated[
        float,
        Number(
            "CDOM absorption",
            0.0,
            5.0,
            "attenuation",
            about="yellow matter at 440 nm: polished 0, carbon 0.05, old 0.3",
            formerly=("yellowing_per_m",),
            column="yellowing",
        ),
    ] = 0.05
    attenuation: Annotated[
        float, Number("Attenuation", 0.0, 5.0, "attenuation", about="0.06 is clear aquarium water")
    ] = 0.06
    index: Annotated[
        float,
        Number(
            "Refractive index", 1.0, 1.5, about="sea water 1.34", file="refractive_index", column="refractive_index"
        ),
    ] = 1.34
    ripple: Annotated[
        float,
        Number("Slope of ripples", 0.0, 0.4, file="ripple_slope", about="root mean square; 0 with pumps off"),
    ] = 0.0

    def __post_init__(self) -> None:
        limits(self).finish()

    @property
    def loss(self) -> float:
        """The adjustable loss: absorption by CDOM at 440 nm, or plain attenuation [1/m]."""
        return self.attenuation if self.kind == "plain" else self.cdom_absorption

    def losing(self, loss: float) -> Water:
        """The water with another ``loss``."""
        return replace(self, attenuation=loss) if self.kind == "plain" else replace(self, cdom_absorption=loss)

    def index_at(self, wavelength: float = 550.0) -> float:
        """Refractive index relative to air at a wavelength [nm]."""
        if self.kind == "plain":
            return self.index
        return sea_index(wavelength, salinity=self.salinity, temperature=self.temperature)

    def absorption(self) -> Array:
        """Loss (301,) at ``WAVELENGTHS`` [1/m]."""
        if self.kind == "plain":
            return np.full_like(WAVELENGTHS, self.attenuation)
        cdom = self.cdom_absorption * np.exp(-CDOM_SLOPE * (WAVELENGTHS - 440.0))
        found: Array = np.interp(WAVELENGTHS, PURE_NODES, PURE_ABSORPTION) + cdom
        return found

    def kept(self, spectrum: Spectrum | None, path: float) -> float:
        """Share of a spectrum's photons left after a path [m]."""
        return float(photon_shares(spectrum) @ np.exp(-path * self.absorption()))


def sea_index(wavelength: float, *, salinity: float, temperature: float) -> float:
    """Refractive index of seawater relative to air.

    Quan and Fry 1995 [1], eq. 3, from memory; fitted for 400-700 nm, 0-30 degC, 0-35 psu.

    Parameters
    ----------
    wavelength [nm], salinity [psu], temperature [degC].
    """
    t, s, w = temperature, salinity, wavelength
    return (
        1.31405
        + (1.779e-4 - 1.05e-6 * t + 1.6e-8 * t * t) * s
        - 2.02e-6 * t * t
        + (15.868 + 0.01155 * s - 0.00423 * t) / w
        - 4382 / w**2
        + 1.1455e6 / w**3
    )


@lru_cache(maxsize=256)
def attenuation_table(water: Water, spectrum: Spectrum | None, longest: float) -> Array:
    """Share of a spectrum's photons left along a path, (``FADE_STEPS``,) from nothing to ``longest`` [m] in even steps.

    Longer paths lose less by the metre, as what is absorbed most is gone first.
    """
    paths = np.linspace(0.0, longest, FADE_STEPS)
    found: Array = np.exp(-np.outer(paths, water.absorption())) @ photon_shares(spectrum)
    return found

"""Spectra: radiant power over wavelength, and the photons, lumens and usable light of it.

Wavelengths are in nanometres throughout, as in every table of the trade: the one departure from SI in the core.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules

Array = NDArray[np.float64]
PAR_LOW, PAR_HIGH = 400.0, 700.0
WAVELENGTHS: Array = np.linspace(PAR_LOW, PAR_HIGH, 301)
"""Nodes of every integral over photosynthetically active radiation, 1 nm apart [nm]."""
MOLAR_PLANCK = 0.119626565
"""h c N_A: energy of a mole of photons times their wavelength [J m/mol]; from the SI's defining constants."""
LUMENS_PER_WATT = 683.002
_SIGMA = 1.0 / (2.0 * math.sqrt(2.0 * math.log(2.0)))


@dataclass(frozen=True, slots=True)
class BandSpectrum:
    """A spectrum of one or more bell-shaped bands.

    ``parts`` holds for each band its share of the radiant power [-], its peak [nm] and its full width at half
    maximum [nm]; shares need not add up to 1.
    """

    parts: tuple[tuple[float, float, float], ...]

    def __post_init__(self) -> None:
        rules = Rules()
        rules.that(0 < len(self.parts) <= 24, "spectrum", "must have one to twenty-four bands")
        for share, peak, width in self.parts:
            rules.that(share > 0 and math.isfinite(share), "spectrum", "must give every band a share above nothing")
            rules.between("peak", peak, PAR_LOW, PAR_HIGH, "wavelength")
            rules.between("width", width, 1.0, 250.0, "wavelength")
        rules.finish()

    def power(self, wavelengths: Array) -> Array:
        """Radiant power per nanometre at wavelengths [nm], relative."""
        total = np.zeros_like(wavelengths)
        for share, peak, width in self.parts:
            sigma = width * _SIGMA
            total += share / sigma * np.exp(-0.5 * ((wavelengths - peak) / sigma) ** 2)
        return total


@dataclass(frozen=True, slots=True)
class TableSpectrum:
    """A measured spectrum: relative radiant power per nanometre at rising wavelengths [nm]; nothing outside them."""

    wavelengths: tuple[float, ...]
    values: tuple[float, ...] = field(repr=False)

    def __post_init__(self) -> None:
        rules = Rules()
        count = len(self.wavelengths)
        rules.that(2 <= count <= 4000, "wavelengths", "must be two to four thousand")
        rules.that(count == len(self.values), "values", "must be as many as the wavelengths")
        rising = all(b > a for a, b in zip(self.wavelengths, self.wavelengths[1:], strict=False))
        rules.that(rising, "wavelengths", "must rise")
        rules.finish()
        numbers = np.array((self.wavelengths, self.values))
        rules.that(bool(np.isfinite(numbers).all() and (numbers >= 0).all()), "values", "must not be negative or empty")
        rules.finish()
        low, high = self.wavelengths[0], self.wavelengths[-1]
        rules.that(
            bool(self.power(WAVELENGTHS).sum() > 0),
            "spectrum",
            f"holds no light from 400 to 700 nm; it runs from {low:g} to {high:g} nm",
        )
        rules.finish()

    def __hash__(self) -> int:
        return hash(
            (len(self.values), self.wavelengths[0], self.wavelengths[-1], self.values[:: len(self.values) // 2])
        )

    def power(self, wavelengths: Array) -> Array:
        """Radiant power per nanometre at wavelengths [nm], relative, read off between the nodes."""
        found: Array = np.interp(wavelengths, self.wavelengths, self.values, left=0.0, right=0.0)
        return found


Spectrum = BandSpectrum | TableSpectrum


@lru_cache(maxsize=256)
def photon_shares(spectrum: Spectrum | None) -> Array:
    """Shares of the photons of 400-700 nm at ``WAVELENGTHS`` (301,), adding up to 1; even for an unknown spectrum."""
    shares = spectrum.power(WAVELENGTHS) * WAVELENGTHS if spectrum else np.ones_like(WAVELENGTHS)
    shares[[0, -1]] *= 0.5
    shares /= shares.sum()
    shares.setflags(write=False)
    return shares


@lru_cache(maxsize=256)
def photon_yield(spectrum: Spectrum) -> float:
    """Photons per radiant energy, both within 400-700 nm [umol/J].

    Photon flux is the integral of power times wavelength over h c N_A.
    """
    power = spectrum.power(WAVELENGTHS)
    photons = np.trapezoid(power * WAVELENGTHS, WAVELENGTHS) * 1e-9 / MOLAR_PLANCK * 1e6
    return float(photons / np.trapezoid(power, WAVELENGTHS))


def lux_per_ppfd(spectrum: Spectrum, luminosity: tuple[Array, Array]) -> float:
    """Illuminance of 1 umol/m2/s of a spectrum [lx].

    Parameters
    ----------
    luminosity : wavelengths [nm] and the photopic luminous efficiency V at them [-], rising, 1 nm to 10 nm apart.
    """
    nodes = np.linspace(360.0, 830.0, 941)
    seen = np.interp(nodes, *luminosity, left=0.0, right=0.0)
    lumens = LUMENS_PER_WATT * np.trapezoid(spectrum.power(nodes) * seen, nodes)
    power = spectrum.power(WAVELENGTHS)
    return float(lumens / (np.trapezoid(power * WAVELENGTHS, WAVELENGTHS) * 1e-3 / MOLAR_PLANCK))


def mean_wavelength(spectrum: Spectrum | None) -> float:
    """Mean wavelength of the photons of 400-700 nm [nm]."""
    return float(photon_shares(spectrum) @ WAVELENGTHS)


def mixed(spectra: Sequence[Spectrum | None], photons: Sequence[float]) -> Array:
    """Photon shares (301,) of several spectra together, each with its photon flux; zeros in the dark."""
    total = sum((p * photon_shares(s) for s, p in zip(spectra, photons, strict=True)), np.zeros_like(WAVELENGTHS))
    whole = float(total.sum())
    result: Array = total / whole if whole > 0 else total
    return result


def usable_share(shares: Array, weighting: tuple[Array, Array]) -> float:
    """Mean weight of photons of given shares (301,) [-], by a weighting of wavelengths [nm] and weights 0..1."""
    return float(shares @ np.interp(WAVELENGTHS, *weighting))

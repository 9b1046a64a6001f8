"""The built-in spectra of lamps, the weightings of usable light, and the eye's luminous efficiency."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from functools import cache
from importlib.resources import files
from typing import Any

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.spectrum import BandSpectrum, TableSpectrum

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Weighting:
    """Weight of a photon by its wavelength, after a published spectrum: nodes [nm] and weights 0..1 [-]."""

    name: str
    source: str
    wavelengths: Array = field(repr=False)
    weights: Array = field(repr=False)


@dataclass(frozen=True, slots=True)
class LampSpectrum:
    """A generic spectrum of our own, and the basis of its shape."""

    key: str
    name: str
    basis: str
    spectrum: BandSpectrum


@cache
def weightings() -> tuple[Weighting, ...]:
    """Weightings of usable light, the one for algae first."""
    rows = _load("weightings.json")["weightings"]
    return tuple(Weighting(r["name"], r["source"], np.array(r["wavelengths"]), np.array(r["weights"])) for r in rows)


@cache
def lamp_spectra() -> dict[str, LampSpectrum]:
    """Generic spectra by key."""
    return {
        r["key"]: LampSpectrum(
            r["key"],
            r["name"],
            r["basis"],
            BandSpectrum(tuple((b["share"], b["peak_nm"], b["width_nm"]) for b in r["bands"])),
        )
        for r in _load("spectra.json")["spectra"]
    }


@cache
def white_leds() -> dict[str, tuple[str, TableSpectrum]]:
    """White LEDs by key, with their names: the CIE's own spectra, by which lumens become photons."""
    data = _load("white_leds.json")
    nodes = tuple(float(w) for w in data["wavelengths"])
    return {row["key"]: (row["name"], TableSpectrum(nodes, tuple(row["values"]))) for row in data["leds"]}


@cache
def luminosity() -> tuple[Array, Array]:
    """Wavelengths [nm] and the photopic luminous efficiency at them [-]."""
    data = _load("luminosity.json")
    return np.array(data["wavelengths"], dtype=float), np.array(data["weights"])


def _load(name: str) -> Any:
    return json.loads((files("corlume.reference") / name).read_text(encoding="utf-8"))

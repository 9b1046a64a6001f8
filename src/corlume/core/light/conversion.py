"""From lumens to photon flux, by kind of light.

Lux per PPFD [lx per umol/m2/s]: Thimijan and Heins 1983 [6], from memory; the package colour-science's lamp spectra
come within 4 % for sunlight and fluorescent lamps and 18 % for halides. Nothing published covers royal blue
LEDs, actinic tubes or 10,000 to 20,000 K halides: their photon flux must be given by itself. A white LED's lumens
become photons by its spectrum, never by the factor of another lamp.
"""

from __future__ import annotations

LUX_PER_PPFD: dict[str, tuple[str, float]] = {
    "fluorescent": ("Cool white fluorescent", 74.0),
    "daylight": ("Daylight, 6500 K", 54.0),
    "halide": ("Metal halide of about 4000 to 6500 K", 71.0),
}


def photon_flux(lumens: float, light: str) -> float:
    """Photon flux [umol/s] of luminous flux [lm] for a kind of light of ``LUX_PER_PPFD``; ``KeyError`` otherwise."""
    return lumens / LUX_PER_PPFD[light][1]

"""Presets of colour: a spectrum that fixtures of any channels come as near to as they can."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.light.emitter import Channel
from corlume.core.light.fixture import MOST_LEVEL, Fixture
from corlume.core.light.spectrum import WAVELENGTHS, BandSpectrum, Spectrum, mixed, photon_shares
from corlume.core.message_text import escape_slots
from corlume.core.schema import Share, Text, limits

Array = NDArray[np.float64]
NODES = np.linspace(400.0, 700.0, 31)
"""Wavelengths at which the spectrum of a preset is written [nm]."""


@dataclass(frozen=True, slots=True)
class Preset:
    """A colour to set fixtures to.

    Parameters
    ----------
    channels, levels : names of the channels that it was made with and their levels in per cent, with / between.
    spectrum : relative photons at ``NODES``, with / between.
    output : share of full output that goes with it [-].
    """

    name: Annotated[str, Text("Name", 60, least=1)]
    spectrum: Annotated[str, Text("Spectrum", 600, least=1)]
    channels: Annotated[str, Text("Channels", 500)] = ""
    levels: Annotated[str, Text("Levels", 120)] = ""
    output: Annotated[float, Share("Output", 0.0, 1.0)] = 1.0

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.finish()
        try:
            photons = self.photons
        except ValueError:
            photons = np.zeros(0)
        rules.that(
            len(photons) == len(NODES) and bool((photons >= 0).all() and photons.sum() > 0),
            "spectrum",
            f"must be {len(NODES)} numbers from 400 to 700 nm",
        )
        try:
            count = len(self.mix)
        except ValueError:
            count = -1
        rules.that(count == len(self.names), "levels", "must be a number for each channel")
        rules.finish()
        for level in self.mix:
            rules.between("levels", level, 0.0, MOST_LEVEL, "share")
        rules.finish()

    @property
    def photons(self) -> Array:
        """Relative photons at ``NODES`` (31,)."""
        return np.array([float(text) for text in self.spectrum.split("/")])

    @property
    def names(self) -> tuple[str, ...]:
        """Names of its channels."""
        return tuple(self.channels.split("/")) if self.channels else ()

    @property
    def mix(self) -> tuple[float, ...]:
        """Levels of its channels [-]."""
        return tuple(float(text) / 100 for text in self.levels.split("/")) if self.levels else ()


def _text_of(photons: Array) -> str:
    """Relative photons (31,) as they are written in a preset, the most of them as 1."""
    return "/".join(f"{p:.5f}" for p in photons / photons.max())


def _of_bands(name: str, *bands: tuple[float, float, float], output: float = 1.0) -> Preset:
    return Preset(name, _text_of(np.interp(NODES, WAVELENGTHS, photon_shares(BandSpectrum(bands)))), output=output)


MOON = _of_bands("Dim moon", (0.7, 452, 22), (0.3, 472, 26), output=0.02)
GENERIC = (
    _of_bands("Growth", (0.18, 415, 18), (0.46, 450, 22), (0.2, 472, 26), (0.12, 560, 130), (0.04, 655, 25)),
    _of_bands("Blue evening", (0.2, 415, 18), (0.55, 450, 22), (0.25, 472, 26)),
    _of_bands("White noon", (0.06, 415, 18), (0.3, 452, 24), (0.56, 560, 130), (0.08, 650, 30)),
    MOON,
)
"""Presets of our own, for any fixture whose channels have spectra."""


def preset_of(name: str, fixture: Fixture) -> Preset:
    """The colour that a fixture has now, as a preset; ``InvalidInput`` where a channel's spectrum is not known."""
    channels = fixture.emitter.channels
    rules = Rules()
    rules.that(all(c.spectrum for c in channels), "fixture", "has a channel without a spectrum")
    rules.that(any(fixture.mix), "fixture", "has all channels at nothing")
    rules.finish()
    photons = mixed([c.spectrum for c in channels], [c.share * m for c, m in zip(channels, fixture.mix, strict=True)])
    return Preset(
        name,
        _text_of(np.interp(NODES, WAVELENGTHS, photons)),
        "/".join(c.name.replace("/", " ") for c in channels),
        "/".join(f"{100 * level:.10g}" for level in fixture.mix),
        fixture.output,
    )


@dataclass(frozen=True, slots=True)
class Applied:
    """A fixture with a preset: what its spectrum misses of it [-], and whether the levels were taken as they are."""

    fixture: Fixture
    miss: float
    exact: bool


def apply_preset(preset: Preset, fixture: Fixture, *, keep_flux: bool = True) -> Applied:
    """Set a fixture to a preset.

    Channels of the same names take its levels; others take those of the nearest spectrum, by non-negative least
    squares over ``NODES``, the strongest channel full. With ``keep_flux`` the output is then such that the photon flux
    stays, as far as full output goes; otherwise it is that of the preset.

    Raises
    ------
    InvalidInput
        by the field "fixture" where it has one channel, cannot be dimmed, or a channel's spectrum is not known.
    """
    channels = fixture.emitter.channels
    names = tuple(c.name.replace("/", " ") for c in channels)
    rules = Rules()
    rules.that(len(channels) > 1, "fixture", "has one colour alone")
    rules.that(fixture.dimmable, "fixture", "does not dim")
    rules.finish()
    if preset.names == names:
        levels, miss, exact = preset.mix, 0.0, True
    else:
        rules.that(all(c.spectrum for c in channels), "fixture", "has a channel without a spectrum")
        rules.finish()
        found, miss = nearest([c.share * _at_nodes(c.spectrum) for c in channels], preset.photons)
        levels, exact = tuple(round(float(level), 3) for level in found / found.max()), False
    flux = sum(c.share * level for c, level in zip(channels, fixture.mix, strict=True)) * fixture.output
    full = sum(c.share * level for c, level in zip(channels, levels, strict=True))
    output = min(1.0, flux / full) if keep_flux and full else preset.output
    return Applied(replace(fixture, levels=levels, output=output), miss, exact)


def colour_miss(old: Sequence[Fixture], new: Sequence[Fixture]) -> float | None:
    """How far the colour of some fixtures is from that of others: the root mean square difference of their photon
    spectra over that of the old [-]; None where a spectrum is not known, or either is dark.
    """
    was, now = (photon_flux(fixtures) for fixtures in (old, new))
    if was is None or now is None or not was.sum() or not now.sum():
        return None
    was, now = was / was.sum(), now / now.sum()
    return float(np.linalg.norm(now - was) / np.linalg.norm(was))


def photon_flux(fixtures: Sequence[Fixture]) -> Array | None:
    """Photon flux (31,) of some fixtures together, by its shares at ``NODES`` [umol/s]; None where a spectrum is not
    known.
    """
    channels = [(c, f.emitter.ppf * c.share * s) for f in fixtures for c, s in _lit(f)]
    if any(c.spectrum is None for c, _ in channels):
        return None
    flux = sum(strength for _, strength in channels)
    if not flux:
        return np.zeros(len(NODES))
    shares = np.interp(NODES, WAVELENGTHS, mixed([c.spectrum for c, _ in channels], [flux for _, flux in channels]))
    return np.asarray(flux * shares / shares.sum())


def preset_of_light(name: str, fixtures: Sequence[Fixture]) -> Preset:
    """The colour of the light of some fixtures together; ``InvalidInput`` where it is not known, or all is dark."""
    flux, rules = photon_flux(fixtures), Rules()
    rules.that(flux is not None, "preset", "has a fixture without a spectrum")
    rules.that(flux is None or bool(flux.sum()), "preset", "has all fixtures off")
    rules.finish()
    assert flux is not None
    return Preset(name, _text_of(flux))


def preset_beside(preset: Preset, mine: Sequence[Fixture], others: Sequence[Fixture]) -> Preset:
    """The colour that some fixtures need for their light and that of others to have a preset's colour together.

    What the others already give too much of cannot be taken away. The preset itself where the colour of the others is
    not known, or nothing is left to give.
    """
    own, given = photon_flux(mine), photon_flux(others)
    if own is None or given is None:
        return preset
    wanted = np.maximum(0.0, preset.photons / preset.photons.sum() * (own.sum() + given.sum()) - given)
    return replace(preset, spectrum=_text_of(wanted), channels="", levels="") if wanted.sum() else preset


def _lit(fixture: Fixture) -> list[tuple[Channel, float]]:
    """Channels of a fixture that give light, with their strength [-]."""
    return [(c, s) for c, s in zip(fixture.emitter.channels, fixture.strengths, strict=True) if s > 0]


def _at_nodes(spectrum: Spectrum | None) -> Array:
    return np.interp(NODES, WAVELENGTHS, photon_shares(spectrum))


def nearest(channels: Sequence[Array], wanted: Array) -> tuple[Array, float]:
    """Weights (channels,) whose sum of spectra is nearest to a wanted one, and the miss of it [-]."""
    from scipy.optimize import nnls

    wanted = wanted / wanted.sum()
    weights, left = nnls(np.stack(channels, axis=1), wanted)
    return weights, float(left / np.linalg.norm(wanted))


def reach_par(fixture: Fixture, factor: float) -> Fixture:
    """A fixture with its output times a factor, the ratios of its channels kept.

    ``InvalidInput`` by the field "par" where that is past full output.
    """
    rules = Rules()
    rules.that(
        fixture.output * factor <= 1.0 + 1e-9,
        "par",
        f"is more than full output gives: {escape_slots(fixture.name)} would have to be at "
        f"{100 * fixture.output * factor:.0f} %",
    )
    rules.finish()
    return replace(fixture, output=min(1.0, fixture.output * factor))

"""What of a fixture is written in files by a way of its own: its lobe, its channels with their spectra, its wear."""

from __future__ import annotations

import json
from typing import Annotated, Any

from pydantic import Field

from corlume.core.light.emitter import ONE_CHANNEL, Channel, Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.lobe import Lobe, RingLobe, TableLobe
from corlume.core.light.spectrum import BandSpectrum, Spectrum, TableSpectrum
from corlume.core.units import DEGREE
from corlume.formats.shapes import SPECIAL, Build, FileShape, JsonNumber, Special, Values, read_thing, to_data

Short = Annotated[str, Field(max_length=40)]


class RingFile(FileShape):
    """One ring of lenses: its share of the flux and its lobe."""

    share: JsonNumber
    fwhm_deg: JsonNumber


class LobeFile(FileShape):
    """A lobe that is not one cos^m: several rings, or a measured table of relative intensity."""

    rings: list[RingFile] = Field(default=[], max_length=8)
    theta_deg: list[JsonNumber] = Field(default=[], max_length=800, description="from straight out, rising from 0")
    phi_deg: list[JsonNumber] = Field(default=[], max_length=800, description="about the normal, from the long axis")
    values: list[list[JsonNumber]] = Field(default=[], max_length=800, description="a row for each theta")


class BandFile(FileShape):
    """One bell-shaped band of a spectrum."""

    share: JsonNumber = Field(description="of the radiant power, against the other bands")
    peak_nm: JsonNumber
    width_nm: JsonNumber = Field(description="full width at half maximum")


class SpectrumFile(FileShape):
    """A spectrum: bands, or a table of relative radiant power per nanometre."""

    bands: list[BandFile] = Field(default=[], max_length=24)
    wavelength_nm: list[JsonNumber] = Field(default=[], max_length=8000)
    power: list[JsonNumber] = Field(default=[], max_length=8000)


class ChannelFile(FileShape):
    """One colour of a fixture."""

    name: Short
    share_percent: JsonNumber = Field(description="of the photon flux with all channels full; they add up to 100")
    level_percent: JsonNumber = Field(100.0, description="under the fixture's own output")
    spectrum: SpectrumFile | None = Field(None, description="left out when not known")


def read_fixture(text: str) -> Fixture:
    """Read one fixture as a scene file holds it; ``BadFile`` otherwise."""
    return read_thing(Fixture, json.loads(text))


def write_fixture(fixture: Fixture) -> str:
    """Write one fixture as a scene file holds it."""
    return json.dumps(to_data(fixture))


def _write(f: Fixture) -> dict[str, Any]:
    return {"lobe": _lobe_data(f.emitter.lobe), "wear": dict(f.wear), "channels": _channels_data(f)}


def _read(build: Build, where: str, file: Any) -> Values:
    levels = tuple(row.level_percent / 100 for row in file.channels)
    return {
        (Emitter, "lobe"): _lobe(build, f"{where}.lobe".lstrip("."), file.lobe),
        (Emitter, "channels"): _channels(build, where, file.channels),
        (Fixture, "levels"): levels if any(level != 1.0 for level in levels) else (),
        (Fixture, "wear"): tuple(file.wear.items()),
    }


SPECIAL[Fixture] = Special(
    {
        "lobe": (LobeFile | None, Field(None, description="instead of cos^m of fwhm_deg")),
        "channels": (list[ChannelFile], Field(default=[], max_length=12)),
        "wear": (
            dict[Short, Short],
            Field(
                default={},
                max_length=12,
                description="answers about age and dirt, from which light_loss_factor_percent came",
            ),
        ),
    },
    _write,
    _read,
)


def _lobe_data(lobe: Lobe | None) -> dict[str, Any] | None:
    rings, theta, phi, values = list[Any](), list[float](), list[float](), list[list[float]]()
    match lobe:
        case RingLobe():
            rings = [{"share": share, "fwhm_deg": round(width / DEGREE, 4)} for share, width in lobe.parts]
        case TableLobe():
            theta, phi = ([round(angle / DEGREE, 4) for angle in angles] for angles in (lobe.theta, lobe.phi))
            values = [list(row) for row in lobe.values]
        case None:
            return None
    return {"rings": rings, "theta_deg": theta, "phi_deg": phi, "values": values}


def _lobe(build: Build, where: str, f: LobeFile | None) -> Lobe | None:
    if f is None:
        return None
    if f.rings:
        return build(where, RingLobe, tuple((ring.share, ring.fwhm_deg * DEGREE) for ring in f.rings))
    theta, phi = (tuple(angle * DEGREE for angle in angles) for angles in (f.theta_deg, f.phi_deg))
    return build(where, TableLobe, theta, phi, tuple(tuple(row) for row in f.values))


def _channels_data(f: Fixture) -> list[dict[str, Any]]:
    if f.emitter.channels == ONE_CHANNEL:
        return []
    return [
        {
            "name": channel.name,
            "share_percent": round(100 * channel.share, 6),
            "level_percent": round(100 * level, 4),
            "spectrum": _spectrum_data(channel.spectrum),
        }
        for channel, level in zip(f.emitter.channels, f.mix, strict=True)
    ]


def _channels(build: Build, where: str, rows: list[ChannelFile]) -> tuple[Channel, ...]:
    found = []
    for i, row in enumerate(rows):
        at = f"{where}.channels.{i}".lstrip(".")
        spectrum = _spectrum(build, f"{at}.spectrum", row.spectrum)
        channel = build(at, Channel, name=row.name, share=row.share_percent / 100, spectrum=spectrum)
        found += [channel] if channel else []
    return tuple(found) or ONE_CHANNEL


def _spectrum_data(spectrum: Spectrum | None) -> dict[str, Any] | None:
    bands, wavelengths, power = list[Any](), list[float](), list[float]()
    match spectrum:
        case BandSpectrum():
            bands = [{"share": share, "peak_nm": peak, "width_nm": width} for share, peak, width in spectrum.parts]
        case TableSpectrum():
            wavelengths, power = list(spectrum.wavelengths), list(spectrum.values)
        case None:
            return None
    return {"bands": bands, "wavelength_nm": wavelengths, "power": power}


def _spectrum(build: Build, where: str, f: SpectrumFile | None) -> Spectrum | None:
    if f is None:
        return None
    if f.bands:
        return build(where, BandSpectrum, tuple((band.share, band.peak_nm, band.width_nm) for band in f.bands))
    return build(where, TableSpectrum, tuple(f.wavelength_nm), tuple(f.power))

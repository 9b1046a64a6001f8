"""The probe's readout at one point of the water."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.judging.targets import Band, LightTargets
from corlume.core.light.fixture import Fixture, bodies_below
from corlume.core.light.geometry import Tank
from corlume.core.light.spectrum import WAVELENGTHS, mixed, usable_share
from corlume.core.schedule.day import Day
from corlume.reference.spectrum_tables import weightings
from corlume.services.light.fields import total_of, unit_of
from corlume.services.light.layers import fluctuation_at
from corlume.services.light.points import PlaneSpec, WaterPoint, points_of

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Readout:
    """The probe's readout: PAR, its parts by fixture, the daily light integral (DLI) [mol/m2/d] and the band."""

    place: WaterPoint
    par: float
    parts: tuple[float, ...]
    dli: float
    band: Band
    in_rock: bool


@dataclass(frozen=True, slots=True)
class LightQuality:
    """What else the probe tells of the light at a point, beside PAR.

    ``scalar`` is what a sphere would read; ``fluctuation`` the standard deviation over the mean with ripples [-];
    ``usable`` the share of the light by each weighting of ``weightings()``, as it arrives at this depth [-].
    """

    scalar: float
    fluctuation: float
    usable: dict[str, float]


def default_probe(tank: Tank) -> WaterPoint:
    """Initial place of the probe: over the middle of the tank at the height of the rock top."""
    return WaterPoint(tank.length / 2, tank.width / 2, tank.rock_top())


def probe_text(place: WaterPoint) -> str:
    """Place of the probe for an address [mm]."""
    return "-".join(f"{1000 * value:.0f}" for value in (place.x, place.y, place.depth))


def probe_of(text: str, tank: Tank) -> WaterPoint:
    """Place of such a text; the default one where it is none, or is not in the water."""
    parts = text.split("-")
    if len(parts) != 3 or not all(part.isdecimal() and len(part) < 6 for part in parts):
        return default_probe(tank)
    x, y, depth = (int(part) / 1000 for part in parts)
    inside = x <= tank.length and y <= tank.width and depth <= tank.water_depth
    return WaterPoint(x, y, depth) if inside else default_probe(tank)


def read_probe(tank: Tank, fixtures: Sequence[Fixture], targets: LightTargets, day: Day, place: WaterPoint) -> Readout:
    """Read PAR at one point of the water."""
    units = _units(tank, fixtures, place)
    parts = tuple(float(np.dot(f.strengths, unit)) for f, unit in zip(fixtures, units, strict=True))
    par = sum(parts)
    dose = sum(float(f.left * day.gathered(f) @ unit) for f, unit in zip(fixtures, units, strict=True))
    return Readout(
        place=place,
        par=par,
        parts=parts,
        dli=60e-6 * dose,
        band=targets.band_at(par),
        in_rock=bool(tank.in_rock(points_of(tank, PlaneSpec("point", place)))[0]),
    )


def light_quality(tank: Tank, fixtures: Sequence[Fixture], place: WaterPoint) -> LightQuality:
    """Spherical PAR, shimmer and usable light at one point of the water."""
    return LightQuality(
        scalar=float(total_of(tank, fixtures, PlaneSpec("point", place), sensor="scalar")[0]),
        fluctuation=fluctuation_at(tank, fixtures, place),
        usable=_usable(tank, fixtures, _by_channel(tank, fixtures, place), place.depth),
    )


def _by_channel(tank: Tank, fixtures: Sequence[Fixture], place: WaterPoint) -> list[Array]:
    """PAR of each channel (c,) of each fixture at a point [umol/m2/s]."""
    return [np.asarray(f.strengths) * unit for f, unit in zip(fixtures, _units(tank, fixtures, place), strict=True)]


def _units(tank: Tank, fixtures: Sequence[Fixture], place: WaterPoint) -> list[Array]:
    """PAR of each channel (c,) of each fixture at a point, full and as new [umol/m2/s]."""
    spec = PlaneSpec("point", place)
    return [
        unit_of(tank, f.emitter, spec, "planar", 0.0, bodies_below(fixtures, i))[:, 0] for i, f in enumerate(fixtures)
    ]


def _usable(tank: Tank, fixtures: Sequence[Fixture], by_channel: Sequence[Array], depth: float) -> dict[str, float]:
    """Usable share of the light at a depth by each published weighting, from the colours of every channel there."""
    channels = [channel for f in fixtures for channel in f.emitter.channels]
    if any(channel.spectrum is None for channel in channels) or not sum(map(np.sum, by_channel)):
        return {}
    left = np.exp(-depth * tank.water.absorption())
    shares = np.zeros_like(WAVELENGTHS)
    for channel, par in zip(channels, np.concatenate(by_channel), strict=True):
        colours = mixed([channel.spectrum], [1.0]) * left
        shares += par * colours / colours.sum()
    shares /= shares.sum()
    return {w.name: usable_share(shares, (w.wavelengths, w.weights)) for w in weightings()}

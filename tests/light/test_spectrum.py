"""Spectra, water and ripples against published tables, reference libraries and traced rays."""

from __future__ import annotations

import math
import warnings

import iapws
import numpy as np
import pvlib
import pytest

from corlume.core.errors import InvalidInput
from corlume.core.light.emitter import Channel, Emitter
from corlume.core.light.field import Medium, channel_fields, unit_field
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Pane, Tank
from corlume.core.light.shimmer import fluctuation
from corlume.core.light.spectrum import (
    WAVELENGTHS,
    BandSpectrum,
    TableSpectrum,
    lux_per_ppfd,
    mixed,
    photon_shares,
    photon_yield,
    usable_share,
)
from corlume.core.light.water import Water, sea_index
from corlume.core.light.water_surface import entry_tangent, steepest_tangent
from corlume.core.units import DEGREE
from corlume.formats.file_faults import BadFile
from corlume.formats.photometry import write_lm63
from corlume.formats.spectrum_file import read_spectrum
from corlume.reference.catalogue import catalogue
from corlume.reference.spectrum_tables import lamp_spectra, luminosity, weightings, white_leds
from corlume.services.keeping.fixture_library import read_import

with warnings.catch_warnings():
    warnings.simplefilter("ignore")  # it warns of packages that it could use
    import colour


def sampled(distribution: colour.SpectralDistribution) -> TableSpectrum:
    nodes = np.arange(380.0, 781.0, 5.0)
    distribution = distribution.copy().align(colour.SpectralShape(380, 780, 5))
    return TableSpectrum(tuple(nodes), tuple(np.maximum(0.0, distribution.values)))


# ---- photons and lumens ----


@pytest.mark.parametrize(("nm", "expected"), [(450, 3.7617), (550, 4.5976), (660, 5.5172)])
def test_one_colour_gives_its_photons_by_the_joule(nm: float, expected: float) -> None:
    # wavelength over h c N_A, from the constants
    assert photon_yield(BandSpectrum(((1.0, nm, 1.0),))) == pytest.approx(expected, rel=1e-4)


# umol/J in 400-700 nm and lux per umol/m2/s of CIE lamps: integrals over the tables of the package colour-science;
# Thimijan and Heins 1983, from memory, give 4.59 and 74 for cool white, 4.59 and 71 for halides.
LAMPS = [("FL2", 4.533, 76.5, 4.59, 74.0, 0.04), ("FL1", 4.390, 69.2, None, None, 0.04)]


@pytest.mark.parametrize(("name", "photons", "lux", "published", "published_lux", "off"), LAMPS)
def test_fluorescent_lamps_convert_as_published(
    name: str, photons: float, lux: float, published: float | None, published_lux: float | None, off: float
) -> None:
    lamp = sampled(colour.SDS_ILLUMINANTS[name])
    assert photon_yield(lamp) == pytest.approx(photons, rel=0.002)
    assert lux_per_ppfd(lamp, luminosity()) == pytest.approx(lux, rel=0.003)
    if published and published_lux:
        assert photon_yield(lamp) == pytest.approx(published, rel=0.03)
        assert lux_per_ppfd(lamp, luminosity()) == pytest.approx(published_lux, rel=off)


def test_sun_halides_and_leds_convert_as_published() -> None:
    # ASTM G173 AM1.5G by the package pvlib; 4.57 and 54 published
    sun = pvlib.spectrum.get_reference_spectra()["global"]
    table = TableSpectrum(tuple(sun.index.to_numpy(dtype=float)), tuple(sun.to_numpy(dtype=float)))
    assert photon_yield(table) == pytest.approx(4.60, rel=0.003)
    assert photon_yield(table) == pytest.approx(4.57, rel=0.03)
    assert lux_per_ppfd(table, luminosity()) == pytest.approx(55.4, rel=0.004)
    assert lux_per_ppfd(table, luminosity()) == pytest.approx(54.0, rel=0.04)
    # CIE halides; the published 4.59 and 71 for halides at large lie within 4 and 13 % of them
    for name, photons, lux in (("HP3", 4.757, 69.9), ("HP4", 4.608, 67.1), ("HP5", 4.669, 61.8)):
        halide = sampled(colour.SDS_ILLUMINANTS[name])
        assert photon_yield(halide) == pytest.approx(photons, rel=0.004)
        assert lux_per_ppfd(halide, luminosity()) == pytest.approx(lux, rel=0.005)
    leds = [photon_yield(sampled(colour.SDS_ILLUMINANTS[f"LED-B{k}"])) for k in range(1, 6)]
    assert leds[0] == pytest.approx(4.893, rel=0.003)
    assert leds[-1] == pytest.approx(4.492, rel=0.003)
    assert leds == sorted(leds, reverse=True)


@pytest.mark.parametrize("key", list(white_leds()))
def test_lumens_of_a_white_led_become_photons_by_its_own_spectrum(key: str) -> None:
    # the CIE LED series of the package colour-science, summed by the nanometre over its own table of V(lambda)
    every = colour.SpectralShape(380, 780, 1)
    table = colour.SDS_ILLUMINANTS[key.upper()].copy().align(every)
    seen = colour.colorimetry.SDS_LEFS_PHOTOPIC["CIE 1924 Photopic Standard Observer"].copy().align(every)
    nm, power = table.wavelengths, table.values
    ends = np.where((nm < 400) | (nm > 700), 0.0, np.where((nm == 400) | (nm == 700), 0.5, 1.0))
    photons = (power * nm * ends).sum() * 1e-9 / 0.119626565 * 1e6
    lumens = 683.002 * (power * seen.values).sum()
    _, ours = white_leds()[key]
    assert 1000 / lux_per_ppfd(ours, luminosity()) == pytest.approx(1000 * photons / lumens, rel=0.005)


def test_imported_lumens_go_by_the_led_or_by_the_file_before_it() -> None:
    lobe = catalogue()["cluster"].parts[0].emitter.shape()
    data = write_lm63("Lamp", lobe, length=0.2, width=0.1, watts=99).encode()
    fluxes = {light: read_import(data, technology="led_cluster", light=light).fixture.emitter.ppf
              for light in ("led-b4", "led-v1", "fluorescent")}  # fmt: skip
    # CIE B4 71.7, V1 53.1 lux per PAR, where a fluorescent lamp has 74
    assert fluxes["fluorescent"] / fluxes["led-b4"] == pytest.approx(71.66 / 74.0, rel=0.005)
    assert fluxes["fluorescent"] / fluxes["led-v1"] == pytest.approx(53.08 / 74.0, rel=0.005)
    flat = b"400,1\n550,1\n700,1\n"
    own = read_import(data, technology="led_cluster", light="fluorescent", spectrum=flat).fixture.emitter
    assert own.ppf != pytest.approx(fluxes["fluorescent"], rel=0.05)
    assert own.channels[0].spectrum == read_spectrum(flat)


def test_generic_spectra_are_what_they_are_called() -> None:
    named = lamp_spectra()
    mean = {key: float(photon_shares(s.spectrum) @ WAVELENGTHS) for key, s in named.items()}
    assert mean["violet"] < mean["royal-blue"] < mean["blue"] < mean["green"] < mean["red"]
    assert mean["halide-20000"] < mean["halide-14000"] < mean["halide-10000"] < mean["halide-6500"]
    # a white LED near the published 4.5 to 4.9 of LED lamps; blue light gives few photons and few lumens
    assert photon_yield(named["neutral-white"].spectrum) == pytest.approx(4.6, rel=0.03)
    assert lux_per_ppfd(named["royal-blue"].spectrum, luminosity()) < 15
    for entry in catalogue().values():
        for part in entry.parts:
            assert sum(c.share for c in part.emitter.channels) == pytest.approx(1.0)
            # Nelson and Bugbee 2014, from memory: fluorescent about 0.95, halide to 1.46, LED then about 1.7
            assert 0.55 < part.emitter.ppf / part.watts < 2.3


def test_mix_keeps_its_ratios_and_usable_light_has_the_limits_of_its_weights() -> None:
    blue, red = lamp_spectra()["royal-blue"].spectrum, lamp_spectra()["red"].spectrum
    assert mixed([blue, red], [30.0, 10.0]) == pytest.approx(mixed([blue, red], [3.0, 1.0]))
    assert mixed([blue, red], [0.0, 0.0]).sum() == 0.0
    whole = (np.array([400.0, 700.0]), np.ones(2))
    assert usable_share(photon_shares(red), whole) == pytest.approx(1.0)
    algae, crops = ((w.wavelengths, w.weights) for w in weightings())
    white = lamp_spectra()["neutral-white"].spectrum
    # the bright white school's guess has something to it by algal pigments, and nothing by crops
    assert usable_share(photon_shares(blue), algae) > 1.5 * usable_share(photon_shares(white), algae)
    assert usable_share(photon_shares(blue), crops) < usable_share(photon_shares(white), crops)


def test_channels_add_up_and_dim_by_themselves() -> None:
    emitter = catalogue()["cluster"].parts[0].emitter
    fixture = Fixture(emitter, 0.5, 100.0, levels=(1.0, 0.0, 0.5, 1.0, 0.0), light_loss_factor=0.8)
    assert fixture.strengths == pytest.approx((0.4, 0.0, 0.2, 0.4, 0.0))
    assert Fixture(emitter, 0.5, 100.0).power == pytest.approx(50.0)
    # blue photons cost more energy, so that blue alone takes more of the power than of the photons
    blue = Fixture(emitter, 1.0, 100.0, levels=(1.0, 0.0, 0.0, 0.0, 0.0))
    assert 38.0 < blue.power < 50.0
    with pytest.raises(InvalidInput, match="one for each of its 5"):
        Fixture(emitter, levels=(1.0,))


# ---- water ----


@pytest.mark.parametrize(("nm", "expected"), [(400, 1.34937), (450, 1.34530), (550, 1.34024), (650, 1.33712)])
def test_index_of_sea_water_as_published(nm: float, expected: float) -> None:
    # Quan and Fry 1995, from memory, at 35 psu and 25 degC
    assert sea_index(nm, salinity=35.0, temperature=25.0) == pytest.approx(expected, abs=1e-5)


@pytest.mark.parametrize("celsius", [5.0, 15.0, 25.0])
def test_index_of_fresh_water_agrees_with_iapws(celsius: float) -> None:
    # the package iapws against vacuum, over the index of air
    water = iapws.IAPWS95(T=celsius + 273.15, P=0.101325)
    for nm in (400.0, 500.0, 600.0, 700.0):
        expected = iapws._iapws._Refractive(water.rho, water.T, nm / 1000) / 1.00028
        assert sea_index(nm, salinity=0.0, temperature=celsius) == pytest.approx(expected, abs=5e-5)


@pytest.mark.parametrize(("path", "kept"), [(0.15, 0.978), (0.3, 0.957), (0.5, 0.931), (1.0, 0.872)])
def test_pure_water_keeps_what_pope_and_fry_leave(path: float, kept: float) -> None:
    # flat photon spectrum on a straight path; Pope and Fry 1997, from memory
    assert Water(cdom_absorption=0.0).kept(None, path) == pytest.approx(kept, abs=0.001)


def test_each_channel_fades_by_its_own_path() -> None:
    named = lamp_spectra()
    channels = (Channel("b", 0.5, named["royal-blue"].spectrum), Channel("r", 0.5, named["red"].spectrum))
    black = Pane("plain", 0.0)
    box = Tank(0.6, 0.6, 0.6, rim_height=0.0, sand=0.0, sand_albedo=0.0, rock_albedo=0.0,
               left=black, right=black, front=black, back=black, water=Water(cdom_absorption=0.1))  # fmt: skip
    lamp = Emitter("led_cluster", 1.0, 120 * DEGREE, 0.01, 0.01, 0.3, 0.3, 0.3, channels=channels)
    found = channel_fields(Medium.of(box), lamp, np.array([(0.3, 0.3, 0.0), (0.3, 0.3, 0.5)]))
    clear = Tank(0.6, 0.6, 0.6, rim_height=0.0, sand=0.0, sand_albedo=0.0, rock_albedo=0.0,
                 left=black, right=black, front=black, back=black, water=Water("plain", attenuation=0.0,
                 index=box.water.index_at(555.0)))  # fmt: skip
    lost = unit_field(Medium.of(clear), lamp, np.array([(0.3, 0.3, 0.0), (0.3, 0.3, 0.5)]))
    for channel, one in zip(channels, found, strict=True):
        kept = one[1] / one[0] / (lost[1] / lost[0])
        assert kept == pytest.approx(box.water.kept(channel.spectrum, 0.5), rel=2e-3)
    assert found[1][1] < 0.9 * found[0][1]


# ---- ripples ----


def traced_fluctuation(height: float, depth: float, length: float, slope: float, seed: int) -> float:
    """Standard deviation over mean under a point source by the area that bundles of rays come to on a plane."""
    n, rng = 1.34, np.random.default_rng(seed)
    k, waves = 2 * math.pi / length, 60
    angle, phase = 2 * math.pi * rng.random(waves), 2 * math.pi * rng.random(waves)
    size = slope / k * math.sqrt(2 / waves)

    def lands(x: np.ndarray, y: np.ndarray, size: float) -> tuple[np.ndarray, np.ndarray]:
        rise = k * (np.cos(angle) * x[..., None] + np.sin(angle) * y[..., None]) + phase
        gx = (-size * k * np.cos(angle) * np.sin(rise)).sum(axis=-1)
        gy = (-size * k * np.sin(angle) * np.sin(rise)).sum(axis=-1)
        normal = np.stack([-gx, -gy, np.ones_like(gx)])
        normal /= np.linalg.norm(normal, axis=0)
        ray = np.stack([x, y, np.full_like(x, -height)])
        ray /= np.linalg.norm(ray, axis=0)
        cos_in = -(ray * normal).sum(axis=0)
        cos_out = np.sqrt(1 - (1 - cos_in**2) / n**2)
        bent = ray / n + (cos_in / n - cos_out) * normal
        return x - bent[0] / bent[2] * depth, y - bent[1] / bent[2] * depth

    def area(size: float) -> np.ndarray:
        step = 1e-5
        (ax, ay), (bx, by), (cx, cy) = lands(x, y, size), lands(x + step, y, size), lands(x, y + step, size)
        return np.abs((bx - ax) * (cy - ay) - (by - ay) * (cx - ax)) / step**2

    x, y = (rng.random((2, 4_000)) - 0.5) * 0.1
    # against a still surface, as light falls off to the side without ripples too; each ray stands for its area
    light = area(0.0) / area(size)
    return float(np.sqrt(np.average((light / np.average(light, weights=1 / light) - 1) ** 2, weights=1 / light)))


def test_fluctuation_agrees_with_traced_rays_while_ripples_are_weak() -> None:
    point = Emitter("led_cluster", 1.0, 2.0, 0.001, 0.001, 0.5, 0.5, 0.25)
    for depth, slope in ((0.1, 0.01), (0.3, 0.005), (0.5, 0.003)):
        found = float(fluctuation(point, np.array(depth), slope=slope, index=1.34, lengths=(0.06,)))
        traced = [traced_fluctuation(0.25, depth, 0.06, slope, seed) for seed in range(24)]
        assert found == pytest.approx(math.sqrt(np.mean(np.square(traced))), rel=0.1)


def test_long_lamps_flicker_less_and_still_water_not_at_all() -> None:
    depth = np.array([0.1, 0.3])
    small, wide, tube = (
        fluctuation(Emitter("led_cluster", 1.0, 2.0, *size, 0.5, 0.5, 0.25), depth, slope=0.1, index=1.34)
        for size in ((0.01, 0.01), (0.18, 0.14), (1.15, 0.05))
    )
    assert (small > 2 * wide).all()
    assert (wide > tube).all()
    assert (
        fluctuation(Emitter("halide", 1.0, 2.0, 0.3, 0.3, 0.5, 0.5, 0.3), depth, slope=0.1, index=1.34) > wide
    ).all()
    assert (fluctuation(Emitter("halide", 1.0, 2.0, 0.3, 0.3, 0.5, 0.5, 0.3), depth, slope=0.0, index=1.34) == 0).all()


def test_ripples_spread_light_and_lose_none_of_it() -> None:
    mirror = Pane("plain", 1.0)
    still, rippled = (
        Tank(0.6, 0.6, 0.6, rim_height=0.0, sand=0.0, sand_albedo=0.0, rock_albedo=0.0, left=mirror, right=mirror,
             front=mirror, back=mirror, water=Water("plain", attenuation=0.0, ripple=ripple))
        for ripple in (0.0, 0.2)
    )  # fmt: skip
    lamp = Emitter("led_cluster", 1.0, 50 * DEGREE, 0.02, 0.02, 0.3, 0.3, 0.1)
    axis = (np.arange(60) + 0.5) / 100
    plane = np.stack(np.meshgrid(axis, axis, [0.5], indexing="ij"), axis=-1)
    before, after = (unit_field(Medium.of(box), lamp, plane) for box in (still, rippled))
    assert after.max() < 0.99 * before.max()
    assert after.mean() == pytest.approx(before.mean(), rel=0.005)


# ---- files ----


def test_spectrum_files_of_both_kinds_say_the_same(tmp_path_factory: pytest.TempPathFactory) -> None:
    lamp = colour.SDS_ILLUMINANTS["FL2"]
    path = tmp_path_factory.mktemp("spectra") / "fl2.spdx"
    # IES TM-27 as the package colour-science writes it
    header = colour.io.Header_IESTM2714(description="a lamp of the CIE")
    colour.io.SpectralDistribution_IESTM2714(
        str(path), header, "relative", name="FL2", data=lamp.values, domain=lamp.wavelengths
    ).write()
    xml = read_spectrum(path.read_bytes())
    pairs = list(zip(lamp.wavelengths.tolist(), lamp.values.tolist(), strict=True))
    comma = "\n".join(f"{nm:g};{str(power).replace('.', ',')}" for nm, power in pairs)
    micro = "\n".join(f"{nm / 1000:g}, {power}" for nm, power in pairs)
    comma, plain = (
        read_spectrum(text.encode()) for text in (f"wavelength (nm);power\n{comma}\n", f"Wavelength in um, W\n{micro}")
    )
    for found in (xml, comma, plain):
        assert found.wavelengths == pytest.approx(tuple(lamp.wavelengths))
        assert found.values == pytest.approx(tuple(lamp.values))


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "fewer than two rows"),
        ("400 1\n500 x\n", 'line 2, column 5: found "x", expected a power'),
        ("400 1\n390 1\n", "line 2: wavelength 390 follows 400"),
        ("400 1\n500 nan\n", "not negative or without end"),
        ("400 1\n500 -2\n", "not negative"),
        ("800 1\n900 1\n", "no light from 400 to 700 nm; it runs from 800 to 900 nm"),
        ("400 0\n700 0\n", "no light"),
        ("400\n", 'line 1: found "400", expected a wavelength and a power'),
        ("<IESTM2714><a></IESTM2714>", "is not XML"),
        ("<html></html>", "not IES TM-27"),
        ('<!DOCTYPE a [<!ENTITY b "c">]><IESTM2714/>', "document type"),
        ("<IESTM2714><SpectralQuantity>reflectance</SpectralQuantity></IESTM2714>", "is reflectance"),
    ],
)
def test_bad_spectrum_says_where(text: str, said: str) -> None:
    with pytest.raises(BadFile) as caught:
        read_spectrum(text.encode())
    assert said in str(caught.value)


def test_ray_solver_may_start_from_a_smaller_root() -> None:
    steep = steepest_tangent(1.34)
    near = entry_tangent(0.4, 0.2, 0.3, 1.34, steep)
    assert entry_tangent(0.5, 0.2, 0.3, 1.34, steep, near) == pytest.approx(entry_tangent(0.5, 0.2, 0.3, 1.34, steep))

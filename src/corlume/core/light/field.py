"""The PAR field at points in the water: one unit field for each fixture and channel, combined linearly."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.cache import cached
from corlume.core.light import field_kernel, path_tables
from corlume.core.light.emitter import Emitter
from corlume.core.light.geometry import Colony, Strip, Tank
from corlume.core.light.interreflection import Interreflection, find_interreflection
from corlume.core.light.lobe import Beam
from corlume.core.light.pane_reflection import return_table
from corlume.core.light.rockwork import Rockwork
from corlume.core.light.spectrum import Spectrum, mean_wavelength
from corlume.core.light.survey_correction import Correction
from corlume.core.light.water import Water, attenuation_table
from corlume.core.light.water_surface import steepest_tangent
from corlume.core.parallel import shared_out

Array = NDArray[np.float64]
Sensor = Literal["planar", "scalar"]


@dataclass(frozen=True, slots=True, eq=False)
class Medium:
    """The tank in the form that the kernel reads; built once for all fixtures. Compares by identity."""

    size: tuple[float, float]
    depth: float
    water: Water
    panes: Array
    opening: Array
    rim: float
    strips: tuple[Strip, ...]
    rock: Rockwork
    discs: Array
    plates: Array
    scatter: Interreflection | None = None
    cover: float = 1.0
    correction: Correction | None = None

    @classmethod
    def of(cls, tank: Tank) -> Medium:
        """Build the medium of a tank."""
        inset = tank.rim_inset
        panes = np.array([return_table(pane, tank.index) for pane in tank.panes()])
        rock = tank.rockwork
        return cls(
            size=(tank.length, tank.width),
            depth=tank.water_depth,
            water=tank.water,
            panes=panes,
            opening=np.array([inset, tank.length - inset, inset, tank.width - inset]),
            rim=tank.rim_height,
            strips=tuple(tank.strips()),
            rock=rock,
            discs=disc_rows(tank.colonies),
            plates=np.array(tank.plates, dtype=np.float64).reshape(-1, 6),
            scatter=find_interreflection(tank, panes, tank.coarse_rockwork)
            if tank.sand_albedo or tank.rock_albedo
            else None,
            cover=tank.cover,
            correction=tank.correction,
        )


def disc_rows(colonies: Sequence[Colony]) -> Array:
    """Discs of colonies as rows (n, 5) of x, y, depth, radius [m] and share passed [-], the highest first."""
    rows = np.array([(c.x, c.y, c.depth, c.radius, c.passes) for c in colonies]).reshape(-1, 5)
    return rows[np.argsort(rows[:, 2], kind="stable")]


def unit_field(medium: Medium, emitter: Emitter, points: Array, *, step: float = 0.35) -> Array:
    """PAR of one fixture at full output, all channels together; see ``channel_fields``. Shape (...) [umol/m2/s]."""
    together: Array = channel_fields(medium, emitter, points, step=step).sum(axis=0)
    return together


def channel_fields(
    medium: Medium,
    emitter: Emitter,
    points: Array,
    *,
    step: float = 0.35,
    sensor: Sensor = "planar",
    ledge: float = 0.0,
    bodies: Sequence[Strip] = (),
    normals: Array | None = None,
) -> Array:
    """PAR of each channel of one fixture at full output.

    Parameters
    ----------
    medium : the tank.
    emitter : the fixture's light-giving face.
    points : (..., 3) of x, y and depth inside the water [m].
    step : fineness of the quadrature, see ``Emitter.sources``.
    sensor : "planar" for an upward-looking cosine sensor, what meters read; "scalar" for a sphere that takes
        light from all sides alike, from below as well.
    ledge : leave out direct light that comes down within this tangent of the vertical, in water: what is left is
        what reaches the middle under a round plate whose radius is so much of its height above the point [-].
    bodies : strips over the water that shade this fixture, such as the bodies of others below it [m].
    normals : (..., 3) unit vectors, x right, y back and z up, of surfaces to be lit instead of an upward-looking
        sensor; light from the floor and from the surface is taken to come from all of its half of the sphere alike.

    Returns
    -------
    PPFD, shape (channels, ...) [umol/m2/s].

    Notes
    -----
    Flux tube through a flat surface, panes by mirror images: see ``kernel``; what the floor sends back: see
    ``scatter``. A rippled surface spreads the light by its mean square slope. Each fixture is refracted by the
    index at the mean wavelength of its photons. Points inside rock read nothing of any use: mask them by
    ``Tank.in_rock``. A survey in use corrects lobes and the field as a whole; outputs are the fixtures' own.
    """
    if medium.correction:
        emitter = medium.correction.on_emitter(emitter)
    points = np.asarray(points, dtype=np.float64)
    flat = np.ascontiguousarray(points.reshape(-1, 3))
    strips = np.array([*medium.strips, *bodies]).reshape(-1, 5)
    what = (medium, emitter, step, tuple(bodies))
    if normals is not None:
        facing = np.ascontiguousarray(np.asarray(normals, dtype=np.float64).reshape(-1, 3))
        par = _direct(medium, emitter, flat, step, strips, normals=facing)
    elif medium.scatter and sensor == "planar" and ledge == 0.0 and not _on_floor.knows(*what):  # type: ignore[attr-defined]
        # the floor in one go with the points, as most of what a call costs does not go by how many they are
        both = _direct(medium, emitter, np.concatenate([flat, medium.scatter.patches]), step, strips)
        par = both[:, : len(flat)]
        _on_floor.learn(both[:, len(flat) :].copy(), *what)  # type: ignore[attr-defined]
    else:
        par = _direct(medium, emitter, flat, step, strips, scalar=sensor == "scalar", ledge=ledge)
    if medium.scatter:
        # of light that comes from all over the sky, a plate takes what comes within its own cone
        open_sky = 1.0 / (1.0 + ledge * ledge)
        on_floor = _on_floor(*what)
        back = medium.scatter.at(flat, on_floor, sensor)
        if normals is not None:
            # a half of the sphere that is bright alike lights a sphere twice as much as a surface that faces it
            up = 0.5 * np.maximum(0.0, medium.scatter.at(flat, on_floor, "scalar") - 2.0 * back)
            back = 0.5 * ((1.0 + facing[:, 2]) * back + (1.0 - facing[:, 2]) * up)
        par = par + open_sky * back
    shares = np.array([channel.share for channel in emitter.channels])[:, None]
    if medium.correction:
        par = par * medium.correction.factor(flat)
    return (medium.cover * emitter.ppf * shares * par).reshape(len(shares), *points.shape[:-1])


@cached(500_000)
def _on_floor(medium: Medium, emitter: Emitter, step: float, bodies: tuple[Strip, ...]) -> Array:
    """Direct irradiance per unit of flux on the patches of the floor, (channels, k) [1/m2]."""
    assert medium.scatter is not None
    return _direct(medium, emitter, medium.scatter.patches, step, np.array([*medium.strips, *bodies]).reshape(-1, 5))


UPWARD = np.empty((1, 0))
"""No normals: the sensor looks up."""
LEAST_PAIRS = 5000
"""Pairs of a point and a source that are worth a thread of their own."""
MOST_TABLE = 32_000_000
"""Path tables are worked out for so many depths at once that they take no more than this [bytes]."""


def _direct(
    medium: Medium,
    emitter: Emitter,
    points: Array,
    step: float,
    strips: Array,
    *,
    scalar: bool = False,
    ledge: float = 0.0,
    normals: Array = UPWARD,
) -> Array:
    """Irradiance per unit of flux at points (k, 3) by light that has not touched the floor, (channels, k) [1/m2]."""
    points = np.ascontiguousarray(points)
    depths, layer, part = _layers(points[:, 2])
    sources, heights, at_height, index_at = _laid_out(emitter, step)
    shape = emitter.shape()
    lobe = shape.table()
    plain = emitter.roll == 0 and emitter.pitch == 0 and lobe.shape[1] == 1
    spectra = tuple(channel.spectrum for channel in emitter.channels)
    index = medium.water.index_at(index_at)
    found = np.empty((len(spectra), len(points)))
    table = path_tables.TABLE_SIZE * (path_tables.GEOMETRY + len(spectra)) * 8 * len(heights)
    many, beyond, deepest = (
        max(1, MOST_TABLE // table),
        int(part.any()),
        max(medium.depth, float(depths.max(initial=0.0))),
    )
    for first in range(0, len(depths), many):
        some = depths[first : first + many + beyond]
        paths = _paths(
            medium.water, spectra, shape if plain else None, index, deepest, tuple(some.tolist()),
            tuple(heights.tolist()), scalar, ledge,
        )  # fmt: skip
        here = np.flatnonzero((layer >= first) & (layer < first + many)) if len(depths) > many else slice(None)
        some_found = np.zeros((len(layer[here]), len(spectra)))
        shared_out(
            len(some_found),
            field_kernel.irradiance,
            some_found,
            points[here],
            layer[here] - first,
            part[here],
            paths,
            sources,
            heights,
            at_height,
            emitter.axes(),
            lobe[:0] if plain else lobe,
            medium.size,
            index,
            medium.panes,
            medium.opening,
            medium.rim,
            strips,
            medium.rock,
            medium.discs,
            medium.plates,
            normals[here] if normals.shape[1] else normals,
            least=max(1, LEAST_PAIRS // len(sources)),
        )
        found[:, here] = some_found.T
    return found


MOST_DEPTHS = 32
"""Points at more depths than this are read from tables at even depths."""
RUNG, WIDER = 0.002, 0.00002
"""Distance of those depths under the surface [m], and half of how much more each is than the one before, as light
varies less the deeper it comes. PAR is off by less than 0.2 % under a light 6 cm over the water, and by less than
0.03 % at 20 cm.
"""
RUNGS = 10
"""So many of those depths always come together, so that other points find their tables made."""


def _layers(depth: Array) -> tuple[Array, NDArray[np.int64], Array]:
    """Depths of tables for points at depths (k,) [m]: the depth of each point among them, or the next above it, and
    how far the point lies towards the next below [-].
    """
    depths, layer = np.unique(depth, return_inverse=True)
    if len(depths) <= MOST_DEPTHS:
        return depths, layer, np.zeros(len(depth))
    at = (np.sqrt(RUNG * RUNG + 4.0 * WIDER * depth) - RUNG) / (2.0 * WIDER)
    first, last = math.floor(at.min() / RUNGS) * RUNGS, math.ceil(at.max() / RUNGS) * RUNGS
    rungs = np.arange(first, last + 1)
    depths, layer = RUNG * rungs + WIDER * rungs * rungs, np.minimum(at.astype(np.int64) - first, last - first - 1)
    return depths, layer, (depth - depths[layer]) / (depths[layer + 1] - depths[layer])


@lru_cache(maxsize=128)
def _laid_out(emitter: Emitter, step: float) -> tuple[Array, Array, NDArray[np.int64], float]:
    """Sources of an area, their heights [m], the sources at each height, and the photons' mean wavelength [nm]."""
    sources = emitter.sources(step=step)
    heights, at_height = np.unique(sources[:, 2].round(5), return_inverse=True)
    mean = sum(channel.share * mean_wavelength(channel.spectrum) for channel in emitter.channels)
    return sources, heights, at_height, mean


@cached(128_000_000)
def _paths(
    water: Water,
    spectra: tuple[Spectrum | None, ...],
    lobe: Beam | None,
    index: float,
    depth: float,
    depths: tuple[float, ...],
    heights: tuple[float, ...],
    scalar: bool,
    ledge: float,
) -> Array:
    """Path tables from the cache: they stay the same while a fixture moves at its height."""
    steepest = steepest_tangent(index)
    longest = depth * (math.sqrt(1.0 + steepest * steepest) if index > 1.001 else 30.0)
    fades = np.stack([attenuation_table(water, spectrum, longest) for spectrum in spectra])
    round_lobe = lobe.table()[:, 0].copy() if lobe else np.empty(0)
    found = np.empty((len(depths), len(heights), path_tables.TABLE_SIZE, path_tables.GEOMETRY + len(fades)))
    shared_out(
        len(depths), path_tables.path_tables, found, np.array(depths), np.array(heights), round_lobe, index, fades,
        longest, water.ripple / math.sqrt(2.0), scalar, ledge,
    )  # fmt: skip
    return found


def grid(tank: Tank, counts: tuple[int, int, int], *, depths: tuple[float, float] | None = None) -> Array:
    """Points (nx, ny, nz, 3) spread evenly over the water, half a step in from every pane.

    ``depths`` limits the range; by default from the surface to the sand [m].
    """
    top, bottom = depths or (0.0, tank.sand_depth)
    axes = [
        (np.arange(count) + 0.5) / count * (high - low) + low
        for count, low, high in zip(counts, (0.0, 0.0, top), (tank.length, tank.width, bottom), strict=True)
    ]
    return np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)

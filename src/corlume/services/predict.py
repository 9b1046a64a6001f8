"""Predict the light of a setup: planes for the drawings, what judgements look at, the reading at a probe.

The light falls into the tank that is given. A keeper's tank is ``StoredTank.lit_tank``, with the shade of its corals;
the one without is asked for by name.

Unit fields are remembered for each fixture and channel, so that a dimmer costs nothing and a moved fixture
recomputes that one alone, and those that it shades.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.geometry import Tank
from corlume.core.hanging.levels import Aim, best_levels
from corlume.core.judgement.intent import Places
from corlume.core.judgement.targets import Band, LightTargets
from corlume.core.judgement.zones import Surface, surfaces
from corlume.core.memory import remembered
from corlume.core.optics.budget import FluxBudget, flux_budget
from corlume.core.optics.conversion import daily_light
from corlume.core.optics.emitter import Emitter
from corlume.core.optics.field import Medium, Sensor, Strip, channel_fields, grid, unit_field
from corlume.core.optics.ripple import flicker
from corlume.core.optics.spectrum import WAVELENGTHS, mixed, usable_share
from corlume.core.scene import Fixture, bodies_below
from corlume.reference.spectra import weightings

Array = NDArray[np.float64]
SliceKind = Literal["plan", "front", "side"]
STEP = 0.028
"""Distance between the nodes of a drawn plane [m]; planes are capped at 90 nodes a side."""


@dataclass(frozen=True, slots=True)
class Place:
    """A point in the water [m]."""

    x: float
    y: float
    depth: float


@dataclass(frozen=True, slots=True)
class PlaneSpec:
    """Which points of a tank: a drawn slice, the plane, volume or rings that verdicts use, all surfaces, places, one
    point.

    ``coarse`` asks for half the nodes along each axis of a slice.
    """

    kind: Literal["plan", "front", "side", "judge", "volume", "ring", "surfaces", "places", "point"]
    at: float | int | Place | Places = 0.0
    coarse: bool = False


@dataclass(frozen=True, slots=True)
class Plane:
    """A slice through the tank: node positions along its two axes [m] and PAR (nu, nv); NaN inside rock and sand."""

    u: Array
    v: Array
    par: Array


@dataclass(frozen=True, slots=True)
class Reading:
    """What the probe says: PAR, its parts by fixture, the daily dose (DLI) [mol/m2/d] and the band.

    ``scalar`` is what a sphere would read; ``flicker`` the standard deviation over the mean with ripples [-];
    ``usable`` the share of the light by each weighting of ``weightings()``, as it arrives at this depth [-].
    """

    place: Place
    par: float
    scalar: float
    flicker: float
    usable: dict[str, float]
    parts: tuple[float, ...]
    dose: float
    band: Band
    in_rock: bool


@lru_cache(maxsize=64)
def same_tank(tank: Tank) -> Tank:
    """The tank, or the first one equal to it: whoever asks by the same object finds what is remembered at once."""
    return tank


def first_look(tank: Tank) -> Tank | None:
    """The tank without the light that its floor sends back, for a first drawing; None when all of it is known."""
    if medium_of.knows(replace(tank, colonies=())):  # type: ignore[attr-defined]
        return None
    return replace(tank, sand_albedo=0.0, rock_albedo=0.0)


def par_at(tank: Tank, fixtures: Sequence[Fixture], points: Array, *, sensor: Sensor = "planar") -> Array:
    """PAR (n,) at points (n, 3) anywhere in the water, nothing remembered."""
    medium, total = medium_of(tank), np.zeros(len(points))
    for i, f in enumerate(fixtures):
        if f.output > 0:
            found = channel_fields(medium, f.emitter, points, sensor=sensor, bodies=bodies_below(fixtures, i))
            total += _mixed(f.strengths, found)
    return total


def slice_plane(tank: Tank, fixtures: Sequence[Fixture], kind: SliceKind, at: float, *, coarse: bool = False) -> Plane:
    """PAR on a slice: plan at a depth, front elevation at a y, side elevation at an x [m]."""
    spec = PlaneSpec(kind, at, coarse)
    u, v = _axes(tank, kind, coarse)
    return Plane(u, v, _masked(tank, fixtures, spec))


Layer = Literal["par", "scalar", "share", "shadow", "soft", "flicker"]
LAYERS: dict[Layer, str] = {
    "par": "PAR",
    "scalar": "PAR on a sphere",
    "share": "Share of the chosen fixture",
    "shadow": "What rock, corals and braces take",
    "soft": "Softness of shade",
    "flicker": "Flicker",
}
PLATE = 0.5
"""A plate's radius as a share of its height over the place that it shades, for the layer "soft" [-]."""
PARTS = tuple(
    Band(f"part-{k}", f"{low} to {high} %" if high < 100 else f"{low} % and more", low, high if high < 100 else 1e3)
    for k, (low, high) in enumerate(((0, 10), (10, 25), (25, 50), (50, 75), (75, 100)))
)
"""Bands of the layers that show percentages."""
SHADES = tuple(replace(band, key=f"part-{len(PARTS) - 1 - k}") for k, band in enumerate(PARTS))
"""The same for shadow, where more is darker."""
FLICKERS = tuple(
    Band(f"part-{k}", f"{low} to {high} %" if high < 100 else f"{low} % and more", low, high if high < 100 else 1e3)
    for k, (low, high) in enumerate(((0, 2), (2, 5), (5, 10), (10, 20), (20, 100)))
)
"""Bands of flicker."""


def layer_plane(
    tank: Tank,
    fixtures: Sequence[Fixture],
    kind: SliceKind,
    at: float,
    layer: Layer,
    chosen: int | None,
    *,
    coarse: bool = False,
) -> Plane:
    """A slice of a layer: PAR or PAR on a sphere; or in percent the share of the fixture of index ``chosen``, what
    rock and braces take, what still gets under a plate, or how much the light flickers.
    """
    plane = slice_plane(tank, fixtures, kind, at, coarse=coarse)
    spec = PlaneSpec(kind, at, coarse)
    whole = plane.par
    match layer:
        case "par":
            return plane
        case "scalar":
            shown = _total(tank, fixtures, spec, sensor="scalar")
            return Plane(plane.u, plane.v, np.where(np.isfinite(whole), shown, np.nan))
        case "share":
            part = _part(tank, fixtures, chosen, spec) if chosen is not None else np.zeros_like(whole)
        case "shadow":
            whole = _total(replace(tank, rocks=(), braces=(), colonies=()), fixtures, spec)
            part = np.maximum(0.0, whole - plane.par)
        case "soft":
            part = _total(tank, fixtures, spec, ledge=PLATE)
        case "flicker":
            part = whole * _flicker(tank, fixtures, spec)
    share = 100 * part / np.where(whole > 0, whole, np.inf)
    return Plane(plane.u, plane.v, np.where(np.isfinite(plane.par), share, np.nan))


def _flicker(tank: Tank, fixtures: Sequence[Fixture], spec: PlaneSpec) -> Array:
    """Standard deviation over mean at points [-]; the patterns of several fixtures do not know of each other."""
    depth = _points(tank, spec)[..., 2]
    total, square = np.zeros(depth.shape), np.zeros(depth.shape)
    for i, f in enumerate(fixtures):
        if f.output > 0:
            part = _part(tank, fixtures, i, spec)
            total += part
            square += (part * _unit_flicker(tank, f.emitter, spec)) ** 2
    result: Array = np.sqrt(square) / np.where(total > 0, total, np.inf)
    return result


@remembered(16_000_000)
def _unit_flicker(tank: Tank, emitter: Emitter, spec: PlaneSpec) -> Array:
    return flicker(emitter, _points(tank, spec)[..., 2], slope=tank.water.ripple, index=tank.index)


def flicker_at(tank: Tank, fixtures: Sequence[Fixture], place: Place) -> float:
    """Standard deviation over mean of the light at one place with the surface rippled [-]."""
    return float(_flicker(tank, fixtures, PlaneSpec("point", place))[0])


def read_probe(tank: Tank, fixtures: Sequence[Fixture], targets: LightTargets, hours: float, place: Place) -> Reading:
    """Read PAR at one point of the water."""
    spec = PlaneSpec("point", place)
    by_channel = [
        np.asarray(f.strengths) * _unit(tank, f.emitter, spec, bodies=bodies_below(fixtures, i))[:, 0]
        for i, f in enumerate(fixtures)
    ]
    parts = tuple(float(p.sum()) for p in by_channel)
    par = sum(parts)
    return Reading(
        place=place,
        par=par,
        scalar=float(_total(tank, fixtures, spec, sensor="scalar")[0]),
        flicker=flicker_at(tank, fixtures, place),
        usable=_usable(tank, fixtures, by_channel, place.depth),
        parts=parts,
        dose=daily_light(par, hours),
        band=targets.band_at(par),
        in_rock=bool(tank.in_rock(_points(tank, spec))[0]),
    )


def _usable(tank: Tank, fixtures: Sequence[Fixture], by_channel: Sequence[Array], depth: float) -> dict[str, float]:
    """Share of the light at a depth that each published weighting counts, by the colours of every channel there."""
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


def surface_par(tank: Tank, fixtures: Sequence[Fixture]) -> list[Array]:
    """PAR (nx, ny) on the cells of every surface of ``surfaces_of``, in its order."""
    total = _total(tank, fixtures, PlaneSpec("surfaces"))
    shapes = [surface.free.shape for surface in surfaces_of(tank)]
    ends = np.cumsum([0, *(math.prod(shape) for shape in shapes)])
    return [total[start:end].reshape(shape) for start, end, shape in zip(ends, ends[1:], shapes, strict=False)]


def judged_planes(tank: Tank, fixtures: Sequence[Fixture]) -> tuple[Array, Array, Array]:
    """PAR over the plane at the rock top (nx, ny) and over the water below it (n,), rock as NaN; and the points of both
    (m, 3), one after the other.
    """
    plane, water = (_masked(tank, fixtures, PlaneSpec(kind)) for kind in ("judge", "volume"))
    points = np.concatenate([_points(tank, PlaneSpec(kind)).reshape(-1, 3) for kind in ("judge", "volume")])
    return plane[:, :, 0], water.ravel(), points


def open_plane(tank: Tank) -> Array:
    """Points (n, 3) of the plane at the rock top that do not lie in rock."""
    spec = PlaneSpec("judge")
    free: Array = _points(tank, spec)[~_rock_mask(tank, spec)]
    return free


def par_in(tank: Tank, fixtures: Sequence[Fixture], places: Places) -> Array:
    """PAR (n,) at the points of some places, remembered as long as these are the same ones."""
    return _total(tank, fixtures, PlaneSpec("places", places))


def ring_planes(tank: Tank, fixtures: Sequence[Fixture], depths: Sequence[float]) -> list[Array]:
    """PAR (nx, ny) over planes at some depths [m], rock as NaN, for the table by rings."""
    return [_masked(tank, fixtures, PlaneSpec("ring", float(depth)))[:, :, 0] for depth in depths]


def spilled(tank: Tank, fixtures: Sequence[Fixture]) -> float:
    """Share of all light given off that misses the opening [-]."""
    budgets = [(f.strength, _budget(tank, f.emitter)) for f in fixtures]
    given = sum(output * b.ppf for output, b in budgets)
    return sum(output * b.spilled for output, b in budgets) / given if given else 0.0


def taken_by_braces(tank: Tank, fixtures: Sequence[Fixture]) -> tuple[float, ...]:
    """Share of each fixture's light that braces and edges over the water take of what else would come in [-]."""
    if not tank.braces:
        return (0.0,) * len(fixtures)
    free = replace(tank, braces=())
    pairs = [(_budget(tank, f.emitter).entered, _budget(free, f.emitter).entered) for f in fixtures]
    return tuple(1 - entered / whole if whole > 0 else 0.0 for entered, whole in pairs)


def _masked(tank: Tank, fixtures: Sequence[Fixture], spec: PlaneSpec) -> Array:
    return np.where(_rock_mask(tank, spec), np.nan, _total(tank, fixtures, spec))


def _total(
    tank: Tank, fixtures: Sequence[Fixture], spec: PlaneSpec, *, sensor: Sensor = "planar", ledge: float = 0.0
) -> Array:
    total = np.zeros(_points(tank, spec).shape[:-1])
    for i, f in enumerate(fixtures):
        if f.output > 0:
            total += _part(tank, fixtures, i, spec, sensor=sensor, ledge=ledge)
    return total


def _part(
    tank: Tank,
    fixtures: Sequence[Fixture],
    index: int,
    spec: PlaneSpec,
    *,
    sensor: Sensor = "planar",
    ledge: float = 0.0,
) -> Array:
    """What one of the fixtures brings, shaded by those that hang lower."""
    f = fixtures[index]
    unit = _unit(tank, f.emitter, spec, sensor, ledge, bodies_below(fixtures, index))
    return _mixed(f.strengths, unit)


def _mixed(strengths: Sequence[float], unit: Array) -> Array:
    """Channels (c, ...) each times its strength, added up; not by linear algebra, whose threads spin for so little."""
    total: Array = strengths[0] * unit[0]
    for strength, channel in zip(strengths[1:], unit[1:], strict=True):
        total += strength * channel
    return total


@remembered(96_000_000)
def _unit(
    tank: Tank,
    emitter: Emitter,
    spec: PlaneSpec,
    sensor: Sensor = "planar",
    ledge: float = 0.0,
    bodies: tuple[Strip, ...] = (),
) -> Array:
    return channel_fields(medium_of(tank), emitter, _points(tank, spec), sensor=sensor, ledge=ledge, bodies=bodies)


@lru_cache(maxsize=256)
def _budget(tank: Tank, emitter: Emitter) -> FluxBudget:
    return flux_budget(tank, emitter)


@remembered(96_000_000)
def medium_of(tank: Tank) -> Medium:
    """The tank as the kernel reads it, remembered: what its floor sends back takes a second to work out."""
    if tank.colonies:
        # what comes back from the floor does not wait for a coral to be moved
        bare = medium_of(replace(tank, colonies=()))
        discs = np.array([(c.x, c.y, c.depth, c.radius) for c in tank.colonies])
        return replace(bare, discs=discs)
    return Medium.of(tank)


@remembered(8_000_000)
def _rock_mask(tank: Tank, spec: PlaneSpec) -> NDArray[np.bool_]:
    return tank.in_rock(_points(tank, spec))


def surfaces_of(tank: Tank) -> tuple[Surface, ...]:
    """The surfaces that corals can sit on, remembered; corals do not change them."""
    return _surfaces(replace(tank, colonies=()))


@lru_cache(maxsize=16)
def _surfaces(tank: Tank) -> tuple[Surface, ...]:
    return tuple(surfaces(tank))


def _axes(tank: Tank, kind: SliceKind, coarse: bool = False) -> tuple[Array, Array]:
    sizes = {"x": tank.length, "y": tank.width, "depth": tank.water_depth}
    names = {"plan": ("x", "y"), "front": ("x", "depth"), "side": ("y", "depth")}[kind]
    counts = (min(90, max(12, round(sizes[name] / STEP))) for name in names)
    u, v = (np.linspace(0.0, sizes[n], count // 2 if coarse else count) for n, count in zip(names, counts, strict=True))
    return u, v


@remembered(24_000_000)
def _points(tank: Tank, spec: PlaneSpec) -> Array:
    match spec.kind, spec.at:
        case "point", Place() as place:
            return np.array([[place.x, place.y, place.depth]])
        case "places", Places() as places:
            return places.points
        case "surfaces", _:
            return np.concatenate([np.empty((0, 3)), *(s.points.reshape(-1, 3) for s in surfaces_of(tank))])
        case "judge", _:
            depth = tank.rock_top()
            return grid(tank, (42, 20, 1), depths=(depth, depth))
        case "volume", _:
            return grid(tank, (20, 10, 7), depths=(tank.rock_top(), tank.sand_depth))
        case "ring", float() as depth:
            return grid(tank, (24, 15, 1), depths=(depth, depth))
        case ("plan" | "front" | "side") as kind, float() as at:
            u, v = np.meshgrid(*_axes(tank, kind, spec.coarse), indexing="ij")
            w = np.full_like(u, at)
            order = {"plan": (u, v, w), "front": (u, w, v), "side": (w, u, v)}[kind]
            return np.stack(order, axis=-1)
    raise ValueError(f"no points for {spec}")


def warm_up() -> None:
    """Compile every kernel, or load it from its cache, by solving one small tank."""
    tank = Tank(length=0.5, width=0.4, water_depth=0.3)
    emitter = Emitter("led_cluster", 10.0, 2.0, 0.1, 0.1, 0.25, 0.2, 0.2)
    medium, points = Medium.of(tank), grid(tank, (4, 4, 2)).reshape(-1, 3)
    field = unit_field(medium, emitter, points)
    channel_fields(medium, emitter, points, sensor="scalar")
    best_levels(field[None, :], Aim(points, field, np.ones(len(points))))

"""PAR of a setup at points of a tank.

Unit fields are remembered for each fixture and channel, so that a dimmer costs nothing and a moved fixture
recomputes that one alone, and those that it shades. The light falls into the tank that is given: a keeper's tank is
``StoredTank.lit_tank``, with the shade of its corals; the one without is asked for by name.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.cache import cached
from corlume.core.judging.intent import Places
from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium, Sensor, channel_fields, disc_rows
from corlume.core.light.fixture import Fixture, bodies_below
from corlume.core.light.geometry import Strip, Tank
from corlume.services.light.points import PlaneSpec, SliceKind, axes_of, points_of, rock_mask, surfaces_of

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Plane:
    """A slice through the tank: node positions along its two axes [m] and PAR (nu, nv); NaN inside rock and sand."""

    u: Array
    v: Array
    par: Array


def first_look(tank: Tank) -> Tank | None:
    """The tank without interreflection, for a first drawing; None when the whole field is cached."""
    if medium_of.knows(replace(tank, colonies=(), plates=())):  # type: ignore[attr-defined]
        return None
    return replace(tank, sand_albedo=0.0, rock_albedo=0.0)


def par_at(
    tank: Tank,
    fixtures: Sequence[Fixture],
    points: Array,
    *,
    sensor: Sensor = "planar",
    normals: Array | None = None,
    ledge: float = 0.0,
) -> Array:
    """PAR (n,) at points (n, 3) anywhere in the water, or on surfaces with ``normals`` (n, 3); with a ``ledge``, under
    a plate of that width over its height. Not cached.
    """
    return np.asarray(_parts(tank, fixtures, points, sensor, normals, ledge).sum(axis=0))


def parts_at(tank: Tank, fixtures: Sequence[Fixture], points: Array, normals: Array | None = None) -> Array:
    """PAR (fixtures, n) that each fixture gives at points; see ``par_at``."""
    return _parts(tank, fixtures, points, "planar", normals, 0.0)


def _parts(
    tank: Tank, fixtures: Sequence[Fixture], points: Array, sensor: Sensor, normals: Array | None, ledge: float
) -> Array:
    medium, parts = medium_of(tank), np.zeros((len(fixtures), len(points)))
    for i, f in enumerate(fixtures):
        if f.output > 0:
            bodies = bodies_below(fixtures, i)
            found = channel_fields(
                medium, f.emitter, points, sensor=sensor, bodies=bodies, normals=normals, ledge=ledge
            )
            parts[i] = _mixed(f.strengths, found)
    return parts


def slice_plane(tank: Tank, fixtures: Sequence[Fixture], kind: SliceKind, at: float, *, coarse: bool = False) -> Plane:
    """PAR on a slice: plan at a depth, front elevation at a y, side elevation at an x [m]."""
    spec = PlaneSpec(kind, at, coarse)
    u, v = axes_of(tank, kind, coarse)
    return Plane(u, v, masked(tank, fixtures, spec))


def surface_par(tank: Tank, fixtures: Sequence[Fixture]) -> list[Array]:
    """PAR (nx, ny) on the cells of every surface of ``surfaces_of``, in its order."""
    total = total_of(tank, fixtures, PlaneSpec("surfaces"))
    shapes = [surface.free.shape for surface in surfaces_of(tank)]
    ends = np.cumsum([0, *(math.prod(shape) for shape in shapes)])
    return [total[start:end].reshape(shape) for start, end, shape in zip(ends, ends[1:], shapes, strict=False)]


def judged_planes(tank: Tank, fixtures: Sequence[Fixture]) -> tuple[Array, Array, Array]:
    """PAR over the plane at the rock top (nx, ny) and over the water below it (n,), NaN in rock; and the points of both
    (m, 3).
    """
    spec, top = PlaneSpec("judged"), points_of(tank, PlaneSpec("judge"))
    par, count = masked(tank, fixtures, spec), top[..., 0].size
    return par[:count].reshape(top.shape[:2]), par[count:], points_of(tank, spec)


def small_plane(tank: Tank, fixtures: Sequence[Fixture]) -> Plane:
    """The plane at the rock top at the points of the judgement, for small pictures, which so cost nothing more.

    The outermost points stand for the edges, half a step from them.
    """
    points, (par, _, _) = points_of(tank, PlaneSpec("judge")), judged_planes(tank, fixtures)
    u, v = points[:, 0, 0, 0].copy(), points[0, :, 0, 1].copy()
    u[[0, -1]], v[[0, -1]] = (0.0, tank.length), (0.0, tank.width)
    return Plane(u, v, par)


def open_plane(tank: Tank) -> Array:
    """Points (n, 3) of the plane at the rock top outside rock."""
    spec = PlaneSpec("judge")
    free: Array = points_of(tank, spec)[~rock_mask(tank, spec)]
    return free


def par_in(tank: Tank, fixtures: Sequence[Fixture], places: Places) -> Array:
    """PAR (n,) at the points of some places, cached while the places stay the same."""
    return total_of(tank, fixtures, PlaneSpec("places", places))


def masked(tank: Tank, fixtures: Sequence[Fixture], spec: PlaneSpec) -> Array:
    """PAR of a setup at points, NaN inside rock and sand [umol/m2/s]."""
    return np.where(rock_mask(tank, spec), np.nan, total_of(tank, fixtures, spec))


def total_of(
    tank: Tank, fixtures: Sequence[Fixture], spec: PlaneSpec, *, sensor: Sensor = "planar", ledge: float = 0.0
) -> Array:
    """PAR of a setup at points; with a ``ledge``, under a plate of that width over its height [-]."""
    total = np.zeros(points_of(tank, spec).shape[:-1])
    for i, f in enumerate(fixtures):
        if f.output > 0:
            total += part_of(tank, fixtures, i, spec, sensor=sensor, ledge=ledge)
    return total


def part_of(
    tank: Tank,
    fixtures: Sequence[Fixture],
    index: int,
    spec: PlaneSpec,
    *,
    sensor: Sensor = "planar",
    ledge: float = 0.0,
) -> Array:
    """PAR of one of the fixtures, shaded by those that hang lower."""
    f = fixtures[index]
    unit = unit_of(tank, f.emitter, spec, sensor, ledge, bodies_below(fixtures, index))
    return _mixed(f.strengths, unit)


def _mixed(strengths: Sequence[float], unit: Array) -> Array:
    """Sum of channels (c, ...) times their strengths; not by linear algebra, whose threads would spin for so little."""
    total: Array = strengths[0] * unit[0]
    for strength, channel in zip(strengths[1:], unit[1:], strict=True):
        total += strength * channel
    return total


@cached(96_000_000)
def unit_of(
    tank: Tank,
    emitter: Emitter,
    spec: PlaneSpec,
    sensor: Sensor = "planar",
    ledge: float = 0.0,
    bodies: tuple[Strip, ...] = (),
) -> Array:
    """PAR (channels, ...) of each channel of an emitter at full output at points, past bodies that hang lower."""
    normals = spec.at.normals if isinstance(spec.at, Places) else None
    points = points_of(tank, spec)
    return channel_fields(medium_of(tank), emitter, points, sensor=sensor, ledge=ledge, bodies=bodies, normals=normals)


def work_out_together(tank: Tank, fixtures: Sequence[Fixture], specs: Sequence[PlaneSpec]) -> None:
    """Compute and cache the missing fields of all fixtures at several sets of points, in one call for each.

    Surfaces that face another way than up are left out.
    """
    level = [spec for spec in specs if not (isinstance(spec.at, Places) and spec.at.normals is not None)]
    for i, fixture in enumerate(fixtures):
        how = ("planar", 0.0, bodies_below(fixtures, i))
        unknown = [spec for spec in level if not unit_of.knows(tank, fixture.emitter, spec, *how)]  # type: ignore[attr-defined]
        if not fixture.output or len(unknown) < 2:
            continue
        points = [points_of(tank, spec) for spec in unknown]
        flat = np.concatenate([one.reshape(-1, 3) for one in points])
        unit = channel_fields(medium_of(tank), fixture.emitter, flat, bodies=how[2])
        ends = np.cumsum([one.size // 3 for one in points])[:-1]
        for spec, one, part in zip(unknown, points, np.split(unit, ends, axis=1), strict=True):
            unit_of.learn(part.reshape(len(unit), *one.shape[:-1]).copy(), tank, fixture.emitter, spec, *how)  # type: ignore[attr-defined]


@cached(96_000_000)
def medium_of(tank: Tank) -> Medium:
    """Medium of a tank, cached: its interreflection takes a second to compute."""
    if tank.colonies or tank.plates:
        # what comes back from the floor does not wait for a coral or a rack to be moved
        bare = medium_of(replace(tank, colonies=(), plates=()))
        return replace(
            bare, discs=disc_rows(tank.colonies), plates=np.array(tank.plates, dtype=np.float64).reshape(-1, 6)
        )
    return Medium.of(tank)

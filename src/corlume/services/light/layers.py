"""Layers of the PAR map besides PAR: spherical PAR, shares, shadow, softness of shadow, shimmer."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.cache import cached
from corlume.core.judging.targets import Band, LightTargets
from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.light.shimmer import fluctuation
from corlume.core.schedule.day import Day
from corlume.core.schedule.dose import USUAL_DAY
from corlume.core.survey.survey_record import Survey
from corlume.services.light.fields import Plane, part_of, slice_plane, total_of
from corlume.services.light.points import PlaneSpec, SliceKind, WaterPoint, points_of
from corlume.services.light.uncertainty import uncertainty_at

Array = NDArray[np.float64]
Layer = Literal["par", "dose", "scalar", "share", "shadow", "soft", "fluctuation", "sure", "told", "change"]
LAYERS: dict[Layer, str] = {
    "par": "PAR",
    "dose": "Daily light",
    "scalar": "PAR on a sphere",
    "share": "Share of the chosen fixture",
    "shadow": "Light lost to rock, corals and braces",
    "soft": "Softness of shade",
    "fluctuation": "Shimmer",
    "sure": "How sure it is",
    "told": "PAR predicted, without the survey",
    "change": "What the survey changes",
}
OF_SURVEY = ("told", "change")
"""Layers that want a survey in use."""
PLATE = 0.5
"""A plate's radius as a share of its height over the place that it shades, for the layer "soft" [-]."""
PARTS = tuple(
    Band(f"part-{k}", f"{low} to {high} %" if high < 100 else f"{low} % and more", low, high if high < 100 else 1e3)
    for k, (low, high) in enumerate(((0, 10), (10, 25), (25, 50), (50, 75), (75, 100)))
)
"""Bands of the layers that show percentages."""
SHADES = tuple(replace(band, key=f"part-{len(PARTS) - 1 - k}") for k, band in enumerate(PARTS))
"""The same for shadow, where more is darker."""
DOUBTS = tuple(
    Band(f"part-{k}", f"{low} to {high} %" if high < 100 else f"{low} % and more", low, high if high < 100 else 1e3)
    for k, (low, high) in enumerate(((0, 5), (5, 10), (10, 20), (20, 30), (30, 100)))
)
"""Bands of the standard deviation of PAR."""
CHANGES = tuple(
    Band(f"diff-{k}", words, low, high)
    for k, (words, low, high) in enumerate((
        ("darker by 20 % and more", -1e3, -20.0), ("darker by 7 to 20 %", -20.0, -7.0), ("within 7 %", -7.0, 7.0),
        ("brighter by 7 to 20 %", 7.0, 20.0), ("brighter by 20 % and more", 20.0, 1e4),
    ))
)  # fmt: skip
"""Bands of what a survey changes."""
FLUCTUATIONS = tuple(
    Band(f"part-{k}", f"{low} to {high} %" if high < 100 else f"{low} % and more", low, high if high < 100 else 1e3)
    for k, (low, high) in enumerate(((0, 2), (2, 5), (5, 10), (10, 20), (20, 100)))
)
"""Bands of shimmer."""


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
    """A slice of a layer: PAR or spherical PAR; or in percent the share of the fixture of index ``chosen``, light taken
    by rock and braces, light left under a plate, or shimmer.
    """
    plane = slice_plane(tank, fixtures, kind, at, coarse=coarse)
    spec = PlaneSpec(kind, at, coarse)
    whole = plane.par
    match layer:
        case "par":
            return plane
        case "sure" | "told" | "change" | "dose":
            raise ValueError(f"the layer {layer} needs more than the light as it is set")
        case "scalar":
            shown = total_of(tank, fixtures, spec, sensor="scalar")
            return Plane(plane.u, plane.v, np.where(np.isfinite(whole), shown, np.nan))
        case "share":
            part = part_of(tank, fixtures, chosen, spec) if chosen is not None else np.zeros_like(whole)
        case "shadow":
            whole = total_of(
                replace(tank, rocks=(), natural_rocks=(), brushed_rock=(), braces=(), colonies=(), plates=()),
                fixtures,
                spec,
            )
            part = np.maximum(0.0, whole - plane.par)
        case "soft":
            part = total_of(tank, fixtures, spec, ledge=PLATE)
        case "fluctuation":
            part = whole * _fluctuation_over(tank, fixtures, spec)
    share = 100 * part / np.where(whole > 0, whole, np.inf)
    return Plane(plane.u, plane.v, np.where(np.isfinite(plane.par), share, np.nan))


def dose_plane(
    tank: Tank, fixtures: Sequence[Fixture], day: Day, kind: SliceKind, at: float, *, coarse: bool = False
) -> Plane:
    """A slice of daily light [mol/m2/d]."""
    mean = slice_plane(tank, day.averaged(fixtures), kind, at, coarse=coarse)
    return Plane(mean.u, mean.v, mean.par * 86_400e-6)


def dose_bands(targets: LightTargets) -> tuple[Band, ...]:
    """The bands of PAR as daily light over ``USUAL_DAY`` hours."""
    by_day = USUAL_DAY * 3600e-6
    return tuple(replace(band, low=band.low * by_day, high=band.high * by_day) for band in targets.bands())


def survey_plane(
    tank: Tank,
    fixtures: Sequence[Fixture],
    told: Tank,
    survey: Survey | None,
    kind: SliceKind,
    at: float,
    layer: Layer,
    *,
    coarse: bool = False,
) -> Plane:
    """A slice of a survey layer: standard deviation of PAR in percent, PAR as entered, or the survey's change of it in
    percent.
    """
    bare = [replace(f, measured=1.0) for f in fixtures]
    if layer == "told":
        return slice_plane(told, bare, kind, at, coarse=coarse)
    now = slice_plane(tank, fixtures, kind, at, coarse=coarse)
    if layer == "change":
        before = slice_plane(told, bare, kind, at, coarse=coarse).par
        return Plane(now.u, now.v, 100 * (now.par / np.where(before > 0, before, np.nan) - 1))
    found = uncertainty_at(told, fixtures, PlaneSpec(kind, at, coarse), survey)
    sd = np.zeros_like(now.par) if found is None else 100 * found.sd.reshape(now.par.shape)
    return Plane(now.u, now.v, np.where(np.isfinite(now.par), sd, np.nan))


def _fluctuation_over(tank: Tank, fixtures: Sequence[Fixture], spec: PlaneSpec) -> Array:
    """Shimmer at points, standard deviation over mean [-]; fixtures are independent of each other."""
    depth = points_of(tank, spec)[..., 2]
    total, square = np.zeros(depth.shape), np.zeros(depth.shape)
    for i, f in enumerate(fixtures):
        if f.output > 0:
            part = part_of(tank, fixtures, i, spec)
            total += part
            square += (part * _unit_fluctuation(tank, f.emitter, spec)) ** 2
    result: Array = np.sqrt(square) / np.where(total > 0, total, np.inf)
    return result


@cached(16_000_000)
def _unit_fluctuation(tank: Tank, emitter: Emitter, spec: PlaneSpec) -> Array:
    return fluctuation(emitter, points_of(tank, spec)[..., 2], slope=tank.water.ripple, index=tank.index)


def fluctuation_at(tank: Tank, fixtures: Sequence[Fixture], place: WaterPoint) -> float:
    """Shimmer at one place with the surface rippled, standard deviation over mean [-]."""
    return float(_fluctuation_over(tank, fixtures, PlaneSpec("point", place))[0])

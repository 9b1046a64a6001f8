"""A stroke of the brush: rock raised and lowered in the plan, added and carved in the front view."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.light.brushed_rock import Strokes, no_strokes
from corlume.core.light.geometry import Tank
from corlume.core.light.rockwork import columns_of, tops_of
from corlume.core.light.sampled_rock import SampledRock, sampled_from

Array = NDArray[np.float64]
BrushView = Literal["plan", "front"]
SMALLEST, LARGEST = 0.01, 0.30
"""Radius of a brush [m]."""
HIGHEST = 0.30
"""A stroke raises or lowers rock by at most this [m]."""
GRIP = 0.01
"""What is raised reaches so far into what it stands on [m]."""
MOST_STOPS = 400


@dataclass(frozen=True, slots=True)
class Stroke:
    """A stroke: its places (u, v), from left and front in the plan, from left and depth in the front view [m]; whether
    it adds rock; its radius [m]; how soft its edge is [-]; and in the plan by how much it raises or lowers, in the
    front view how far from the front it works [m].
    """

    view: BrushView
    places: Sequence[tuple[float, float]]
    adds: bool
    radius: float
    softness: float
    by: float = 0.03
    at: float = 0.0

    def __post_init__(self) -> None:
        rules = Rules()
        rules.that(bool(self.places), "places", "must have at least one")
        rules.between("radius", self.radius, SMALLEST, LARGEST, "length")
        rules.between("softness", self.softness, 0.0, 1.0, "share")
        rules.between("by", self.by, 0.001, HIGHEST, "length")
        rules.between("at", self.at, 0.0, 5.0, "length")
        rules.finish()


def brushed(tank: Tank, stroke: Stroke) -> Strokes:
    """All strokes of a tank with one more, which works on its rock as it is."""
    now = next((one.strokes for one in tank.brushed_rock if one.strokes), None)
    strokes = now.resized(tank.length, tank.width) if now else no_strokes(tank.length, tank.width)
    rock = _raised(tank, stroke) if stroke.view == "plan" else _swept(tank, stroke)
    return strokes.add(rock) if stroke.adds else strokes.carve(rock)


def _stops(stroke: Stroke) -> Array:
    """Places (n, 2) along a stroke, close enough together for its radius."""
    places = np.array(stroke.places, dtype=np.float64).reshape(-1, 2)
    steps = np.hypot(*np.diff(places, axis=0).T)
    way = np.concatenate([[0.0], np.cumsum(steps)])
    count = int(np.clip(np.ceil(way[-1] / (0.25 * stroke.radius)) + 1, 1, MOST_STOPS))
    at = np.linspace(0.0, way[-1], count)
    return np.column_stack([np.interp(at, way, places[:, axis]) for axis in (0, 1)])


def _lines(tank: Tank, low: Array, high: Array) -> tuple[NDArray[np.int64], NDArray[np.int64], Array, Array]:
    """Numbers and places of the lines of a tank between two places of the plan [m]."""
    counts = np.array(columns_of(tank.length, tank.width)) * 2
    step = np.array([tank.length, tank.width]) / counts
    first = np.maximum(0, np.floor(low / step - 0.5).astype(int))
    last = np.minimum(counts - 1, np.ceil(high / step).astype(int))
    i, j = (
        part.ravel()
        for part in np.meshgrid(*(np.arange(a, b + 1) for a, b in zip(first, last, strict=True)), indexing="ij")
    )
    return i, j, (i + 0.5) * step[0], (j + 0.5) * step[1]


def _falloff(distance: Array, stroke: Stroke) -> Array:
    """Weight of a brush at distances from its middle: 1 inside, falling to 0 over its soft edge."""
    inner = (1.0 - stroke.softness) * stroke.radius
    share = np.clip((stroke.radius - distance) / max(stroke.radius - inner, 1e-9), 0.0, 1.0)
    return np.asarray(np.where(distance <= stroke.radius, share * share * (3.0 - 2.0 * share), 0.0))


def _raised(tank: Tank, stroke: Stroke) -> SampledRock:
    """Rock between the surface as it is and as it is raised to, or lowered from, with heights as negative depths."""
    stops = _stops(stroke)
    i, j, x, y = _lines(tank, stops.min(axis=0) - stroke.radius, stops.max(axis=0) + stroke.radius)
    distance = np.min([np.hypot(x - u, y - v) for u, v in stops.tolist()], axis=0)
    by = stroke.by * _falloff(distance, stroke)
    xs, ys = np.unique(x), np.unique(y)
    grid = tops_of(tank.rockwork, -1, xs, ys, 1)[..., 0]
    top = grid[np.searchsorted(xs, x), np.searchsorted(ys, y)]
    height = np.where(np.isfinite(top), tank.water_depth - top, 0.0)
    if stroke.adds:
        low, high = np.maximum(height - GRIP, 0.0), np.minimum(height + by, tank.water_depth)
    else:
        low, high = np.maximum(height - by, 0.0), height + 0.001
    work = by > 1e-4
    return sampled_from(i[work], j[work], -high[work], -low[work])


def _swept(tank: Tank, stroke: Stroke) -> SampledRock:
    """Rock that a ball swept along a stroke of the front view fills; a soft one is flatter from front to back."""
    stops = _stops(stroke)
    deep = stroke.radius * (1.0 - 0.6 * stroke.softness)
    low = np.array([stops[:, 0].min() - stroke.radius, stroke.at - deep])
    high = np.array([stops[:, 0].max() + stroke.radius, stroke.at + deep])
    i, j, x, y = _lines(tank, low, high)
    parts = []
    for u, depth in stops.tolist():
        inside = 1.0 - ((x - u) / stroke.radius) ** 2 - ((y - stroke.at) / deep) ** 2
        on = inside > 0
        half = stroke.radius * np.sqrt(inside[on])
        height = tank.water_depth - depth
        parts.append((i[on], j[on], -np.minimum(height + half, tank.water_depth), -np.maximum(height - half, 0.0)))
    a, b, tops, bottoms = (np.concatenate(part) for part in zip(*parts, strict=True))
    return sampled_from(a, b, tops, bottoms)

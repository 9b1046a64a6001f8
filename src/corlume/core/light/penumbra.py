"""Penumbra: the width of a shadow's edge under each lamp.

A small lamp throws shadows with a hard edge however many of them there are; long tubes and wide reflectors
light a place from many sides at once, and the edge of a shadow widens as it falls.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from corlume.core.light.emitter import Emitter
from corlume.core.light.geometry import Tank
from corlume.core.light.water_surface import entry_tangent, fresnel_transmittance, steepest_tangent, tube_spread


def shadow_edge_width(
    tank: Tank, lamps: Sequence[tuple[Emitter, float]], place: tuple[float, float, float], *, drop: float = 0.1
) -> float:
    """Width of a shadow's edge [m], ``drop`` below the edge that casts it [m].

    Parameters
    ----------
    lamps : emitters with their output 0..1.
    place : x, y, depth of what throws the shadow [m].

    Returns
    -------
    For each lamp twice the standard deviation, along its wider axis, of where its light through the place
    lands ``drop`` further down; then the mean over lamps by the light they bring. NaN in the dark. A
    measure of our own, to compare kinds by: direct light alone, panes left out.
    """
    found = [_one_lamp(tank, emitter, place) for emitter, _ in lamps]
    light = [strength * output for (strength, _), (_, output) in zip(found, lamps, strict=True)]
    total = sum(light)
    if not total:
        return float("nan")
    return 2 * drop * sum(share * slope for share, (_, slope) in zip(light, found, strict=True)) / total


def _one_lamp(tank: Tank, emitter: Emitter, place: tuple[float, float, float]) -> tuple[float, float]:
    """Relative light of a lamp at full output at a place, and the spread of its slopes in water [-]."""
    n, (px, py, depth) = tank.index, place
    steepest = steepest_tangent(n)
    lobe = emitter.shape().table().mean(axis=1)
    cosines = np.linspace(0.0, 1.0, len(lobe))
    normal = emitter.axes()[2]
    slopes, weights = [], []
    for x, y, h, weight, *_ in emitter.sources(step=0.2):
        dx, dy = px - x, py - y
        r = math.hypot(dx, dy)
        t = entry_tangent(r, h, depth, n, steepest)
        cos_a = 1.0 / math.sqrt(1.0 + t * t)
        sin_w = t * cos_a / n
        cos_w = math.sqrt(1.0 - sin_w * sin_w)
        away = np.array([dx, dy]) / r if r > 1e-9 else np.zeros(2)
        aim = float(np.dot(normal, [*(away * t * cos_a), -cos_a]))
        strength = float(np.interp(max(0.0, aim), cosines, lobe)) * cos_a**3 * (aim > 0)
        strength *= (t / r if r > 1e-9 else 1.0 / (h + depth / n)) / tube_spread(t, h, depth, n)
        slopes.append(away * sin_w / cos_w)
        weights.append(emitter.ppf * weight * strength * fresnel_transmittance(cos_a, cos_w, 1.0, n))
    total = sum(weights)
    if not total:
        return 0.0, 0.0
    places, share = np.array(slopes), np.array(weights) / total
    spread = np.sqrt((share[:, None] * (places - share @ places) ** 2).sum(axis=0))
    return total, float(spread.max())

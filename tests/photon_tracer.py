"""An oracle for the field: photons followed one by one, sharing no code with the core.

It emits from the face by the lobe's own distribution, refracts each photon at the surface with its Fresnel
weight, walks it through the real tank from pane to pane, stops it at rock, and counts weights that
cross one depth in square bins. Plain numpy; its error is the counting error of the bins.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

Array = np.ndarray


def trace(
    scene: dict[str, Any], *, depth: float, bins: tuple[int, int], photons: int, seed: int
) -> tuple[Array, Array]:
    """PAR per unit flux in bins over one depth, and its standard error, both (nx, ny) [1/m2].

    ``scene`` holds size (x, y), n, loss [1/m], panes (left, right, front, back) as plain returns, lamp
    (x, y, height, length, width, m), rim, brace (x0, x1, y0, y1) or None, rocks (x0, x1, y0, y1, top, bottom).
    """
    rng = np.random.default_rng(seed)
    sx, sy = scene["size"]
    x0, y0, height, length, width, m = scene["lamp"]
    x = x0 + (rng.random(photons) - 0.5) * length
    y = y0 + (rng.random(photons) - 0.5) * width
    cos_a = rng.random(photons) ** (1 / (m + 1))
    azimuth = 2 * math.pi * rng.random(photons)
    sin_a = np.sqrt(1 - cos_a**2)
    dx, dy = sin_a * np.cos(azimuth), sin_a * np.sin(azimuth)

    alive = np.ones(photons, bool)
    for drop in (height - scene["rim"], height):
        px, py = x + dx / cos_a * drop, y + dy / cos_a * drop
        alive &= (px > 0) & (px < sx) & (py > 0) & (py < sy)
        if scene["brace"] and drop < height:
            b = scene["brace"]
            alive &= ~((px > b[0]) & (px < b[1]) & (py > b[2]) & (py < b[3]))
    x, y = x + dx / cos_a * height, y + dy / cos_a * height

    n = scene["n"]
    cos_w = np.sqrt(1 - (sin_a / n) ** 2)
    s = ((cos_a - n * cos_w) / (cos_a + n * cos_w)) ** 2
    p = ((n * cos_a - cos_w) / (n * cos_a + cos_w)) ** 2
    weight = np.where(alive, 1 - 0.5 * (s + p), 0.0)
    ux, uy = dx / n / cos_w, dy / n / cos_w
    z = np.zeros(photons)
    panes = scene["panes"]
    for _ in range(40):
        going = (weight > 0) & (z < depth)
        if not going.any():
            break
        with np.errstate(divide="ignore", invalid="ignore"):
            to_x = np.where(ux > 0, (sx - x) / ux, np.where(ux < 0, -x / ux, np.inf))
            to_y = np.where(uy > 0, (sy - y) / uy, np.where(uy < 0, -y / uy, np.inf))
        step = np.where(going, np.minimum(np.minimum(to_x, to_y), depth - z), 0.0)
        for rx0, rx1, ry0, ry1, top, bottom in scene["rocks"]:
            weight = np.where(_hits(x, y, z, ux, uy, step, rx0, rx1, ry0, ry1, top, bottom), 0.0, weight)
        hit_x = going & (to_x <= step) & (step < depth - z - 1e-12)
        hit_y = going & (to_y <= step) & (step < depth - z - 1e-12) & ~hit_x
        x, y, z = x + ux * step, y + uy * step, z + step
        weight = weight * np.exp(-scene["loss"] * step / cos_w)
        weight = np.where(hit_x, weight * np.where(ux > 0, panes[1], panes[0]), weight)
        weight = np.where(hit_y, weight * np.where(uy > 0, panes[3], panes[2]), weight)
        ux, uy = np.where(hit_x, -ux, ux), np.where(hit_y, -uy, uy)

    edges = [np.linspace(0, sx, bins[0] + 1), np.linspace(0, sy, bins[1] + 1)]
    total = np.histogram2d(x, y, bins=edges, weights=weight)[0]
    square = np.histogram2d(x, y, bins=edges, weights=weight**2)[0]
    area = sx / bins[0] * sy / bins[1]
    return total / photons / area, np.sqrt(square) / photons / area


def _hits(
    x: Array, y: Array, z: Array, ux: Array, uy: Array, step: Array,
    rx0: float, rx1: float, ry0: float, ry1: float, top: float, bottom: float,
) -> Array:  # fmt: skip
    """Whether each photon meets the box before its step ends (z runs one per unit of step)."""
    with np.errstate(divide="ignore", invalid="ignore"):
        ax, bx = (rx0 - x) / ux, (rx1 - x) / ux
        ay, by = (ry0 - y) / uy, (ry1 - y) / uy
    enter = np.maximum.reduce([np.minimum(ax, bx), np.minimum(ay, by), top - z, np.zeros_like(z)])
    leave = np.minimum.reduce([np.maximum(ax, bx), np.maximum(ay, by), bottom - z, step])
    hit: Array = leave > enter
    return hit

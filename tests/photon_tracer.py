"""An oracle for the field: photons followed one by one, sharing no code with the core.

It emits from the face by the lobe's own distribution, refracts each photon at the surface with its Fresnel
weight, walks it through the real tank from pane to pane, stops it at rock, lets the floor send it up again, and
counts weights that cross one depth downwards in square bins. Plain numpy; its error is the counting error of the bins.
"""

from __future__ import annotations

import math
from functools import cache
from typing import Any

import numpy as np

Array = np.ndarray


def trace(
    scene: dict[str, Any], *, depth: float, bins: tuple[int, int], photons: int, seed: int
) -> tuple[Array, Array]:
    """PAR per unit flux in bins over one depth, and its standard error, both (nx, ny) [1/m2].

    ``scene`` holds size (x, y), n, loss [1/m], panes (left, right, front, back) as plain returns, lamp
    (x, y, height, length, width, m), aim (turn, roll, pitch) when it leans,
    floor (depth, albedo) when it sends light back, rim, brace (x0, x1, y0, y1) or None, rocks
    (x0, x1, y0, y1, top, bottom), strips over the water (x0, x1, y0, y1, height), and discs (x, y, depth, radius).
    """
    rng = np.random.default_rng(seed)
    sx, sy = scene["size"]
    x0, y0, height, length, width, m = scene["lamp"]
    along, across = (rng.random(photons) - 0.5) * length, (rng.random(photons) - 0.5) * width
    cos_t = rng.random(photons) ** (1 / (m + 1))
    azimuth = 2 * math.pi * rng.random(photons)
    sin_t = np.sqrt(1 - cos_t**2)
    spin = _aim(*scene.get("aim", (0.0, 0.0, 0.0)))
    x, y, up = np.array([[x0], [y0], [height]]) + spin @ np.stack([along, across, 0 * along])
    dx, dy, dz = spin @ np.stack([sin_t * np.cos(azimuth), sin_t * np.sin(azimuth), -cos_t])
    alive = dz < -1e-9
    cos_a = np.where(alive, -dz, 1.0)
    sin_a = np.sqrt(1 - cos_a**2)
    for level in (scene["rim"], 0.0):
        drop = up - level
        px, py = x + dx / cos_a * drop, y + dy / cos_a * drop
        alive &= (px > 0) & (px < sx) & (py > 0) & (py < sy)
        if scene["brace"] and level > 0:
            b = scene["brace"]
            alive &= ~((px > b[0]) & (px < b[1]) & (py > b[2]) & (py < b[3]))
    for left, right, front, back, level in scene.get("strips", []):
        px, py = x + dx / cos_a * (up - level), y + dy / cos_a * (up - level)
        alive &= ~((px > left) & (px < right) & (py > front) & (py < back) & (up > level))
    x, y = x + dx / cos_a * up, y + dy / cos_a * up

    n = scene["n"]
    cos_w = np.sqrt(1 - (sin_a / n) ** 2)
    s = ((cos_a - n * cos_w) / (cos_a + n * cos_w)) ** 2
    p = ((n * cos_a - cos_w) / (n * cos_a + cos_w)) ** 2
    weight = np.where(alive, 1 - 0.5 * (s + p), 0.0)
    light = {"x": x, "y": y, "z": np.zeros(photons), "ux": dx / n / cos_w, "uy": dy / n / cos_w, "weight": weight}
    edges = [np.linspace(0, sx, bins[0] + 1), np.linspace(0, sy, bins[1] + 1)]
    total, square = np.zeros(bins), np.zeros(bins)
    bottom, albedo = scene.get("floor", (depth, 0.0))
    for bounce in range(4 if albedo else 1):
        if bounce:
            # off the floor by Lambert's law, up to the surface, and down again by its inner reflection
            cos_u = np.sqrt(rng.random(photons))
            light["weight"] = light["weight"] * albedo
            _lean(light, cos_u, 2 * math.pi * rng.random(photons))
            light["z"] = -light["z"]
            _walk(light, scene, 0.0, [(*r[:4], -r[5], -r[4]) for r in scene["rocks"]])
            light["z"] = 0.0 * light["z"]
            light["weight"] = light["weight"] * _inner_reflection(cos_u, n)
        _walk(light, scene, depth, scene["rocks"])
        total += np.histogram2d(light["x"], light["y"], bins=edges, weights=light["weight"])[0]
        square += np.histogram2d(light["x"], light["y"], bins=edges, weights=light["weight"] ** 2)[0]
        if albedo:
            _walk(light, scene, bottom, scene["rocks"])
    area = sx / bins[0] * sy / bins[1]
    return total / photons / area, np.sqrt(square) / photons / area


def _lean(light: dict[str, Array], cos_u: Array, azimuth: Array) -> None:
    tangent = np.sqrt(1 - cos_u**2) / cos_u
    light["ux"], light["uy"] = tangent * np.cos(azimuth), tangent * np.sin(azimuth)


def _inner_reflection(cos_u: Array, n: float) -> Array:
    """What the underside of the surface sends back down, all of it past the critical angle."""
    sin2 = (1 - cos_u**2) * n**2
    cos_out = np.sqrt(np.maximum(0.0, 1 - sin2))
    s, p = ((n * cos_u - cos_out) / (n * cos_u + cos_out)) ** 2, ((cos_u - n * cos_out) / (cos_u + n * cos_out)) ** 2
    return np.where(sin2 >= 1, 1.0, 0.5 * (s + p))


def _walk(light: dict[str, Array], scene: dict[str, Any], depth: float, rocks: list[Any]) -> None:
    """Take every photon from pane to pane until its z is ``depth``; z runs one per unit of path."""
    x, y, z, ux, uy, weight = (light[k] for k in ("x", "y", "z", "ux", "uy", "weight"))
    (sx, sy), panes = scene["size"], scene["panes"]
    slant = np.sqrt(1 + ux**2 + uy**2)
    for _ in range(60):
        going = (weight > 0) & (z < depth)
        if not going.any():
            break
        with np.errstate(divide="ignore", invalid="ignore"):
            to_x = np.where(ux > 0, (sx - x) / ux, np.where(ux < 0, -x / ux, np.inf))
            to_y = np.where(uy > 0, (sy - y) / uy, np.where(uy < 0, -y / uy, np.inf))
        step = np.where(going, np.minimum(np.minimum(to_x, to_y), depth - z), 0.0)
        for box in rocks:
            weight = np.where(_hits(x, y, z, ux, uy, step, *box), 0.0, weight)
        for cx, cy, level, radius in scene.get("discs", []):
            ahead = level - z
            dx, dy = x + ux * ahead - cx, y + uy * ahead - cy
            weight = np.where((ahead > 0) & (ahead <= step) & (dx**2 + dy**2 < radius**2), 0.0, weight)
        hit_x = going & (to_x <= step) & (step < depth - z - 1e-12)
        hit_y = going & (to_y <= step) & (step < depth - z - 1e-12) & ~hit_x
        x, y, z = x + ux * step, y + uy * step, z + step
        weight = weight * np.exp(-scene["loss"] * step * slant)
        for hit, u, low, high in ((hit_x, ux, panes[0], panes[1]), (hit_y, uy, panes[2], panes[3])):
            cos_in = np.abs(u) / slant
            left = np.where(u > 0, _returned(high, cos_in, scene["n"]), _returned(low, cos_in, scene["n"]))
            weight = np.where(hit, weight * left, weight)
        ux, uy = np.where(hit_x, -ux, ux), np.where(hit_y, -uy, uy)
    light.update(x=x, y=y, z=z, ux=ux, uy=uy, weight=weight)


def _returned(pane: float | tuple[str, float], cos_in: Array, n: float) -> Array:
    """What a pane sends back: a plain share, or ("glass", factor) by Fresnel for water, glass of 1.52 and air.

    The reflections between its two faces are added up one by one, for each polarisation.
    """
    if not isinstance(pane, tuple):
        return np.full_like(cos_in, pane)
    read: Array = np.interp(cos_in, COSINES, pane[1] * _glass(n))
    return read


COSINES = 1.0 - np.linspace(1.0, 0.0, 20_001) ** 2
"""Where glass is worked out: closest together at straight incidence, and 1e-9 off at most between."""


@cache
def _glass(n: float) -> Array:
    cos_in = COSINES
    sines = [np.sqrt(1 - cos_in**2) * n / index for index in (n, 1.52, 1.0)]
    cosines = [np.sqrt(np.maximum(0.0, 1 - s**2)) for s in sines]
    whole = np.zeros_like(cos_in)
    for p in (False, True):
        faces = []
        for one, other, a, b in ((n, 1.52, *cosines[:2]), (1.52, 1.0, *cosines[1:])):
            up, down = (other * a, one * b) if p else (one * a, other * b)
            faces.append(np.divide(up - down, up + down, out=np.ones_like(up), where=up + down > 0) ** 2)
        outer = np.where(sines[2] >= 1, 1.0, faces[1])
        inside = (1 - faces[0]) ** 2 * outer
        total = faces[0].copy()
        for _ in range(40):
            total, inside = total + inside, inside * faces[0] * outer
        whole += 0.5 * total
    found: Array = np.where(sines[2] >= 1, 1.0, whole)
    return found


def _aim(turn: float, roll: float, pitch: float) -> Array:
    """Rotation of a lamp that looks down: pitch about its short axis, roll about its long, turn about the vertical."""
    c, s = math.cos(pitch), math.sin(pitch)
    lean = np.array([[c, 0, -s], [0, 1, 0], [s, 0, c]])
    c, s = math.cos(roll), math.sin(roll)
    tip = np.array([[1, 0, 0], [0, c, -s], [0, s, c]])
    c, s = math.cos(turn), math.sin(turn)
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]) @ tip @ lean


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

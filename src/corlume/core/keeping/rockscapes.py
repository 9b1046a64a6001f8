"""Rockscapes of our own to begin with: natural rock, grown from rounded bodies by seeded noise and scaled to a tank."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from corlume.core.light.geometry import Tank
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.light.rock_bytes import pack_mesh, rock_key, unpack_mesh
from corlume.core.light.rock_mesh import centred
from corlume.core.light.surface_net import surface_net

Array = NDArray[np.float64]
ScapeKey = Literal["open", "ridge", "islands", "arch", "bommie", "shelves"]
SCAPES: dict[ScapeKey, tuple[str, str]] = {
    "open": ("No rock yet", "bare, or to be drawn"),
    "ridge": ("Ridge", "one long back, low at both ends, water behind"),
    "islands": ("Two islands", "a tall one with an arch, a lower one with a shelf, a mound between"),
    "arch": ("Arch", "two feet and a bridge, with a low foot in front"),
    "bommie": ("Bommie", "one tall round rock that leans, rubble around"),
    "shelves": ("Wall of shelves", "ledges along the back, 10 cm (4 in) off the pane"),
}
"""Each with its name and what it is."""
Body = tuple[float, float, float, float, float, float]
"""A rounded body: its middle and its half sizes, as shares of the tank's length, width and water depth."""
_BODIES: dict[ScapeKey, tuple[tuple[str, tuple[Body, ...]], ...]] = {
    "open": (),
    "ridge": (
        (
            "Ridge",
            (
                (0.26, 0.50, 0.10, 0.15, 0.20, 0.26),
                (0.42, 0.55, 0.22, 0.14, 0.22, 0.40),
                (0.58, 0.52, 0.26, 0.13, 0.21, 0.44),
                (0.72, 0.48, 0.14, 0.13, 0.19, 0.28),
                (0.50, 0.34, 0.04, 0.12, 0.13, 0.14),
            ),
        ),
    ),
    "islands": (
        (
            "West island",
            (
                (0.19, 0.60, 0.35, 0.095, 0.185, 0.42),
                (0.155, 0.29, 0.06, 0.11, 0.115, 0.24),
                (0.255, 0.27, 0.08, 0.07, 0.10, 0.21),
                (0.33, 0.60, 0.55, 0.10, 0.11, 0.085),
                (0.41, 0.57, 0.54, 0.06, 0.10, 0.09),
                (0.45, 0.55, 0.24, 0.038, 0.10, 0.36),
            ),
        ),
        ("Middle mound", ((0.56, 0.54, 0.18, 0.09, 0.21, 0.37), (0.59, 0.44, 0.10, 0.06, 0.13, 0.31))),
        (
            "East island",
            (
                (0.80, 0.60, 0.30, 0.09, 0.17, 0.40),
                (0.78, 0.34, 0.31, 0.13, 0.13, 0.055),
                (0.86, 0.34, 0.31, 0.05, 0.10, 0.055),
            ),
        ),
    ),
    "arch": (
        (
            "Arch",
            (
                (0.27, 0.52, 0.14, 0.08, 0.17, 0.34),
                (0.33, 0.52, 0.44, 0.08, 0.14, 0.12),
                (0.43, 0.50, 0.52, 0.10, 0.14, 0.11),
                (0.55, 0.50, 0.53, 0.10, 0.14, 0.11),
                (0.66, 0.52, 0.44, 0.08, 0.14, 0.12),
                (0.72, 0.52, 0.14, 0.07, 0.16, 0.34),
            ),
        ),
        ("Foot", ((0.24, 0.30, 0.04, 0.11, 0.14, 0.20), (0.36, 0.26, 0.02, 0.07, 0.10, 0.12))),
    ),
    "bommie": (
        (
            "Bommie",
            (
                (0.50, 0.52, 0.14, 0.13, 0.26, 0.32),
                (0.52, 0.50, 0.42, 0.12, 0.22, 0.24),
                (0.55, 0.48, 0.58, 0.10, 0.18, 0.14),
                (0.42, 0.40, 0.30, 0.06, 0.11, 0.06),
            ),
        ),
        ("Left rubble", ((0.24, 0.44, 0.00, 0.09, 0.15, 0.15), (0.16, 0.58, 0.00, 0.05, 0.09, 0.09))),
        ("Right rubble", ((0.78, 0.50, 0.00, 0.08, 0.14, 0.17),)),
    ),
    "shelves": (
        (
            "Shelf wall",
            (
                (0.30, 0.66, 0.22, 0.19, 0.13, 0.34),
                (0.64, 0.66, 0.24, 0.22, 0.13, 0.40),
                (0.28, 0.48, 0.44, 0.15, 0.17, 0.05),
                (0.54, 0.46, 0.58, 0.13, 0.17, 0.05),
                (0.74, 0.46, 0.30, 0.14, 0.19, 0.05),
                (0.46, 0.42, 0.20, 0.13, 0.17, 0.05),
                (0.24, 0.40, 0.06, 0.12, 0.14, 0.12),
            ),
        ),
    ),
}
OFF_BACK = 0.10
"""A scape keeps so far off the back pane, for flow and cleaning [m]; common practice, no source."""
OPEN_ABOVE = 0.11
"""So much of the water's depth stays open over all rock [-]."""
MERGES = 0.02
"""Bodies grow together where they are so near [m]; ours."""
GRAINS = ((0.14, 0.015), (0.07, 0.010), (0.035, 0.005))
"""Size of the lumps of each layer of noise, and how far they stand out [m]; ours."""
ROUGH = 0.10
"""Bodies with a half size of this, or more, are as rough as all of the noise [m]; ours."""
FINEST, ALONG = 0.01, 110
"""The surface is worked out in cells at least so long [m], about so many along a piece."""


def with_scape(tank: Tank, key: ScapeKey, seed: int) -> Tank:
    """The tank with the rock of a rockscape."""
    return replace(tank, natural_rocks=(*tank.natural_rocks, *scape(key, tank, seed)))


def scape(key: ScapeKey, tank: Tank, seed: int) -> tuple[NaturalRock, ...]:
    """Rock of a rockscape on the bottom pane of a tank; no two seeds give the same."""
    size = np.array([tank.length, tank.width, tank.water_depth])
    draw = np.random.default_rng([seed, *key.encode()])
    found = []
    for name, bodies in _BODIES[key]:
        rows = np.array(bodies)
        rows[:, :3] += draw.uniform(-0.012, 0.012, (len(rows), 3)) * (1.0, 1.0, 0.5)
        middles, halves = rows[:, :3] * size, rows[:, 3:] * size
        middles[:, 1] = np.minimum(middles[:, 1], tank.width - OFF_BACK - halves[:, 1])
        corners, triangles = _grown(middles, halves, draw)
        inside = np.clip(corners, (0.01, 0.01, 0.0), size - (0.01, 0.01, OPEN_ABOVE * tank.water_depth))
        mesh = centred(inside, triangles)
        low, high = inside.min(axis=0), inside.max(axis=0)
        x, y = (0.5 * (low + high))[:2].tolist()
        data = pack_mesh(mesh)
        # as it is kept, so that it is the same before and after
        found.append(NaturalRock(name, rock_key(data), _even(x), _even(y), origin="scape", mesh=unpack_mesh(data)))
    return tuple(found)


def _grown(middles: Array, halves: Array, draw: np.random.Generator) -> tuple[Array, NDArray[np.int64]]:
    """Surface of some bodies grown together and roughened, cut flat at the bottom pane: corners [m] and triangles."""
    room = 0.05
    low, high = (middles - halves).min(axis=0) - room, (middles + halves).max(axis=0) + room
    low[2] = 0.0
    step = max(FINEST, float((high - low).max()) / ALONG)
    counts = np.ceil((high - low) / step).astype(int) + 1
    axes = [low[a] + step * np.arange(counts[a]) for a in range(3)]
    points = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)
    inside, thick = np.full(points.shape[:3], -1.0), np.zeros(points.shape[:3])
    for middle, half in zip(middles, halves, strict=True):
        # about how far inside an ellipsoid a place lies [m]
        away = np.linalg.norm((points - middle) / half, axis=-1)
        flatness = np.linalg.norm((points - middle) / half**2, axis=-1)
        depth = np.where(away > 1e-6, away * (1 - away) / np.maximum(flatness, 1e-6), float(half.min()))
        # grown together: a smooth maximum
        gap = np.clip(0.5 + 0.5 * (depth - inside) / MERGES, 0.0, 1.0)
        inside = inside + (depth - inside) * gap + MERGES * gap * (1 - gap)
        thick = thick + (float(half.min()) - thick) * gap
    # thin parts are less rough, so that a bridge holds
    rough = sum(stands * _noise(points.shape[:3], step, lump, draw) for lump, stands in GRAINS)
    rough = rough * np.clip(thick / ROUGH, 0.2, 1.0)
    values = np.pad(inside + rough, 1, constant_values=-0.5 * step)
    # the lowest layer ends half a cell under the first nodes: cut flat at the bottom
    corners, triangles = surface_net(_largest(values), 0.0)
    corners = low + step * (corners - 1.0)
    corners[:, 2] = np.maximum(corners[:, 2], 0.0)
    return corners, triangles


def _largest(values: Array) -> Array:
    """The field with its loose crumbs taken off: only the largest body stays."""
    parts, many = ndimage.label(values > 0)
    if many < 2:
        return values
    sizes = np.bincount(parts.ravel())
    sizes[0] = 0
    return np.where((values > 0) & (parts != sizes.argmax()), -np.abs(values), values)


def _noise(shape: tuple[int, ...], step: float, lump: float, draw: np.random.Generator) -> Array:
    """Smooth noise of about unit size with lumps of a size [m], on a grid of steps [m]."""
    counts = [math.ceil(n * step / lump) + 4 for n in shape]
    coarse = draw.standard_normal(counts)
    axes = [1.0 + np.arange(n) * step / lump for n in shape]
    places = np.stack(np.meshgrid(*axes, indexing="ij"))
    found: Array = ndimage.map_coordinates(coarse, places, order=3, mode="nearest")
    return found


def _even(value: float) -> float:
    """A place to a millimetre, as a scene file writes it [m]."""
    return round(100 * value, 1) / 100

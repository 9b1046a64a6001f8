"""Glare: how much of its strongest light a face sends to a seated eye, past the bodies and braces that hide it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank

Array = NDArray[np.float64]
PATCHES = (5, 3)
"""A face is looked at in so many patches along and across it."""
BRACE = 0.01
"""How thick a brace is taken to be [m]; ours."""


def seen_by(tank: Tank, fixtures: Sequence[Fixture], index: int, eye: tuple[float, float], body: float) -> float:
    """Return how bright a face looks from an eye, as a share of its own peak at full output [-].

    Parameters
    ----------
    eye : how far in front of the front pane and how high over the water line it is, opposite the face's middle [m].
    body : how high the fixtures' bodies are over their faces [m].

    What the bodies of other fixtures and the braces hide of the face does not count.
    """
    fixture = fixtures[index]
    e = fixture.emitter
    at = np.array([e.x, -eye[0], eye[1]])
    points = _patches(e)
    ways = at - points
    cosines = ways @ e.axes()[2] / np.linalg.norm(ways, axis=1)
    if e.height <= eye[1]:
        return 0.0
    boxes = [_body(other.emitter, body) for k, other in enumerate(fixtures) if k != index]
    boxes += [_brace(tank, k) for k in range(len(tank.braces))]
    free = np.ones(len(points), dtype=bool)
    for low, high in boxes:
        free &= ~_crosses(points, ways, low, high)
    table = e.shape().table()
    lobe = table.mean(axis=1)
    seen = np.interp(np.maximum(0.0, cosines), np.linspace(0, 1, len(lobe)), lobe) / float(lobe.max())
    return fixture.strength * float((seen * free * (cosines > 0)).mean())


def _patches(e: Emitter) -> Array:
    """Centres (n, 3) of the patches of a face, with height above the water last [m]."""
    u, v = (((np.arange(n) + 0.5) / n - 0.5) * size for n, size in zip(PATCHES, (e.length, e.width), strict=True))
    along, across = np.meshgrid(u, v, indexing="ij")
    axes = e.axes()
    middle = np.array([e.x, e.y, e.height])
    found: Array = middle + along.reshape(-1, 1) * axes[0] + across.reshape(-1, 1) * axes[1]
    return found


def _body(e: Emitter, body: float) -> tuple[Array, Array]:
    half_x, half_y = e.half_extent()
    return np.array([e.x - half_x, e.y - half_y, e.height]), np.array([e.x + half_x, e.y + half_y, e.height + body])


def _brace(tank: Tank, index: int) -> tuple[Array, Array]:
    brace = tank.braces[index]
    height = tank.rim_height if brace.height is None else brace.height
    return np.array([brace.x, brace.y, height - BRACE]), np.array([brace.x1, brace.y1, height])


def _crosses(points: Array, ways: Array, low: Array, high: Array) -> NDArray[np.bool_]:
    """Which rays from points (n, 3) cross a box."""
    with np.errstate(divide="ignore", invalid="ignore"):
        a, b = (low - points) / ways, (high - points) / ways
    first, last = np.minimum(a, b), np.maximum(a, b)
    # along an axis on which nothing moves, all of the way is inside or none of it
    still = ways == 0
    inside = (points >= low) & (points <= high)
    first = np.where(still, np.where(inside, -np.inf, np.inf), first)
    last = np.where(still, np.where(inside, np.inf, -np.inf), last)
    found: NDArray[np.bool_] = np.maximum(first.max(axis=1), 0.0) < np.minimum(last.min(axis=1), 1.0)
    return found

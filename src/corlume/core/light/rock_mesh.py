"""The surface of rock and sand as triangles, for drawings in three dimensions and for the light that falls on it."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.geometry import Box, Tank

Array = NDArray[np.float64]
HAIR = 1e-3
"""Light is asked for so near over a surface [m]."""


@dataclass(frozen=True)
class SurfaceMesh:
    """Triangles (m, 3) of corners (n, 3) at x, y, depth [m], each with its normal (n, 3), x right, y back and z up."""

    corners: Array
    normals: Array
    triangles: NDArray[np.int64]

    def lit_points(self) -> Array:
        """Places (n, 3) just over the surface at its corners, where its light is read [m]."""
        over: Array = self.corners + HAIR * self.normals * np.array([1.0, 1.0, -1.0])
        return over


@dataclass(frozen=True, slots=True)
class _Face:
    """A flat face: its corner, two edges from it along x, y and depth [m], and its normal."""

    corner: tuple[float, float, float]
    u: tuple[float, float, float]
    v: tuple[float, float, float]
    normal: tuple[float, float, float]


def surface_mesh(tank: Tank, pitch: float) -> SurfaceMesh:
    """Triangulate what of rock and sand is in the water, in cells no longer than ``pitch`` [m]; what lies against other
    rock is left out.
    """
    corners, normals, triangles, count = list[Array](), list[Array](), list[NDArray[np.int64]](), 0
    for face in _faces(tank):
        points, cells = _cells(face, pitch)
        normal = np.array(face.normal)
        quads = points[cells]
        middle = quads.mean(axis=1, keepdims=True)
        # a cell counts that is free anywhere: in its middle, or just inside a corner
        over = np.concatenate([middle, quads + 0.02 * (middle - quads)], axis=1) + HAIR * normal * np.array(
            [1.0, 1.0, -1.0]
        )
        free = (_in_water(tank, over) & ~tank.in_rock(over)).any(axis=1)
        used, where = np.unique(cells[free], return_inverse=True)
        around = where.reshape(-1, 4) + count
        corners.append(points[used])
        normals.append(np.tile(normal, (len(used), 1)))
        triangles += [around[:, [0, 1, 2]], around[:, [0, 2, 3]]]
        count += len(used)
    return SurfaceMesh(np.concatenate(corners), np.concatenate(normals), np.concatenate(triangles).astype(np.int64))


def _in_water(tank: Tank, points: Array) -> NDArray[np.bool_]:
    """Which of the points (..., 3) lie inside the panes, under the water line, and not below the sand."""
    sizes = np.array([tank.length, tank.width, tank.sand_depth + 2 * HAIR])
    return np.asarray(((points > 0) & (points < sizes)).all(axis=-1))


def _faces(tank: Tank) -> Iterator[_Face]:
    yield _Face((0.0, 0.0, tank.sand_depth), (tank.length, 0.0, 0.0), (0.0, tank.width, 0.0), (0.0, 0.0, 1.0))
    for box in tank.boxes():
        yield from _of_box(box)


def _of_box(box: Box) -> Iterator[_Face]:
    wide, deep, tall = box.x1 - box.x0, box.y1 - box.y0, box.bottom - box.top
    yield _Face((box.x0, box.y0, box.top), (wide, 0.0, 0.0), (0.0, deep, 0.0), (0.0, 0.0, 1.0))
    yield _Face((box.x0, box.y0, box.bottom), (wide, 0.0, 0.0), (0.0, deep, 0.0), (0.0, 0.0, -1.0))
    for y, way in ((box.y0, -1.0), (box.y1, 1.0)):
        yield _Face((box.x0, y, box.top), (wide, 0.0, 0.0), (0.0, 0.0, tall), (0.0, way, 0.0))
    for x, way in ((box.x0, -1.0), (box.x1, 1.0)):
        yield _Face((x, box.y0, box.top), (0.0, deep, 0.0), (0.0, 0.0, tall), (way, 0.0, 0.0))


def _cells(face: _Face, pitch: float) -> tuple[Array, NDArray[np.int64]]:
    """Corners (n, 3) of a face's cells, and cells (m, 4) round their edge so that they face along the normal."""
    corner, u, v = (np.array(part) for part in (face.corner, face.u, face.v))
    nu, nv = (max(1, math.ceil(float(np.linalg.norm(edge)) / pitch)) for edge in (u, v))
    a, b = np.meshgrid(np.linspace(0, 1, nu + 1), np.linspace(0, 1, nv + 1), indexing="ij")
    points = corner + a.reshape(-1, 1) * u + b.reshape(-1, 1) * v
    i, j = (part.ravel() for part in np.meshgrid(np.arange(nu), np.arange(nv), indexing="ij"))
    at = i * (nv + 1) + j
    cells = np.column_stack([at, at + nv + 1, at + nv + 2, at + 1])
    up = np.array([1.0, 1.0, -1.0])
    if float(np.cross(u * up, v * up) @ np.array(face.normal)) < 0:
        cells = cells[:, ::-1]
    return points, cells

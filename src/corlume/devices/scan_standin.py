"""A stand-in for a phone that scans rock: a made-up scan of a rockscape, with what is wrong with real ones.

The mesh is noisy, has holes and crumbs, lies on its side, and is in millimetres.
"""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from corlume.core.keeping.rockscapes import ScapeKey, scape
from corlume.core.light.geometry import Tank
from corlume.core.light.rock_mesh import RockMesh

NOISE = 0.0012
"""Root mean square error of a corner [m]."""
HOLES, HOLE = 6, 0.012
"""Holes of this radius [m] that the scan has."""
STAND_IN = Tank(0.8, 0.45, 0.4)
"""The tank that the rock was built for."""


def scanned(key: ScapeKey, seed: int) -> RockMesh:
    """A made-up scan of the first piece of a rockscape, y up and in millimetres; the same for the same seed."""
    mesh = scape(key, STAND_IN, seed)[0].mesh
    assert mesh is not None
    draw = np.random.default_rng(seed)
    corners = mesh.corners + draw.normal(0.0, NOISE, mesh.corners.shape)
    high = np.flatnonzero(mesh.corners[:, 2] > 0.4 * mesh.size[2])
    holes = mesh.corners[draw.choice(high, HOLES, replace=False)]
    near, _ = cKDTree(holes).query(mesh.corners)
    triangles = mesh.triangles[(near[mesh.triangles] > HOLE).all(axis=1)]
    # a phone does not see the underside
    triangles = triangles[(mesh.corners[triangles, 2] > 0.002).any(axis=1)]
    crumb = np.array([0.3, 0.2, 0.1]) + 0.006 * np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]])
    tetrahedron = np.array([[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]]) + len(corners)
    corners, triangles = np.concatenate([corners, crumb]), np.concatenate([triangles, tetrahedron])
    x, y, z = 1000.0 * corners.T
    return RockMesh(np.column_stack((x, z, -y)), triangles)

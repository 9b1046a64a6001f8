"""Scans of rock brought into a tank: kept as they came, looked at in units and the way up that are tried, and added."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.light.geometry import Tank
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.light.rock_bytes import pack_mesh, rock_key, unpack_mesh
from corlume.core.light.rock_mesh import RockMesh, centred, sample_mesh
from corlume.core.light.rock_scan import (
    UNITS,
    Unit,
    Up,
    check_size,
    fitted_to_bottom,
    likely_unit,
    likely_up,
    turned_up,
    without_skin,
)
from corlume.devices.scan_standin import scanned
from corlume.formats.rock_outlines import rings_above
from corlume.formats.scan_file import kind_of, read_scan, write_ply
from corlume.services.keeping.natural_rock import add_natural_rocks
from corlume.store.blobs import keep_blob, load_blob
from corlume.store.database import Database
from corlume.store.tables import NotFound

Array = NDArray[np.float64]
ACROSS, STEPS = 60, 6
"""A scan from above is drawn in so many cells along, and so many levels of height."""
EXAMPLE_SEED = 28
Corners = tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class ScanGuess:
    """A kept scan: its key, the unit and the way up that fit it best, and what was done to it."""

    key: str
    unit: Unit
    up: Up
    crumbs: int
    closed: int
    open_edges: int


@dataclass(frozen=True, slots=True)
class ReadyScan:
    """A scan in a tank: the piece of rock as it would lie there, its length, width and height [m], and how much of its
    surface is cut off at panes and water line [-].
    """

    rock: NaturalRock
    size: tuple[float, float, float]
    triangles: int
    cut_off: float


def keep_scan(db: Database, tank: Tank, data: bytes) -> ScanGuess:
    """Read a scan's file and keep it; ``BadFile`` says what is wrong with it."""
    scan = read_scan(data)
    glb = kind_of(data) == "glb"  # which says that it is in metres with y up
    up = likely_up(scan, "+y" if glb else "+z")
    size = np.ptp(turned_up(scan.corners, up), axis=0)
    unit = likely_unit(size, (tank.length, tank.width, tank.water_depth), "m" if glb else None)
    with db.writing() as connection:
        key = keep_blob(connection, pack_mesh(RockMesh(scan.corners, scan.triangles)))
    return ScanGuess(key, unit, up, scan.crumbs, scan.closed, scan.open_edges)


def kept_scan(db: Database, key: str) -> RockMesh:
    """A kept scan as it came; ``NotFound`` when there is none."""
    with db.reading() as connection:
        data = load_blob(connection, key)
    try:
        return unpack_mesh(data)
    except ValueError as error:
        raise NotFound("no such scan") from error


def ready_scan(
    tank: Tank, scan: RockMesh, name: str, unit: Unit, up: Up, turn: float = 0.0, bottom: Corners = ()
) -> ReadyScan:
    """A scan as it would lie in the tank: in its middle, or where the four corners of its bottom say that it lies.

    Raises ``InvalidInput`` by the fields "unit", "file" and "bottom".
    """
    corners, triangles = UNITS[unit] * turned_up(scan.corners, up), scan.triangles
    if bottom:
        corners = fitted_to_bottom(corners, UNITS[unit] * np.array(bottom), tank.length, tank.width)
        triangles = without_skin(corners, triangles)
    used, where = np.unique(triangles, return_inverse=True)
    corners, triangles = corners[used], where.reshape(-1, 3)
    check_size(np.ptp(corners, axis=0))
    mesh = centred(corners, triangles)
    data = pack_mesh(mesh)
    low, high = corners.min(axis=0), corners.max(axis=0)
    x, y = (0.5 * (low + high))[:2].tolist() if bottom else (0.5 * tank.length, 0.5 * tank.width)
    x, y = min(max(x, 0.0), tank.length), min(max(y, 0.0), tank.width)
    rock = NaturalRock(name, rock_key(data), x, y, turn=0.0 if bottom else turn, mesh=unpack_mesh(data))
    return ReadyScan(rock, mesh.size, len(triangles), _cut_off(tank, rock))


def _cut_off(tank: Tank, rock: NaturalRock) -> float:
    """Share of a piece's corners that lie outside the panes or over the water [-]."""
    assert rock.mesh is not None
    x0, x1, y0, y1, top, _ = rock.extent(tank.water_depth)
    if x0 >= 0 and x1 <= tank.length and y0 >= 0 and y1 <= tank.width and top >= 0:
        return 0.0
    corners = rock.laid(tank.water_depth)
    limits = np.array([tank.length, tank.width, tank.water_depth])
    return float(((corners < 0) | (corners > limits + 1e-6)).any(axis=1).mean())


def made_up_scan() -> bytes:
    """A made-up scan as a PLY file, to try the import with."""
    return write_ply(scanned("bommie", EXAMPLE_SEED))


def corners_of(text: str) -> Corners:
    """Four places from "x,y x,y x,y x,y", or none from nothing; ``InvalidInput`` by the field "bottom"."""
    rules = Rules()
    pairs = [pair.split(",") for pair in text.split()]
    try:
        found = tuple((float(u), float(v)) for u, v in pairs)
    except ValueError:
        found = ()
    sound = len(found) in (0, 4) and len(found) == len(pairs) and bool(np.isfinite(np.array(found)).all())
    rules.that(sound, "bottom", "must be four places: tap the corners of the bottom on the scan")
    rules.finish()
    return found


@dataclass(frozen=True, slots=True)
class FromAbove:
    """A scan from above in its own units: its corner of least x and y, its size along both, and rings (n, 2) around
    what is higher than each of some levels, the lowest first.
    """

    low: tuple[float, float]
    size: tuple[float, float]
    rings: tuple[tuple[Array, ...], ...]


def seen_from_above(scan: RockMesh, up: Up) -> FromAbove:
    """A scan from above, in ``STEPS`` of its height."""
    corners = turned_up(scan.corners, up)
    low, high = corners.min(axis=0), corners.max(axis=0)
    size = np.maximum(high - low, 1e-9)
    cells = np.maximum(2, np.round(ACROSS * size[:2] / size[:2].max())).astype(int)
    deep = (corners - low) * np.array([1.0, 1.0, -1.0]) + np.array([0.0, 0.0, size[2]])
    lines = sample_mesh(deep, scan.triangles, size[0], size[1], cells=(int(cells[0]), int(cells[1])))
    depth = np.full(2 * cells, np.inf)
    depth[lines.lines[:, 0], lines.lines[:, 1]] = lines.tops[lines.starts[:-1]]
    steps = 0.5 * size[:2] / cells
    axes = [(np.arange(-1.0, n + 1.0) + 0.5) * step for n, step in zip(depth.shape, steps, strict=True)]
    height = np.where(np.isfinite(depth), 1.0 - depth / size[2], -0.5)
    rings = tuple(rings_above((axes[0], axes[1]), height, level / STEPS - 0.05, -0.5) for level in range(STEPS))
    return FromAbove((float(low[0]), float(low[1])), (float(size[0]), float(size[1])), rings)


def add_scan(db: Database, tank_id: int, ready: ReadyScan) -> int:
    """Add a scan to a tank; returns its id."""
    return add_natural_rocks(db, tank_id, (ready.rock,), f"import {ready.rock.name}")

"""Orientation of a place by the rock, sand or pane that it is on: up, sideways off a face or a pane, or down."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.geometry import Tank
from corlume.core.light.rock_surface import plugs, rock_surface
from corlume.core.light.rockwork import pieces_at
from corlume.core.placement.custom_spots import Facing

Array = NDArray[np.float64]
Sat = Literal["top", "sand", "face", "under", "pane", "rack"]
SAT: dict[Sat, str] = {
    "top": "rock tops and ledges",
    "sand": "sand",
    "face": "vertical faces",
    "under": "under overhangs",
    "pane": "back pane",
    "rack": "frag racks",
}
"""What a seat is on."""
OFF = 0.01
"""A seat on a face, a pane or an underside lies so far off it [m]."""
NEAR = 0.02
"""A place so near to rock, sand or a pane is on it [m]."""
HELD = 0.5
"""A place is on a top when at least this share of a plug is held there [-]; ours."""
STEEPEST_TOP, STEEPEST_FACE = math.cos(math.radians(45)), math.cos(math.radians(125))
"""Rock leans no further than 45 degrees for a top, and 125 for a face; beyond that it is an underside. Ours."""
CREVICE, WALL = 0.03, 0.012
"""Rock so far around a place on half of its sides, and so high over it, makes it a crevice [m]; ours."""
UP = (0.0, 0.0, 1.0)
DOWN = (0.0, 0.0, -1.0)


def growing_ways(normals: Array) -> Array:
    """Directions (n, 3) in which corals grow on surfaces of some normals: halfway between straight off and up, so at 45
    degrees on an upright face; off an underside straight. Ours.
    """
    between = normals + np.array(UP)
    between /= np.maximum(np.linalg.norm(between, axis=1), 1e-9)[:, None]
    found: Array = np.where(normals[:, 2:] < STEEPEST_FACE, normals, between)
    return found


def face_normal(aside: tuple[float, float]) -> tuple[float, float, float]:
    """Direction in which a coral grows on an upright face that looks ``aside``."""
    x, y, z = growing_ways(np.array([[*aside, 0.0]]))[0].tolist()
    return x, y, z


def orientations(tank: Tank, points: Array) -> tuple[NDArray[np.str_], Array]:
    """Tell what each place (n, 3) is on, and the unit vector (n, 3), x right, y back, z up, of how a coral turns there.

    A place on sand faces up, and one on a rock's top as that slopes, whatever it is beside; one in open water faces up,
    as a rack or a stand holds it.
    """
    what = np.full(len(points), "rack", dtype="<U5")
    way = np.tile(np.array(UP), (len(points), 1))
    depth = points[:, 2]
    what[points[:, 1] > tank.width - NEAR], way[points[:, 1] > tank.width - NEAR] = "pane", face_normal((0.0, -1.0))
    surface = rock_surface(tank)
    if len(surface.corners):
        far, nearest = surface.tree.query(points, distance_upper_bound=NEAR + OFF)
        near = np.isfinite(far)
        normals = surface.normals[np.where(near, nearest, 0)]
        under = normals[:, 2] < STEEPEST_FACE
        # a top that no plug rests on is a face for what sits beside it
        what[near], way[near] = np.where(under, "under", "face")[near], growing_ways(normals)[near]
    on_sand = depth > tank.sand_depth - NEAR
    what[on_sand], way[on_sand] = "sand", UP
    rest = plugs(tank.rockwork, points, NEAR)
    on = (rest.piece >= 0) & (rest.held >= HELD) & (rest.normal[:, 2] >= STEEPEST_TOP)
    what[on], way[on] = "top", growing_ways(rest.normal[on])
    return what, way


def in_crevice(tank: Tank, points: Array) -> NDArray[np.bool_]:
    """Whether rock rises around places (n, 3) on its tops, so that a frag can be wedged there."""
    turns = np.arange(8) * math.pi / 4
    around = np.column_stack((CREVICE * np.cos(turns), CREVICE * np.sin(turns), np.full(8, -WALL)))
    found: NDArray[np.bool_] = tank.in_rock(points[:, None] + around).mean(axis=1) >= 0.5
    return found


def custom_normal(facing: Facing, turn: float) -> tuple[float, float, float]:
    """Direction in which a coral grows on a custom spot."""
    match facing:
        case "face":
            return face_normal((math.cos(turn), math.sin(turn)))
        case "pane":
            return face_normal((0.0, -1.0))
        case "under":
            return DOWN
    return UP


def steep_spots(tank: Tank, spacing: float) -> list[tuple[str, Sat, Array]]:
    """Places (n, 3) on the faces and undersides of each piece of rock, and on the back pane, in open water and about
    evenly apart [m].
    """
    found, surface, names = list[tuple[str, Sat, Array]](), rock_surface(tank), tank.rock_pieces()
    if len(surface.corners):
        out = surface.normals * np.array([1.0, 1.0, -1.0])
        piece = pieces_at(tank.rockwork, surface.corners - OFF * out)
        places, up = surface.corners + OFF * out, surface.normals[:, 2]
        kinds: tuple[tuple[Sat, NDArray[np.bool_], str], ...] = (
            ("face", (up < STEEPEST_TOP) & (up >= STEEPEST_FACE), "{}, face"),
            ("under", (up < STEEPEST_FACE) & (places[:, 2] < tank.sand_depth - 2 * NEAR), "Under {}"),
        )
        for number in np.unique(piece[piece >= 0]).tolist():
            for sat, such, words in kinds:
                mine = places[such & (piece == number)]
                if len(mine):
                    found.append((words.replace("{}", names[number][0]), sat, _apart(mine, spacing)))
    u, v = np.meshgrid(
        _steps(0.0, tank.length, 2 * spacing), _steps(0.03, tank.sand_depth - 0.03, 2 * spacing), indexing="ij"
    )
    found.append(("Back pane", "pane", np.column_stack((u.ravel(), np.full(u.size, tank.width - OFF), v.ravel()))))
    return _open(tank, found)


def _apart(points: Array, spacing: float) -> Array:
    """One of the places in each cube of a spacing: the nearest to its middle."""
    cell = np.floor(points / spacing)
    off = np.linalg.norm(points - (cell + 0.5) * spacing, axis=1)
    order = np.lexsort((off, *cell.T[::-1]))
    first = np.ones(len(points), dtype=bool)
    first[1:] = (np.diff(cell[order], axis=0) != 0).any(axis=1)
    found: Array = points[order[first]]
    return found


def _steps(low: float, high: float, spacing: float) -> Array:
    """Centres of even steps between two ends [m]."""
    count = max(1, round((high - low) / spacing)) if high > low else 0
    return low + (np.arange(count) + 0.5) * (high - low) / max(1, count)


def _open(tank: Tank, found: list[tuple[str, Sat, Array]]) -> list[tuple[str, Sat, Array]]:
    """Places that lie in open water, clear of panes, and on the surface they are meant to be on."""
    points = np.concatenate([some for _, _, some in found])
    meant = np.repeat([sat for _, sat, _ in found], [len(some) for _, _, some in found])
    x, y, depth = points.T
    back = np.where(meant == "pane", tank.width, tank.width - NEAR)
    clear = (x > NEAR) & (x < tank.length - NEAR) & (y > NEAR) & (y < back) & (depth > NEAR) & ~tank.in_rock(points)
    clear &= orientations(tank, points)[0] == meant
    kept, start = list[tuple[str, Sat, Array]](), 0
    for name, sat, some in found:
        kept.append((name, sat, some[clear[start : start + len(some)]]))
        start += len(some)
    return kept


def gaps_behind(tank: Tank, least: float) -> list[tuple[str, float]]:
    """Pieces of rock with less than ``least`` of water between them and the back pane, each with that gap [m]."""
    ends = [(rock.name or f"Rock {number}", rock.y + rock.width) for number, rock in enumerate(tank.rocks, 1)]
    ends += [(rock.name, rock.extent(tank.water_depth)[3]) for rock in tank.natural_rocks]
    return [(name, max(0.0, tank.width - end)) for name, end in ends if tank.width - end < least]


def reach_to(tank: Tank, points: Array) -> Array:
    """Reach of a hand to each place (n, 3), from the nearest rim of the front and the sides [m]."""
    x, y, depth = points.T
    aside = np.minimum.reduce([y, x, tank.length - x])
    found: Array = np.hypot(aside, depth + tank.rim_height)
    return found

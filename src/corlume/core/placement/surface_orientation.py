"""Orientation of a place by the rock, sand or pane that it is on: up, sideways off a face or a pane, or down."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.geometry import Tank
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
HALFWAY = math.sqrt(0.5)
"""Corals on a face or a pane turn up halfway to the light; ours."""
UP = (0.0, 0.0, 1.0)
DOWN = (0.0, 0.0, -1.0)
FACES = (("x0", (-1.0, 0.0)), ("x1", (1.0, 0.0)), ("y0", (0.0, -1.0)), ("y1", (0.0, 1.0)))


def face_normal(aside: tuple[float, float]) -> tuple[float, float, float]:
    """Direction in which a coral grows on a face that looks ``aside``."""
    return HALFWAY * aside[0], HALFWAY * aside[1], HALFWAY


def orientations(tank: Tank, points: Array) -> tuple[NDArray[np.str_], Array]:
    """Tell what each place (n, 3) is on, and the unit vector (n, 3), x right, y back, z up, of how a coral turns there.

    A place on sand or on a rock's top faces up, whatever it is beside; so does one in open water, which a rack or a
    stand holds.
    """
    what = np.full(len(points), "rack", dtype="<U5")
    way = np.tile(np.array(UP), (len(points), 1))
    x, y, depth = points.T
    _note(what, way, y > tank.width - NEAR, "pane", face_normal((0.0, -1.0)))
    for box in tank.boxes():
        across = (x > box.x0 - 1e-9) & (x < box.x1 + 1e-9), (y > box.y0 - 1e-9) & (y < box.y1 + 1e-9)
        beside = (depth > box.top + NEAR) & (depth < box.bottom - 1e-9)
        for name, aside in FACES:
            axis = 0 if name[0] == "x" else 1
            gap = (points[:, axis] - getattr(box, name)) * sum(aside)
            _note(what, way, beside & across[1 - axis] & (gap > -1e-9) & (gap < NEAR), "face", face_normal(aside))
        below = across[0] & across[1] & (depth > box.bottom - 1e-9) & (depth < box.bottom + NEAR)
        _note(what, way, below, "under", DOWN)
    _note(what, way, depth > tank.sand_depth - NEAR, "sand", UP)
    for box in tank.boxes():
        on = (x >= box.x0) & (x <= box.x1) & (y >= box.y0) & (y <= box.y1) & (np.abs(box.top - depth) < NEAR)
        _note(what, way, on, "top", UP)
    return what, way


def _note(
    what: NDArray[np.str_], way: Array, where: NDArray[np.bool_], name: Sat, normal: tuple[float, float, float]
) -> None:
    what[where], way[where] = name, normal


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
    """Places (n, 3) on the vertical faces and undersides of each piece of rock, and on the back pane, in open water and
    in even steps [m].
    """
    found = list[tuple[str, Sat, Array]]()
    for number, box in enumerate(tank.boxes(), 1):
        name = box.name or f"Rock {number}"
        bottom = min(box.bottom, tank.sand_depth)
        faces = list[Array]()
        high = _steps(max(box.top, 0.0) + 0.02, bottom - 0.02, spacing)
        for side, aside in FACES:
            at = getattr(box, side) + OFF * sum(aside)
            along = _steps(box.y0, box.y1, spacing) if side[0] == "x" else _steps(box.x0, box.x1, spacing)
            u, v = np.meshgrid(along, high, indexing="ij")
            fixed = np.full(u.size, at)
            columns = (fixed, u.ravel(), v.ravel()) if side[0] == "x" else (u.ravel(), fixed, v.ravel())
            faces.append(np.column_stack(columns))
        found.append((f"{name}, face", "face", np.concatenate(faces)))
        if box.bottom < tank.sand_depth - 2 * NEAR:
            u, v = np.meshgrid(_steps(box.x0, box.x1, spacing), _steps(box.y0, box.y1, spacing), indexing="ij")
            under = np.column_stack((u.ravel(), v.ravel(), np.full(u.size, box.bottom + OFF)))
            found.append((f"Under {name}", "under", under))
    u, v = np.meshgrid(
        _steps(0.0, tank.length, 2 * spacing), _steps(0.03, tank.sand_depth - 0.03, 2 * spacing), indexing="ij"
    )
    found.append(("Back pane", "pane", np.column_stack((u.ravel(), np.full(u.size, tank.width - OFF), v.ravel()))))
    return _open(tank, found)


def _steps(low: float, high: float, spacing: float) -> Array:
    """Centres of even steps between two ends [m]."""
    count = max(1, round((high - low) / spacing)) if high > low else 0
    return low + (np.arange(count) + 0.5) * (high - low) / max(1, count)


def _open(tank: Tank, found: list[tuple[str, Sat, Array]]) -> list[tuple[str, Sat, Array]]:
    """Places that lie in open water, clear of panes, and on the surface they are meant to be on."""
    points = np.concatenate([some for _, _, some in found])
    meant = np.repeat([sat for _, sat, _ in found], [len(some) for _, _, some in found])
    x, y, _ = points.T
    back = np.where(meant == "pane", tank.width, tank.width - NEAR)
    clear = (x > NEAR) & (x < tank.length - NEAR) & (y > NEAR) & (y < back) & ~tank.in_rock(points)
    clear &= orientations(tank, points)[0] == meant
    kept, start = list[tuple[str, Sat, Array]](), 0
    for name, sat, some in found:
        kept.append((name, sat, some[clear[start : start + len(some)]]))
        start += len(some)
    return kept


def gaps_behind(tank: Tank, least: float) -> list[tuple[str, float]]:
    """Rocks with less than ``least`` of water between them and the back pane, each with that gap [m]."""
    return [
        (rock.name or f"Rock {number}", tank.width - rock.y - rock.width)
        for number, rock in enumerate(tank.rocks, 1)
        if tank.width - rock.y - rock.width < least
    ]


def reach_to(tank: Tank, points: Array) -> Array:
    """Reach of a hand to each place (n, 3), from the nearest rim of the front and the sides [m]."""
    x, y, depth = points.T
    aside = np.minimum.reduce([y, x, tank.length - x])
    found: Array = np.hypot(aside, depth + tank.rim_height)
    return found

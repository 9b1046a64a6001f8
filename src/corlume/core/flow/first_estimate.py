"""First estimate of the flow at a place: jets, their images in panes and surface, the lee of rock, intakes, backflow.

An estimate. It leaves out what bends and breaks streams: swirl and cages of outlets, rock that a stream runs up, corals
as they grow, heat, and waves. A broadcast feeding shows the truth, and what the keeper paints over it counts.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.flow.jet import Jet
from corlume.core.flow.pump import Pump
from corlume.core.light.geometry import Tank
from corlume.core.light.rockwork import is_in_rock
from corlume.core.light.shadow import is_sheltered

Array = NDArray[np.float64]
FlowClass = Literal["dead", "low", "medium", "high"]
CLASSES: tuple[FlowClass, ...] = ("dead", "low", "medium", "high")
CLASS_ENDS = (0.02, 0.05, 0.15)
"""Where a dead spot ends, low flow, and medium flow [m/s]; keepers' words with numbers of our own."""
HEAD_ON = 0.5
"""What a stream that meets a pane head-on keeps of its momentum; one that runs along it keeps all [-]; ours."""
IN_LEE = 0.05
"""What of a stream's momentum comes around rock that stands in its way [-]; ours."""
MOST_IMAGES = 2
"""How often a stream is followed off panes, sand and surface."""
FAINT = 0.003**2
"""What is slower than this is not looked at for lee [m2/s2]."""
NOOK = 0.07
"""What lies so near around a place shelters it [m]; ours."""


@dataclass(frozen=True)
class Flowing:
    """Flow at places: root mean square speed (n,) [m/s], and mean direction (n, 3), shorter than 1 where jets meet."""

    speed: Array
    way: Array

    @property
    def classes(self) -> NDArray[np.int64]:
        """The index (n,) of each place's class in ``CLASSES``."""
        return np.searchsorted(CLASS_ENDS, self.speed, side="right")


def jet_of(pump: Pump) -> Jet:
    """Jet of a pump at its root mean square speed."""
    ahead = pump.direction
    side = np.array([-math.sin(pump.turn), math.cos(pump.turn), 0.0])
    slot = pump.outlet if pump.kind == "gyre" else 0.0
    return Jet(np.array([pump.x, pump.y, pump.depth]), ahead, side, pump.share * pump.speed, pump.area, slot)


def flow_at(tank: Tank, pumps: Sequence[Pump], points: Array) -> Flowing:
    """Return the flow at points (n, 3) in the water from all jets, their images in panes, sand and surface, the
    backflow and the intakes.
    """
    rock = tank.rockwork
    square, way = np.zeros(len(points)), np.zeros((len(points), 3))
    if not pumps:
        return Flowing(square, way)
    back = np.zeros(len(points))
    for pump in pumps:
        jet = jet_of(pump)
        for one in images(tank, jet):
            part = one.square(points)
            seen = part > FAINT
            part[seen] *= np.where(is_sheltered(rock, one.at, points[seen]), IN_LEE, 1.0)
            square += part
            way += part[:, None] * one.ahead
        if pump.kind != "return":  # which draws from the sump
            drawn = _intake(jet, points)
            square += drawn**2
            way += (drawn**2)[:, None] * _towards(points, jet.at)
        back += _return(tank, pump, jet) ** 2
    square += back * openness(tank, points) ** 2
    speed = np.sqrt(square)
    return Flowing(speed, way / np.maximum(square, 1e-12)[:, None])


def images(tank: Tank, jet: Jet) -> Iterator[Jet]:
    """A jet with its images in the four panes, the sand and the surface, each weaker by what that surface absorbs."""
    sizes = (tank.length, tank.width, tank.sand_depth)
    for steps in product(range(-MOST_IMAGES, MOST_IMAGES + 1), repeat=3):
        if sum(map(abs, steps)) > MOST_IMAGES:
            continue
        at, ahead, side, kept = jet.at.copy(), jet.ahead.copy(), jet.side.copy(), 1.0
        for axis, step in enumerate(steps):
            odd = step % 2
            at[axis] = step * sizes[axis] + (sizes[axis] - at[axis] if odd else at[axis])
            if odd:
                ahead[axis], side[axis] = -ahead[axis], -side[axis]
            kept *= (1.0 - (1.0 - HEAD_ON) * abs(jet.ahead[axis])) ** abs(step)
        yield replace(jet, at=at, ahead=ahead, side=side, speed=jet.speed * math.sqrt(kept))


def _intake(jet: Jet, points: Array) -> Array:
    """Speed (n,) towards a pump that draws water in from all sides [m/s]."""
    radius = np.maximum(np.linalg.norm(points - jet.at, axis=1), math.sqrt(jet.area))
    drawn: Array = jet.speed * jet.area / (4 * math.pi * radius**2)
    return drawn


def _towards(points: Array, at: Array) -> Array:
    steps = at - points
    found: Array = steps / np.maximum(np.linalg.norm(steps, axis=1), 1e-6)[:, None]
    return found


def _return(tank: Tank, pump: Pump, jet: Jet) -> float:
    """Mean speed of the water that flows back to where a jet entrained it [m/s]."""
    ends = (tank.length, tank.width, tank.sand_depth)
    along = sum(abs(step) * end for step, end in zip(jet.ahead, ends, strict=True))
    section = tank.length * tank.width * tank.sand_depth / along
    return float(jet.carried(pump.throw(tank)) / section)


def openness(tank: Tank, points: Array) -> Array:
    """Return how open places (n, 3) are: of eight directions around and straight up, the share free for a hand's
    breadth [-].
    """
    angles = np.arange(8) * math.pi / 4
    ways = np.stack([np.cos(angles), np.sin(angles), np.zeros(8)], axis=1)
    ways = NOOK * np.concatenate([ways, [[0.0, 0.0, -1.0]]])
    free, rock = np.zeros(len(points)), tank.rockwork
    for way in ways:
        there = points + way - np.array([0.0, 0.0, 0.004])
        inside = (there[:, 0] > 0) & (there[:, 0] < tank.length) & (there[:, 1] > 0) & (there[:, 1] < tank.width)
        free += inside & ~is_in_rock(rock, there) & (there[:, 2] <= tank.sand_depth)
    found: Array = free / len(ways)
    return found

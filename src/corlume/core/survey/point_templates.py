"""Points as the trade sets them out: three rings at three depths, the rock top, one place at several levels."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from corlume.core.light.geometry import Tank
from corlume.core.survey.candidate_points import GRAIN, OVER, tops_of_rock
from corlume.core.survey.survey_record import MeasuringPoint

RING_DEPTHS = (0.15, 0.30, 0.45)
"""Six, twelve and eighteen inches down; common practice, no source [m]."""
RINGS = (("Centre", 0.0, 1), ("Middle ring", 0.4, 4), ("Outer ring", 0.8, 4))
"""Each ring with its reach, as a share of half the tank, and its spots; the shares are ours."""
MOST_TOPS = 8
LEVEL = 0.08
"""Rock that ends lower than this below the highest is no rock top [m]."""
LEVELS = (1.0, 0.75, 0.5, 0.25)
"""At which the sliders are read."""


def rings(tank: Tank) -> list[MeasuringPoint]:
    """Three rings at three depths, those in rock left out; a shallow tank has its depths closer together [m]."""
    deepest = tank.sand_depth - OVER
    depths = RING_DEPTHS if deepest >= RING_DEPTHS[-1] else tuple(deepest * k / 3 for k in (1, 2, 3))
    found = []
    for depth in depths:
        for name, reach, count in RINGS:
            for k in range(count):
                # the outer ring towards the corners, the middle one towards the panes
                turn = 2 * math.pi * k / count + (math.pi / 4 if reach > 0.5 else 0.0)
                x = 0.5 * tank.length * (1 + reach * math.cos(turn))
                y = 0.5 * tank.width * (1 + reach * math.sin(turn))
                label = f"{name} {k + 1}" if count > 1 else name
                found.append(_spot(f"{label}, {100 * depth:.0f} cm", x, y, depth, "three rings at three depths"))
    return _in_water(tank, found)


def rock_tops(tank: Tank) -> list[MeasuringPoint]:
    """Points on the rock tops, and in the water at their height over the whole tank, which should agree within about
    100.
    """
    tops = [spot for spot in tops_of_rock(tank) if spot.depth < tank.rock_top() + LEVEL][: MOST_TOPS // 2]
    depth = tank.rock_top() - OVER
    shares = ((0.5, 0.5), (0.15, 0.5), (0.85, 0.5), (0.3, 0.25), (0.7, 0.75), (0.3, 0.75), (0.7, 0.25))
    level = [
        _spot(f"Level with the rock {k}", u * tank.length, v * tank.width, depth, "at the height of the rock top")
        for k, (u, v) in enumerate(shares, 1)
    ]
    return [*tops, *_in_water(tank, level)][:MOST_TOPS]


def sliders(tank: Tank) -> list[MeasuringPoint]:
    """One place, read with the lights at several levels."""
    spot = rock_tops(tank)[0]
    return [replace(spot, name=f"{spot.name}, lights at {100 * k:.0f} %", level=k, reason="sliders") for k in LEVELS]


def _spot(name: str, x: float, y: float, depth: float, reason: str) -> MeasuringPoint:
    x, y, depth = (round(round(value / GRAIN) * GRAIN, 4) for value in (x, y, depth))
    return MeasuringPoint(name, x, y, depth, reason)


def _in_water(tank: Tank, spots: Sequence[MeasuringPoint]) -> list[MeasuringPoint]:
    return [spot for spot in spots if not bool(tank.in_rock(np.array([spot.place]))[0])]

"""Flow at a place from the best source: painted by hand, noted on rock or sand, or estimated."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.flow.circulation import flow_in
from corlume.core.flow.first_estimate import CLASSES, flow_at
from corlume.core.flow.observed_flow import FlowMark
from corlume.core.flow.pump import Pump
from corlume.core.flow.solver import SolvedFlow
from corlume.core.light.geometry import Tank
from corlume.core.light.rock_surface import plugs

Array = NDArray[np.float64]
STAND = 0.03
"""So high over its foot a coral meets the stream [m]; ours."""
ON_TOP = 0.02
"""A place so near to the height of a rock's top lies on it [m]."""


@dataclass(frozen=True)
class LocalFlow:
    """Flow at places: its word (n,), empty where unknown, and its speed (n,) where estimated, else NaN [m/s]."""

    words: NDArray[np.str_]
    speed: Array

    def at(self, index: int | NDArray[np.bool_]) -> LocalFlow:
        """Flow at some of the places, or at one."""
        return LocalFlow(np.atleast_1d(self.words[index]), np.atleast_1d(self.speed[index]))

    @classmethod
    def noted(cls, word: str, shape: tuple[int, ...]) -> LocalFlow:
        """The word at every place that was not estimated."""
        return cls(np.full(shape, word, dtype="<U6"), np.full(shape, np.nan))


def local_flow_at(
    tank: Tank, pumps: Sequence[Pump], marks: Sequence[FlowMark], points: Array, solved: SolvedFlow | None = None
) -> LocalFlow:
    """Return the flow at the feet of corals (n, 3): painted flow first, then what is noted on the rock or sand below,
    then the solved or estimated flow.
    """
    found = LocalFlow.noted("", (len(points),))
    words, speed = found.words, found.speed
    noted = _noted(tank, points)
    painted = _painted(marks, points)
    if pumps:
        asked = (noted == "") & (painted == "")
        met = points[asked] - np.array([0.0, 0.0, STAND])
        there = flow_in(solved, met) if solved else flow_at(tank, pumps, met)
        words[asked], speed[asked] = np.array(CLASSES)[there.classes], there.speed
    words[noted != ""] = noted[noted != ""]
    words[painted != ""] = painted[painted != ""]
    return found


def _noted(tank: Tank, points: Array) -> NDArray[np.str_]:
    depth = points[:, 2]
    words = np.where(depth > tank.sand_depth - ON_TOP, tank.sand_flow, "").astype("<U6")
    flows = np.array([flow for _, flow in tank.rock_pieces()] or [""], dtype="<U6")
    piece = plugs(tank.rockwork, points, ON_TOP).piece
    return np.where(piece >= 0, flows[piece], words)


def _painted(marks: Sequence[FlowMark], points: Array) -> NDArray[np.str_]:
    words = np.full(len(points), "", dtype="<U6")
    for mark in marks:  # the newest lies on top
        words[mark.holds(points)] = mark.flow
    return words

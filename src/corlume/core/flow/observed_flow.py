"""Observed flow: places that the keeper painted over, after a broadcast feeding for example; it replaces any estimate
there.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import FieldError, Rules
from corlume.core.flow.first_estimate import FlowClass
from corlume.core.light.geometry import Tank
from corlume.core.schema import Choice, Length, limits

SEEN: dict[FlowClass, str] = {"dead": "dead spot", "low": "low", "medium": "medium", "high": "high"}


@dataclass(frozen=True, slots=True)
class FlowMark:
    """Ball of water around (x, y, depth) [m] with the flow observed in it."""

    x: Annotated[float, Length("From left", 0.0, 5.0)]
    y: Annotated[float, Length("From front", 0.0, 5.0)]
    depth: Annotated[float, Length("Depth", 0.0, 2.0)]
    radius: Annotated[float, Length("Reaches", 0.01, 2.0, about="around that point")] = 0.1
    flow: Annotated[FlowClass, Choice("Flow seen", SEEN)] = "low"

    def __post_init__(self) -> None:
        limits(self).finish()

    def holds(self, points: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which of the points (n, 3) lie in the ball."""
        inside: NDArray[np.bool_] = np.linalg.norm(points - (self.x, self.y, self.depth), axis=1) <= self.radius
        return inside


def mark_errors(tank: Tank, marks: Sequence[FlowMark]) -> list[FieldError]:
    """Tell which marks lie outside the water, as ``flow_marks.0.x`` and so on."""
    rules = Rules()
    for i, mark in enumerate(marks):
        for axis, limit in (("x", tank.length), ("y", tank.width), ("depth", tank.water_depth)):
            rules.between(f"flow_marks.{i}.{axis}", getattr(mark, axis), 0.0, limit, "length")
    return rules.errors

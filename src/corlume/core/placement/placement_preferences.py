"""Placement preferences: corals pinned, in front, near or far from another, and keep-clear areas."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import FieldError, Rules
from corlume.core.light.geometry import Tank
from corlume.core.schema import Flag, Length, Text, limits


@dataclass(frozen=True, slots=True)
class PlacementPreferences:
    """Preferences for the placement of one coral.

    Parameters
    ----------
    pinned : it stays where it is, whatever would be freed by moving it.
    show : a show piece: in the front half of the tank, the nearer to the front pane the better.
    near, far : names of corals that it is to sit close to, or away from.
    """

    pinned: Annotated[bool, Flag("Pinned: it stays where it is", blank=False)] = False
    show: Annotated[bool, Flag("Show piece: in front", blank=False)] = False
    near: Annotated[str, Text("Near to", blank="")] = ""
    far: Annotated[str, Text("Far from", blank="")] = ""

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(not self.near or self.near != self.far, "far", "is the coral that it is to sit near to, too")
        rules.finish()


NO_WISH = PlacementPreferences()
NOT_WISHED = 0.5
"""What a seat far from what is wished keeps of what it is worth beside having one at all [-]; ours."""
AS_NEAR = 0.3
"""Within so far, corals are near each other, and beyond it far apart, by and by [m]; ours."""


def apply_preferences(
    worth: NDArray[np.float64],
    wish: PlacementPreferences,
    points: NDArray[np.float64],
    width: float,
    placed: Sequence[tuple[str, tuple[float, float, float]]],
) -> NDArray[np.float64]:
    """Return the worth of spots (s,) at points (s, 3) under a preference: less where it is not met.

    ``placed`` are corals by name where they sit [m]; ``width`` that of the tank, front to back [m]. A show piece has no
    seat in the back half.
    """
    share = np.ones(len(worth))
    if wish.show:
        share *= np.where(points[:, 1] <= 0.5 * width, 1.0 - NOT_WISHED * points[:, 1] / (0.5 * width), 0.0)
    for name, near in ((wish.near, True), (wish.far, False)):
        places = [place for other, place in placed if name and other == name]
        if places:
            away = np.min([np.linalg.norm(points - np.array(place), axis=1) for place in places], axis=0)
            close = np.exp(-((away / AS_NEAR) ** 2))
            share *= NOT_WISHED + (1.0 - NOT_WISHED) * (close if near else 1.0 - close)
    found: NDArray[np.float64] = np.where(share > 0, worth * (worth > 0) * (0.5 + 0.5 * share), 0.0)
    return found


@dataclass(frozen=True, slots=True)
class KeptFree:
    """A keep-clear area, seen from above [m]."""

    name: Annotated[str, Text("Name", 40, least=1)]
    x: Annotated[float, Length("Left end", 0.0, 5.0)]
    y: Annotated[float, Length("Front edge", 0.0, 5.0)]
    length: Annotated[float, Length("Length", 0.01, 5.0)]
    width: Annotated[float, Length("Width", 0.01, 5.0)]

    def __post_init__(self) -> None:
        limits(self).finish()

    def holds(self, points: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which points (n, 3) lie in the area."""
        x, y = points[:, 0], points[:, 1]
        return (x >= self.x) & (x <= self.x + self.length) & (y >= self.y) & (y <= self.y + self.width)


def free_errors(tank: Tank, parts: Sequence[KeptFree]) -> list[FieldError]:
    """Find keep-clear areas that reach over a pane, as ``kept_free.0.length`` and so on."""
    rules = Rules()
    for i, part in enumerate(parts):
        for name, end, limit in (
            ("length", part.x + part.length, tank.length), ("width", part.y + part.width, tank.width)
        ):  # fmt: skip
            rules.that(
                end <= limit + 1e-6, f"kept_free.{i}.{name}", "reaches to {value}; the tank ends at {high}", "length",
                end, high=limit,
            )  # fmt: skip
    return rules.errors

"""What the keeper wishes of places: corals pinned, in front, near or far from another, and water that stays free."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from corlume.core.declared import Flag, Length, Text, limits
from corlume.core.errors import FieldError, Rules
from corlume.core.geometry import Tank


@dataclass(frozen=True, slots=True)
class Wish:
    """What is wished of one coral's place.

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


NO_WISH = Wish()


@dataclass(frozen=True, slots=True)
class KeptFree:
    """A part of the tank, seen from above, in which nothing is to be placed [m]."""

    name: Annotated[str, Text("Name", 40, least=1)]
    x: Annotated[float, Length("Left end", 0.0, 5.0)]
    y: Annotated[float, Length("Front edge", 0.0, 5.0)]
    length: Annotated[float, Length("Length", 0.01, 5.0)]
    width: Annotated[float, Length("Width", 0.01, 5.0)]

    def __post_init__(self) -> None:
        limits(self).finish()

    def holds(self, points: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which points (n, 3) lie in it."""
        x, y = points[:, 0], points[:, 1]
        return (x >= self.x) & (x <= self.x + self.length) & (y >= self.y) & (y <= self.y + self.width)


def free_errors(tank: Tank, parts: Sequence[KeptFree]) -> list[FieldError]:
    """Tell which parts reach over a pane, as ``kept_free.0.length`` and so on."""
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

"""A photo of the tank, mapped by its four corners: from a point of the picture to a place in the tank and back."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.light.geometry import Tank
from corlume.core.schema import Choice, Own, Text, Whole, limits

Array = NDArray[np.float64]
View = Literal["front", "above"]
VIEWS: dict[View, str] = {"front": "from the front", "above": "from above"}
CORNERS: dict[View, tuple[str, str, str, str]] = {
    "front": ("water line, left", "water line, right", "bottom, right", "bottom, left"),
    "above": ("back, left", "back, right", "front, right", "front, left"),
}
"""Which corners are tapped, in their order: of the front pane's inside, or of the rim's."""
Quad = tuple[tuple[float, float], ...]
LEAST_SIDE = 0.03
"""Corners nearer to each other than this share of the picture fix nothing [-]."""


@dataclass(frozen=True)
class Photo:
    """A picture with the tank's corners as shares of its width and height; none before it is mapped.

    ``picture`` is the hash of its bytes; ``width`` and ``height`` are in pixels.
    """

    name: Annotated[str, Text("Name", least=1)]
    view: Annotated[View, Choice("Taken", VIEWS)]
    picture: Annotated[str, Text("Picture", 64)]
    width: Annotated[int, Whole("Width", 1, 20_000)]
    height: Annotated[int, Whole("Height", 1, 20_000)]
    corners: Annotated[Quad, Own()] = ()

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.finish()
        if self.corners:
            _check_corners(rules, self.corners)
        rules.finish()

    @cached_property
    def _to_unit(self) -> Array:
        return homography(self.corners, UNIT)

    def place(self, tank: Tank, u: float, v: float, third: float) -> tuple[float, float, float]:
        """Place in the tank of a point of the picture: x, y, depth [m].

        ``third`` is the axis that the picture does not have: y from the front pane of a front view, depth of one from
        above [m]. A place beyond the corners lies outside the water; whoever uses it says so.
        """
        right, down = apply(self._to_unit, u, v)
        if self.view == "front":
            return right * tank.length, third, down * tank.water_depth
        return right * tank.length, (1 - down) * tank.width, third

    def point(self, tank: Tank, place: tuple[float, float, float]) -> tuple[float, float]:
        """Point of the picture for a place in the tank, as shares of its width and height."""
        x, y, depth = place
        down = depth / tank.water_depth if self.view == "front" else 1 - y / tank.width
        return apply(homography(UNIT, self.corners), x / tank.length, down)


UNIT: Quad = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))


def homography(source: Quad, target: Quad) -> Array:
    """The projective map (3, 3) of four points to four others.

    Hartley and Zisserman 2004 [16], section 4.1, from memory: two linear equations a pair.
    """
    rows, right = [], []
    for (x, y), (u, v) in zip(source, target, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        right += [u, v]
    found: Array = np.append(np.linalg.solve(np.array(rows, dtype=float), np.array(right, dtype=float)), 1.0)
    return found.reshape(3, 3)


def apply(matrix: Array, x: float, y: float) -> tuple[float, float]:
    """Image of a point under a projective map."""
    u, v, w = (matrix @ [x, y, 1.0]).tolist()
    return u / w, v / w


def _check_corners(rules: Rules, corners: Quad) -> None:
    """Check that four corners are in the picture, apart, and in clockwise order."""
    rules.that(len(corners) == 4, "corners", "must be four")
    if len(corners) != 4:
        return
    points = np.array(corners)
    inside = bool(np.isfinite(points).all() and (points >= 0).all() and (points <= 1).all())
    rules.that(inside, "corners", "must lie in the picture")
    sides = np.roll(points, -1, axis=0) - points
    rules.that(bool((np.hypot(*sides.T) > LEAST_SIDE).all()), "corners", "lie on each other: tap each corner once")
    after = np.roll(sides, -1, axis=0)
    turns = sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0]
    if not rules.errors:
        rules.that(
            bool((turns > 0).all()), "corners",
            "are crossed over, or in another order: go round once, from the upper left to the right",
        )  # fmt: skip

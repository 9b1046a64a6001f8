"""Collisions of mounts with each other and with lights, at work and while one opens for work in the tank."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import product
from typing import Literal

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.mounting.collisions import BODY_HEIGHT, LEAST
from corlume.core.mounting.mount import FOOT, Mount, open_place
from corlume.core.mounting.surroundings import Surroundings

STEPS = 60
"""The way of an opening mount is followed in so many steps: 2 degrees or 3.5 cm at most."""
Span = tuple[float, float]
Box = tuple[Span, Span, Span]
"""A box in space: from and to along x, along y and above the water [m]."""
Solid = Mount | int
"""What fills a box: a mount, or a fixture by its index."""


@dataclass(frozen=True, slots=True)
class Touch:
    """A mount in one place with another mount or a light, and the least move of the mount out of it, along x, y or up
    [m].
    """

    mount: Mount
    other: Solid
    axis: Literal["x", "y", "height"]
    move: float


@dataclass(frozen=True, slots=True)
class Opening:
    """How a mount opens: the share of its way that is free [-], what ends it, None for nothing, and how high the mount
    and its lights come over the water on all of its way [m].
    """

    free: float
    ends_at: Solid | Literal["ceiling", "wall"] | None
    highest: float


def solids_of(mount: Mount) -> list[Box]:
    """Boxes that a mount fills: legs only their feet, wires none, and an arm the post over its clamp too."""
    up = (mount.height, mount.height + mount.thick)
    x0, x1, y0, y1 = mount.x, mount.x1, mount.y, mount.y1
    if mount.type == "wires":
        return []
    if mount.type == "legs":
        return [((x0, x0 + FOOT), (y0, y1), up), ((x1 - FOOT, x1), (y0, y1), up)]
    if mount.type == "arm":
        bar = min(mount.length, mount.width)
        post = {"back": (x0, x1, y1 - bar, y1), "front": (x0, x1, y0, y0 + bar),
                "left": (x0, x0 + bar, y0, y1), "right": (x1 - bar, x1, y0, y1)}[mount.hinge]  # fmt: skip
        return [((x0, x1), (y0, y1), up), (post[:2], post[2:], (0.0, mount.height))]
    return [((x0, x1), (y0, y1), up)]


def body_box(fixture: Fixture) -> Box:
    """The body of a fixture, over its face."""
    e, (half_x, half_y) = fixture.emitter, fixture.emitter.half_extent()
    return (e.x - half_x, e.x + half_x), (e.y - half_y, e.y + half_y), (e.height, e.height + BODY_HEIGHT)


def find_touches(fixtures: Sequence[Fixture], mounts: Sequence[Mount]) -> list[Touch]:
    """Return what is in one place at work: mounts with each other, and mounts with lights that others hold.

    A mount with its own lights is left out: clamps, cut-outs and spacers are made for them.
    """
    found = []
    for k, mount in enumerate(mounts):
        for other, boxes in _others(fixtures, mounts[k:], mount):
            moves = [move for one, box in product(solids_of(mount), boxes) if (move := _move_out(one, box))]
            if moves:
                found.append(Touch(mount, other, *moves[0]))
    return found


def _others(fixtures: Sequence[Fixture], mounts: Sequence[Mount], mount: Mount) -> Iterator[tuple[Solid, list[Box]]]:
    """Other mounts, and the lights that a mount does not hold."""
    yield from ((other, solids_of(other)) for other in mounts if other is not mount)
    yield from ((k, [body_box(f)]) for k, f in enumerate(fixtures) if f.held_by != mount.name)


def _move_out(one: Box, other: Box) -> tuple[Literal["x", "y", "height"], float] | None:
    """The axis and way of the least move of a box out of another; None where they are apart."""
    moves = []
    for axis, (low, high), (from_, to) in zip(("x", "y", "height"), one, other, strict=True):
        if min(high, to) - max(low, from_) <= LEAST:
            return None
        moves.append((axis, min(from_ - high, to - low, key=abs)))
    return min(moves, key=lambda move: abs(move[1]))  # type: ignore[return-value]


def open_way(
    tank: Tank, fixtures: Sequence[Fixture], mounts: Sequence[Mount], mount: Mount, around: Surroundings
) -> Opening:
    """Follow a mount and its lights while it opens, until they meet something else.

    What is in one place with the mount already while it is closed is left out.
    """
    own = solids_of(mount) + [body_box(f) for f in fixtures if f.held_by == mount.name]
    ways = [_Way(mount, box) for box in own]
    near = [
        (other, way, box)
        for other, boxes in _others(fixtures, mounts, mount)
        for way, box in product(ways, boxes)
        if way.comes_near(box) and not way.reaches(box, 0)
    ]
    free, ends_at = 1.0, None  # type: float, Solid | Literal["ceiling", "wall"] | None
    for step in range(1, STEPS + 1):
        if any(way.highest(step) > tank.room_height + LEAST for way in ways):
            ends_at = "ceiling"
        elif any(way.furthest(step) > tank.width + around.gap + LEAST for way in ways):
            ends_at = "wall"
        else:
            ends_at = next((other for other, way, box in near if way.reaches(box, step)), None)
        if ends_at is not None:
            free = (step - 1) / STEPS
            break
    return Opening(free, ends_at, max((way.highest(step) for way in ways for step in range(STEPS + 1)), default=0.0))


class _Way:
    """The way of a box of a mount while this opens: its corners in the plane of the swing, step by step.

    Along the hinge it stays; ``kept`` is that axis and ``turned`` the other one in plan.
    """

    def __init__(self, mount: Mount, box: Box) -> None:
        self.kept, self.turned = (1, 0) if mount.hinge in ("left", "right") else (0, 1)
        self.box, self.swing = box, mount.swing
        self.corners = [
            [(moved[self.turned], moved[2]) for corner in self._ends() for moved in [open_place(mount, *corner, share)]]
            for share in (step / STEPS for step in range(STEPS + 1))
        ]
        places, heights = zip(*(corner for corners in self.corners for corner in corners), strict=True)
        self.round = (min(places), max(places)), (min(heights), max(heights))

    def _ends(self) -> list[tuple[float, float, float]]:
        """The four corners of one of its sides across the hinge."""
        (x0, _), (y0, _), heights = self.box
        across = self.box[self.turned]
        return [(x0, p, height) if self.kept == 0 else (p, y0, height) for p, height in product(across, heights)]

    def highest(self, step: int) -> float:
        """Its highest corner over the water [m]."""
        return max(height for _, height in self.corners[step])

    def furthest(self, step: int) -> float:
        """Its corner that is furthest back [m]."""
        return max(p for p, _ in self.corners[step]) if self.turned == 1 else self.box[1][1]

    def comes_near(self, other: Box) -> bool:
        """Whether it may meet another box on its way."""
        spans = (self.box[self.kept], other[self.kept]), (self.round[0], other[self.turned]), (self.round[1], other[2])
        return all(min(one[1], two[1]) - max(one[0], two[0]) > LEAST for one, two in spans)

    def reaches(self, other: Box, step: int) -> bool:
        """Whether it reaches into a box that it comes near, by separating axes in the plane of the swing."""
        fixed, angle = list(product(other[self.turned], other[2])), step / STEPS * self.swing
        for a in (0.0, angle, -angle):
            for across, up in ((math.cos(a), math.sin(a)), (-math.sin(a), math.cos(a))):
                mine = [across * p + up * height for p, height in self.corners[step]]
                theirs = [across * p + up * height for p, height in fixed]
                if min(max(mine), max(theirs)) - max(min(mine), min(theirs)) <= LEAST:
                    return False
        return True

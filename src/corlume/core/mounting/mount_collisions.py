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
    still = list(_others(fixtures, mounts, mount))
    already = {k for k, (_, boxes) in enumerate(still) if _meet(mount, 0.0, own, boxes)}
    free, ends_at, highest = 1.0, None, 0.0  # type: float, Solid | Literal["ceiling", "wall"] | None, float
    for step in range(1, STEPS + 1):
        share = step / STEPS
        places = [open_place(mount, *corner, share=share) for box in own for corner in product(*box)]
        high, back = max((p[2] for p in places), default=0.0), max((p[1] for p in places), default=0.0)
        highest = max(highest, high)
        if ends_at is not None:
            continue
        if high > tank.room_height + LEAST:
            ends_at = "ceiling"
        elif back > tank.width + around.gap + LEAST:
            ends_at = "wall"
        else:
            ends_at = next(
                (o for k, (o, boxes) in enumerate(still) if k not in already and _meet(mount, share, own, boxes)), None
            )
        if ends_at is not None:
            free = (step - 1) / STEPS
    return Opening(free, ends_at, highest)


def _meet(mount: Mount, share: float, own: Sequence[Box], others: Sequence[Box]) -> bool:
    """Whether boxes of a mount, opened so far, reach into others."""
    return any(_reaches(mount, share, one, other) for one, other in product(own, others))


def _reaches(mount: Mount, share: float, one: Box, other: Box) -> bool:
    """Whether one box, opened so far, reaches into another, by separating axes in the plane of the swing."""
    sideways = mount.hinge in ("left", "right")
    kept, turned = (1, 0) if sideways else (0, 1)
    if min(one[kept][1], other[kept][1]) - max(one[kept][0], other[kept][0]) <= LEAST:
        return False
    corners = []
    for p, height in product(one[turned], one[2]):
        x, y = (p, one[1][0]) if sideways else (one[0][0], p)
        moved = open_place(mount, x, y, height, share=share)
        corners.append((moved[turned], moved[2]))
    fixed, angle = list(product(other[turned], other[2])), share * mount.swing
    for across, up in ((1.0, 0.0), (0.0, 1.0), *((math.cos(a), math.sin(a)) for a in _normals(angle))):
        mine = [across * p + up * height for p, height in corners]
        theirs = [across * p + up * height for p, height in fixed]
        if min(max(mine), max(theirs)) - max(min(mine), min(theirs)) <= LEAST:
            return False
    return True


def _normals(angle: float) -> tuple[float, ...]:
    """Directions of the sides of a box that is turned, whichever way it turns [rad]."""
    return (angle, angle + 0.5 * math.pi, -angle, 0.5 * math.pi - angle)

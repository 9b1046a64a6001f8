"""Places to fix fixtures and mounts by tape, each from two edges, and what must bear them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.message_text import letters
from corlume.core.mounting.collisions import BODY_HEIGHT
from corlume.core.mounting.mount import PANELS, Mount, centre_of, units_on
from corlume.core.mounting.mounting_checks import SAFETY, Hanger, find_hangers

LEAST_SPACER = 0.005
"""Thinner spacers are left out [m]."""
POINTED = PANELS | {"lift", "wires"}
"""Types of mount on which each body hangs from two points."""


@dataclass(frozen=True, slots=True)
class ScrewMark:
    """A place to fix at: what hangs there, and how far from two named edges [m]."""

    what: str
    edges: tuple[str, str]
    distances: tuple[float, float]


def screw_marks(tank: Tank, mount: Mount, fixtures: Sequence[Fixture]) -> list[ScrewMark]:
    """Return the places of what a mount holds, by tape.

    On a panel and a lift from its own left and back edge, to the two hanging points of each body; on wires from the
    left and the back pane; on a rail along it from its left or front end; of an arm and a wall bracket where it is
    clamped or screwed on itself.
    """
    units = units_on(mount, fixtures)
    found = list[ScrewMark]()
    if mount.type in ("arm", "legs"):
        side = mount.hinge in ("left", "right")
        along = 0.5 * (mount.y + mount.y1) if side else 0.5 * (mount.x + mount.x1)
        edge = ("front pane", "rim") if side else ("left pane", "rim")
        return [ScrewMark(mount.name, edge, (along, mount.height - tank.rim_height))] if mount.type == "arm" else []
    if mount.type == "wall":
        middle = 0.5 * (mount.x + mount.x1)
        return [ScrewMark(mount.name, ("left pane", "water line"), (middle, mount.height))]
    for unit in units:
        parts = [fixtures[k] for k in unit]
        x, y, _, _, _ = centre_of(parts)
        who = letters(unit)
        if mount.type == "rail":
            along = mount.length >= mount.width
            distance = x - mount.x if along else y - mount.y
            found.append(
                ScrewMark(who, ("left end of the rail" if along else "front end of the rail", ""), (distance, 0.0))
            )
            continue
        (hanger,) = find_hangers(tank, parts)
        for number, (left, back) in enumerate(hanger.points, 1):
            name = f"{who}, point {number}"
            if mount.type != "wires":
                place = (left - mount.x, mount.y1 - (tank.width - back))
                found.append(ScrewMark(name, ("left edge", "back edge"), place))
            else:
                found.append(ScrewMark(name, ("left pane", "back pane"), (left, back)))
    return found


def own_hangers(tank: Tank, fixtures: Sequence[Fixture], mounts: Sequence[Mount]) -> tuple[Hanger, ...]:
    """Fixtures and frames that no mount holds, with supports of their own."""
    return _hangers_but(tank, fixtures, {mount.name for mount in mounts})


def drilled_hangers(tank: Tank, fixtures: Sequence[Fixture], mounts: Sequence[Mount]) -> tuple[Hanger, ...]:
    """Those, and what hangs from two points of a panel, a lift or wires: all that is marked on the drawing."""
    return _hangers_but(tank, fixtures, {mount.name for mount in mounts if mount.type not in POINTED})


def _hangers_but(tank: Tank, fixtures: Sequence[Fixture], held: set[str]) -> tuple[Hanger, ...]:
    return tuple(h for h in find_hangers(tank, fixtures) if fixtures[h.numbers[0]].held_by not in held)


def spacer_of(mount: Mount, parts: Sequence[Fixture]) -> float:
    """Thickness of the spacers between a panel and a body, 0 where none is needed [m]."""
    *_, height = centre_of(parts)
    gap = mount.height - height - BODY_HEIGHT
    return gap if mount.type in PANELS and gap > LEAST_SPACER else 0.0


def bears(mount: Mount, fixtures: Sequence[Fixture]) -> int:
    """Load that what a mount is fixed to must bear: five times what hangs on it; 0 when a weight is not known [kg].

    In whole kilograms, rounded up.
    """
    weights = [fixtures[k].weight for unit in units_on(mount, fixtures) for k in unit]
    return math.ceil(SAFETY * sum(weights) - 1e-9) if weights and all(weights) else 0

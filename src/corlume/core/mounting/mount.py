"""Mounts: what holds the fixtures over a tank, where on it they can hang, and how it opens for work in the tank."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Annotated, Literal, NamedTuple

from corlume.core.errors import FieldError, Rules
from corlume.core.light.fixture import Fixture, extent
from corlume.core.light.geometry import Strip, Tank
from corlume.core.mounting.alignment import units_of
from corlume.core.schema import Angle, Choice, Length, Number, Text, Whole, limits
from corlume.core.units import DEGREE

MountType = Literal["arm", "legs", "rail", "canopy", "half_lid", "lift", "wires", "wall"]
MOUNT_TYPES: dict[MountType, str] = {
    "arm": "arm on the rim",
    "legs": "legs on the rim",
    "rail": "rail with clamps",
    "canopy": "canopy underside",
    "half_lid": "half-lid that swings",
    "lift": "lift",
    "wires": "wires from the ceiling",
    "wall": "wall bracket",
}
PANELS = frozenset({"canopy", "half_lid"})
"""Types that are a panel over the tank."""
BARS = frozenset({"arm", "rail", "wall"})
"""Types that are a bar over the tank, with a shadow of its own for what hangs higher."""
Hinge = Literal["back", "front", "left", "right"]
HINGES: dict[Hinge, str] = {"back": "back edge", "front": "front edge", "left": "left edge", "right": "right edge"}
FOOT = 0.02
"""Width of a leg's foot on the rim [m]; ours."""
MANY = 100
"""As many bodies as there is room for."""
THIN = 0.005
"""Narrower rests of a lid between two cut-outs let light past as if they were none [m]; ours."""


@dataclass(frozen=True, slots=True)
class Mount:
    """A mount of a setup, as a rectangle in plan with its left front corner at (x, y), over the water.

    Parameters
    ----------
    height, thick : its underside above the water, and its own height [m].
    low, high : the emitting area of a fixture on it hangs so high above the water [m].
    load : what its maker rates it for, all fixtures together; 0 when not known [kg].
    most : how many fixtures it can hold, 0 for as many as there is room for.
    lift : how far it goes up for work in the tank, 0 when it does not [m].
    swing : how far it swings up about its ``hinge``, 0 when it does not [rad].
    clamp : how far its clamp opens, 0 when not known or none [m].
    """

    name: Annotated[str, Text("Name", least=1)]
    type: Annotated[MountType, Choice("Type", MOUNT_TYPES)]
    x: Annotated[float, Length("From left", -2.0, 10.0, about="its left edge, from the left pane")]
    y: Annotated[float, Length("From front", -2.0, 10.0, about="its front edge, from the front pane")]
    length: Annotated[float, Length("Length", 0.005, 10.0, about="left to right")]
    width: Annotated[float, Length("Width", 0.005, 10.0, about="front to back")]
    height: Annotated[float, Length("Underside above water", 0.0, 4.0)]
    thick: Annotated[float, Length("Own height", 0.001, 1.0, about="of the bar or panel")] = 0.03
    low: Annotated[float, Length("Lights from", 0.02, 3.0, about="lowest emitting area, above the water")] = 0.2
    high: Annotated[float, Length("Lights up to", 0.02, 3.0, about="highest emitting area, above the water")] = 0.3
    load: Annotated[
        float, Number("Rated load", 0.0, 500.0, unit="kg", file="load_kg", about="as its maker says", empty=0.0)
    ] = 0.0
    most: Annotated[int, Whole("Holds at most", 0, 100, about="fixtures; 0: as many as fit")] = 0
    lift: Annotated[float, Length("Lifts by", 0.0, 2.0, about="for work in the tank; 0: it stays")] = 0.0
    swing: Annotated[
        float, Angle("Swings up by", 0.0, 120 * DEGREE, about="for work in the tank; 0: it stays", file="swing_deg")
    ] = 0.0
    hinge: Annotated[Hinge, Choice("Hinge", HINGES)] = "back"
    clamp: Annotated[float, Length("Clamp opens to", 0.0, 0.5, about="0: not known, or no clamp", empty=0.0)] = 0.0

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(self.high >= self.low, "high", "is lower than the lowest, {low}", "length", self.high, low=self.low)
        rules.that(not (self.lift and self.swing), "swing", "or lift: a mount opens one way")
        rules.finish()

    @property
    def x1(self) -> float:
        """Right edge [m]."""
        return self.x + self.length

    @property
    def y1(self) -> float:
        """Back edge [m]."""
        return self.y + self.width

    @property
    def opens(self) -> bool:
        """Whether it moves for work in the tank."""
        return self.lift > 0 or self.swing > 0


class Region(NamedTuple):
    """Where the middle of a fixture can hang on a mount: from and to along x and y, and its face above the water [m];
    ``most`` how many, and ``load`` how much weight it takes, 0 where not limited or known [kg].
    """

    name: str
    x0: float
    x1: float
    y0: float
    y1: float
    low: float
    high: float
    most: int
    load: float

    def holds(self, x: float, y: float, height: float, slack: float = 1e-6) -> bool:
        """Whether a place is in it."""
        inside = self.x0 - slack <= x <= self.x1 + slack and self.y0 - slack <= y <= self.y1 + slack
        return inside and self.low - slack <= height <= self.high + slack


def region_of(mount: Mount, half_x: float, half_y: float) -> Region | None:
    """Return where a body of a size can hang on a mount, None where it has no room.

    Parameters
    ----------
    half_x, half_y : half of the body's length along x and y [m].

    Notes
    -----
    A rail and a wall bracket hold a body at its middle, all of it within their ends; an arm holds one at its middle
    wherever it is clamped along its pane, at the far end of the arm; legs carry a body that lies over the tank; panels,
    lifts and wires hold a body that lies wholly under them.
    """
    x0, x1, y0, y1 = mount.x, mount.x1, mount.y, mount.y1
    middle_x, middle_y = 0.5 * (x0 + x1), 0.5 * (y0 + y1)
    match mount.type:
        case "arm":
            x0, x1, y0, y1 = (*_far_end(mount, "x"), *_far_end(mount, "y"))
        case "rail" | "wall" if mount.length >= mount.width:
            x0, x1, y0, y1 = x0 + half_x, x1 - half_x, middle_y, middle_y
        case "rail" | "wall":
            x0, x1, y0, y1 = middle_x, middle_x, y0 + half_y, y1 - half_y
        case _:
            x0, x1, y0, y1 = x0 + half_x, x1 - half_x, y0 + half_y, y1 - half_y
    # a body that just fits is held, whatever the last digit says
    if x1 < x0 - 1e-6 or y1 < y0 - 1e-6:
        return None
    return Region(mount.name, x0, max(x0, x1), y0, max(y0, y1), mount.low, mount.high, mount.most, mount.load)


def _far_end(mount: Mount, axis: Literal["x", "y"]) -> tuple[float, float]:
    """Where along an axis the far end of an arm is: it reaches in from the pane that it is clamped to, its hinge."""
    start, end = (mount.x, mount.x1) if axis == "x" else (mount.y, mount.y1)
    across = mount.hinge in (("left", "right") if axis == "x" else ("back", "front"))
    if not across:
        return (0.5 * (start + end),) * 2
    return (start,) * 2 if mount.hinge in ("back", "right") else (end,) * 2


def hold_limit(mount: Mount) -> tuple[int, float]:
    """Most bodies that a mount holds, an arm one, and its rated load, 0 when not known [kg]."""
    return 1 if mount.type == "arm" else mount.most or MANY, mount.load


def on_mount(mount: Mount, fixtures: Sequence[Fixture]) -> list[int]:
    """Fixtures, by index, that hang on a mount."""
    return [k for k, fixture in enumerate(fixtures) if fixture.held_by == mount.name]


def units_on(mount: Mount, fixtures: Sequence[Fixture]) -> list[list[int]]:
    """Fixtures on a mount, by index, the parts of each frame together."""
    on = on_mount(mount, fixtures)
    return [[on[k] for k in unit] for unit in units_of([fixtures[k] for k in on])]


def centre_of(parts: Sequence[Fixture]) -> tuple[float, float, float, float, float]:
    """Return the middle of a body along x and y, half of its length along each, and its lowest face [m]."""
    (x0, y0), (x1, y1) = extent(parts)
    lowest = min(part.emitter.height for part in parts)
    return 0.5 * (x0 + x1), 0.5 * (y0 + y1), 0.5 * (x1 - x0), 0.5 * (y1 - y0), lowest


def strips_of(mount: Mount, fixtures: Sequence[Fixture]) -> tuple[Strip, ...]:
    """Return what a mount puts over the water in the way of light: x0, x1, y0, y1 and its underside [m].

    ``fixtures`` are all of the setup: a lid has cut-outs under its own. Canopies, lifts and wires hold from above, with
    nothing over the water.
    """
    box = (mount.x, mount.x1, mount.y, mount.y1)
    if mount.type in BARS:
        return ((*box, mount.height),)
    if mount.type == "legs":
        x0, x1, y0, y1 = box
        return ((x0, x0 + FOOT, y0, y1, mount.height), (x1 - FOOT, x1, y0, y1, mount.height))
    if mount.type == "half_lid":
        faces = [fixtures[k].emitter for k in on_mount(mount, fixtures)]
        holes = [
            (e.x - half_x, e.x + half_x, e.y - half_y, e.y + half_y)
            for e in faces
            for half_x, half_y in [e.half_extent()]
        ]
        return tuple((*rest, mount.height) for rest in _cut_out(box, holes))
    return ()


Box = tuple[float, float, float, float]


def _cut_out(box: Box, holes: Sequence[Box]) -> list[Box]:
    """What is left of a rectangle x0, x1, y0, y1 without others, as rectangles in columns."""
    x0, x1, y0, y1 = box
    edges = sorted({x0, x1, *(x for hole in holes for x in hole[:2] if x0 < x < x1)})
    found = []
    for a, b in pairwise(edges):
        at, bottom = 0.5 * (a + b), y0
        for low, high in sorted((hole[2], hole[3]) for hole in holes if hole[0] < at < hole[1]):
            if low - bottom > THIN:
                found.append((a, b, bottom, min(low, y1)))
            bottom = max(bottom, high)
        if y1 - bottom > THIN:
            found.append((a, b, bottom, y1))
    return [one for one in found if one[1] - one[0] > THIN]


def mounted(fixtures: Iterable[Fixture], mounts: Sequence[Mount]) -> tuple[Fixture, ...]:
    """Fixtures with what the mounts that are used put in the way of light."""
    hung = tuple(fixtures)
    if not mounts:
        return hung
    used = [mount for mount in mounts if on_mount(mount, hung)]
    strips = tuple(strip for mount in used for strip in strips_of(mount, hung))
    return tuple(f if f.strips == strips else replace(f, strips=strips) for f in hung)


def open_place(mount: Mount, x: float, y: float, height: float, share: float = 1.0) -> tuple[float, float, float]:
    """Where a place on a mount is while the mount is open for work in the tank: x, y and above the water [m].

    ``share`` of its way is how far it has opened [-].
    """
    if mount.lift:
        return x, y, height + share * mount.lift
    if not mount.swing:
        return x, y, height
    cos, sin, over = math.cos(share * mount.swing), math.sin(share * mount.swing), height - mount.height
    lines = {"back": (mount.y1, -1.0), "front": (mount.y, 1.0), "left": (mount.x, 1.0), "right": (mount.x1, -1.0)}
    line, way = lines[mount.hinge]
    along = way * ((x if mount.hinge in ("left", "right") else y) - line)
    moved, up = line + way * (along * cos - over * sin), mount.height + along * sin + over * cos
    return (moved, y, up) if mount.hinge in ("left", "right") else (x, moved, up)


def covered(tank: Tank, mount: Mount, fixtures: Sequence[Fixture]) -> float:
    """Share of the opening over which a mount and its fixtures lie, seen from above [-]."""
    inset = tank.rim_inset
    opening = (inset, tank.length - inset, inset, tank.width - inset)
    boxes = [strip[:4] for strip in strips_of(mount, fixtures)]
    if mount.type in PANELS:
        boxes = [(mount.x, mount.x1, mount.y, mount.y1)]
    else:
        for k in on_mount(mount, fixtures):
            e, (half_x, half_y) = fixtures[k].emitter, fixtures[k].emitter.half_extent()
            boxes.append((e.x - half_x, e.x + half_x, e.y - half_y, e.y + half_y))
    whole = (opening[1] - opening[0]) * (opening[3] - opening[2])
    free = sum((b - a) * (d - c) for a, b, c, d in _cut_out(opening, boxes))
    return max(0.0, 1.0 - free / whole)


def mount_errors(mounts: Sequence[Mount]) -> list[FieldError]:
    """Find mounts of one name."""
    rules, names = Rules(), [mount.name for mount in mounts]
    for k, name in enumerate(names):
        rules.that(name not in names[:k], f"mounts.{k}.name", "is the name of another mount of this setup")
    return rules.errors

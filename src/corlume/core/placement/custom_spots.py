"""Custom spots, which the keeper adds or marks unusable, and frag racks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

from corlume.core.errors import FieldError, Rules
from corlume.core.light.geometry import Tank
from corlume.core.schema import Angle, Choice, Length, Share, Text, limits
from corlume.core.units import DEGREE

Facing = Literal["up", "face", "under", "pane"]
FACINGS: dict[Facing, str] = {
    "up": "up: top, ledge or sand",
    "face": "sideways: a vertical face",
    "under": "down: under an overhang",
    "pane": "off a pane",
}
Holds = Literal["crevice", "rest", "glue", "none"]
HOLDS: dict[Holds, str] = {
    "rest": "rests there, after a nudge",
    "crevice": "wedged in a crevice",
    "glue": "needs glue",
    "none": "unusable spot",
}


@dataclass(frozen=True, slots=True)
class CustomSpot:
    """A custom spot: its name and place [m], the way it faces, and how a coral is secured there.

    ``holds`` "none" takes away the seats that were found within a hand's breadth of it.
    """

    name: Annotated[str, Text("Name", 40, least=1)]
    x: Annotated[float, Length("From left", 0.0, 5.0)]
    y: Annotated[float, Length("From front", 0.0, 5.0)]
    depth: Annotated[float, Length("Depth", 0.0, 2.0)]
    facing: Annotated[Facing, Choice("Faces", FACINGS)] = "up"
    turn: Annotated[
        float, Angle("Turned to", -360 * DEGREE, 360 * DEGREE, about="of a face: 0 right, 90 back, 180 left, 270 front")
    ] = 270 * DEGREE
    holds: Annotated[Holds, Choice("A coral", HOLDS)] = "rest"

    def __post_init__(self) -> None:
        limits(self).finish()

    @property
    def place(self) -> tuple[float, float, float]:
        """Place of the spot [m]."""
        return self.x, self.y, self.depth


@dataclass(frozen=True, slots=True)
class FragRack:
    """A frag rack: a level plate from its left front corner at a depth [m], and the share of light it passes [-]."""

    name: Annotated[str, Text("Name", 40, least=1)]
    x: Annotated[float, Length("Left end", 0.0, 5.0)]
    y: Annotated[float, Length("Front edge", 0.0, 5.0)]
    length: Annotated[float, Length("Length", 0.02, 2.0)]
    width: Annotated[float, Length("Width", 0.02, 2.0)]
    depth: Annotated[float, Length("Depth", 0.005, 2.0)]
    passes: Annotated[float, Share("Lets pass", 0.0, 1.0, about="of the light; grid about 75, a plate 0 to 20")] = 0.75

    def __post_init__(self) -> None:
        limits(self).finish()


def custom_spot_errors(tank: Tank, perches: Sequence[CustomSpot]) -> list[FieldError]:
    """Find custom spots outside the water, as ``perches.0.x`` and so on; for rock see ``inside_rock``."""
    rules = Rules()
    for i, perch in enumerate(perches):
        ends = ((perch.x, tank.length), (perch.y, tank.width), (perch.depth, tank.sand_depth))
        for axis, (at, limit) in zip(("x", "y", "depth"), ends, strict=True):
            rules.between(f"perches.{i}.{axis}", at, 0.0, limit + 1e-6, "length")
    return rules.errors


def rack_errors(tank: Tank, racks: Sequence[FragRack]) -> list[FieldError]:
    """Find racks that reach out of the water, as ``racks.0.length`` and so on."""
    rules = Rules()
    for i, rack in enumerate(racks):
        for name, end, limit in (
            ("length", rack.x + rack.length, tank.length), ("width", rack.y + rack.width, tank.width),
            ("depth", rack.depth, tank.sand_depth),
        ):  # fmt: skip
            rules.that(
                end <= limit + 1e-6, f"racks.{i}.{name}", "reaches to {value}; the water ends at {high}", "length", end,
                high=limit,
            )  # fmt: skip
    return rules.errors

"""Power for the lights: the parts that feed them, and the cords of the fixtures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

from corlume.core.errors import FieldError, Rules
from corlume.core.schema import Choice, Flag, Length, Number, Text, Whole, limits

PartType = Literal["outlet", "strip", "driver", "ballast", "controller", "timer"]
PART_TYPES: dict[PartType, str] = {
    "outlet": "wall socket",
    "strip": "socket strip",
    "driver": "LED driver",
    "ballast": "ballast",
    "controller": "controller",
    "timer": "timer",
}
CordEnd = Literal["left", "right", "back", "front", "top"]
CORD_ENDS: dict[CordEnd, str] = {
    "left": "left end",
    "right": "right end",
    "back": "back",
    "front": "front",
    "top": "top, in the middle",
}


@dataclass(frozen=True, slots=True)
class PowerPart:
    """Something that feeds lights: x from the left pane, y from the front pane, its height over the water [m].

    Parameters
    ----------
    fed_by : name of the part that it is plugged into; empty for a wall socket, or where it goes into one not entered.
    sockets, pitch : how many it has, and from the middle of one to that of the next [m].
    amps : the most it may carry, for a wall socket its breaker; 0 when not known [A].
    lead, plug : its own cord, 0 when not known or none, and how wide its plug is on a strip [m].
    watts, inrush, leakage : what it draws by itself [W], at the moment of switching on [A], and to earth [mA].
    """

    name: Annotated[str, Text("Name", least=1)]
    type: Annotated[PartType, Choice("Type", PART_TYPES)] = "strip"
    x: Annotated[float, Length("From left", -10.0, 15.0)] = 0.0
    y: Annotated[float, Length("From front", -10.0, 15.0)] = 0.0
    height: Annotated[float, Length("Above water", -3.0, 3.0, about="negative: lower than the water line")] = 0.0
    fed_by: Annotated[str, Text("Plugged into", about="another part; blank: a wall socket")] = ""
    sockets: Annotated[int, Whole("Sockets", 0, 40)] = 1
    pitch: Annotated[float, Length("Socket to socket", 0.0, 0.3, about="from middle to middle")] = 0.045
    amps: Annotated[
        float, Number("Rated current", 0.0, 63.0, unit="A", file="amps", about="blank: not known", empty=0.0)
    ] = 0.0
    lead: Annotated[float, Length("Own lead", 0.0, 20.0, about="blank: not known", empty=0.0)] = 0.0
    plug: Annotated[float, Length("Width of its plug", 0.0, 0.3, about="blank: a plain plug", empty=0.0)] = 0.0
    watts: Annotated[float, Number("Draws itself", 0.0, 2000.0, "power", empty=0.0)] = 0.0
    inrush: Annotated[
        float, Number("Inrush", 0.0, 300.0, unit="A", file="inrush_a", about="as its maker says", empty=0.0)
    ] = 0.0
    leakage: Annotated[float, Number("Earth leakage", 0.0, 100.0, unit="mA", file="leakage_ma", empty=0.0)] = 0.0

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(not self.fed_by or self.fed_by != self.name, "fed_by", "is itself")
        rules.finish()


@dataclass(frozen=True, slots=True)
class Cord:
    """The cord of all fixtures of a name.

    Parameters
    ----------
    end : where on the body it leaves.
    length, plug : of the cord, 0 when not known, and how wide its plug is on a strip, 0 for a plain one [m].
    fed_by : name of the part that it is plugged into.
    chained : whether only the first is plugged in, and each feeds the next by a ``link`` of that length [m].
    inrush, leakage : of each fixture, at the moment of switching on [A], and to earth [mA]; 0 when not known.
    """

    fixture: Annotated[str, Text("Fixture", least=1)]
    end: Annotated[CordEnd, Choice("Leaves at", CORD_ENDS, column="leaves_at")] = "back"
    length: Annotated[float, Length("Cord", 0.0, 20.0, about="blank: not known", empty=0.0)] = 0.0
    plug: Annotated[float, Length("Width of plug", 0.0, 0.3, about="blank: a plain plug", empty=0.0)] = 0.0
    fed_by: Annotated[str, Text("Plugged into")] = ""
    chained: Annotated[bool, Flag("each feeds the next")] = False
    link: Annotated[float, Length("Link", 0.0, 10.0, about="from one to the next; blank: not known", empty=0.0)] = 0.0
    inrush: Annotated[
        float, Number("Inrush", 0.0, 300.0, unit="A", file="inrush_a", about="each, as its maker says", empty=0.0)
    ] = 0.0
    leakage: Annotated[
        float, Number("Earth leakage", 0.0, 100.0, unit="mA", file="leakage_ma", about="each", empty=0.0)
    ] = 0.0

    def __post_init__(self) -> None:
        limits(self).finish()


def power_errors(parts: Sequence[PowerPart], cords: Sequence[Cord]) -> list[FieldError]:
    """Find parts of one name, and parts that feed each other in a ring."""
    rules, names = Rules(), [part.name for part in parts]
    for k, part in enumerate(parts):
        rules.that(part.name not in names[:k], f"power_parts.{k}.name", "is the name of another part of this setup")
        feed, steps = part.fed_by, 0
        by_name = {one.name: one.fed_by for one in parts}
        while feed in by_name and feed and steps <= len(parts):
            feed, steps = by_name[feed], steps + 1
        rules.that(
            steps <= len(parts), f"power_parts.{k}.fed_by", "leads back to itself: one part must go into the wall"
        )
    seen = set[str]()
    for k, cord in enumerate(cords):
        rules.that(cord.fixture not in seen, f"cords.{k}.fixture", "has a cord entered already")
        seen.add(cord.fixture)
    return rules.errors

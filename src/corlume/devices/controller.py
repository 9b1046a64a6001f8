"""What every kind of light controller is: its messages, how it is spoken to, and how a simulated one is served.

docs/controller-protocol.md has the messages; the same ones go over HTTP and over MQTT.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated, Any, Literal, Protocol, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

PATIENCE = 4.0
"""A controller that does not answer for so long is not there [s]."""
LARGEST = 256 * 1024
"""Bytes of the largest message that is listened to."""
Level = Annotated[float, Field(ge=0.0, le=2.0, allow_inf_nan=False)]
Minute = Annotated[float, Field(ge=0.0, lt=1440.0, allow_inf_nan=False)]
Name = Annotated[str, Field(min_length=1, max_length=120)]


class ControllerLost(Exception):
    """Raised when a controller is not there, goes away, or answers nonsense; its words are for the keeper."""


class Message(BaseModel):
    """What is common to all messages: nothing that they do not know is passed over."""

    model_config = ConfigDict(extra="forbid")


class Point(Message):
    """A time of day [min] at which each channel has a level, as a share of its full output [-]."""

    minute: Minute
    levels: list[Level] = Field(min_length=1, max_length=12)


class Lamp(Message):
    """The day of one fixture: points in their order, and what happens between them."""

    name: Name
    ramp: Literal["linear", "smooth", "switch"]
    points: list[Point] = Field(max_length=48)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        minutes = [point.minute for point in self.points]
        if any(later <= earlier for earlier, later in pairwise(minutes)):
            raise ValueError(f"points of {self.name} are not in the order of the day")
        if len({len(point.levels) for point in self.points}) > 1:
            raise ValueError(f"points of {self.name} differ in how many channels they have")
        return self


class ScheduleMessage(Message):
    """The day of all fixtures."""

    corlume: Literal[1] = 1
    lamps: list[Lamp] = Field(max_length=100)


class LevelsMessage(Message):
    """Levels of fixtures at once, for so many minutes; then the schedule goes on."""

    corlume: Literal[1] = 1
    levels: dict[Name, list[Level]] = Field(max_length=100)
    minutes: float = Field(gt=0.0, le=240.0)


class Report(Message):
    """What a controller does now: its clock [min], the schedule that it holds or none, levels and power [W]."""

    corlume: Literal[1] = 1
    minute: Minute
    schedule: ScheduleMessage | None
    levels: dict[Name, list[Level]]
    watts: float = Field(ge=0.0, le=1e6, allow_inf_nan=False)


def report_from(data: Any) -> Report:
    """Report of an answer, as text or plain data; ``ControllerLost`` for nonsense."""
    try:
        return Report.model_validate_json(data) if isinstance(data, str | bytes) else Report.model_validate(data)
    except ValidationError as error:
        fault = error.errors()[0]
        where = ".".join(map(str, fault["loc"])) or "the message"
        raise ControllerLost(f"The controller answers nonsense: {where} {fault['msg'].lower()}.") from error


class Controller(Protocol):
    """A controller as Corlume speaks to it; each may raise ``ControllerLost``."""

    def set_schedule(self, schedule: ScheduleMessage) -> None:
        """Hand it a schedule."""

    def set_levels(self, levels: LevelsMessage) -> None:
        """Set levels for a while."""

    def report(self) -> Report:
        """Ask it what it does."""


class Server(Protocol):
    """A server of a simulated controller."""

    @property
    def address(self) -> str:
        """Where it is spoken to, as in ``CORLUME_CONTROLLER``."""

    def serve_forever(self) -> None:
        """Serve until it is closed."""

    def close(self) -> None:
        """End it."""


@dataclass(frozen=True, slots=True)
class ControllerKind:
    """A kind of light controller.

    Parameters
    ----------
    key : the word before :// in its address.
    name : how it speaks, in words.
    port : where it listens by default.
    at : the controller at a host and port.
    serve : a server of a simulated controller, at a port on loopback; 0 for any that is free.
    """

    key: str
    name: str
    port: int
    at: Callable[[str, int], Controller]
    serve: Callable[[int, Controller], Server]

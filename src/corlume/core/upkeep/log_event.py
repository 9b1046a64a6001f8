"""An event in the log of a tank: what was done or happened that touches its light, or could be blamed on it."""

from __future__ import annotations

import datetime
from dataclasses import dataclass
from typing import Annotated, Literal

from corlume.core.schema import Choice, Day, Text, Time, limits

EventKind = Literal[
    "setup", "levels", "schedule", "incident", "fault", "media", "dosing", "feeding", "temperature", "water", "note",
    "step",
]  # fmt: skip
EVENT_KINDS: dict[EventKind, str] = {
    "setup": "setup put to use",
    "levels": "lights changed",
    "schedule": "schedule changed",
    "incident": "power cut, heat or lost settings",
    "fault": "fault of a fixture or its controls",
    "media": "filter media",
    "dosing": "dosing",
    "feeding": "feeding",
    "temperature": "temperature",
    "water": "water change or water values",
    "note": "note",
    "step": "step of the work done",
}
BY_HAND: tuple[EventKind, ...] = (
    "incident", "fault", "media", "dosing", "feeding", "temperature", "water", "note")  # fmt: skip
"""What a keeper logs; the others are logged by Corlume."""
NOT_LIGHT: tuple[EventKind, ...] = ("media", "dosing", "feeding", "temperature", "water", "incident")
"""What is looked at before light is blamed: tubes have been blamed for what filter media did; common practice, no
source."""


@dataclass(frozen=True, slots=True)
class LogEvent:
    """An event.

    Parameters
    ----------
    words : what was done or happened.
    fixture : the fixture that it is about; empty for none.
    setup : in use then; ``lit`` which of its lights were on when a photo was taken.
    picture : the key of a photo; ``state`` that of the setup as it was from then on.
    """

    kind: Annotated[EventKind, Choice("What", EVENT_KINDS)]
    day: Annotated[datetime.date, Day("Day")]
    time: Annotated[datetime.time | None, Time("Time")] = None
    words: Annotated[str, Text("Words", 1000)] = ""
    fixture: Annotated[str, Text("Fixture", about="blank: none")] = ""
    setup: Annotated[str, Text("Setup", column="setup_name")] = ""
    lit: Annotated[str, Text("Lights on", 200)] = ""
    picture: Annotated[str, Text("Photo", 80)] = ""
    state: Annotated[str, Text("State", 80)] = ""

    def __post_init__(self) -> None:
        limits(self).finish()

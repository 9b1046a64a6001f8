"""The acclimation log of a coral: what was done with it, and what was seen of it."""

from __future__ import annotations

import datetime
from dataclasses import dataclass
from typing import Annotated, Literal

from corlume.core.schema import Choice, Day, Length, Number, Par, Text, Time, limits

NoteKind = Literal["watch", "dip", "loose", "temporary", "moved", "fixed", "light", "photo", "lost", "note"]
NOTE_KINDS: dict[NoteKind, str] = {
    "watch": "checked",
    "dip": "dipped",
    "loose": "placed loose",
    "temporary": "placed for a while",
    "moved": "moved",
    "fixed": "secured",
    "light": "its light changed",
    "photo": "photo",
    "lost": "lost",
    "note": "note",
}
PLACED: tuple[NoteKind, ...] = ("loose", "temporary", "moved")
"""After these a coral gets used to a place anew."""
Polyps = Literal["", "open", "half", "closed"]
POLYPS: dict[Polyps, str] = {"": "not checked", "open": "open", "half": "half open", "closed": "closed"}
Tissue = Literal["", "full", "flat", "receding"]
TISSUE: dict[Tissue, str] = {"": "not checked", "full": "full", "flat": "flat or thin", "receding": "receding"}
Colour = Literal["", "good", "paler", "darker", "better"]
COLOUR: dict[Colour, str] = {
    "": "not checked",
    "good": "as it was",
    "paler": "paler",
    "darker": "browner or darker",
    "better": "coloured up",
}


@dataclass(frozen=True, slots=True)
class LogEntry:
    """One entry of an acclimation log.

    Parameters
    ----------
    kind : what was done or seen; ``day`` and ``time`` when, the time where it was said.
    polyps, tissue, colour : what was seen, empty where nobody looked.
    x, y, depth : where it sat then [m]; ``par`` the light there, as Corlume knew it [umol/m2/s]; ``setup`` under what.
    picture : the key of a photo.
    """

    kind: Annotated[NoteKind, Choice("What", NOTE_KINDS)]
    day: Annotated[datetime.date, Day("Day")]
    time: Annotated[datetime.time | None, Time("Time")] = None
    polyps: Annotated[Polyps, Choice("Polyps", POLYPS)] = ""
    tissue: Annotated[Tissue, Choice("Tissue", TISSUE)] = ""
    colour: Annotated[Colour, Choice("Colour", COLOUR)] = ""
    x: Annotated[float | None, Length("From left", -10.0, 10.0)] = None
    y: Annotated[float | None, Length("From front", -10.0, 10.0)] = None
    depth: Annotated[float | None, Length("Depth", -10.0, 10.0)] = None
    par: Annotated[float | None, Par("Light", 0.0, 1e7)] = None
    setup: Annotated[str, Text("Setup")] = ""
    picture: Annotated[str, Text("Photo", 80)] = ""
    note: Annotated[str, Text("Note", 500)] = ""

    def __post_init__(self) -> None:
        limits(self).finish()

    @property
    def place(self) -> tuple[float, float, float] | None:
        """Place of the coral when the entry was made [m]."""
        if self.x is None or self.y is None or self.depth is None:
            return None
        return self.x, self.y, self.depth


Patience = Literal["week", "days", "secure"]
PATIENCES: dict[Patience, str] = {
    "week": "loose for a week; left at least a week after a move",
    "days": "loose for a week; moved after three bad days",
    "secure": "secured the day it comes, then left alone",
}
"""Three approaches of the trade (common practice, no source)."""


@dataclass(frozen=True, slots=True)
class Course:
    """Origin of a coral, and the approach by which it is acclimated and secured.

    Parameters
    ----------
    bought : the day that it came; ``origin`` from whom.
    had : the light that it had there [umol/m2/s].
    across : its diameter when it came [m].
    patience : the approach to moving and securing.
    lost : the day on which it was lost, None while it lives.
    """

    bought: Annotated[datetime.date | None, Day("Came on")] = None
    origin: Annotated[str, Text("From", 120, about="shop, donor, own frag")] = ""
    had: Annotated[float | None, Number("Previous PAR", 0.0, 3000.0, unit="PAR")] = None
    across: Annotated[
        float | None, Length("Size when it came", 0.002, 1.5, about="diameter; blank: a quarter of grown")
    ] = None
    patience: Annotated[Patience, Choice("Approach", PATIENCES)] = "week"
    lost: Annotated[datetime.date | None, Day("Lost on")] = None

    def __post_init__(self) -> None:
        rules = limits(self)
        backwards = self.lost is not None and self.bought is not None and self.lost < self.bought
        rules.that(not backwards, "lost", "is before the day on which it came")
        rules.finish()


NO_COURSE = Course()

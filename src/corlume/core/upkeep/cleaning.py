"""Cleaning: which parts of fixtures are cleaned how often, and what dirt takes of the light in between."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

from corlume.core.light.technology import Wears
from corlume.core.schema import Choice, Day, Par, Share, Text, Whole, limits

CleanPart = Literal["cover", "lens", "reflector", "fan", "salt"]
PARTS: dict[CleanPart, str] = {
    "cover": "cover glass",
    "lens": "lenses",
    "reflector": "reflectors",
    "fan": "fans and vents",
    "salt": "salt on the body",
}
Cleaner = Literal["", "water", "acid", "household"]
CLEANERS: dict[Cleaner, str] = {
    "": "not noted",
    "water": "fresh water",
    "acid": "mild acid, such as vinegar",
    "household": "household cleaner",
}
LEAST_LEFT = 0.6
"""Dirt takes no more than this leaves, however long nobody cleans; our estimate [-]."""


@dataclass(frozen=True, slots=True)
class CleaningRhythm:
    """How often a part is cleaned, of one fixture or, with a blank name, of all.

    ``loss`` is the light that dirt takes by the time it is cleaned [-]; ``since`` the day on which it was clean.
    """

    part: Annotated[CleanPart, Choice("Part", PARTS)]
    since: Annotated[datetime.date, Day("Clean on")]
    every: Annotated[int, Whole("Every", 1, 730, unit="days")] = 30
    loss: Annotated[float, Share("Light lost by then", 0.0, 0.4)] = 0.04
    fixture: Annotated[str, Text("Fixture", about="blank: all")] = ""

    def __post_init__(self) -> None:
        limits(self).finish()


@dataclass(frozen=True, slots=True)
class Cleaning:
    """A cleaning: when, of what, and what a meter read at one place before and after it [umol/m2/s]."""

    day: Annotated[datetime.date, Day("Day")]
    part: Annotated[CleanPart, Choice("Part", PARTS)]
    fixture: Annotated[str, Text("Fixture", about="blank: all")] = ""
    cleaner: Annotated[Cleaner, Choice("Cleaned with", CLEANERS)] = ""
    before: Annotated[
        float | None, Par("Read before", 0.1, 5000.0, column="par_before", about="at one place; blank: not read")
    ] = None
    after: Annotated[float | None, Par("Read after", 0.1, 5000.0, column="par_after", about="at the same place")] = None
    note: Annotated[str, Text("Note", 300)] = ""

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that((self.before is None) == (self.after is None), "after", "and before are read both, or neither")
        rules.finish()

    @property
    def gain(self) -> float | None:
        """What the cleaning brought, over the reading before [-]; None without readings."""
        return None if self.before is None or self.after is None else self.after / self.before - 1.0


@dataclass(frozen=True, slots=True)
class UsualRhythm:
    """How often a part is cleaned, and the light that is lost by then."""

    part: CleanPart
    every: int
    loss: float


USUAL_RHYTHMS: dict[Wears, tuple[UsualRhythm, ...]] = {
    "led": (UsualRhythm("lens", 60, 0.04), UsualRhythm("fan", 90, 0.0)),
    "tube": (UsualRhythm("cover", 30, 0.05), UsualRhythm("reflector", 180, 0.04)),
    "arc": (UsualRhythm("cover", 30, 0.06), UsualRhythm("reflector", 180, 0.04)),
}
"""Our estimates; what a cleaning brings is best found by reading before and after."""


def last_cleaned(
    rhythm: CleaningRhythm, cleanings: Sequence[Cleaning], fixture: str, day: datetime.date
) -> datetime.date:
    """The last day up to ``day`` on which a part of a fixture was clean."""
    mine = (one.day for one in cleanings
            if one.part == rhythm.part and one.fixture in ("", fixture) and one.day <= day)  # fmt: skip
    return max((*mine, rhythm.since))


def dirt_left(
    rhythms: Sequence[CleaningRhythm], cleanings: Sequence[Cleaning], fixture: str, day: datetime.date
) -> float:
    """What dirt leaves of a fixture's light on a day [-], in proportion to the time since each cleaning."""
    left = 1.0
    for rhythm in rhythms:
        if rhythm.fixture in ("", fixture) and rhythm.loss:
            days = max(0, (day - last_cleaned(rhythm, cleanings, fixture, day)).days)
            left *= (1.0 - rhythm.loss) ** (days / rhythm.every)
    return max(LEAST_LEFT, left)


def measured_loss(cleanings: Sequence[Cleaning], part: CleanPart, fixture: str) -> float | None:
    """Light that dirt took by the last cleaning with readings of a part [-]; None without any."""
    rules = [one for one in cleanings if one.part == part and one.fixture == fixture and one.gain is not None]
    if not rules:
        return None
    last = max(rules, key=lambda one: one.day)
    assert last.gain is not None
    return max(0.0, 1.0 - 1.0 / (1.0 + last.gain))

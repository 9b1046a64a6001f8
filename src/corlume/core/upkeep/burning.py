"""Burning hours: how long fixtures are on each day, from which day on."""

from __future__ import annotations

import datetime
import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

from corlume.core.schema import Day, Number, Text, limits


@dataclass(frozen=True, slots=True)
class BurningHours:
    """From a day on, a fixture is on for so many hours a day."""

    fixture: Annotated[str, Text("Fixture", least=1)]
    day: Annotated[datetime.date, Day("From")]
    hours: Annotated[float, Number("On for", 0.0, 24.0, unit="h a day")]

    def __post_init__(self) -> None:
        limits(self).finish()


def burnt(records: Sequence[BurningHours], fixture: str, start: datetime.date, end: datetime.date, now: float) -> float:
    """Burning hours of a fixture from one day to another [h].

    Parameters
    ----------
    records : of any fixtures, in any order; before the first of this one the hours are as in it.
    now : hours a day where nothing is recorded [h].
    """
    mine = sorted((one.day, one.hours) for one in records if one.fixture == fixture)
    if end <= start:
        return 0.0
    if not mine:
        return now * (end - start).days
    edges = [(datetime.date.min, mine[0][1]), *mine, (datetime.date.max, 0.0)]
    return sum(
        hours * max(0, (min(end, until) - max(start, since)).days)
        for (since, hours), (until, _) in itertools.pairwise(edges)
    )

"""The month in which a coral leaves its target range, as a band from several courses of its light."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.placement.coral_card import CoralCard

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Leaving:
    """When something happens, in months from today: at the earliest, most likely, and at the latest; None where it does
    not within the months looked at.
    """

    first: int
    likely: int | None
    last: int | None
    weak: bool = True
    """Whether the coral leaves its range at the low end; False for too strong."""


def when_leaving(card: CoralCard, courses: Array) -> Leaving | None:
    """When a coral leaves its target range, from courses (k, months) of its PAR [umol/m2/s], the likely one first;
    None where it does in none of them. A course that is out of range in month 0 leaves it then.
    """
    out = (courses < card.par_low) | (courses > card.par_high)
    months = [int(np.flatnonzero(one)[0]) if one.any() else None for one in out]
    known = [month for month in months if month is not None]
    if not known:
        return None
    likely, first = months[0], min(known)
    course = courses[0] if likely is not None else courses[months.index(first)]
    at = first if likely is None else likely
    return Leaving(first, likely, max(known) if len(known) == len(months) else None, bool(course[at] < card.par_low))


def band_of(months: list[int | None]) -> Leaving | None:
    """The band of an event from its month in each course, the likely one first."""
    known = [month for month in months if month is not None]
    if not known:
        return None
    return Leaving(min(known), months[0], max(known) if len(known) == len(months) else None)

"""Size of corals in the months to come, and which of them grow into reach of each other."""

from __future__ import annotations

import datetime
import math
from dataclasses import dataclass
from itertools import combinations

from corlume.core.placement.coral import Coral
from corlume.core.placement.coral_growth import USUAL_GROWTH, body_after
from corlume.core.placement.suitability import HAIR, LEAST_SWEEPER, sting
from corlume.core.units import MONTH
from corlume.services.keeping.coral_types import height_of, type_of
from corlume.store.tanks import StoredTank

MONTHS = (0, 6, 12, 18, 24, 36, 60, 120)
"""Months ahead that are drawn."""


@dataclass(frozen=True, slots=True)
class Grown:
    """A coral at each of ``MONTHS``: its diameter, its height, up to the water line, and the reach of its sweeper
    tentacles from its foot, 0 without any [m].
    """

    across: tuple[float, ...]
    high: tuple[float, ...]
    sweep: tuple[float, ...]


def size_on(stored: StoredTank, coral: Coral, day: datetime.date) -> float:
    """Diameter of a coral on a day by the growth of its type since it came [m]; as bought where that day is unknown."""
    kind, course = type_of(stored, coral.card), coral.course
    months = max(0, (day - course.bought).days) / MONTH if course.bought else 0.0
    return body_after(coral.card, months, kind.growth if kind else USUAL_GROWTH, course.across)


def grown(stored: StoredTank, today: datetime.date) -> dict[int, Grown]:
    """Growth of every placed coral from today on, by its id."""
    found = {}
    for kept in stored.corals:
        card = kept.value.card
        if kept.value.place is None:
            continue
        kind = type_of(stored, card)
        start, growth = size_on(stored, kept.value, today), kind.growth if kind else USUAL_GROWTH
        across = tuple(body_after(card, months, growth, start) for months in MONTHS)
        tall, depth = height_of(stored, card) / card.size, kept.value.place.depth
        sweeps = card.sweepers >= LEAST_SWEEPER
        high = tuple(min(tall * a, depth) for a in across)
        found[kept.id] = Grown(across, high, tuple((0.5 * a + card.sweepers) * sweeps for a in across))
    return found


@dataclass(frozen=True, slots=True)
class Clash:
    """Two placed corals of which one reaches the other's foot when grown: their ids and places."""

    one: int
    other: int
    places: tuple[tuple[float, float, float], tuple[float, float, float]]


def clashes(stored: StoredTank) -> list[Clash]:
    """All pairs of placed corals within reach of each other's sweeper tentacles when grown."""
    placed = [
        (kept.id, kept.value.card, (kept.value.place.x, kept.value.place.y, kept.value.place.depth))
        for kept in stored.corals
        if kept.value.place is not None
    ]
    return [
        Clash(a, b, (p, q))
        for (a, card, p), (b, other, q) in combinations(placed, 2)
        if math.dist(p, q) < sting(card, other) - HAIR
    ]

"""The card for the shop: free spots by surface, what of the library suits each, and what is near."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from corlume.core.acclimation.log_entry import Course
from corlume.core.errors import Rules
from corlume.core.flow.first_estimate import CLASSES
from corlume.core.placement.coral import Coral
from corlume.core.placement.coral_card import CoralCard
from corlume.services.keeping import coral_types
from corlume.services.keeping.corals import add_coral
from corlume.services.placement.placement_problem import PlacementProblem, PlacementRequest, problem_of
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredSetup, StoredTank

MOST_TYPES, MOST_NEAR = 12, 4
"""So many types are named at a surface, the best first, and so many corals near it."""
GROWN = 600.0
"""Months after which every coral is full grown."""
NEAR = 0.25
"""Corals with sweepers that are so near to a surface are named [m]; our estimate."""


@dataclass(frozen=True, slots=True)
class ShopSpot:
    """Free spots of a surface.

    Parameters
    ----------
    number : on the card; ``name`` of the surface, and ``free`` how many spots.
    par : weakest and strongest light there, as a coral turns [umol/m2/s]; ``flow`` its classes, from weak to strong.
    room : the most room to panes and surface [m].
    suits : the types that a spot is free for, the best first.
    near : placed corals with sweepers nearby, and how far these reach [m].
    """

    number: int
    name: str
    free: int
    par: tuple[float, float]
    flow: tuple[str, ...]
    room: float
    suits: tuple[str, ...]
    near: tuple[tuple[str, float], ...]


def shop_card(stored: StoredTank, setup: StoredSetup) -> list[ShopSpot]:
    """Surfaces with room for another coral of any type in the library, from the top down.

    A spot is free for a type that has its range, flow and room there, full grown, and reaches no placed coral nor is
    reached.
    """
    types = list(coral_types.library(stored).values())
    tried = tuple(Kept(-1 - k, Coral(kind.card)) for k, kind in enumerate(types))
    placed = tuple(kept for kept in stored.corals if kept.value.place is not None)
    case = problem_of(replace(stored, corals=(*tried, *placed)), setup, PlacementRequest(months=GROWN))
    stock, fixed, many = case.stock(), case.fixed, len(case.seats.names)
    free = np.array([stock.free(k, fixed)[:many] for k in range(len(types))]).reshape(len(types), many)
    for k, kind in enumerate(types):
        if not kind.food:  # a coral that is to be bought has its range, not a little more or less
            free[k] &= (case.seats.par >= kind.card.par_low) & (case.seats.par <= kind.card.par_high)
    worth = np.where(free, stock.worth[: len(types), :many], 0.0)
    seats, any_type = case.seats, free.any(axis=0)
    names, flows, found = np.array(seats.names), np.array(seats.flow), list[ShopSpot]()
    for name in dict.fromkeys(seats.names):
        here = (names == name) & any_type
        best = worth[:, here].max(axis=1, initial=0.0)
        order = [int(k) for k in np.argsort(-best, kind="stable") if best[k] > 0]
        if not order:
            continue
        words = set(flows[here].tolist())
        found.append(
            ShopSpot(
                number=len(found) + 1,
                name=name,
                free=int(here.sum()),
                par=(float(seats.par[here].min()), float(seats.par[here].max())),
                flow=tuple(word for word in CLASSES if word in words),
                room=float(seats.room[here].max()),
                suits=tuple(types[k].card.name for k in order[:MOST_TYPES]),
                near=_near(case, seats.points[here]),
            )
        )
    return found


def _near(case: PlacementProblem, points: np.ndarray) -> tuple[tuple[str, float], ...]:
    """Placed corals with sweepers near some points, those of the longest first."""
    found = dict[str, float]()
    for kept in case.sitting:
        card, place = kept.value.card, kept.value.place
        if card.sweepers > 0 and place is not None:
            gap = float(np.linalg.norm(points - np.array(place), axis=1).min())
            if gap < NEAR + card.sweepers:
                found[card.name] = card.sweepers
    return tuple(sorted(found.items(), key=lambda one: -one[1])[:MOST_NEAR])


def bought(
    db: Database, tank_id: int, cards: Mapping[str, CoralCard], name: str, course: Course, today: datetime.date
) -> int:
    """Add a coral that was bought, unplaced, with its origin and the light it had; returns its id.

    ``InvalidInput`` by the field for a type that is not in the library and for a day in the future.
    """
    rules = Rules()
    rules.that(name in cards, "name", "is not a type of the library")
    rules.come("bought", course.bought, today)
    rules.finish()
    return add_coral(db, tank_id, cards[name], course)

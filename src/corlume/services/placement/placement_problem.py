"""The placement problem of a tank: its spots, its corals, the worth of each spot to each, and a plan's shade."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from corlume.core.placement.assignment import Places, UnplacedCorals
from corlume.core.placement.coral import Coral
from corlume.core.placement.coral_card import CoralCard
from corlume.core.placement.coral_growth import USUAL_GROWTH, body_after
from corlume.core.placement.placement_preferences import apply_preferences
from corlume.core.placement.spot_score import (
    ANYWHERE,
    SitsOn,
    SpotTable,
    keep_apart,
    light_score,
    spot_score,
)
from corlume.core.schedule.dose import USUAL_DAY
from corlume.services.keeping.coral_types import type_of
from corlume.services.placement.grown_shade import placed_at
from corlume.services.placement.growth import clashes
from corlume.services.placement.spots import lit_at, spots_of
from corlume.services.placement.zone_placement import coral_light
from corlume.store.tables import Kept
from corlume.store.tanks import StoredSetup, StoredTank

USUAL_MONTHS = 18.0
"""How many months ahead corals get room to grow where nobody says; ours."""


@dataclass(frozen=True, slots=True)
class PlacementRequest:
    """Options of a plan: growing room for so many months, and light judged by daily light (its range taken for
    ``USUAL_DAY`` hours) instead of peak PAR.
    """

    months: float = USUAL_MONTHS
    daily: bool = False


@dataclass(frozen=True)
class PlacementProblem:
    """Spots and corals of a tank: unplaced corals first, then placed ones, on spots of their own."""

    stored: StoredTank
    setup: StoredSetup
    asked: PlacementRequest
    seats: SpotTable
    waiting: tuple[Kept[Coral], ...]
    sitting: tuple[Kept[Coral], ...]
    tried: dict[tuple[int, float], SpotTable] = field(default_factory=dict)
    """Seats under other setups, by what was changed: they are the same for every coral."""

    @property
    def cards(self) -> list[CoralCard]:
        return [kept.value.card for kept in (*self.waiting, *self.sitting)]

    @property
    def fixed(self) -> Places:
        first = len(self.seats.names)
        return {len(self.waiting) + k: first + k for k in range(len(self.sitting))}

    @cached_property
    def points(self) -> np.ndarray:
        """Spots, and behind them the places of placed corals (n, 3) [m]."""
        own = [kept.value.place for kept in self.sitting]
        return np.concatenate([self.seats.points, np.array(own).reshape(-1, 3)])

    def light(self, coral: int, par: np.ndarray) -> np.ndarray:
        """Worth of light to a coral [-]; see ``light_score``."""
        kind = type_of(self.stored, self.cards[coral])
        return light_score(self.cards[coral], par * self.day, food=bool(kind and kind.food))

    @property
    def day(self) -> float:
        """Factor on light for the length of the day, where it is judged by daily light [-]."""
        return self.stored.running.day.full_hours(self.setup.hung) / USUAL_DAY if self.asked.daily else 1.0

    def sits(self, coral: int) -> SitsOn:
        """Where a coral can sit."""
        return sits_of(self.stored, self.cards[coral])

    @property
    def bodies(self) -> list[float]:
        """Diameter of each coral at the end of the horizon [m]."""
        kinds = [type_of(self.stored, card) for card in self.cards]
        grown = [kind.growth if kind else USUAL_GROWTH for kind in kinds]
        return [body_after(card, self.asked.months, growth) for card, growth in zip(self.cards, grown, strict=True)]

    def worth(self, coral: Coral, seats: SpotTable) -> np.ndarray:
        """Worth of spots (s,) to a coral, by its needs and preferences."""
        card = coral.card
        kind = type_of(self.stored, card)
        body = body_after(card, self.asked.months, kind.growth if kind else USUAL_GROWTH)
        food = bool(kind and kind.food)
        seats = replace(seats, par=seats.par * self.day)
        worth = spot_score(card, seats, body, sits_of(self.stored, card), food=food)
        placed = [(kept.value.card.name, kept.value.place) for kept in self.sitting if kept.value.place is not None]
        return apply_preferences(worth, coral.wish, seats.points, self.stored.tank.width, placed)

    def stock(self) -> UnplacedCorals:
        """The assignment problem to solve."""
        seats, points = self.seats, self.points
        worth = np.zeros((len(self.cards), len(points)))
        for c, kept in enumerate(self.waiting):
            worth[c, : len(seats.names)] = self.worth(kept.value, seats)
        for c, s in self.fixed.items():
            worth[c, s] = 1.0
        cards, bodies = self.cards, self.bodies
        apart = np.array([
            [keep_apart(a, b, body, other) * (i != j) for j, (b, other) in enumerate(zip(cards, bodies, strict=True))]
            for i, (a, body) in enumerate(zip(cards, bodies, strict=True))
        ])  # fmt: skip
        over = np.array([[0.5 * max(a.size, b.size) for b in cards] for a in cards])
        shading = self.stored.tank.colony_shade
        square = (len(cards), len(cards))
        return UnplacedCorals(worth, points, apart.reshape(square), over.reshape(square) if shading else None)


def problem_of(stored: StoredTank, setup: StoredSetup, asked: PlacementRequest) -> PlacementProblem:
    waiting = tuple(kept for kept in stored.corals if kept.value.place is None)
    sitting = tuple(kept for kept in stored.corals if kept.value.place is not None)
    return PlacementProblem(stored, setup, asked, spots_of(stored, setup.hung), waiting, sitting)


def sits_of(stored: StoredTank, card: CoralCard) -> SitsOn:
    """Where a coral can sit, by the library; tops and sand for types that are not in it."""
    kind = type_of(stored, card)
    return kind.sits() if kind else ANYWHERE


def places_of(case: PlacementProblem, places: Mapping[int, int]) -> dict[int, tuple[float, float, float]]:
    """Places of a plan's corals, by id [m]."""
    there = {case.waiting[c].id: case.seats.points[s].tolist() for c, s in places.items() if c < len(case.waiting)}
    return {coral_id: (x, y, depth) for coral_id, (x, y, depth) in there.items()}


def planned(case: PlacementProblem, places: Mapping[int, int]) -> dict[int, float]:
    """PAR at every coral of a plan and at those already placed, each under the shade of the others where that is
    switched on.
    """
    light = coral_light(placed_at(case.stored, places_of(case, places)), case.setup.hung)
    return {c: light[kept.id] for c, kept in enumerate((*case.waiting, *case.sitting)) if kept.id in light}


@dataclass(frozen=True)
class GrownShade:
    """Shade among the corals of a plan when grown; none where shade is switched off."""

    case: PlacementProblem

    def dark(self, places: Mapping[int, int]) -> list[tuple[int, int]]:
        """Corals that would be in range but for the shade of others in the plan, and placed corals that would leave
        their range, each with the one that shades it.
        """
        case = self.case
        if not case.stored.tank.colony_shade:
            return []
        light, first, found = planned(case, places), len(case.waiting), list[tuple[int, int]]()
        for c in places:
            lit = case.light(c, np.array(light[c])) > 0
            if not lit and (c < first or self._lit_now[c - first]):
                over = self._over(places, c)
                if c < first or over != c:
                    found.append((c, over))
        return sorted(found)

    @cached_property
    def _lit_now(self) -> list[bool]:
        """Whether each placed coral is in range now."""
        case, now = self.case, coral_light(self.case.stored, self.case.setup.hung)
        first = len(case.waiting)
        return [bool(case.light(first + k, np.array(now[kept.id])) > 0) for k, kept in enumerate(case.sitting)]

    def first_lit(self, coral: int, places: Mapping[int, int], seats: Sequence[int]) -> int | None:
        """The first of some spots where a coral is in range and takes no other coral out of it; None for none."""
        case = self.case
        if not case.stored.tank.colony_shade:
            return seats[0]
        some = np.array(seats)
        under = placed_at(case.stored, places_of(case, places))
        par, _ = lit_at(under, case.setup.hung, case.seats.points[some], case.seats.way[some])
        able = case.light(coral, par) > 0
        return next((seat for seat in some[able].tolist() if not self.dark({**places, coral: seat})), None)

    def _over(self, places: Mapping[int, int], below: int) -> int:
        """The coral of a plan that shades another: the one most nearly over it; itself without any."""
        case, points = self.case, self.case.points
        x, y, depth = points[places[below]]
        higher = {c: points[s] for c, s in places.items() if c < len(case.waiting) and points[s][2] < depth}
        beside = {c: float(np.hypot(at[0] - x, at[1] - y)) - 0.5 * case.cards[c].size for c, at in higher.items()}
        return min(beside, key=lambda c: beside[c], default=below)


def pinned_clashes(case: PlacementProblem) -> tuple[str, ...]:
    """Pairs of pinned corals that sting each other, which no plan can part."""
    pinned = {kept.id: kept.value.card.name for kept in case.sitting if kept.value.wish.pinned}
    met = [one for one in clashes(case.stored) if one.one in pinned and one.other in pinned]
    return tuple(f"{pinned[one.one]} and {pinned[one.other]}" for one in met)

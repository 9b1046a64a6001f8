"""What is to be placed: the seats of a tank and its corals, what each seat is worth to each, and what a plan shades."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from corlume.core.coral import CoralCard
from corlume.core.placing.assign import Places, Stock
from corlume.core.placing.fit import (
    ANYWHERE,
    USUAL_GROWTH,
    Seats,
    SitsOn,
    body_after,
    keep_apart,
    light_worth,
    seat_worth,
)
from corlume.core.placing.wish import wished
from corlume.core.scene import Coral
from corlume.services.advice.coral_sites import coral_light
from corlume.services.advice.grown_shade import placed_at
from corlume.services.advice.growth import clashes
from corlume.services.advice.seats import seats_of
from corlume.services.keeping.coral_kinds import kind_of
from corlume.store.tables import Kept
from corlume.store.tanks import StoredSetup, StoredTank

USUAL_MONTHS = 18.0
"""How many months ahead corals get room to grow where nobody says; ours."""


USUAL_DAY = 10.0
"""Hours of full light that the bands on the cards are taken to mean, where light is judged by the day (common practice,
no source: ten to twelve hours for LED) [h].
"""


@dataclass(frozen=True, slots=True)
class Asked:
    """What a plan is asked for: room to grow for so many months, and whether light is judged by the day's sum, its
    bands taken for ``USUAL_DAY`` hours, and not by PAR at peak.
    """

    months: float = USUAL_MONTHS
    daily: bool = False


@dataclass(frozen=True)
class Case:
    """Seats and corals of a tank: those that wait first, then those that sit already, on seats of their own."""

    stored: StoredTank
    setup: StoredSetup
    asked: Asked
    seats: Seats
    waiting: tuple[Kept[Coral], ...]
    sitting: tuple[Kept[Coral], ...]
    tried: dict[tuple[int, float], Seats] = field(default_factory=dict)
    """Seats under other setups, by what was changed: they are the same for every coral."""

    @property
    def cards(self) -> list[CoralCard]:
        return [kept.value.card for kept in (*self.waiting, *self.sitting)]

    @property
    def fixed(self) -> Places:
        first = len(self.seats.names)
        return {len(self.waiting) + k: first + k for k in range(len(self.sitting))}

    def light(self, coral: int, par: np.ndarray) -> np.ndarray:
        """What light is worth to one of them [-]; see ``light_worth``."""
        kind = kind_of(self.stored, self.cards[coral])
        return light_worth(self.cards[coral], par * self.day, food=bool(kind and kind.food))

    @property
    def day(self) -> float:
        """What the length of the day makes of the light, where it is judged by the day [-]."""
        return self.stored.running.hours / USUAL_DAY if self.asked.daily else 1.0

    def sits(self, coral: int) -> SitsOn:
        """Where one of them sits."""
        return sits_of(self.stored, self.cards[coral])

    @property
    def bodies(self) -> list[float]:
        """How far across each is at the end of the horizon [m]."""
        kinds = [kind_of(self.stored, card) for card in self.cards]
        grown = [kind.growth if kind else USUAL_GROWTH for kind in kinds]
        return [body_after(card, self.asked.months, growth) for card, growth in zip(self.cards, grown, strict=True)]

    def worth(self, coral: Coral, seats: Seats) -> np.ndarray:
        """What seats (s,) are worth to a coral, by its needs and by what is wished of it."""
        card = coral.card
        kind = kind_of(self.stored, card)
        body = body_after(card, self.asked.months, kind.growth if kind else USUAL_GROWTH)
        food = bool(kind and kind.food)
        seats = replace(seats, par=seats.par * self.day)
        worth = seat_worth(card, seats, body, sits_of(self.stored, card), food=food)
        placed = [(kept.value.card.name, kept.value.place) for kept in self.sitting if kept.value.place is not None]
        return wished(worth, coral.wish, seats.points, self.stored.tank.width, placed)

    def stock(self) -> Stock:
        """What is to be solved."""
        seats = self.seats
        own = [kept.value.place for kept in self.sitting]
        points = np.concatenate([seats.points, np.array(own).reshape(-1, 3)])
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
        return Stock(worth, points, apart.reshape(square), over.reshape(square) if shading else None)


def case_of(stored: StoredTank, setup: StoredSetup, asked: Asked) -> Case:
    waiting = tuple(kept for kept in stored.corals if kept.value.place is None)
    sitting = tuple(kept for kept in stored.corals if kept.value.place is not None)
    return Case(stored, setup, asked, seats_of(stored, setup.hung), waiting, sitting)


def sits_of(stored: StoredTank, card: CoralCard) -> SitsOn:
    """Where a coral sits, by the library; tops and sand for kinds that are not in it."""
    kind = kind_of(stored, card)
    return kind.sits() if kind else ANYWHERE


def places_of(case: Case, places: Places) -> dict[int, tuple[float, float, float]]:
    """Where a plan puts each coral, by its id [m]."""
    there = {case.waiting[c].id: case.seats.points[s].tolist() for c, s in places.items() if c < len(case.waiting)}
    return {coral_id: (x, y, depth) for coral_id, (x, y, depth) in there.items()}


def planned(case: Case, places: Places) -> dict[int, float]:
    """PAR at every coral of a plan and at those that sit already, each under the shade of the others where corals are
    to shade.
    """
    light = coral_light(placed_at(case.stored, places_of(case, places)), case.setup.hung)
    return {c: light[kept.id] for c, kept in enumerate((*case.waiting, *case.sitting)) if kept.id in light}


def in_shade(case: Case, places: Places) -> list[int]:
    """Corals of a plan that would have their light, but for the shade of the others in it; and those that would take
    the light of a coral that sits already and has it now.
    """
    if not case.stored.tank.colony_shade:
        return []
    light, now = planned(case, places), coral_light(case.stored, case.setup.hung)
    first = len(case.waiting)
    found = {c for c in places if c < first and case.light(c, np.array(light[c])) <= 0}
    for k, kept in enumerate(case.sitting):
        before, after = (case.light(first + k, np.array(par)) for par in (now[kept.id], light[first + k]))
        if before > 0 >= after and (over := _over(case, places, kept)) is not None:
            found.add(over)
    return sorted(found)


def _over(case: Case, places: Places, below: Kept[Coral]) -> int | None:
    """The coral of a plan that shades one that sits already: the one nearest to being over it; None without any."""
    assert below.value.place is not None
    x, y, depth = below.value.place
    higher = {c: case.seats.points[s] for c, s in places.items() if c < len(case.waiting)}
    higher = {c: at for c, at in higher.items() if at[2] < depth}
    beside = {c: float(np.hypot(at[0] - x, at[1] - y)) - 0.5 * case.cards[c].size for c, at in higher.items()}
    return min(beside, key=lambda c: beside[c], default=None)


def pinned_clashes(case: Case) -> tuple[str, ...]:
    """Pairs of pinned corals that sting each other: no plan can part them."""
    pinned = {kept.id: kept.value.card.name for kept in case.sitting if kept.value.wish.pinned}
    met = [one for one in clashes(case.stored) if one.one in pinned and one.other in pinned]
    return tuple(f"{pinned[one.one]} and {pinned[one.other]}" for one in met)

"""All corals that wait, placed together: seats from the rock, the best assignment, why, what is second best, and what
would free a place for those that get none.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from corlume.core.coral import CoralCard, PlacedCoral
from corlume.core.judgement.placement import Reason, check_place
from corlume.core.placing.assign import Places, Placing, Stock, greedy, second_best, solve
from corlume.core.placing.facing import SAT
from corlume.core.placing.fit import (
    ANYWHERE,
    USUAL_GROWTH,
    Seats,
    SitsOn,
    body_after,
    flow_worth,
    keep_apart,
    light_worth,
    seat_worth,
)
from corlume.core.placing.wish import wished
from corlume.core.scene import Coral, Seat
from corlume.core.words import letter, plain
from corlume.services.advice.coral_sites import CoralChange, coral_change, coral_light
from corlume.services.advice.seats import seats_of
from corlume.services.keeping.coral_kinds import kind_of
from corlume.services.light.fields import par_at
from corlume.services.light.points import same_tank
from corlume.store.tables import Kept
from corlume.store.tanks import StoredSetup, StoredTank

USUAL_MONTHS = 18.0
"""How many months ahead corals get room to grow where nobody says; ours."""
STEP = 0.05
"""In which steps outputs are tried [-]."""


@dataclass(frozen=True, slots=True)
class Seated:
    """A coral with the seat that it gets: why it suits, and where else it could go, with the PAR there."""

    coral: Kept[Coral]
    number: int
    seat: str
    place: tuple[float, float, float]
    par: float
    reasons: tuple[Reason, ...]
    second: tuple[str, float] | None


@dataclass(frozen=True, slots=True)
class Unseated:
    """A coral that gets no seat: which need fails, by how much, and what would free a seat for it."""

    coral: Kept[Coral]
    number: int
    why: str
    lengths: dict[str, float]
    helps: tuple[Help, ...]


@dataclass(frozen=True, slots=True)
class Help:
    """A change that would give a coral a seat, worked out: in words, and what it does to the placed corals."""

    words: str
    corals: CoralChange | None = None


@dataclass(frozen=True, slots=True)
class Plan:
    """Where all that wait would go: how many seats were looked at, and by how much a better plan could be worth more
    [-], None where that was not looked at.
    """

    seated: tuple[Seated, ...]
    unseated: tuple[Unseated, ...]
    seats: int
    gap: float | None


@dataclass(frozen=True)
class _Case:
    """Seats and corals of a tank: those that wait first, then those that sit already, on seats of their own."""

    stored: StoredTank
    setup: StoredSetup
    months: float
    seats: Seats
    waiting: tuple[Kept[Coral], ...]
    sitting: tuple[Kept[Coral], ...]

    @property
    def cards(self) -> list[CoralCard]:
        return [kept.value.card for kept in (*self.waiting, *self.sitting)]

    @property
    def fixed(self) -> Places:
        first = len(self.seats.names)
        return {len(self.waiting) + k: first + k for k in range(len(self.sitting))}

    @property
    def bodies(self) -> list[float]:
        """How far across each is at the end of the horizon [m]."""
        kinds = [kind_of(self.stored, card) for card in self.cards]
        grown = [kind.growth if kind else USUAL_GROWTH for kind in kinds]
        return [body_after(card, self.months, growth) for card, growth in zip(self.cards, grown, strict=True)]

    def worth(self, coral: Coral, seats: Seats) -> np.ndarray:
        """What seats (s,) are worth to a coral, by its needs and by what is wished of it."""
        card = coral.card
        kind = kind_of(self.stored, card)
        body = body_after(card, self.months, kind.growth if kind else USUAL_GROWTH)
        worth = seat_worth(card, seats, body, sits_of(self.stored, card))
        placed = [(kept.value.card.name, kept.value.place) for kept in self.sitting if kept.value.place is not None]
        return wished(worth, coral.wish, seats.points, self.stored.tank.width, placed)

    def stock(self, par: np.ndarray | None = None) -> Stock:
        """What is to be solved; with other PAR at the seats when it is given."""
        seats = self.seats if par is None else replace(self.seats, par=par)
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


def plans(stored: StoredTank, setup: StoredSetup, months: float, *, seconds: float) -> Iterator[Plan]:
    """Yield better and better plans for all corals that wait; the first at once, and the last with what would help.

    Where placed corals shade what lies under them, seats that a plan itself would put into too much shade are left out,
    and it is made anew.
    """
    case = _case(stored, setup, months)
    plain = stock = case.stock()
    best = _greedy(case, plain)
    yield _plan(case, plain, best, helps=False)
    end = time.monotonic() + seconds
    for _ in range(ROUNDS):
        found = _solved(stock, case.fixed, end)
        best = max(best, _lit(case, plain, found), key=lambda one: one.value)
        dark = _in_shade(case, found.places)
        if not dark or time.monotonic() > end:
            break
        worth = stock.worth.copy()
        for coral in dark:
            worth[coral, found.places[coral]] = 0.0
        stock = replace(stock, worth=worth)
    yield _plan(case, plain, best, helps=True)


def _solved(stock: Stock, fixed: Places, end: float) -> Placing:
    """The best assignment that is found until a time of the clock."""
    steps = solve(stock, seconds=max(0.5, end - time.monotonic()), fixed=fixed)
    found = next(steps)
    while time.monotonic() < end and (better := next(steps, None)) is not None:
        found = better
    return found


def _greedy(case: _Case, stock: Stock) -> Placing:
    places = greedy(stock, case.fixed)
    return _lit(case, stock, Placing(places, stock.value(places)))


def first_plan(stored: StoredTank, setup: StoredSetup, months: float) -> Plan:
    """The greedy plan alone."""
    case = _case(stored, setup, months)
    stock = case.stock()
    return _plan(case, stock, _greedy(case, stock), helps=False)


ROUNDS = 4
"""How often a plan is made anew for the shade that its own corals throw, at most; ours."""


def _planned(case: _Case, places: Places) -> dict[int, float]:
    """PAR at every coral of a plan, each under the shade of the others where corals are to shade."""
    there = {case.waiting[c].id: s for c, s in places.items() if c < len(case.waiting)}
    corals = tuple(
        replace(kept, value=Coral(kept.value.card, Seat(*map(float, case.seats.points[there[kept.id]]))))
        if kept.id in there
        else kept
        for kept in case.stored.corals
    )
    light = coral_light(replace(case.stored, corals=corals), case.setup.hung)
    return {c: light[case.waiting[c].id] for c in places if c < len(case.waiting)}


def _in_shade(case: _Case, places: Places) -> list[int]:
    """Corals that would have their light, but for the shade of the others in a plan."""
    if not case.stored.tank.colony_shade:
        return []
    return [c for c, par in _planned(case, places).items() if light_worth(case.cards[c], np.array(par)) <= 0]


def _lit(case: _Case, stock: Stock, found: Placing) -> Placing:
    """A plan without the corals that it puts into too much shade: they wait on."""
    places = dict(found.places)
    while dark := _in_shade(case, places):
        places.pop(max(dark))
    return replace(found, places=places, value=stock.value(places), gap=found.gap if places == found.places else None)


@dataclass(frozen=True, slots=True)
class BetterSeat:
    """Another seat for one coral, the others where they are: its name, its place [m], its PAR and its flow."""

    name: str
    place: tuple[float, float, float]
    par: float
    flow: str
    speed: float


AT_LEAST = 0.1
"""Light that is to be weaker or stronger differs by this share at least [-]; ours."""
ELSEWHERE = 0.1
"""A coral that is to move moves so far at least [m]; ours."""


def better_seat(stored: StoredTank, setup: StoredSetup, coral_id: int, par: float, colour: str) -> BetterSeat | None:
    """The best other seat for one placed coral: in weaker light than the ``par`` it has where it went paler, in
    stronger where it went darker; None where there is none.
    """
    coral = stored.coral(coral_id)
    rest = tuple(kept for kept in stored.corals if kept.id != coral_id and kept.value.place is not None)
    free = replace(coral, value=replace(coral.value, place=None))
    case = _case(replace(stored, corals=(free, *rest)), setup, USUAL_MONTHS)
    stock = case.stock()
    worth = np.where(stock.free(0, case.fixed), stock.worth[0], 0.0)[: len(case.seats.names)]
    if colour == "paler":
        worth = np.where(case.seats.par < (1 - AT_LEAST) * par, worth, 0.0)
    elif colour == "darker":
        worth = np.where(case.seats.par > (1 + AT_LEAST) * par, worth, 0.0)
    if coral.value.place is not None:
        away = np.linalg.norm(case.seats.points - np.array(coral.value.place), axis=1)
        worth = np.where(away >= ELSEWHERE, worth, 0.0)
    if not len(worth) or worth.max() <= 0:
        return None
    k = int(worth.argmax())
    x, y, depth = case.seats.points[k].tolist()
    flow, speed = case.seats.flow[k], float(case.seats.speed[k])
    return BetterSeat(case.seats.names[k], (x, y, depth), float(case.seats.par[k]), flow, speed)


def _case(stored: StoredTank, setup: StoredSetup, months: float) -> _Case:
    waiting = tuple(kept for kept in stored.corals if kept.value.place is None)
    sitting = tuple(kept for kept in stored.corals if kept.value.place is not None)
    return _Case(stored, setup, months, seats_of(stored, setup.hung), waiting, sitting)


def sits_of(stored: StoredTank, card: CoralCard) -> SitsOn:
    """Where a coral sits, by the library; tops and sand for kinds that are not in it."""
    kind = kind_of(stored, card)
    return kind.sits() if kind else ANYWHERE


def _plan(case: _Case, stock: Stock, found: Placing, *, helps: bool) -> Plan:
    numbers = {kept.id: k for k, kept in enumerate(case.stored.corals, 1)}
    seated, unseated = list[Seated](), list[Unseated]()
    light = _planned(case, found.places)
    placed = {c: PlacedCoral(c, case.cards[c], *(float(v) for v in stock.seats[s])) for c, s in found.places.items()}
    for c, kept in enumerate(case.waiting):
        seat = found.places.get(c)
        if seat is None:
            why, lengths = _why_not(case, stock, found.places, c)
            moves = tuple(_helps(case, stock, found.places, c)) if helps else ()
            unseated.append(Unseated(kept, numbers[kept.id], why, lengths, moves))
            continue
        one = placed[c]
        others = [other for k, other in placed.items() if k != c]
        par, flow, speed = light[c], case.seats.flow[seat], float(case.seats.speed[seat])
        reasons = check_place(case.stored.tank, one.card, (one.x, one.y, one.depth), par, flow, others, speed=speed)
        # what it has no room for is only what it grows to in the end, and light just outside is what it adapts to
        reasons = [
            replace(r, answer="unknown") if r.rule in ("room", "light") and r.answer == "no" else r for r in reasons
        ]
        other = second_best(stock, found.places, c)
        second = (case.seats.names[other], float(case.seats.par[other])) if other is not None else None
        seated.append(
            Seated(
                kept, numbers[kept.id], case.seats.names[seat], (one.x, one.y, one.depth), par, tuple(reasons), second
            )
        )
    return Plan(tuple(seated), tuple(unseated), len(case.seats.names), found.gap)


def _why_not(case: _Case, stock: Stock, places: Places, coral: int) -> tuple[str, dict[str, float]]:
    """Which need fails for a coral, the first that no seat meets with those before it, and by how much."""
    card, seats = case.cards[coral], case.seats
    wants = f"{plain(card.name)} wants {card.par_low:g} to {card.par_high:g} PAR"
    lit = light_worth(card, seats.par) > 0
    if not lit.any():
        if seats.par.max(initial=0.0) < card.par_low:
            return f"Light: {wants}, and the strongest seat reads {seats.par.max(initial=0.0):.0f}.", {}
        weak, strong = seats.par[seats.par < card.par_low], seats.par[seats.par > card.par_high]
        near = weak.max(initial=0.0) if len(weak) else strong.min(initial=0.0)
        return f"Light: {wants}, and no seat reads that; the nearest reads {near:.0f}.", {}
    flowing = lit & np.array([flow_worth(card, flow) > 0 for flow in seats.flow])
    if not flowing.any():
        return f"Flow: of the {lit.sum()} seats with its light none has {card.flow} flow, or a step off it.", {}
    sits = sits_of(case.stored, card)
    flowing = flowing & np.array([sits.get(sat, 0.0) > 0 for sat in seats.sat.tolist()])
    if not flowing.any():
        where = " or ".join(SAT[sat] for sat in sits if sits[sat] >= 0.5)
        return f"Ground: it sits on {where}, and none of that has its light and its flow.", {}
    half = 0.5 * case.bodies[coral]
    roomy = flowing & (seats.room >= half)
    if not roomy.any():
        lengths = {"half": half, "room": float(seats.room[flowing].max())}
        return "Room: it asks for {half} to pane and surface, and has {room} at most where its light is.", lengths
    near = {other: case.stock().distances[places[other], : len(seats.names)] < stock.apart[coral, other]
            for other in places if other != coral}  # fmt: skip
    most = max(near, key=lambda other: int((near[other] & roomy).sum()), default=None)
    if stock.free(coral, places).any():
        return "Shade: where it has its light now, the corals of this plan would take it.", {}
    words = f"Neighbours: all {roomy.sum()} seats that would suit it are taken or in reach of others"
    return words + (f", most of them of {plain(case.cards[most].name)}." if most is not None else "."), {}


def _helps(case: _Case, stock: Stock, places: Places, coral: int) -> Iterator[Help]:
    """Changes that would give a coral a seat while the others keep theirs: one moved, or one output changed."""
    for other in places:
        if other == coral or stock.apart[coral, other] <= 0:
            continue
        rest = {c: s for c, s in places.items() if c != other}
        free = stock if other < len(case.waiting) else _loosened(case, stock, other)
        again = greedy(free, rest)
        moved = other in again and again[other] != places[other]
        if coral in again and moved and coral not in _in_shade(case, again):
            to = case.seats.names[again[other]] if again[other] < len(case.seats.names) else "its place"
            yield Help(f"Move {plain(case.cards[other].name)} to {plain(to)}: then it fits on "
                       f"{plain(case.seats.names[again[coral]])}.")  # fmt: skip
            break
    yield from _brighter(case, places, coral)


def _loosened(case: _Case, stock: Stock, other: int) -> Stock:
    """The stock with a coral that sits already free to go to any seat that suits it."""
    worth = stock.worth.copy()
    coral = (*case.waiting, *case.sitting)[other].value
    worth[other, : len(case.seats.names)] = case.worth(coral, case.seats)
    return replace(stock, worth=worth)


def _brighter(case: _Case, places: Places, coral: int) -> Iterator[Help]:
    """The smallest change of one output that brings a seat into a coral's light and keeps it there, all else alike."""
    tank, fixtures = same_tank(case.stored.lit_tank()), case.setup.hung
    tries = list[tuple[float, int, float]]()
    for k, fixture in enumerate(fixtures):
        if not fixture.dimmable or fixture.output <= 0:
            continue
        mine = par_at(tank, [fixture], case.seats.points, normals=case.seats.way) / fixture.output
        for output in np.arange(STEP, 1.0 + 1e-9, STEP).round(2).tolist():
            par = np.maximum(0.0, case.seats.par + (output - fixture.output) * mine)
            if abs(output - fixture.output) >= STEP and case.stock(par).free(coral, places).any():
                tries.append((abs(output - fixture.output), k, output))
    for _, k, output in sorted(tries)[:MOST_TRIED]:
        kept = case.setup.fixtures[k]
        lamps = [replace(one, value=replace(one.value, output=output)) if one is kept else one
                 for one in case.setup.fixtures]  # fmt: skip
        setup = replace(case.setup, fixtures=tuple(lamps))
        after = replace(case, setup=setup, seats=seats_of(case.stored, setup.hung))
        stock = after.stock()
        worth = np.where(stock.free(coral, places), stock.worth[coral], 0.0)
        there = {**places, coral: int(worth.argmax())}
        if worth.max() > 0 and light_worth(case.cards[coral], np.array(_planned(after, there)[coral])) > 0:
            words = f"Turn {letter(k)} from {100 * kept.value.output:.0f} to {100 * output:.0f} %."
            yield Help(words, coral_change(case.stored, setup.hung, case.setup.hung))
            return


MOST_TRIED = 6
"""How many changes of an output are worked out to the end, the smallest first."""

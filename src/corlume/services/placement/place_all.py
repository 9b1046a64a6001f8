"""Place all unplaced corals: the best assignment of spots with its reasons, the second best spot of each, and what
would help those without one.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from corlume.core.message_text import escape_slots
from corlume.core.placement.assignment import Assignment, Places, UnplacedCorals, second_best
from corlume.core.placement.coral import Coral
from corlume.core.placement.coral_card import PlacedCoral
from corlume.core.placement.shade_aware import lit_greedy, solve_lit
from corlume.core.placement.spot_score import flow_score
from corlume.core.placement.suitability import NPS_MOST, FitReason, check_place
from corlume.core.placement.surface_orientation import SAT
from corlume.services.keeping.coral_types import height_of, lives_off_food
from corlume.services.placement.grown_shade import Shaded, shaded_by
from corlume.services.placement.make_room import RoomChange, room_changes
from corlume.services.placement.placement_problem import (
    GrownShade,
    PlacementProblem,
    PlacementRequest,
    pinned_clashes,
    places_of,
    planned,
    problem_of,
    sits_of,
)
from corlume.store.tables import Kept
from corlume.store.tanks import StoredSetup, StoredTank


@dataclass(frozen=True, slots=True)
class PlacedInPlan:
    """A coral with its spot in the plan: the reasons, and the alternative with its PAR."""

    coral: Kept[Coral]
    number: int
    seat: str
    place: tuple[float, float, float]
    par: float
    reasons: tuple[FitReason, ...]
    second: tuple[str, float] | None


@dataclass(frozen=True, slots=True)
class UnplacedInPlan:
    """A coral without a spot in the plan: the need that fails, by how much, and what would help."""

    coral: Kept[Coral]
    number: int
    why: str
    lengths: dict[str, float]
    helps: tuple[RoomChange, ...]


@dataclass(frozen=True, slots=True)
class Plan:
    """A placement plan: how many spots were tested, by how much a better plan could be worth more [-], None where not
    known, whether help was looked for, which pinned corals sting each other, and which placed corals it would shade
    when grown.
    """

    seated: tuple[PlacedInPlan, ...]
    unseated: tuple[UnplacedInPlan, ...]
    seats: int
    gap: float | None
    helps: bool
    pinned: tuple[str, ...]
    shaded: tuple[Shaded, ...]


def plans(
    stored: StoredTank,
    setup: StoredSetup,
    asked: PlacementRequest,
    *,
    seconds: float,
    stopped: Callable[[], bool] = lambda: False,
) -> Iterator[Plan]:
    """Yield better and better plans for all unplaced corals; the first at once, the last with what would help.

    Where grown corals shade what lies under them, every plan leaves all of its corals their light; see
    ``core.placement.shade_aware``. When whoever asks has ``stopped`` it, the best one so far is the last.
    """
    case = problem_of(stored, setup, asked)
    stock, best = case.stock(), None
    end = time.monotonic() + seconds

    def left() -> float:
        return 0.0 if stopped() else end - time.monotonic()

    for best in solve_lit(stock, GrownShade(case), left=left, fixed=case.fixed):
        yield _plan(case, stock, best, helps=False)
    assert best is not None
    yield _plan(case, stock, best, helps=not stopped())


def first_plan(stored: StoredTank, setup: StoredSetup, asked: PlacementRequest) -> Plan:
    """The greedy plan alone."""
    case = problem_of(stored, setup, asked)
    stock = case.stock()
    return _plan(case, stock, lit_greedy(stock, GrownShade(case), case.fixed), helps=False)


def _plan(case: PlacementProblem, stock: UnplacedCorals, found: Assignment, *, helps: bool) -> Plan:
    numbers = {kept.id: k for k, kept in enumerate(case.stored.corals, 1)}
    seated, unseated = list[PlacedInPlan](), list[UnplacedInPlan]()
    light = planned(case, found.places)
    placed = {c: PlacedCoral(c, case.cards[c], *(float(v) for v in stock.seats[s])) for c, s in found.places.items()}
    for c, kept in enumerate(case.waiting):
        seat = found.places.get(c)
        if seat is None:
            why, lengths = _why_not(case, stock, found.places, c)
            moves = tuple(room_changes(case, stock, found.places, c)) if helps else ()
            unseated.append(UnplacedInPlan(kept, numbers[kept.id], why, lengths, moves))
            continue
        one = placed[c]
        others = [other for k, other in placed.items() if k != c]
        par, flow, speed = light[c], case.seats.flow[seat], float(case.seats.speed[seat])
        where, food = (one.x, one.y, one.depth), lives_off_food(case.stored, one.card)
        high = height_of(case.stored, one.card)
        reasons = check_place(case.stored.tank, one.card, where, par, flow, others, speed=speed, food=food, height=high)
        # what it has no room for is only what it grows to in the end, and light just outside is what it adapts to
        reasons = [
            replace(r, answer="unknown") if r.rule in ("room", "light") and r.answer == "no" else r for r in reasons
        ]
        # a second best is in its range outright; a little outside it is only taken for a coral that has nothing else
        inside = (case.seats.par >= one.card.par_low) & (case.seats.par <= one.card.par_high) | food
        other = second_best(stock, found.places, c, among=inside)
        second = (case.seats.names[other], float(case.seats.par[other])) if other is not None else None
        seated.append(
            PlacedInPlan(
                kept, numbers[kept.id], case.seats.names[seat], (one.x, one.y, one.depth), par, tuple(reasons), second
            )
        )
    names = len(case.seats.names)
    shaded = shaded_by(case.stored, case.setup.hung, places_of(case, found.places))
    return Plan(tuple(seated), tuple(unseated), names, found.gap, helps, pinned_clashes(case), shaded)


def _why_not(case: PlacementProblem, stock: UnplacedCorals, places: Places, coral: int) -> tuple[str, dict[str, float]]:
    """The first need that no spot meets together with those before it, and by how much it fails."""
    card, seats = case.cards[coral], case.seats
    needs = f"{escape_slots(card.name)} needs {card.par_low:g} to {card.par_high:g} PAR"
    lit = case.light(coral, seats.par) > 0
    if not lit.any() and lives_off_food(case.stored, card):
        dim = seats.par.min(initial=np.inf)
        words = f"{escape_slots(card.name)} is non-photosynthetic and goes where it is dim, under {NPS_MOST:.0f} PAR"
        return f"Light: {words}, and the dimmest spot reads {dim:.0f}.", {}
    if not lit.any():
        if seats.par.max(initial=0.0) < card.par_low:
            return f"Light: {needs}, and the strongest spot has {seats.par.max(initial=0.0):.0f}.", {}
        weak, strong = seats.par[seats.par < card.par_low], seats.par[seats.par > card.par_high]
        near = weak.max(initial=0.0) if len(weak) else strong.min(initial=0.0)
        return f"Light: {needs}, and no spot has that; the nearest has {near:.0f}.", {}
    flowing = lit & np.array([flow_score(card, flow) > 0 for flow in seats.flow])
    if not flowing.any():
        return f"Flow: of the {lit.sum()} spots in its PAR range none has {card.flow} flow, or a step off it.", {}
    sits = sits_of(case.stored, card)
    flowing = flowing & np.array([sits.get(sat, 0.0) > 0 for sat in seats.sat.tolist()])
    if not flowing.any():
        where = " or ".join(SAT[sat] for sat in sits if sits[sat] >= 0.5)
        return f"Ground: it sits on {where}, and none of that has its light and its flow.", {}
    half = 0.5 * case.bodies[coral]
    roomy = flowing & (seats.room >= half)
    if not roomy.any():
        lengths = {"half": half, "room": float(seats.room[flowing].max())}
        return "Room: it needs {half} to pane and surface; where its light is there is {room} at most.", lengths
    near = {other: stock.distances[places[other], : len(seats.names)] < stock.apart[coral, other]
            for other in places if other != coral}  # fmt: skip
    most = max(near, key=lambda other: int((near[other] & roomy).sum()), default=None)
    if stock.free(coral, places).any():
        free = int(stock.free(coral, places).sum())
        words = f"Shade: of the {free} free spots with its light now, each was tried: grown corals of this plan would "
        return words + "shade it there, or it would shade them.", {}
    words = f"Neighbours: all {roomy.sum()} suitable spots are occupied or within reach of others"
    return words + (f", most of them of {escape_slots(case.cards[most].name)}." if most is not None else "."), {}

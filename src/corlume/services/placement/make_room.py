"""Changes that would give an unplaced coral a spot, each computed to its end."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.field import grid
from corlume.core.light.geometry import Tank
from corlume.core.message_text import escape_slots, letter
from corlume.core.placement.assignment import Places, UnplacedCorals, greedy
from corlume.core.placement.spot_score import flow_score
from corlume.core.placement.suitability import room_at
from corlume.services.flow.tank_flow import flow_seen
from corlume.services.light.fields import par_at
from corlume.services.light.points import same_tank
from corlume.services.placement.placement_problem import GrownShade, PlacementProblem, planned
from corlume.services.placement.spots import relit
from corlume.services.placement.zone_placement import CoralChange, coral_change
from corlume.store.tanks import StoredSetup

Array = NDArray[np.float64]
STEP = 0.05
"""In which steps outputs are tried [-]."""
RAISED = (0.03, -0.03, 0.06, -0.06, 0.1, -0.1, 0.15, 0.2)
"""By how much all fixtures are raised or lowered, the least first [m]; ours."""
LOWEST = 0.05
"""Fixtures stay so far over the water, and under the ceiling [m]; ours."""
LEDGES, THICK = (0.1, 0.14, 0.2, 0.28), 0.03
"""Length and width of a ledge that is proposed, the smallest that is held, and its thickness [m]; ours."""


@dataclass(frozen=True, slots=True)
class RoomChange:
    """A change that would give a coral a spot: in words, where lengths stand as {name}, and its effect on the placed
    corals.
    """

    words: str
    lengths: dict[str, float] = field(default_factory=dict)
    corals: CoralChange | None = None


def room_changes(case: PlacementProblem, stock: UnplacedCorals, places: Places, coral: int) -> Iterator[RoomChange]:
    """Changes that would give a coral a spot while the others stay: one moved, one output changed, all fixtures raised
    or lowered, a ledge added.
    """
    pinned = {len(case.waiting) + k for k, kept in enumerate(case.sitting) if kept.value.wish.pinned}
    for other in places:
        if other == coral or other in pinned or stock.apart[coral, other] <= 0:
            continue
        rest = {c: s for c, s in places.items() if c != other}
        free = stock if other < len(case.waiting) else _loosened(case, stock, other)
        again = greedy(free, rest)
        moved = other in again and again[other] != places[other]
        if coral in again and moved and not GrownShade(case).dark(again):
            to = case.seats.names[again[other]] if again[other] < len(case.seats.names) else "its place"
            yield RoomChange(f"Move {escape_slots(case.cards[other].name)} to {escape_slots(to)}: then it fits on "
                       f"{escape_slots(case.seats.names[again[coral]])}.")  # fmt: skip
            break
    yield from _brighter(case, places, coral)
    yield from _raised(case, places, coral)
    yield from _ledge(case, places, coral)


def _loosened(case: PlacementProblem, stock: UnplacedCorals, other: int) -> UnplacedCorals:
    """The problem with a placed coral free to take any spot that suits it."""
    worth = stock.worth.copy()
    coral = (*case.waiting, *case.sitting)[other].value
    worth[other, : len(case.seats.names)] = case.worth(coral, case.seats)
    return replace(stock, worth=worth)


def _brighter(case: PlacementProblem, places: Places, coral: int) -> Iterator[RoomChange]:
    """The smallest change of one output that brings a spot into a coral's target range."""
    tank, fixtures = same_tank(case.stored.lit_tank()), case.setup.hung
    tries = list[tuple[float, int, float]]()
    one = case.waiting[coral].value
    clear = case.stock().clear(coral, places)[: len(case.seats.names)]
    for k, fixture in enumerate(fixtures):
        if not fixture.dimmable or fixture.output <= 0:
            continue
        mine = par_at(tank, [fixture], case.seats.points, normals=case.seats.way) / fixture.output
        for output in np.arange(STEP, 1.0 + 1e-9, STEP).round(2).tolist():
            par = np.maximum(0.0, case.seats.par + (output - fixture.output) * mine)
            if abs(output - fixture.output) < STEP:
                continue
            if (clear & (case.worth(one, replace(case.seats, par=par)) > 0)).any():
                tries.append((abs(output - fixture.output), k, output))
    for _, k, output in sorted(tries)[:MOST_TRIED]:
        kept = case.setup.fixtures[k]
        lamps = [replace(one, value=replace(one.value, output=output)) if one is kept else one
                 for one in case.setup.fixtures]  # fmt: skip
        setup = replace(case.setup, fixtures=tuple(lamps))
        if _fits_then(case, places, coral, (k, output), setup):
            words = f"Turn {letter(k)} from {100 * kept.value.output:.0f} to {100 * output:.0f} %."
            yield RoomChange(words, corals=coral_change(case.stored, setup.hung, case.setup.hung))
            return


def _fits_then(
    case: PlacementProblem, places: Places, coral: int, change: tuple[int, float], setup: StoredSetup
) -> bool:
    """Whether a coral has a spot under another setup, the others where they are."""
    if change not in case.tried:
        case.tried[change] = relit(case.stored, case.seats, setup.hung)
    after = replace(case, setup=setup, seats=case.tried[change])
    stock = after.stock()
    worth = np.where(stock.free(coral, places), stock.worth[coral], 0.0)
    there = {**places, coral: int(worth.argmax())}
    return bool(worth.max() > 0 and case.light(coral, np.array(planned(after, there)[coral])) > 0)


def _raised(case: PlacementProblem, places: Places, coral: int) -> Iterator[RoomChange]:
    """The smallest change of height of all fixtures together that gives a coral a spot."""
    hung, room = case.setup.fixtures, case.stored.tank.room_height
    for by in RAISED:
        heights = [kept.value.emitter.height + by for kept in hung]
        if not hung or min(heights) < LOWEST or max(heights) > room - LOWEST:
            continue
        lamps = tuple(
            replace(k, value=replace(k.value, emitter=replace(k.value.emitter, height=h)))
            for k, h in zip(hung, heights, strict=True)
        )
        setup = replace(case.setup, fixtures=lamps)
        if _fits_then(case, places, coral, (-1, by), setup):
            words = f"{'Raise' if by > 0 else 'Lower'} all fixtures by {{by}}."
            yield RoomChange(words, {"by": abs(by)}, coral_change(case.stored, setup.hung, case.setup.hung))
            return


def _ledge(case: PlacementProblem, places: Places, coral: int) -> Iterator[RoomChange]:
    """A ledge, held by rock or a pane, with everything that a coral needs, the nearest to the back."""
    tank = case.stored.tank
    if case.sits(coral).get("top", 0.0) <= 0:
        return
    points, sizes = _ledges(tank)
    if not len(points):
        return
    par = par_at(same_tank(case.stored.lit_tank()), case.setup.hung, points)
    words, _ = flow_seen(case.stored, points)
    right = (case.light(coral, par) > 0) & np.array([flow_score(case.cards[coral], word) > 0 for word in words])
    right &= room_at(tank, points) >= 0.5 * case.bodies[coral]
    stock = case.stock()
    for other, seat in places.items():
        away, over = stock.needs(coral, other)
        at = stock.seats[seat]
        right &= np.linalg.norm(points - at, axis=1) >= away
        right &= np.linalg.norm(points[:, :2] - at[:2], axis=1) >= over
    if right.any():
        k = int(np.where(right, points[:, 1] + 1e-3 * case.light(coral, par), -1.0).argmax())
        x, y, depth = points[k].tolist()
        told = "Add a ledge of rock, {size} across, held by rock or pane, its top {x} from left, {y} from front, "
        told += "{depth} down: it "
        lengths = {"size": float(sizes[k]), "x": x, "y": y, "depth": depth}
        yield RoomChange(f"{told}would read {par[k]:.0f} PAR there.", lengths)


def _ledges(tank: Tank) -> tuple[Array, Array]:
    """Middles (n, 3) of the tops of possible ledges in open water, each as small as rock or a pane to hold it allows,
    and their widths (n,) [m].
    """
    depths = np.arange(0.08, tank.sand_depth - 0.08, 0.04)
    points = grid(tank, (14, 6, 1))[:, :, 0, :2].reshape(-1, 2)
    points = np.round(np.array([(x, y, depth) for depth in depths for x, y in points]).reshape(-1, 3), 2)
    sizes = np.zeros(len(points))
    for size in LEDGES:
        low = points - np.array([0.5 * size, 0.5 * size, 0.03])
        high = points + np.array([0.5 * size, 0.5 * size, THICK])
        corners = [np.column_stack([(low, high)[b >> k & 1][:, k] for k in range(3)]) for b in range(8)]
        inside = (low[:, :2] >= 0).all(axis=1) & (high[:, 0] <= tank.length) & (high[:, 1] <= tank.width)
        clear = inside & ~np.any([tank.in_rock(corner) for corner in (*corners, points)], axis=0)
        sizes[(sizes == 0) & clear & _held(tank, low, high)] = size
    return points[sizes > 0], sizes[sizes > 0]


def _held(tank: Tank, low: Array, high: Array) -> NDArray[np.bool_]:
    """Whether a ledge between such corners (n, 3) touches rock at one side, or a pane not looked through [m]."""
    middle = 0.5 * (low + high)
    found = np.minimum.reduce([low[:, 0], tank.length - high[:, 0], tank.width - high[:, 1]]) < TOUCHES
    for axis in (0, 1):
        for end, way in ((low, -TOUCHES), (high, TOUCHES)):
            side = middle.copy()
            side[:, axis] = end[:, axis] + way
            found |= tank.in_rock(side)
    return np.asarray(found)


TOUCHES = 0.02
"""A ledge so near to rock or a pane is fixed to it [m]."""
MOST_TRIED = 6
"""How many changes of an output are worked out to the end, the smallest first."""

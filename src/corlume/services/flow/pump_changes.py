"""Changes of pumps that would help dead spots: aimed, raised or lowered, run harder, or one added, each solved."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.flow.circulation import solve_pumps
from corlume.core.flow.first_estimate import CLASS_ENDS
from corlume.core.flow.local_flow import local_flow_at
from corlume.core.flow.pump import NEAR_GLASS, Pump, pump_errors
from corlume.core.flow.solver import SolvedFlow
from corlume.core.keeping.inside_rock import is_inside_rock
from corlume.core.message_text import escape_slots
from corlume.core.placement.suitability import FLOW_STEP
from corlume.core.units import CM, DEGREE, LITRES_AN_HOUR
from corlume.services.flow.tank_flow import flow_seen, solve, solved_flow, spot_flow
from corlume.services.keeping.pumps import free_name
from corlume.services.light.points import surfaces_of
from corlume.store.flow_fields import FlowField
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
MOST_LOOKED_AT = 300
"""Places on rock and sand that are looked at for each change; ours."""
WORTH = 0.03
"""A change is told that takes dead spots from so much of the places at least [-]; ours."""
COARSER, RANKING = 1.75, 0.6
"""Side of a cell over which changes are ranked, over that of the pages; and the share of the work that takes; ours [-].
"""
ENOUGH = 0.01
"""So little of the places is dead in any tank [-]; ours."""


@dataclass(frozen=True, slots=True)
class FlowChange:
    """A change of a pump, or a pump added, in words: the new pump, with its id if it exists, and the flow solved with
    it.
    """

    words: str
    lengths: dict[str, float]
    pump: Pump
    pump_id: int | None
    solved: FlowField


@dataclass(frozen=True, slots=True)
class FlowHelp:
    """Effect of a change: the share of spots that are dead spots before and after [-], and the placed corals that leave
    or enter their flow.
    """

    change: FlowChange
    before: float
    after: float
    leave: tuple[str, ...]
    enter: tuple[str, ...]


def dead_share(stored: StoredTank) -> float:
    """Share of the spots on rock and sand that are dead spots [-]."""
    return spot_flow(stored)["dead"]


def weighed(stored: StoredTank, changes: Sequence[FlowChange]) -> list[FlowHelp]:
    """Effects of changes on the tank, with its corals and notes as they are now: those that help, most first."""
    before, found = dead_share(stored), list[FlowHelp]()
    for change in changes:
        changed = replace(_changed(stored, change.pump, change.pump_id), flow_field=change.solved)
        after = dead_share(changed)
        if before - after >= WORTH:
            found.append(FlowHelp(change, before, after, *_corals(stored, changed)))
    return sorted(found, key=lambda one: one.after)


def flow_changes(stored: StoredTank, told: Callable[[float], object] = lambda _: None) -> list[FlowChange]:
    """The best change of each type for dead spots; none where few spots are dead.

    Every change is solved over coarse cells, and the best of each kind over those of the pages. ``told`` is called with
    the share that is done [-], and may raise to stop it.
    """
    places = _places(stored)
    if dead_share(stored) < ENOUGH or not (_speeds(stored, places, solved_flow(stored)) < CLASS_ENDS[0]).any():
        return []
    chosen, found = _best_of_each(stored, places, lambda done: told(RANKING * done)), list[FlowChange]()
    for words, lengths, pump, kept in chosen:

        def part(done: float) -> None:
            told(RANKING + (1 - RANKING) * (len(found) + done) / len(chosen))

        pump_id = kept.id if kept else None
        found.append(FlowChange(words, lengths, pump, pump_id, solve(_changed(stored, pump, pump_id), part)))
    return found


def _best_of_each(stored: StoredTank, places: Array, told: Callable[[float], object]) -> list[Try]:
    """The change of each type that leaves fewest dead spots, over coarse cells."""
    centre = _centre(stored, places)
    kinds = [
        [one for one in tries if not pump_errors(stored.tank, [one[2]]) and not is_inside_rock(stored.tank, one[2])]
        for tries in (_aimed(stored, centre), _raised(stored), _harder(stored), _added(stored, centre))
    ]
    done, best = 0, list[Try]()
    for tries in kinds:
        scores = []
        for _, _, pump, kept in tries:
            changed = _changed(stored, pump, kept.id if kept else None)
            coarse = solve_pumps(changed.tank, [one.value for one in changed.pumps], coarser=COARSER)
            scores.append((_speeds(changed, places, coarse) < CLASS_ENDS[0]).mean())
            done += 1
            told(done / sum(map(len, kinds)))
        if scores:
            best.append(tries[int(np.argmin(scores))])
    return best


Try = tuple[str, dict[str, float], Pump, Kept[Pump] | None]


def _aimed(stored: StoredTank, centre: tuple[float, float, float]) -> Iterator[Try]:
    for kept in stored.pumps:
        one = kept.value
        for turn in (-40, -20, 20, 40):
            way = "clockwise" if turn < 0 else "anticlockwise"
            words = f"Turn {escape_slots(one.name)} {abs(turn)} degrees {way}, seen from above"
            yield words, {}, replace(one, turn=_around(one.turn + turn * DEGREE)), kept
        for tilt in (-25, -12, 12, 25):
            if abs(one.tilt + tilt * DEGREE) < math.pi / 2:
                words = f"Tilt {escape_slots(one.name)} {abs(tilt)} degrees further {'up' if tilt > 0 else 'down'}"
                yield words, {}, replace(one, tilt=one.tilt + tilt * DEGREE), kept
        x, y, depth = centre
        lengths = {"x": x, "y": y, "depth": depth}
        words = f"Aim {escape_slots(one.name)} at the dead spot {{x}} from left, {{y}} from front, {{depth}} down"
        yield words, lengths, one.aimed(*centre), kept


def _raised(stored: StoredTank) -> Iterator[Try]:
    for kept in stored.pumps:
        for by in (-0.15, -0.08, 0.08, 0.15):
            depth = kept.value.depth + by
            if 0.03 <= depth <= stored.tank.sand_depth - 0.03:
                words = f"{'Raise' if by < 0 else 'Lower'} {escape_slots(kept.value.name)} by {{by}}"
                yield words, {"by": abs(by)}, replace(kept.value, depth=depth), kept


def _harder(stored: StoredTank) -> Iterator[Try]:
    for kept in stored.pumps:
        for more in (1.25, 1.5):
            words = f"Let {escape_slots(kept.value.name)} move {100 * (more - 1):.0f} % more water"
            yield words, {}, replace(kept.value, rate=kept.value.rate * more), kept


def _added(stored: StoredTank, centre: tuple[float, float, float]) -> Iterator[Try]:
    tank = stored.tank
    rate = float(np.median([kept.value.rate for kept in stored.pumps]))
    depth = min(0.2, 0.5 * tank.sand_depth)
    for where, x, y in (
        ("left pane", 3 * CM, tank.width / 2), ("right pane", tank.length - 3 * CM, tank.width / 2),
        ("back pane, left", 0.25 * tank.length, tank.width - 3 * CM),
        ("back pane, right", 0.75 * tank.length, tank.width - 3 * CM),
    ):  # fmt: skip
        one = Pump(free_name(stored), x=x, y=y, depth=depth, rate=max(rate, 500 * LITRES_AN_HOUR))
        words = f"Add a pump at the {where}, {{depth}} down, aimed at the dead spot"
        yield words, {"depth": depth}, one.aimed(*centre), None


def _around(turn: float) -> float:
    return (turn + math.pi) % (2 * math.pi) - math.pi


def _places(stored: StoredTank) -> Array:
    """Spots on rock and sand, thinned evenly, without those whose flow the keeper painted or noted."""
    points = np.concatenate([np.empty((0, 3)), *(s.points[s.free] for s in surfaces_of(stored.tank))])
    known = local_flow_at(stored.tank, [], [kept.value for kept in stored.flow_marks], points).words != ""
    thinned: Array = points[~known][:: max(1, -(-int((~known).sum()) // MOST_LOOKED_AT))]
    return thinned


def _changed(stored: StoredTank, pump: Pump, pump_id: int | None) -> StoredTank:
    """The tank with a pump changed or added."""
    if pump_id is None:
        return stored.having(pumps=(*stored.pumps, Kept(0, pump)))
    return stored.having(pumps=tuple(Kept(one.id, pump) if one.id == pump_id else one for one in stored.pumps))


def _speeds(stored: StoredTank, points: Array, solved: SolvedFlow | None) -> Array:
    return local_flow_at(stored.tank, [kept.value for kept in stored.pumps], [], points, solved).speed


def _centre(stored: StoredTank, points: Array) -> tuple[float, float, float]:
    """The dead spot with most other dead spots around it [m]."""
    dead = points[_speeds(stored, points, solved_flow(stored)) < CLASS_ENDS[0]]
    near = (np.linalg.norm(dead[:, None] - dead[None], axis=-1) < 0.2).sum(axis=1)
    x, y, depth = dead[int(near.argmax())].tolist()
    return x, y, depth


def _corals(stored: StoredTank, changed: StoredTank) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Placed corals that would leave their flow, and those that would enter it, by number and name."""
    placed = [(n, kept.value) for n, kept in enumerate(stored.corals, 1) if kept.value.place is not None]
    feet = np.array([coral.place for _, coral in placed]).reshape(-1, 3)
    (now, _), (then, _) = flow_seen(stored, feet), flow_seen(changed, feet)

    def right(word: str, wanted: str) -> bool:
        return not word or abs(FLOW_STEP[word] - FLOW_STEP[wanted]) <= 1

    leave, enter = list[str](), list[str]()
    for (number, coral), a, b in zip(placed, now, then, strict=True):
        was, is_then = right(a, coral.card.flow), right(b, coral.card.flow)
        if was != is_then:
            (leave if was else enter).append(f"{number} {coral.card.name}: {a or 'flow unknown'} to {b or 'unknown'}")
    return tuple(leave), tuple(enter)


def glass_words(stored: StoredTank, one: Pump) -> tuple[str, dict[str, float]] | None:
    """Warning that a pump blows against glass, sand or surface close by, with the distance; None where not."""
    far = one.throw(stored.tank)
    if far >= NEAR_GLASS:
        return None
    return "points at glass, sand or the surface {far} away: most of its stream is lost there", {"far": far}

"""What would help dead spots: pumps aimed, raised or lowered, run harder, or one more, each worked out."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.buried import is_buried
from corlume.core.flow.estimate import CLASS_ENDS
from corlume.core.flow.pump import NEAR_GLASS, Pump, pump_errors
from corlume.core.flow.reached import reached
from corlume.core.judgement.placement import FLOW_STEP
from corlume.core.units import CM, DEGREE, LITRES_AN_HOUR
from corlume.core.words import plain
from corlume.services.light.points import surfaces_of
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
MOST_LOOKED_AT = 300
"""Places on rock and sand that are looked at for each change; ours."""
WORTH = 0.03
"""A change is told that takes dead spots from so much of the places at least [-]; ours."""
ENOUGH = 0.01
"""So little of the places is dead in any tank [-]; ours."""


@dataclass(frozen=True, slots=True)
class FlowHelp:
    """A change of a pump, or one more, in words: the share of places that are dead before and after [-], which placed
    corals would leave or enter the flow that they want, and the pump as it would be, with its id where it is there.
    """

    words: str
    lengths: dict[str, float]
    before: float
    after: float
    leave: tuple[str, ...]
    enter: tuple[str, ...]
    pump: Pump
    pump_id: int | None


def dead_share(stored: StoredTank) -> float:
    """The share of places on rock and sand that the estimate calls dead [-]."""
    places = _places(stored)
    return _dead(stored, [kept.value for kept in stored.pumps], places)


def flow_helps(stored: StoredTank) -> list[FlowHelp]:
    """The best change of each kind for dead spots, the one that helps most first; none where little is dead."""
    places = _places(stored)
    pumps = [kept.value for kept in stored.pumps]
    before = _dead(stored, pumps, places)
    if before < ENOUGH or not pumps:
        return []
    found = list[FlowHelp]()
    centre = _centre(stored, pumps, places)
    for tries in (_aimed(stored, centre), _raised(stored), _harder(stored), _added(stored, centre)):
        best: FlowHelp | None = None
        for words, lengths, one, kept in tries:
            if pump_errors(stored.tank, [one]) or is_buried(stored.tank, one):
                continue
            others = [k.value for k in stored.pumps if kept is None or k.id != kept.id]
            after = _dead(stored, [*others, one], places)
            if before - after >= WORTH and (best is None or after < best.after):
                leave, enter = _corals(stored, [*others, one])
                best = FlowHelp(words, lengths, before, after, leave, enter, one, kept.id if kept else None)
        if best:
            found.append(best)
    return sorted(found, key=lambda one: one.after)


Try = tuple[str, dict[str, float], Pump, Kept[Pump] | None]


def _aimed(stored: StoredTank, centre: tuple[float, float, float]) -> Iterator[Try]:
    for kept in stored.pumps:
        one = kept.value
        for turn in (-40, -20, 20, 40):
            way = "clockwise" if turn < 0 else "anticlockwise"
            words = f"Turn {plain(one.name)} {abs(turn)} degrees {way}, seen from above"
            yield words, {}, replace(one, turn=_around(one.turn + turn * DEGREE)), kept
        for tilt in (-25, -12, 12, 25):
            if abs(one.tilt + tilt * DEGREE) < math.pi / 2:
                words = f"Tilt {plain(one.name)} {abs(tilt)} degrees further {'up' if tilt > 0 else 'down'}"
                yield words, {}, replace(one, tilt=one.tilt + tilt * DEGREE), kept
        x, y, depth = centre
        lengths = {"x": x, "y": y, "depth": depth}
        words = f"Aim {plain(one.name)} at the dead spot {{x}} from left, {{y}} from front, {{depth}} down"
        yield words, lengths, one.aimed(*centre), kept


def _raised(stored: StoredTank) -> Iterator[Try]:
    for kept in stored.pumps:
        for by in (-0.15, -0.08, 0.08, 0.15):
            depth = kept.value.depth + by
            if 0.03 <= depth <= stored.tank.sand_depth - 0.03:
                words = f"{'Raise' if by < 0 else 'Lower'} {plain(kept.value.name)} by {{by}}"
                yield words, {"by": abs(by)}, replace(kept.value, depth=depth), kept


def _harder(stored: StoredTank) -> Iterator[Try]:
    for kept in stored.pumps:
        for more in (1.25, 1.5):
            words = f"Let {plain(kept.value.name)} move {100 * (more - 1):.0f} % more water"
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
        one = Pump("One more", x=x, y=y, depth=depth, rate=max(rate, 500 * LITRES_AN_HOUR))
        words = f"Add a pump at the {where}, {{depth}} down, aimed at the dead spot"
        yield words, {"depth": depth}, one.aimed(*centre), None


def _around(turn: float) -> float:
    return (turn + math.pi) % (2 * math.pi) - math.pi


def _places(stored: StoredTank) -> Array:
    """Places on rock and sand, thinned evenly; those that were painted over are as they were seen."""
    cells = [s.points[s.free] for s in surfaces_of(stored.tank)]
    points = np.concatenate([np.empty((0, 3)), *cells])
    painted = np.zeros(len(points), dtype=bool)
    for kept in stored.flow_marks:
        painted |= kept.value.holds(points)
    points = points[~painted]
    thinned: Array = points[:: max(1, -(-len(points) // MOST_LOOKED_AT))]
    return thinned


def _speeds(stored: StoredTank, pumps: list[Pump], points: Array) -> Array:
    # what is noted of a rock as a whole says nothing of its dead spots
    bare = replace(stored.tank, sand_flow="", rocks=tuple(replace(r, flow="") for r in stored.tank.rocks))
    return reached(bare, pumps, [], points).speed


def _dead(stored: StoredTank, pumps: list[Pump], points: Array) -> float:
    return float((_speeds(stored, pumps, points) < CLASS_ENDS[0]).mean()) if pumps and len(points) else 0.0


def _centre(stored: StoredTank, pumps: list[Pump], points: Array) -> tuple[float, float, float]:
    """The dead place with most other dead places around it [m]."""
    dead = points[_speeds(stored, pumps, points) < CLASS_ENDS[0]]
    near = (np.linalg.norm(dead[:, None] - dead[None], axis=-1) < 0.2).sum(axis=1)
    x, y, depth = dead[int(near.argmax())].tolist()
    return x, y, depth


def _corals(stored: StoredTank, pumps: list[Pump]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Placed corals that would leave the flow that they want, and those that would enter it, by number and name."""
    placed = [(n, kept.value) for n, kept in enumerate(stored.corals, 1) if kept.value.place is not None]
    if not placed:
        return (), ()
    feet = np.array([coral.place for _, coral in placed])
    marks = [kept.value for kept in stored.flow_marks]
    now = reached(stored.tank, [kept.value for kept in stored.pumps], marks, feet).words.tolist()
    then = reached(stored.tank, pumps, marks, feet).words.tolist()

    def right(word: str, wanted: str) -> bool:
        return not word or abs(FLOW_STEP[word] - FLOW_STEP[wanted]) <= 1

    leave, enter = list[str](), list[str]()
    for (number, coral), a, b in zip(placed, now, then, strict=True):
        was, is_then = right(a, coral.card.flow), right(b, coral.card.flow)
        if was != is_then:
            (leave if was else enter).append(f"{number} {coral.card.name}: {a or 'flow unknown'} to {b or 'unknown'}")
    return tuple(leave), tuple(enter)


def glass_words(stored: StoredTank, one: Pump) -> tuple[str, dict[str, float]] | None:
    """That a pump blows against glass, sand or the surface close by, with how far it is; None where it does not."""
    far = one.throw(stored.tank)
    if far >= NEAR_GLASS:
        return None
    return "points at glass, sand or the surface {far} away: most of its stream is lost there", {"far": far}

"""Cables of the lights: how long each lead must be, which plugs fit side by side, and what every part carries."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

from corlume.core.light.fixture import Fixture
from corlume.core.mounting.power import Cord, CordEnd, PowerPart

SLACK, DRIP = 0.1, 0.3
"""A lead needs a tenth of its way more [-], and so much for a drip loop that hangs lower than the plug [m]; common
practice, no source.
"""
PLAIN_PLUG = 0.04
"""Width of a plain plug [m]; common practice, no source."""
Place = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Lead:
    """A lead to lay: from and to in words, the fixture by index or -1 for a part, its way, what it needs with slack and
    a drip loop, and how long the one there is, 0 when not known [m].
    """

    start: str
    end: str
    fixture: int
    way: float
    need: float
    have: float
    places: tuple[Place, Place]

    @property
    def short(self) -> float:
        """How much it is too short, 0 where it reaches or is not known [m]."""
        return max(0.0, self.need - self.have) if self.have else 0.0


def cord_place(fixture: Fixture, end: CordEnd) -> Place:
    """Where a cord leaves a body: x, y and over the water [m]."""
    e, (half_x, half_y) = fixture.emitter, fixture.emitter.half_extent()
    aside = {"left": (-half_x, 0.0), "right": (half_x, 0.0), "back": (0.0, half_y), "front": (0.0, -half_y)}
    dx, dy = aside.get(end, (0.0, 0.0))
    return e.x + dx, e.y + dy, e.height


def way_between(one: Place, other: Place) -> float:
    """Way of a lead along walls and edges, in steps along the three axes [m]."""
    return sum(abs(a - b) for a, b in zip(one, other, strict=True))


def need_of(way: float) -> float:
    """Length of a lead for a way, with slack and a drip loop, in steps of 5 cm, rounded up [m]."""
    return math.ceil(20 * (way * (1 + SLACK) + DRIP) - 1e-6) / 20


def leads_of(
    fixtures: Sequence[Fixture], cords: Sequence[Cord], parts: Sequence[PowerPart], letters: Sequence[str]
) -> list[Lead]:
    """Return all leads to lay: from the fixtures to what feeds them, along chains, and between parts."""
    by_name = {part.name: part for part in parts}
    found = list[Lead]()
    for cord in cords:
        mine = [k for k, fixture in enumerate(fixtures) if fixture.name == cord.fixture]
        feed = by_name.get(cord.fed_by)
        order = chain(fixtures, mine, feed) if cord.chained else mine
        for before, k in zip([None, *order], order, strict=False):
            start = cord_place(fixtures[k], cord.end)
            if cord.chained and before is not None:
                other = cord_place(fixtures[before], cord.end)
                found.append(_lead(letters[before], letters[k], k, other, start, cord.link))
            elif feed is not None:
                end = (feed.x, feed.y, feed.height)
                found.append(_lead(letters[k], feed.name, k, start, end, cord.length))
    for part in parts:
        feed = by_name.get(part.fed_by)
        if feed is not None:
            places = ((part.x, part.y, part.height), (feed.x, feed.y, feed.height))
            found.append(_lead(part.name, feed.name, -1, *places, part.lead))
    return found


def _lead(start: str, end: str, fixture: int, one: Place, other: Place, have: float) -> Lead:
    way = way_between(one, other)
    return Lead(start, end, fixture, way, need_of(way), have, (one, other))


def chain(fixtures: Sequence[Fixture], mine: Sequence[int], feed: PowerPart | None) -> list[int]:
    """Return fixtures in the order of their chain: the nearest to what feeds them, then always the nearest left."""
    left = list(mine)
    at = (feed.x, feed.y, feed.height) if feed else (-math.inf, 0.0, 0.0)
    order = list[int]()
    while left:
        places = [cord_place(fixtures[k], "top") for k in left]
        away = [way_between(at, place) if math.isfinite(at[0]) else place[0] for place in places]
        nearest = min(range(len(left)), key=away.__getitem__)
        order.append(left.pop(nearest))
        at = places[nearest]
    return order


def sockets_taken(widths: Sequence[float], pitch: float) -> int:
    """Return the fewest sockets in a row that plugs of some widths take [m], in their best order.

    The outermost plugs may stand over the ends of the strip. Two neighbours stand so many sockets apart that their
    bodies do not touch.
    """
    if not widths:
        return 0
    if pitch <= 0:
        return len(widths)
    sizes = tuple(sorted(set(widths)))
    counts = tuple(sum(1 for width in widths if width == size) for size in sizes)

    @cache
    def least(left: tuple[int, ...], last: int) -> int:
        if not any(left):
            return 0
        best = 10**6
        for k, count in enumerate(left):
            if count:
                step = max(1, math.ceil((sizes[k] + sizes[last]) / 2 / pitch - 1e-6))
                best = min(best, step + least((*left[:k], count - 1, *left[k + 1 :]), k))
        return best

    return min(1 + least((*counts[:k], counts[k] - 1, *counts[k + 1 :]), k) for k in range(len(sizes)))


def plugs_in(
    part: PowerPart, fixtures: Sequence[Fixture], cords: Sequence[Cord], parts: Sequence[PowerPart]
) -> list[float]:
    """Widths of the plugs that are in a part's sockets [m]."""
    found = []
    for cord in cords:
        many = sum(fixture.name == cord.fixture for fixture in fixtures)
        if cord.fed_by == part.name:
            found += [cord.plug or PLAIN_PLUG] * (min(many, 1) if cord.chained else many)
    return found + [other.plug or PLAIN_PLUG for other in parts if other.fed_by == part.name]


@dataclass(frozen=True, slots=True)
class Load:
    """What a part carries: running power at full [W], inrush if all switch on at once [A], earth leakage [mA], and what
    of that is not known by name.
    """

    watts: float
    inrush: float
    leakage: float
    unknown_inrush: tuple[str, ...]
    unknown_leakage: tuple[str, ...]


def load_of(name: str, fixtures: Sequence[Fixture], cords: Sequence[Cord], parts: Sequence[PowerPart]) -> Load:
    """Return the load of a part with all that is plugged into it, directly or through other parts; "" for all that goes
    into no wall socket that is entered.
    """
    inside = _fed_through(name, parts)
    by_name = {cord.fixture: cord for cord in cords}
    known = {part.name for part in parts}
    watts = inrush = leakage = 0.0
    no_inrush, no_leakage = list[str](), list[str]()
    for fixture in fixtures:
        cord = by_name.get(fixture.name)
        feed = cord.fed_by if cord and cord.fed_by in known else ""
        if feed not in inside:
            continue
        watts += fixture.watts
        inrush += cord.inrush if cord else 0.0
        leakage += cord.leakage if cord else 0.0
        no_inrush += [fixture.name] * (not (cord and cord.inrush))
        no_leakage += [fixture.name] * (not (cord and cord.leakage))
    for part in parts:
        if part.name in inside:
            watts, inrush, leakage = watts + part.watts, inrush + part.inrush, leakage + part.leakage
    return Load(watts, inrush, leakage, tuple(dict.fromkeys(no_inrush)), tuple(dict.fromkeys(no_leakage)))


def _fed_through(name: str, parts: Sequence[PowerPart]) -> set[str]:
    """Names of a part and of all parts behind it; for "" those behind no wall socket, and "" itself."""
    if not name:
        outlets = [part.name for part in parts if part.type == "outlet"]
        behind = set[str]().union(*(_fed_through(outlet, parts) for outlet in outlets))
        return {"", *(part.name for part in parts if part.name not in behind)}
    found = {name}
    while True:
        more = {part.name for part in parts if part.fed_by in found} - found
        if not more:
            return found
        found |= more

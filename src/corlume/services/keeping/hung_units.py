"""Units of a setup, each a fixture or a frame with all its parts: read by tape, arranged together, moved clear."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

from corlume.core.light.fixture import extent, overlaps
from corlume.core.light.geometry import Tank
from corlume.core.mounting import alignment
from corlume.core.mounting.alignment import ARRANGINGS, Arranging, Unit, middle
from corlume.core.mounting.tape_measure import Tape
from corlume.services.keeping.hung_fixtures import change_fixtures
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredSetup, load_tank


@dataclass(frozen=True, slots=True)
class HungUnit:
    """A unit by the indices and ids of its parts in the setup; its ``id`` is that of its first part."""

    indices: tuple[int, ...]
    ids: tuple[int, ...]
    parts: Unit

    @property
    def id(self) -> int:
        return self.ids[0]

    @property
    def frame(self) -> str:
        """Name of the unit's frame, or empty for a fixture that hangs alone."""
        return self.parts[0].frame

    def reading(self, tank: Tank, tape: Tape, axis: Literal["x", "y"]) -> float:
        """Tape reading of the unit along an axis [m]."""
        at, half, size = _span(tank, self.parts, axis)
        return tape.read(axis, at, half, size)


def _span(tank: Tank, parts: Unit, axis: Literal["x", "y"]) -> tuple[float, float, float]:
    """Middle of a unit along an axis, half its size, and the tank's size [m]."""
    k = "xy".index(axis)
    low, high = extent(parts)
    return middle(parts)[k], 0.5 * (high[k] - low[k]), (tank.length, tank.width)[k]


def units_of(setup: StoredSetup) -> list[HungUnit]:
    """All units of a setup, in the order of their first parts."""
    return [
        HungUnit(tuple(at), tuple(setup.fixtures[i].id for i in at), tuple(setup.fixtures[i].value for i in at))
        for at in alignment.units_of([kept.value for kept in setup.fixtures])
    ]


def unit_with(setup: StoredSetup, fixture_id: int) -> HungUnit:
    """Unit of a fixture; ``NotFound`` when it does not hang here."""
    unit = next((unit for unit in units_of(setup) if fixture_id in unit.ids), None)
    if unit is None:
        raise NotFound(f"no fixture {fixture_id}")
    return unit


def place_as_read(
    tank: Tank, setup: StoredSetup, fixture_id: int, tape: Tape, axis: Literal["x", "y"], reading: float
) -> float:
    """Place of a fixture when its unit is moved to a given tape reading [m]."""
    unit = unit_with(setup, fixture_id)
    at, half, size = _span(tank, unit.parts, axis)
    own: float = getattr(unit.parts[unit.ids.index(fixture_id)].emitter, axis)
    return own + tape.place(axis, reading, half, size) - at


def arrange_units(db: Database, tank_id: int, setup_id: int, ids: Iterable[int], how: Arranging) -> None:
    """Align the units of some fixtures in one step of undo; ``InvalidInput`` as ``arrange`` does."""
    with db.reading() as connection:
        stored = load_tank(connection, tank_id)
    setup = stored.setup(setup_id)
    units = list({unit.id: unit for unit in (unit_with(setup, i) for i in ids)}.values())
    found = alignment.arrange(stored.tank, [unit.parts for unit in units], how)
    changes = {
        fixture_id: {name: getattr(part.emitter, name) for name in ("x", "y", "height", "turn", "roll", "pitch")}
        for unit, parts in zip(units, found, strict=True)
        for fixture_id, part in zip(unit.ids, parts, strict=True)
    }
    change_fixtures(db, tank_id, setup_id, changes, verb=ARRANGINGS[how][0].lower())


@dataclass(frozen=True, slots=True)
class Collision:
    """Two colliding units, by index, and the shortest move that solves it: which fixture goes where."""

    one: HungUnit
    other: HungUnit
    move: tuple[float, float, float] | None
    place: dict[str, float]


def collisions(tank: Tank, setup: StoredSetup) -> list[Collision]:
    """All collisions between units; the later of two is the one to move."""
    units, found = units_of(setup), []
    for a, b, move in alignment.in_one_place(tank, setup.hung):
        e = units[b].parts[0].emitter
        place = {"x": e.x + move[0], "y": e.y + move[1], "height": e.height + move[2]} if move else {}
        found.append(Collision(units[a], units[b], move, place))
    return found


def inner_collisions(setup: StoredSetup) -> Sequence[tuple[int, int]]:
    """Pairs of colliding parts of one frame, by index, which no move of the frame solves."""
    of = {i: unit.id for unit in units_of(setup) for i in unit.indices}
    return [(i, j) for i, j in overlaps(setup.hung) if of[i] == of[j]]

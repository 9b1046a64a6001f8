"""Several fixtures aligned: levelled, equally spaced, mirrored, or moved clear of a collision.

A unit is what moves as one piece: a fixture, or all parts of a frame.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from corlume.core.errors import Rules
from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import BODY, Fixture, extent, fixture_errors, overlaps
from corlume.core.light.geometry import Tank
from corlume.core.search.rules_of_thumb import balanced

Unit = tuple[Fixture, ...]
Arranging = Literal["level", "even", "balanced", "line", "mirror", "swap"]
ARRANGINGS: dict[Arranging, tuple[str, str]] = {
    "level": ("Level", "All as high as the highest"),
    "even": ("Space between outer two", "Along the tank: the outer two stay, and those between them are spaced evenly"),
    "balanced": ("Space equally", "In equal parts of the tank's length, as keepers begin (common practice)"),
    "line": ("In one line", "All as far from the front pane as their mean"),
    "mirror": ("Mirror left to right", "Each to the same place at the other end of the tank"),
    "swap": ("Mirror front to back", "Each to the same place at the other long pane"),
}
"""What can be done with several units, by its name and what it does."""
LEAST: dict[Arranging, int] = {"level": 2, "even": 3, "balanced": 2, "line": 2}
"""How many units an arrangement wants; one where it is not said."""
CLEARANCE = 0.005
"""What is moved aside leaves so much air between the bodies [m]."""


def middle(unit: Unit) -> tuple[float, float]:
    """Return the middle of a unit, from the left and the front pane [m]."""
    low, high = extent(unit)
    return 0.5 * (low[0] + high[0]), 0.5 * (low[1] + high[1])


def shifted(unit: Unit, dx: float = 0.0, dy: float = 0.0, up: float = 0.0) -> Unit:
    """Return a unit moved as one piece [m]; ``InvalidInput`` when a part would reach into the water."""
    return tuple(replace(part, emitter=_moved(part.emitter, dx, dy, up)) for part in unit)


def _moved(e: Emitter, dx: float, dy: float, up: float) -> Emitter:
    return replace(e, x=e.x + dx, y=e.y + dy, height=e.height + up)


def arrange(tank: Tank, units: Sequence[Unit], how: Arranging) -> list[Unit]:
    """Align units, in their own order.

    Heights are those of each unit's lowest face. ``InvalidInput`` by the field "arrange" when there are too few, and by
    a fixture's own field when it would leave the room.
    """
    rules = Rules()
    least = LEAST.get(how, 1)
    rules.that(len(units) >= least, "arrange", f"needs {least} fixtures or more; a frame counts as one")
    rules.finish()
    match how:
        case "level":
            heights = [min(part.emitter.height for part in unit) for unit in units]
            found = [shifted(unit, up=max(heights) - h) for unit, h in zip(units, heights, strict=True)]
        case "line":
            across = [middle(unit)[1] for unit in units]
            mean = sum(across) / len(across)
            found = [shifted(unit, dy=mean - y) for unit, y in zip(units, across, strict=True)]
        case "even" | "balanced":
            found = _along(units, _places(tank, units, how))
        case "mirror":
            found = [tuple(replace(p, emitter=_mirrored(tank, p.emitter)) for p in unit) for unit in units]
        case "swap":
            found = [tuple(replace(p, emitter=_swapped(tank, p.emitter)) for p in unit) for unit in units]
    rules.errors += [error for unit in found for part in unit for error in fixture_errors(tank, part)]
    rules.finish()
    return found


def _places(tank: Tank, units: Sequence[Unit], how: Arranging) -> Sequence[float]:
    """Middles of units along the tank, from left to right [m]."""
    if how == "balanced":
        return balanced(len(units), tank.length)
    along = sorted(middle(unit)[0] for unit in units)
    step = (along[-1] - along[0]) / (len(units) - 1)
    return [along[0] + k * step for k in range(len(units))]


def _along(units: Sequence[Unit], places: Sequence[float]) -> list[Unit]:
    """Units moved to places along the tank, the leftmost unit to the first."""
    order = sorted(range(len(units)), key=lambda i: middle(units[i]))
    found = list(units)
    for i, x in zip(order, places, strict=True):
        found[i] = shifted(units[i], dx=x - middle(units[i])[0])
    return found


def _mirrored(tank: Tank, e: Emitter) -> Emitter:
    return replace(e, x=tank.length - e.x, turn=-e.turn, pitch=-e.pitch)


def _swapped(tank: Tank, e: Emitter) -> Emitter:
    return replace(e, y=tank.width - e.y, turn=-e.turn, roll=-e.roll)


def units_of(fixtures: Sequence[Fixture]) -> list[list[int]]:
    """Fixtures, by index, grouped by frame; those without a frame alone."""
    units: dict[str, list[int]] = {}
    for i, f in enumerate(fixtures):
        units.setdefault(f"frame {f.frame}" if f.frame else f"alone {i}", []).append(i)
    return list(units.values())


def in_one_place(tank: Tank, fixtures: Sequence[Fixture]) -> list[tuple[int, int, tuple[float, float, float] | None]]:
    """Return pairs of units, by number in ``units_of``, that collide, each with the move that clears the second, see
    ``move_clear``. Parts of one frame are no pair.
    """
    units = units_of(fixtures)
    of = {i: k for k, unit in enumerate(units) for i in unit}
    parts = [tuple(fixtures[i] for i in unit) for unit in units]
    pairs = sorted({(of[i], of[j]) for i, j in overlaps(fixtures) if of[i] != of[j]})
    return [(a, b, move_clear(tank, parts, b)) for a, b in pairs]


def move_clear(tank: Tank, units: Sequence[Unit], one: int) -> tuple[float, float, float] | None:
    """Find the shortest move that takes a unit clear of all others: to a side, to the front or back, or up.

    Returns the move along x, y and up [m], or None when there is none in the room. Up is tried last: the lower body
    would stand in the light of the other.
    """
    low, high = extent(units[one])
    others = [unit for k, unit in enumerate(units) if k != one]
    moves: list[tuple[float, float, float]] = []
    for other in others:
        if not _collide(units[one], other):
            continue
        least, most = extent(other)
        moves += [
            (most[0] - low[0] + CLEARANCE, 0.0, 0.0),
            (least[0] - high[0] - CLEARANCE, 0.0, 0.0),
            (0.0, most[1] - low[1] + CLEARANCE, 0.0),
            (0.0, least[1] - high[1] - CLEARANCE, 0.0),
            (0.0, 0.0, max(p.emitter.height for p in other) + BODY - min(p.emitter.height for p in units[one])),
        ]
    for dx, dy, up in sorted(moves, key=lambda m: (m[2] > 0, abs(m[0]) + abs(m[1]))):
        there = shifted(units[one], dx, dy, up)
        inside = not any(fixture_errors(tank, part) for part in there) and _over(tank, there)
        if inside and not any(_collide(there, other) for other in others):
            return dx, dy, up
    return None


def _over(tank: Tank, unit: Unit) -> bool:
    """Whether the middle of a unit lies over the tank."""
    x, y = middle(unit)
    return 0.0 <= x <= tank.length and 0.0 <= y <= tank.width


def _collide(one: Unit, other: Unit) -> bool:
    return any(i < len(one) <= j for i, j in overlaps([*one, *other]))

"""Collisions of bodies: two fixtures, or one with the canopy or ceiling, a pane, a brace or the wall behind.

Each with the smallest move that mends it. Bodies are taken as wide as their faces and as high as ``BODY_HEIGHT``.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.message_text import escape_slots, letter
from corlume.core.mounting.alignment import in_one_place, units_of
from corlume.core.mounting.surroundings import Surroundings

BODY_HEIGHT = 0.10
"""Height taken for a fixture's body over its face where none is known [m]; ours."""
LEAST = 0.002
"""What reaches into something else by less is not spoken of [m]."""


@dataclass(frozen=True, slots=True)
class Overlap:
    """A collision: the fixtures by index, the problem, and the smallest move that solves it, lengths by name [m]."""

    indices: tuple[int, ...]
    words: str
    move: str
    lengths: dict[str, float] = field(default_factory=dict)


def find_overlaps(tank: Tank, fixtures: Sequence[Fixture], around: Surroundings) -> list[Overlap]:
    """Return all collisions, those between fixtures first."""
    found = list(_with_each_other(tank, fixtures))
    for i, fixture in enumerate(fixtures):
        found += [c for c in _with_room(tank, i, fixture, around) if c.lengths["by"] > LEAST]
    return found


def _with_each_other(tank: Tank, fixtures: Sequence[Fixture]) -> Iterator[Overlap]:
    """Collisions between units, the later unit to be moved; parts of one frame are left out."""
    units = units_of(fixtures)
    named = [fixtures[unit[0]].frame or letter(unit[0]) for unit in units]
    for a, b, move in in_one_place(tank, fixtures):
        words = f"{escape_slots(named[a])} and {escape_slots(named[b])} overlap."
        indices = (units[a][0], units[b][0])
        if move is None:
            yield Overlap(indices, words, "There is no free place nearby: delete one, or use a smaller one.")
            continue
        dx, dy, up = move
        way = ("to the right" if dx > 0 else "to the left") if dx else "to the back" if dy > 0 else "to the front"
        told = f"Move {escape_slots(named[b])} {{by}} {'up' if up else way}."
        yield Overlap(indices, words, told, {"by": up or abs(dx or dy)})


def _with_room(tank: Tank, i: int, fixture: Fixture, around: Surroundings) -> Iterator[Overlap]:
    e, name = fixture.emitter, letter(i)
    half_x, half_y = e.half_extent()
    over = e.height + 0.5 * BODY_HEIGHT - tank.room_height
    if over > 0:
        words = f"The body of {name}, {{body}} high, needs more room than there is under canopy or ceiling."
        if e.height > tank.room_height:
            words = f"{name} is higher than the canopy or ceiling: {{face}}; clearance is {{room}} above the water."
        by = e.height + BODY_HEIGHT - tank.room_height
        lengths = {"by": by, "body": BODY_HEIGHT, "face": e.height, "room": tank.room_height}
        yield Overlap((i,), words, f"Lower {name} by {{by}}.", lengths)
    ends = {
        "left": half_x - e.x, "right": e.x + half_x - tank.length, "front": half_y - e.y,
        "back": e.y + half_y - tank.width,
    }  # fmt: skip
    for side, out in ends.items():
        if out > 0 and e.height < tank.rim_height and min(2 * half_x, 2 * half_y) > out:
            up = tank.rim_height - e.height
            inward = {"left": "to the right", "right": "to the left", "front": "to the back", "back": "to the front"}
            move = f"Raise {name} by {{by}}." if up <= out else f"Move {name} {{by}} {inward[side]}."
            yield Overlap((i,), f"{name} touches the {side} pane, lower than its rim.", move, {"by": min(up, out)})
    for x0, x1, y0, y1, height in tank.strips():
        aside = (min(e.x + half_x, x1) - max(e.x - half_x, x0), min(e.y + half_y, y1) - max(e.y - half_y, y0))
        if min(aside) <= 0 or not e.height - LEAST < height < e.height + BODY_HEIGHT:
            continue
        words = f"{name} and a brace or canopy edge, {{height}} above the water, overlap."
        up = height - e.height
        yield Overlap((i,), words, f"Raise {name} by {{by}}.", {"by": max(up, 2 * LEAST), "height": height})
    behind = ends["back"] - around.gap
    if behind > 0:
        yield Overlap(
            (i,), f"{name} reaches into the wall, {{gap}} behind the back pane.", f"Move {name} {{by}} to the front.",
            {"by": behind, "gap": around.gap},
        )  # fmt: skip

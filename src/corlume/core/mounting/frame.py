"""Frames: racks and hybrid fixtures whose parts are put together and move, lift, turn and tilt as one piece."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from corlume.core.errors import Rules
from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture, overlaps

MOST_ABREAST = 6
"""Modules in a row, and long fixtures on each side, of a frame at most."""


def carry(before: Emitter, after: Emitter, others: Sequence[Emitter]) -> list[Emitter]:
    """Move the other parts of a frame as rigidly as one part was moved.

    Parameters
    ----------
    before, after : the part that was moved, about whose centre the frame turns and tilts.
    others : the rest of the frame, before.

    Returns
    -------
    The rest of the frame, after. Tilts add up by angle, which is exact for parts that lie flat in
    the frame or lean about one axis only. ``InvalidInput`` when a part would reach into the water.
    """
    turned, rolled, pitched = after.turn - before.turn, after.roll - before.roll, after.pitch - before.pitch
    # the rotation that takes the moved part's axes from where they were to where they are
    spin = after.axes().T @ before.axes()
    pivot = np.array([before.x, before.y, before.height])
    moved = []
    for other in others:
        place = spin @ (np.array([other.x, other.y, other.height]) - pivot)
        moved.append(
            replace(
                other,
                x=after.x + float(place[0]),
                y=after.y + float(place[1]),
                height=after.height + float(place[2]),
                turn=other.turn + turned,
                roll=other.roll + rolled,
                pitch=other.pitch + pitched,
            )
        )
    return moved


def build_frame(
    middle: Fixture, count: int, long: Fixture, each_side: int, *, gap: float, ends: int = 1
) -> tuple[Fixture, ...]:
    """Build a frame: modules or pendants in a row, long fixtures before and behind them, all at one height.

    Parameters
    ----------
    middle, count : what hangs in the row, and how many of it, evenly over the length of the long ones.
    long, each_side : what hangs before and behind the row, and how many on each side.
    gap : free room between the row and the first long ones, and half of it between these [m].
    ends : how many long ones hang end to end.

    Returns the parts about (0, 0), the first of the row first. ``InvalidInput`` by the fields "count", "each_side" and
    "gap" when that cannot be.
    """
    rules = Rules()
    rules.between("count", count, 1, MOST_ABREAST)
    rules.between("each_side", each_side, 1, MOST_ABREAST)
    rules.between("gap", gap, 0.0, 0.5, "length")
    rules.finish()
    a, b = middle.emitter, long.emitter
    length, first = ends * b.length, 0.5 * (a.width + b.width) + gap
    parts = [_at(middle, _along(k, count, length), 0.0, a.height) for k in range(count)]
    for k in range(each_side):
        away = first + k * (b.width + 0.5 * gap)
        parts += [_at(long, _along(n, ends, length), way * away, a.height) for way in (1, -1) for n in range(ends)]
    touching = bool(overlaps(parts))
    room = length / count - a.length
    if room < 0:
        rules.that(not touching, "count", "is too many: over that length they overlap by {value}", "length", -room)
    rules.that(room < 0 or not touching, "gap", "leaves the bodies no room: {value}", "length", gap)
    rules.finish()
    return tuple(parts)


def _at(fixture: Fixture, x: float, y: float, height: float) -> Fixture:
    return replace(fixture, emitter=replace(fixture.emitter, x=x, y=y, height=height))


def _along(k: int, count: int, length: float) -> float:
    """Place of the i-th of several parts over a length, from its middle [m]."""
    return ((k + 0.5) / count - 0.5) * length if count > 1 else 0.0

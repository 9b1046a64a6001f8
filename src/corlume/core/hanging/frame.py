"""Frames: racks and hybrid fixtures whose parts move, lift, turn and tilt as one piece."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from corlume.core.optics.emitter import Emitter


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

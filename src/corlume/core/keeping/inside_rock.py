"""Pumps and coral spots that lie inside rock or sand: refused where one is placed or rock is laid over it.

A scene may hold them all the same, so that a tank that came to have one can be exported, copied and read again.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from corlume.core.errors import FieldError, Rules
from corlume.core.flow.pump import Pump
from corlume.core.light.geometry import Tank
from corlume.core.message_text import escape_slots
from corlume.core.placement.custom_spots import CustomSpot


def is_inside_rock(tank: Tank, thing: Pump | CustomSpot) -> bool:
    """Return whether a pump's outlet or a coral spot lies inside rock or sand."""
    return bool(tank.in_rock(np.array([thing.place]))[0])


def inside_rock_errors(tank: Tank, thing: Pump | CustomSpot) -> list[FieldError]:
    """Tell by the field "depth" that a pump or a spot lies inside rock or sand."""
    rules = Rules()
    if isinstance(thing, Pump):
        rules.that(not is_inside_rock(tank, thing), "depth", "is inside rock or sand: the outlet must be in open water")
    else:
        rules.that(not is_inside_rock(tank, thing), "depth", "is inside rock: a spot is on it, under it or beside it")
    return rules.errors


def newly_inside_rock_errors(
    before: Tank, after: Tank, things: Sequence[Pump | CustomSpot], field: str
) -> list[FieldError]:
    """Tell by a field which pumps and spots a change of rock or water would bury that were in open water before."""
    covered = [one for one in things if is_inside_rock(after, one) and not is_inside_rock(before, one)]
    if not covered:
        return []
    names = [f'the {"pump" if isinstance(one, Pump) else "spot"} "{escape_slots(one.name)}"' for one in covered]
    more = f" and {len(names) - 3} more" * (len(names) > 3)
    return [
        FieldError(field, f"would cover {', '.join(names[:3])}{more}: move or delete it first; nothing was changed")
    ]

"""Mounts to begin with: each type as it usually stands over a tank, to be dragged and measured from there."""

from __future__ import annotations

from collections.abc import Container, Sequence

from corlume.core.light.fixture import Fixture, extent
from corlume.core.light.geometry import Tank
from corlume.core.mounting.collisions import BODY_HEIGHT
from corlume.core.mounting.mount import MOUNT_TYPES, Mount, MountType
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.units import DEGREE

BAR = 0.04
"""Width of an arm, a rail or a bracket [m]; ours."""
LEAST_FACE = 0.05
"""No light hangs lower over the water to begin with [m]."""


def start_mount(
    tank: Tank, fixtures: Sequence[Fixture], around: Surroundings, kind: MountType, taken: Container[str] = ()
) -> Mount:
    """Return a mount of a type for lights at their present height, under a name that is not taken."""
    face = min((f.emitter.height for f in fixtures), default=0.25)
    top = max((f.emitter.height for f in fixtures), default=0.25)
    name = MOUNT_TYPES[kind].capitalize()
    name = next(n for k in range(1, 1000) if (n := f"{name}{f' {k}' * (k > 1)}") not in taken)
    length, width, room = tank.length, tank.width, tank.room_height
    bar = min(room - 0.03, top + BODY_HEIGHT)
    (x0, y0), (x1, y1) = extent(fixtures) if fixtures else ((0.0, 0.0), (length, width))
    x, y = 0.5 * (x0 + x1), 0.5 * (y0 + y1)
    low, high = max(LEAST_FACE, face - 0.05), top + 0.05
    match kind:
        case "arm":
            return Mount(name, kind, x - 0.5 * BAR, y, BAR, width + BAR - y, bar, low=low, high=high, most=1)
        case "legs":
            return Mount(name, kind, 0.0, y0, length, y1 - y0, tank.rim_height, 0.02, face, top)
        case "rail":
            return Mount(name, kind, 0.0, y - 0.5 * BAR, length, BAR, bar, low=low, high=high)
        case "wall":
            reach = width + around.gap - y0
            return Mount(name, kind, x - 0.5 * BAR, y0, BAR, reach, bar, low=low, high=high)
        case "canopy":
            under = max(LEAST_FACE, room - BODY_HEIGHT)
            return Mount(name, kind, 0.0, 0.0, length, width, room, 0.02, max(LEAST_FACE, under - 0.05), under)
        case "half_lid":
            rim = tank.rim_height
            return Mount(
                name, kind, 0.0, 0.5 * width, length, 0.5 * width, rim, 0.02, rim + 0.02, rim + 0.1,
                swing=80 * DEGREE, hinge="back",
            )  # fmt: skip
        case "lift":
            up = max(0.05, min(0.3, room - bar - 0.03))
            return Mount(name, kind, 0.0, 0.0, length, width, bar, low=low, high=high, lift=up)
    return Mount(name, kind, 0.0, 0.0, length, width, room, 0.005, max(LEAST_FACE, low), max(low, room - BODY_HEIGHT))

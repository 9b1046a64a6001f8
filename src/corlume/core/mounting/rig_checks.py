"""Checks of everything that hangs: the lights, the mounts that hold them, and the circuits that feed them."""

from __future__ import annotations

from collections.abc import Sequence

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.mounting.mount import Mount
from corlume.core.mounting.mount_checks import check_mounts
from corlume.core.mounting.mounting_checks import MountingCheck, check_mounting
from corlume.core.mounting.power import Cord, PowerPart
from corlume.core.mounting.power_checks import check_power
from corlume.core.mounting.surroundings import Surroundings


def check_rig(
    tank: Tank,
    fixtures: Sequence[Fixture],
    around: Surroundings,
    mounts: Sequence[Mount] = (),
    cords: Sequence[Cord] = (),
    parts: Sequence[PowerPart] = (),
) -> list[MountingCheck]:
    """Check lights, mounts and circuits; leads, sockets and protection are those of ``check_power``."""
    held = {mount.name for mount in mounts}
    return [
        *check_mounting(tank, fixtures, around, held, chained=not cords),
        *check_mounts(tank, fixtures, mounts, around),
        *(check for check in check_power(fixtures, cords, parts, mounts, around) if check.key == "circuit"),
    ]

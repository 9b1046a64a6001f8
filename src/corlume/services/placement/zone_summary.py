"""Zone summary: how well rock tops, ledges and sand suit each group of corals, and the corals in stock."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from corlume.core.light.fixture import Fixture
from corlume.core.placement.coral_card import Group
from corlume.core.placement.growing_room import count_room
from corlume.services.placement.spots import spots_of
from corlume.store.tanks import StoredTank

UPPER = 0.5
"""Rock in the upper half of the water over the sand counts as rock top, below it as ledge [-]; ours."""
USUAL_SIZE = 0.15
"""Size of a grown coral of a group of which none is in the stock [m]; ours."""
SUITED: tuple[tuple[str, tuple[Group, ...]], ...] = (
    ("SPS", ("sps",)),
    ("LPS and soft corals", ("lps", "soft")),
    ("Low light", ("low_light",)),
)


@dataclass(frozen=True, slots=True)
class ZoneSummary:
    """One group of corals against the light there is.

    Parameters
    ----------
    name : of the group; ``low``, ``high`` its light [umol/m2/s].
    share : of all seats that suit it [-]; ``parts`` the same of rock tops, ledges and sand, where there are any.
    room : how many full grown have room there at once; ``have`` how many the keeper has.
    """

    name: str
    low: float
    high: float
    share: float
    parts: tuple[tuple[str, float], ...]
    room: int
    have: int


def summarise_zones(stored: StoredTank, fixtures: Sequence[Fixture]) -> list[ZoneSummary]:
    """Summarise the zones of a setup for SPS, for LPS and soft corals, and for low light, by the keeper's own bands."""
    seats, tank, targets = spots_of(stored, fixtures), stored.tank, stored.targets
    level = np.isin(seats.sat, ("top", "sand"))
    points, par, sand = seats.points[level], seats.par[level], seats.sat[level] == "sand"
    top = ~sand & (points[:, 2] < UPPER * tank.sand_depth)
    parts = (("rock tops", top), ("ledges", ~sand & ~top), ("sand", sand))
    bands = ((targets.sps_low, targets.sps_high), (targets.lps_low, targets.lps_high), (0.0, targets.lps_low))
    found = []
    for (name, groups), (low, high) in zip(SUITED, bands, strict=True):
        suits = (par >= low) & (par < high)
        mine = [kept.value.card for kept in stored.corals if kept.value.card.group in groups]
        size = float(np.mean([card.size for card in mine])) if mine else USUAL_SIZE
        found.append(
            ZoneSummary(
                name=name,
                low=low,
                high=high,
                share=float(suits.mean()) if len(suits) else 0.0,
                parts=tuple((part, float(suits[where].mean())) for part, where in parts if where.any()),
                room=count_room(points[suits], size),
                have=len(mine),
            )
        )
    return found

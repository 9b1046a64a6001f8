"""The coral card: what a coral wants and how much room it takes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from corlume.core.errors import NAME, Rules

Group = Literal["soft", "lps", "sps", "low_light"]
GROUPS: dict[Group, str] = {
    "soft": "Soft",
    "lps": "LPS",
    "sps": "SPS",
    "low_light": "Low light",
}
Level = Literal["low", "medium", "high"]
Aggression = Literal["peaceful", "moderate", "aggressive"]
FLOW_WANTS: tuple[Level, ...] = ("low", "medium", "high")
AGGRESSIONS: tuple[Aggression, ...] = ("peaceful", "moderate", "aggressive")


@dataclass(frozen=True, slots=True)
class CoralCard:
    """What a coral wants.

    Parameters
    ----------
    name : species, genus or the keeper's word for it.
    par_low, par_high : light it does well in, PPFD [umol/m2/s].
    flow : low, medium or high.
    aggression : peaceful, moderate or aggressive; ``reach`` is how far its sweepers go past its edge [m].
    size : diameter when mature, as kept in tanks [m].
    """

    name: str
    group: Group
    par_low: float
    par_high: float
    flow: Level
    aggression: Aggression
    reach: float
    size: float
    note: str = ""

    def __post_init__(self) -> None:
        rules = Rules()
        rules.text("name", self.name, NAME, least=1)
        rules.text("note", self.note, 500)
        rules.that(self.group in GROUPS, "group", "must be one of " + ", ".join(GROUPS))
        rules.between("par_low", self.par_low, 0.0, 1500.0, "plain")
        rules.between("par_high", self.par_high, 1.0, 2000.0, "plain")
        rules.that(
            self.par_high > self.par_low, "par_high", f"must be more than {self.par_low:g}, where the band starts"
        )
        rules.that(self.flow in FLOW_WANTS, "flow", "must be low, medium or high")
        rules.that(self.aggression in AGGRESSIONS, "aggression", "must be peaceful, moderate or aggressive")
        rules.between("reach", self.reach, 0.0, 0.5, "length")
        rules.between("size", self.size, 0.005, 1.5, "length")
        rules.finish()


@dataclass(frozen=True, slots=True)
class PlacedCoral:
    """A coral where it sits: x, y and depth of its foot [m]."""

    key: int
    card: CoralCard
    x: float
    y: float
    depth: float

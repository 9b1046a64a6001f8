"""The care card: what a coral needs and how much room it takes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from corlume.core.schema import Choice, Length, Par, Text, limits

Group = Literal["soft", "lps", "sps", "low_light"]
GROUPS: dict[Group, str] = {
    "soft": "Soft",
    "lps": "LPS",
    "sps": "SPS",
    "low_light": "Low light",
}
FlowWanted = Literal["low", "medium", "high"]
Aggression = Literal["peaceful", "moderate", "aggressive"]
FLOWS_WANTED: dict[FlowWanted, str] = {"low": "low", "medium": "medium", "high": "high"}
AGGRESSIONS: dict[Aggression, str] = {"peaceful": "peaceful", "moderate": "moderate", "aggressive": "aggressive"}


@dataclass(frozen=True, slots=True)
class CoralCard:
    """Needs of a coral.

    Parameters
    ----------
    name : species, genus or the keeper's word for it.
    par_low, par_high : light it does well in, PPFD [umol/m2/s].
    flow : low, medium or high.
    aggression : peaceful, moderate or aggressive; ``sweepers`` how far these go past its edge [m].
    size : diameter when mature, as kept in tanks [m].
    """

    name: Annotated[str, Text("Name", least=1)]
    group: Annotated[Group, Choice("Group", GROUPS, column="coral_group")]
    par_low: Annotated[float, Par("Light from", 0.0, 1500.0)]
    par_high: Annotated[float, Par("Light to", 1.0, 2000.0)]
    flow: Annotated[FlowWanted, Choice("Flow", FLOWS_WANTED)]
    aggression: Annotated[Aggression, Choice("Aggression", AGGRESSIONS)]
    sweepers: Annotated[
        float,
        Length("Sweepers", 0.0, 0.5, about="how far they go past its edge", formerly=("reach_cm",), column="reach"),
    ]
    size: Annotated[float, Length("Mature size", 0.005, 1.5, about="diameter")]
    note: Annotated[str, Text("Note", 500)] = ""

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(
            self.par_high > self.par_low, "par_high", f"must be more than {self.par_low:g}, the start of its range"
        )
        rules.finish()


@dataclass(frozen=True, slots=True)
class PlacedCoral:
    """A coral at its place: x, y and depth of its foot [m]."""

    key: int
    card: CoralCard
    x: float
    y: float
    depth: float

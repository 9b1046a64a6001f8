"""The coral library: kinds by genus or growth type, with their cards, how they grow, sit and are fixed.

Common practice in the trade, no source, set down from memory; a guideline only.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any, Literal

from corlume.core.coral import CoralCard
from corlume.core.placing.fit import Ground
from corlume.core.units import CM
from corlume.reference.catalogue import coral_cards, coral_rows

Form = Literal["plate", "branch", "mound", "crust", "mat", "free"]
FORMS: dict[Form, str] = {
    "plate": "plates and scrolls",
    "branch": "branches",
    "mound": "mounds",
    "crust": "encrusts",
    "mat": "mats and polyps",
    "free": "lies free",
}
SeatKind = Literal["top", "face", "sand", "overhang"]
SEATS: dict[SeatKind, str] = {
    "top": "rock tops and ledges",
    "face": "faces",
    "sand": "the sand",
    "overhang": "under overhangs",
}
FIXING: dict[str, str] = {
    "free": "Set down on the sand, not glued.",
    "mat": "Polyps come off a plug cleanly; mushrooms are not cut for gluing: leave them on their stone.",
    "leather": "Leathers slime when cut and take no glue: leave them on the plug, and wedge that.",
    "stony": "Cut off the plug with bone cutters unless it has grown over it; gel cyanoacrylate, held about 30 s, on "
    "old rock: it does not take on bare new glass.",
}
"""How a kind is fixed, once it has settled (common practice, no source)."""
LEVELS = ((75.0, "low"), (150.0, "low to medium"), (220.0, "medium"), (300.0, "medium to high"), (1e9, "high"))
"""A word for the middle of a band, up to so many [umol/m2/s]; ours. Sellers' words do not agree with each other."""


@dataclass(frozen=True, slots=True)
class LibraryKind:
    """A kind of coral.

    Parameters
    ----------
    card : what it wants.
    form : how it grows; ``growth`` across a year [m].
    seats : where it sits.
    food : whether it lives off food, and light does not judge it.
    light : what keepers say of kinds of light for it, where they say anything.
    """

    card: CoralCard
    form: Form
    growth: float
    seats: tuple[SeatKind, ...]
    food: bool
    light: str

    @property
    def level(self) -> str:
        """A seller's word for its light; the numbers stand beside it."""
        middle = 0.5 * (self.card.par_low + self.card.par_high)
        return next(word for limit, word in LEVELS if middle < limit)

    @property
    def ground(self) -> Ground:
        """Whether it wants the sand, or rock, or takes both."""
        return "sand" if self.seats == ("sand",) else "" if "sand" in self.seats else "rock"

    @property
    def fixing(self) -> str:
        """How it is fixed."""
        if self.form in ("free", "mat"):
            return FIXING[self.form]
        return FIXING["leather" if self.card.group == "soft" else "stony"]

    def daily_light(self, hours: float) -> tuple[float, float]:
        """Its band as daily light over some hours [mol/m2]."""
        return self.card.par_low * hours * 3600e-6, self.card.par_high * hours * 3600e-6


@cache
def coral_library() -> dict[str, LibraryKind]:
    """All kinds by name."""
    return {row["name"]: _kind(coral_cards()[row["name"]], row) for row in coral_rows()}


def _kind(card: CoralCard, row: dict[str, Any]) -> LibraryKind:
    return LibraryKind(
        card, row["form"], row["growth_cm"] * CM, tuple(row["seats"]), row.get("food", False), row.get("light", "")
    )


def suiting(par: float) -> list[LibraryKind]:
    """The kinds whose band holds a reading, the ones that it suits best first; what lives off food is left out."""
    found = [one for one in coral_library().values() if one.card.par_low <= par <= one.card.par_high and not one.food]
    return sorted(found, key=lambda one: abs(2 * par - one.card.par_low - one.card.par_high)
                  / (one.card.par_high - one.card.par_low))  # fmt: skip

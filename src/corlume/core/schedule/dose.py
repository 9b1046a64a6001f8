"""Daily light integral (DLI) of a coral, judged beside its peak PAR."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from corlume.core.placement.coral_card import CoralCard

USUAL_DAY = 10.0
"""Hours of full light that the target ranges on the cards are taken to mean (common practice, no source: ten to twelve
hours for LED) [h].
"""
Where = Literal["low", "in range", "high"]


@dataclass(frozen=True, slots=True)
class DoseVerdict:
    """Where a coral's peak PAR and its daily light lie against its target range, ``low`` to ``high`` by the day
    [mol/m2/d].
    """

    peak: Where
    dose: Where
    low: float
    high: float

    @property
    def agree(self) -> bool:
        """Whether peak and daily light say the same."""
        return self.peak == self.dose

    @property
    def words(self) -> str:
        """What the two say together."""
        return WORDS[self.peak, self.dose]


WORDS: dict[tuple[Where, Where], str] = {
    ("in range", "in range"): "In range.",
    ("low", "low"): "Too little light.",
    ("high", "high"): "Too much light.",
    ("low", "in range"): "Weak, but long enough: daily light is in range.",
    ("low", "high"): "Weak, but far too long: shorten the day before you dim.",
    ("in range", "low"): "Right at its peak, but the day is short.",
    ("in range", "high"): "Right at its peak, but the day is long.",
    ("high", "in range"): "Too strong at its peak; a short day keeps the sum right. Watch for bleaching.",
    ("high", "low"): "Too strong at its peak, for a short time. Dim, and lengthen the day.",
}


def daily_range(card: CoralCard) -> tuple[float, float]:
    """Target range of a card over ``USUAL_DAY`` hours [mol/m2/d]."""
    return card.par_low * USUAL_DAY * 3600e-6, card.par_high * USUAL_DAY * 3600e-6


def judge_day(card: CoralCard, peak: float, dose: float) -> DoseVerdict:
    """Judge a peak PAR [umol/m2/s] and a daily light [mol/m2/d] by the target range of a card."""
    low, high = daily_range(card)
    return DoseVerdict(_where(peak, card.par_low, card.par_high), _where(dose, low, high), low, high)


def _where(value: float, low: float, high: float) -> Where:
    return "low" if value < low else "high" if value > high else "in range"

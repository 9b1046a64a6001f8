"""Costs of a setup over the years: what is bought at once, and what runs evenly; and when two setups cost the same."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class CostLine:
    """Costs of a setup: fixtures to buy [currency], and electricity and lamps [currency a year]."""

    name: str
    buy: float
    yearly: float

    def after(self, years: float) -> float:
        """Cost up to a time [currency]."""
        return self.buy + years * self.yearly


def crossing(one: CostLine, other: CostLine, most: float) -> float | None:
    """The time at which two setups have cost the same [years]; None where that is not after 0 and before ``most``."""
    if one.yearly == other.yearly:
        return None
    at = (other.buy - one.buy) / (one.yearly - other.yearly)
    return at if 0.0 < at < most else None

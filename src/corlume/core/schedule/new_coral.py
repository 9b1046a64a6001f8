"""A coral that comes from other light: PAR that it gets week by week on its way to the light of its spot."""

from __future__ import annotations

from dataclasses import dataclass

from corlume.core.schedule.slow_change import BOUND

NEAR = 0.1
"""A spot within so much of the light that it had needs no plan [-]."""
MOST_WEEKS = 26


@dataclass(frozen=True, slots=True)
class NewCoralPlan:
    """PAR in each week, the first as it had and the last as at its spot [umol/m2/s]."""

    had: float
    spot: float
    weeks: tuple[float, ...]


def plan_for_new(had: float, spot: float) -> NewCoralPlan | None:
    """Plan of a coral that had one PAR and has another at its spot; None where it gets no more than it knows."""
    if spot <= (1 + NEAR) * had or had <= 0:
        return None
    weeks, par = list[float](), had
    while par < spot and len(weeks) < MOST_WEEKS:
        weeks.append(par)
        par = min(spot, par * (1 + BOUND))
    return NewCoralPlan(had, spot, (*weeks, spot))

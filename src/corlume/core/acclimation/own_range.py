"""The light in which corals of one type did well with this keeper, from checks and the PAR of their days.

Checks are gathered in steps of PAR by a quarter each. In a step a coral type does well where most checks were healthy
beyond doubt: the lower end of a 80 % interval of the healthy share is above a half (beta distribution, flat prior). The
own range runs from the first such step to the last. All limits are our estimates.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from scipy.special import betaincinv

STEP = math.log(1.25)
LEAST = 8
"""Fewer checks than this say nothing of a type."""
DOUBT, HALF = 0.1, 0.5


@dataclass(frozen=True, slots=True)
class CheckedLight:
    """One check: the PAR on its day [umol/m2/s], whether the coral was healthy, and which coral it was."""

    par: float
    healthy: bool
    coral: int


@dataclass(frozen=True, slots=True)
class OwnRange:
    """A range of PAR [umol/m2/s] in which a type did well, and above or below which it did not.

    Parameters
    ----------
    low, high : ends of the range; each is known to about a step of a quarter.
    checks, corals : how many it rests on; ``healthy`` the share of the checks within it.
    worse : PAR at which it did badly, by the same rule.
    """

    low: float
    high: float
    checks: int
    corals: int
    healthy: float
    worse: tuple[float, ...]


def own_range(checks: Iterable[CheckedLight]) -> OwnRange | None:
    """The own range of a type; None where the checks do not suffice."""
    steps = defaultdict[int, list[CheckedLight]](list)
    for check in checks:
        if check.par > 0:
            steps[math.floor(math.log(check.par) / STEP)].append(check)
    every = [check for step in steps.values() for check in step]
    well = [step for step, found in steps.items() if _bound(found, DOUBT) > HALF]
    if len(every) < LEAST or not well:
        return None
    low, high = math.exp(min(well) * STEP), math.exp((max(well) + 1) * STEP)
    inside = [check for check in every if low <= check.par < high]
    badly = sorted(step for step, found in steps.items() if _bound(found, 1 - DOUBT) < HALF)
    return OwnRange(
        low=low,
        high=high,
        checks=len(every),
        corals=len({check.coral for check in every}),
        healthy=sum(check.healthy for check in inside) / len(inside),
        worse=tuple(math.exp((step + 0.5) * STEP) for step in badly),
    )


def _bound(found: list[CheckedLight], share: float) -> float:
    """Quantile of the healthy share of some checks."""
    good = sum(check.healthy for check in found)
    return float(betaincinv(1 + good, 1 + len(found) - good, share))

"""The figures by which a setup is judged: how much light there is, how even it is, and how much of it is in range.

Each figure runs over places that it names: the plane at the height of the rock top, spots on rock and sand, or water.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
AREA_SHARE = 1 / 6
"""End and middle areas, each as a share of the tank's length [-]; common practice, no source."""


@dataclass(frozen=True, slots=True)
class LightFigures:
    """PAR over some places: mean, minimum, P10 and P90 [umol/m2/s]; NaN where there are none."""

    mean: float
    least: float
    tenth: float
    ninetieth: float

    @classmethod
    def of(cls, par: Array) -> LightFigures:
        """Figures of PAR in any shape; NaN readings (rock) do not count."""
        kept = par[np.isfinite(par)]
        if not kept.size:
            return cls(*(float("nan"),) * 4)
        low, high = np.percentile(kept, (10, 90))
        return cls(float(kept.mean()), float(kept.min()), float(low), float(high))

    @property
    def uniformity(self) -> float:
        """Minimum to mean [-], the U0 of lighting practice (EN 12464-1 [13], from memory); NaN in the dark."""
        return self.least / self.mean if self.mean > 0 else float("nan")

    @property
    def tenth_share(self) -> float:
        """P10 to mean [-], which one dark place cannot spoil; NaN in the dark."""
        return self.tenth / self.mean if self.mean > 0 else float("nan")

    @property
    def spread(self) -> float:
        """P90 less P10 [umol/m2/s]: most readings lie within this of each other."""
        return self.ninetieth - self.tenth

    @property
    def relative_spread(self) -> float:
        """The spread over the mean [-], which no dimmer changes; NaN in the dark."""
        return self.spread / self.mean if self.mean > 0 else float("nan")


@dataclass(frozen=True, slots=True)
class EndFigures:
    """Mean PAR of the left end, the middle and the right end of a plane [umol/m2/s].

    Each is ``AREA_SHARE`` of the tank's length, the whole width deep; NaN where all of it is rock.
    """

    left: float
    middle: float
    right: float

    @classmethod
    def of(cls, plane: Array) -> EndFigures:
        """Figures of PAR (nx, ny) at one depth, x along the tank in even steps; NaN where there is rock."""
        n = plane.shape[0]
        edge = max(1, round(n * AREA_SHARE))
        start = (n - edge) // 2
        return cls(*(finite_mean(part) for part in (plane[:edge], plane[start : n - start], plane[n - edge :])))

    @property
    def weaker(self) -> float:
        """PAR of the weaker end [umol/m2/s]; of the other one where an end is all rock."""
        return min((end for end in (self.left, self.right) if end == end), default=float("nan"))

    @property
    def share(self) -> float:
        """The weaker end over the middle [-]; NaN in the dark.

        Common practice, no source: 0.75 is aimed at, 0.84-0.88 excellent. It does not see what lies between, nor
        the way from front to back.
        """
        return self.weaker / self.middle if self.middle > 0 else float("nan")


@dataclass(frozen=True, slots=True)
class Hottest:
    """The strongest PAR [umol/m2/s] and its place [m]."""

    par: float
    x: float
    y: float
    depth: float


@dataclass(frozen=True, slots=True)
class FigurePart:
    """Places with a target range, and how well it is met: ``name`` says which places, ``within`` the share that reads
    ``low`` to ``high`` [umol/m2/s].
    """

    key: str
    name: str
    low: float
    high: float
    light: LightFigures
    within: float


@dataclass(frozen=True, slots=True)
class Figures:
    """All figures of a setup.

    Parameters
    ----------
    depth : of the rock top [m]; ``plane`` is the light over the whole plane there, rock left out, ``ends`` its ends.
    parts : what the setup is meant for, place by place; empty where it is meant for nothing that is there.
    volume_share : share of the water from rock top to sand that reads what is wanted in it [-].
    spill : share of all light given off that misses the opening [-].
    watts : power as it is dimmed [W]; ``price`` of it [currency a year].
    shimmer : ripple fluctuation over the middle of the tank at the rock top [-]; None where nobody asked for it.
    hours : of that power which a day equals [h].
    """

    depth: float
    plane: LightFigures
    ends: EndFigures
    parts: tuple[FigurePart, ...]
    volume_share: float
    hottest: Hottest | None
    spill: float
    watts: float
    price: float
    shimmer: float | None = None
    hours: float = 9.0

    @property
    def mean(self) -> float:
        """Mean PAR over the plane at the rock top, 0 where all of that is rock [umol/m2/s]."""
        return self.plane.mean if self.plane.mean == self.plane.mean else 0.0

    @property
    def low_places(self) -> float:
        """Share of the low places in range [-]; NaN where no range is set for them."""
        return next((part.within for part in self.parts if part.key == "low"), float("nan"))

    @property
    def coverage(self) -> float:
        """Share of the goal's places in range [-]; NaN where there are none.

        Zones and ends count alike. Of a mixed tank the top counts alone: low places follow from rock and height.
        """
        counted = [part.within for part in self.parts if part.key != "low"]
        return sum(counted) / len(counted) if counted else float("nan")


def finite_mean(par: Array) -> float:
    """Mean of the finite readings, NaN where there are none [umol/m2/s]."""
    kept = par[np.isfinite(par)]
    return float(kept.mean()) if kept.size else float("nan")


def share_within(par: Array, low: float, high: float) -> float:
    """Share of the readings with low <= PAR < high [-]; NaN readings (rock) do not count; NaN when none is left."""
    kept = par[np.isfinite(par)]
    return float(np.mean((kept >= low) & (kept < high))) if kept.size else float("nan")


def hottest(par: Array, points: Array) -> Hottest | None:
    """Find the strongest reading; None when every point is in rock."""
    if not np.isfinite(par).any():
        return None
    at = np.unravel_index(np.nanargmax(par), par.shape)
    x, y, depth = (float(v) for v in points[at])
    return Hottest(float(par[at]), x, y, depth)

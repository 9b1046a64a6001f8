"""When a jumping meter has settled: the mean of its last readings, and whether it is good enough to keep."""

from __future__ import annotations

import math
import statistics
from collections import deque
from dataclasses import dataclass, field

WINDOW, LEAST = 25, 10
"""So many readings are looked at, and as few are enough where they hardly jump."""
STEADY = 0.012
"""The middle is good when it is sure to this share of it [-]."""
STRAY = 4.0
"""A reading so many median deviations off the middle is a stray one [-]."""
SAME = 1.4826
"""Standard deviation over median deviation of what is normal [-]."""


@dataclass(slots=True)
class ReadingSettler:
    """The last readings of a meter."""

    values: deque[float] = field(default_factory=lambda: deque(maxlen=WINDOW))

    def add(self, par: float) -> None:
        """Add a reading [umol/m2/s]."""
        self.values.append(par)

    @property
    def kept(self) -> list[float]:
        """The readings without outliers."""
        if len(self.values) < 4:
            return list(self.values)
        middle = statistics.median(self.values)
        off = SAME * statistics.median(abs(value - middle) for value in self.values)
        return [value for value in self.values if abs(value - middle) <= max(STRAY * off, 1.5)]

    @property
    def middle(self) -> float:
        """Mean of the kept readings, 0 before any came [umol/m2/s]."""
        return statistics.fmean(self.kept) if self.values else 0.0

    @property
    def sure(self) -> float:
        """Relative standard error of the mean; as neighbours are correlated, half of the readings count [-]."""
        kept = self.kept
        if len(kept) < 2 or self.middle <= 0:
            return math.inf
        return statistics.stdev(kept) / math.sqrt(0.5 * len(kept)) / self.middle

    @property
    def settled(self) -> bool:
        """Whether the mean can be kept: enough readings, steady, and neither climbing nor falling."""
        kept = self.kept
        if len(kept) < LEAST:
            return False
        half = len(kept) // 2
        early, late = statistics.fmean(kept[:half]), statistics.fmean(kept[half:])
        apart = abs(late - early) / max(1e-9, self.middle)
        calm = apart < max(2.0 * self.sure, STEADY)
        return calm and (self.sure < STEADY or len(self.values) == WINDOW or self.middle < 20)

"""Groups of fixtures that share a schedule: points of the day, each with a level, and ramps between them."""

from __future__ import annotations

import datetime
import itertools
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.schema import Choice, Many, Share, Text, Time, limits

Array = NDArray[np.float64]
Ramp = Literal["linear", "smooth", "switch"]
RAMPS: dict[Ramp, str] = {"linear": "even ramps", "smooth": "soft ramps", "switch": "on and off"}
DAY = 1440.0
"""Minutes of a day [min]."""


def minute_of(time: datetime.time) -> float:
    """Minutes since midnight of a time of day [min]."""
    return time.hour * 60 + time.minute + (time.second + time.microsecond / 1e6) / 60


@dataclass(frozen=True, slots=True)
class DayPoint:
    """A time of day at which a group has a level.

    Parameters
    ----------
    time : by the clock on the wall.
    level : share of the output that the setup has on its PAR map [-].
    channels : per cent of each channel, in order, in place of those of the fixtures; empty to keep theirs.
    """

    time: Annotated[datetime.time, Time("Time")]
    level: Annotated[float, Share("Level", 0.0, 1.0, about="100 % is as the PAR map shows it")]
    channels: Annotated[
        str, Text("Channels", 80, about="per cent of each channel in order, such as 100/80/40; blank: as set")
    ] = ""

    def __post_init__(self) -> None:
        rules = limits(self)
        try:
            mix = self.mix
        except ValueError:
            rules.that(False, "channels", "must be a number for each channel, such as 100/80/40")
            mix = ()
        for level in mix:
            rules.between("channels", level, 0.0, 1.5, "share")
        rules.finish()

    @property
    def mix(self) -> tuple[float, ...]:
        """Level of each channel [-]; empty to keep those of the fixtures."""
        return tuple(float(text) / 100 for text in self.channels.split("/")) if self.channels else ()

    @property
    def minute(self) -> float:
        """Minutes since midnight [min]."""
        return minute_of(self.time)


@dataclass(frozen=True, slots=True)
class LightGroup:
    """Fixtures that share a schedule: points of the day, and the ramp from each to the next, the last to the first."""

    name: Annotated[str, Text("Group", 40, least=1)]
    ramp: Annotated[Ramp, Choice("Between points", RAMPS)] = "linear"
    points: Annotated[tuple[DayPoint, ...], Many(48, one="point", table="day_points")] = ()

    def __post_init__(self) -> None:
        rules = limits(self)
        for k, (before, after) in enumerate(itertools.pairwise(self.points), start=1):
            rules.that(
                after.time > before.time,
                f"points.{k}.time",
                f"must be later than the point before it, {before.time:%H:%M}",
            )
        for k, point in enumerate(self.points):
            rules.that(
                self.ramp != "switch" or point.level in (0.0, 1.0),
                f"points.{k}.level",
                "must be 0 or 100 %: this group is on or off",
            )
        rules.finish()

    def levels(self, mix: Sequence[float], minutes: Array) -> Array:
        """Level (channels, n) of each channel at minutes (n,) of the day [-], without warm-up.

        ``mix`` is the fixture's own level of each channel, for points without one.
        """
        if not self.points:
            return np.zeros((len(mix), len(minutes)))
        times, values = self._nodes(mix)
        at = (np.searchsorted(times, minutes % DAY, side="right") - 1) % len(times)
        after = (at + 1) % len(times)
        span = np.where(after == at, DAY, (times[after] - times[at]) % DAY)
        t = ((minutes - times[at]) % DAY) / span
        found: Array = values[at].T + _RISE[self.ramp](t) * (values[after] - values[at]).T
        return found

    def master(self, minutes: Array) -> Array:
        """Level (n,) of the whole group at minutes (n,) of the day [-], whatever its channels do."""
        plain = replace(self, points=tuple(replace(point, channels="") for point in self.points))
        level: Array = plain.levels((1.0,), minutes)[0]
        return level

    def _nodes(self, mix: Sequence[float]) -> tuple[Array, Array]:
        """Times (p,) [min] and levels (p, channels) [-] of the points."""
        times = np.array([point.minute for point in self.points])
        return times, np.array([[point.level * level for level in point.mix or mix] for point in self.points])

    def stretches(self, start: float = 0.0, end: float = DAY) -> Iterator[tuple[float, float]]:
        """Parts of the time from ``start`` to ``end`` in which no point lies [min]."""
        cuts = sorted({start, end, *(p.minute for p in self.points if start < p.minute < end)})
        return itertools.pairwise(cuts)

    def gathered(self, mix: Sequence[float], start: float = 0.0, end: float = DAY) -> Array:
        """Integral (channels,) of the levels from ``start`` to ``end`` of one day [min], in closed form."""
        return np.array(_gathered(self, tuple(mix), start, end))

    def runs(self) -> list[tuple[float, float]]:
        """When the group is on: beginnings [min] and lengths [min]; a run may pass midnight."""
        lit = [(p.minute, p.level > 0) for p in self.points]
        if self.ramp != "switch":
            edges = zip(self.points, [*self.points[1:], *self.points[:1]], strict=True)
            lit = [(a.minute, a.level > 0 or b.level > 0) for a, b in edges]
        if all(on for _, on in lit):
            return [(0.0, DAY)] if lit else []
        begins = [m for k, (m, on) in enumerate(lit) if on and not lit[k - 1][1]]
        ends = [m for k, (m, on) in enumerate(lit) if not on and lit[k - 1][1]]
        return [(begin, min((end - begin) % DAY for end in ends)) for begin in begins]


@lru_cache(maxsize=2000)
def _gathered(group: LightGroup, mix: tuple[float, ...], start: float, end: float) -> tuple[float, ...]:
    """As ``LightGroup.gathered``: asked for again and again while a fixture is dragged."""
    total = np.zeros(len(mix))
    if not group.points:
        return tuple(total.tolist())
    times, values = group._nodes(mix)
    for low, high in group.stretches(start, end):
        at = int(np.searchsorted(times, low, side="right")) - 1
        after = (at + 1) % len(times)
        span = DAY if len(times) == 1 else (times[after] - times[at]) % DAY
        t0, t1 = (((m - times[at]) % DAY) / span for m in (low, high))
        t1 = t1 if t1 > t0 else 1.0
        rise = _RISE_GATHERED[group.ramp]
        total += (high - low) * values[at] + span * (rise(t1) - rise(t0)) * (values[after] - values[at])
    return tuple(total.tolist())


def _smooth(t: Array) -> Array:
    return t * t * (3 - 2 * t)


_RISE: dict[Ramp, Callable[[Array], Array]] = {"linear": lambda t: t, "smooth": _smooth, "switch": np.zeros_like}
_RISE_GATHERED: dict[Ramp, Callable[[float], float]] = {
    "linear": lambda t: t * t / 2,
    "smooth": lambda t: t**3 - t**4 / 2,
    "switch": lambda _: 0.0,
}

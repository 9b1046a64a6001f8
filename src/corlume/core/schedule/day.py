"""The day of fixtures: what each gives at any minute, and over the whole day.

Everything that depends on time asks here: the PAR map at a minute, daily light, levels for a survey, cost and heat.
"""

from __future__ import annotations

import datetime
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import FieldError, Rules
from corlume.core.light.fixture import Fixture
from corlume.core.light.light_group import DAY, DayPoint, LightGroup
from corlume.core.light.technology import WarmUp
from corlume.core.message_text import escape_slots

Array = NDArray[np.float64]
PLAIN = "Plain hours"
"""Name of the group of fixtures without a schedule."""
MIDDAY = 14 * 60.0
"""Middle of the plain hours where no time of lights out is known; common practice, no source [min]."""


def plain_block(hours: float, lights_out: datetime.time | None) -> LightGroup:
    """A group that is fully on for some hours [h] without a ramp, up to ``lights_out`` where that is known."""
    if hours <= 0:
        return LightGroup(PLAIN, "switch")
    on = DayPoint(datetime.time(), 1.0)
    if hours >= 24:
        return LightGroup(PLAIN, "switch", (on,))
    end = 60.0 * lights_out.hour + lights_out.minute if lights_out else MIDDAY + 30 * hours
    points = (replace(on, time=clock(end - 60 * hours)), DayPoint(clock(end), 0.0))
    return LightGroup(PLAIN, "switch", tuple(sorted(points, key=lambda point: point.time)))


def clock(minute: float) -> datetime.time:
    """Time of day at a minute, which may lie before or after the day [min]."""
    return (datetime.datetime.min + datetime.timedelta(days=1, minutes=minute % DAY)).time()


def clock_stretches(date: datetime.date, zone: datetime.tzinfo | None = None) -> list[tuple[float, float]]:
    """Minutes by the clock on the wall that pass on a date [min]: one stretch, or two where summer time begins or ends.

    ``zone`` is that of the tank, by default that of this machine.
    """
    midnights = [datetime.datetime.combine(date + datetime.timedelta(days=k), datetime.time(), zone) for k in (0, 1)]
    low, high = (midnight.timestamp() for midnight in midnights)
    before, after = _offset(low, zone), _offset(high, zone)
    if before == after:
        return [(0.0, DAY)]
    start = low
    while high - low > 1:  # the second at which the clocks change
        middle = (low + high) // 2
        low, high = (middle, high) if _offset(middle, zone) == before else (low, middle)
    change = (high - start) / 60
    return [(0.0, change), (change + (after - before) / 60, DAY)]


def _offset(moment: float, zone: datetime.tzinfo | None) -> float:
    """How far a zone is ahead of UTC at a moment [s]."""
    there = datetime.datetime.fromtimestamp(moment, zone).astimezone(zone).utcoffset()
    assert there is not None
    return there.total_seconds()


@dataclass(frozen=True, slots=True)
class Day:
    """The day of a tank's fixtures; ``plain`` is the schedule of those that belong to no group."""

    plain: LightGroup

    def group_of(self, fixture: Fixture) -> LightGroup:
        """Group whose schedule a fixture follows."""
        return fixture.day or self.plain

    def levels(self, fixture: Fixture, minutes: Array) -> Array:
        """Level (channels, n) of a fixture at minutes (n,) of the day, as shares of each channel's full output [-].

        Output and channel levels of the setup, schedule and warm-up are in it; age and dirt are not.
        """
        group = self.group_of(fixture)
        found: Array = fixture.output * group.levels(fixture.mix, minutes)
        if self._warms_up(group):
            warm = fixture.emitter.made_by.warm_up
            found = found * (1.0 - warm.off * np.exp(-_since_on(group, minutes) * 60 / warm.over))
        return found

    def gathered(self, fixture: Fixture, start: float = 0.0, end: float = DAY) -> Array:
        """Integral (channels,) of ``levels`` from ``start`` to ``end`` of one day [min]."""
        group = self.group_of(fixture)
        whole = group.gathered(fixture.mix, start, end)
        if self._warms_up(group):
            warm, stretches = fixture.emitter.made_by.warm_up, list(group.stretches(start, end))
            begins = np.array([low for low, _ in stretches])
            values, since = group.levels(fixture.mix, begins), _since_on(group, begins)
            missed = [_missed(warm, s, s + high - low) for s, (low, high) in zip(since, stretches, strict=True)]
            whole = whole - values @ np.array(missed)
        return fixture.output * whole

    def _warms_up(self, group: LightGroup) -> bool:
        """Whether lamps of a group come on cold; the plain hours are taken as steady light."""
        return group.ramp == "switch" and group is not self.plain and any(length < DAY for _, length in group.runs())

    def at(self, fixtures: Sequence[Fixture], minute: float) -> tuple[Fixture, ...]:
        """Fixtures with the light that they give at a minute of the day [min]."""
        return tuple(replace(f, lit=tuple(self.levels(f, np.array([minute]))[:, 0].tolist())) for f in fixtures)

    def averaged(self, fixtures: Sequence[Fixture]) -> tuple[Fixture, ...]:
        """Fixtures with the mean of their light over the 24 hours of a day."""
        return tuple(replace(f, lit=tuple((self.gathered(f) / DAY).tolist())) for f in fixtures)

    def power(self, fixture: Fixture, minutes: Array) -> Array:
        """Electrical power (n,) of a fixture at minutes (n,) of the day [W]; all of it while a lamp warms up."""
        levels = fixture.output * self.group_of(fixture).levels(fixture.mix, minutes)
        drawn: Array = fixture.watts * (np.array(fixture.emitter.power_shares()) @ levels)
        return drawn

    def energy(self, fixture: Fixture, start: float = 0.0, end: float = DAY) -> float:
        """Electrical energy of a fixture from ``start`` to ``end`` [min] of one day [kWh]."""
        levels = fixture.output * self.group_of(fixture).gathered(fixture.mix, start, end) / 60
        return float(fixture.watts * (np.array(fixture.emitter.power_shares()) @ levels)) / 1000

    def full_hours(self, fixtures: Sequence[Fixture]) -> float:
        """Hours of the PAR map's light which a day of some fixtures equals, weighted by photon flux [h]."""
        shares = [f.emitter.ppf * np.array([c.share for c in f.emitter.channels]) for f in fixtures]
        day = sum(float(flux @ self.gathered(f)) for f, flux in zip(fixtures, shares, strict=True))
        full = sum(f.output * float(flux @ np.array(f.mix)) for f, flux in zip(fixtures, shares, strict=True))
        return day / 60 / full if full else 0.0

    def hours_on(self, fixture: Fixture) -> float:
        """Hours a day in which a fixture is on at all [h]."""
        return sum(length for _, length in self.group_of(fixture).runs()) / 60


def _since_on(group: LightGroup, minutes: Array) -> Array:
    """Minutes (n,) since a group came on last, at minutes (n,) of the day [min]."""
    since: Array = np.min([(minutes - begin) % DAY for begin, _ in group.runs()], axis=0)
    return since


def _missed(warm: WarmUp, start: float, end: float) -> float:
    """Minutes of steady light that a lamp misses between two times after it came on [min]."""
    return warm.off * warm.over / 60 * (math.exp(-start * 60 / warm.over) - math.exp(-end * 60 / warm.over))


def schedule_errors(groups: Sequence[LightGroup], fixtures: Sequence[Fixture]) -> list[FieldError]:
    """Find fixtures that cannot follow their group: not dimmable in a group with ramps, or with other channels."""
    rules = Rules()
    names = [group.name for group in groups]
    for k, name in enumerate(names):
        rules.that(name not in names[:k], f"groups.{k}.name", "is the name of another group")
    for k, group in enumerate(groups):
        mine = [f for f in fixtures if f.group == group.name]
        stiff = next((f.name for f in mine if not f.dimmable), None)
        rules.that(
            group.ramp == "switch" or stiff is None,
            f"groups.{k}.ramp",
            f"must be on and off: {escape_slots(stiff or 'a fixture')} does not dim",
        )
        for j, point in enumerate(group.points):
            other = next((f for f in mine if point.mix and len(point.mix) != len(f.emitter.channels)), None)
            rules.that(
                other is None,
                f"groups.{k}.points.{j}.channels",
                f"has {len(point.mix)} channels, and {escape_slots(other.name) if other else ''} has "
                f"{len(other.emitter.channels) if other else 0}",
            )
            over = next((f for f in mine if any(a > b for a, b in zip(point.mix, f.tops, strict=False))), None)
            rules.that(
                over is None,
                f"groups.{k}.points.{j}.channels",
                f"goes past what {escape_slots(over.name) if over else ''} reaches",
            )
    return rules.errors

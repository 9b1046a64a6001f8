"""Light, energy and cost over the day of a setup, at corals and any other places."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.judging.target_zones import TargetZone
from corlume.core.light.fixture import Fixture, bodies_below
from corlume.core.light.geometry import Tank
from corlume.core.placement.coral import Coral
from corlume.core.schedule.day import Day
from corlume.core.schedule.day_checks import MINUTES
from corlume.core.schedule.dose import USUAL_DAY, DoseVerdict, judge_day
from corlume.services.keeping.coral_types import lives_off_food
from corlume.services.light.fields import par_at, unit_of
from corlume.services.light.points import PlaneSpec, WaterPoint, same_tank
from corlume.services.placement.zone_placement import coral_places
from corlume.store.tanks import StoredSetup, StoredTank

Array = NDArray[np.float64]
NOON = np.array([720.0])
"""One minute does where only daily light is asked for [min]."""


def channel_light(tank: Tank, fixtures: Sequence[Fixture], spec: PlaneSpec) -> list[Array]:
    """PAR (channels, n) of each fixture at points with every channel full, as worn as it is [umol/m2/s]."""
    return [
        f.left * unit_of(tank, f.emitter, spec, "planar", 0.0, bodies_below(fixtures, i))
        for i, f in enumerate(fixtures)
    ]


def light_over(day: Day, fixtures: Sequence[Fixture], light: Sequence[Array], minutes: Array = MINUTES) -> Array:
    """PAR (points, minutes) of some fixtures over a day [umol/m2/s]; ``light`` is that of ``channel_light``."""
    points = light[0].shape[1] if light else 0
    total = np.zeros((points, len(minutes)))
    for fixture, mine in zip(fixtures, light, strict=True):
        total += mine.T @ day.levels(fixture, minutes)
    return total


def daily_light_over(day: Day, fixtures: Sequence[Fixture], light: Sequence[Array]) -> Array:
    """Daily light integral (points,) of some fixtures [mol/m2/d]."""
    return np.asarray(sum(mine.T @ day.gathered(f) for f, mine in zip(fixtures, light, strict=True)) * 60e-6)


def flux_over(day: Day, fixtures: Sequence[Fixture], minutes: Array = MINUTES) -> Array:
    """Photon flux (minutes,) of some fixtures over a day, as new and clean [umol/s]."""
    total = np.zeros(len(minutes))
    for f in fixtures:
        total += f.emitter.ppf * np.array([c.share for c in f.emitter.channels]) @ day.levels(f, minutes)
    return total


def peak_minute(day: Day, fixtures: Sequence[Fixture]) -> int:
    """Minute of the day at which most light is given, the middle one of several [min]; noon where all is dark."""
    flux = flux_over(day, fixtures)
    at = np.flatnonzero(flux >= flux.max(initial=0.0) - 1e-9) if flux.any() else np.array([720])
    return int(MINUTES[at[len(at) // 2]]) if flux.any() else 720


def day_at(stored: StoredTank, fixtures: Sequence[Fixture], place: WaterPoint) -> Array:
    """PAR (minutes,) at a place over the day [umol/m2/s]."""
    light = channel_light(same_tank(stored.lit_tank()), fixtures, PlaneSpec("point", place))
    return light_over(stored.running.day, fixtures, light)[0] if light else np.zeros(len(MINUTES))


@dataclass(frozen=True, slots=True)
class CoralDay:
    """A coral's day: its number, its greatest PAR [umol/m2/s], its daily light [mol/m2/d], its PAR by the minute."""

    id: int
    number: int
    coral: Coral
    peak: float
    dose: float
    par: Array
    verdict: DoseVerdict | None


def coral_days(stored: StoredTank, fixtures: Sequence[Fixture], minutes: Array = MINUTES) -> list[CoralDay]:
    """The day of every placed coral; those that live off food have no verdict."""
    ids, places = coral_places(stored)
    if places is None or not fixtures:
        return []
    tank, day = same_tank(stored.lit_tank()), stored.running.day
    light = channel_light(tank, fixtures, PlaneSpec("places", places))
    par, doses = light_over(day, fixtures, light, minutes), daily_light_over(day, fixtures, light)
    numbers = {kept.id: (number, kept.value) for number, kept in enumerate(stored.corals, 1)}
    found = []
    for coral_id, course, dose in zip(ids, par, doses, strict=True):
        number, coral = numbers[coral_id]
        peak = float(course.max())
        verdict = None if lives_off_food(stored, coral.card) else judge_day(coral.card, peak, float(dose))
        found.append(CoralDay(coral_id, number, coral, peak, float(dose), course, verdict))
    return found


@dataclass(frozen=True, slots=True)
class GroupPower:
    """Power of a group over the day (n,) [W], its energy [kWh] and the hours in which it is on [h]."""

    name: str
    watts: Array
    energy: float
    hours: float


def power_by_group(stored: StoredTank, setup: StoredSetup, minutes: Array = MINUTES) -> list[GroupPower]:
    """Power of each group of a setup over the day, and last of what goes by the plain hours."""
    day, found = stored.running.day, []
    foreign = [day.group_of(f).name for f in setup.hung]  # of fixtures that a plan has not replaced yet
    names = dict.fromkeys(kept.value.name for kept in setup.groups)
    for name in [*(names | dict.fromkeys(n for n in foreign if n != day.plain.name)), day.plain.name]:
        mine = [f for f in setup.hung if day.group_of(f).name == name]
        if mine or name != day.plain.name:
            watts = sum((day.power(f, minutes) for f in mine), np.zeros(len(minutes)))
            hours = max((day.hours_on(f) for f in mine), default=0.0)
            found.append(GroupPower(name, watts, sum(day.energy(f) for f in mine), hours))
    return found


@dataclass(frozen=True, slots=True)
class ZoneDay:
    """Mean daily light of a target zone, and its target range over ``USUAL_DAY`` hours [mol/m2/d]."""

    zone: TargetZone
    dose: float
    low: float
    high: float


def zone_days(stored: StoredTank, fixtures: Sequence[Fixture]) -> list[ZoneDay]:
    """The daily light of every target zone that has places."""
    zones = [(kept.value, kept.value.points(stored.tank)) for kept in stored.wanted]
    zones = [(zone, points) for zone, points in zones if len(points)]
    if not zones or not fixtures:
        return []
    tank, mean = same_tank(stored.lit_tank()), stored.running.day.averaged(fixtures)
    par = par_at(tank, mean, np.concatenate([points for _, points in zones]))
    ends, by_day = np.cumsum([len(points) for _, points in zones])[:-1], USUAL_DAY * 3600e-6
    return [
        ZoneDay(zone, float(part.mean()) * 86_400e-6, zone.low * by_day, zone.high * by_day)
        for (zone, _), part in zip(zones, np.split(par, ends), strict=True)
    ]

"""The tank run forward month by month: corals grow, shade each other and shelter each other from the flow, lamps fade,
glass dims, and lamps that are changed bring a jump.

Every coral has the size of its day; the switch "shade of grown corals", which takes all as mature at once, is left out.
Shade depends on growth alone, so it is computed once along the growth and read off for each pace; see ``PACES``.
"""

from __future__ import annotations

import datetime
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.flow.first_estimate import CLASS_ENDS, CLASSES
from corlume.core.flow.local_flow import STAND
from corlume.core.flow.wake import wake_left
from corlume.core.judging.intent import Places
from corlume.core.light.fixture import Fixture
from corlume.core.placement.coral import Coral
from corlume.core.placement.coral_growth import (
    BODIES,
    PACES,
    USUAL_GROWTH,
    GrowingCorals,
    Pace,
    meeting_month,
)
from corlume.core.placement.suitability import FLOW_STEP, LEAST_SWEEPER
from corlume.core.units import MONTH
from corlume.core.upkeep.leaving_range import Leaving, band_of, when_leaving
from corlume.core.upkeep.wear import Upkeep
from corlume.services.flow.tank_flow import flow_ways
from corlume.services.keeping.coral_types import height_of, lives_off_food, type_of
from corlume.services.keeping.surveys import all_surveys
from corlume.services.light.fields import parts_at
from corlume.services.light.points import same_tank
from corlume.services.placement.coral_uncertainty import coral_uncertainty
from corlume.services.placement.growth import size_on
from corlume.services.placement.zone_placement import coral_places, mature
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
Told = Callable[[float], object]
AHEAD = 60
"""Months ahead that are looked at."""
NEAR = 0.08
"""A reading so near to a coral counts as one of its light [m]."""
BASE_DARK = 0.5
"""A coral's own base is in the dark with less than this share of the start of its range [-]; our estimate."""

BASE_EVERY = 6
"""The light at the base is worked out every so many months."""


@dataclass(frozen=True, slots=True)
class Meeting:
    """Another coral that one meets: its number, its coral, and when."""

    number: int
    coral: Coral
    when: Leaving


@dataclass(frozen=True, slots=True)
class CoralForecast:
    """A coral month by month from today on, each array (months,).

    Parameters
    ----------
    kept, left : PAR with lamps changed and parts cleaned when they are due, and with neither [umol/m2/s].
    low, high : limits of ``left`` by the pace of growth and by the uncertainty of PAR, one at a time.
    sd : relative uncertainty of the present PAR [-]; ``fed`` whether it lives off food.
    across, height : its size [m]; ``flow`` its speed, NaN where it is not known [m/s].
    leaves, leaves_kept : when it leaves its range with neither, and with both, by the pace of growth; None for never,
        and for corals that live off food.
    base_dark : the month from which the base of a branching coral is in the dark under its own branches.
    meets : other corals that it meets, the first of them first; ``flow_off`` when the flow is no longer one it takes.
    readings : days and PAR of surveys near it.
    """

    id: int
    number: int
    coral: Coral
    kept: Array
    left: Array
    low: Array
    high: Array
    sd: float
    fed: bool
    across: Array
    height: Array
    flow: Array
    leaves: Leaving | None
    leaves_kept: Leaving | None
    meets: tuple[Meeting, ...]
    flow_off: Leaving | None
    base_dark: int | None
    readings: tuple[tuple[datetime.date, float], ...]

    @property
    def unsure(self) -> bool:
        """Whether its PAR may be out of range already, though it is likely in range."""
        card, par = self.coral.card, float(self.left[0])
        inside = card.par_low <= par <= card.par_high
        return inside and not card.par_low <= (1 - self.sd) * par <= (1 + self.sd) * par <= card.par_high

    @property
    def well(self) -> bool:
        """Whether nothing is likely to happen to it in these months."""
        return not any(one and one.likely is not None for one in (self.leaves_kept, self.flow_off)) and not any(
            one.when.likely is not None for one in self.meets
        )


@dataclass(frozen=True)
class Forecast:
    """The tank over ``AHEAD`` months: the days, and every placed coral, those that leave their range first."""

    days: tuple[datetime.date, ...]
    corals: tuple[CoralForecast, ...]

    @property
    def leave_it(self) -> bool:
        """Whether all corals stay in range and apart when lamps and parts are kept up: nothing is to be changed."""
        return all(one.well for one in self.corals)


def forecast_days(today: datetime.date) -> list[datetime.date]:
    """The days of a forecast, a month apart."""
    return [today + datetime.timedelta(days=round(month * MONTH)) for month in range(AHEAD + 1)]


def growth_steps(until: float, coarse: int = 1) -> list[float]:
    """Months of growth at the usual pace at which shade is computed, until all are mature: every month, or after the
    first year every so many; and every third beyond ``AHEAD``, where fast growth alone comes.
    """
    last = min(math.ceil(until), round(AHEAD * PACES["fast"]))
    steps = (*range(12), *range(12, AHEAD, coarse), *range(AHEAD, last, 3))
    return [float(step) for step in (*(step for step in steps if step < last), last)]


class TankAhead:
    """A tank whose corals grow: their light and flow at any step of their growth.

    ``moves`` are other places of some corals, by id: place [m] and unit vector; ``trimmed`` are those that are kept at
    their present size, by id; ``fixtures`` hang instead of those of the setup in use.
    """

    def __init__(
        self,
        stored: StoredTank,
        today: datetime.date,
        *,
        moves: Mapping[int, tuple[Array, Array]] | None = None,
        trimmed: Sequence[int] = (),
        fixtures: Sequence[Fixture] | None = None,
    ) -> None:
        self.stored, self.today = stored, today
        self.ids, places = coral_places(stored)
        assert places is not None
        self.fixtures = [replace(f, worn=1.0) for f in (stored.setup().hung if fixtures is None else fixtures)]
        self.tank = same_tank(mature(stored, shade=False).lit_tank())
        corals = growing_corals(stored, self.ids, places, today)
        for coral_id, (foot, way) in (moves or {}).items():
            corals = corals.moved(self.ids.index(coral_id), foot, way)
        self.corals = corals.trimmed([self.ids.index(one) for one in trimmed])
        self.steps = growth_steps(self.corals.mature_after())
        self._known = dict[tuple[float, ...], Array]()

    def light(self, steps: Sequence[float] | None = None, told: Told = lambda _: None) -> Array:
        """PAR (steps, fixtures, n) of each fixture, as new and clean, at the tops of the corals [umol/m2/s]."""
        steps = tuple(self.steps if steps is None else steps)
        if steps in self._known:
            return self._known[steps]
        found, feet = np.zeros((len(steps), len(self.fixtures), len(self.ids))), self.corals.feet
        for k, step in enumerate(steps):
            told(k / len(steps))
            tops = self.corals.tops(step)
            buried = self.tank.in_rock(tops)
            tops[buried] = feet[buried]
            found[k] = self._light_at(step, tops, self.corals.ways)
        self._known[steps] = found
        return found

    def base_light(self, steps: Sequence[float], which: Sequence[int]) -> Array:
        """PAR (steps, fixtures, m) at the feet of some corals by index, under their own bodies [umol/m2/s]."""
        feet, ways = self.corals.feet[list(which)], self.corals.ways[list(which)]
        return np.array([self._light_at(step, feet, ways) for step in steps])

    def _light_at(self, step: float, points: Array, ways: Array) -> Array:
        grown = replace(self.tank, colonies=self.corals.discs(step))
        level = bool((ways[:, 2] > 1.0 - 1e-12).all())
        return parts_at(grown, self.fixtures, points, normals=None if level else ways)

    def flow_left(self, steps: Sequence[float], ways: Array) -> Array:
        """Share (steps, n) of today's speed that is left behind the others as they grow [-]."""
        met = self.corals.feet - np.array([0.0, 0.0, STAND])
        own = np.arange(len(self.ids), dtype=np.int64)
        blocks = self.corals.bodies[:, 2]
        rows = [
            wake_left(met, ways, self.corals.feet, self.corals.across(s), self.corals.heights(s), blocks, own)
            for s in steps
        ]
        return np.array(rows) / np.maximum(rows[0], 1e-6)


def growing_corals(stored: StoredTank, ids: Sequence[int], places: Places, today: datetime.date) -> GrowingCorals:
    """The placed corals of a tank as they grow from today on."""
    corals = [stored.coral(one).value for one in ids]
    kinds = [type_of(stored, coral.card) for coral in corals]
    most = np.array([coral.card.size for coral in corals])
    ways = np.tile([0.0, 0.0, 1.0], (len(ids), 1)) if places.normals is None else places.normals
    return GrowingCorals(
        feet=places.points,
        ways=ways,
        now=np.array([size_on(stored, coral, today) for coral in corals]),
        most=most,
        growth=np.array([kind.growth if kind else USUAL_GROWTH for kind in kinds]),
        slender=np.array([height_of(stored, coral.card) for coral in corals]) / most,
        bodies=np.array([BODIES[kind.form if kind else "mound"] for kind in kinds]),
    )


def forecast(db: Database, stored: StoredTank, today: datetime.date, told: Told = lambda _: None) -> Forecast:
    """Run a tank forward; ``told`` is given the share done [-]."""
    days = forecast_days(today)
    if coral_places(stored)[1] is None or not stored.setup().fixtures:
        return Forecast(tuple(days), ())
    ahead = TankAhead(stored, today)
    light = ahead.light(told=told)
    kept, left = wear_over(stored.upkeep.kept_up(today, days[-1]), ahead, days), wear_over(stored.upkeep, ahead, days)
    months = np.arange(AHEAD + 1.0)
    by_pace = {pace: at_months(ahead.steps, light, factor * months) for pace, factor in PACES.items()}
    sd = coral_uncertainty(stored)
    courses = {worn: np.array([np.einsum("mfn,mf->mn", by_pace[pace], wear) for pace in PACES])
               for worn, wear in (("kept", kept), ("left", left))}  # fmt: skip
    maintained, likely = courses["kept"][0], courses["left"][0]
    ends = np.array([*courses["left"], likely * (1 - sd), likely * (1 + sd)])
    base_dark = _base_dark(ahead, kept, months)
    sizes = {pace: np.array([ahead.corals.across(factor * m) for m in months]) for pace, factor in PACES.items()}
    tall = np.array([ahead.corals.heights(m) for m in months])
    flow = _flow_over(ahead, months)
    read = [(one.value.day, spot, par) for one in all_surveys(db, stored.id) for spot, par in one.value.read()]
    numbers = {one.id: (number, one.value) for number, one in enumerate(stored.corals, 1)}
    found = []
    for k, coral_id in enumerate(ahead.ids):
        number, coral = numbers[coral_id]
        food = lives_off_food(stored, coral.card)
        near = tuple(
            sorted((day, par) for day, spot, par in read
                   if coral.place is not None and np.linalg.norm(np.subtract(spot.place, tuple(coral.place))) <= NEAR)
        )  # fmt: skip
        found.append(
            CoralForecast(
                id=coral_id,
                number=number,
                coral=coral,
                kept=maintained[:, k],
                left=likely[:, k],
                low=ends[:, :, k].min(axis=0),
                high=ends[:, :, k].max(axis=0),
                sd=float(sd[k]),
                fed=food,
                across=sizes["usual"][:, k],
                height=tall[:, k],
                flow=flow["usual"][:, k],
                leaves=None if food else when_leaving(coral.card, courses["left"][:, :, k]),
                leaves_kept=None if food else when_leaving(coral.card, courses["kept"][:, :, k]),
                meets=_meetings(ahead, k, sizes, numbers),
                flow_off=_flow_off(coral, [flow[pace][:, k] for pace in PACES]),
                base_dark=None if food else base_dark.get(k),
                readings=near,
            )
        )
    return Forecast(tuple(days), tuple(sorted(found, key=_soonest)))


def _base_dark(ahead: TankAhead, kept: Array, months: Array) -> dict[int, int]:
    """The month from which the base of each branching coral is in the dark under its branches, by its index."""
    branching = np.flatnonzero(ahead.corals.bodies[:, 1] > 0).tolist()
    steps = sorted({*np.arange(0.0, ahead.steps[-1], BASE_EVERY).tolist(), ahead.steps[-1]})
    light = at_months(steps, ahead.base_light(steps, branching), months)
    found = {}
    for k, base in zip(branching, np.einsum("mfn,mf->nm", light, kept), strict=True):
        dark = np.flatnonzero(base < BASE_DARK * ahead.stored.coral(ahead.ids[k]).value.card.par_low)
        if len(dark) and dark[0] > 0:
            found[k] = int(dark[0])
    return found


def _soonest(one: CoralForecast) -> tuple[float, float]:
    """Corals that leave their range first come first, then those that lose most."""
    when = one.leaves.likely if one.leaves and one.leaves.likely is not None else AHEAD + 1
    return when, float(one.left[-1] / max(one.left[0], 1e-9))


def at_months(steps: Sequence[float], found: Array, months: Array) -> Array:
    """Values (steps, ...) read at months of growth (m,), evenly between steps, and as at the last step after it."""
    at = np.clip(months, steps[0], steps[-1])
    k = np.clip(np.searchsorted(steps, at, side="right") - 1, 0, max(0, len(steps) - 2))
    if len(steps) == 1:
        return np.repeat(found, len(months), axis=0)
    edges = np.asarray(steps)
    share = ((at - edges[k]) / (edges[k + 1] - edges[k])).reshape(-1, *(1,) * (found.ndim - 1))
    read: Array = (1 - share) * found[k] + share * found[k + 1]
    return read


def wear_over(upkeep: Upkeep, ahead: TankAhead, days: Sequence[datetime.date]) -> Array:
    """Wear (days, fixtures) of the fixtures [-]."""
    names = [fixture.name for fixture in ahead.fixtures]
    by_name = {name: [upkeep.worn(name, day) for day in days] for name in dict.fromkeys(names)}
    return np.array([by_name[name] for name in names]).reshape(len(names), len(days)).T


def _flow_over(ahead: TankAhead, months: Array) -> dict[Pace, Array]:
    """Speed (months, n) at the corals for each pace [m/s]; NaN where it is not estimated."""
    speed, ways = flow_ways(ahead.stored, ahead.corals.feet)
    if not np.isfinite(speed).any():
        return dict.fromkeys(PACES, np.full((len(months), len(speed)), np.nan))
    return {pace: speed * ahead.flow_left((factor * months).tolist(), ways) for pace, factor in PACES.items()}


def _flow_off(coral: Coral, courses: Sequence[Array]) -> Leaving | None:
    """When the flow of a coral becomes one that it does not take, two steps too weak or dead, having been one that it
    does.
    """
    months = list[int | None]()
    for course in courses:
        words = [CLASSES[int(np.searchsorted(CLASS_ENDS, speed, side="right"))] for speed in course]
        bad = np.array([w == "dead" or FLOW_STEP[w] < FLOW_STEP[coral.card.flow] - 1 for w in words])
        bad &= np.isfinite(course)
        months.append(int(np.flatnonzero(bad)[0]) if bad.any() and not bad[0] else None)
    return band_of(months)


def _meetings(
    ahead: TankAhead, k: int, sizes: Mapping[Pace, Array], numbers: Mapping[int, tuple[int, Coral]]
) -> tuple[Meeting, ...]:
    """Corals of other types that one meets: edge to edge, or by sweeper tentacles of either."""
    card, found = numbers[ahead.ids[k]][1].card, []
    for other, coral_id in enumerate(ahead.ids):
        number, coral = numbers[coral_id]
        if other == k or coral.card.name == card.name:
            continue
        sweepers = max(card.sweepers, coral.card.sweepers)
        reach = sweepers if sweepers >= LEAST_SWEEPER else 0.0
        gap = float(np.linalg.norm(ahead.corals.feet[k] - ahead.corals.feet[other]))
        if gap > 0.5 * float(ahead.corals.most[k] + ahead.corals.most[other]) + reach:
            continue
        when = band_of([meeting_month(gap, sizes[p][:, k].tolist(), sizes[p][:, other].tolist(), reach) for p in PACES])
        if when is not None:
            found.append(Meeting(number, coral, when))
    return tuple(sorted(found, key=lambda one: (one.when.likely is None, one.when.likely or 0)))


def when_words(leaving: Leaving | None, days: Sequence[datetime.date]) -> str:
    """The month of an event with its band in words; empty where it does not happen."""
    if leaving is None:
        return ""
    first = f"{days[leaving.first]:%b %Y}"
    if leaving.likely is None:
        return f"from {first} if corals grow fast, else not in five years"
    if leaving.likely == 0:
        return "today"
    likely = f"{days[leaving.likely]:%b %Y}"
    if leaving.last is None:
        return f"{likely} ({first} at the earliest; not in five years if corals grow slowly)"
    last = f"{days[leaving.last]:%b %Y}"
    return likely if first == last else f"{likely} ({first} to {last})"

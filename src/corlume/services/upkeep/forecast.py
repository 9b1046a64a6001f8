"""The tank run forward month by month: corals grow, shade each other and shelter each other from the flow, lamps fade,
glass dims, and lamps that are changed bring a jump.

Every coral has the size of its day; the switch "shade of grown corals", which takes all as mature at once, is left out.
Shade depends on growth alone, so it is computed once along the growth and read off for each pace; see ``PACES``.
"""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.flow.first_estimate import CLASS_ENDS, CLASSES
from corlume.core.placement.coral import Coral
from corlume.core.placement.coral_growth import PACES, Pace, meeting_month
from corlume.core.placement.suitability import FLOW_STEP, LEAST_SWEEPER
from corlume.core.units import MONTH
from corlume.core.upkeep.leaving_range import Leaving, band_of, when_leaving
from corlume.services.flow.tank_flow import flow_ways
from corlume.services.keeping.coral_types import lives_off_food
from corlume.services.keeping.surveys import all_surveys
from corlume.services.placement.coral_uncertainty import coral_uncertainty
from corlume.services.placement.zone_placement import coral_places
from corlume.services.upkeep.tank_ahead import AHEAD, TankAhead, Told, at_months, wear_over
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

Array = NDArray[np.float64]
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

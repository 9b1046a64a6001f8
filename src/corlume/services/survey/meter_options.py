"""Rent, borrow or buy a PAR meter: what each costs and how sure the PAR is with it over two years."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

import numpy as np

from corlume.core.survey.meter_value import doubt_over, undecided
from corlume.core.units import MONTH
from corlume.services.keeping.coral_types import lives_off_food
from corlume.services.placement.coral_uncertainty import coral_uncertainty
from corlume.services.placement.zone_placement import coral_light
from corlume.services.survey.survey_plan import offer
from corlume.store.tanks import StoredTank

MONTHS, READINGS, EVERY = 24, 20, 3
"""Months looked at, readings of a survey, and how often a keeper who owns a meter surveys [months]; ours."""
USUAL_FADE = 0.92
"""Light left after a year where no lamp is on record [-]; our estimate."""
ENOUGH = 0.10
"""PAR as sure as this tells a coral's range well enough [-]; our estimate."""


@dataclass(frozen=True, slots=True)
class MeterOption:
    """A way to get a meter: its cost over two years [currency], how often the tank is surveyed, the uncertainty of PAR
    right after the first survey, on average and at worst [-], and how many corals it leaves undecided on average.
    """

    name: str
    note: str
    cost: float
    surveys: int
    first: float
    mean: float
    worst: float
    undecided: int


def meter_options(stored: StoredTank, today: datetime.date, rent: float, price: float) -> list[MeterOption]:
    """Ways to get a meter, at a ``rent`` a week and a ``price`` [currency], the cheapest first; none without lights."""
    setup = stored.setup()
    left = offer(stored, setup).left
    if not left:
        return []
    light = coral_light(stored, setup.hung)
    lit = [one for one in stored.corals if one.id in light and not lives_off_food(stored, one.value.card)]
    par = np.array([light[one.id] for one in lit])
    low, high = (np.array([getattr(one.value.card, end) for one in lit]) for end in ("par_low", "par_high"))
    known = coral_uncertainty(stored)
    before = float(np.median(known)) if len(known) and stored.survey else left[0]
    wear = _wear(stored, today)
    ways: tuple[tuple[str, str, float, tuple[int, ...]], ...] = (
        ("No meter", "PAR as predicted" if not stored.survey else "the survey in use, and no other", 0.0, ()),
        ("Borrow", "one survey now, from a club or a friend", 0.0, (0,)),
        ("Rent once", "one week, one survey now", rent, (0,)),
        ("Rent each year", "one week now and one in a year", 2 * rent, (0, 12)),
        ("Buy", f"a survey every {EVERY} months, and any reading between", price, tuple(range(0, MONTHS, EVERY))),
    )
    found = []
    for name, note, cost, surveys in ways:
        doubt = doubt_over(before, left.get(READINGS, min(left.values())), wear, surveys)
        mean = float(doubt.mean())
        found.append(
            MeterOption(
                name, note, cost, len(surveys), float(doubt[0]), mean, float(doubt.max()),
                undecided(par, low, high, mean),
            )
        )  # fmt: skip
    return found


def advised(options: list[MeterOption]) -> MeterOption | None:
    """The cheapest option that keeps PAR sure enough for two years on average, else the surest."""
    enough = [one for one in options if one.mean <= ENOUGH]
    return min(enough, key=lambda one: one.cost) if enough else min(options, key=lambda one: one.mean, default=None)


def _wear(stored: StoredTank, today: datetime.date) -> list[float]:
    """Mean light that wear leaves of the fixtures in each month, lamps and parts kept up [-]."""
    hung, days = stored.setup().hung, [today + datetime.timedelta(days=round(k * MONTH)) for k in range(MONTHS)]
    if not stored.lamps:
        return [USUAL_FADE ** (k / 12) for k in range(MONTHS)]
    kept = stored.upkeep.kept_up(today, days[-1])
    return [float(np.mean([kept.worn(fixture.name, day) for fixture in hung])) for day in days]

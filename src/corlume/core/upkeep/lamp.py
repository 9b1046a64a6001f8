"""Lamps: when each was put in, how long it lives, and how its light fades."""

from __future__ import annotations

import datetime
import math
from dataclasses import dataclass
from typing import Annotated

from corlume.core.light.technology import Wears
from corlume.core.schema import Day, Number, Share, Text, Whole, limits
from corlume.core.units import MONTH


@dataclass(frozen=True, slots=True)
class Lamp:
    """A lamp, or the LEDs, of a fixture.

    Parameters
    ----------
    fixture : name of the fixture that it is in.
    label : as written on the lamp, as an old one looks like a new one.
    installed, taken_out : days, the second None while it is in.
    used : burning hours before it was installed [h].
    life_hours, life_months : when it is to be changed, by whichever comes first; None for one that does not count.
    left, left_halfway : light at the end of its life and at half of it [-]; None for an even fade.
    counted_from : day on which the fixture's light remaining was set, with the fade up to then in it; None where light
        remaining is that of a new lamp.
    lead_days : how long before it is due another is ordered [d].
    """

    fixture: Annotated[str, Text("Fixture", least=1)]
    label: Annotated[str, Text("Label", 60, least=1, about="as written on the lamp")]
    installed: Annotated[datetime.date, Day("Installed")]
    taken_out: Annotated[datetime.date | None, Day("Taken out", about="blank: it is in")] = None
    used: Annotated[float, Number("Hours before", 0.0, 200_000.0, unit="h", about="of a used lamp")] = 0.0
    life_hours: Annotated[
        float | None, Number("Life by hours", 100.0, 200_000.0, unit="h", about="blank: hours do not count")
    ] = None
    life_months: Annotated[
        float | None, Number("Life by the calendar", 1.0, 360.0, unit="months", about="blank: age does not count")
    ] = None
    left: Annotated[float, Share("Light at the end of its life", 0.3, 1.0, column="light_left")] = 0.85
    left_halfway: Annotated[
        float | None, Share("Light at half of its life", 0.3, 1.0, column="light_halfway", about="blank: an even fade")
    ] = None
    counted_from: Annotated[
        datetime.date | None,
        Day("Light remaining set on", about="the fade up to then is in it; blank: it is that of a new lamp"),
    ] = None
    lead_days: Annotated[int, Whole("Order ahead", 0, 180, unit="days")] = 14
    note: Annotated[str, Text("Note", 300)] = ""

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(
            self.life_hours is not None or self.life_months is not None, "life_hours", "or the calendar is needed"
        )
        rules.that(
            self.taken_out is None or self.taken_out >= self.installed,
            "taken_out",
            f"is before {self.installed.isoformat()}, when it was installed",
        )
        rules.that(
            self.left_halfway is None or self.left_halfway >= self.left,
            "left_halfway",
            "must be at least the light at the end of its life",
        )
        rules.finish()

    def part_used(self, hours: float, days: float) -> float:
        """Share of its life that is used after some burning hours [h] and days [d] in the fixture [-]."""
        by_hours = (self.used + hours) / self.life_hours if self.life_hours else 0.0
        by_age = days / MONTH / self.life_months if self.life_months else 0.0
        return max(by_hours, by_age)

    def light_at(self, part: float) -> float:
        """Light as a share of that of the new lamp, when a share of its life is used [-].

        Even in its logarithm up to half of its life and from there to its end, and on as steeply after it.
        """
        half = math.sqrt(self.left) if self.left_halfway is None else self.left_halfway
        if part <= 0.5:
            return float(half ** (2 * max(0.0, part)))
        return float(half * (self.left / half) ** (2 * part - 1))

    def days_left(self, hours: float, days: float, hours_a_day: float) -> float:
        """Days until its life is over, negative when it is past [d]; endless for one that is never on."""
        by_hours = (self.life_hours - self.used - hours) / hours_a_day if self.life_hours and hours_a_day else math.inf
        by_age = self.life_months * MONTH - days if self.life_months else math.inf
        return min(by_hours, by_age)


@dataclass(frozen=True, slots=True)
class UsualLife:
    """How long lamps live, what is left of their light then, the approach that says so, and another one."""

    hours: float | None
    months: float | None
    left: float
    words: str


USUAL_LIVES: dict[Wears, tuple[UsualLife, ...]] = {
    "tube": (
        UsualLife(None, 12.0, 0.85, "Every year: tubes fade and shift in colour, seen or not."),
        UsualLife(4000.0, None, 0.85, "By hours, for tubes that are on for a short part of the day."),
    ),
    "arc": (
        UsualLife(3650.0, None, 0.7, "About 3,650 hours: two years at five hours a day, one at ten."),
        UsualLife(None, 12.0, 0.8, "Every year, whatever the hours."),
    ),
    "led": (UsualLife(30_000.0, None, 0.85, "LEDs fade slowly: eight years at ten hours a day."),),
}
"""The first is what a new lamp begins with. Common practice, no source; shares of light are our estimates."""

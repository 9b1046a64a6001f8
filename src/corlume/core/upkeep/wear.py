"""Wear: what fade and dirt leave of a fixture's light on any day."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from corlume.core.light.fixture import Fixture
from corlume.core.upkeep.burning import BurningHours, burnt
from corlume.core.upkeep.cleaning import Cleaning, CleaningRhythm, dirt_left, last_cleaned
from corlume.core.upkeep.lamp import Lamp

Age = Literal["today", "new", "due"]
AGES: dict[Age, str] = {
    "today": "as worn as today",
    "new": "as new, clean",
    "due": "at the end of their lamps' life",
}


@dataclass(frozen=True, slots=True)
class Upkeep:
    """What is known of the lamps and the cleaning of a tank's fixtures.

    ``hours`` are those a day that each fixture is on now, by its name [h].
    """

    lamps: Sequence[Lamp]
    rhythms: Sequence[CleaningRhythm]
    cleanings: Sequence[Cleaning]
    burning: Sequence[BurningHours]
    hours: Mapping[str, float]

    def burnt(self, lamp: Lamp, day: datetime.date) -> float:
        """Burning hours of a lamp in its fixture up to a day, without those before it was installed [h]."""
        end = min(day, lamp.taken_out or day)
        return burnt(self.burning, lamp.fixture, lamp.installed, end, self.hours.get(lamp.fixture, 0.0))

    def part_used(self, lamp: Lamp, day: datetime.date) -> float:
        """Share of a lamp's life that is used on a day [-]."""
        end = min(day, lamp.taken_out or day)
        return lamp.part_used(self.burnt(lamp, day), max(0, (end - lamp.installed).days))

    def due(self, lamp: Lamp, today: datetime.date) -> datetime.date | None:
        """Day on which a lamp's life is over, at the hours of today; None where that is beyond a century."""
        hours, start = self.hours.get(lamp.fixture, 0.0), max(today, lamp.installed)
        days = lamp.days_left(self.burnt(lamp, start), (start - lamp.installed).days, hours)
        return start + datetime.timedelta(days=round(days)) if days < 36_525 else None

    def condition(self, fixture: str, day: datetime.date) -> float:
        """What fade and dirt leave of a fixture's light on a day, as a share of new lamps in a clean fixture [-].

        Several lamps in one fixture count alike; days before the first lamp was installed know no fade.
        """
        mine = [one for one in self.lamps if one.fixture == fixture and one.installed <= day]
        mine = [one for one in mine if one.taken_out is None or day < one.taken_out]
        fade = sum(one.light_at(self.part_used(one, day)) for one in mine) / len(mine) if mine else 1.0
        return fade * dirt_left(self.rhythms, self.cleanings, fixture, day)

    def worn(self, fixture: str, day: datetime.date, age: Age = "today") -> float:
        """What wear leaves of a fixture's light, where its light remaining is taken as it was set [-].

        On a day, or with lamps that are ``new`` in a clean fixture, or that are ``due`` on the dirt of the day.
        """
        begins = [one.counted_from for one in self.lamps if one.fixture == fixture and one.counted_from is not None]
        base = self.condition(fixture, max(begins)) if begins else 1.0
        if age == "today":
            return self.condition(fixture, day) / base
        ends = [one.left for one in self.lamps if one.fixture == fixture and one.taken_out is None]
        if age == "new" or not ends:
            return 1.0 / base
        return sum(ends) / len(ends) * dirt_left(self.rhythms, self.cleanings, fixture, day) / base

    def kept_up(self, today: datetime.date, until: datetime.date) -> Upkeep:
        """The same with every lamp changed and every part cleaned when it is due, up to a day."""
        lamps, cleanings = list(self.lamps), list(self.cleanings)
        for k, lamp in enumerate(self.lamps):
            if lamp.taken_out is not None:
                continue
            at, now = k, lamp
            while (due := Upkeep(lamps, (), (), self.burning, self.hours).due(now, today)) and due < until:
                due = max(due, today + datetime.timedelta(days=1), now.installed + datetime.timedelta(days=1))
                lamps[at] = replace(now, taken_out=due)
                now, at = replace(now, installed=due, used=0.0, counted_from=None), len(lamps)
                lamps.append(now)
        for rhythm in self.rhythms:
            due = last_cleaned(rhythm, self.cleanings, rhythm.fixture, today)
            while (due := max(today, due + datetime.timedelta(days=rhythm.every))) < until:
                cleanings.append(Cleaning(due, rhythm.part, rhythm.fixture))
        return replace(self, lamps=lamps, cleanings=cleanings)


def worn_on(fixtures: Sequence[Fixture], upkeep: Upkeep, day: datetime.date, age: Age = "today") -> tuple[Fixture, ...]:
    """Fixtures with the wear that they have on a day, or at an age of their lamps."""
    return tuple(replace(fixture, worn=upkeep.worn(fixture.name, day, age)) for fixture in fixtures)


def as_worn(fixtures: Sequence[Fixture]) -> tuple[Fixture, ...]:
    """Fixtures whose light remaining is what is left of it today, as a survey writes them down."""
    return tuple(
        replace(fixture, light_loss_factor=max(0.1, fixture.light_loss_factor * fixture.worn), worn=1.0)
        for fixture in fixtures
    )

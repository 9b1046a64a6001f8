"""What has to be typed into fixtures and timers: points with absolute levels for each group, on one card."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.schedule.day import Day
from corlume.services.keeping.fixture_settings import per_cent
from corlume.services.schedule.change_light import fixtures_on, groups_of
from corlume.store.tanks import StoredSetup, StoredTank


@dataclass(frozen=True, slots=True)
class CardRow:
    """A point of the day: when, and the level of each channel [%]; the master level alone where channels are alike."""

    time: str
    levels: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class CardGroup:
    """A group on the card: fixtures that are set alike, their channels, the ramp between points, and the points."""

    name: str
    fixtures: tuple[str, ...]
    channels: tuple[str, ...]
    ramp: str
    rows: tuple[CardRow, ...]
    hours: float


def day_card(stored: StoredTank, setup: StoredSetup, today: datetime.date) -> list[CardGroup]:
    """The card of a setup as its running plan has it today."""
    day, fixtures, found = stored.running.day, fixtures_on(stored, setup, today), list[CardGroup]()
    for name, members in groups_of(fixtures).items():
        alike: dict[tuple[object, ...], list[int]] = {}
        for k in members:
            f = fixtures[k]
            alike.setdefault((round(f.output, 4), f.mix, tuple(c.name for c in f.emitter.channels)), []).append(k)
        for numbers in alike.values():
            names = tuple(f"{letter(k)} {fixtures[k].name}" for k in numbers)
            found.append(_group(day, name, names, fixtures[numbers[0]]))
    return found


def _group(day: Day, name: str, names: tuple[str, ...], fixture: Fixture) -> CardGroup:
    group = day.group_of(fixture)
    rows = []
    for point in group.points:
        levels = [fixture.output * point.level * level for level in point.mix or fixture.mix]
        rows.append(CardRow(f"{point.time:%H:%M}", tuple(_percent(level, fixture) for level in levels)))
    return CardGroup(
        name,
        names,
        tuple(channel.name for channel in fixture.emitter.channels),
        group.ramp,
        tuple(rows),
        day.hours_on(fixture),
    )


def _percent(level: float, fixture: Fixture) -> str:
    if fixture.dimmable:
        return f"{per_cent(level)} %"
    return "on" if level > 0 else "off"

"""Schedules to start from: how keepers set the day for each technology, and why. All common practice, no source."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from corlume.core.errors import Rules
from corlume.core.light.fixture import Fixture
from corlume.core.light.light_group import DAY, DayPoint, LightGroup
from corlume.core.schedule.day import clock


@dataclass(frozen=True, slots=True)
class Start:
    """A schedule to start from.

    Parameters
    ----------
    name, why : in the keeper's words.
    hours : of the longest group, its ramps included [h].
    ramp : how long what dims takes to rise, and to fall [min].
    inside : hours of groups that are on for less, by the key of their technology [h].
    """

    name: str
    why: str
    hours: float
    ramp: float
    inside: Mapping[str, float] = field(default_factory=dict)


STARTS: dict[str, Start] = {
    "nine": Start(
        "Nine hours, 30-minute ramps",
        "A day that most corals do well in: long enough to feed them, short enough to hold algae back.",
        9.0,
        30.0,
    ),
    "long": Start(
        "Eleven hours of LED",
        "LED is run for ten to twelve hours, softly up and down: less at once, for longer.",
        11.0,
        90.0,
    ),
    "twelve": Start(
        "Twelve on, twelve off",
        "As day and night at the equator, for lights on plain timers: nothing to set but two times.",
        12.0,
        0.0,
    ),
    "noon": Start(
        "Halides for five hours at noon",
        "Halides are strong and hot: a few midday hours inside a longer day of LED or T5 grow corals at less heat.",
        10.0,
        60.0,
        {"halide": 5.0},
    ),
    "dawn": Start(
        "T5 with dawn and dusk by LED",
        "Tubes are on or off: LED that rises before them and falls after them spares fish and corals the jump.",
        10.0,
        90.0,
        {"t5_tube": 8.0, "power_compact": 8.0, "halide": 5.0},
    ),
}


def group_name(fixture: Fixture) -> str:
    """Name of the group that a fixture goes into by itself: its technology, and whether it dims."""
    made_by = fixture.emitter.made_by
    name = {"led": "LED", "tube": "Tubes", "arc": "Halides"}[made_by.wears]
    usual = made_by.wears == "led"
    return name if fixture.dimmable == usual else f"{name}, {'dimmed' if fixture.dimmable else 'on a timer'}"


def start_groups(start: Start, fixtures: Sequence[Fixture], middle: float) -> tuple[LightGroup, ...]:
    """Groups of fixtures with the schedule of a start, around a middle of the day [min]."""
    found: dict[str, LightGroup] = {}
    for fixture in fixtures:
        name = group_name(fixture)
        hours = start.inside.get(fixture.emitter.technology, start.hours)
        if name not in found:
            found[name] = day_group(name, hours, start.ramp if fixture.dimmable else 0.0, middle)
    return tuple(found.values())


def day_group(name: str, hours: float, ramp: float, middle: float) -> LightGroup:
    """A group that is on for some hours [h] around a middle [min], its ramps [min] included; or switches."""
    on, off = middle - 30 * hours, middle + 30 * hours
    levels = [(on, 1.0), (off, 0.0)] if not ramp else [(on, 0.0), (on + ramp, 1.0), (off - ramp, 1.0), (off, 0.0)]
    points = sorted((DayPoint(clock(minute), level) for minute, level in levels), key=lambda point: point.time)
    return LightGroup(name, "linear" if ramp else "switch", tuple(points))


MOON_LEVEL, MOON_LENGTH, MOON_FALL = 0.02, 240.0, 30.0
"""Moonlight is so strong [-], lasts so long after the day, and falls for so long at its end [min]; common practice, no
source."""


def with_moonlight(group: LightGroup, channels: str = "") -> LightGroup:
    """A group whose day goes over into moonlight for some hours, by ``channels`` as in ``DayPoint``.

    ``InvalidInput`` by the field "moonlight" where it does not dim, has no night, or its night is not dark.
    """
    rules, runs = Rules(), group.runs()
    rules.that(group.ramp != "switch", "moonlight", "needs lights that dim: this group is on or off")
    rules.finish()
    rules.that(len(runs) == 1 and runs[0][1] < DAY, "moonlight", "needs one day and one dark night in the schedule")
    rules.finish()
    begin, length = runs[0]
    rules.that(DAY - length >= MOON_LENGTH + 60, "moonlight", "leaves no dark night: the day is too long")
    rules.finish()
    dusk = begin + length
    moon = [DayPoint(clock(dusk + after), level, channels) for after, level in (
        (0.0, MOON_LEVEL), (MOON_LENGTH - MOON_FALL, MOON_LEVEL), (MOON_LENGTH, 0.0))]  # fmt: skip
    points = [p for p in group.points if p.time != clock(dusk)] + moon
    return replace(group, points=tuple(sorted(points, key=lambda point: point.time)))

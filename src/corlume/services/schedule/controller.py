"""A light controller: the day of a setup sent to it, what it really has read back, and where the two differ."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.schedule.day import Day, clock
from corlume.devices.controller import Controller, ControllerLost, Lamp, Point, Report, ScheduleMessage
from corlume.devices.register import controller_at
from corlume.services.schedule.change_light import fixtures_on
from corlume.store.tanks import StoredSetup, StoredTank

ALIKE = 0.0051
"""Levels count as the same when they differ by no more: controllers keep whole per cents [-]."""


def lamp_name(number: int, fixture: Fixture) -> str:
    """Name of a fixture towards a controller: its letter and its own."""
    return f"{letter(number)} {fixture.name}".strip()


def schedule_message(stored: StoredTank, setup: StoredSetup, today: datetime.date) -> ScheduleMessage:
    """The day of a setup as its running plan has it today, in absolute levels of each channel."""
    day = stored.running.day
    return ScheduleMessage(
        lamps=[_lamp(day, lamp_name(k, f), f) for k, f in enumerate(fixtures_on(stored, setup, today))]
    )


def _lamp(day: Day, name: str, fixture: Fixture) -> Lamp:
    group = day.group_of(fixture)
    points = [
        Point(
            minute=round(point.minute, 3),
            levels=[round(fixture.output * point.level * level, 4) for level in point.mix or fixture.mix],
        )
        for point in group.points
    ]
    return Lamp(name=name, ramp=group.ramp, points=points)


@dataclass(frozen=True, slots=True)
class ControllerState:
    """What was read back from a controller.

    Parameters
    ----------
    report : its report; None when it did not answer, and ``fault`` says why.
    differences : where what it holds is not what it should hold, in words.
    """

    report: Report | None
    differences: tuple[str, ...] = ()
    fault: str = ""

    @property
    def right(self) -> bool:
        """Whether it was read back, and holds what it should."""
        return self.report is not None and not self.differences


def read_back(address: str, wanted: ScheduleMessage) -> ControllerState:
    """Ask the controller at an address what it holds, and compare."""
    try:
        report = _controller(address).report()
    except ControllerLost as error:
        return ControllerState(None, fault=str(error))
    return ControllerState(report, tuple(differences(wanted, report.schedule)))


def send(address: str, wanted: ScheduleMessage) -> ControllerState:
    """Hand the controller at an address a schedule, and say what it then really holds."""
    try:
        _controller(address).set_schedule(wanted)
    except ControllerLost as error:
        return ControllerState(None, fault=str(error))
    return read_back(address, wanted)


def _controller(address: str) -> Controller:
    try:
        return controller_at(address)
    except LookupError as error:
        raise ControllerLost(f"CORLUME_CONTROLLER has no known controller type: {address}.") from error


def differences(wanted: ScheduleMessage, held: ScheduleMessage | None) -> list[str]:
    """Where a held schedule is not the wanted one, in words; nothing where they are the same."""
    if held is None:
        return ["It holds no schedule: its settings were lost, or it never had any."]
    there, found = {lamp.name: lamp for lamp in held.lamps}, list[str]()
    for lamp in wanted.lamps:
        other = there.pop(lamp.name, None)
        if other is None:
            found.append(f"{lamp.name} is missing.")
        elif (words := _difference(lamp, other)) is not None:
            found.append(f"{lamp.name}: {words}")
    return found + [f"{name} is not in this setup." for name in there]


def _difference(wanted: Lamp, held: Lamp) -> str | None:
    """How two days of a lamp differ; None where they do not."""
    if wanted.ramp != held.ramp:
        return f"ramps are {held.ramp} instead of {wanted.ramp}."
    if len(wanted.points) != len(held.points):
        return f"{len(held.points)} points instead of {len(wanted.points)}."
    for mine, other in zip(wanted.points, held.points, strict=True):
        if abs(mine.minute - other.minute) > 0.5 or len(mine.levels) != len(other.levels):
            return f"a point at {clock(other.minute):%H:%M} instead of {clock(mine.minute):%H:%M}."
        for k, (level, has) in enumerate(zip(mine.levels, other.levels, strict=True), 1):
            if abs(level - has) > ALIKE:
                channel = f", channel {k}" if len(mine.levels) > 1 else ""
                return f"{100 * has:.0f} % instead of {100 * level:.0f} % at {clock(mine.minute):%H:%M}{channel}."
    return None

"""A light controller that is made up: it runs a clock, dims channels, and loses its settings and its connection."""

from __future__ import annotations

import random
import threading
from collections.abc import Callable, Mapping

import numpy as np

from corlume.core.light.light_group import DAY, DayPoint, LightGroup
from corlume.core.schedule.day import clock as time_of
from corlume.devices.controller import ControllerLost, Lamp, LevelsMessage, Report, ScheduleMessage


class SimulatedController:
    """Drives lamps by the schedule that it was handed.

    Parameters
    ----------
    clock : minutes since some midnight, on and on [min].
    watts : power of each channel of a lamp at full output, by the lamp's name [W].
    lost : share of questions at which its connection is lost [-].
    seed : of all that is by chance.
    """

    def __init__(
        self, clock: Callable[[], float], watts: Mapping[str, list[float]], *, lost: float = 0.0, seed: int = 0
    ) -> None:
        self._clock, self._watts, self._lost = clock, watts, lost
        self._random, self._lock = random.Random(seed), threading.Lock()
        self._schedule: ScheduleMessage | None = None
        self._levels: LevelsMessage | None = None
        self._until = 0.0

    def set_schedule(self, schedule: ScheduleMessage) -> None:
        """Follow a schedule from now on."""
        self._answer()
        with self._lock:
            self._schedule, self._levels = schedule, None

    def set_levels(self, levels: LevelsMessage) -> None:
        """Have levels for a while, then go on with the schedule."""
        self._answer()
        with self._lock:
            self._levels, self._until = levels, self._clock() + levels.minutes

    def report(self) -> Report:
        """What it does now."""
        self._answer()
        with self._lock:
            now = self._clock()
            lamps = self._schedule.lamps if self._schedule else []
            levels = {lamp.name: levels_of(lamp, now % DAY) for lamp in lamps}
            if self._levels and now < self._until:
                levels |= self._levels.levels
            watts = sum(
                level * full for name, some in levels.items()
                for level, full in zip(some, self._watts.get(name, ()), strict=False)
            )  # fmt: skip
            return Report(minute=now % DAY, schedule=self._schedule, levels=levels, watts=round(watts, 1))

    def cut_power(self) -> None:
        """Lose all settings, as such things do in a power cut."""
        with self._lock:
            self._schedule = self._levels = None

    def _answer(self) -> None:
        if self._random.random() < self._lost:
            raise ControllerLost("The connection was lost.")


def levels_of(lamp: Lamp, minute: float) -> list[float]:
    """Level of each channel of a lamp at a minute of the day [-]."""
    if not lamp.points:
        return []
    channels = []
    for k in range(len(lamp.points[0].levels)):
        # a level past full is kept beside the group, whose levels end there
        top = max(1.0, *(point.levels[k] for point in lamp.points))
        points = tuple(
            DayPoint(time_of(p.minute), p.levels[k] / top) for p in sorted(lamp.points, key=lambda one: one.minute)
        )
        group = LightGroup("lamp", "linear" if lamp.ramp == "switch" else lamp.ramp, points)
        if lamp.ramp == "switch":
            at = [point.minute for point in points if point.minute <= minute]
            channels.append(top * points[len(at) - 1].level)
        else:
            channels.append(float(top * group.master(np.array([minute]))[0]))
    return [round(level, 4) for level in channels]

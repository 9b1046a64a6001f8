"""A kept plan of slow change: its steps by date, and what a hold, a step back and a loss of settings do to them."""

from __future__ import annotations

import datetime
import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal

from corlume.core.errors import Rules
from corlume.core.schedule.slow_change import APPROACHES, MOST_STEPS
from corlume.core.schema import Choice, Day, Length, Many, Number, Share, Text, Whole, limits

State = Literal["running", "stopped"]
STATES: dict[State, str] = {"running": "running", "stopped": "stopped"}
RESTART_DAYS, RESTART_STEPS = 2, 4
"""After a loss of settings light comes back over so many steps, one every so many days; ours."""
RESTART_FROM = 0.5
"""What light restarts with, of the last that was good; ours [-]."""


@dataclass(frozen=True, slots=True)
class PlanStart:
    """Level of a group at the start of a plan, as a share of its level in the setup [-]."""

    group: Annotated[str, Text("Group", 40, least=1, column="light_group")]
    level: Annotated[float, Share("Level at the start", 0.0, 1.0)] = 1.0


@dataclass(frozen=True, slots=True)
class PlanStep:
    """A step of a plan: from ``day`` on, ``part`` of the change is done [-].

    ``scale`` is a share of the whole light, below 1 only while it comes back after a loss of settings.
    """

    day: Annotated[datetime.date, Day("From")]
    part: Annotated[float, Share("Part of the change", 0.0, 1.0)]
    scale: Annotated[float, Share("Light at", 0.0, 1.0)] = 1.0


@dataclass(frozen=True, slots=True)
class ChangePlan:
    """A plan of slow change.

    Parameters
    ----------
    setup, was : the setup that is reached, and the one that its light comes from.
    approach : a key of ``APPROACHES``.
    bound : most that a step may add to the light of any coral [-].
    every : days from one step to the next.
    hours : of the groups in ``starts`` at the start, where the day grows [h].
    raised : how much higher fixtures hang at the start, where height is changed [m].
    starts : groups that change.
    """

    name: Annotated[str, Text("Name", least=1)]
    setup: Annotated[str, Text("To setup", least=1)]
    was: Annotated[str, Text("From setup")] = ""
    approach: Annotated[str, Choice("Approach", {key: one.name for key, one in APPROACHES.items()})] = "match"
    state: Annotated[State, Choice("State", STATES)] = "running"
    bound: Annotated[float, Share("At most per step", 0.01, 1.0)] = 0.15
    every: Annotated[int, Whole("Days per step", 1, 90)] = 7
    hours: Annotated[float, Number("Hours at the start", 0.0, 24.0, unit="h")] = 1.0
    raised: Annotated[float, Length("Higher at the start", 0.0, 2.0)] = 0.0
    reason: Annotated[str, Text("Reason", 300)] = ""
    starts: Annotated[tuple[PlanStart, ...], Many(12, one="start", table="plan_starts")] = ()
    steps: Annotated[tuple[PlanStep, ...], Many(2 * MOST_STEPS, one="step", table="plan_steps")] = ()

    def __post_init__(self) -> None:
        rules = limits(self)
        for k, (before, after) in enumerate(itertools.pairwise(self.steps), start=1):
            rules.that(after.day > before.day, f"steps.{k}.day", f"must be after {before.day.isoformat()}")
        rules.finish()

    def step_on(self, day: datetime.date) -> int | None:
        """Index of the step that holds on a day; None before the first."""
        found = [k for k, step in enumerate(self.steps) if step.day <= day]
        return found[-1] if found else None

    @property
    def ends(self) -> datetime.date | None:
        """Day of the last step."""
        return self.steps[-1].day if self.steps else None

    def held(self, today: datetime.date, days: int) -> ChangePlan:
        """The plan with all later steps moved back by some days."""
        return replace(self, steps=_later(self.steps, today, days))

    def stepped_back(self, today: datetime.date) -> ChangePlan:
        """The plan with the light of the step before from today on, and all later steps behind it.

        ``InvalidInput`` by the field "step" when there is none before.
        """
        at, rules = self.step_on(today), Rules()
        rules.that(at is not None and at > 0, "step", "is the first of the plan: there is no earlier step")
        rules.finish()
        assert at is not None
        kept = [step for step in self.steps[: at + 1] if step.day < today]
        again = replace(self.steps[at], day=today + datetime.timedelta(days=self.every))
        shift = (again.day - self.steps[at].day).days
        later = [replace(step, day=step.day + datetime.timedelta(days=shift)) for step in self.steps[at + 1 :]]
        return replace(self, steps=(*kept, replace(self.steps[at - 1], day=today), again, *later))

    def restarted(self, today: datetime.date) -> ChangePlan:
        """The plan after a loss of light or settings: half of the last good light, back over some days, then on as
        before. No step of the way back gives more than the last good one.
        """
        at = self.step_on(today)
        part = self.steps[at].part if at is not None else 0.0
        back = [
            PlanStep(
                today + datetime.timedelta(days=RESTART_DAYS * k),
                part,
                round(RESTART_FROM + (1 - RESTART_FROM) * k / RESTART_STEPS, 3),
            )
            for k in range(RESTART_STEPS + 1)
        ]
        kept = [step for step in self.steps[: (at or 0) + 1] if step.day < today] if at is not None else []
        first = 0 if at is None else at + 1
        rest = self.steps[first:]
        shift = (back[-1].day + datetime.timedelta(days=self.every) - rest[0].day).days if rest else 0
        later = [replace(step, day=step.day + datetime.timedelta(days=max(0, shift))) for step in rest]
        return replace(self, steps=(*kept, *back, *later))


def _later(steps: Sequence[PlanStep], today: datetime.date, days: int) -> tuple[PlanStep, ...]:
    more = datetime.timedelta(days=days)
    return tuple(replace(step, day=step.day + more) if step.day > today else step for step in steps)

"""What a running plan says today: its step, levels to set, what comes next, and whether corals ask to wait."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass

from corlume.core.acclimation.acclimation_status import is_healthy, is_unhappy
from corlume.core.acclimation.log_entry import LogEntry
from corlume.core.message_text import letter
from corlume.core.schedule.change_plan import ChangePlan, PlanStep
from corlume.core.schedule.day import clock
from corlume.core.schedule.slow_change import APPROACHES
from corlume.formats.calendar_file import CalendarEvent
from corlume.formats.measure import Measure
from corlume.services.acclimation.acclimation import lights_on
from corlume.services.keeping.acclimation_log import Notes
from corlume.services.schedule.change_light import groups_of, planned, swapped
from corlume.store.tables import Kept
from corlume.store.tanks import StoredSetup, StoredTank

LATELY = 14
"""Checks of so many days count for a plan [d]."""


@dataclass(frozen=True, slots=True)
class Setting:
    """What has to be set for a group on a step, in words, and how much higher than its place it hangs [m]."""

    group: str
    words: str
    raised: float = 0.0


@dataclass(frozen=True, slots=True)
class PlanCard:
    """A plan on a day.

    Parameters
    ----------
    number : of the step that holds, from 0; None before the first day. ``count`` steps there are after the first day.
    settings : what is set now; ``coming`` what comes next, and ``next`` on which day.
    unhappy : corals that did not look well lately, by number and name.
    waits : why the next step does not come by itself; empty where it does.
    """

    plan: Kept[ChangePlan]
    number: int | None
    count: int
    settings: tuple[Setting, ...]
    next: datetime.date | None
    coming: tuple[Setting, ...]
    unhappy: tuple[str, ...]
    waits: str

    @property
    def done(self) -> bool:
        """Whether the last step is reached."""
        return self.number == self.count


def settings_of(stored: StoredTank, plan: ChangePlan, setup: StoredSetup, step: PlanStep) -> tuple[Setting, ...]:
    """What has to be set for each group on a step."""
    fixtures = planned(stored, plan, setup.hung, step)
    by, found = APPROACHES[plan.approach].by, list[Setting]()
    if by == "stages":
        count, names = len(swapped([], setup.hung, step.part)), [f.name for f in fixtures]
        both = (("new:", names[:count]), ("still old:", names[count:]))
        return tuple(Setting(words, ", ".join(some)) for words, some in both if some)
    for name, members in groups_of(setup.hung).items():
        was, now = setup.hung[members[0]], fixtures[members[0]]
        levels = {letter(k): round(100 * fixtures[k].output) for k in members}
        words = f"{levels[letter(members[0])]} %"
        if len(set(levels.values())) > 1:
            words = ", ".join(f"{mark} {level}" for mark, level in levels.items()) + " %"
        if not was.dimmable:
            words = "on" if now.output else "off"
        grows = by == "hours" and name in {start.group for start in plan.starts}
        if grows or (step.scale < 1.0 and not was.dimmable):
            runs = stored.running.day.group_of(now).runs()
            words += "".join(f", {clock(begin):%H:%M} to {clock(begin + length):%H:%M}" for begin, length in runs)
        found.append(Setting(name, words, now.emitter.height - was.emitter.height if by == "height" else 0.0))
    return tuple(found)


def plan_cards(stored: StoredTank, notes: Notes, today: datetime.date) -> list[PlanCard]:
    """The running plans of a tank on a day, the latest first."""
    cards = []
    for kept in reversed(stored.plans):
        setup = next((one for one in stored.setups if one.name == kept.value.setup), None)
        if kept.value.state == "running" and setup is not None:
            cards.append(_card(stored, kept, setup, notes, today))
    return cards


def _card(
    stored: StoredTank, kept: Kept[ChangePlan], setup: StoredSetup, notes: Notes, today: datetime.date
) -> PlanCard:
    plan, at = kept.value, kept.value.step_on(today)
    coming = plan.steps[0 if at is None else at + 1 :]
    since = plan.steps[at].day if at is not None else today
    looks = _looks(stored, notes, max(since, today - datetime.timedelta(days=LATELY)))
    light = lights_on(stored)
    unhappy = [name for name, mine in looks if mine and is_unhappy(mine[-1], light)]
    waits = ""
    if unhappy:
        waits = "Corals look unwell: hold, or go a step back."
    elif APPROACHES[plan.approach].watches and coming and at is not None:
        good = any(is_healthy(look) for _, mine in looks for look in mine)
        waits = "" if good else "Check the corals first: the next step needs a good check."
    return PlanCard(
        kept,
        at,
        len(plan.steps) - 1,
        settings_of(stored, plan, setup, plan.steps[at]) if at is not None else (),
        coming[0].day if coming else None,
        settings_of(stored, plan, setup, coming[0]) if coming else (),
        tuple(unhappy),
        waits,
    )


def plan_events(stored: StoredTank, kept: Kept[ChangePlan], measure: Measure) -> list[CalendarEvent]:
    """Steps of a plan for a calendar: the day, what to set, and why to look first."""
    plan, found = kept.value, list[CalendarEvent]()
    setup = next((one for one in stored.setups if one.name == plan.setup), None)
    for number, step in enumerate(plan.steps):
        what = settings_of(stored, plan, setup, step) if setup else ()
        words = "; ".join(
            f"{one.group} {one.words}" + f", {measure.length(one.raised)} higher" * (one.raised > 0) for one in what
        )
        more = "Check the corals first: where they close or pale, hold the plan." if number else "First day."
        key = f"plan-{stored.id}-{kept.id}-{number}"
        found.append(CalendarEvent(key, step.day, f"{stored.name}: {words}", f"{plan.name}, step {number}. {more}"))
    return found


def _looks(stored: StoredTank, notes: Notes, since: datetime.date) -> list[tuple[str, Sequence[LogEntry]]]:
    """Checks of each coral since a day, oldest first, with its number and name."""
    found = list[tuple[str, Sequence[LogEntry]]]()
    for number, kept in enumerate(stored.corals, 1):
        mine = [n.value for n in notes.get(kept.id, ()) if n.value.kind == "watch" and n.value.day >= since]
        found.append((f"{number} {kept.value.card.name}", mine))
    return found

"""Plans of slow change: tried, started, held, stepped back, restarted, stopped and deleted."""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Annotated

from corlume.core.errors import Rules
from corlume.core.keeping.scene import Scene
from corlume.core.light.fixture import Fixture
from corlume.core.message_text import escape_slots
from corlume.core.schedule.change_plan import ChangePlan, PlanStart, PlanStep
from corlume.core.schedule.presets import colour_miss
from corlume.core.schedule.slow_change import (
    APPROACHES,
    LightAt,
    Step,
    even_parts,
    find_steps,
    fixed_steps,
    parts_by_minutes,
)
from corlume.core.schema import Choice, Day, Length, Number, Share, Text, Whole, check_count, limits
from corlume.services.keeping.setups import free_name
from corlume.services.placement.zone_placement import coral_places
from corlume.services.schedule.change_light import (
    Change,
    find_change,
    fixtures_on,
    light_at_corals,
    planned,
    stages,
)
from corlume.services.schedule.day_light import coral_days
from corlume.services.schedule.earlier_light import load_before
from corlume.store.database import Database
from corlume.store.journal import Edit, PastEdit, tank_scope
from corlume.store.tables import CHANGE_PLANS, SETUPS, Kept, found
from corlume.store.tanks import StoredSetup, StoredTank, load_tank


@dataclass(frozen=True, slots=True)
class PlanRequest:
    """What the keeper asks of a plan; ``growing`` and ``raised`` are found where they are not said."""

    approach: Annotated[str, Choice("Approach", {key: one.name for key, one in APPROACHES.items()})]
    begins: Annotated[datetime.date, Day("First day")]
    weeks: Annotated[float, Number("Weeks", 0.0, 100.0, about="longer where a coral limits it")]
    every: Annotated[int, Whole("Days per step", 1, 90)]
    bound: Annotated[float, Share("At most per step", 0.02, 1.0, about="more light for any coral")]
    hours: Annotated[float, Number("Hours at the start", 0.25, 24.0, unit="h")] = 1.0
    minutes: Annotated[float, Number("Longer by", 1.0, 120.0, unit="min a step")] = 10.0
    growing: Annotated[str, Text("Group that grows", 40)] = ""
    raised: Annotated[
        float | None, Length("Higher at the start", 0.0, 2.0, about="blank: as little as matches the old light")
    ] = None
    reason: Annotated[str, Text("Reason for more light", 300)] = ""

    def __post_init__(self) -> None:
        limits(self).finish()


def usual_request(approach: str, today: datetime.date) -> PlanRequest:
    """The request that an approach begins with."""
    one = APPROACHES[approach]
    return PlanRequest(approach, today, one.weeks, one.every, one.bound)


@dataclass(frozen=True)
class TriedPlan:
    """A plan as it would be, with what it does.

    Parameters
    ----------
    change : the light on the way.
    steps : after the first day, with the rise that each brings.
    states : what corals have on the first day and after each step.
    plan : what would be kept.
    warnings : what speaks against it.
    limits : corals that limit steps, by their place in ``change.ids``, with how many steps, the first most.
    colour : how far the colour of the first day is from the old one [-], see ``colour_miss``.
    """

    change: Change
    steps: tuple[Step, ...]
    states: tuple[LightAt, ...]
    plan: ChangePlan
    warnings: tuple[str, ...]
    limits: tuple[tuple[int, int], ...]
    colour: float | None

    @property
    def breaks(self) -> tuple[int, ...]:
        """Numbers of the steps that raise a coral by more than the bound."""
        return tuple(k for k, step in enumerate(self.steps, 1) if step.rise > self.plan.bound + 1e-9)


MOST_MINUTES_A_DAY = 10.0 / 7
"""A day that grows faster has gone wrong for keepers; common practice, no source [min/d]."""


def try_plan(
    stored: StoredTank, was: StoredSetup, setup: StoredSetup, asked: PlanRequest, *, then: StoredTank | None = None
) -> TriedPlan:
    """Work a plan out; ``InvalidInput`` by the field where it cannot be.

    ``then`` is the tank with the setup ``was``, where it is not as it is now.
    """
    approach, now = APPROACHES[asked.approach], fixtures_on(then or stored, was, asked.begins)
    before = light_then(stored, setup, then, now) if then else None
    change = find_change(
        stored, now, setup, asked.approach, before=before,
        first_hours=asked.hours, growing=asked.growing, raised=asked.raised,
    )  # fmt: skip
    if approach.by == "hours":
        day = stored.running.day
        (growing,) = change.starts
        full = max(day.hours_on(setup.hung[k]) for k in change.groups[growing])
        rules = Rules()
        rules.that(asked.hours < full, "hours", f"must be less than the {full:g} h of {escape_slots(growing)}")
        rules.finish()
        steps = fixed_steps(change.light, parts_by_minutes(asked.hours, full, asked.minutes))
    elif approach.by == "stages":
        count = stages(now, setup.hung)
        steps = fixed_steps(change.light, [(k + 1) / count for k in range(count)], peaks=True)
    else:
        steps = find_steps(change.light, even_parts(asked.weeks, asked.every), asked.bound)
    names = coral_names(stored, change.ids)
    limits = Counter(s.coral for s in steps if s.coral >= 0 and s.rise > 0.85 * asked.bound)
    plan = ChangePlan(
        f"Slow change of {setup.name[:40]}" if then else f"{was.name[:30]} to {setup.name[:30]}",
        setup.name,
        was.name,
        asked.approach,
        bound=asked.bound,
        every=asked.every,
        hours=asked.hours,
        raised=change.raised,
        reason=asked.reason,
        starts=tuple(PlanStart(name, level) for name, level in change.starts.items()),
        steps=tuple(
            PlanStep(asked.begins + datetime.timedelta(days=asked.every * k), part)
            for k, part in enumerate((0.0, *(step.part for step in steps)))
        ),
    )
    return TriedPlan(
        change,
        tuple(steps),
        tuple(change.light(step.part) for step in plan.steps),
        plan,
        tuple(_warnings(asked, change, steps, names)),
        tuple(limits.most_common(3)),
        colour_miss(now, planned(stored, plan, setup.hung, plan.steps[0])),
    )


def light_then(stored: StoredTank, setup: StoredSetup, then: StoredTank, lights: Sequence[Fixture]) -> LightAt:
    """What the corals of today had in a tank as it was.

    New and moved ones count as used to the light as it will be: they have plans of their own, see ``new_corals``, and
    do not dim the whole tank.
    """
    had, after = light_at_corals(then, lights), light_at_corals(stored, setup.hung)
    at = {coral_id: k for k, coral_id in enumerate(coral_places(then)[0])}
    peak, dose = after.peak.copy(), after.dose.copy()
    for k, coral_id in enumerate(coral_places(stored)[0]):
        if coral_id in at and then.coral(coral_id).value.place == stored.coral(coral_id).value.place:
            peak[k], dose[k] = had.peak[at[coral_id]], had.dose[at[coral_id]]
    return LightAt(peak, dose)


def coral_names(stored: StoredTank, ids: Sequence[int]) -> list[str]:
    """Number and name of some corals by their ids."""
    numbered = {kept.id: f"{k} {kept.value.card.name}" for k, kept in enumerate(stored.corals, 1)}
    return [numbered[coral_id] for coral_id in ids]


def _warnings(asked: PlanRequest, change: Change, steps: list[Step], names: list[str]) -> list[str]:
    found, hours = list[str](), APPROACHES[asked.approach].by == "hours"
    if hours and asked.minutes / asked.every > MOST_MINUTES_A_DAY + 1e-9:
        found.append(
            f"{asked.minutes:g} minutes more every {asked.every} day{'s' * (asked.every > 1)} is faster than ten "
            "minutes a week. Ten minutes more each day has ended badly for keepers: corals need weeks to adapt."
        )
    jump = change.before.rises(change.light(0.0), peaks=not hours)
    if len(jump) and jump.max() > asked.bound + 1e-9:
        found.append(f"The first day gives {names[int(jump.argmax())]} {100 * jump.max():.0f} % more at once.")
    for k, step in enumerate(steps, 1):
        if step.rise > asked.bound + 1e-9:
            found.append(f"Step {k} gives {names[step.coral]} {100 * step.rise:.0f} % more at once.")
    fallen = change.after.dose < 0.8 * change.before.dose
    if fallen.any():
        count = int(fallen.sum())
        found.append(
            f"{count} coral{'s' * (count > 1)} end{'s' * (count == 1)} with over a fifth less daily light. Less may "
            "come at once: it harms no coral in days, but starves some in months."
        )
    return found


def all_well(stored: StoredTank, was: StoredSetup) -> bool:
    """Whether every placed coral is in its target range by peak and by daily light: nothing asks for a change."""
    days = [one.verdict for one in coral_days(stored, was.hung) if one.verdict]
    return bool(days) and all(one.peak == one.dose == "in range" for one in days)


def rises_any(tried: TriedPlan) -> bool:
    """Whether a plan brings more light to any coral."""
    return bool(tried.change.before.rises(tried.change.after).max(initial=0.0) > 0.0)


@dataclass(frozen=True, slots=True)
class Origin:
    """Where a change starts: a setup by its id, or the setup that was in use before an edit."""

    setup: int = 0
    edit: PastEdit | None = None


def started_from(stored: StoredTank, then: StoredTank | None, origin: Origin) -> StoredSetup:
    """The setup that a change starts from; one of the past has the day of the edit in its name."""
    if origin.edit is None or then is None:
        return stored.setup(origin.setup)
    was, taken = then.setup(), {one.name for one in stored.setups}
    return replace(was, name=free_name(f"{was.name[:60]} before {origin.edit.at.astimezone():%Y-%m-%d}", taken))


def start_plan(db: Database, tank_id: int, origin: Origin, setup_id: int, asked: PlanRequest) -> int:
    """Start a plan, and put its setup to use, in one step of undo; returns its id.

    Lights of the past that a change starts from are saved as a setup of their own where they differ.

    ``InvalidInput`` for one that would raise a coral by more than the bound, or that nothing asks for and no reason is
    given.
    """
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        then = load_before(connection, tank_id, origin.edit.id) if origin.edit else None
        was, setup = started_from(stored, then, origin), stored.setup(setup_id)
        tried, rules = try_plan(stored, was, setup, asked, then=then), Rules()
        check_count(Scene, "plans", len(stored.plans) + 1)
        jump = tried.change.before.rises(tried.change.light(0.0), peaks=APPROACHES[asked.approach].by != "hours")
        rules.that(
            not tried.breaks and jump.max(initial=0.0) <= asked.bound + 1e-9,
            "bound",
            "is broken by this plan: see the steps that are marked, and go slower or start lower",
        )
        needs_reason = all_well(then or stored, was) and rises_any(tried)
        rules.that(
            not needs_reason or bool(asked.reason.strip()),
            "reason",
            "is missing: all corals are in range and well, so say why they should get more",
        )
        rules.finish()
        edit = Edit(connection, tank_scope(tank_id), f"start the plan {tried.plan.name}")
        if then is not None and was.hung != setup.hung:
            check_count(Scene, "setups", len(stored.setups) + 1)
            SETUPS.insert(edit, replace(was.value, in_use=False), tank_id)
        for kept in stored.plans:
            if kept.value.setup == setup.name and kept.value.state == "running":
                edit.update("change_plans", kept.id, {"state": "stopped"})
        for one in stored.setups:
            if one.in_use != (one.id == setup.id):
                edit.update("setups", one.id, {"in_use": int(one.id == setup.id)})
        return CHANGE_PLANS.insert(edit, tried.plan, tank_id)


def restart_light(db: Database, tank_id: int, setup_id: int, today: datetime.date) -> int:
    """Start the light of a setup over, for which no plan runs, after a power cut of hours or a loss of settings."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        setup, rules = stored.setup(setup_id), Rules()
        rules.that(bool(setup.fixtures), "setup", "has no fixtures yet")
        rules.finish()
        check_count(Scene, "plans", len(stored.plans) + 1)
        good = PlanStep(today - datetime.timedelta(days=1), 1.0)
        plan = ChangePlan(f"{setup.name[:40]} after a power cut", setup.name, setup.name, steps=(good,))
        edit = Edit(connection, tank_scope(tank_id), f"restart the light of {setup.name}")
        return CHANGE_PLANS.insert(edit, plan.restarted(today), tank_id)


def change_plan(db: Database, tank_id: int, plan_id: int, how: Callable[[ChangePlan], ChangePlan], label: str) -> None:
    """Change a plan and its steps in one step of undo."""
    with db.writing() as connection:
        kept = plan_of(load_tank(connection, tank_id), plan_id)
        after = how(kept.value)
        edit = Edit(connection, tank_scope(tank_id), label)
        CHANGE_PLANS.update(edit, plan_id, after)
        if after.steps != kept.value.steps:
            steps = CHANGE_PLANS.lists["steps"]
            for row_id in steps.ids(connection, plan_id):
                steps.delete(edit, row_id)
            for step in after.steps:
                steps.insert(edit, step, plan_id)


def plan_of(stored: StoredTank, plan_id: int) -> Kept[ChangePlan]:
    """A plan by its id; ``NotFound`` otherwise."""
    return found(stored.plans, plan_id, "plan")


def delete_plan(db: Database, tank_id: int, plan_id: int) -> None:
    """Delete a plan."""
    with db.writing() as connection:
        name = plan_of(load_tank(connection, tank_id), plan_id).value.name
        CHANGE_PLANS.delete(Edit(connection, tank_scope(tank_id), f"delete the plan {name}"), plan_id)

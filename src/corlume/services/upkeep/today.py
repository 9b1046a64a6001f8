"""Today: where the work on a tank stands, what is due, what looks wrong, and what the lights do."""

from __future__ import annotations

import datetime
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from corlume.core.mounting.surroundings import Surroundings
from corlume.core.upkeep.cleaning import PARTS
from corlume.core.upkeep.log_event import LogEvent
from corlume.services.acclimation.acclimation import WatchedCoral, watch_all
from corlume.services.judging.suggested_changes import found_problems
from corlume.services.keeping.acclimation_log import latest_logs
from corlume.services.keeping.surveys import read_days
from corlume.services.schedule.change_light import setup_on
from corlume.services.schedule.controller import ControllerState
from corlume.services.schedule.day_light import NOON, coral_days
from corlume.services.schedule.plan_card import plan_cards
from corlume.services.schedule.recent_rise import find_recent_rise
from corlume.services.upkeep.cleaning import cleaning_states
from corlume.services.upkeep.follow_up import AFTER, big_changes
from corlume.services.upkeep.forecast import Forecast
from corlume.services.upkeep.forecast_jobs import look
from corlume.services.upkeep.lamps import SOON, lamp_states
from corlume.services.upkeep.log import events_of
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import EVENTS, NotFound
from corlume.store.tanks import StoredTank

SURVEY_EVERY = 180
"""A survey is due again after so long, as lamps fade unseen and glass dims; our estimate [d]."""
LEAST_READINGS = 3


@dataclass(frozen=True, slots=True)
class WorkStep:
    """A step of the work in the order of the trade.

    Parameters
    ----------
    name : of the step, and of its event in the log where the keeper marked it as done.
    path : its page.
    done : by what is recorded; ``marked`` by the keeper.
    why : why it matters.
    """

    name: str
    path: str
    done: bool
    why: str
    marked: bool = False


@dataclass(frozen=True, slots=True)
class DueItem:
    """Something to do: its words, the day on which it is due, and its page; ``late`` when that day is past."""

    words: str
    day: datetime.date
    path: str
    late: bool


SOON_OUT = 6
"""Months ahead in which a coral that leaves its range is told; our estimate."""


@dataclass(frozen=True, slots=True)
class Today:
    """The page of a day: the steps of the work, the next of them, what is due, and checks of corals."""

    steps: tuple[WorkStep, ...]
    next: WorkStep | None
    due: tuple[DueItem, ...]
    checks: tuple[WatchedCoral, ...]


def work_steps(stored: StoredTank, *, surveyed: bool) -> tuple[WorkStep, ...]:
    """The steps of the work on a tank, done or not; whoever came with lights reads before choosing others."""
    used = stored.setup()
    lit = bool(used.fixtures)
    survey = WorkStep("Survey", "/survey", surveyed, "A dozen readings correct the prediction everywhere.")
    has_rock = math.isfinite(stored.tank.rockwork.peak)
    steps = [
        WorkStep("Tank and rockwork", "", has_rock, "Rock throws the shadows that a meter finds."),
        WorkStep(
            "Light type", "/light-types", any(setup.fixtures for setup in stored.setups),
            "LED, T5, halide or both: compared over your own tank at equal PAR.",
        ),
        WorkStep("Layout", "/layout", lit, "How many, how high, how far apart: searched for your goal."),
        WorkStep(
            "Mounting", f"/setups/{used.id}/mounting", lit and stored.surroundings != Surroundings(),
            "Room, load, cables and splash are checked before you drill.",
        ),
        survey,
        WorkStep("Day", "/day", bool(used.groups), "Hours and ramps: the daily light of every coral."),
        WorkStep("Target zones", "/zones", bool(stored.wanted), "Where which corals go."),
        WorkStep(
            "Corals", "/corals", any(kept.value.place is not None for kept in stored.corals),
            "Each to a spot that suits it, by light, flow and room.",
        ),
    ]  # fmt: skip
    if lit and used.id == min(setup.id for setup in stored.setups):
        steps.remove(survey)
        steps.insert(1, replace(survey, why=f"You have lights: read before you choose others. {survey.why}"))
    return tuple(steps)


def next_step(steps: Sequence[WorkStep]) -> WorkStep | None:
    """The first step that is neither done nor marked."""
    return next((step for step in steps if not (step.done or step.marked)), None)


def mark_step(db: Database, stored: StoredTank, name: str, now: datetime.datetime) -> None:
    """Mark a step of the work as done or not needed, in the log; ``NotFound`` where there is no such step."""
    if name not in [step.name for step in work_steps(stored, surveyed=False)]:
        raise NotFound("no such step")
    event = LogEvent("step", now.date(), now.time().replace(second=0, microsecond=0), name)
    with db.writing() as connection:
        EVENTS.insert(Edit(connection, tank_scope(stored.id), f"mark {name.lower()} as done"), event, stored.id)


def look_at_today(db: Database, stored: StoredTank, now: datetime.datetime) -> Today:
    """What a keeper has to know of a tank today, without what takes long to work out."""
    today, notes = now.date(), latest_logs(db, stored.id)
    read = read_days(db, stored.id, LEAST_READINGS)
    marked = {event.words for event in events_of(db, stored.id, ("step",))}
    steps = tuple(replace(step, marked=step.name in marked) for step in work_steps(stored, surveyed=bool(read)))
    due = [*_lamps(stored, today), *_cleaning(stored, today)]
    last = max(read, default=None)
    if last and (today - last).days >= SURVEY_EVERY:
        day = last + datetime.timedelta(days=SURVEY_EVERY)
        due.append(DueItem("Survey: half a year since the last", day, "/survey", late=day < today))
    due += _follow_ups(db, stored, last, today)
    for card in plan_cards(stored, notes, today):
        if card.next:
            words = f"Next step of {card.plan.value.name}" + (f": {card.waits}" if card.waits else "")
            due.append(DueItem(words, card.next, "/day#plan", late=False))
    watched = [one for one in watch_all(stored, notes, today) if one.standing.due]
    due.sort(key=lambda item: item.day)
    return Today(steps, next_step(steps), tuple(due), tuple(watched))


def _lamps(stored: StoredTank, today: datetime.date) -> list[DueItem]:
    """Lamps to order or to change; those of one day together."""
    change: dict[datetime.date, list[str]] = {}
    order: dict[datetime.date, list[str]] = {}
    for one in lamp_states(stored, today):
        if one.due is not None and (one.due - today).days <= SOON:
            change.setdefault(one.due, []).append(one.kept.value.label)
        if one.order is not None and 0 <= (one.order - today).days <= SOON and one.order < (one.due or today):
            order.setdefault(one.order, []).append(one.kept.value.label)
    spare = sum(kept.value.count for kept in stored.lists["spares"])
    items = [DueItem(f"Change {_joined(names)}", day, "/log/lamps", late=day < today) for day, names in change.items()]
    if not spare:
        items += [DueItem(f"Order {_joined(names)}", day, "/log/lamps", late=False) for day, names in order.items()]
    return items


def _joined(names: Sequence[str]) -> str:
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more lamps" if len(names) > 3 else "")


def _cleaning(stored: StoredTank, today: datetime.date) -> list[DueItem]:
    return [
        DueItem(
            f"Clean {PARTS[one.kept.value.part]}" + (f" of {one.kept.value.fixture}" if one.kept.value.fixture else ""),
            one.due, "/log/cleaning", late=one.due < today,
        )
        for one in cleaning_states(stored, today)
        if (one.due - today).days <= 7
    ]  # fmt: skip


def _follow_ups(db: Database, stored: StoredTank, last: datetime.date | None, today: datetime.date) -> list[DueItem]:
    """The follow-up of the latest big change, from a week before it is due, where nothing was read since."""
    for change in big_changes(db, stored, today):
        near = -7 <= (today - change.due).days <= 2 * AFTER
        if near and (last is None or last < change.due - datetime.timedelta(days=7)):
            words, path = f"Survey and photos a month after {change.words}", f"/log/follow-up?day={change.day}"
            return [DueItem(words, change.due, path, late=change.due < today)]
    return []


@dataclass(frozen=True, slots=True)
class Wrong:
    """Something that looks wrong: in words, and the page where it is seen or solved."""

    words: str
    path: str


def what_looks_wrong(
    db: Database, stored: StoredTank, now: datetime.datetime, controller: ControllerState | None
) -> list[Wrong]:
    """Corals out of their range or soon to be by a forecast that is known, problems of the PAR map, light that rose
    without a plan, a plan that waits, and a controller that holds something else.
    """
    today, used = now.date(), stored.setup()
    found, lit = list[Wrong](), setup_on(stored, stored.setup(), now.date())
    out = [one for one in coral_days(stored, lit.hung, NOON) if one.verdict and not _well(one.verdict.dose)]
    strong, weak = ([one for one in out if one.verdict and one.verdict.dose == key] for key in ("high", "low"))
    for some, words in ((strong, "too much"), (weak, "too little")):
        if some:
            names = ", ".join(f"{one.number} {one.coral.card.name}" for one in some[:3])
            more = f" and {len(some) - 3} more" if len(some) > 3 else ""
            found.append(Wrong(f"{names}{more}: {words} daily light", f"/corals?coral={some[0].id}"))
    if rise := find_recent_rise(db, stored, now.astimezone(datetime.UTC)):
        words = f"{rise.coral} has {100 * rise.rise:.0f} % more light than a week ago, without a plan"
        found.append(Wrong(words, f"/day/plan?was=e{rise.edit.id}&setup={used.id}"))
    for card in plan_cards(stored, latest_logs(db, stored.id), today):
        if card.unhappy:
            names = ", ".join(card.unhappy[:3])
            found.append(Wrong(f"{card.plan.value.name}: {names} not well. Hold it, or go a step back", "/day#plan"))
    for problem in found_problems(stored, used.hung, used.intent):
        found.append(Wrong(problem.title, "/layout"))
    found += _soon_out(db, stored, today)
    if controller is not None and controller.differences:
        found.append(Wrong(f"The controller: {controller.differences[0]}", "/day/controller"))
    return found


def _soon_out(db: Database, stored: StoredTank, today: datetime.date) -> list[Wrong]:
    """Corals that leave their range within ``SOON_OUT`` months although lamps and parts are kept up, if that was worked
    out for the tank as it is now.
    """
    ahead = look(db, stored, today).result
    if not isinstance(ahead, Forecast):
        return []
    found = []
    for one in ahead.corals:
        month = one.leaves_kept.likely if one.leaves_kept else None
        if month and month <= SOON_OUT:
            day = ahead.days[month]
            found.append(
                Wrong(
                    f"{one.number} {one.coral.card.name}: out of its range by {day:%b %Y}",
                    f"/log/forecast?coral={one.id}",
                )
            )
    return found


def _well(verdict: str) -> bool:
    return verdict == "in range"

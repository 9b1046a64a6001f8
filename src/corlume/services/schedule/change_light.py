"""The light of a slow change: which groups of a setup change, and what each coral has at every part of the way."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.light.fixture import Fixture
from corlume.core.light.light_group import DAY, DayPoint, LightGroup
from corlume.core.message_text import escape_slots
from corlume.core.mounting.alignment import units_of
from corlume.core.schedule.change_plan import ChangePlan, PlanStep
from corlume.core.schedule.day import Day, clock
from corlume.core.schedule.slow_change import APPROACHES, LightAt, match_levels
from corlume.core.schedule.starts import group_name
from corlume.services.light.points import PlaneSpec, same_tank
from corlume.services.placement.zone_placement import coral_places
from corlume.services.schedule.day_light import channel_light, daily_light_over, light_over
from corlume.store.tables import Kept
from corlume.store.tanks import StoredSetup, StoredTank

Array = NDArray[np.float64]
GRID = np.arange(0.0, DAY, 5.0)
"""Minutes at which the light of a change is looked at [min]."""
HEIGHTS = 6
"""Heights at which light is computed on the way of fixtures that come down; between them it is read off."""
UP = 0.02
"""Fixtures are tried higher in such steps [m]."""


def change_group(fixture: Fixture) -> str:
    """Name of the group that a fixture changes with: that of its schedule, or of its technology without one."""
    return fixture.group if fixture.day else group_name(fixture)


def groups_of(fixtures: Sequence[Fixture]) -> dict[str, list[int]]:
    """Indices of the fixtures of each group."""
    found: dict[str, list[int]] = {}
    for k, fixture in enumerate(fixtures):
        found.setdefault(change_group(fixture), []).append(k)
    return found


def dims(fixtures: Sequence[Fixture], members: Sequence[int]) -> bool:
    """Whether all fixtures of a group dim."""
    return all(fixtures[k].dimmable for k in members)


def squeezed(group: LightGroup, length: float) -> LightGroup:
    """A group whose time on is stretched or shortened to a length [min] about the middle of its longest run."""
    runs = group.runs()
    if not runs:
        return group
    begin, was = max(runs, key=lambda run: run[1])
    middle, by = begin + was / 2, length / was

    def moved(point: DayPoint) -> DayPoint:
        aside = (point.minute - middle + DAY / 2) % DAY - DAY / 2
        return replace(point, time=clock(middle + by * aside))

    return replace(group, points=tuple(sorted(map(moved, group.points), key=lambda point: point.time)))


def light_at_corals(stored: StoredTank, fixtures: Sequence[Fixture]) -> LightAt:
    """Greatest PAR and daily light at the placed corals, in their order."""
    par, dose = _light_of(stored, fixtures)
    return LightAt(par.max(axis=1, initial=0.0), dose)


def _light_of(stored: StoredTank, fixtures: Sequence[Fixture]) -> tuple[Array, Array]:
    """PAR (corals, minutes) and daily light (corals,) of some fixtures."""
    _, places = coral_places(stored)
    if places is None or not fixtures:
        return np.zeros((0, len(GRID))), np.zeros(0)
    light = channel_light(same_tank(stored.lit_tank()), fixtures, PlaneSpec("places", places))
    day = stored.running.day
    return light_over(day, fixtures, light, GRID), daily_light_over(day, fixtures, light)


@dataclass(frozen=True)
class Change:
    """A change from one setup's light to another's.

    Parameters
    ----------
    ids : the placed corals.
    before : what they have.
    groups : members of each group of the setup that is reached, by its name.
    starts : level of each group at the start, of its level in the setup [-]; hours or height start in the plan's own.
    light : what corals have at a part of the way.
    """

    ids: tuple[int, ...]
    before: LightAt
    after: LightAt
    groups: Mapping[str, list[int]]
    starts: Mapping[str, float]
    raised: float
    light: Callable[[float], LightAt]


def find_change(
    stored: StoredTank, was: Sequence[Fixture], setup: StoredSetup, approach: str, *,
    before: LightAt | None = None, first_hours: float = 1.0, growing: str = "", raised: float | None = None,
) -> Change:  # fmt: skip
    """Prepare a change by an approach.

    Parameters
    ----------
    was : the lights that corals have now, at the step of a plan that runs for them.
    before : what corals had by them, where they or the tank were not as they are now.
    first_hours : of the group that grows, where the day grows [h]; ``growing`` is its name, empty for what fits best.
    raised : how much higher the fixtures start, None to find the least that gives no coral more than it had [m].

    Raises
    ------
    InvalidInput
        by the fields "approach", "growing" or "raised", when the change cannot be made that way.
    """
    rules = Rules()
    rules.that(bool(setup.fixtures), "setup", "has no fixtures yet")
    rules.finish()
    ids, _ = coral_places(stored)
    fixtures, before = setup.hung, before or light_at_corals(stored, was)
    groups, by = groups_of(fixtures), APPROACHES[approach].by
    starts = dict.fromkeys(groups, 1.0)
    if by == "levels":
        starts = _matched(stored, fixtures, groups, before)
        light = _by_levels(stored, fixtures, groups, starts)
    elif by == "hours":
        stiff = [name for name, members in groups.items() if not dims(fixtures, members)]
        growing = growing or (stiff or list(groups))[0]
        rules.that(growing in groups, "growing", "is no group of this setup")
        rules.finish()
        starts = {growing: 1.0}
        light = _by_hours(stored, fixtures, groups[growing], first_hours)
    elif by == "stages":
        starts, old = {}, was
        light = lru_cache(maxsize=100)(lambda part: light_at_corals(stored, swapped(old, fixtures, part)))
    else:
        raised = _height_that_matches(stored, fixtures, before) if raised is None else raised
        light = _by_height(stored, fixtures, raised)
    return Change(tuple(ids), before, light_at_corals(stored, fixtures), groups, starts, raised or 0.0, light)


def _matched(
    stored: StoredTank, fixtures: Sequence[Fixture], groups: Mapping[str, list[int]], before: LightAt
) -> dict[str, float]:
    """Levels of the groups at which no coral gets more than before, those that do not dim at full; whole per cents."""
    names = list(groups)
    parts = [_light_of(stored, [fixtures[k] for k in groups[name]]) for name in names]
    free = [k for k, name in enumerate(names) if dims(fixtures, groups[name])]
    stiff = [k for k in range(len(names)) if k not in free]
    if not len(before.peak):
        return dict.fromkeys(names, 1.0)
    fixed_par = sum((parts[k][0] for k in stiff), np.zeros_like(parts[0][0]))
    fixed_dose = sum((parts[k][1] for k in stiff), np.zeros_like(parts[0][1]))
    rules = Rules()
    over = before.rises(LightAt(fixed_par.max(axis=1), fixed_dose))
    rules.that(
        not stiff or over.max() <= 0.0,
        "approach",
        f"cannot be kept: {' and '.join(escape_slots(names[k]) for k in stiff)} cannot be dimmed, and give a coral "
        f"{100 * over.max():.0f} % more at once. Lengthen the day or raise the fixtures",
    )
    if not rules.errors:
        rules.that(bool(free), "approach", "needs lights that dim: lengthen the day or raise the fixtures")
    rules.finish()
    levels = match_levels(before, [parts[k][0] for k in free], [parts[k][1] for k in free], (fixed_par, fixed_dose))
    found = dict.fromkeys(names, 1.0)
    found.update({names[k]: float(np.floor(100 * level + 1e-6) / 100) for k, level in zip(free, levels, strict=True)})
    return found


def _by_levels(
    stored: StoredTank, fixtures: Sequence[Fixture], groups: Mapping[str, list[int]], starts: Mapping[str, float]
) -> Callable[[float], LightAt]:
    lights = [_light_of(stored, [fixtures[k] for k in members]) for members in groups.values()]
    pars, doses = (np.stack(some) for some in zip(*lights, strict=True))
    first = np.array([starts[name] for name in groups])

    def light(part: float) -> LightAt:
        scales = first + part * (1.0 - first)
        par = np.tensordot(scales, pars, axes=1)
        dose = np.tensordot(scales, doses, axes=1)
        return LightAt(par.max(axis=1, initial=0.0), dose)

    return light


def _by_hours(
    stored: StoredTank, fixtures: Sequence[Fixture], members: Sequence[int], first: float
) -> Callable[[float], LightAt]:
    @lru_cache(maxsize=200)
    def light(part: float) -> LightAt:
        return light_at_corals(stored, with_hours(stored.running.day, fixtures, members, first, part))

    return light


def with_hours(
    day: Day, fixtures: Sequence[Fixture], members: Sequence[int], first: float, part: float
) -> tuple[Fixture, ...]:
    """Fixtures whose members are on for a part of the way from ``first`` [h] to their full day."""
    found = list(fixtures)
    for k in members:
        full = max((length for _, length in day.group_of(found[k]).runs()), default=0.0)
        length = 60 * first + part * (full - 60 * first)
        if full:
            found[k] = with_share_of_hours(day, found[k], length / full)
    return tuple(found)


def with_share_of_hours(day: Day, fixture: Fixture, share: float) -> Fixture:
    """A fixture that does not dim, on for a share of its hours [-]."""
    group = day.group_of(fixture)
    full = max((length for _, length in group.runs()), default=0.0)
    return replace(fixture, day=squeezed(group, max(1.0, share * full)), group=fixture.group or group.name)


def higher(fixtures: Sequence[Fixture], by: float) -> tuple[Fixture, ...]:
    """Fixtures hung higher by some distance [m]."""
    return tuple(replace(f, emitter=replace(f.emitter, height=f.emitter.height + by)) for f in fixtures)


def stages(old: Sequence[Fixture], new: Sequence[Fixture]) -> int:
    """Number of stages in which new fixtures replace old ones, frames as one piece."""
    return max(len(units_of(old)), len(units_of(new)))


def swapped(old: Sequence[Fixture], new: Sequence[Fixture], part: float) -> tuple[Fixture, ...]:
    """Fixtures that hang when a part of a swap is done: new ones from the left, and old ones that still wait."""

    def along(fixtures: Sequence[Fixture]) -> list[list[Fixture]]:
        units = [[fixtures[k] for k in unit] for unit in units_of(fixtures)]
        return sorted(units, key=lambda unit: min(f.emitter.x for f in unit))

    gone, hung = (round(part * len(units_of(some)) + 1e-9) for some in (old, new))
    return tuple(f for unit in [*along(new)[:hung], *along(old)[gone:]] for f in unit)


def _height_that_matches(stored: StoredTank, fixtures: Sequence[Fixture], before: LightAt) -> float:
    """The least height above the wanted one at which no coral gets more than before [m]; ``InvalidInput`` where there
    is too little room above.
    """
    top = max((f.emitter.height for f in fixtures), default=0.0)
    room = stored.tank.room_height - top
    low, high = 0, int(room / UP)
    rules = Rules()
    worst = before.rises(light_at_corals(stored, higher(fixtures, high * UP))).max(initial=0.0)
    rules.that(
        worst <= 0.0,
        "raised",
        f"is not enough: with all the room above, a coral still gets {100 * worst:.0f} % more at once",
    )
    rules.finish()
    while high - low > 1:
        middle = (low + high) // 2
        fits = before.rises(light_at_corals(stored, higher(fixtures, middle * UP))).max(initial=0.0) <= 0.0
        low, high = (low, middle) if fits else (middle, high)
    return high * UP


def _by_height(stored: StoredTank, fixtures: Sequence[Fixture], raised: float) -> Callable[[float], LightAt]:
    parts = np.linspace(0.0, 1.0, HEIGHTS)
    states = [light_at_corals(stored, higher(fixtures, raised * (1.0 - part))) for part in parts]
    peaks, doses = (np.stack([getattr(state, name) for state in states]) for name in ("peak", "dose"))

    def light(part: float) -> LightAt:
        at = min(int(part * (HEIGHTS - 1)), HEIGHTS - 2)
        share = part * (HEIGHTS - 1) - at
        return LightAt(*(one[at] + share * (one[at + 1] - one[at]) for one in (peaks, doses)))

    return light


def running_plan(stored: StoredTank, setup: StoredSetup) -> ChangePlan | None:
    """The plan that runs for a setup, the latest where there are several."""
    plans = [kept.value for kept in stored.plans if kept.value.setup == setup.name and kept.value.state == "running"]
    return plans[-1] if plans else None


def fixtures_on(stored: StoredTank, setup: StoredSetup, today: datetime.date) -> tuple[Fixture, ...]:
    """Fixtures of a setup as its running plan has them on a day."""
    return on_step(stored, setup, setup.hung, today)


def setup_on(stored: StoredTank, setup: StoredSetup, today: datetime.date) -> StoredSetup:
    """A setup with its fixtures as a running plan has them on a day; these are not stored, and have no ids."""
    fixtures = fixtures_on(stored, setup, today)
    if fixtures == tuple(setup.hung):
        return setup
    return replace(setup, fixtures=tuple(Kept(0, fixture) for fixture in fixtures))


def on_step(
    stored: StoredTank, setup: StoredSetup, fixtures: Sequence[Fixture], today: datetime.date
) -> tuple[Fixture, ...]:
    """Fixtures that hang in a setup, such as those of a survey, as its running plan has them on a day."""
    plan = running_plan(stored, setup)
    at = plan.step_on(today) if plan else None
    if plan is None or at is None:
        return tuple(fixtures)
    return planned(stored, plan, fixtures, plan.steps[at])


def planned(stored: StoredTank, plan: ChangePlan, fixtures: Sequence[Fixture], step: PlanStep) -> tuple[Fixture, ...]:
    """Fixtures of a plan's setup as a step has them."""
    groups, by = groups_of(fixtures), APPROACHES[plan.approach].by
    found = tuple(fixtures)
    if by == "hours":
        members = [k for start in plan.starts for k in groups.get(start.group, ())]
        found = with_hours(stored.running.day, fixtures, members, plan.hours, step.part)
    elif by == "height":
        found = higher(fixtures, plan.raised * (1.0 - step.part))
    elif by == "stages":
        old = next((one.hung for one in stored.setups if one.name == plan.was), [])
        found = swapped(old, fixtures, step.part)
    levels = {start.group: start.level + step.part * (1.0 - start.level) for start in plan.starts}
    scaled = []
    for fixture in found:
        scale = step.scale * (levels.get(change_group(fixture), 1.0) if by == "levels" else 1.0)
        if scale < 1.0 and fixture.dimmable:
            fixture = replace(fixture, output=fixture.output * scale)
        elif step.scale < 1.0 and not fixture.dimmable:
            fixture = with_share_of_hours(stored.running.day, fixture, step.scale)
        scaled.append(fixture)
    return tuple(scaled)

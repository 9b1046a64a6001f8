"""The schedule of a setup: groups saved, started from an approach, copied, shifted, stretched and deleted."""

from __future__ import annotations

import datetime
import itertools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Annotated

from corlume.core.errors import Rules
from corlume.core.keeping.scene import Setup
from corlume.core.light.fixture import Fixture
from corlume.core.light.light_group import DAY, DayPoint, LightGroup, minute_of
from corlume.core.schedule.day import MIDDAY, clock
from corlume.core.schedule.day_checks import lit_times
from corlume.core.schedule.presets import MOON, apply_preset
from corlume.core.schedule.starts import STARTS, group_name, start_groups, with_moonlight
from corlume.core.schema import Number, Time, check_count, limits
from corlume.formats.schedule_file import read_schedule
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import FIXTURES, LIGHT_GROUPS, Kept, found
from corlume.store.tanks import StoredSetup, StoredTank, load_tank

NEW = 0
"""Id of a group that is not kept yet."""
Groups = Sequence[Kept[LightGroup]]
Members = Mapping[int, str]
"""Name of the group of some fixtures, by their ids."""


def save_schedule(
    db: Database, tank_id: int, setup_id: int, change: Callable[[StoredTank, StoredSetup], tuple[Groups, Members]],
    label: str,
) -> None:  # fmt: skip
    """Save the groups that ``change`` makes of a setup, and which fixtures follow them, in one step of undo.

    ``InvalidInput`` names a field as ``groups.0.points.1.level``, by the place of the group among the new ones.
    """
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        setup = stored.setup(setup_id)
        groups, members = change(stored, setup)
        check_count(Setup, "groups", len(groups), "setup")
        fixtures = [replace(k, value=replace(k.value, group=members.get(k.id, k.value.group))) for k in setup.fixtures]
        Setup(setup.name, tuple(k.value for k in fixtures), groups=tuple(k.value for k in groups))
        edit = Edit(connection, tank_scope(tank_id), label)
        before = {kept.id: kept.value for kept in setup.groups}
        for gone in before.keys() - {kept.id for kept in groups}:
            LIGHT_GROUPS.delete(edit, gone)
        for kept in groups:
            if kept.id == NEW:
                LIGHT_GROUPS.insert(edit, kept.value, setup_id)
            elif kept.value != before[kept.id]:
                LIGHT_GROUPS.update(edit, kept.id, kept.value)
                _save_points(edit, kept.id, kept.value.points)
        for old, new in zip(setup.fixtures, fixtures, strict=True):
            if new.value.group != old.value.group:
                FIXTURES.update(edit, new.id, new.value)


def _save_points(edit: Edit, group_id: int, points: Sequence[DayPoint]) -> None:
    """Replace the points of a group; those at the same place in the list keep their rows."""
    table = LIGHT_GROUPS.lists["points"]
    for row_id, point in itertools.zip_longest(table.ids(edit.connection, group_id), points):
        if point is None:
            table.delete(edit, row_id)
        elif row_id is None:
            table.insert(edit, point, group_id)
        else:
            table.update(edit, row_id, point)


def begin_schedule(db: Database, tank_id: int, setup_id: int, key: str) -> None:
    """Replace the schedule of a setup by that of an approach of ``STARTS``."""
    rules = Rules()
    rules.that(key in STARTS, "start", "is none of those offered")
    rules.finish()

    def change(stored: StoredTank, setup: StoredSetup) -> tuple[Groups, Members]:
        members = {kept.id: group_name(kept.value) for kept in setup.fixtures}
        return [Kept(NEW, group) for group in groups_from(stored, setup, key)], members

    save_schedule(db, tank_id, setup_id, change, f"start from {STARTS[key].name.lower()}")


def groups_from(stored: StoredTank, setup: StoredSetup, key: str) -> tuple[LightGroup, ...]:
    """Groups of a setup as an approach of ``STARTS`` begins, up to the tank's lights out where that is known."""
    out, start = stored.running.lights_out, STARTS[key]
    return start_groups(start, setup.hung, minute_of(out) - 30 * start.hours if out else MIDDAY)


def save_group(
    db: Database, tank_id: int, setup_id: int, group_id: int, group: LightGroup, fixtures: Sequence[int] | None = None
) -> None:
    """Save a group, a new one by the id ``NEW``; with ``fixtures`` these follow it, and no others."""

    def change(_: StoredTank, setup: StoredSetup) -> tuple[Groups, Members]:
        was = None if group_id == NEW else found(setup.groups, group_id, "group")
        members = {kept.id: group.name for kept in setup.fixtures if was and kept.value.group == was.value.name}
        if fixtures is not None:
            members = dict.fromkeys(members, "") | dict.fromkeys(fixtures, group.name)
        if was is None:
            return [*setup.groups, Kept(NEW, group)], members
        return [Kept(k.id, group) if k.id == group_id else k for k in setup.groups], members

    save_schedule(db, tank_id, setup_id, change, f"{'add' if group_id == NEW else 'change'} schedule {group.name}")


def delete_group(db: Database, tank_id: int, setup_id: int, group_id: int) -> None:
    """Delete a group; its fixtures go by the plain hours again."""

    def change(_: StoredTank, setup: StoredSetup) -> tuple[Groups, Members]:
        name = found(setup.groups, group_id, "group").value.name
        members = {kept.id: "" for kept in setup.fixtures if kept.value.group == name}
        return [k for k in setup.groups if k.id != group_id], members

    save_schedule(db, tank_id, setup_id, change, "delete a schedule")


def copy_points(db: Database, tank_id: int, setup_id: int, source: int, target: int) -> None:
    """Give a group the points and ramps of another; one that switches gets its times on and off alone."""

    def change(_: StoredTank, setup: StoredSetup) -> tuple[Groups, Members]:
        one, other = (found(setup.groups, group_id, "group").value for group_id in (source, target))
        names = {kept.value.group for kept in setup.fixtures if not kept.value.dimmable}
        copied = replace(one, name=other.name)
        if other.name in names and one.ramp != "switch":
            edges = [(begin, 1.0) for begin, _ in one.runs()] + [((b + n) % DAY, 0.0) for b, n in one.runs()]
            points = tuple(DayPoint(clock(minute), level) for minute, level in sorted(edges))
            copied = LightGroup(other.name, "switch", points)
        return [Kept(k.id, copied) if k.id == target else k for k in setup.groups], {}

    save_schedule(db, tank_id, setup_id, change, "copy a schedule")


def moonlit(setup: StoredSetup, group: LightGroup, fixtures: Sequence[int]) -> LightGroup:
    """A group whose day goes over into moonlight, blue where the fixtures that follow it have colours."""
    return with_moonlight(group, _moon_mix([kept.value for kept in setup.fixtures if kept.id in fixtures]))


def _moon_mix(fixtures: Sequence[Fixture]) -> str:
    """Channels of fixtures in moonlight, as in ``DayPoint``; empty where they have no colours or are not alike."""
    names = {tuple(channel.name for channel in fixture.emitter.channels) for fixture in fixtures}
    if len(names) != 1 or not fixtures[0].dimmable or not all(c.spectrum for c in fixtures[0].emitter.channels):
        return ""
    if len(fixtures[0].emitter.channels) == 1:
        return ""
    return "/".join(f"{100 * level:.0f}" for level in apply_preset(MOON, fixtures[0]).fixture.mix)


def import_schedule(db: Database, tank_id: int, setup_id: int, data: bytes) -> int:
    """Replace the schedule of a setup by that of a file, in one step of undo; returns how many groups it has.

    Fixtures stay with the group of their name, and go to that of their technology where theirs is not in the file.
    ``BadFile`` lists every fault; ``InvalidInput`` for what does not go with the fixtures.
    """
    groups = read_schedule(data)

    def change(_: StoredTank, setup: StoredSetup) -> tuple[Groups, Members]:
        names = {group.name for group in groups}
        members = {}
        for kept in setup.fixtures:
            mine = [name for name in (kept.value.group, group_name(kept.value)) if name in names]
            members[kept.id] = mine[0] if mine else ""
        return [Kept(NEW, group) for group in groups], members

    save_schedule(db, tank_id, setup_id, change, "import a schedule")
    return len(groups)


SHORTEST, LONGEST = 0.5, 23.5
"""Days that can be moved and stretched as a whole [h]."""


@dataclass(frozen=True, slots=True)
class DayMove:
    """When the whole schedule begins, and how long it is [h]; None to leave it."""

    begins: Annotated[datetime.time | None, Time("Begins at")] = None
    hours: Annotated[float | None, Number("Lasts", SHORTEST, LONGEST, unit="h")] = None

    def __post_init__(self) -> None:
        limits(self).finish()


def day_move(groups: Sequence[LightGroup]) -> DayMove:
    """When the schedule of some groups begins, and how long it is; nothing of one without a night or a day."""
    middle, length = day_span(groups)
    hours = round(length / 60, 2)
    return DayMove(clock(middle - length / 2), hours) if SHORTEST <= hours <= LONGEST else DayMove()


def move_day(db: Database, tank_id: int, setup_id: int, move: DayMove) -> None:
    """Shift the whole schedule to begin at another time, and stretch it about its beginning to another length."""

    def change(_: StoredTank, setup: StoredSetup) -> tuple[Groups, Members]:
        now = day_move([kept.value for kept in setup.groups])
        rules = Rules()
        rules.that(now.hours is not None, "hours", "cannot be changed: the schedule has no night, or no day")
        rules.finish()
        assert now.begins is not None
        assert now.hours is not None
        start, then = minute_of(now.begins), minute_of(move.begins or now.begins)
        length, stretch = 60 * now.hours, (move.hours or now.hours) / now.hours

        def moved(point: DayPoint) -> DayPoint:
            # points in the dark before the day belong to the night after the one before
            since = (point.minute - start) % DAY
            lit = since <= length + 1
            return replace(point, time=clock(round(then + (since * stretch if lit else since - DAY))))

        def day(group: LightGroup) -> LightGroup:
            return replace(group, points=tuple(sorted(map(moved, group.points), key=lambda point: point.time)))

        return [Kept(kept.id, day(kept.value)) for kept in setup.groups], {}

    save_schedule(db, tank_id, setup_id, change, "move the whole schedule")


def day_span(groups: Sequence[LightGroup]) -> tuple[float, float]:
    """Middle and length of the time in which any group is on [min]; without any, noon and nothing."""
    times = lit_times(groups)
    if not times or times[0][1] >= DAY:
        return DAY / 2, DAY if times else 0.0
    pairs = zip(times, [*times[1:], times[0]], strict=True)
    dark, night = max(((then - begin - length) % DAY, begin + length) for (begin, length), (then, _) in pairs)
    return (night + dark + (DAY - dark) / 2) % DAY, DAY - dark

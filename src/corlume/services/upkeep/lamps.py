"""Lamps of a tank: recorded, changed, deleted; their hours, what is left of their light, and when they are due."""

from __future__ import annotations

import datetime
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from corlume.core.errors import Rules
from corlume.core.keeping.scene import Scene
from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.schema import check_count
from corlume.core.upkeep.burning import BurningHours
from corlume.core.upkeep.lamp import USUAL_LIVES, Lamp
from corlume.services.placement.zone_placement import CoralChange, coral_change
from corlume.store.database import Database
from corlume.store.journal import Edit, insert_row, tank_scope
from corlume.store.tables import BURNING, LAMPS, SPARES, Kept, found
from corlume.store.tanks import StoredTank, load_tank

SOON = 30
"""A lamp is due soon so long before the end of its life [d]."""


@dataclass(frozen=True, slots=True)
class LampState:
    """A lamp on a day.

    Parameters
    ----------
    letters : marks of the fixtures of its name in the setup in use; empty where none hangs there.
    hours : that it has burnt, those before it was installed included [h].
    part : share of its life that is used; ``light`` what is left of its light [-].
    surveyed : what the survey in use found its fixture to give, as a share of what is predicted [-]; None without one.
    due : when its life is over; ``order`` when another is to be ordered by. None where that is beyond a century.
    """

    kept: Kept[Lamp]
    letters: tuple[str, ...]
    hours: float
    part: float
    light: float
    surveyed: float | None
    due: datetime.date | None
    order: datetime.date | None

    def state(self, today: datetime.date) -> str:
        """ "past", "soon" or "" by when it is due."""
        if self.due is None:
            return ""
        return "past" if self.due <= today else "soon" if (self.due - today).days <= SOON else ""


def lamp_states(stored: StoredTank, today: datetime.date) -> list[LampState]:
    """Lamps that are in, those that are due first."""
    upkeep, hung = stored.upkeep, stored.setup().hung
    states = []
    for kept in stored.lamps:
        lamp = kept.value
        if lamp.taken_out is not None and lamp.taken_out <= today:
            continue
        due = upkeep.due(lamp, today)
        part = upkeep.part_used(lamp, today)
        states.append(
            LampState(
                kept,
                tuple(letter(k) for k, fixture in enumerate(hung) if fixture.name == lamp.fixture),
                lamp.used + upkeep.burnt(lamp, today),
                part,
                lamp.light_at(part),
                next((f.measured for f in hung if f.name == lamp.fixture and f.measured != 1.0), None),
                due,
                due - datetime.timedelta(days=lamp.lead_days) if due else None,
            )
        )
    return sorted(states, key=lambda one: (one.due or datetime.date.max, one.kept.id))


def without_lamps(stored: StoredTank) -> list[Fixture]:
    """Fixtures of the setup in use of which no lamp is recorded, one of each name."""
    known = {kept.value.fixture for kept in stored.lamps if kept.value.taken_out is None}
    return list({f.name: f for f in stored.setup().hung if f.name not in known}.values())


def usual_lamp(fixture: Fixture, day: datetime.date) -> Lamp:
    """A lamp of a fixture with the usual life of its technology, installed on a day.

    Where the fixture's light remaining was worked out from the age of its lamps, it is counted from that day.
    """
    life = USUAL_LIVES[fixture.emitter.made_by.wears][0]
    aged = any(key.endswith("_age") and answer != "new" for key, answer in fixture.wear)
    return Lamp(
        fixture.name, fixture.name[:60], day, life_hours=life.hours, life_months=life.months, left=life.left,
        counted_from=day if aged else None,
    )  # fmt: skip


def add_lamps(db: Database, tank_id: int, lamps: Sequence[Lamp], today: datetime.date) -> list[int]:
    """Record lamps in one step of undo; returns their ids."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        check_count(Scene, "lamps", len(stored.lamps) + len(lamps))
        for lamp in lamps:
            _check(stored, lamp, today)
        label = f"record lamp {lamps[0].label}" if len(lamps) == 1 else f"record {len(lamps)} lamps"
        edit = Edit(connection, tank_scope(tank_id), label)
        return [LAMPS.insert(edit, lamp, tank_id) for lamp in lamps]


def save_lamp(db: Database, tank_id: int, lamp_id: int, lamp: Lamp, today: datetime.date) -> None:
    """Change what is recorded of a lamp."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        found(stored.lamps, lamp_id, "lamp")
        _check(stored, lamp, today)
        LAMPS.update(Edit(connection, tank_scope(tank_id), f"change lamp {lamp.label}"), lamp_id, lamp)


def delete_lamp(db: Database, tank_id: int, lamp_id: int) -> None:
    """Delete a lamp from the record."""
    with db.writing() as connection:
        lamp = found(load_tank(connection, tank_id).lamps, lamp_id, "lamp").value
        LAMPS.delete(Edit(connection, tank_scope(tank_id), f"delete lamp {lamp.label}"), lamp_id)


def _check(stored: StoredTank, lamp: Lamp, today: datetime.date) -> None:
    names, rules = {fixture.name for setup in stored.setups for fixture in setup.hung}, Rules()
    rules.that(lamp.fixture in names, "fixture", "is none of this tank")
    for name in ("installed", "taken_out", "counted_from"):
        rules.come(name, getattr(lamp, name), today)
    rules.finish()


def changed_lamps(
    stored: StoredTank, ids: Collection[int], day: datetime.date, labels: Sequence[str] = ()
) -> list[tuple[Kept[Lamp], Lamp]]:
    """Lamps of some ids, each with the new one that comes into its place on a day; ``labels`` are those of the new."""
    pairs = []
    for k, kept in enumerate(one for one in stored.lamps if one.id in ids):
        label = labels[k] if k < len(labels) and labels[k] else kept.value.label
        new = replace(kept.value, label=label, installed=day, taken_out=None, used=0.0, counted_from=None, note="")
        pairs.append((kept, new))
    return pairs


def effect_of_change(stored: StoredTank, ids: Collection[int], today: datetime.date) -> CoralChange:
    """What new lamps do to the corals, against the lamps of today."""
    pairs = changed_lamps(stored, ids, today)
    old = {kept.id: replace(kept.value, taken_out=today) for kept, _ in pairs}
    lamps = [*(Kept(k.id, old.get(k.id, k.value)) for k in stored.lamps), *(Kept(0, new) for _, new in pairs)]
    after = stored.having(lamps=tuple(lamps)).on(today)
    return coral_change(stored, after.setup().hung, stored.setup().hung)


def change_lamps(
    db: Database, tank_id: int, ids: Collection[int], day: datetime.date, labels: Sequence[str],
    spare: int | None, today: datetime.date,
) -> int:  # fmt: skip
    """Put new lamps in the place of some on a day, taking them from a spare by its id; returns the id of the edit."""
    with db.writing() as connection:
        stored, rules = load_tank(connection, tank_id), Rules()
        pairs = changed_lamps(stored, ids, day, labels)
        rules.that(bool(pairs), "lamps", "must be one at least")
        rules.come("day", day, today)
        for kept, _ in pairs:
            rules.that(day >= kept.value.installed, "day", f"is before {kept.value.label} was installed")
        check_count(Scene, "lamps", len(stored.lamps) + len(pairs))
        stock = found(stored.lists["spares"], spare, "spare") if spare is not None else None
        rules.that(
            stock is None or stock.value.count >= len(pairs),
            "spare",
            f"has {stock.value.count if stock else 0} left, and {len(pairs)} are needed",
        )
        rules.finish()
        name = pairs[0][0].value.label if len(pairs) == 1 else f"{len(pairs)} lamps"
        edit = Edit(connection, tank_scope(tank_id), f"change {name}")
        for kept, new in pairs:
            LAMPS.update(edit, kept.id, replace(kept.value, taken_out=day))
            LAMPS.insert(edit, new, tank_id)
        if stock is not None:
            SPARES.update(edit, stock.id, replace(stock.value, count=stock.value.count - len(pairs)))
        assert edit.id is not None
        return edit.id


def note_hours(db: Database, tank_id: int, today: datetime.date) -> int:
    """Record the hours a day that fixtures with lamps are on, where they changed, outside undo; returns how many."""
    with db.reading() as connection:
        stored = load_tank(connection, tank_id)
    upkeep, names = stored.upkeep, {kept.value.fixture for kept in stored.lamps if kept.value.taken_out is None}
    last: dict[str, Kept[BurningHours]] = {}
    for kept in sorted(stored.lists["burning"], key=lambda one: (one.value.day, one.id)):
        last[kept.value.fixture] = kept
    changed = [
        (name, hours, last.get(name))
        for name in sorted(names)
        if (hours := round(upkeep.hours.get(name, 0.0), 2)) != (last[name].value.hours if name in last else None)
    ]
    if not changed:
        return 0
    with db.writing() as connection:
        for name, hours, before in changed:
            if before is not None and before.value.day == today:
                connection.execute("DELETE FROM burning_hours WHERE id = ?", (before.id,))
            insert_row(connection, BURNING.name, BURNING.row(BurningHours(name, today, hours), tank_id))
    return len(changed)

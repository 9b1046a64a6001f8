"""Cleaning: how often each part is cleaned, what was cleaned, what it brought, and what is due."""

from __future__ import annotations

import datetime
from dataclasses import dataclass, replace

from corlume.core.errors import Rules
from corlume.core.keeping.scene import Scene
from corlume.core.schema import check_count
from corlume.core.upkeep.cleaning import (
    USUAL_RHYTHMS,
    Cleaning,
    CleaningRhythm,
    last_cleaned,
    measured_loss,
)
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import CLEANINGS, RHYTHMS, Kept, found
from corlume.store.tanks import StoredTank, load_tank


@dataclass(frozen=True, slots=True)
class CleaningState:
    """A part by its rhythm, when it was cleaned last, when it is due, and what the last readings found lost [-]."""

    kept: Kept[CleaningRhythm]
    last: datetime.date
    due: datetime.date
    found: float | None


def cleaning_states(stored: StoredTank, today: datetime.date) -> list[CleaningState]:
    """Every part that is cleaned, those that are due first."""
    cleanings = [kept.value for kept in stored.lists["cleanings"]]
    states = []
    for kept in stored.lists["rhythms"]:
        rhythm = kept.value
        last = last_cleaned(rhythm, cleanings, rhythm.fixture, today)
        due = last + datetime.timedelta(days=rhythm.every)
        states.append(CleaningState(kept, last, due, measured_loss(cleanings, rhythm.part, rhythm.fixture)))
    return sorted(states, key=lambda one: one.due)


def begin_rhythms(db: Database, tank_id: int, today: datetime.date) -> None:
    """Begin with the usual rhythm for each part that the lights in use have, clean today, in one step of undo."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        known = {kept.value.part for kept in stored.lists["rhythms"]}
        wears = dict.fromkeys(fixture.emitter.made_by.wears for fixture in stored.setup().hung)
        usual = {one.part: one for wear in wears for one in reversed(USUAL_RHYTHMS[wear]) if one.part not in known}
        check_count(Scene, "rhythms", len(stored.lists["rhythms"]) + len(usual))
        edit = Edit(connection, tank_scope(tank_id), "begin with the usual cleaning")
        for one in usual.values():
            RHYTHMS.insert(edit, CleaningRhythm(one.part, today, one.every, one.loss), tank_id)


def save_rhythm(
    db: Database, tank_id: int, rhythm_id: int | None, rhythm: CleaningRhythm, today: datetime.date
) -> None:
    """Save how often a part is cleaned; a new one without an id."""
    with db.writing() as connection:
        stored, rules = load_tank(connection, tank_id), Rules()
        rules.come("since", rhythm.since, today)
        _check_fixture(stored, rules, rhythm.fixture)
        rules.finish()
        edit = Edit(connection, tank_scope(tank_id), "change the rhythm of cleaning")
        if rhythm_id is None:
            check_count(Scene, "rhythms", len(stored.lists["rhythms"]) + 1)
            RHYTHMS.insert(edit, rhythm, tank_id)
        else:
            found(stored.lists["rhythms"], rhythm_id, "rhythm")
            RHYTHMS.update(edit, rhythm_id, rhythm)


def delete_rhythm(db: Database, tank_id: int, rhythm_id: int) -> None:
    """Stop cleaning a part by a rhythm."""
    with db.writing() as connection:
        found(load_tank(connection, tank_id).lists["rhythms"], rhythm_id, "rhythm")
        RHYTHMS.delete(Edit(connection, tank_scope(tank_id), "delete a rhythm of cleaning"), rhythm_id)


def add_cleaning(db: Database, tank_id: int, cleaning: Cleaning, today: datetime.date) -> int:
    """Log a cleaning; returns its id."""
    with db.writing() as connection:
        stored, rules = load_tank(connection, tank_id), Rules()
        rules.come("day", cleaning.day, today)
        _check_fixture(stored, rules, cleaning.fixture)
        rules.finish()
        check_count(Scene, "cleanings", len(stored.lists["cleanings"]) + 1)
        return CLEANINGS.insert(Edit(connection, tank_scope(tank_id), "log a cleaning"), cleaning, tank_id)


def delete_cleaning(db: Database, tank_id: int, cleaning_id: int) -> None:
    """Delete a cleaning from the record."""
    with db.writing() as connection:
        found(load_tank(connection, tank_id).lists["cleanings"], cleaning_id, "cleaning")
        CLEANINGS.delete(Edit(connection, tank_scope(tank_id), "delete a cleaning"), cleaning_id)


def take_measured_loss(db: Database, tank_id: int, rhythm_id: int) -> None:
    """Take what the last readings found as the light lost by the time a part is cleaned."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        rhythm = found(stored.lists["rhythms"], rhythm_id, "rhythm").value
        cleanings = [kept.value for kept in stored.lists["cleanings"]]
        loss, rules = measured_loss(cleanings, rhythm.part, rhythm.fixture), Rules()
        rules.that(loss is not None, "loss", "was not read: note PAR before and after a cleaning first")
        rules.finish()
        assert loss is not None
        edit = Edit(connection, tank_scope(tank_id), "use the loss as read")
        RHYTHMS.update(edit, rhythm_id, replace(rhythm, loss=round(min(0.4, loss), 3)))


def _check_fixture(stored: StoredTank, rules: Rules, name: str) -> None:
    names = {fixture.name for setup in stored.setups for fixture in setup.hung}
    rules.that(name in ("", *names), "fixture", "is none of this tank")

"""The checklist of a setup: its steps, and what of them is done."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from corlume.core.errors import Rules
from corlume.core.keeping.scene import Setup
from corlume.core.message_text import letter
from corlume.core.mounting.cables import leads_of
from corlume.core.mounting.checklist import Step, Tick, steps_of
from corlume.core.schema import check_count
from corlume.services.judging.judge import mean_on_top
from corlume.services.keeping.fixture_settings import lens_changes
from corlume.services.mounting.swap_stages import SwapStage, swap_stages
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import TICKS, Kept
from corlume.store.tanks import StoredSetup, StoredTank, load_tank


@dataclass(frozen=True, slots=True)
class Checklist:
    """Steps, each with its tick where it was done, and the stages of a swap."""

    rows: tuple[tuple[Step, Kept[Tick] | None], ...]
    stages: tuple[SwapStage, ...]
    now: float

    @property
    def done(self) -> int:
        """How many steps are done."""
        return sum(tick is not None for _, tick in self.rows)


def checklist(stored: StoredTank, setup: StoredSetup) -> Checklist:
    """The checklist of a setup; for one that is not in use with the swap from the one in use."""
    whole, hung = setup.value, setup.hung
    letters = [letter(k) for k in range(len(hung))]
    leads = leads_of(hung, whole.cords, whole.power_parts, letters)
    lenses = [change.words for change in lens_changes(stored, setup)]
    stages = () if setup.in_use else swap_stages(stored, stored.setup().hung, hung)
    steps = steps_of(stored.tank, hung, whole.mounts, leads, lenses, [stage.swap for stage in stages])
    ticks = {kept.value.step: kept for kept in setup.ticks}
    now = mean_on_top(stored, stored.setup().hung) if stages else 0.0
    return Checklist(tuple((step, ticks.get(step.key)) for step in steps), stages, now)


def tick(db: Database, tank_id: int, setup_id: int, done: Tick) -> None:
    """Note that a step is done, or change what was noted. ``InvalidInput`` by field."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        setup, rules = stored.setup(setup_id), Rules()
        rules.come("day", done.day, datetime.date.today())
        whole = done.out == done.back or bool(done.note.strip())
        rules.that(whole, "back", f"is {done.back}, and {done.out} came out: find the rest, or note why")
        known = {step.key for step, _ in checklist(stored, setup).rows}
        rules.that(done.step in known, "step", "is not of this checklist any more")
        rules.finish()
        kept = next((one for one in setup.ticks if one.value.step == done.step), None)
        edit = Edit(connection, tank_scope(tank_id), "tick a step")
        if kept:
            TICKS.update(edit, kept.id, done)
        else:
            check_count(Setup, "ticks", len(setup.ticks) + 1, "setup")
            TICKS.insert(edit, done, setup_id)


def untick(db: Database, tank_id: int, setup_id: int, step: str) -> None:
    """Take back that a step is done."""
    with db.writing() as connection:
        setup = load_tank(connection, tank_id).setup(setup_id)
        kept = next((one for one in setup.ticks if one.value.step == step), None)
        if kept:
            TICKS.delete(Edit(connection, tank_scope(tank_id), "untick a step"), kept.id)

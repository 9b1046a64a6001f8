"""The checklist of a setup: its steps, what of them is done, and the light at each stage of a swap."""

from __future__ import annotations

import datetime
import math
from collections.abc import Sequence
from dataclasses import dataclass

from corlume.core.errors import Rules
from corlume.core.keeping.scene import Setup
from corlume.core.light.fixture import Fixture, extent, overlaps
from corlume.core.message_text import escape_slots, letter
from corlume.core.mounting.cables import leads_of
from corlume.core.mounting.checklist import Step, Swap, Tick, steps_of
from corlume.core.schema import check_count
from corlume.services.judging.judge import mean_on_top
from corlume.services.keeping.fixture_settings import lens_changes
from corlume.services.placement.zone_placement import CoralChange, coral_light, light_change
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import TICKS, Kept
from corlume.store.tanks import StoredSetup, StoredTank, load_tank


@dataclass(frozen=True, slots=True)
class SwapStage:
    """A state on the way from the setup in use: what is done, what is lit then, mean PAR at the rock top [umol/m2/s],
    what it does to the corals against now, and whether bodies are in each other's way.
    """

    swap: Swap
    fixtures: tuple[Fixture, ...]
    mean: float
    corals: CoralChange
    crowded: bool


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


def swap_stages(stored: StoredTank, was: Sequence[Fixture], now: Sequence[Fixture]) -> tuple[SwapStage, ...]:
    """A swap one unit at a time: each comes down for the new one that hangs nearest; with the light at each stage.

    What hangs in both at the same place stays. Units left over at the end go up, or come down, by themselves.
    """
    hung, then = _units(was), _units(now)
    old = [unit for unit in hung if not any(_alike(unit, other) for other in then)]
    new = [unit for unit in then if not any(_alike(unit, other) for other in hung)]
    before, stages = coral_light(stored, was), list[SwapStage]()
    while old or new:
        up = new.pop(0) if new else ()
        down = old.pop(_nearest(old, up)) if old else ()
        hung = [unit for unit in hung if unit is not down] + ([up] if up else [])
        lit = tuple(fixture for unit in hung for fixture in unit)
        swap = Swap(_named(down), _named(up))
        mean = mean_on_top(stored, lit) if lit else 0.0
        corals = light_change(stored, before, coral_light(stored, lit))
        stages.append(SwapStage(swap, lit, mean, corals, bool(overlaps(lit))))
    return tuple(stages)


Unit = tuple[Fixture, ...]


def _units(fixtures: Sequence[Fixture]) -> list[Unit]:
    units: dict[str, list[Fixture]] = {}
    for k, fixture in enumerate(fixtures):
        units.setdefault(fixture.frame or f"alone {k}", []).append(fixture)
    return sorted((tuple(unit) for unit in units.values()), key=lambda unit: extent(unit)[0])


def _alike(one: Unit, other: Unit) -> bool:
    """Whether a unit hangs in both setups as it is: body, place, and what gives the light."""
    return len(one) == len(other) and all(a.emitter == b.emitter for a, b in zip(one, other, strict=True))


def _middle(unit: Unit) -> tuple[float, float]:
    (x0, y0), (x1, y1) = extent(unit)
    return 0.5 * (x0 + x1), 0.5 * (y0 + y1)


def _nearest(units: Sequence[Unit], to: Unit) -> int:
    if not to:
        return 0
    return min(range(len(units)), key=lambda k: math.dist(_middle(units[k]), _middle(to)))


def _named(unit: Unit) -> str:
    return escape_slots(unit[0].frame or unit[0].name or "a fixture") if unit else ""


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

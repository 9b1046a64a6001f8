"""Fade, dirt and burning hours against hand-worked examples and counts of minutes; lamps changed in one step."""

from __future__ import annotations

import datetime
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from corlume.core.errors import InvalidInput
from corlume.core.light.fixture import Fixture
from corlume.core.light.light_group import DayPoint, LightGroup
from corlume.core.schedule.day import Day, clock, plain_block
from corlume.core.upkeep.burning import BurningHours, burnt
from corlume.core.upkeep.cleaning import Cleaning, CleaningRhythm
from corlume.core.upkeep.lamp import USUAL_LIVES, Lamp
from corlume.core.upkeep.wear import Upkeep, as_worn
from corlume.services.keeping import light_groups, surveys, tanks
from corlume.services.keeping.hung_fixtures import change_fixtures
from corlume.services.placement.zone_placement import coral_light
from corlume.services.schedule.change_light import light_at_corals
from corlume.services.schedule.earlier_light import light_edits, tank_before
from corlume.services.upkeep import cleaning, lamps
from corlume.store.database import Database
from tests.schedule.test_day import TWO

NEW = datetime.date(2025, 1, 1)
TODAY = datetime.date.today()


def after(days: float) -> datetime.date:
    return NEW + datetime.timedelta(days=days)


def bare(db: Database) -> None:
    """Take the demo's lamps and cleaning out of the record."""
    for kept in tanks.open_tank(db, 1).lamps:
        lamps.delete_lamp(db, 1, kept.id)
    for kept in tanks.open_tank(db, 1).lists["rhythms"]:
        cleaning.delete_rhythm(db, 1, kept.id)
    for kept in tanks.open_tank(db, 1).lists["cleanings"]:
        cleaning.delete_cleaning(db, 1, kept.id)


def upkeep(*kept: Lamp, hours: float = 10.0, **more: object) -> Upkeep:
    given_ = {"rhythms": (), "cleanings": (), "burning": (), **more}
    return Upkeep(kept, hours={"A": hours}, **given_)  # type: ignore[arg-type]


def test_lamps_fade_as_keepers_change_them() -> None:
    """Common practice, no source: tubes a year; halides 3,650 h, two years at five hours a day, one at ten."""
    tube = Lamp("A", "blue", NEW, life_months=12, left=0.85)
    kept = upkeep(tube)
    assert kept.condition("A", after(365.25 / 2)) == pytest.approx(0.85**0.5, abs=1e-3)
    assert kept.condition("A", after(365)) == pytest.approx(0.85, abs=1e-3)
    assert kept.condition("A", after(-1)) == 1.0
    (usual, _), halide = USUAL_LIVES["arc"], Lamp("A", "halide", NEW, life_hours=3650, left=0.7)
    assert (usual.hours, usual.left) == (halide.life_hours, halide.left)
    for hours, days in ((5.0, 730), (10.0, 365)):
        kept = upkeep(halide, hours=hours)
        assert kept.burnt(halide, after(days)) == 3650
        assert kept.condition("A", after(days)) == pytest.approx(0.7)
        assert kept.due(halide, after(100)) == after(days)
    both = replace(halide, life_months=12.0)  # whichever comes first
    assert upkeep(both, hours=5.0).due(both, after(10)) == after(365)
    bent = replace(tube, left_halfway=0.95)
    assert upkeep(bent).condition("A", after(365.25 / 2)) == pytest.approx(0.95, abs=1e-3)
    assert upkeep(bent).condition("A", after(365.25)) == pytest.approx(0.85, abs=1e-3)


def test_dirt_grows_from_each_cleaning_and_light_remaining_counts_from_its_day() -> None:
    rhythms = (CleaningRhythm("cover", NEW, every=30, loss=0.04),)
    dirty = upkeep(rhythms=rhythms)
    assert dirty.condition("A", after(60)) == pytest.approx(0.96**2)
    cleaned = upkeep(rhythms=rhythms, cleanings=(Cleaning(after(60), "cover"), Cleaning(after(61), "lens")))
    assert cleaned.condition("A", after(90)) == pytest.approx(0.96)
    assert cleaned.condition("A", after(59)) == pytest.approx(0.96 ** (59 / 30))
    assert dirty.condition("A", after(3000)) == 0.6
    old = Lamp("A", "x", NEW, life_months=12, left=0.85, counted_from=after(183), taken_out=after(365))
    new = Lamp("A", "y", after(365), life_months=12, left=0.85)
    kept = upkeep(old, new)
    assert kept.worn("A", after(183)) == 1.0
    assert kept.worn("A", after(364)) == pytest.approx(0.85**0.5, abs=2e-3)
    assert kept.worn("A", after(365)) == pytest.approx(0.85**-0.5, abs=2e-3)
    assert as_worn([Fixture(TWO, light_loss_factor=0.8, worn=0.9)])[0].light_loss_factor == pytest.approx(0.72)
    assert Cleaning(NEW, "cover", before=200.0, after=212.0).gain == pytest.approx(0.06)


@given(
    st.lists(st.tuples(st.integers(-50, 400), st.floats(0, 24)), max_size=6, unique_by=lambda one: one[0]),
    st.integers(-100, 400), st.integers(0, 500),
)  # fmt: skip
def test_burning_hours_are_those_of_every_day_summed(given_: list[tuple[int, float]], start: int, length: int) -> None:
    records = [BurningHours("A", after(day), hours) for day, hours in given_] + [BurningHours("B", NEW, 24.0)]
    known = sorted(given_)

    def hours_on(day: int) -> float:
        before = [hours for since, hours in known if since <= day]
        return before[-1] if before else known[0][1] if known else 7.0

    whole = sum(hours_on(day) for day in range(start, start + length))
    assert burnt(records, "A", after(start), after(start + length), 7.0) == pytest.approx(whole)


@given(st.lists(st.tuples(st.integers(0, 1439), st.booleans()), min_size=2, max_size=8, unique_by=lambda one: one[0]))
def test_hours_of_a_schedule_are_its_minutes_counted(points: list[tuple[int, bool]]) -> None:
    at = tuple(DayPoint(clock(minute), float(on)) for minute, on in sorted(points))
    fixture = Fixture(TWO, day=LightGroup("A", "switch", at), group="A")
    day = Day(plain_block(9.0, None))
    lit = day.levels(replace(fixture, dimmable=False), np.arange(1440.0) + 0.5)[0] > 0
    assert day.hours_on(fixture) * 60 == pytest.approx(lit.sum())


def test_what_no_lamp_can_be_is_told_by_its_field(db: Database) -> None:
    for changes, field in (
        ({"life_months": None}, "life_hours"),
        ({"taken_out": after(-1)}, "taken_out"),
        ({"left_halfway": 0.7}, "left_halfway"),
        ({"used": -1.0}, "used"),
    ):
        with pytest.raises(InvalidInput) as refused:
            replace(Lamp("A", "x", NEW, life_months=12.0), **changes)  # type: ignore[arg-type]
        assert field in {error.field for error in refused.value.errors}
    name = tanks.open_tank(db, 1).setup().hung[0].name
    for lamp, field in (
        (Lamp("Nothing of this name", "x", NEW, life_months=12.0), "fixture"),
        (Lamp(name, "x", TODAY + datetime.timedelta(days=1), life_months=12.0), "installed"),
    ):
        with pytest.raises(InvalidInput) as refused:
            lamps.add_lamps(db, 1, [lamp], TODAY)
        assert {error.field for error in refused.value.errors} == {field}


def test_a_lamp_fades_the_prediction_and_a_new_one_is_a_jump_that_a_plan_can_start_from(db: Database) -> None:
    bare(db)
    stored = tanks.open_tank(db, 1)
    bright = coral_light(stored, stored.setup().hung)
    year = TODAY - datetime.timedelta(days=365)
    ids = lamps.add_lamps(
        db, 1, [replace(lamps.usual_lamp(f, year), life_months=12.0, left=0.85) for f in lamps.without_lamps(stored)],
        TODAY,
    )  # fmt: skip
    old = tanks.open_tank(db, 1)
    faded = coral_light(old, old.setup().hung)
    assert faded == pytest.approx({k: 0.85 * par for k, par in bright.items()}, rel=2e-3)
    assert old.setup().hung[0].light_loss_factor == stored.setup().hung[0].light_loss_factor
    survey_id = surveys.add_survey(
        db, 1, replace(surveys.all_surveys(db, 1)[0].value, fixtures=tuple(old.setup().hung))
    )
    written = surveys.open_survey(db, 1, survey_id).value.fixtures[0]
    assert written.light_loss_factor == pytest.approx(old.setup().hung[0].left, rel=1e-6)
    effect = lamps.effect_of_change(old, ids, TODAY)
    assert effect.placed == 14
    lamps.change_lamps(db, 1, ids, TODAY, ["new", "", ""], None, TODAY)
    now = tanks.open_tank(db, 1)
    assert coral_light(now, now.setup().hung) == pytest.approx(bright)
    assert lamps.lamp_states(now, TODAY)[0].kept.value.label == "new"
    then = tank_before(db, 1, light_edits(db, 1)[0].id)
    rises = light_at_corals(then, then.setup().hung).rises(light_at_corals(now, now.setup().hung))
    assert rises.max() == pytest.approx(1 / 0.85 - 1, rel=0.01)
    tanks.undo(db, 1)
    assert coral_light(tanks.open_tank(db, 1), tanks.open_tank(db, 1).setup().hung) == pytest.approx(faded)


def test_hours_are_recorded_when_a_schedule_changes(db: Database) -> None:
    bare(db)
    lamps.add_lamps(db, 1, [lamps.usual_lamp(f, NEW) for f in tanks.open_tank(db, 1).setup().hung], TODAY)
    earlier = TODAY - datetime.timedelta(days=10)
    assert lamps.note_hours(db, 1, earlier) == 3
    assert lamps.note_hours(db, 1, earlier) == 0
    light_groups.begin_schedule(db, 1, 1, "long")
    assert lamps.note_hours(db, 1, TODAY - datetime.timedelta(days=4)) == 3
    (one, *_) = lamps.lamp_states(tanks.open_tank(db, 1), TODAY)
    assert one.hours == pytest.approx(9.0 * (TODAY - NEW).days + 2.0 * 4)


def test_light_remaining_that_is_set_anew_counts_the_fade_from_that_day(db: Database) -> None:
    bare(db)
    first = tanks.open_tank(db, 1).setup().fixtures[0]
    old = replace(
        lamps.usual_lamp(first.value, TODAY - datetime.timedelta(days=365)), life_months=12.0, life_hours=None
    )
    lamps.add_lamps(db, 1, [old], TODAY)
    assert tanks.open_tank(db, 1).setup().hung[0].worn == pytest.approx(0.85, abs=2e-3)
    change_fixtures(db, 1, 1, {first.id: {"light_loss_factor": 0.8}})
    set_now = tanks.open_tank(db, 1)
    assert (set_now.setup().hung[0].worn, set_now.lamps[0].value.counted_from) == (1.0, TODAY)
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).lamps[0].value.counted_from is None
    aged = replace(first.value, wear=(("led_age", "three"),))
    assert lamps.usual_lamp(aged, TODAY).counted_from == TODAY

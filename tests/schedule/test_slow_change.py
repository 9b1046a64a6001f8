"""Slow change: no coral rises by more than its bound, examples of keepers, and what a hold and a power cut do."""

from __future__ import annotations

import datetime
import itertools
import re
from dataclasses import replace

import numpy as np
import pytest
from fastapi.testclient import TestClient
from hypothesis import given, reject, settings
from hypothesis import strategies as st
from scipy.optimize import lsq_linear

from corlume.core.acclimation.log_entry import Course
from corlume.core.errors import InvalidInput
from corlume.core.schedule.change_plan import ChangePlan, PlanStart, PlanStep
from corlume.core.schedule.new_coral import plan_for_new
from corlume.core.schedule.slow_change import (
    DIM_DOSE,
    DIM_PAR,
    LightAt,
    even_parts,
    find_steps,
    fixed_steps,
    match_levels,
    parts_by_minutes,
)
from corlume.services.acclimation.acclimation import log_light
from corlume.services.keeping import acclimation_log, light_groups, setups, tanks
from corlume.services.keeping.hung_fixtures import change_fixtures
from corlume.services.placement.zone_placement import coral_light
from corlume.services.schedule.change_light import fixtures_on, light_at_corals, planned, swapped
from corlume.services.schedule.change_plans import (
    Origin,
    change_plan,
    restart_light,
    start_plan,
    try_plan,
    usual_request,
)
from corlume.services.schedule.earlier_light import light_edits, tank_before
from corlume.services.schedule.new_corals import new_corals
from corlume.services.schedule.plan_card import plan_cards, settings_of
from corlume.services.schedule.recent_rise import find_recent_rise
from corlume.store.database import Database
from corlume.store.tables import NotFound

TODAY = datetime.date(2026, 11, 30)
lights = st.lists(st.tuples(st.floats(1, 400), st.floats(0, 400)), min_size=1, max_size=6)


def between(rows: list[tuple[float, float]]) -> tuple[np.ndarray, np.ndarray]:
    start, end = np.array(rows).T
    return start, end


@settings(deadline=None, max_examples=60)
@given(lights, st.floats(0.05, 0.5), st.integers(1, 12))
def test_no_step_gives_a_coral_more_than_its_bound(rows: list[tuple[float, float]], bound: float, weeks: int) -> None:
    start, end = between(rows)

    def light(part: float) -> LightAt:
        par = start + part * (end - start)
        return LightAt(par, par * 0.03)

    try:
        steps = find_steps(light, even_parts(weeks, 7), bound)
    except InvalidInput:
        reject()
    parts = [0.0, *(step.part for step in steps)]
    assert parts[-1] == 1.0
    assert np.all(np.diff(parts) > 0)
    for before, after in itertools.pairwise(parts):
        was, now = light(before), light(after)
        assert np.all(now.peak <= (1 + bound) * np.maximum(was.peak, DIM_PAR) + 1e-9)
        assert np.all(now.dose <= (1 + bound) * np.maximum(was.dose, DIM_DOSE) + 1e-9)


def test_keepers_examples_come_out_as_they_tell_them() -> None:
    """Common practice, no source: fill light from 160 to 240 takes weeks; ten minutes a week, and a day."""

    def fill(part: float) -> LightAt:
        return LightAt(np.array([160 + 80 * part]), np.array([5 + 2.5 * part]))

    assert 4 <= len(find_steps(fill, even_parts(1, 7), 0.1)) <= 8
    assert [len(parts_by_minutes(1.0, hours, 10.0)) for hours in (5.0, 9.0)] == [24, 48]
    steps = fixed_steps(lambda part: LightAt(np.array([200.0]), np.array([6 + part])), parts_by_minutes(1.0, 5.0, 10.0))
    assert np.diff([0.0, *(step.part for step in steps)]) * 240 == pytest.approx(np.full(24, 10.0))


def test_levels_match_the_old_light_as_closely_as_they_may() -> None:
    """Against scipy's bounded least squares, which may pass the old light and so comes closer on average."""
    random = np.random.default_rng(4)
    pars, doses = random.uniform(20, 200, (3, 8, 5)), random.uniform(1, 6, (3, 8))
    before = LightAt(random.uniform(60, 260, 8), random.uniform(2, 9, 8))
    levels = match_levels(before, list(pars), list(doses), (np.zeros((8, 5)), np.zeros(8)))
    par, dose = np.tensordot(levels, pars, axes=1), np.tensordot(levels, doses, axes=1)
    assert np.all(par.max(axis=1) <= before.peak * (1 + 1e-9))
    assert np.all(dose <= before.dose * (1 + 1e-9))
    free = lsq_linear(doses.T, before.dose, bounds=(0, 1)).x
    assert dose.sum() <= (free @ doses).sum() + 1e-9
    # and nothing more would do: each group has a coral that stops it
    for k in range(3):
        if levels[k] < 1:
            more = levels + np.eye(3)[k] * 0.01
            assert (np.tensordot(more, pars, axes=1).max(axis=1) > before.peak).any() or (
                np.tensordot(more, doses, axes=1) > before.dose
            ).any()


def plan(*parts: float) -> ChangePlan:
    steps = tuple(PlanStep(TODAY + datetime.timedelta(days=7 * k), part) for k, part in enumerate(parts))
    return ChangePlan("Up", "New", starts=(PlanStart("LED", 0.4),), steps=steps)


def test_a_hold_moves_all_later_steps_and_a_step_back_repeats_one() -> None:
    made, now = plan(0.0, 0.25, 0.5, 1.0), TODAY + datetime.timedelta(days=9)
    held = made.held(now, 14)
    assert [(s.day - TODAY).days for s in held.steps] == [0, 7, 28, 35]
    back = made.stepped_back(now)
    days = {(step.day - TODAY).days: step.part for step in back.steps}
    assert days == {0: 0.0, 7: 0.25, 9: 0.0, 16: 0.25, 23: 0.5, 30: 1.0}
    with pytest.raises(InvalidInput, match="first"):
        made.stepped_back(TODAY)


def test_after_a_power_cut_light_comes_back_and_never_above_what_was_last_good() -> None:
    made, now = plan(0.0, 0.25, 0.5, 1.0), TODAY + datetime.timedelta(days=15)
    again = made.restarted(now)
    at = again.step_on(now)
    assert at is not None
    back = [step for step in again.steps[at:] if step.part == 0.5]
    assert [step.scale for step in back] == [0.5, 0.625, 0.75, 0.875, 1.0]
    assert again.steps[-1].part == 1.0
    assert again.steps[-1].day > made.steps[-1].day
    assert all(after.day > before.day for before, after in itertools.pairwise(again.steps))


def brighter(db: Database) -> int:
    """A copy of the setup in use whose lights are all a third stronger, with a schedule on both."""
    used = tanks.open_tank(db, 1).setup()
    light_groups.begin_schedule(db, 1, used.id, "nine")
    copy = setups.copy_setup(db, 1, used.id)
    hung = tanks.open_tank(db, 1).setup(copy).fixtures
    change_fixtures(db, 1, copy, {k.id: {"output": min(1.0, 1.35 * k.value.output)} for k in hung})
    return copy


def test_a_plan_is_started_followed_by_the_day_and_undone(db: Database) -> None:
    copy = brighter(db)
    stored = tanks.open_tank(db, 1)
    was = stored.setup()
    asked = replace(usual_request("match", TODAY), reason="Acropora pale at the base")
    tried = try_plan(stored, was, stored.setup(copy), asked)
    assert not tried.breaks
    assert tried.change.before.rises(tried.states[0]).max() == 0.0
    plan_id = start_plan(db, 1, Origin(was.id), copy, asked)
    stored = tanks.open_tank(db, 1)
    assert stored.setup().id == copy
    for step, state in zip(tried.plan.steps, tried.states, strict=True):
        lit = light_at_corals(stored, fixtures_on(stored, stored.setup(), step.day))
        assert lit.peak == pytest.approx(state.peak, rel=1e-6)
        assert lit.dose == pytest.approx(state.dose, rel=1e-6)
    change_plan(db, 1, plan_id, lambda plan: plan.held(TODAY, 7), "hold")
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).plans[0].value == tried.plan
    tanks.undo(db, 1)
    assert not tanks.open_tank(db, 1).plans
    assert tanks.open_tank(db, 1).setup().id == was.id


def test_what_would_jump_or_has_no_reason_is_refused(db: Database) -> None:
    copy = brighter(db)
    was = tanks.open_tank(db, 1).setup()

    def fields(**changes: object) -> set[str]:
        with pytest.raises(InvalidInput) as refused:
            start_plan(db, 1, Origin(was.id), copy, replace(usual_request("match", TODAY), **changes))  # type: ignore[arg-type]
        return {error.field for error in refused.value.errors}

    # a day of one hour is no rise, a day of eight is
    assert fields(approach="photoperiod", hours=0.5, minutes=60.0, bound=0.05) == {"bound"}
    assert fields(approach="photoperiod", hours=12.0) == {"hours"}
    assert fields(approach="photoperiod", growing="Moon") == {"growing"}
    assert fields(bound=0.001) == {"bound"}
    fast = try_plan(
        tanks.open_tank(db, 1), was, tanks.open_tank(db, 1).setup(copy),
        replace(usual_request("photoperiod", TODAY), every=1),
    )  # fmt: skip
    assert any("ended badly" in words for words in fast.warnings)


def test_a_new_coral_rises_week_by_week_and_one_that_knows_the_light_does_not() -> None:
    plan = plan_for_new(80.0, 170.0)
    assert plan is not None
    assert (plan.weeks[0], plan.weeks[-1]) == (80.0, 170.0)
    assert all(after <= 1.15 * before + 1e-9 for before, after in itertools.pairwise(plan.weeks))
    assert plan_for_new(160.0, 170.0) is None
    assert plan_for_new(300.0, 170.0) is None


def test_new_corals_are_told_until_they_have_settled(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    light = coral_light(stored, stored.setup().hung)
    kept = next(k for k in stored.corals if k.id in light and light[k.id] > 150)
    course = Course(bought=datetime.date.today(), had=light[kept.id] / 2)
    acclimation_log.save_course(db, 1, kept.id, course, today=datetime.date.today())
    assert kept.id in {one.id for one in new_corals(tanks.open_tank(db, 1), {}, datetime.date.today())}
    assert "Week by week" in client.get("/tanks/1/day/plan").text
    later = datetime.date.today() + datetime.timedelta(days=40)
    assert kept.id not in {one.id for one in new_corals(tanks.open_tank(db, 1), {}, later)}


def test_a_swap_goes_in_stages_and_each_is_what_hangs_then(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    was, setup = stored.setup(1), stored.setup(2)
    asked = replace(usual_request("stages", TODAY), bound=1.0)
    tried = try_plan(stored, was, setup, asked)
    assert [len(swapped(was.hung, setup.hung, step.part)) for step in tried.plan.steps][::6] == [3, 6]
    assert tried.change.before.rises(tried.states[0]).max() == 0.0
    assert tried.states[-1].dose == pytest.approx(tried.change.after.dose)
    for step, state in zip(tried.plan.steps, tried.states, strict=True):
        assert light_at_corals(stored, planned(stored, tried.plan, setup.hung, step)).dose == pytest.approx(state.dose)
    names = [one.words for one in settings_of(stored, tried.plan, setup, tried.plan.steps[3])]
    assert "T5 tube" in names[0]
    assert "LED cluster" in names[1]


def test_a_plan_begins_at_the_light_that_a_running_plan_has_today(db: Database) -> None:
    copy = brighter(db)
    stored = tanks.open_tank(db, 1)
    was = stored.setup()
    asked = replace(usual_request("match", TODAY), reason="Pale at the base")
    start_plan(db, 1, Origin(was.id), copy, asked)
    stored, later = tanks.open_tank(db, 1), TODAY + datetime.timedelta(days=8)
    tried = try_plan(stored, stored.setup(copy), stored.setup(2), replace(asked, begins=later, approach="stages"))
    now = light_at_corals(stored, fixtures_on(stored, stored.setup(copy), later))
    assert tried.change.before.peak == pytest.approx(now.peak)
    assert tried.change.before.peak.sum() < light_at_corals(stored, stored.setup(copy).hung).peak.sum()


def test_a_plan_can_start_from_the_light_before_an_edit(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    was = light_at_corals(stored, stored.setup().hung)
    hung = stored.setup().fixtures
    change_fixtures(db, 1, 1, {k.id: {"output": min(1.0, 1.3 * k.value.output)} for k in hung})
    setups.rename_setup(db, 1, 1, "Of another name")
    (edit,) = light_edits(db, 1)[-1:]
    then, stored = tank_before(db, 1, edit.id), tanks.open_tank(db, 1)
    assert light_at_corals(then, then.setup().hung).peak == pytest.approx(was.peak)
    assert stored == tanks.open_tank(db, 1)
    asked = replace(usual_request("match", TODAY), reason="Pale at the base")
    tried = try_plan(stored, then.setup(), stored.setup(), asked, then=then)
    assert tried.change.before.peak == pytest.approx(was.peak)
    assert tried.change.before.rises(tried.states[0]).max() == 0.0
    start_plan(db, 1, Origin(edit=edit), 1, asked)
    after = tanks.open_tank(db, 1)
    assert light_at_corals(after, fixtures_on(after, after.setup(), TODAY)).peak == pytest.approx(tried.states[0].peak)
    kept = next(one for one in after.setups if one.name == after.plans[0].value.was)
    assert [f.output for f in kept.hung] == [k.value.output for k in hung]
    tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).setups == stored.setups
    tanks.undo(db, 1)
    tanks.undo(db, 1)
    with pytest.raises(NotFound):
        tank_before(db, 1, edit.id)


def test_a_moved_coral_has_a_plan_of_its_own_and_does_not_dim_the_tank(db: Database) -> None:
    stored, today = tanks.open_tank(db, 1), datetime.date.today()
    light = coral_light(stored, stored.setup().hung)
    dim, bright = min(light, key=light.__getitem__), max(light, key=light.__getitem__)
    place = stored.coral(bright).value.place
    assert place is not None
    log_light(db, 1, today - datetime.timedelta(days=2))
    acclimation_log.move_coral(db, 1, dim, (place.x, place.y + 0.04, place.depth), "up", today)
    log_light(db, 1, today)
    stored, edit = tanks.open_tank(db, 1), light_edits(db, 1)[0]
    asked = usual_request("match", TODAY)
    tried = try_plan(stored, stored.setup(), stored.setup(), asked, then=tank_before(db, 1, edit.id))
    assert not tried.steps or tried.change.starts["LED"] > 0.9
    notes = acclimation_log.logs(db, 1)
    one = next(one for one in new_corals(stored, notes, today) if one.id == dim)
    assert one.moved
    assert one.plan.had == pytest.approx(light[dim])
    later = today + datetime.timedelta(days=40)
    assert dim not in {one.id for one in new_corals(stored, notes, later)}


def test_a_dimmer_spot_that_makes_a_plan_shorter_is_offered_and_taken(client: TestClient, db: Database) -> None:
    asked = {"was": "3", "setup": "1", "approach": "match", "shown": "match", "bound": "5", "reason": "x"}
    text = client.get("/tanks/1/day/plan", params=asked).text
    offered = re.search(r"A dimmer spot for (\d+) .*?, (\d+) PAR,.*?then has (\d+) step", text)
    assert offered is not None
    number, par, steps = map(int, offered.groups())
    assert steps < int(re.findall(r"<b>(\d+)</b> steps", text)[0])
    typed = {"begins": datetime.date.today().isoformat(), "weeks": "6", "every": "7", "hours": "1", "minutes": "10"}
    after = client.post("/tanks/1/day/plan/lower", data=asked | typed, follow_redirects=True).text
    assert int(re.findall(r"<b>(\d+)</b> steps", after)[0]) == steps
    stored = tanks.open_tank(db, 1)
    light = coral_light(stored, stored.setup(1).hung)
    assert light[stored.corals[number - 1].id] == pytest.approx(par, abs=0.6)


def test_light_restarts_without_a_plan_and_what_does_not_dim_comes_back_by_hours(db: Database) -> None:
    setups.use_setup(db, 1, 3)  # with halides
    stored = tanks.open_tank(db, 1)
    full = light_at_corals(stored, stored.setup().hung)
    restart_light(db, 1, 3, TODAY)
    stored = tanks.open_tank(db, 1)
    before = LightAt(np.zeros_like(full.peak), np.zeros_like(full.dose))
    for step in stored.plans[0].value.steps[1:]:
        now = light_at_corals(stored, fixtures_on(stored, stored.setup(), step.day))
        assert (now.dose <= full.dose + 1e-9).all()
        assert (now.dose > before.dose).all()
        before = now
    assert before.dose == pytest.approx(full.dose)
    card = plan_cards(stored, {}, TODAY)[0]
    assert any("to" in one.words and "on" in one.words for one in card.settings)


def test_the_page_of_a_plan_offers_the_light_before_an_edit_and_undo(client: TestClient, db: Database) -> None:
    change_fixtures(db, 1, 1, {tanks.open_tank(db, 1).setup().fixtures[0].id: {"output": 0.9}})
    edit = light_edits(db, 1)[0]
    text = client.get(f"/tanks/1/day/plan?was=e{edit.id}&setup=1&approach=match&shown=match").text
    assert "Light at each coral" in text
    assert f'title="Undo: {edit.label}' in text
    assert client.get("/tanks/1/day/plan?was=e99999").status_code == 404
    answer = client.post("/tanks/1/day/plan/restart")
    assert answer.status_code == 303
    assert "after a power cut" in client.get("/tanks/1/day").text


def test_light_that_rose_without_a_plan_is_told_on_the_day_page(client: TestClient, db: Database) -> None:
    assert "More light than a week ago" not in client.get("/tanks/1/day").text
    hung = tanks.open_tank(db, 1).setup().fixtures
    change_fixtures(db, 1, 1, {k.id: {"output": min(1.0, 1.25 * k.value.output)} for k in hung})
    (edit,) = light_edits(db, 1)
    text = client.get("/tanks/1/day").text
    assert "25 % at" in text
    assert f"plan?was=e{edit.id}&amp;setup=1" in text
    assert find_recent_rise(db, tanks.open_tank(db, 1), edit.at + datetime.timedelta(days=8)) is None
    start_plan(db, 1, Origin(edit=edit), 1, replace(usual_request("match", TODAY), reason="x"))
    assert "More light than a week ago" not in client.get("/tanks/1/day").text

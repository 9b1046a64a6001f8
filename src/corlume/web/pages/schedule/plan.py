"""Slow change: a plan tried, started, and gone through step by step."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.errors import InvalidInput, Rules
from corlume.core.schedule.change_plan import ChangePlan
from corlume.core.schedule.slow_change import APPROACHES
from corlume.services.keeping import acclimation_log, tanks
from corlume.services.schedule import change_plans
from corlume.services.schedule.change_light import groups_of
from corlume.services.schedule.change_plans import Origin, PlanRequest, TriedPlan, started_from
from corlume.services.schedule.earlier_light import edit_of, light_edits, tank_before
from corlume.services.schedule.lower_spot import find_lower_spot
from corlume.services.schedule.new_corals import new_corals
from corlume.services.schedule.plan_card import plan_cards, settings_of
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.drawing.change_line import draw_change
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.pages.schedule.day import HOLDS
from corlume.web.request.page import Db, FormData, RowId, Unit, go, measure_of, page

NAMES = {"setup": "The setup to go to", "growing": "The group that grows"}
"""What faults without a field of their own speak of."""
router = APIRouter(prefix="/tanks/{tank_id}/day/plan")


@router.get("")
def show_plan(request: Request, db: Db, tank_id: RowId) -> HTMLResponse:
    """Ask for a plan and show what it would do."""
    return _page(request, tanks.open_tank(db, tank_id), db, dict(request.query_params))


@router.post("")
def start(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData) -> Response:
    """Start a plan."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    start_of, read = _start_of(db, stored, data), _read(form)
    if read and form.ok:
        form.attempt(lambda: change_plans.start_plan(db, tank_id, start_of.origin, start_of.setup.id, read))
    if form.errors:
        return _page(request, stored, db, data, form)
    return go(f"/tanks/{tank_id}/day#plan")


@router.post("/restart")
def restart(request: Request, db: Db, tank_id: RowId) -> Response:
    """Start the light of the setup in use over, for which no plan runs."""
    stored = tanks.open_tank(db, tank_id)
    try:
        change_plans.restart_light(db, tank_id, stored.setup().id, datetime.date.today())
    except InvalidInput as error:
        return _page(request, stored, db, {}, fault=f"The setup {measure_of(request).message(error.errors[0])}.")
    return go(f"/tanks/{tank_id}/day#plan")


@router.post("/lower")
def move_lower(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData) -> Response:
    """Move the coral that limits a plan to the dimmer spot that was offered, and show the plan again."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    start_of, read = _start_of(db, stored, data), _read(form)
    if not read or not form.ok:
        return _page(request, stored, db, data, form)
    was, setup, then = start_of.was, start_of.setup, start_of.then
    tried = change_plans.try_plan(stored, was, setup, read, then=then)
    lower = find_lower_spot(stored, was, setup, read, tried, then=then)
    if lower is None:
        return _page(request, stored, db, data, fault="The spot that was offered is no longer free: nothing was moved.")
    words = f"To {lower.spot.name}, for a shorter plan."
    acclimation_log.move_coral(db, tank_id, lower.coral, lower.spot.place, words, datetime.date.today())
    return go(f"/tanks/{tank_id}/day/plan?{urlencode(data)}")


@router.post("/{plan_id}/{act}")
def act_on(request: Request, db: Db, tank_id: RowId, plan_id: RowId, act: str, data: FormData) -> Response:
    """Hold, step back, restart, stop or delete a plan."""
    today = datetime.date.today()
    try:
        if act == "delete":
            change_plans.delete_plan(db, tank_id, plan_id)
        else:
            how, label = _act(act, data, today)
            change_plans.change_plan(db, tank_id, plan_id, how, label)
    except InvalidInput as error:
        fault = f"The step {measure_of(request).message(error.errors[0])}."
        return _page(request, tanks.open_tank(db, tank_id), db, {}, fault=fault)
    return go(f"/tanks/{tank_id}/day#plan")


def _act(act: str, data: Mapping[str, str], today: datetime.date) -> tuple[Any, str]:
    match act:
        case "hold":
            rules, days = Rules(), data.get("days", "")
            rules.that(days in map(str, HOLDS), "days", "is none of those offered")
            rules.finish()
            return (lambda plan: plan.held(today, int(days))), f"hold the plan for {days} days"
        case "back":
            return (lambda plan: plan.stepped_back(today)), "go a step back in the plan"
        case "restart":
            return (lambda plan: plan.restarted(today)), "start the light over"
        case "stop":
            return (lambda plan: replace(plan, state="stopped")), "stop the plan"
    raise NotFound(f"no act {act}")


@dataclass(frozen=True, slots=True)
class _Start:
    """Where a change starts and where it goes; ``then`` is the tank as it was, where it starts before an edit."""

    origin: Origin
    then: StoredTank | None
    was: StoredSetup
    setup: StoredSetup

    @property
    def key(self) -> str:
        """How the form names where it starts."""
        return f"e{self.origin.edit.id}" if self.origin.edit else str(self.was.id)

    @property
    def changes(self) -> bool:
        """Whether it goes anywhere."""
        return self.then is not None or self.was.id != self.setup.id


def _start_of(db: Database, stored: StoredTank, data: Mapping[str, str]) -> _Start:
    """Where the change of a form starts and goes: by default from the setup in use to the first other."""
    used, text = stored.setup(), data.get("was", "")
    edit, then = None, None
    if text[:1] == "e" and text[1:].isdecimal() and len(text) < 15:
        edit = edit_of(light_edits(db, stored.id), int(text[1:]))
        then = tank_before(db, stored.id, edit.id)
    other = used if then else next((one for one in stored.setups if one.id != used.id), used)

    def named(name: str, default: StoredSetup) -> StoredSetup:
        return next((one for one in stored.setups if str(one.id) == data.get(name, "")), default)

    origin = Origin(named("was", used).id, edit)
    return _Start(origin, then, started_from(stored, then, origin), named("setup", other))


def _read(form: Form) -> PlanRequest | None:
    """The request of a form."""
    for name in ("was", "setup", "shown"):
        form.text(name)
    return form.read(PlanRequest, change_plans.usual_request("match", datetime.date.today()))


def _page(
    request: Request, stored: StoredTank, db: Any, data: Mapping[str, str], form: Form | None = None, fault: str = ""
) -> HTMLResponse:
    measure, today = measure_of(request), datetime.date.today()
    start_of, lower = _start_of(db, stored, data), None
    was, setup = start_of.was, start_of.setup
    approach = data.get("approach", "match")
    usual = change_plans.usual_request(approach if approach in APPROACHES else "match", today)
    values = {**shown_values(usual, measure), **{k: v for k, v in data.items() if k not in ("was", "setup")}}
    if data.get("approach") != data.get("shown"):  # another approach comes with its own steps
        values |= {name: shown_values(usual, measure)[name] for name in ("weeks", "every", "bound")}
    if values.get("growing") not in groups_of(setup.hung):  # it belongs to a setup that was chosen before
        values.pop("growing", None)
    tried: TriedPlan | None = None
    if form is None:
        form = Form({k: v for k, v in values.items() if k != "shown"}, measure)
    read = form.read(PlanRequest, usual)
    if read is not None and start_of.changes:
        try:
            tried = change_plans.try_plan(stored, was, setup, read, then=start_of.then)
            lower = find_lower_spot(stored, was, setup, read, tried, then=start_of.then)
        except InvalidInput as error:
            for one in error.errors:
                form.errors.setdefault(one.field, measure.message(one))
    names = change_plans.coral_names(stored, tried.change.ids) if tried else []
    context: dict[str, Any] = {
        "stored": stored,
        "start": start_of,
        "to": setup,
        "edits": light_edits(db, stored.id),
        "lower": lower,
        "lower_form": {**form.data, "was": start_of.key, "setup": setup.id},
        "limits": [(names[k], count) for k, count in tried.limits] if tried else [],
        "approaches": APPROACHES,
        "approach": APPROACHES[usual.approach],
        "fields": asked(PlanRequest, values, form.errors, measure),
        "faults": [f"{NAMES[name]} {text}." for name, text in form.errors.items() if name in NAMES],
        "groups": list(groups_of(setup.hung)),
        "tried": tried,
        "well": tried and change_plans.rises_any(tried) and change_plans.all_well(start_of.then or stored, was),
        "rows": _rows(stored, tried) if tried else [],
        "plan_steps": _steps(stored, setup, tried) if tried else [],
        "plans": plan_cards(stored, acclimation_log.logs(db, stored.id), today),
        "new": new_corals(stored, acclimation_log.logs(db, stored.id), today),
        "holds": HOLDS,
        "fault": fault,
    }
    status = 422 if (form.errors and request.method == "POST") or fault else 200
    return page(
        request,
        "schedule/plan.html",
        context,
        tank=stored,
        setup=stored.setup() if start_of.then else was,
        status=status,
    )


def _rows(stored: StoredTank, tried: TriedPlan) -> list[dict[str, Any]]:
    """Each coral before and after, those that gain most first, with a small curve of its daily light."""
    names, found = change_plans.coral_names(stored, tried.change.ids), []
    cards = {kept.id: kept.value.card for kept in stored.corals}
    before, after = tried.change.before, tried.change.after
    for k, coral_id in enumerate(tried.change.ids):
        card, was, now = cards[coral_id], float(before.dose[k]), float(after.dose[k])
        found.append(
            {
                "name": names[k],
                "par": (float(before.peak[k]), float(after.peak[k])),
                "dose": (was, now),
                "more": now / was - 1 if was > 0 else float("inf"),
                "curve": draw_change(
                    float(before.peak[k]), [float(s.peak[k]) for s in tried.states], card.par_low, card.par_high, "PAR"
                ),
            }
        )
    return sorted(found, key=lambda row: -row["more"])


def _steps(stored: StoredTank, setup: StoredSetup, tried: TriedPlan) -> list[dict[str, Any]]:
    """Each step with its day, what is set, and the largest rise."""
    plan: ChangePlan = tried.plan
    names = change_plans.coral_names(stored, tried.change.ids)
    jump = tried.change.before.rises(tried.states[0])
    rises = [(float(jump.max(initial=0.0)), int(jump.argmax()) if len(jump) else -1)]
    rises += [(step.rise, step.coral) for step in tried.steps]
    return [
        {
            "day": step.day,
            "settings": settings_of(stored, plan, setup, step),
            "rise": rise,
            "coral": names[coral] if coral >= 0 and rise > 0.005 else "",
            "breaks": rise > plan.bound + 1e-9,
        }
        for step, (rise, coral) in zip(plan.steps, rises, strict=True)
    ]

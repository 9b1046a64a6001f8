"""Buying in stages: budgets, the corals they are for, and the setups that come of it."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from corlume.core.keeping.owned_item import OwnedItem
from corlume.services.keeping import tanks
from corlume.services.mounting import buying, owned
from corlume.services.mounting.buying import PATH_YEARS, BuyingPlan, BuyingRequest
from corlume.store.tanks import StoredTank
from corlume.web.forms.form import Form
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, page

router = APIRouter(prefix="/tanks/{tank_id}/mounting/buying")
FIRST_AMOUNTS = "300, 300"


@router.get("")
def show(
    request: Request, db: Db, measure: Unit, tank_id: RowId, budgets: str = "", months: str = "6", setup: Looked = None
) -> HTMLResponse:
    """The form, and the stages for what it asks."""
    stored, form = tanks.open_tank(db, tank_id), Form({"budgets": budgets, "months": months}, measure)
    chosen = [int(value) for value in request.query_params.getlist("coral") if value.isdecimal()]
    plan = _plan(db, stored, form, chosen) if budgets else None
    return _page(request, db, stored, form, chosen, plan, setup)


@router.post("/save")
def save(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Save a stage as a setup and open its PAR map."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    chosen = [int(value) for value in form.text("corals").split() if value.isdecimal()]
    plan = _plan(db, stored, form, chosen)
    if plan is not None:
        number = int(form.number("stage")) if form.text("stage").isdecimal() else -1
        made = form.attempt(lambda: buying.save_stage(db, stored, plan, number))
        if made is not None:
            return go(f"/tanks/{tank_id}/par-map?setup={made}")
    return _page(request, db, stored, form, chosen, plan, setup)


@router.post("/owned")
def save_owned(
    request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Save what is in the cupboard of a fixture, and its second-hand price."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    item = form.read(OwnedItem, OwnedItem(form.text("key") or "-"))
    if item is not None and form.ok:
        form.attempt(lambda: owned.save_owned(db, item))
    if form.errors:
        return _page(request, db, stored, form, [], None, setup)
    return go(f"/tanks/{tank_id}/mounting/buying#owned", setup)


def _plan(db: Db, stored: StoredTank, form: Form, chosen: list[int]) -> BuyingPlan | None:
    try:
        budgets = buying.amounts(form.text("budgets"))
    except ValueError:
        form.errors["budgets"] = "must be amounts with commas between, such as 300, 250"
        return None
    months = form.number("months")
    if form.errors:
        return None
    if months != int(months):
        form.errors["months"] = "must be a whole number"
        return None
    wish = BuyingRequest(budgets, int(months), tuple(chosen))
    return form.attempt(lambda: buying.plan_buying(stored, owned.owned(db), wish))


def _page(
    request: Request, db: Db, stored: StoredTank, form: Form, chosen: list[int], plan: BuyingPlan | None,
    setup: int | None,
) -> HTMLResponse:  # fmt: skip
    shelf = owned.owned(db)
    context = {
        "stored": stored,
        "setup": stored.setup(setup),
        "values": {"budgets": form.text("budgets") or FIRST_AMOUNTS, "months": form.text("months") or "6"},
        "errors": form.errors,
        "plan": plan,
        "years": PATH_YEARS,
        "corals": [
            (number, kept, not chosen or kept.id in chosen)
            for number, kept in enumerate(stored.corals, 1)
            if kept.value.place is not None
        ],
        "chosen": " ".join(map(str, chosen)),
        "shelf": shelf,
        "mine": [one for one in shelf if one.count or one.offer or one.hangs],
        "typed": form.data if "key" in form.data else {},
    }
    status = 422 if form.errors else 200
    return page(request, "mounting/buying.html", context, tank=stored, setup=stored.setup(setup), status=status)

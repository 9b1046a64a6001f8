"""Buying in stages: budgets, the corals they are for, and the setups that come of it."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse, Response

from corlume.core.keeping.owned_item import OwnedItem
from corlume.core.mounting.mount import MOUNT_TYPES
from corlume.services.jobs import Work
from corlume.services.keeping import tanks
from corlume.services.mounting import buying, buying_jobs, owned
from corlume.services.mounting.buying import PATH_YEARS, BuyingPlan, BuyingRequest
from corlume.store.tanks import StoredTank
from corlume.web.forms.form import Form
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, page

router = APIRouter(prefix="/tanks/{tank_id}/mounting/buying")
FIRST_AMOUNTS = "300, 300"
NO_CORAL = "none"
"""What the form sends for its corals when none is ticked; none named at all is all of them."""
AT_ONCE, WHOLE = 1.0, 120.0
"""The page waits so long for a plan and then shows how far it is; saving waits for all of it [s]."""


class AskedPlan:
    """What is asked in an address: amounts, months, corals by id, and whether to keep to the mounts."""

    def __init__(
        self,
        request: Request,
        budgets: Annotated[str | None, Query(max_length=200)] = None,
        months: Annotated[str, Query(max_length=20)] = "6",
        corals: Annotated[str, Query(max_length=8000)] = "",
        mounts: Annotated[str, Query(max_length=5)] = "",
    ) -> None:
        ticked = " ".join(request.query_params.getlist("coral"))
        self.anything = budgets is not None
        self.typed = {
            "budgets": FIRST_AMOUNTS if budgets is None else budgets,
            "months": months,
            "corals": ticked or corals,
            "mounts": mounts,
        }


Asked = Annotated[AskedPlan, Depends()]


@router.get("")
def show(request: Request, db: Db, measure: Unit, tank_id: RowId, asked: Asked, setup: Looked = None) -> HTMLResponse:
    """The form, and the stages for what it asks, or how far they are."""
    stored, form = tanks.open_tank(db, tank_id), Form(asked.typed, measure)
    plan = _plan(db, stored, form, AT_ONCE) if asked.anything else None
    return _page(request, db, stored, form, plan, setup, waits=asked.anything and plan is None)


@router.post("/plan/begin")
def begin(db: Db, measure: Unit, tank_id: RowId, asked: Asked) -> JSONResponse:
    """Begin to plan the stages."""
    stored, form = tanks.open_tank(db, tank_id), Form(asked.typed, measure)
    wish = _wish(form)
    if wish is not None:
        form.attempt(lambda: buying_jobs.begin(db, stored, owned.owned(db), wish))
    return JSONResponse({"begun": form.ok}, 200 if form.ok else 422)


@router.get("/plan/state")
def look(db: Db, measure: Unit, tank_id: RowId, asked: Asked) -> JSONResponse:
    """How far the plan is."""
    stored, wish = tanks.open_tank(db, tank_id), _wish(Form(asked.typed, measure))
    work = buying_jobs.look(db, stored, owned.owned(db), wish) if wish else Work("none")
    return JSONResponse({"state": work.state, "done": work.done})


@router.post("/save")
def save(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Save a stage as a setup and open its PAR map."""
    stored, form = tanks.open_tank(db, tank_id), Form(data, measure)
    number = int(form.text("stage")) if form.text("stage").isdecimal() else -1
    plan = _plan(db, stored, form, WHOLE)
    if plan is not None:
        made = form.attempt(lambda: buying.save_stage(db, stored, plan, number))
        if made is not None:
            return go(f"/tanks/{tank_id}/par-map?setup={made}")
    return _page(request, db, stored, form, plan, setup)


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
        return _page(request, db, stored, form, None, setup)
    return go(f"/tanks/{tank_id}/mounting/buying#owned", setup)


def _wish(form: Form) -> BuyingRequest | None:
    """The request that was typed; None with the errors in the form."""
    try:
        budgets = buying.amounts(form.text("budgets"))
    except ValueError:
        form.errors["budgets"] = "must be amounts with commas between, such as 300, 250"
        return None
    months, chosen, on_mounts = form.number("months"), _chosen(form), bool(form.text("mounts"))
    if not budgets:
        form.errors["budgets"] = "needs at least one amount, such as 300, 250"
    if form.ok and months != int(months):
        form.errors["months"] = "must be a whole number"
    if form.text("corals") == NO_CORAL:
        form.errors["corals"] = "need at least one tick: choose those that the light is for"
    if not form.ok:
        return None
    return BuyingRequest(budgets, int(months), chosen, on_mounts)


def _chosen(form: Form) -> tuple[int, ...]:
    return tuple(int(value) for value in form.text("corals").split() if value.isdecimal())


def _plan(db: Db, stored: StoredTank, form: Form, wait: float) -> BuyingPlan | None:
    wish = _wish(form)
    if wish is None:
        return None
    return form.attempt(lambda: buying_jobs.soon(db, stored, owned.owned(db), wish, wait=wait))


def _page(
    request: Request, db: Db, stored: StoredTank, form: Form, plan: BuyingPlan | None, setup: int | None, *,
    waits: bool = False,
) -> HTMLResponse:  # fmt: skip
    chosen, typed = _chosen(form), {name: form.text(name) for name in ("budgets", "months", "corals", "mounts")}
    fixtures = [(one.entry.key, one.entry.name) for one in owned.owned(db)]
    context = {
        "stored": stored,
        "setup": stored.setup(setup),
        "values": typed if "budgets" in form.data else {"budgets": FIRST_AMOUNTS, "months": "6"},
        "errors": form.errors,
        "plan": plan,
        "asked": waits and not form.errors,
        "query": urlencode(typed),
        "years": PATH_YEARS,
        "corals": [
            (number, kept, not typed["corals"] or kept.id in chosen)
            for number, kept in enumerate(stored.corals, 1)
            if kept.value.place is not None
        ],
        "shelf": {
            "Fixtures": fixtures,
            "Mounts": [(owned.mount_key(kind), words.capitalize()) for kind, words in MOUNT_TYPES.items()],
        },
        "lines": owned.everything_owned(db),
        "typed": form.data if "key" in form.data else {},
    }
    status = 422 if form.errors else 200
    return page(request, "mounting/buying.html", context, tank=stored, setup=stored.setup(setup), status=status)

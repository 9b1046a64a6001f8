"""The checklist of a rig, ticked step by step at the tank."""

from __future__ import annotations

import datetime

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from corlume.core.mounting.checklist import STAGES, Tick
from corlume.services.keeping import tanks
from corlume.services.mounting import checklist
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.forms.form import Form
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, measure_of, page

router = APIRouter(prefix="/tanks/{tank_id}/mounting/checklist")


@router.get("")
def show(request: Request, db: Db, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """The steps of a setup with their ticks."""
    stored = tanks.open_tank(db, tank_id)
    return _page(request, stored, stored.setup(setup))


@router.post("")
def tick(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Tick a step, with its day, note and counts."""
    stored = tanks.open_tank(db, tank_id)
    one, form = stored.setup(setup), Form({name: text for name, text in data.items() if name != "at"}, measure)
    done = form.read(Tick, Tick(form.text("step") or "-", datetime.date.today()))
    if done is not None and form.ok:
        form.attempt(lambda: checklist.tick(db, tank_id, one.id, done))
    if form.errors:
        return _page(request, stored, one, form)
    return go(f"/tanks/{tank_id}/mounting/checklist#{data.get('at', '')}", setup)


@router.post("/undo")
def untick(db: Db, tank_id: RowId, data: FormData, setup: Looked = None) -> RedirectResponse:
    """Take back a tick."""
    one = tanks.open_tank(db, tank_id).setup(setup)
    checklist.untick(db, tank_id, one.id, data.get("step", ""))
    return go(f"/tanks/{tank_id}/mounting/checklist#{data.get('at', '')}", setup)


def _page(request: Request, stored: StoredTank, setup: StoredSetup, bad: Form | None = None) -> HTMLResponse:
    found, measure = checklist.checklist(stored, setup), measure_of(request)
    rows = [
        {
            "key": step.key,
            "id": f"step-{number}",
            "stage": step.stage,
            "words": measure.fill(step.words, step.lengths),
            "caution": step.caution,
            "counts": step.counts,
            "tick": kept.value if kept else None,
            "wrong": bad.errors if bad and bad.text("step") == step.key else {},
            "typed": bad.data if bad and bad.text("step") == step.key else {},
        }
        for number, (step, kept) in enumerate(found.rows, 1)
    ]
    context = {
        "stored": stored,
        "setup": setup,
        "found": found,
        "stages": [(name, [row for row in rows if row["stage"] == key]) for key, name in STAGES.items()],
        "next": next((row["id"] for row in rows if row["tick"] is None), ""),
        "used": stored.setup(),
    }
    status = 422 if bad else 200
    return page(request, "mounting/checklist.html", context, tank=stored, setup=setup, status=status)

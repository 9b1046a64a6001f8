"""Mounts of a setup: what holds its lights, drawn at work and open, with their checks."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from corlume.core.message_text import letter
from corlume.core.mounting.mount import MOUNT_TYPES, Mount, covered, on_mount
from corlume.core.mounting.mount_checks import check_mounts
from corlume.core.mounting.mounting_checks import ANSWERS
from corlume.formats.measure import Measure
from corlume.formats.round_steps import STEPS
from corlume.services.keeping import tanks
from corlume.services.mounting import mounts
from corlume.store.tables import found
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.drawing.mounts import draw_held, draw_mounts
from corlume.web.drawing.sheet import lay_out
from corlume.web.drawing.tank import draw_frame, draw_rock
from corlume.web.forms.dragged import BoxShape
from corlume.web.forms.form import Form, asked, shown_values
from corlume.web.request.page import Db, FormData, Looked, RowId, Unit, go, narrow_of, page

router = APIRouter(prefix="/tanks/{tank_id}/mounting")
OWN_FIELDS = {
    "arm": ("hinge", "clamp"),
    "legs": ("clamp",),
    "rail": (),
    "canopy": (),
    "half_lid": ("swing", "hinge"),
    "lift": ("lift",),
    "wires": ("lift",),
    "wall": ("swing", "hinge"),
}
"""What only some types of mount are asked for."""


@router.get("")
def show(request: Request, db: Db, measure: Unit, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """The mounts with their drawing and checks."""
    stored = tanks.open_tank(db, tank_id)
    return _page(request, stored, stored.setup(setup), measure)


@router.post("/mounts")
def add(db: Db, tank_id: RowId, data: FormData, setup: Looked = None) -> RedirectResponse:
    """Add a mount of a type."""
    stored = tanks.open_tank(db, tank_id)
    made = mounts.add_mount(db, tank_id, stored.setup(setup).id, data.get("type", ""))
    return go(f"/tanks/{tank_id}/mounting#mount-{made}", setup)


@router.post("/mounts/{mount_id}")
def save(
    request: Request, db: Db, measure: Unit, tank_id: RowId, mount_id: RowId, data: FormData, setup: Looked = None
) -> Response:
    """Change a mount."""
    stored = tanks.open_tank(db, tank_id)
    one = stored.setup(setup)
    form = Form(data, measure)
    mount = form.read(Mount, found(one.mounts, mount_id, "mount").value)
    if mount is not None and form.ok:
        form.attempt(lambda: mounts.save_mount(db, tank_id, one.id, mount_id, mount))
    if form.errors:
        return _page(request, stored, one, measure, bad=(mount_id, form))
    return go(f"/tanks/{tank_id}/mounting#mount-{mount_id}", setup)


@router.post("/mounts/{mount_id}/shape")
def drag(db: Db, tank_id: RowId, mount_id: RowId, body: BoxShape, setup: Looked = None) -> JSONResponse:
    """Move or resize a mount by hand: ``base`` is its underside above the water, ``height`` its own."""
    one = tanks.open_tank(db, tank_id).setup(setup)
    names = {"base": "height", "height": "thick"}
    values: dict[str, Any] = {names.get(name, name): value for name, value in body.root.items()}
    mount = replace(found(one.mounts, mount_id, "mount").value, **values)
    mounts.save_mount(db, tank_id, one.id, mount_id, mount)
    return JSONResponse({"saved": mount_id})


@router.post("/mounts/{mount_id}/remove")
def remove(db: Db, tank_id: RowId, mount_id: RowId, setup: Looked = None) -> RedirectResponse:
    """Delete a mount."""
    mounts.delete_mount(db, tank_id, tanks.open_tank(db, tank_id).setup(setup).id, mount_id)
    return go(f"/tanks/{tank_id}/mounting", setup)


@router.post("/held")
def hold(request: Request, db: Db, measure: Unit, tank_id: RowId, data: FormData, setup: Looked = None) -> Response:
    """Say which mount holds each fixture."""
    stored = tanks.open_tank(db, tank_id)
    one, form = stored.setup(setup), Form(data, measure)
    asked_for = {k.id: form.text(f"held-{k.id}") for k in one.fixtures if f"held-{k.id}" in form.data}
    form.attempt(lambda: mounts.hold(db, tank_id, one.id, asked_for))
    if form.errors:
        return _page(request, stored, one, measure, bad=(0, form))
    return go(f"/tanks/{tank_id}/mounting#checks", setup)


def _page(
    request: Request, stored: StoredTank, setup: StoredSetup, measure: Measure, bad: tuple[int, Form] | None = None
) -> HTMLResponse:
    tank, hung, values = stored.tank, setup.hung, setup.mount_values
    highest = max([f.emitter.height + 0.1 for f in hung] + [m.height + m.thick + m.lift for m in values], default=0.3)
    sheet = lay_out(tank, min(highest, tank.room_height), narrow=narrow_of(request), readout=False)
    drawing = draw_frame(sheet, tank, measure)
    for view, at in zip(sheet.views(), (tank.water_depth, tank.width / 2, tank.length / 2), strict=True):
        drawing += draw_rock(view, tank, at) + draw_mounts(view, setup.mounts) + draw_held(view, hung, values)
    cards = []
    for kept in setup.mounts:
        form = bad[1] if bad and bad[0] == kept.id else None
        typed, wrong = (form.data, form.errors) if form else (shown_values(kept.value, measure), {})
        cards.append(
            {
                "id": kept.id,
                "mount": kept.value,
                "fields": asked(Mount, typed, wrong, measure),
                "wrong": wrong,
                "holds": " ".join(letter(k) for k in on_mount(kept.value, hung)),
                "covers": covered(tank, kept.value, hung),
            }
        )
    context = {
        "stored": stored,
        "setup": setup,
        "sheet": sheet,
        "drawing": drawing,
        "cards": cards,
        "types": MOUNT_TYPES,
        "own_fields": OWN_FIELDS,
        "letters": [letter(k) for k in range(len(hung))],
        "checks": check_mounts(tank, hung, values, stored.surroundings),
        "shade": mounts.shade_of(stored, setup),
        "words": ANSWERS,
        "snap": STEPS[measure.unit].snap,
        "strays": bad[1].errors if bad and not bad[0] else {},
    }
    status = 422 if bad else 200
    return page(request, "mounting/mounts.html", context, tank=stored, setup=setup, status=status)

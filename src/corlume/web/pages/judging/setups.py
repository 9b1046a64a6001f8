"""Up to three setups of a tank side by side, with difference charts and a table of verdicts."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse
from markupsafe import Markup

from corlume.core.judging.intent import PURPOSES, SHIMMER_WORDS
from corlume.services.judging.judge import verdicts_in_doubt
from corlume.services.keeping import fixture_library, setups, tanks
from corlume.services.keeping.target_zones import zones_met
from corlume.services.light.fields import slice_plane
from corlume.services.search.costs import YEARS, five_year_costs
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.drawing.difference import NAMES, difference_plan
from corlume.web.drawing.plan_chart import plan_chart
from corlume.web.request.page import Db, FormData, RowId, go, page

router = APIRouter(prefix="/tanks/{tank_id}/setups")
WIDTH = 336.0
MOST = 3


@router.get("")
def compare_setups(
    request: Request, db: Db, tank_id: RowId, a: int | None = None, b: int | None = None, c: int | None = None
) -> HTMLResponse:
    """Two or three setups, compared with the first."""
    stored = tanks.open_tank(db, tank_id)
    asked = [stored.setup(one) for one in (a, b, c) if one is not None]
    others = [s for s in stored.setups if s.id != stored.setup().id]
    chosen = list({s.id: s for s in asked or [stored.setup(), *others]}.values())[:MOST]
    judged = [{v.key: v for v in verdicts_in_doubt(stored, s.hung, s.intent)} for s in chosen]
    keys = list(dict.fromkeys(key for column in judged for key in column))
    rows = [[column.get(key) for column in judged] for key in keys]
    context = {
        "stored": stored,
        "chosen": chosen,
        "rows": rows,
        "charts": _charts(stored, chosen),
        "zones": list(zip(*(zones_met(stored, s.hung) for s in chosen), strict=True)),
        "costs": [five_year_costs(stored, s.hung, fixture_library.entries(db)) for s in chosen],
        "purposes": [
            ", ".join(
                filter(None, (PURPOSES[s.intent.meant(stored.targets.stocking)][0], SHIMMER_WORDS[s.intent.shimmer]))
            )
            for s in chosen
        ],
        "years": YEARS,
        "bands": stored.targets.bands(),
        "differences": NAMES,
        "depth": stored.tank.rock_top(),
    }
    return page(request, "judging/setups.html", context, tank=stored)


@router.post("/{setup_id}/copy")
def copy_setup(db: Db, tank_id: RowId, setup_id: RowId) -> RedirectResponse:
    """Copy a setup and go there."""
    return go(f"/tanks/{tank_id}/par-map?setup={setups.copy_setup(db, tank_id, setup_id)}")


@router.post("/{setup_id}/rename")
def rename_setup(db: Db, tank_id: RowId, setup_id: RowId, form: FormData) -> RedirectResponse:
    """Rename a setup; an empty name leaves the old one."""
    if form.get("name", "").strip():
        setups.rename_setup(db, tank_id, setup_id, form["name"])
    return go(f"/tanks/{tank_id}/par-map?setup={setup_id}")


@router.post("/{setup_id}/use")
def use_setup(db: Db, tank_id: RowId, setup_id: RowId) -> RedirectResponse:
    """Put a setup to use."""
    setups.use_setup(db, tank_id, setup_id)
    return go(f"/tanks/{tank_id}/par-map?setup={setup_id}")


@router.post("/{setup_id}/remove")
def remove_setup(db: Db, tank_id: RowId, setup_id: RowId) -> RedirectResponse:
    """Delete a setup that is not in use."""
    setups.remove_setup(db, tank_id, setup_id)
    return go(f"/tanks/{tank_id}/par-map")


def _charts(stored: StoredTank, chosen: list[StoredSetup]) -> list[tuple[Markup, Markup]]:
    """For each setup its PAR map at the rock top, and its difference from the first."""
    tank = stored.lit_tank()
    planes = [slice_plane(tank, s.hung, "plan", tank.rock_top()) for s in chosen]
    found = []
    for k, (setup, plane) in enumerate(zip(chosen, planes, strict=True)):
        label = f"PAR at the rock top under {setup.name}"
        light = plan_chart(tank, plane, stored.targets.bands(), width=WIDTH, label=label)
        change = Markup("")
        if k:
            label = f"PAR of {setup.name} less that of {chosen[0].name}"
            change = difference_plan(tank, plane, planes[0], width=WIDTH, label=label)
        found.append((light, change))
    return found

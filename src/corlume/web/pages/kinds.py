"""Compare kinds of light on the keeper's own tank."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse

from corlume.core.judgement.verdicts import Case
from corlume.formats.steps import STEPS
from corlume.services.advice import technologies
from corlume.services.advice.coral_sites import coral_change
from corlume.services.advice.judge import told
from corlume.services.keeping import tanks
from corlume.store.tables import Kept
from corlume.store.tanks import StoredSetup
from corlume.web.drawing.card import draw_card
from corlume.web.page import Db, Looked, RowId, Unit, go, page

router = APIRouter(prefix="/tanks/{tank_id}/kinds")


JUDGED = (
    ("coverage", "In band", "Share of the places that the setup is meant for in the light wanted there."),
    ("uniformity", "Uniformity, least and tenth",
     "Least reading and tenth percentile at rock-top height over the mean; grade of ours."),
    ("ends", "Ends against middle", "The weaker end over the middle; 75 % is aimed at (common practice, no source)."),
    ("spread", "Spread",
     "Eight of ten readings lie within this of each other; about 100 PAR is aimed at for SPS (common practice, no "
     "source)."),
    ("hottest", "Hottest point", "At or below the rock top."),
    ("spill", "Spill", "Light that misses the opening."),
)  # fmt: skip
"""Verdicts that are shown for each kind, with what they say."""


@router.get("")
def show_kinds(request: Request, db: Db, measure: Unit, tank_id: RowId, setup: Looked = None) -> HTMLResponse:
    """Every kind of light, laid out by rule and set to the same PAR."""
    stored = tanks.open_tank(db, tank_id)
    looked = stored.setup(setup)
    options = technologies.compare_kinds(stored, looked.intent, STEPS[measure.unit])
    pictures = {}
    for option in options:
        fixtures = tuple(Kept(k, fixture) for k, fixture in enumerate(option.fixtures))
        alone = StoredSetup(0, option.name, True, fixtures)
        pictures[option.key] = draw_card(replace(stored, setups=(alone,)), small=True)
    cases = {option.key: Case(option.figures, stored.targets, looked.intent) for option in options}
    context = {
        "stored": stored,
        "options": options,
        "pictures": pictures,
        "target": technologies.target_par(stored, looked.intent),
        "judged": JUDGED,
        "grades": {key: {v.key: v for v in told(stored, case)} for key, case in cases.items()},
        "changes": {o.key: coral_change(stored, o.fixtures) for o in options},
    }
    return page(request, "kinds/kinds.html", context, tank=stored, setup=looked)


@router.post("/{key}/adopt")
def adopt(db: Db, measure: Unit, tank_id: RowId, key: str, setup: Looked = None) -> RedirectResponse:
    """Make a setup of one kind and open its chart."""
    new = technologies.adopt(db, tank_id, key, setup, STEPS[measure.unit])
    return go(f"/tanks/{tank_id}/chart", new)

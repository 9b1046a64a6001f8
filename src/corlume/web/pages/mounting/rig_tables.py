"""Tables of a rig on paper: mounts and marks, leads, shopping list and checklist."""

from __future__ import annotations

from collections.abc import Sequence

from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.mounting.cables import Lead, leads_of
from corlume.core.mounting.checklist import STAGES
from corlume.core.mounting.mount import MOUNT_TYPES, Mount, units_on
from corlume.core.mounting.mount_checks import check_mounts
from corlume.core.mounting.mounting_checks import ANSWERS, MountingCheck
from corlume.core.mounting.power_checks import check_power
from corlume.core.mounting.screw_marks import bears, screw_marks
from corlume.formats.measure import Measure
from corlume.services.mounting.checklist import checklist
from corlume.services.mounting.owned import Owned
from corlume.services.mounting.shopping_list import shopping_list
from corlume.store.tanks import StoredSetup, StoredTank

Tables = list[tuple[str, list[list[str]]]]
"""Tables, each with its title and its rows, the first of which is the head."""


def rig_tables(stored: StoredTank, setup: StoredSetup, shelf: Sequence[Owned], measure: Measure) -> dict[str, Tables]:
    """Tables by the part of the rig they belong to."""
    return {
        "mounts": _mounts(stored, setup, measure),
        "wiring": _wiring(stored, setup, measure),
        "shopping": [("Shopping list", shopping_rows(stored, setup, shelf, measure))],
        "checklist": _checklist(stored, setup, measure),
    }


def _mounts(stored: StoredTank, setup: StoredSetup, measure: Measure) -> Tables:
    whole, hung, u = setup.value, setup.hung, measure.unit
    used = [mount for mount in whole.mounts if units_on(mount, hung)]
    if not used:
        return []
    rows = [
        [m.name, MOUNT_TYPES[m.type], *map(measure.number, (m.x, m.y, m.length, m.width, m.height)), _load(m, hung)]
        for m in used
    ]
    marks = [
        [mount.name, mark.what]
        + [f"{measure.number(v)} from {edge}" for edge, v in zip(mark.edges, mark.distances, strict=True) if edge]
        for mount in used
        for mark in screw_marks(stored.tank, mount, hung)
    ]
    head = [f"{word}, {u}" for word in ("From left", "From front", "Length", "Width", "Above water")]
    found = [("Mounts", [["Mount", "Type", *head, "Must bear, kg"], *rows])]
    if marks:
        full = [[*mark, ""] if len(mark) < 4 else mark for mark in marks]
        found.append((f"Marks by tape, {u}", [["Mount", "What", "First edge", "Second edge"], *full]))
    return [*found, _checked(check_mounts(stored.tank, hung, whole.mounts, stored.surroundings), measure)]


def _load(mount: Mount, hung: Sequence[Fixture]) -> str:
    return str(bears(mount, hung) or "not known")


def _length(lead: Lead, measure: Measure) -> str:
    return measure.number(lead.have) if lead.have else "not entered"


def _wiring(stored: StoredTank, setup: StoredSetup, measure: Measure) -> Tables:
    whole, hung = setup.value, setup.hung
    leads = leads_of(hung, whole.cords, whole.power_parts, [letter(k) for k in range(len(hung))])
    rows = [
        [str(n), lead.start, lead.end, measure.number(lead.way), measure.number(lead.need), _length(lead, measure)]
        for n, lead in enumerate(leads, 1)
    ]
    head = [f"{word}, {measure.unit}" for word in ("Way", "Needed", "There is")]
    found = [("Leads", [["Label", "From", "To", *head], *rows])] if rows else []
    checks = check_power(hung, whole.cords, whole.power_parts, whole.mounts, stored.surroundings)
    return [*found, *([_checked(checks, measure)] if checks else [])]


def _checked(checks: Sequence[MountingCheck], measure: Measure) -> tuple[str, list[list[str]]]:
    rows = [
        [measure.fill(c.title, {}), ANSWERS[c.answer], *(measure.fill(text, c.lengths) for text in (c.found, c.rule))]
        for c in checks
    ]
    title = "Checks (common practice; local code and licensed work come first)"
    return title, [["What", "Result", "Found", "Rule"], *rows]


def shopping_rows(stored: StoredTank, setup: StoredSetup, shelf: Sequence[Owned], measure: Measure) -> list[list[str]]:
    """The shopping list with its head; sums where a price is known."""
    money = stored.running.currency
    rows = []
    for item in shopping_list(stored, setup, shelf):
        what = item.what.replace("{length}", measure.length(item.length)) if item.length else item.what
        known = [f"{item.price:.0f}", f"{item.count * item.price:.0f}"] if item.price else ["not known", ""]
        rows.append([what, str(item.count), *known, item.why])
    return [["What", "Count", f"Each, {money}", f"Sum, {money}", "For"], *rows]


def _checklist(stored: StoredTank, setup: StoredSetup, measure: Measure) -> Tables:
    found = checklist(stored, setup)
    rows: dict[str, list[list[str]]] = {}
    for step, kept in found.rows:
        done = kept.value.day.isoformat() if kept else "[  ]"
        words = measure.fill(step.words, step.lengths)
        rows.setdefault(STAGES[step.stage], []).append([done, words, step.caution])
    return [(f"Checklist: {name}", [["Done", "Step", "Caution"], *some]) for name, some in rows.items()]

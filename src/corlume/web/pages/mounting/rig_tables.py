"""Tables of a rig: mounts and marks, leads, shopping list and checklist."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from corlume.core.keeping.owned_item import OwnedItem
from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.mounting.cables import Lead, leads_of
from corlume.core.mounting.checklist import STAGES
from corlume.core.mounting.mount import MOUNT_TYPES, MountType
from corlume.core.mounting.mounting_checks import ANSWERS, MountingCheck
from corlume.core.mounting.power_checks import check_power
from corlume.core.mounting.screw_marks import bears
from corlume.formats.measure import Measure
from corlume.services.mounting.checklist import checklist
from corlume.services.mounting.mounting_sheet import MountSheet
from corlume.services.mounting.owned import Owned
from corlume.services.mounting.shopping_list import shopping_list
from corlume.store.tanks import StoredSetup, StoredTank

Tables = list[tuple[str, list[list[str]]]]
"""Tables, each with its title and its rows, the first of which is the head."""
Shelf = tuple[Sequence[Owned], Mapping[MountType, OwnedItem]]
"""Fixtures and mounts that are owned."""


def rig_tables(stored: StoredTank, setup: StoredSetup, shelf: Shelf, measure: Measure) -> dict[str, Tables]:
    """Tables by the part of the rig they belong to."""
    return {
        "wiring": _wiring(stored, setup, measure),
        "shopping": [("Shopping list", shopping_rows(stored, setup, shelf, measure))],
        "checklist": _checklist(stored, setup, measure),
    }


def mount_tables(sheet: MountSheet, hung: Sequence[Fixture], measure: Measure) -> Tables:
    """Mounts with what they are fixed to must bear, and their marks by tape; nothing where no mount holds a light."""
    head = [f"{word}, {measure.unit}" for word in ("From left", "From front", "Length", "Width", "Above water")]
    mounts = [
        [m.name, MOUNT_TYPES[m.type], *map(measure.number, (m.x, m.y, m.length, m.width, m.height)),
         str(bears(m, hung) or "not known")]
        for m in sheet.mounts
    ]  # fmt: skip
    marks = []
    for mount, mark in sheet.screws:
        pairs = [pair for pair in zip(mark.distances, mark.edges, strict=True) if pair[1]]
        places = [f"{measure.number(distance)} from {edge}" for distance, edge in pairs]
        marks.append([mount.name, mark.what, ", ".join(places)])
    found = []
    if mounts:
        found.append(("Mounts", [["Mount", "Type", *head, "Must bear, kg"], *mounts]))
    if marks:
        found.append((f"Marks by tape, {measure.unit}", [["Mount", "What", "Where"], *marks]))
    return found


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
    return [*found, *([check_rows(checks, measure)] if checks else [])]


def check_rows(checks: Sequence[MountingCheck], measure: Measure) -> tuple[str, list[list[str]]]:
    """Checks as a table with its title."""
    rows = [
        [measure.fill(c.title, {}), ANSWERS[c.answer], *(measure.fill(text, c.lengths) for text in (c.found, c.rule))]
        for c in checks
    ]
    title = "Checks (common practice; local code and licensed work come first)"
    return title, [["What", "Result", "Found", "Rule"], *rows]


def shopping_rows(stored: StoredTank, setup: StoredSetup, shelf: Shelf, measure: Measure) -> list[list[str]]:
    """The shopping list with its head; sums where a price is known."""
    money = stored.running.currency
    rows = []
    for item in shopping_list(stored, setup, *shelf):
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

"""Results on the page Layout as rows of one table, from search and by rule, all ranked the same way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any
from urllib.parse import urlencode

from fastapi.responses import HTMLResponse
from markupsafe import Markup

from corlume.core.errors import InvalidInput
from corlume.core.judging.figures import Figures
from corlume.core.judging.intent import Intent
from corlume.core.judging.verdicts import Verdict, VerdictCase
from corlume.core.light.fixture import Fixture
from corlume.formats.measure import Measure
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.judging.judge import verdicts_of_case
from corlume.services.judging.suggested_changes import ProblemReport
from corlume.services.keeping import fixture_library
from corlume.services.keeping.fixture_settings import SettingWords, settings_in_words
from corlume.services.light.fields import slice_plane
from corlume.services.search.candidate import Found
from corlume.services.search.costs import YEARS
from corlume.services.search.layout_ranking import LayoutRanking, ahead_for
from corlume.services.search.proposal import Proposal, Proposer, suggested
from corlume.services.search.search_jobs import Search
from corlume.services.search.search_request import SearchRequest, intent_of
from corlume.services.search.search_results import in_order
from corlume.services.search.starting_points import StartingPoint
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredSetup, StoredTank
from corlume.web.drawing.plan_chart import plan_chart
from corlume.web.drawing.tank_card import draw_card, draw_card_front
from corlume.web.request.page import templates

LARGE = 640.0
"""Width of a large map [drawing units]."""


@dataclass(slots=True)
class Row:
    """A result in the table: what it is, its rule, its effects, and how it is saved as a setup."""

    title: str
    about: str
    does: Proposal
    grades: dict[str, Verdict]
    post: str
    hidden: dict[str, str] = field(default_factory=dict)
    first_for: str = ""

    @property
    def map_url(self) -> str:
        """Address of its large map."""
        return f"{self.post}/map{'?' if self.hidden else ''}{urlencode(self.hidden)}"

    @property
    def settings(self) -> list[SettingWords]:
        """Settings of its fixtures."""
        return settings_in_words(self.does.fixtures)


def start_rows(
    stored: StoredTank, setup: StoredSetup, entry: CatalogueEntry, starts: Sequence[StartingPoint],
    entries: Sequence[CatalogueEntry], wish: SearchRequest,
) -> list[Row]:  # fmt: skip
    """Starting points by rule, the best rank first."""
    hidden = {"entry": entry.key, "setup": str(setup.id)}
    proposer = Proposer(stored, LayoutRanking.of(stored, wish), entries)
    rows = [
        Row(
            title=start.rule,
            about=start.why,
            does=proposer.of(start.fixtures, start.figures),
            grades=graded(stored, start.figures, setup.intent),
            post=f"/tanks/{stored.id}/layout/start/{k}",
            hidden=hidden,
        )
        for k, start in enumerate(starts)
    ]
    return sorted(rows, key=lambda row: row.does.rank.points)


def found_rows(
    stored: StoredTank, setup: StoredSetup, found: Search, entries: Sequence[CatalogueEntry], starts: Sequence[Row],
    measure: Measure,
) -> list[Row]:  # fmt: skip
    """Results of a search, the best rank first; and why the first beats a rule that leads in most columns."""
    intent = intent_of(stored, found.wish)
    try:
        answers = in_order(stored, found.wish, found.found, entries, setup.hung)
    except InvalidInput:
        return []
    rows = [
        Row(
            title="",
            about=made_of(one.found, measure),
            does=one.proposal,
            grades=graded(stored, one.found.figures, intent),
            post=f"/tanks/{stored.id}/layout/{found.id}/adopt/{one.number}",
        )
        for one in answers
    ]
    for row, title in zip(rows, _titles(rows, starts, cheapest=found.wish.means == "cheapest"), strict=True):
        row.title = title
    if rows:
        rows[0].first_for = _first_for(rows[0], starts)
    return rows


def _first_for(first: Row, starts: Sequence[Row]) -> str:
    """Why a result ranks before a rule that leads in most columns, in a line; or that the rule ranks first."""
    for rule in starts:
        pairs = [
            (first.does.figures.coverage, rule.does.figures.coverage),
            (first.does.figures.plane.tenth_share, rule.does.figures.plane.tenth_share),
            (-abs(1 - first.does.figures.ends.share), -abs(1 - rule.does.figures.ends.share)),
            (-first.does.figures.plane.spread, -rule.does.figures.plane.spread),
            (-first.does.figures.watts, -rule.does.figures.watts),
            (-first.does.money.total, -rule.does.money.total),
        ]
        better = sum(theirs > mine for mine, theirs in pairs)
        if rule.does.rank.points < first.does.rank.points:
            return f"By rule, {rule.title} ranks before it."
        if better > len(pairs) / 2:
            gain = ahead_for(first.does.figures, rule.does.figures)
            off = f"off target {100 * rule.does.rank.off:.0f} to {100 * first.does.rank.off:.0f} %"
            return f"{rule.title} by rule is better in most columns; this comes first for {gain or off}."
    return ""


def made_of(one: Found, measure: Measure) -> str:
    """How many of which fixture hang how high."""
    count = "" if one.layout.outer else f"{len(one.layout.places) * len(one.layout.rows)} "
    return f"{count}{one.name} at {measure.length(one.layout.height)}"


def _titles(rows: Sequence[Row], starts: Sequence[Row], *, cheapest: bool) -> list[str]:
    """Titles: best where no rule ranks before it, best with fewer, best for your corals; the others by their place."""
    count = [len(row.does.fixtures) for row in rows]
    leaving = [len(row.does.corals.leave) for row in rows]
    titles = [f"No. {k + 1}" for k in range(len(rows))]
    if rows and (cheapest or all(rows[0].does.rank.points <= rule.does.rank.points for rule in starts)):
        titles[0] = "Cheapest" if cheapest else "Best"
    if count and min(count) < count[0]:
        titles[count.index(min(count))] = "Best with fewer"
    if leaving and min(leaving) < leaving[0]:
        at = leaving.index(min(leaving))
        titles[at] += ", best for your corals" if titles[at] == "Best with fewer" else ""
        titles[at] = titles[at] if "corals" in titles[at] else "Best for your corals"
    return titles


def render_rows(stored: StoredTank, rows: Sequence[Row], measure: Measure) -> str:
    try:
        pictures = [picture_of(stored, row.does.fixtures, small=True) for row in rows]
    except InvalidInput:
        pictures = []
    return templates.get_template("search/rows.html").render(
        rows=rows, pictures=pictures, stored=stored, measure=measure, years=YEARS
    )


def picture_of(stored: StoredTank, fixtures: Sequence[Fixture], *, zones: bool = False, small: bool = False) -> Markup:
    """The plan under fixtures, without numbers; a ``small`` one is for a cell of a table."""
    return draw_card(replace(stored, setups=(_alone(fixtures),)), zones=zones, small=small)


def large_map(stored: StoredTank, fixtures: Sequence[Fixture], title: str) -> HTMLResponse:
    """The PAR map at the rock top under the fixtures of a result, large enough to read, with their outlines."""
    tank, hung = stored.lit_tank(), _alone(fixtures).hung
    plane = slice_plane(tank, hung, "plan", tank.rock_top())
    bands, label = stored.targets.bands(), f"PAR at the rock top under {title}"
    chart = plan_chart(tank, plane, bands, width=LARGE, label=label, fixtures=hung)
    return HTMLResponse(
        templates.get_template("search/large_map.html").render(
            chart=chart, front=draw_card_front(stored, hung), bands=bands, title=title
        )
    )


def _alone(fixtures: Sequence[Fixture]) -> StoredSetup:
    return StoredSetup(0, "", True, tuple(Kept(k, fixture) for k, fixture in enumerate(fixtures)))


def graded(stored: StoredTank, figured: Figures, intent: Intent) -> dict[str, Verdict]:
    """Verdicts of figures computed before, as on the PAR map."""
    return {verdict.key: verdict for verdict in verdicts_of_case(stored, VerdictCase(figured, stored.targets, intent))}


def faults_context(
    db: Database, stored: StoredTank, fixtures: Sequence[Fixture], intent: Intent, found: ProblemReport
) -> dict[str, Any]:
    """Template context of problems and suggested changes."""
    now, changes = suggested(stored, fixtures, intent, found, fixture_library.entries(db))
    return {
        "stored": stored,
        "found": found,
        "titles": {finding.fault.key: finding.fault.title for finding in found.findings},
        "now": now,
        "changes": changes,
        "low": now is not None and any(part.key == "low" for part in now.figures.parts),
        "years": YEARS,
    }

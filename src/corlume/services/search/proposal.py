"""A proposal of lights with all its effects: one card for layouts, starting points and suggested changes."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from corlume.core.judging.figures import Figures
from corlume.core.judging.intent import Intent
from corlume.core.light.fixture import Fixture
from corlume.core.light.penumbra import shadow_edge_width
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.judging.suggested_changes import ProblemReport, SuggestedChange
from corlume.services.keeping.fixture_settings import SettingWords, setting_changes
from corlume.services.light.points import same_tank
from corlume.services.placement.zone_placement import CoralChange, coral_change
from corlume.services.search.costs import Costs, five_year_costs
from corlume.services.search.layout_ranking import LayoutRanking, Rank
from corlume.store.tanks import StoredTank


@dataclass(frozen=True, slots=True)
class Proposal:
    """Proposed lights and their effects.

    Parameters
    ----------
    rank : by what it is ranked among others, in points.
    edge : width of a shadow's edge 10 cm below a ledge at the middle of the rock top [m].
    corals : which placed corals leave or enter their range, against the setup in use.
    money : what it costs over five years.
    """

    fixtures: tuple[Fixture, ...]
    figures: Figures
    rank: Rank
    edge: float
    corals: CoralChange
    money: Costs


@dataclass(frozen=True, slots=True)
class Proposer:
    """Computes proposals for one tank, all ranked the same way; ``hung`` is what the keeper has besides the setup in
    use, and ``entries`` the fixture library with its prices.
    """

    stored: StoredTank
    ranking: LayoutRanking
    entries: Iterable[CatalogueEntry] = ()
    hung: Sequence[Fixture] = ()

    def of(
        self, fixtures: Sequence[Fixture], figures: Figures, corals: CoralChange | None = None, refitted: str = ""
    ) -> Proposal:
        """Return the effects of some fixtures; ``refitted`` says in a word what is changed on them."""
        corals = corals or coral_change(self.stored, fixtures)
        return Proposal(
            fixtures=tuple(fixtures),
            figures=figures,
            rank=self.ranking.of_fixtures(fixtures, corals, refitted),
            edge=edge_of(self.stored, fixtures),
            corals=corals,
            money=five_year_costs(self.stored, fixtures, self.entries, self.hung),
        )


def edge_of(stored: StoredTank, fixtures: Sequence[Fixture]) -> float:
    """Width of a shadow's edge 10 cm below a ledge, over the middle of the tank at the rock top [m]."""
    tank = same_tank(stored.lit_tank())
    middle = (tank.length / 2, tank.width / 2, tank.rock_top())
    return shadow_edge_width(tank, [(f.emitter, f.strength) for f in fixtures], middle)


@dataclass(frozen=True, slots=True)
class Suggested:
    """A suggested change for a setup, with its effects and what to set for it."""

    remedy: SuggestedChange
    does: Proposal
    settings: list[SettingWords]


def suggested(
    stored: StoredTank,
    fixtures: Sequence[Fixture],
    intent: Intent,
    found: ProblemReport,
    entries: Iterable[CatalogueEntry],
) -> tuple[Proposal | None, list[Suggested]]:
    """Return every suggested change of a setup as a setup, ranked like layouts, the best first.

    None and nothing where no light is on.
    """
    if found.now is None:
        return None, []
    proposer = Proposer(stored, LayoutRanking.of_setup(stored, intent), list(entries), fixtures)
    changes = [
        Suggested(one, proposer.of(one.fixtures, one.figures, one.corals), setting_changes(fixtures, one.fixtures))
        for one in found.remedies
    ]
    return proposer.of(fixtures, found.now), sorted(changes, key=lambda one: one.does.rank.points)

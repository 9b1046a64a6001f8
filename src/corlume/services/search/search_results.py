"""Results of a search in order, each as a proposal with its effects and rank."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from corlume.core.light.fixture import Fixture
from corlume.core.light.lens import LENSES
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.search.candidate import Found
from corlume.services.search.layout_ranking import LayoutRanking
from corlume.services.search.proposal import Proposal, Proposer
from corlume.services.search.search_request import SearchRequest
from corlume.store.tanks import StoredTank


@dataclass(frozen=True, slots=True)
class SearchResult:
    """A result: its number in the search, and its effects."""

    number: int
    found: Found
    proposal: Proposal


def in_order(
    stored: StoredTank,
    wish: SearchRequest,
    found: Sequence[Found],
    entries: Iterable[CatalogueEntry] = (),
    hung: Sequence[Fixture] = (),
) -> list[SearchResult]:
    """Return results best first; unchanged when the search was for the cheapest.

    ``entries`` are the fixture library with its prices, ``hung`` what hung in the setup that the search began from.
    ``InvalidInput`` when the corals cannot be read, as where no water is left.
    """
    proposer = Proposer(stored, LayoutRanking.of(stored, wish), entries, hung if wish.keeps else ())
    answers = [
        SearchResult(number, one, proposer.of(one.fixtures, one.figures, refitted=refit(one)))
        for number, one in enumerate(found)
    ]
    return answers if wish.means == "cheapest" else sorted(answers, key=lambda answer: answer.proposal.rank.points)


def refit(one: Found) -> str:
    """What is changed on the fixtures of a result, in a word or two; empty for nothing."""
    words = [LENSES[one.layout.lens].words] if one.layout.lens else []
    words += ["outer ones leaned"] * bool(one.layout.lean) + ["two sizes"] * bool(one.layout.outer)
    return ", ".join(words)

"""The cheapest light over five years: every priced fixture of the library, scanned over the tank."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from corlume.core.errors import InvalidInput
from corlume.core.light.fixture import Fixture
from corlume.core.mounting.mount import Mount
from corlume.core.search.layout import Layout
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.search.arrangement import arrangement_of, by_rule, column_counts
from corlume.services.search.candidate import LEAST_LEVEL, MOST_FOUND, Found, SearchCase, SearchStep
from corlume.services.search.costs import five_year_costs
from corlume.services.search.layout_scores import judged
from corlume.services.search.mounted_case import case_on
from corlume.services.search.search_request import SearchRequest
from corlume.store.tanks import StoredTank

REACHED = 0.6
"""Share of the rock top in the band from which the search for the cheapest takes it as reached [-]; ours."""


def cheapest(
    stored: StoredTank,
    wish: SearchRequest,
    entries: Sequence[CatalogueEntry],
    setup: Sequence[Fixture],
    mounts: Sequence[Mount] = (),
) -> Iterator[SearchStep]:
    """Scan every priced fixture of the library; those that reach the target range come first, cheapest first.

    Modules are tried in the counts of the wish; of tubes, bars and frames that many would mean something else, and
    they are tried in the counts that they begin with.
    """
    able = sorted((entry for entry in entries if entry.price), key=lambda entry: entry.price)
    seen, found, limit = 0, list[Found](), float("inf")
    for k, entry in enumerate(able):
        laid, counts = arrangement_of(stored.tank, entry.parts), list(column_counts(stored, entry))
        if by_rule(laid):
            counts = [min(laid.most, count) for count in wish.counts]
        try:
            bare = replace(wish, counts=(counts[0], counts[-1]), symmetric=True)
            case = case_on(stored, entry, bare, setup, mounts, coarse=True)
        except InvalidInput:  # it takes more power or money than there is, or no mount holds it
            continue
        pool: list[Layout] = []
        for number, layouts in case.scan():
            seen += number
            pool += [one for one in layouts if min(one.levels) > LEAST_LEVEL or not laid.module.dims]
        for count in case.space.counts:
            best = min((one for one in pool if len(one.places) == count), key=lambda one: one.merit, default=None)
            best = best and case.snapped(best)
            if best is not None and _money(case, best) < limit:
                found.append(judged(case, best))
        found = sorted(found, key=_cheapness)[:MOST_FOUND]
        # what costs more than five that reach the band is not worth working out
        limit = found[-1].cost if sum(map(_reached, found)) == MOST_FOUND else limit
        yield SearchStep((k + 1) / len(able), seen, tuple(found), ())


def _cheapness(one: Found) -> tuple[bool, float]:
    """Cost of what reaches the target range, and after that the miss."""
    return not _reached(one), one.cost if _reached(one) else -one.figures.coverage


def _reached(one: Found) -> bool:
    return one.figures.coverage >= REACHED


def _money(case: SearchCase, layout: Layout) -> float:
    hung = layout.fixtures(case.laid.module)
    return five_year_costs(case.stored, [*hung, *case.space.others], case.sold, case.kept).total

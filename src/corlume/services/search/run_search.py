"""The layout search: how many, how high, how far apart, from a request to layouts."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from corlume.core.light.fixture import Fixture
from corlume.core.mounting.mount import Mount
from corlume.core.search.layout import Layout
from corlume.core.search.layout_search import TIDY, different, distinct
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.search.arrangement import as_found
from corlume.services.search.candidate import MOST_FOUND, SearchCase, SearchStep
from corlume.services.search.cheapest import cheapest
from corlume.services.search.dimming_search import keeping_corals, level_setup
from corlume.services.search.layout_scores import judged, reasoned, trade
from corlume.services.search.light_types import search_light_types
from corlume.services.search.mounted_case import case_on
from corlume.services.search.search_request import SearchRequest, check_request
from corlume.store.tanks import StoredTank

MOST_REFINED, LEAST_FOUND = 6, 3
"""How many layouts of the grid are refined, and how many different ones make the answer at least."""


def search(
    stored: StoredTank,
    entry: CatalogueEntry,
    wish: SearchRequest,
    setup: Sequence[Fixture] = (),
    entries: Sequence[CatalogueEntry] = (),
    mounts: Sequence[Mount] = (),
) -> Iterator[SearchStep]:
    """Search for layouts, height by height, then refine the best: a step at a time, so that it can be stopped.

    ``setup`` is what hangs now, for the means that keep it, ``entries`` the shelf, for the one that chooses from it,
    and ``mounts`` those of the setup, for a wish that names some. ``InvalidInput`` at once for a wish that cannot be.
    """
    check_request(stored, entry, wish)
    entry, entries = as_found(stored, entry), [as_found(stored, one) for one in entries]
    match wish.means:
        case "cheapest":
            return cheapest(stored, wish, entries or [entry], setup, mounts)
        case "kinds":
            return search_light_types(stored, wish)
        case "levels":
            return iter((level_setup(stored, wish, setup),))
    case = case_on(stored, entry, wish, setup, mounts)
    return _steps(case, setup, other_sizes(entry, entries) if case.on is None else ())


def other_sizes(entry: CatalogueEntry, entries: Sequence[CatalogueEntry]) -> list[CatalogueEntry]:
    """The two other modules of the same technology that are nearest in photon flux; none for long ones and frames."""
    if len(entry.parts) > 1 or entry.parts[0].emitter.made_by.long:
        return []
    one = entry.parts[0]
    alike = [other for other in entries if len(other.parts) == 1 and other.parts[0].dimmable == one.dimmable
             and other.parts[0].emitter.technology == one.emitter.technology]  # fmt: skip
    sizes = [other for other in alike if abs(math.log(other.parts[0].emitter.ppf / one.emitter.ppf)) > SAME_SIZE]
    return sorted(sizes, key=lambda other: abs(math.log(other.parts[0].emitter.ppf / one.emitter.ppf)))[:2]


SAME_SIZE = 0.2
"""Modules whose photon flux differs by less, as a logarithm, are of one size [-]; ours."""


def _steps(case: SearchCase, setup: Sequence[Fixture], sizes: Sequence[CatalogueEntry] = ()) -> Iterator[SearchStep]:
    """Scan, refine, and try lenses, lean, and another size outside."""
    seen, pool = 0, list[Layout]()
    curve: list[tuple[float, float, float]] = []
    for k, (number, layouts) in enumerate(case.scan()):
        seen += number
        pool += case.lively(layouts)
        if layouts:
            curve.append(trade(case, min(layouts, key=lambda one: one.merit)))
        done = 0.8 * (k + 1) / len(case.space.heights)
        yield SearchStep(done, seen, tuple(judged(case, one) for one in distinct(pool, 1)), tuple(curve))
    # a frame costs as many fields as it has parts
    chosen = distinct(pool, MOST_REFINED if len(case.laid.module.parts) == 1 else LEAST_FOUND)
    better: list[Layout] = []
    for k, layout in enumerate(chosen):
        better += case.lively(case.refined(layout))
        found = tuple(judged(case, one) for one in distinct(better, MOST_FOUND))
        yield SearchStep(0.8 + 0.15 * (k + 1) / len(chosen), seen, found, tuple(curve))
    if better:
        best = distinct(better, 1)[0]
        better += [one for one in case.lively(case.variants(best)) if one.merit < (1 - TIDY) * best.merit]
        mixing, mixed = _mixed(case, best, sizes)
        better += [mixed] if mixed and mixed.merit < (1 - TIDY) * best.merit else []
        answers = [(mixing if one.outer else case).finished(one) for one in distinct(better, MOST_FOUND)]
        if len(answers) < LEAST_FOUND:
            # all went to the same best: what else there is stands as the grid had it
            answers = distinct([*better, *pool], LEAST_FOUND)
        plainer = [one for layout in answers[:MOST_PLAINER] if not layout.outer for one in case.plainer(layout)]
        pool = [*((mixing if one.outer else case).snapped(one) for one in answers), *case.lively(plainer)]
        ranked = sorted(pool, key=lambda one: (mixing if one.outer else case).points(one))
        answers = different(ranked, MOST_FOUND)
        cases = [mixing if one.outer else case for one in answers]
        found = tuple(reasoned(of, judged(of, one), setup) for of, one in zip(cases, answers, strict=True))
        kept = keeping_corals(case.stored, case.wish, found, setup)
        yield SearchStep(1.0, seen, (*found, kept) if kept else found, tuple(curve))


MOST_PLAINER = 3
"""Of so many of the best layouts simpler versions are tried."""


def _mixed(case: SearchCase, best: Layout, sizes: Sequence[CatalogueEntry]) -> tuple[SearchCase, Layout | None]:
    """The best layout with another size in its outer columns, and its case."""
    if case.mine or case.laid.along != "x" or best.lens or best.lean:
        return case, None
    tried = [(mixing, found) for size in sizes if (found := (mixing := case.mixing(size)).mixed(best))]
    tried = [pair for pair in tried if pair[0].lively([pair[1]])]
    return min(tried, key=lambda pair: pair[1].merit, default=(case, None))

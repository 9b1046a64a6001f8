"""How many, how high, how far apart: the search from a keeper's wish to layouts."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from corlume.core.module import Layout
from corlume.core.scene import Fixture
from corlume.core.search import same_in_a_mirror
from corlume.reference.catalogue import FixtureKindEntry
from corlume.services.cheapest import cheapest
from corlume.services.hanging import MOST_FOUND, TIDY, Case, Step, judged, reasoned, trade
from corlume.services.levelling import level_setup
from corlume.services.wish import Wish, check_wish
from corlume.store.tanks import StoredTank

MOST_REFINED, LEAST_FOUND = 6, 3
"""How many layouts of the grid are refined, and how many different ones make the answer at least."""


def search(
    stored: StoredTank,
    kind: FixtureKindEntry,
    wish: Wish,
    setup: Sequence[Fixture] = (),
    kinds: Sequence[FixtureKindEntry] = (),
) -> Iterator[Step]:
    """Search for layouts, height by height, then refine the best: a step at a time, so that it can be stopped.

    ``setup`` is what hangs now, for the goals that keep it, and ``kinds`` the shelf, for the goal that chooses from
    it. ``InvalidInput`` at once for a wish that cannot be.
    """
    check_wish(stored, kind, wish)
    stored = replace(stored, tank=stored.lit_tank())
    match wish.goal:
        case "cheapest":
            return cheapest(stored, wish, kinds or [kind], setup)
        case "levels":
            return iter((level_setup(stored, wish, setup),))
    return _steps(Case.of(stored, kind, wish, setup), setup)


def _steps(case: Case, setup: Sequence[Fixture]) -> Iterator[Step]:
    """Scan, refine, and try lenses and lean."""
    seen, pool = 0, list[Layout]()
    curve: list[tuple[float, float, float]] = []
    for k, (number, layouts) in enumerate(case.scan()):
        seen += number
        pool += layouts
        if layouts:
            curve.append(trade(case, min(layouts, key=lambda one: one.merit)))
        done = 0.8 * (k + 1) / len(case.space.heights)
        yield Step(done, seen, tuple(judged(case, one) for one in distinct(pool, 1)), tuple(curve))
    # a frame costs as many fields as it has parts
    chosen = distinct(pool, MOST_REFINED if len(case.rack.module.parts) == 1 else LEAST_FOUND)
    better: list[Layout] = []
    for k, layout in enumerate(chosen):
        better += case.refined(layout)
        found = tuple(judged(case, one) for one in distinct(better, MOST_FOUND))
        yield Step(0.8 + 0.15 * (k + 1) / len(chosen), seen, found, tuple(curve))
    if better:
        best = distinct(better, 1)[0]
        better += [one for one in case.variants(best) if one.merit < (1 - TIDY) * best.merit]
        answers = distinct(better, MOST_FOUND)
        if len(answers) < LEAST_FOUND:
            # all went to the same best: what else there is stands as the grid had it
            answers = distinct([*better, *pool], LEAST_FOUND)
        found = tuple(reasoned(case, judged(case, one), setup) for one in answers)
        yield Step(1.0, seen, found, tuple(curve))


def distinct(pool: Sequence[Layout], most: int) -> list[Layout]:
    """The best layouts that differ from each other in count, by 6 cm of height, or by 6 cm of spacing, best first.

    The best of every count goes before the second of any, as fewer or more is what a keeper asks about first.
    """
    ranked = sorted(pool, key=_rank)
    firsts = {len(one.places): one for one in reversed(ranked)}
    kept: list[Layout] = []
    for one in [*sorted(firsts.values(), key=_rank), *ranked]:
        if len(kept) < most and all(_differs(one, other) for other in kept):
            kept.append(one)
    return sorted(kept, key=_rank)


def _rank(layout: Layout) -> float:
    return layout.merit * (1 - TIDY * layout.mirrored)


def _differs(one: Layout, other: Layout) -> bool:
    if len(one.places) != len(other.places) or abs(one.height - other.height) >= 0.06:
        return True
    if (one.fwhm, one.lean) != (other.fwhm, other.lean):
        return True
    return not same_in_a_mirror(one.places, other.places, 0.06)

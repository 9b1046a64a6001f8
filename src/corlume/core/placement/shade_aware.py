"""Assignments in which every coral keeps its light: those of the integer programme, repaired for shade.

Who shades whom depends on the whole plan, so that it stands outside of the programme: a pair of places of which one
darkens the other is forbidden from then on, and corals that are left out are put back wherever all keep their light.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Protocol

import numpy as np

from corlume.core.placement.assignment import Assignment, Places, UnplacedCorals, greedy, solve

ROUNDS = 8
"""How often the programme is solved again with the pairs forbidden that shade each other, at most; ours."""


class Shading(Protocol):
    """Effect of an assignment on the light of its corals."""

    def dark(self, places: Mapping[int, int]) -> Sequence[tuple[int, int]]:
        """Pairs of a coral left out of range and the one that shades it; the coral twice where no single other one
        does.
        """
        ...

    def first_lit(self, coral: int, places: Mapping[int, int], seats: Sequence[int]) -> int | None:
        """The first of some spots where a coral is in range and takes no other coral out of it; None for none."""
        ...


def solve_lit(
    stock: UnplacedCorals,
    shading: Shading,
    *,
    left: Callable[[], float],
    fixed: Mapping[int, int] | None = None,
) -> Iterator[Assignment]:
    """Yield better and better assignments in which every coral is in range, while there is time ``left`` [s]; see
    ``solve``.

    The last is the best; its gap is None where shade made a difference.
    """
    fixed, plain = dict(fixed or {}), stock
    best = lit_greedy(stock, shading, fixed)
    yield best
    for _ in range(ROUNDS):
        for found in solve(stock, seconds=max(0.5, left()), fixed=fixed):
            lit = all_lit(plain, shading, found, fixed)
            if lit.value > best.value + 1e-6 or lit.places == best.places:
                best = lit
                yield best
            if left() <= 0:
                return
        pairs = shading.dark(found.places)
        if not pairs:
            return
        stock = _forbidding(stock, found.places, pairs, fixed)


def lit_greedy(stock: UnplacedCorals, shading: Shading, fixed: Mapping[int, int]) -> Assignment:
    """The greedy assignment with every coral in range."""
    places = greedy(stock, fixed)
    return all_lit(stock, shading, Assignment(places, stock.value(places)), fixed)


def all_lit(stock: UnplacedCorals, shading: Shading, found: Assignment, fixed: Mapping[int, int]) -> Assignment:
    """Repair an assignment until every coral is in range: of two that shade each other the one worth less is unplaced,
    and unplaced corals are put back where all stay in range.
    """
    places = dict(found.places)
    while pairs := shading.dark(places):
        able = [c for pair in pairs[:1] for c in pair if c in places and c not in fixed]
        if not able:
            break
        places.pop(min(able, key=lambda c: stock.worth[c, places[c]]))
    _put_back(stock, shading, places)
    same = places == found.places
    return Assignment(places, stock.value(places), found.gap if same else None)


def _put_back(stock: UnplacedCorals, shading: Shading, places: Places) -> None:
    """Give each unplaced coral the best spot where all stay in range, those with most to gain first."""
    left = {c: stock.worth[c].max(initial=0.0) for c in range(len(stock.worth)) if c not in places}
    for coral in sorted(left, key=lambda c: -left[c]):
        seat = free_and_lit(stock, shading, places, coral)
        if seat is not None:
            places[coral] = seat


def free_and_lit(stock: UnplacedCorals, shading: Shading, places: Mapping[int, int], coral: int) -> int | None:
    """The best spot for a coral where all stay in range; None when there is none."""
    able = np.flatnonzero(stock.free(coral, places))
    order = able[np.argsort(-stock.worth[coral, able], kind="stable")].tolist()
    return shading.first_lit(coral, places, order) if order else None


def _forbidding(
    stock: UnplacedCorals, places: Mapping[int, int], pairs: Sequence[tuple[int, int]], fixed: Mapping[int, int]
) -> UnplacedCorals:
    """The problem with such pairs of spots forbidden together, or one alone where the other is fixed or not known."""
    worth, never = stock.worth.copy(), set(stock.never)
    for coral, other in pairs:
        moving = [c for c in dict.fromkeys((coral, other)) if c not in fixed]
        if len(moving) == 2:
            one, two = sorted((c, places[c]) for c in moving)
            never.add((one, two))
        elif moving:
            worth[moving[0], places[moving[0]]] = 0.0
    return replace(stock, worth=worth, never=frozenset(never))

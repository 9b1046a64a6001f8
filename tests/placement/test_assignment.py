"""Corals and seats: the programme against brute force, no rule ever broken, never worse than the greedy answer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import product

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from corlume.core.placement.assignment import UnplacedCorals, greedy, second_best, solve
from corlume.core.placement.shade_aware import free_and_lit, solve_lit


def stock_of(seed: int, corals: int, seats: int) -> UnplacedCorals:
    random = np.random.default_rng(seed)
    worth = random.uniform(0.1, 1.0, (corals, seats)) * (random.random((corals, seats)) < 0.7)
    apart = random.choice([0.0, 0.1, 0.25, 0.5], (corals, corals))
    apart = np.maximum(apart, apart.T)
    return UnplacedCorals(worth, random.uniform(0, 1, (seats, 3)) * (1.0, 0.5, 0.4), apart)


def by_brute_force(stock: UnplacedCorals) -> float:
    corals, seats = stock.worth.shape
    best = 0.0
    for row in product(range(-1, seats), repeat=corals):
        places = {c: s for c, s in enumerate(row) if s >= 0}
        if len(set(places.values())) == len(places) and stock.holds(places):
            best = max(best, stock.value(places))
    return best


@settings(deadline=None, max_examples=25)
@given(seed=st.integers(0, 10_000), corals=st.integers(1, 4), seats=st.integers(1, 6))
def test_programme_finds_what_brute_force_finds(seed: int, corals: int, seats: int) -> None:
    stock = stock_of(seed, corals, seats)
    first, *_, last = [*solve(stock, seconds=5.0)] * 2
    assert abs(last.value - by_brute_force(stock)) < 1e-6
    assert stock.holds(last.places)
    assert last.value >= first.value - 1e-9
    assert last.gap is not None
    assert last.gap < 1e-3


def test_programme_finds_what_brute_force_finds_of_six_corals_and_eight_seats() -> None:
    stock = stock_of(3, 6, 8)
    *_, last = solve(stock, seconds=10.0)
    assert abs(last.value - by_brute_force_pruned(stock)) < 1e-6


def by_brute_force_pruned(stock: UnplacedCorals) -> float:
    """All assignments, one coral after the other, leaving out what breaks a rule already."""

    def best(coral: int, places: dict[int, int]) -> float:
        if coral == len(stock.worth):
            return 0.0
        found = best(coral + 1, places)
        for seat in np.flatnonzero(stock.free(coral, places)).tolist():
            found = max(found, stock.worth[coral, seat] + best(coral + 1, {**places, coral: seat}))
        return found

    return best(0, {})


@settings(deadline=None, max_examples=25)
@given(seed=st.integers(0, 10_000), corals=st.integers(2, 9), seats=st.integers(3, 30), held=st.integers(0, 2))
def test_no_pin_seat_or_distance_is_ever_broken(seed: int, corals: int, seats: int, held: int) -> None:
    stock = stock_of(seed, corals, seats)
    fixed = dict(list(greedy(stock).items())[:held])
    before = 0.0
    for placing in solve(stock, seconds=2.0, fixed=fixed):
        assert stock.holds(placing.places)
        assert fixed.items() <= placing.places.items()
        assert placing.value >= before - 1e-9
        before = placing.value
        for coral in range(corals):
            seat = second_best(stock, placing.places, coral)
            if seat is not None:
                assert stock.holds({**placing.places, coral: seat})


def test_more_pairs_than_one_programme_takes_are_improved_some_at_a_time() -> None:
    stock = stock_of(11, 40, 420)
    stock = replace(stock, apart=0.6 * stock.apart)
    found = list(solve(stock, seconds=4.0))
    assert (stock.worth > 0).sum() > 11_000
    assert [one.value for one in found] == sorted(one.value for one in found)
    assert found[-1].value > found[0].value
    assert found[-1].gap is not None
    assert stock.holds(found[-1].places)


class ToyShade:
    """A coral takes a share of the light of every seat below it, the more the nearer; each wants half of what is left
    of the light at its seat.
    """

    def __init__(self, stock: UnplacedCorals, seed: int) -> None:
        points, random = stock.seats, np.random.default_rng(seed)
        aside = np.linalg.norm(points[:, None, :2] - points[None, :, :2], axis=-1)
        above = points[:, None, 2] < points[None, :, 2]
        self.takes = np.where(above & (aside < 0.4), random.uniform(0.1, 0.8, above.shape), 0.0)

    def dark(self, places: Mapping[int, int]) -> list[tuple[int, int]]:
        found = []
        for c, t in places.items():
            over = {a: float(self.takes[s, t]) for a, s in places.items() if a != c}
            if sum(over.values()) > 0.5:
                found.append((c, max(over, key=lambda a: over[a])))
        return found

    def first_lit(self, coral: int, places: Mapping[int, int], seats: Sequence[int]) -> int | None:
        return next((s for s in seats if not self.dark({**places, coral: s})), None)


def test_with_shade_plans_come_close_to_brute_force_and_leave_out_none_that_could_stay() -> None:
    """300 instances against every plan that there is: none in the dark, none left out who could be put back."""
    short = []
    for seed in range(300):
        stock = stock_of(seed, 3, 5)
        shade = ToyShade(stock, seed)
        *_, last = solve_lit(stock, shade, left=lambda: 5.0)
        assert stock.holds(last.places)
        assert not shade.dark(last.places)
        for coral in set(range(3)) - set(last.places):
            assert free_and_lit(stock, shade, last.places, coral) is None
        best = 0.0
        for row in product(range(-1, 5), repeat=3):
            places = {c: s for c, s in enumerate(row) if s >= 0}
            if len(set(places.values())) == len(places) and not shade.dark(places) and stock.holds(places):
                best = max(best, stock.value(places))
        short.append(best - last.value)
    assert np.mean(np.array(short) < 1e-6) > 0.97
    assert max(short) < 0.3

"""The best spots for many corals at once: an integer programme, started from a greedy assignment.

A coral takes one seat at most, a seat one coral, and two corals keep the distance that their sweepers and their grown
bodies ask for. What is made large is the sum of what the seats are worth to the corals that get them.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Places = dict[int, int]
"""The seat of every coral that has one, by index."""
MOST_PAIRS, MOST_ENTRIES = 4000, 60_000
"""Pairs of coral and seat, and entries of the distances between them, that one programme has at most; ours."""
WINDOW, WINDOW_SECONDS, FEW, MANY = 8, 2.0, 30, 10_000
"""Corals that are placed anew at a time where one programme would be too large, for how long at most [s], and how many
of its best seats each may have then; ours.
"""
MOST_TURNS = 4
"""How often windows go around at most; ours."""


@dataclass(frozen=True)
class UnplacedCorals:
    """Corals to place, and the spots they can have.

    Parameters
    ----------
    worth : (c, s) what a seat is worth to a coral, above 0; 0 where it must not sit.
    seats : (s, 3) where the seats are [m].
    apart : (c, c) distance that two corals keep, symmetric, 0 where they may touch [m].
    over : (c, c) the same as seen from above, so that none grows over another [m]; all 0 when left out.
    never : pairs of coral and seat that cannot both be, the lower coral first.
    """

    worth: Array
    seats: Array
    apart: Array
    over: Array | None = None
    never: frozenset[tuple[tuple[int, int], tuple[int, int]]] = frozenset()

    @cached_property
    def distances(self) -> Array:
        """Distances between spots (s, s) [m]."""
        return _distances(self.seats)

    @cached_property
    def from_above(self) -> Array:
        """Distances between spots as seen from above (s, s) [m]."""
        return _distances(self.seats[:, :2])

    def needs(self, coral: int, other: int) -> tuple[float, float]:
        """Distance that two corals keep, and that as seen from above [m]."""
        return float(self.apart[coral, other]), 0.0 if self.over is None else float(self.over[coral, other])

    def crowded(self, seat: int, needs: tuple[float, float]) -> NDArray[np.bool_]:
        """Which spots (s,) are too near to a given one, itself among them."""
        near = np.asarray((self.distances[seat] < needs[0] - 1e-9) | (self.from_above[seat] < needs[1] - 1e-9))
        near[seat] = True
        return near

    def value(self, places: Mapping[int, int]) -> float:
        """Return the worth of an assignment."""
        return float(sum(self.worth[c, s] for c, s in places.items()))

    def holds(self, places: Mapping[int, int]) -> bool:
        """Whether an assignment breaks no rule."""
        if any(self.worth[c, s] <= 0 for c, s in places.items()):
            return False
        taken = list(places.items())
        return all(self.clear(a, {b: t})[s] for k, (a, s) in enumerate(taken) for b, t in taken[k + 1 :])

    def clear(self, coral: int, places: Mapping[int, int]) -> NDArray[np.bool_]:
        """Which spots (s,) are far enough from the other corals."""
        able = np.ones(len(self.seats), dtype=bool)
        for other, seat in places.items():
            if other != coral:
                able &= ~self.crowded(seat, self.needs(coral, other))
                able[self._barred.get((other, seat), {}).get(coral, [])] = False
        return able

    @cached_property
    def _barred(self) -> dict[tuple[int, int], dict[int, list[int]]]:
        """Spots that other corals cannot have when a coral is on a spot, by coral."""
        found: dict[tuple[int, int], dict[int, list[int]]] = {}
        for one, two in self.never:
            for (a, s), (b, t) in ((one, two), (two, one)):
                found.setdefault((a, s), {}).setdefault(b, []).append(t)
        return found

    def free(self, coral: int, places: Mapping[int, int]) -> NDArray[np.bool_]:
        """Which spots (s,) a coral can have while the others stay."""
        return np.asarray(self.worth[coral] > 0) & self.clear(coral, places)


@dataclass(frozen=True)
class Assignment:
    """An assignment: no other is worth more by more than the share ``gap``; None where that is not known [-]."""

    places: Places
    value: float
    gap: float | None = None


def greedy(stock: UnplacedCorals, fixed: Mapping[int, int] | None = None) -> Places:
    """Assign spots one by one, next always the coral that would lose most by waiting.

    ``fixed`` corals keep their seats.
    """
    places: Places = dict(fixed or {})
    waiting = [c for c in range(len(stock.worth)) if c not in places]
    able = {c: stock.free(c, places) for c in waiting}
    while waiting:
        best: tuple[float, int, int] | None = None
        for c in waiting:
            worth = np.where(able[c], stock.worth[c], 0.0)
            if len(worth) == 0 or worth.max() <= 0:
                continue
            first = int(worth.argmax())
            # what is left for it when its best seat, and those around it, are gone
            rest = np.where(stock.distances[first] > NEAR, worth, 0.0).max()
            regret = float(worth[first] - rest) + 1e-3 * float(worth[first])
            if best is None or regret > best[0]:
                best = (regret, c, first)
        if best is None:
            break
        _, coral, seat = best
        places[coral] = seat
        waiting.remove(coral)
        for c in waiting:
            able[c] = able[c] & stock.clear(c, {coral: seat})
    return places


def _distances(points: Array) -> Array:
    steps = points[:, None, :] - points[None, :, :]
    found: Array = np.sqrt((steps * steps).sum(axis=-1))
    return found


NEAR = 0.08
"""Seats so near to each other fall together [m]; ours."""


def solve(
    stock: UnplacedCorals, *, seconds: float, fixed: Mapping[int, int] | None = None, seed: int = 7
) -> Iterator[Assignment]:
    """Yield better and better assignments: the greedy one, then those of the integer programme.

    A stock whose distances make a small programme is solved as one, within some seconds. Of a larger one, windows of
    ``WINDOW`` corals are placed anew in turn, the others held: each is so small that it ends by itself, as the solver
    looks at the clock only now and then; after each the best so far is yielded, so that whoever asks can stop. The gap
    is then against what the seats could be worth without distances.
    """
    fixed = dict(fixed or {})
    best = greedy(stock, fixed)
    limit = bound(stock, fixed)
    yield _placing(stock, best, limit)
    moving = [c for c in range(len(stock.worth)) if c not in fixed and (stock.worth[c] > 0).any()]
    whole = _pairs(stock, fixed, moving, MANY)
    rows = list(_rows(stock, *whole)) if len(whole[0]) <= MOST_PAIRS else []
    if rows and sum(map(len, rows)) <= MOST_ENTRIES:
        found = _programme(stock, fixed, whole, rows, seconds)
        if found is not None:
            places, gap = found
            better = places if stock.value(places) >= stock.value(best) else best
            yield _placing(stock, better, min(limit, stock.value(places) * (1 + gap)))
            return
    yield from _windows(stock, best, moving, limit, seed)


def bound(stock: UnplacedCorals, fixed: Mapping[int, int]) -> float:
    """Return an upper bound on the worth of any assignment: every coral on its best spot, distances ignored."""
    from scipy.optimize import linear_sum_assignment

    moving = [c for c in range(len(stock.worth)) if c not in fixed]
    if not moving:
        return stock.value(fixed)
    able = np.array([np.where(stock.free(c, fixed), stock.worth[c], 0.0) for c in moving]).reshape(len(moving), -1)
    rows, columns = linear_sum_assignment(able, maximize=True)
    return stock.value(fixed) + float(able[rows, columns].sum())


def _placing(stock: UnplacedCorals, places: Places, limit: float) -> Assignment:
    value = stock.value(places)
    return Assignment(places, value, max(0.0, limit / value - 1) if value else None if limit else 0.0)


def _windows(
    stock: UnplacedCorals, best: Places, moving: Sequence[int], limit: float, seed: int
) -> Iterator[Assignment]:
    """Improve an assignment some corals at a time, around each coral in turn, until a whole turn brings nothing."""
    random, idle = np.random.default_rng(seed), 0
    for k in range(MOST_TURNS * len(moving)):
        if k % len(moving) == 0:
            order, idle = random.permutation(moving).tolist(), idle + 1
            if idle > 1:
                return
        middle = order[k % len(moving)]
        at = stock.seats[best.get(middle, int(stock.worth[middle].argmax()))]
        near = sorted((c for c in moving if c in best), key=lambda c: float(np.linalg.norm(stock.seats[best[c]] - at)))
        without = random.permutation([c for c in moving if c not in best])[:2].tolist()
        window = sorted({middle, *without, *near[: WINDOW - 1 - len(without)]})
        held = {c: s for c, s in best.items() if c not in window}
        pairs = _pairs(stock, held, window, FEW)
        found = _programme(stock, held, pairs, list(_rows(stock, *pairs)), WINDOW_SECONDS)
        if found is not None and stock.value(found[0]) > stock.value(best) + 1e-6:
            best, idle = found[0], 0
        yield _placing(stock, best, limit)


Pairs = tuple[NDArray[np.int64], NDArray[np.int64]]


def _pairs(stock: UnplacedCorals, fixed: Mapping[int, int], moving: Sequence[int], most: int) -> Pairs:
    """Pairs of a coral and a spot it can have, at most so many of its best, while other corals are fixed."""
    found = []
    for c in moving:
        able = np.flatnonzero(stock.free(c, fixed))
        found += [(c, s) for s in able[np.argsort(-stock.worth[c, able], kind="stable")][:most]]
    corals, seats = np.array(found, dtype=np.int64).reshape(-1, 2).T
    return corals, seats


def _programme(
    stock: UnplacedCorals, fixed: Mapping[int, int], pairs: Pairs, rows: Sequence[NDArray[np.int64]], seconds: float
) -> tuple[Places, float] | None:
    """Solve the integer programme over some pairs: the assignment with the fixed corals, and its gap [-]; None for no
    answer.
    """
    from scipy.optimize import Bounds, LinearConstraint, milp
    from scipy.sparse import coo_matrix

    corals, seats = pairs
    if not len(corals):
        return dict(fixed), 0.0
    numbers = np.repeat(np.arange(len(rows)), [len(row) for row in rows])
    entries = np.concatenate(rows)
    matrix = coo_matrix((np.ones(len(entries)), (numbers, entries)), shape=(len(rows), len(corals)))
    answer = milp(
        -stock.worth[corals, seats],
        constraints=LinearConstraint(matrix.tocsr(), -np.inf, 1.0),
        integrality=np.ones(len(corals)),
        bounds=Bounds(0.0, 1.0),
        options={"time_limit": seconds, "mip_rel_gap": 1e-4},
    )
    if answer.x is None:
        return None
    chosen = np.flatnonzero(answer.x > 0.5)
    return dict(fixed) | {int(corals[k]): int(seats[k]) for k in chosen}, float(answer.mip_gap or 0.0)


def _rows(stock: UnplacedCorals, corals: NDArray[np.int64], seats: NDArray[np.int64]) -> Iterator[NDArray[np.int64]]:
    """Sets of pairs of which at most one can be chosen: those of a coral, of a spot, and of a spot with the too-near
    spots of another coral.
    """
    of_coral = {c: np.flatnonzero(corals == c) for c in np.unique(corals).tolist()}
    of_seat = {s: np.flatnonzero(seats == s) for s in np.unique(seats).tolist()}
    yield from of_coral.values()
    yield from (row for row in of_seat.values() if len(row) > 1)
    for other, theirs in of_coral.items():
        for seat, mine in of_seat.items():
            # a pair of corals is looked at from one side: it holds for the other as well
            alike: dict[tuple[float, float], list[int]] = {}
            for k in mine[corals[mine] < other].tolist():
                alike.setdefault(stock.needs(int(corals[k]), other), []).append(k)
            for needs, some in alike.items():
                crowded = stock.crowded(seat, needs)[seats[theirs]] & (seats[theirs] != seat)
                if any(needs) and crowded.any():
                    yield np.concatenate([some, theirs[crowded]])
    at = {pair: k for k, pair in enumerate(zip(corals.tolist(), seats.tolist(), strict=True))} if stock.never else {}
    yield from (np.array([at[one], at[two]]) for one, two in sorted(stock.never) if one in at and two in at)


def second_best(
    stock: UnplacedCorals,
    places: Mapping[int, int],
    coral: int,
    *,
    aside: float = 0.15,
    among: NDArray[np.bool_] | None = None,
) -> int | None:
    """Return the next best spot of a coral while the others stay, at least ``aside`` [m] from its own."""
    able = stock.free(coral, places)
    if among is not None:
        able = able & np.concatenate([among, np.zeros(len(able) - len(among), dtype=bool)])
    if coral in places:
        able = able & (stock.distances[places[coral]] >= aside)
    worth = np.where(able, stock.worth[coral], 0.0)
    return int(worth.argmax()) if len(worth) and worth.max() > 0 else None

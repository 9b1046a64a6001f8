"""A piece of rock of any shape, sampled along upright lines, and the runs in columns that fit it.

Each column of the rockwork has two by two lines. Where all four meet the same stretches of rock, a run is fitted with
a plane as its top and another as its bottom; where they do not, as at the edge of the rock, each line gives a run of
its own quarter of the column.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field

import numpy as np
from numba import njit
from numpy.typing import NDArray

Array = NDArray[np.float64]
Whole = NDArray[np.int64]
THIN = 5e-4
"""Stretches of rock thinner than this are no rock [m]."""


@dataclass(frozen=True, slots=True, eq=False)
class SampledRock:
    """Stretches of rock along upright lines.

    Parameters
    ----------
    lines : (k, 2) each line's number along x and y; line i lies at (i + 0.5) times half a column's size.
    starts : (k + 1,) the stretches of line n are ``tops[starts[n] : starts[n + 1]]``, from the highest down, apart from
        each other.
    tops, bottoms : (m,) depths below the water line [m].
    name : what the piece is called.
    flow : the flow noted on it.

    Two are equal when they hold the same rock under the same name.
    """

    lines: Whole
    starts: Whole
    tops: Array
    bottoms: Array
    name: str = ""
    flow: str = ""
    digest: bytes = field(init=False)

    def __post_init__(self) -> None:
        parts = (self.lines, self.starts, self.tops, self.bottoms)
        found = hashlib.blake2b(b"|".join(part.tobytes() for part in parts), digest_size=16)
        found.update(f"{self.name}|{self.flow}".encode())
        object.__setattr__(self, "digest", found.digest())

    def __eq__(self, other: object) -> bool:
        return isinstance(other, SampledRock) and self.digest == other.digest

    def __hash__(self) -> int:
        return hash(self.digest)


def no_rock() -> SampledRock:
    """A piece without any rock."""
    return SampledRock(np.empty((0, 2), np.int64), np.zeros(1, np.int64), np.empty(0), np.empty(0))


def sampled_from(i: Whole, j: Whole, tops: Array, bottoms: Array, name: str = "", flow: str = "") -> SampledRock:
    """Sort stretches of rock (m,) on lines (i, j) into a piece; those that overlap become one."""
    keep = bottoms - tops > THIN
    i, j, tops, bottoms = i[keep], j[keep], tops[keep], bottoms[keep]
    order = np.lexsort((tops, j, i))
    i, j, tops, bottoms = i[order], j[order], tops[order], bottoms[order]
    first = _join(i, j, tops, bottoms)
    i, j, tops, bottoms = i[first], j[first], tops[first], bottoms[first]
    new = np.ones(len(i), dtype=bool)
    new[1:] = (i[1:] != i[:-1]) | (j[1:] != j[:-1])
    starts = np.append(np.flatnonzero(new), len(i)).astype(np.int64)
    lines = np.column_stack((i[new], j[new])).astype(np.int64).reshape(-1, 2)
    return SampledRock(lines, starts, tops, bottoms, name, flow)


@njit(cache=True, error_model="numpy")
def _join(i: Whole, j: Whole, tops: Array, bottoms: Array) -> NDArray[np.bool_]:
    """Lengthen the first of stretches that overlap to their end, and tell which ones are such."""
    kept = np.ones(tops.shape[0], dtype=np.bool_)
    last = 0
    for k in range(1, tops.shape[0]):
        if i[k] == i[last] and j[k] == j[last] and tops[k] <= bottoms[last] + 1e-9:
            bottoms[last] = max(bottoms[last], bottoms[k])
            kept[k] = False
        else:
            last = k
    return kept


def thinned(rock: SampledRock, every: int) -> SampledRock:
    """The rock on every so many lines, an odd number, for columns so many times as wide."""
    i, j, tops, bottoms = _flat(rock)
    on = (i % every == every // 2) & (j % every == every // 2)
    return sampled_from(i[on] // every, j[on] // every, tops[on], bottoms[on], rock.name, rock.flow)


def together(one: SampledRock, other: SampledRock) -> SampledRock:
    """The rock of both, under the first one's name."""
    i, j, tops, bottoms = (np.concatenate(part) for part in zip(_flat(one), _flat(other), strict=True))
    return sampled_from(i, j, tops, bottoms, one.name, one.flow)


def _flat(rock: SampledRock) -> tuple[Whole, Whole, Array, Array]:
    i, j = np.repeat(rock.lines, np.diff(rock.starts), axis=0).T
    return i, j, rock.tops, rock.bottoms


def cut_lines(rock: SampledRock, carved: SampledRock) -> SampledRock:
    """The rock less what is carved."""
    where = {(int(i), int(j)): k for k, (i, j) in enumerate(carved.lines.tolist())}
    match = np.array([where.get((i, j), -1) for i, j in rock.lines.tolist()], dtype=np.int64)
    line, tops, bottoms = _cut(rock.starts, rock.tops, rock.bottoms, match, carved.starts, carved.tops, carved.bottoms)
    return sampled_from(rock.lines[line, 0], rock.lines[line, 1], tops, bottoms, rock.name, rock.flow)


@njit(cache=True, error_model="numpy")
def _cut(
    starts: Whole, tops: Array, bottoms: Array, match: Whole, others: Whole, first: Array, last: Array
) -> tuple[Whole, Array, Array]:
    most = tops.shape[0] + first.shape[0]
    for k in range(match.shape[0]):
        if match[k] >= 0:
            most += (starts[k + 1] - starts[k]) * (others[match[k] + 1] - others[match[k]])
    line, low, high, many = np.empty(most, np.int64), np.empty(most), np.empty(most), 0
    for k in range(match.shape[0]):
        for s in range(starts[k], starts[k + 1]):
            top = tops[s]
            if match[k] >= 0:
                for c in range(others[match[k]], others[match[k] + 1]):
                    if last[c] <= top or first[c] >= bottoms[s]:
                        continue
                    if first[c] > top:
                        line[many], low[many], high[many] = k, top, first[c]
                        many += 1
                    top = max(top, last[c])
            if top < bottoms[s]:
                line[many], low[many], high[many] = k, top, bottoms[s]
                many += 1
    return line[:many], low[:many], high[:many]


def lines_of_runs(column: Whole, runs: Array, ny: int, wide: float, deep: float) -> SampledRock:
    """Sample runs (n, 12) of columns (n,) along their lines; see ``rockwork``."""
    parts = []
    for right in (0, 1):
        for back in (0, 1):
            i, j = 2 * (column // ny) + right, 2 * (column % ny) + back
            x, y = (i + 0.5) * wide / 2, (j + 0.5) * deep / 2
            on = (x > runs[:, 6]) & (x < runs[:, 7]) & (y > runs[:, 8]) & (y < runs[:, 9])
            dx, dy = (right - 0.5) * wide / 2, (back - 0.5) * deep / 2
            tops, bottoms = (runs[:, c] + dx * runs[:, c + 1] + dy * runs[:, c + 2] for c in (0, 3))
            parts.append((i[on], j[on], tops[on], bottoms[on]))
    i, j, tops, bottoms = (np.concatenate(part) for part in zip(*parts, strict=True))
    return sampled_from(i, j, tops, bottoms)


def fitted_runs(rock: SampledRock, nx: int, ny: int, wide: float, deep: float) -> tuple[Whole, Array]:
    """Fit runs (n, 12) to a piece, with the column (n,) of each; see ``rockwork``. Lines beside the tank do not
    count.
    """
    inside = ((rock.lines >= 0) & (rock.lines < (2 * nx, 2 * ny))).all(axis=1)
    place = np.full((2 * nx, 2 * ny), -1, dtype=np.int64)
    here = rock.lines[inside]
    place[here[:, 0], here[:, 1]] = np.flatnonzero(inside)
    many = int(np.diff(rock.starts)[inside].sum())
    column, runs = np.empty(many, np.int64), np.zeros((many, 12))
    used = _fit(place, rock.starts, rock.tops, rock.bottoms, wide, deep, column, runs)
    return column[:used], runs[:used]


@njit(cache=True, error_model="numpy")
def _fit(
    place: Whole, starts: Whole, tops: Array, bottoms: Array, wide: float, deep: float, column: Whole, runs: Array
) -> int:
    nx, ny, many = place.shape[0] // 2, place.shape[1] // 2, 0
    for a in range(nx):
        for b in range(ny):
            p, q = place[2 * a, 2 * b], place[2 * a + 1, 2 * b]
            r, s = place[2 * a, 2 * b + 1], place[2 * a + 1, 2 * b + 1]
            if p < 0 and q < 0 and r < 0 and s < 0:
                continue
            alike = p >= 0 and q >= 0 and r >= 0 and s >= 0
            if alike:
                levels = starts[p + 1] - starts[p]
                for n in (q, r, s):
                    alike = alike and starts[n + 1] - starts[n] == levels
            if alike:
                for level in range(levels):
                    at = (starts[p] + level, starts[q] + level, starts[r] + level, starts[s] + level)
                    lowest = max(max(tops[at[0]], tops[at[1]]), max(tops[at[2]], tops[at[3]]))
                    end = min(min(bottoms[at[0]], bottoms[at[1]]), min(bottoms[at[2]], bottoms[at[3]]))
                    alike = alike and lowest < end
            if alike:
                for level in range(levels):
                    at = (starts[p] + level, starts[q] + level, starts[r] + level, starts[s] + level)
                    column[many] = a * ny + b
                    for c, depths in ((0, tops), (3, bottoms)):
                        runs[many, c] = 0.25 * (depths[at[0]] + depths[at[1]] + depths[at[2]] + depths[at[3]])
                        runs[many, c + 1] = (depths[at[1]] + depths[at[3]] - depths[at[0]] - depths[at[2]]) / wide
                        runs[many, c + 2] = (depths[at[2]] + depths[at[3]] - depths[at[0]] - depths[at[1]]) / deep
                    _bounded(runs, many, a * wide, (a + 1) * wide, b * deep, (b + 1) * deep, wide, deep)
                    many += 1
                continue
            for right in range(2):
                for back in range(2):
                    n = place[2 * a + right, 2 * b + back]
                    if n < 0:
                        continue
                    x, y = (a + 0.5 * right) * wide, (b + 0.5 * back) * deep
                    for k in range(starts[n], starts[n + 1]):
                        column[many] = a * ny + b
                        runs[many, 0], runs[many, 3] = tops[k], bottoms[k]
                        _bounded(runs, many, x, x + 0.5 * wide, y, y + 0.5 * deep, wide, deep)
                        many += 1
    return many


@njit(cache=True, error_model="numpy")
def _bounded(runs: Array, k: int, x0: float, x1: float, y0: float, y1: float, wide: float, deep: float) -> None:
    """Write a run's extent, and the least and greatest depth of its planes."""
    runs[k, 6], runs[k, 7], runs[k, 8], runs[k, 9] = x0, x1, y0, y1
    runs[k, 10] = runs[k, 0] - 0.5 * (abs(runs[k, 1]) * wide + abs(runs[k, 2]) * deep)
    runs[k, 11] = runs[k, 3] + 0.5 * (abs(runs[k, 4]) * wide + abs(runs[k, 5]) * deep)

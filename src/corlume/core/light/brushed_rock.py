"""Rock shaped by a brush: what strokes added to the rock of a tank, and what they carved out of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np

from corlume.core.light.rockwork import columns_of
from corlume.core.light.sampled_rock import SampledRock, cut_lines, no_rock, sampled_from, together
from corlume.core.schema import Text, limits

DRAWN = "Drawn rock"


@dataclass(frozen=True, slots=True)
class Strokes:
    """What all strokes together added and carved, never both in one place, with heights over the bottom pane as
    negative depths, and the inside length and width of the tank that their lines are of [m].
    """

    added: SampledRock
    carved: SampledRock
    length: float
    width: float

    def resized(self, length: float, width: float) -> Strokes:
        """The same on the lines of a tank of other inside measures [m]: from the nearest line that was drawn on."""
        if (self.length, self.width) == (length, width):
            return self
        was, now = columns_of(self.length, self.width), columns_of(length, width)
        old = self.length / was[0] / 2, self.width / was[1] / 2
        new = length / now[0] / 2, width / now[1] / 2
        counts = 2 * now[0], 2 * now[1]
        added, carved = (_on_lines(one, old, new, counts) for one in (self.added, self.carved))
        return Strokes(added, carved, length, width)

    def add(self, rock: SampledRock) -> Strokes:
        """The same with more rock."""
        return Strokes(together(self.added, rock), cut_lines(self.carved, rock), self.length, self.width)

    def carve(self, rock: SampledRock) -> Strokes:
        """The same with less rock."""
        return Strokes(cut_lines(self.added, rock), together(self.carved, rock), self.length, self.width)


def no_strokes(length: float, width: float) -> Strokes:
    """Nothing drawn yet in a tank of inside measures [m]."""
    return Strokes(no_rock(), no_rock(), length, width)


@dataclass(frozen=True, slots=True)
class BrushedRock:
    """The strokes in a tank: the hash under which they are kept, and the strokes, or None before they are loaded."""

    key: Annotated[str, Text("Strokes", 64, least=64, file="strokes", about="hash of their file in the zip")]
    strokes: Strokes | None = None

    def __post_init__(self) -> None:
        limits(self).finish()

    def laid(self, length: float, width: float, water_depth: float) -> tuple[SampledRock, SampledRock]:
        """What is added and what is carved, on the lines of a tank of inside measures [m] at depths below its water."""
        assert self.strokes is not None
        drawn = self.strokes.resized(length, width)
        return _lower(drawn.added, water_depth), _lower(drawn.carved, water_depth)


def _lower(rock: SampledRock, water_depth: float) -> SampledRock:
    tops = np.maximum(rock.tops + water_depth, 0.0)
    i, j = np.repeat(rock.lines, np.diff(rock.starts), axis=0).T
    return sampled_from(i, j, tops, rock.bottoms + water_depth, DRAWN)


def _on_lines(
    rock: SampledRock, old: tuple[float, float], new: tuple[float, float], counts: tuple[int, int]
) -> SampledRock:
    """Rock on lines of other steps along x and y [m]."""
    at = {(i, j): k for k, (i, j) in enumerate(map(tuple, rock.lines.tolist()))}
    parts: list[tuple[int, int, float, float]] = []
    for i in range(counts[0]):
        for j in range(counts[1]):
            k = at.get((int((i + 0.5) * new[0] / old[0]), int((j + 0.5) * new[1] / old[1])))
            if k is not None:
                first, end = rock.starts[k], rock.starts[k + 1]
                parts += [(i, j, float(rock.tops[s]), float(rock.bottoms[s])) for s in range(first, end)]
    rows = np.array(parts).reshape(-1, 4)
    return sampled_from(rows[:, 0].astype(np.int64), rows[:, 1].astype(np.int64), rows[:, 2], rows[:, 3], DRAWN)

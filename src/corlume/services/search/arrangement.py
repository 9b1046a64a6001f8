"""Arrangement of a module over a tank: modules along it, long tubes and bars side by side from front to back."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from corlume.core.light.fixture import Fixture, measured
from corlume.core.light.geometry import Tank
from corlume.core.search.layout import Axis, Layout, Module
from corlume.core.search.rules_of_thumb import PATCH, balanced, count_for, patches
from corlume.core.units import CM
from corlume.reference.catalogue import CatalogueEntry
from corlume.services.judging.judge import mean_on_top
from corlume.services.keeping.hung_fixtures import changed
from corlume.store.tanks import StoredTank

CLEARANCE = 3 * CM
"""Least room left over a fixture under canopy or ceiling [m]; ours."""
LONGEST_MODULE = 0.7
"""Longest face that is hung along the tank as a module, and not across it as a tube or bar [m]; ours."""
MOST = 8
"""Most columns that are laid side by side."""


@dataclass(frozen=True, slots=True)
class Arrangement:
    """A module over a tank: the axis along which its columns lie, that side's length and the rows [m]."""

    module: Module
    along: Axis
    side: float
    rows: tuple[float, ...]

    @property
    def gap(self) -> float:
        """Least distance between neighbouring columns [m]."""
        return 2 * self.module.half_extent()[0 if self.along == "x" else 1] + 1 * CM

    @property
    def most(self) -> int:
        """How many columns the side has clearance for, ``MOST`` at most."""
        return min(MOST, max(1, math.floor(self.side / self.gap)))

    def apart(self, places: Sequence[float]) -> bool:
        """Whether columns at these places leave each other clearance."""
        return all(b - a >= self.gap - 1e-9 for a, b in pairwise(places))

    def packed(self, count: int) -> tuple[float, ...]:
        """Places as close as bodies allow, about the middle [m]."""
        return tuple(0.5 * self.side + (k - 0.5 * (count - 1)) * self.gap for k in range(count))

    def layout(self, places: Sequence[float], height: float) -> Layout:
        """A layout at full output."""
        return Layout(tuple(places), height, self.rows, (1.0,) * len(places), along=self.along)

    def hung(self, tank: Tank, layout: Layout, *, others: Sequence[Fixture] = (), down: bool = False) -> list[Fixture]:
        """Fixtures of a layout as they would be saved: in whole percent, rounded ``down`` under a limit of power; parts
        of each frame under a name that none of the ``others`` has.
        """
        parts, whole = len(self.module.parts), math.floor if down else round
        taken = {other.frame for other in others}
        names = [name for n in range(1, 99) if (name := f"Frame {n}") not in taken]
        hung = []
        for k, fixture in enumerate(layout.fixtures(self.module)):
            frame = names[k // parts] if parts > 1 else ""
            output = whole(100 * fixture.output + 1e-9) / 100
            hung.append(changed(tank, replace(fixture, output=output, frame=frame), {}))
        return hung


def arrangement_of(tank: Tank, parts: Sequence[Fixture]) -> Arrangement:
    """Arrange a fixture, or the parts of a frame, over a tank."""
    module, emitter = Module.of(parts), parts[0].emitter
    if len(parts) == 1 and (emitter.made_by.long or emitter.length > LONGEST_MODULE):
        # as many end to end as there is room for
        length = 2 * module.half_extent()[0]
        fit = max(1, math.floor(tank.length / length + 0.05))
        rows = tuple((k + 0.5) / fit * tank.length for k in range(fit))
        return Arrangement(module, "y", tank.width, rows)
    return Arrangement(module, "x", tank.length, balanced(patches(tank.length, tank.width)[1], tank.width))


def as_found(stored: StoredTank, entry: CatalogueEntry) -> CatalogueEntry:
    """A fixture of the library with what the survey in use found of its sort, which a setup made of it will have."""
    return replace(entry, parts=tuple(measured(entry.parts, stored.correction)))


def by_rule(laid: Arrangement) -> bool:
    """Whether the trade's rule of cover applies to a fixture: one module, not a tube, a bar or a frame."""
    return laid.along == "x" and len(laid.module.parts) == 1


def column_counts(stored: StoredTank, entry: CatalogueEntry) -> dict[int, str]:
    """Counts of columns to begin with, fewest first, each with its rule."""
    tank, laid = stored.tank, arrangement_of(stored.tank, entry.parts)
    if by_rule(laid):
        along, across = patches(tank.length, tank.width)
        least, most = count_for(stored.targets.stocking, tank.length, tank.width)
        rules = {
            "coverage rule": along,
            "minimum for the corals kept": -(-least // across),
            "maximum for the corals kept": -(-most // across),
        }
    elif len(entry.parts) > 1:
        rules = {
            "a frame for each of its own lengths": max(
                1, round(tank.length / max(PATCH, 2 * laid.module.half_extent()[0]))
            )
        }
    else:
        rules = _counts_by_light(stored, laid)
    counts = sorted({max(1, min(laid.most, count)) for count in rules.values()})
    return {
        count: " and ".join(rule for rule, asks in rules.items() if max(1, min(laid.most, asks)) == count).capitalize()
        for count in counts
    }


def _counts_by_light(stored: StoredTank, laid: Arrangement) -> dict[str, int]:
    """Counts for tubes and bars, for which there is no rule: as many as bring the target range, by the light of the
    middle one.
    """
    height = min(stored.tank.room_height - CLEARANCE, 0.25)
    alone = laid.hung(stored.tank, laid.layout((0.5 * laid.side,), height))
    mean = mean_on_top(stored, alone)
    band = stored.targets.goal_band()
    least, most = (max(1, math.ceil(par / mean)) if mean > 0 else MOST for par in (band.low, band.high))
    return {"reaches the target range, by its output": least, "reaches its upper end": most}

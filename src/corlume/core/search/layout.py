"""A module that is hung repeatedly over a tank, and a layout of modules in columns and rows."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import InvalidInput
from corlume.core.light.beam_optics import with_optic
from corlume.core.light.field import Medium, channel_fields
from corlume.core.light.fixture import Fixture, extent, overlaps
from corlume.core.light.lens import LensKey

Array = NDArray[np.float64]
Axis = Literal["x", "y"]


@dataclass(frozen=True, slots=True)
class Module:
    """One fixture, or the parts of a frame that hangs as one piece.

    ``parts`` hang about the module's own place: x and y from the middle of them all, height over its lowest
    face [m]. ``second`` is another size of it, for layouts that mix two.
    """

    parts: tuple[Fixture, ...]
    second: tuple[Fixture, ...] = ()

    @classmethod
    def of(cls, parts: Sequence[Fixture]) -> Module:
        """Make a module of fixtures as they hang; at full output, level when there is one alone."""
        if len(parts) == 1:
            parts = [replace(parts[0], emitter=replace(parts[0].emitter, roll=0.0, pitch=0.0))]
        (x0, y0), (x1, y1) = extent(parts)
        lowest = min(p.emitter.height for p in parts)
        return cls(
            tuple(
                replace(
                    p,
                    output=1.0,
                    emitter=replace(
                        p.emitter,
                        x=p.emitter.x - 0.5 * (x0 + x1),
                        y=p.emitter.y - 0.5 * (y0 + y1),
                        # a face cannot lie at no height; what counts is by how much it hangs over the lowest
                        height=1.0 + p.emitter.height - lowest,
                    ),
                )
                for p in parts
            )
        )

    @property
    def dims(self) -> bool:
        """Whether any part of the module dims."""
        return any(p.dimmable for p in self.parts)

    def half_extent(self) -> tuple[float, float]:
        """Half of the module's extent along x and y [m]."""
        spans = [extent(parts) for parts in (self.parts, self.second) if parts]
        return max(0.5 * (high[0] - low[0]) for low, high in spans), max(
            0.5 * (high[1] - low[1]) for low, high in spans
        )

    def at(self, x: float, y: float, height: float) -> list[Fixture]:
        """Parts of the module at a place; ``InvalidInput`` when a tilted part would reach into the water."""
        return [
            replace(
                p,
                emitter=replace(
                    p.emitter, x=x + p.emitter.x, y=y + p.emitter.y, height=height + p.emitter.height - 1.0
                ),
            )
            for p in self.parts
        ]

    def groups(self) -> list[tuple[bool, float]]:
        """For each group with a level of its own, whether it dims and its power at full [W]; groups that dim come
        first.
        """
        return [
            (dims, sum(p.power for p in self.parts if p.dimmable == dims))
            for dims in (True, False)
            if any(p.dimmable == dims for p in self.parts)
        ]

    def fields(self, medium: Medium, points: Array, x: float, y: float, height: float) -> Array:
        """PAR (g, p) of each of ``groups`` at full output at points (p, 3) [umol/m2/s]."""
        hung = [(p.dimmable, _field(medium, p, points)) for p in self.at(x, y, height)]
        return np.array([sum(field for dims, field in hung if dims == group) for group, _ in self.groups()])

    def lensed(self, lens: LensKey) -> Module:
        """The module with other lenses on its LEDs."""
        return Module(
            tuple(
                replace(p, emitter=with_optic(p.emitter, lens)) if p.emitter.made_by.lensed else p for p in self.parts
            )
        )

    def leaned(self, angle: float, along: Axis) -> Module:
        """A module of one part, tilted so that its light goes on along an axis [rad]."""
        [part] = self.parts
        pitch, roll = (angle, 0.0) if along == "x" else (0.0, angle)
        return Module((replace(part, emitter=replace(part.emitter, pitch=pitch, roll=roll)),))


def _field(medium: Medium, part: Fixture, points: Array) -> Array:
    field: Array = np.tensordot(part.strengths, channel_fields(medium, part.emitter, points), 1)
    return field


@dataclass(frozen=True, slots=True)
class Layout:
    """Modules in columns and rows: places along ``along`` and rows along the other axis, height [m].

    ``levels`` are those of the columns [-]; ``off`` is how far off the aim the layout is, ``merit`` by what it is
    ranked: the square of that, and its waste [-]. ``lens`` is that put in, empty for the module's own; columns
    aside of ``middle`` [m] lean inward by ``lean`` [rad], and those further from it than ``outer`` are of the module's
    second size, none at 0 [m].
    """

    places: tuple[float, ...]
    height: float
    rows: tuple[float, ...]
    levels: tuple[float, ...]
    off: float = 0.0
    merit: float = 0.0
    lens: LensKey | Literal[""] = ""
    lean: float = 0.0
    middle: float = 0.0
    along: Axis = "x"
    outer: float = 0.0

    @property
    def mirrored(self) -> bool:
        """Whether the columns are their own mirror image about their middle, to half a centimetre."""
        sums = [a + b for a, b in zip(self.places, reversed(self.places), strict=True)]
        return max(sums) - min(sums) < 0.01

    @property
    def xs(self) -> tuple[float, ...]:
        """Where modules hang from the left pane [m]."""
        return self.places if self.along == "x" else self.rows

    @property
    def ys(self) -> tuple[float, ...]:
        """Where modules hang from the front pane [m]."""
        return self.rows if self.along == "x" else self.places

    def dressed(self, module: Module, place: float) -> Module:
        """The module of a column with its size, lenses and tilt."""
        aside = place - self.middle
        if self.outer and abs(aside) > self.outer:
            module = Module(module.second)
        if self.lens:
            module = module.lensed(self.lens)
        if self.lean and abs(aside) > 0.05:
            module = module.leaned(-math.copysign(self.lean, aside), self.along)
        return module

    def column(self, module: Module, place: float) -> list[Fixture]:
        """Fixtures of a column, at full output."""
        dressed = self.dressed(module, place)
        return [part for x, y in self._spots(place) for part in dressed.at(x, y, self.height)]

    def fields(self, medium: Medium, module: Module, place: float, points: Array) -> Array:
        """PAR (g, p) of a column at full output, for each of the module's groups [umol/m2/s]."""
        dressed = self.dressed(module, place)
        fields = [dressed.fields(medium, points, x, y, self.height) for x, y in self._spots(place)]
        total: Array = np.sum(fields, axis=0)
        return total

    def _spots(self, place: float) -> list[tuple[float, float]]:
        """x, y of the modules of a column [m]."""
        return [(place, row) if self.along == "x" else (row, place) for row in self.rows]

    def fixtures(self, module: Module) -> list[Fixture]:
        """All fixtures at their places, each column at its level where it dims."""
        return [
            replace(part, output=level if part.dimmable else 1.0)
            for place, level in zip(self.places, self.levels, strict=True)
            for part in self.column(module, place)
        ]

    def fits(self, module: Module, place: float, others: Sequence[Fixture]) -> bool:
        """Whether a column hangs clear of the water and of fixtures that are there already."""
        try:
            hung = self.column(module, place)
        except InvalidInput:
            return False
        return not any(overlaps([part, other]) for part in hung for other in others)

"""Correction of the predicted field by a survey in use: outputs, reflectances, water, lobes, and the residual field."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, fields, replace
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from corlume.core.cache import cached
from corlume.core.errors import Rules
from corlume.core.light.emitter import Emitter

Array = NDArray[np.float64]
Sort = tuple[str, float, float, float]
MOST_POINTS = 500


def fixture_sort(emitter: Emitter) -> Sort:
    """Sort of a fixture: technology, flux, and size of its emitting area."""
    return emitter.technology, emitter.ppf, emitter.length, emitter.width


class Scale(NamedTuple):
    """Scale of the residual field: standard deviation of its logarithm [-], and its correlation length [m]."""

    spread: float
    length_scale: float


def likeness(a: Array, b: Array, scale: Scale) -> Array:
    """Covariance (n, m) of the residual field's logarithm between points (n, 3) and (m, 3) [-]."""
    square = np.zeros((len(a), len(b)))
    for axis in range(3):
        square += np.square(a[:, axis, None] - b[None, :, axis])
    square *= -0.5 / scale.length_scale**2
    found: Array = np.exp(square, out=square)
    found *= scale.spread**2
    return found


class FixtureFactor(NamedTuple):
    """Fitted output of a fixture.

    Parameters
    ----------
    name, technology, ppf, length, width : which fixture, by its name and sort.
    factor : its light as a share of its figure [-].
    weak : whether it was taken for a lamp that fails.
    wider : its beam is so many times as wide at half maximum [-].
    middle, sides : shape modes of its beam, see ``BentLobe`` [-].
    x, y : where it hung as entered [m]; NaN in corrections of older surveys, which shift nothing.
    right, back : how far from there its light comes from [m].
    """

    name: str
    technology: str
    ppf: float
    length: float
    width: float
    factor: float
    weak: bool = False
    wider: float = 1.0
    middle: float = 0.0
    sides: float = 0.0
    x: float = math.nan
    y: float = math.nan
    right: float = 0.0
    back: float = 0.0

    @property
    def sort(self) -> Sort:
        """Sort of the fixture."""
        return self.technology, self.ppf, self.length, self.width

    def hangs_at(self, emitter: Emitter) -> bool:
        """Whether an emitter of the sort still hangs where it hung during the survey."""
        near = abs(self.x - emitter.x) < SAME_PLACE and abs(self.y - emitter.y) < SAME_PLACE
        return near and self.sort == fixture_sort(emitter)


SAME_PLACE = 5e-4
"""A fixture hangs where it was read when it is within this [m]."""


@dataclass(frozen=True, slots=True)
class Correction:
    """Correction of the model by a survey.

    Parameters
    ----------
    given : what each fixture of the survey was found to give, with its beam and its place.
    returns : reflectance of the left, right, front and back pane [-].
    water : absorption by CDOM at 440 nm, or plain attenuation, as the water was entered [1/m].
    points : where there are readings, rows of x, y, depth [m].
    left : logarithm of each over the model corrected so far [-].
    noise : variance of that [-].
    spread, length_scale : scale of the smooth factor.
    misfit : how far places and beams were found to be off, against what they can usually be [-].
    """

    given: tuple[FixtureFactor, ...]
    returns: tuple[float, ...]
    water: float
    points: tuple[tuple[float, ...], ...]
    left: tuple[float, ...]
    noise: tuple[float, ...]
    spread: float
    length_scale: float
    misfit: float = 1.0

    def __post_init__(self) -> None:
        rules = Rules()
        for fixture in self.given:
            rules.between("given", fixture.factor, 0.001, 10.0)
            rules.between("given", fixture.wider, 0.5, 2.0)
            for mode in (fixture.middle, fixture.sides):
                rules.between("given", mode, -2.0, 2.0)
            for off in (fixture.right, fixture.back):
                rules.between("given", off, -0.5, 0.5, "length")
        rules.that(len(self.returns) == 4, "returns", "must be four, one for each pane")
        for share in self.returns:
            rules.between("returns", share, 0.0, 1.0, "fraction")
        rules.between("water", self.water, 0.0, 5.0, "attenuation")
        rules.between("spread", self.spread, 0.0001, 1.0)
        rules.between("length_scale", self.length_scale, 0.01, 10.0, "length")
        rules.between("misfit", self.misfit, 0.05, 10.0)
        count = len(self.points)
        rules.that(0 < count <= MOST_POINTS, "points", f"must be one to {MOST_POINTS}")
        rules.that(len(self.left) == count == len(self.noise), "left", "must have one number for each point")
        numbers = [*self.left, *(x for point in self.points for x in point)]
        rules.that(all(map(np.isfinite, numbers)), "points", "must be numbers")
        rules.that(all(len(point) == 3 for point in self.points), "points", "must have x, y and depth")
        rules.that(all(0 < value < 1e9 for value in self.noise), "noise", "must be above nothing")
        rules.finish()

    def __hash__(self) -> int:
        return hash((self.water, self.left[0], len(self.left)))

    def factor(self, points: Array) -> Array:
        """Factor on predicted PAR at points (n, 3) [-]."""
        # every fixture over a slice asks for the same points
        return _factor(self, np.ascontiguousarray(points, dtype=np.float64).tobytes())

    def beam(self, emitter: Emitter) -> tuple[float, float, float]:
        """Fitted change of the beam of an emitter's sort: factor on its width, and its two shape modes [-]."""
        same = next((one for one in self.given if one.sort == fixture_sort(emitter)), None)
        return (same.wider, same.middle, same.sides) if same else (1.0, 0.0, 0.0)

    def shift(self, emitter: Emitter) -> tuple[float, float]:
        """Fitted offset of an emitter to the right and back [m]; zero once it was moved or its place corrected."""
        return next(((one.right, one.back) for one in self.given if one.hangs_at(emitter)), (0.0, 0.0))

    def on_emitter(self, emitter: Emitter) -> Emitter:
        """An emitter with its fitted beam and place, where its sort was surveyed."""
        wider, *modes = self.beam(emitter)
        right, back = self.shift(emitter)
        found = emitter.widened(wider).bent(*modes)
        return replace(found, x=found.x + right, y=found.y + back) if right or back else found

    def output(self, name: str, emitter: Emitter) -> float:
        """Fitted output of a fixture relative to its figure [-]: that of its name and sort, else the mean of its sort
        without failing lamps, else 1.
        """
        same = [one for one in self.given if one.sort == fixture_sort(emitter)]
        alike = [one.factor for one in same if one.name == name] or [one.factor for one in same if not one.weak]
        return float(np.exp(np.log(alike).mean())) if alike else 1.0

    def weak(self, name: str, emitter: Emitter) -> bool:
        """Whether the fixture of that name and sort was found to be failing."""
        return any(one.weak and one.name == name and one.sort == fixture_sort(emitter) for one in self.given)

    def plain(self) -> dict[str, Any]:
        """The correction as plain data, for a file or a row."""
        data = {f.name: getattr(self, f.name) for f in fields(self)}
        given = [{k: None if v != v else v for k, v in one._asdict().items()} for one in self.given]
        return data | {"given": given, "points": [list(p) for p in self.points]}

    @classmethod
    def of_plain(cls, data: Mapping[str, Any]) -> Correction:
        """Correction from plain data; ``InvalidInput``, ``ValueError``, ``TypeError`` or ``KeyError`` otherwise.

        Older corrections have one beam width for all fixtures.
        """
        common = {"wider": data["wider"]} if "wider" in data else {}

        def row(name: str) -> tuple[float, ...]:
            return tuple(map(float, data[name]))

        return cls(
            given=tuple(_given(common | one) for one in data["given"]),
            returns=row("returns"),
            water=float(data["water"]),
            points=tuple(tuple(map(float, point)) for point in data["points"]),
            left=row("left"),
            noise=row("noise"),
            spread=float(data["spread"]),
            length_scale=float(data["length_scale"]),
            misfit=float(data.get("misfit", 1.0)),
        )


def _given(data: Mapping[str, Any]) -> FixtureFactor:
    """Correction from plain data; NaN for values that older data do not have."""
    numbers = {k: float(data[k]) for k in FixtureFactor._fields[2:] if k != "weak" and data.get(k) is not None}
    return FixtureFactor(str(data["name"]), str(data["technology"]), weak=bool(data.get("weak", False)), **numbers)


@cached(8_000_000)
def _factor(correction: Correction, points: bytes) -> Array:
    """Factor (n,) at points given as a flat sequence of numbers."""
    near = likeness(
        np.frombuffer(points).reshape(-1, 3), np.array(correction.points),
        Scale(correction.spread, correction.length_scale),
    )  # fmt: skip
    found: Array = np.exp(near @ _pull(correction))
    return found


@lru_cache(maxsize=16)
def _pull(correction: Correction) -> Array:
    """Weight of each reading in the residual field (n,)."""
    points = np.array(correction.points)
    own = likeness(points, points, Scale(correction.spread, correction.length_scale)) + np.diag(correction.noise)
    found: Array = np.linalg.solve(own, np.array(correction.left))
    return found

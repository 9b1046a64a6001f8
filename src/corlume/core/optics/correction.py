"""What a survey in use corrects of the predicted field: outputs, returns, water, lobes, and a smooth factor over it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.memory import remembered
from corlume.core.optics.emitter import Emitter

Array = NDArray[np.float64]
Sort = tuple[str, float, float, float]
MOST_POINTS = 500


def sort_of(emitter: Emitter) -> Sort:
    """What fixtures of one sort have alike: technology, flux, and the size of their face."""
    return emitter.technology, emitter.ppf, emitter.length, emitter.width


class Scale(NamedTuple):
    """Of a smooth factor: standard deviation of its logarithm [-], and how far a reading tells of others [m]."""

    spread: float
    length_scale: float


def likeness(a: Array, b: Array, scale: Scale) -> Array:
    """Covariance (n, m) of the smooth factor's logarithm between points (n, 3) and (m, 3) [-]."""
    square = np.zeros((len(a), len(b)))
    for axis in range(3):
        square += np.square(a[:, axis, None] - b[None, :, axis])
    square *= -0.5 / scale.length_scale**2
    found: Array = np.exp(square, out=square)
    found *= scale.spread**2
    return found


class Given(NamedTuple):
    """What a fixture was found to give: its name and sort, and its light as a share of what was told [-]."""

    name: str
    technology: str
    ppf: float
    length: float
    width: float
    factor: float

    @property
    def sort(self) -> Sort:
        """Its sort."""
        return self.technology, self.ppf, self.length, self.width


@dataclass(frozen=True, slots=True)
class Correction:
    """A corrected model.

    Parameters
    ----------
    given : what each fixture of the survey was found to give.
    returns : of the left, right, front and back pane [-].
    water : absorption by CDOM at 440 nm, or plain attenuation, as the water was told [1/m].
    wider : lobes of the survey's sorts of fixtures are so many times as wide at half maximum [-].
    points : where there are readings, rows of x, y, depth [m].
    left : logarithm of each over the model corrected so far [-].
    noise : variance of that [-].
    spread, length_scale : scale of the smooth factor.
    """

    given: tuple[Given, ...]
    returns: tuple[float, ...]
    water: float
    wider: float
    points: tuple[tuple[float, ...], ...]
    left: tuple[float, ...]
    noise: tuple[float, ...]
    spread: float
    length_scale: float

    def __post_init__(self) -> None:
        rules = Rules()
        for fixture in self.given:
            rules.between("given", fixture.factor, 0.05, 10.0)
        rules.that(len(self.returns) == 4, "returns", "must be four, one for each pane")
        for share in self.returns:
            rules.between("returns", share, 0.0, 1.0, "fraction")
        rules.between("water", self.water, 0.0, 5.0, "attenuation")
        rules.between("wider", self.wider, 0.5, 2.0)
        rules.between("spread", self.spread, 0.0001, 1.0)
        rules.between("length_scale", self.length_scale, 0.01, 10.0, "length")
        count = len(self.points)
        rules.that(0 < count <= MOST_POINTS, "points", f"must be one to {MOST_POINTS}")
        rules.that(len(self.left) == count == len(self.noise), "left", "must have one number for each point")
        numbers = [*self.left, *(x for point in self.points for x in point)]
        rules.that(all(map(np.isfinite, numbers)), "points", "must be numbers")
        rules.that(all(len(point) == 3 for point in self.points), "points", "must have x, y and depth")
        rules.that(all(0 < value < 1e9 for value in self.noise), "noise", "must be above nothing")
        rules.finish()

    def __hash__(self) -> int:
        return hash((self.water, self.wider, self.left[0], len(self.left)))

    def factor(self, points: Array) -> Array:
        """By what PAR of the model is multiplied at points (n, 3) [-]."""
        # every fixture over a slice asks for the same points
        return _factor(self, np.ascontiguousarray(points, dtype=np.float64).tobytes())

    def on_emitter(self, emitter: Emitter) -> Emitter:
        """An emitter with its lobe as it was found to be, where its sort was surveyed."""
        known = any(one.sort == sort_of(emitter) for one in self.given)
        return emitter.widened(self.wider) if known else emitter

    def output(self, name: str, emitter: Emitter) -> float:
        """What a fixture gives of what was told [-]: that of its name and sort, else the mean of its sort, else 1."""
        same = [one for one in self.given if one.sort == sort_of(emitter)]
        named = [one.factor for one in same if one.name == name]
        if named or same:
            return float(np.exp(np.log(named or [one.factor for one in same]).mean()))
        return 1.0

    def plain(self) -> dict[str, Any]:
        """As plain data, for a file or a row."""
        data = {f.name: getattr(self, f.name) for f in fields(self)}
        return data | {"given": [one._asdict() for one in self.given], "points": [list(p) for p in self.points]}

    @classmethod
    def of_plain(cls, data: Mapping[str, Any]) -> Correction:
        """Of plain data; ``InvalidInput``, ``ValueError``, ``TypeError`` or ``KeyError`` when that is none."""

        def row(name: str) -> tuple[float, ...]:
            return tuple(map(float, data[name]))

        return cls(
            given=tuple(
                Given(str(one["name"]), str(one["technology"]), *(float(one[k]) for k in Given._fields[2:]))
                for one in data["given"]
            ),
            returns=row("returns"),
            water=float(data["water"]),
            wider=float(data["wider"]),
            points=tuple(tuple(map(float, point)) for point in data["points"]),
            left=row("left"),
            noise=row("noise"),
            spread=float(data["spread"]),
            length_scale=float(data["length_scale"]),
        )


@remembered(8_000_000)
def _factor(correction: Correction, points: bytes) -> Array:
    """The factor (n,) at points that lie one after the other as numbers."""
    near = likeness(
        np.frombuffer(points).reshape(-1, 3), np.array(correction.points),
        Scale(correction.spread, correction.length_scale),
    )  # fmt: skip
    found: Array = np.exp(near @ _pull(correction))
    return found


@lru_cache(maxsize=16)
def _pull(correction: Correction) -> Array:
    """What each reading pulls (n,)."""
    points = np.array(correction.points)
    own = likeness(points, points, Scale(correction.spread, correction.length_scale)) + np.diag(correction.noise)
    found: Array = np.linalg.solve(own, np.array(correction.left))
    return found

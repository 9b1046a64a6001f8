"""Sensitivities: predicted readings at some points as functions of the unknowns.

PAR is linear in every output, so that fields of the fixtures are worked out once for each kind of unknown that shapes
them (reflectances, water, beams, places), by one step each; between and beyond, their logarithms go straight. A fit
that ends far from where it began lays the response out again there, which makes it exact where it counts.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from corlume.core.cache import cached
from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium, channel_fields
from corlume.core.light.fixture import Fixture, bodies_below
from corlume.core.light.geometry import Strip, Tank
from corlume.core.light.pane_reflection import return_table
from corlume.core.survey.parameters import SHAPES, Parameters

Array = NDArray[np.float64]
LEAST = 1e-6
"""What counts as no light at all [umol/m2/s]."""


@lru_cache(maxsize=64)
def medium_like(medium: Medium, tank: Tank) -> Medium:
    """A medium with other panes and other water, and the same floor light; equal tanks share one.

    What the floor sends back follows a return by a third of a percent at most where there is light to read
    (measured on the demo tank, a return off by 0.2); laying it out anew takes a second.
    """
    panes = np.array([return_table(pane, tank.index) for pane in tank.panes()])
    return replace(medium, panes=panes, water=tank.water)


def fixture_fields(
    medium: Medium, fixtures: Sequence[Fixture], points: Array, bodies: Sequence[Fixture] | None = None
) -> Array:
    """PAR (fixtures, n) of each fixture at points (n, 3), as set [umol/m2/s].

    ``bodies`` are the same fixtures at the places where they shade each other, where those are others.
    """
    found, places = np.empty((len(fixtures), len(points))), np.asarray(points, dtype=np.float64).tobytes()
    for i, f in enumerate(fixtures):
        found[i] = np.asarray(f.strengths) @ _unit_field(medium, f.emitter, places, bodies_below(bodies or fixtures, i))
    return found


@cached(2_000_000)
def _unit_field(medium: Medium, emitter: Emitter, places: bytes, bodies: tuple[Strip, ...]) -> Array:
    """PAR (channels, n) at full output at points (n, 3) given as bytes; when one fixture moves, the others stay."""
    return channel_fields(medium, emitter, np.frombuffer(places).reshape(-1, 3).copy(), bodies=bodies)


@dataclass(frozen=True, eq=False)
class Sensitivities:
    """PAR at points as a function of the unknowns.

    An unknown either shapes the light of every fixture (a reflectance, the water) or that of its own fixtures alone (a
    beam, a place). Slopes are kept by kind of change: one for each that is shared, one for each shape of a fixture.

    Parameters
    ----------
    unknowns : what the vectors mean.
    at : the vector (p,) that it was laid out around.
    logs : logarithm of what each fixture brings there (f, n), with all outputs as entered.
    slopes : how these logarithms follow each kind of change (k, f, n).
    columns : which unknown each kind of change is for each fixture (k, f).
    """

    unknowns: Parameters
    at: Array
    logs: Array
    slopes: Array
    columns: NDArray[np.int64]

    @classmethod
    def around(cls, medium: Medium, unknowns: Parameters, points: Array, vector: Array | None = None) -> Sensitivities:
        """Compute sensitivities at points (n, 3) around a vector, by default as entered.

        ``medium`` is that of the tank as entered.
        """
        at = unknowns.start if vector is None else vector
        logs, columns = _logs(medium, unknowns, points, at), changes(unknowns)
        slopes = np.zeros((len(columns), *logs.shape))
        high = unknowns.bounds[1]
        for k, row in enumerate(columns):
            # every fixture by its own column at once: none of these touches the light of another
            mine = np.unique(row)
            step = min(0.5 * unknowns.all[mine[0]].prior.sd, 0.1)
            if (at[mine] + step > high[mine]).any():
                step = -step
            moved = at.copy()
            moved[mine] += step
            slopes[k] = (_logs(medium, unknowns, points, moved) - logs) / step
        return cls(unknowns, at, logs, slopes, columns)

    def again(self, medium: Medium, points: Array, vector: Array) -> Sensitivities:
        """Recompute the fields around another vector, keeping the slopes."""
        return replace(self, at=vector, logs=_logs(medium, self.unknowns, points, vector))

    def under(self, unknowns: Parameters) -> Sensitivities:
        """The sensitivities with other fixtures suspected to fail."""
        return replace(self, unknowns=unknowns)

    def parts(self, vector: Array) -> Array:
        """PAR (f, n) of each fixture under given unknowns."""
        count = len(self.unknowns.fixtures)
        moved = np.einsum("kf,kfn->fn", (vector - self.at)[self.columns], self.slopes)
        found: Array = np.exp(self.logs + moved + vector[:count, None])
        return found

    def log_par(self, vector: Array) -> Array:
        """Logarithm (n,) of PAR under given unknowns."""
        found: Array = np.log(self.parts(vector).sum(axis=0))
        return found

    def jacobian(self, vector: Array) -> Array:
        """Derivative (n, p) of the logarithm of PAR by the unknowns."""
        parts = self.parts(vector)
        shares = parts / parts.sum(axis=0)
        found = np.zeros((len(vector), shares.shape[1]))
        found[: len(shares)] = shares
        np.add.at(found, self.columns, self.slopes * shares)
        return found.T

    def only(self, rows: Array) -> Sensitivities:
        """The sensitivities at some of the points."""
        return replace(self, logs=self.logs[:, rows], slopes=self.slopes[:, :, rows])


def changes(unknowns: Parameters) -> NDArray[np.int64]:
    """Index of the unknown for each kind of change of each fixture (k, f): shared ones, then those of each shape."""
    count = len(unknowns.fixtures)
    rows = [np.full(count, k) for k in unknowns.where("return", "water")]
    for what in SHAPES:
        row = np.zeros(count, dtype=np.int64)
        for k in unknowns.where(what):
            row[list(unknowns.all[k].of)] = k
        rows.append(row)
    return np.array(rows)


def _logs(medium: Medium, unknowns: Parameters, points: Array, vector: Array) -> Array:
    """Logarithm (f, n) of the PAR of each fixture with all outputs as entered."""
    outputs = np.zeros(len(unknowns.fixtures))
    tank, fixtures = unknowns.applied(np.concatenate([outputs, vector[len(outputs) :]]))
    par = fixture_fields(medium_like(medium, tank), fixtures, points, unknowns.fixtures)
    return np.log(np.maximum(LEAST, par))

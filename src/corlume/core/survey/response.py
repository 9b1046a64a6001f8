"""What readings at some points would be, and how they follow the unknowns.

PAR is linear in every output, so that fields of the fixtures are worked out once for each of the few unknowns that
shape them (returns, water, lobe), by one step each; between and beyond, their logarithms go straight. A fit that ends
far from where it began lays the response out anew there, which makes it exact where it counts.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.fixture import Fixture, bodies_below
from corlume.core.geometry import Tank
from corlume.core.optics.field import Medium, channel_fields
from corlume.core.optics.pane import return_table
from corlume.core.survey.unknowns import Unknowns

Array = NDArray[np.float64]
LEAST = 1e-6
"""What counts as no light at all [umol/m2/s]."""


def medium_like(medium: Medium, tank: Tank) -> Medium:
    """A medium with other panes and other water, and with the floor's light as it was.

    What the floor sends back follows a return by a third of a percent at most where there is light to read
    (measured on the demo tank, a return off by 0.2); laying it out anew takes a second.
    """
    panes = np.array([return_table(pane, tank.index) for pane in tank.panes()])
    return replace(medium, panes=panes, water=tank.water)


def fixture_fields(medium: Medium, fixtures: Sequence[Fixture], points: Array) -> Array:
    """PAR (fixtures, n) that each fixture brings to points (n, 3), as it is set [umol/m2/s]."""
    found = np.empty((len(fixtures), len(points)))
    for i, f in enumerate(fixtures):
        unit = channel_fields(medium, f.emitter, points, bodies=bodies_below(fixtures, i))
        found[i] = np.asarray(f.strengths) @ unit
    return found


@dataclass(frozen=True, eq=False)
class Response:
    """PAR at points as a function of the unknowns.

    Parameters
    ----------
    unknowns : what the vectors mean.
    at : the vector (p,) that it was laid out around.
    logs : logarithm of what each fixture brings there (f, n), with all outputs as told.
    slopes : how these logarithms follow the unknowns that are no outputs (p - f, f, n).
    """

    unknowns: Unknowns
    at: Array
    logs: Array
    slopes: Array

    @classmethod
    def around(cls, medium: Medium, unknowns: Unknowns, points: Array, vector: Array | None = None) -> Response:
        """Lay a response out at points (n, 3) around a vector, by default around what was told.

        ``medium`` is that of the tank as told.
        """
        at = unknowns.start if vector is None else vector
        count = len(unknowns.fixtures)
        logs = _logs(medium, unknowns, points, at)
        slopes = np.zeros((len(at) - count, *logs.shape))
        for k in range(count, len(at)):
            # a step into the room that is left
            step = min(0.5 * unknowns.all[k].prior.sd, 0.1)
            if at[k] + step > unknowns.bounds[1][k]:
                step = -step
            moved = at.copy()
            moved[k] += step
            slopes[k - count] = (_logs(medium, unknowns, points, moved) - logs) / step
        return cls(unknowns, at, logs, slopes)

    def again(self, medium: Medium, points: Array, vector: Array) -> Response:
        """The same laid out around another vector, with the slopes that it has."""
        return replace(self, at=vector, logs=_logs(medium, self.unknowns, points, vector))

    def parts(self, vector: Array) -> Array:
        """PAR (f, n) of each fixture if the unknowns are so."""
        count = len(self.unknowns.fixtures)
        moved = np.tensordot((vector - self.at)[count:], self.slopes, 1)
        found: Array = np.exp(self.logs + moved + vector[:count, None])
        return found

    def log_par(self, vector: Array) -> Array:
        """Logarithm (n,) of PAR if the unknowns are so."""
        found: Array = np.log(self.parts(vector).sum(axis=0))
        return found

    def jacobian(self, vector: Array) -> Array:
        """How the logarithm of PAR follows the unknowns (n, p)."""
        parts = self.parts(vector)
        shares = parts / parts.sum(axis=0)
        return np.concatenate([shares, (self.slopes * shares).sum(axis=1)]).T

    def only(self, rows: Array) -> Response:
        """The same at some of its points."""
        return replace(self, logs=self.logs[:, rows], slopes=self.slopes[:, :, rows])


def _logs(medium: Medium, unknowns: Unknowns, points: Array, vector: Array) -> Array:
    """Logarithm (f, n) of what each fixture brings with all outputs as told."""
    outputs = np.zeros(len(unknowns.fixtures))
    tank, fixtures = unknowns.applied(np.concatenate([outputs, vector[len(outputs) :]]))
    return np.log(np.maximum(LEAST, fixture_fields(medium_like(medium, tank), fixtures, points)))

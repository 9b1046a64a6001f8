"""What gives light: finite faces and lines with a cos^m lobe of a given photon flux."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.units import DEGREE

FixtureKind = Literal["led_cluster", "led_bar", "t5_tube", "halide"]
KINDS: tuple[FixtureKind, ...] = ("led_cluster", "led_bar", "t5_tube", "halide")


def lobe_exponent(fwhm: float) -> float:
    """Return m of I = I0 cos^m for a full width at half maximum [rad]; 120 degrees gives Lambert's m = 1."""
    return math.log(0.5) / math.log(math.cos(0.5 * fwhm))


@dataclass(frozen=True, slots=True)
class Emitter:
    """A light-giving face that looks straight down.

    Parameters
    ----------
    kind : what sort of lamp it is.
    ppf : photon flux at full output, 400-700 nm [umol/s].
    fwhm : full width of the lobe at half its maximum [rad].
    length, width : the face along its own axes [m].
    x, y : its centre from the left and the front pane [m]; may lie outside the tank.
    height : the face above the water line [m].
    turn : its long axis from the x axis, about the vertical [rad].
    """

    kind: FixtureKind
    ppf: float
    fwhm: float
    length: float
    width: float
    x: float
    y: float
    height: float
    turn: float = 0.0

    def __post_init__(self) -> None:
        rules = Rules()
        rules.that(self.kind in KINDS, "kind", "must be one of " + ", ".join(KINDS))
        rules.between("ppf", self.ppf, 0.1, 20_000.0, "flux")
        rules.between("fwhm", self.fwhm, 10 * DEGREE, 170 * DEGREE, "angle")
        rules.between("length", self.length, 0.001, 4.0, "length")
        rules.between("width", self.width, 0.001, 2.0, "length")
        rules.between("x", self.x, -10.0, 15.0, "length")
        rules.between("y", self.y, -10.0, 15.0, "length")
        if math.isfinite(self.height) and self.height <= 0:
            rules.that(False, "height", "is under water: it must hang above the water line", "length", self.height)
        else:
            rules.between("height", self.height, 0.01, 5.0, "length")
        rules.between("turn", self.turn, -360 * DEGREE, 360 * DEGREE, "angle")
        rules.finish()

    def peak(self) -> float:
        """Intensity straight down per unit of flux [1/sr]: (m + 1) / 2 pi."""
        return (lobe_exponent(self.fwhm) + 1) / (2 * math.pi)

    def half_extent(self) -> tuple[float, float]:
        """Half of the room that the turned face takes along x and y [m]."""
        c, s = abs(math.cos(self.turn)), abs(math.sin(self.turn))
        return 0.5 * (self.length * c + self.width * s), 0.5 * (self.length * s + self.width * c)

    def sources(self, *, step: float = 0.35) -> NDArray[np.float64]:
        """Spread the face over point sources by Gauss-Legendre quadrature.

        Parameters
        ----------
        step : longest mean distance between sources as a share of the height above the water [-].

        Returns
        -------
        array (n, 6) of x, y, height [m], weight [-], and the reach along x and y of the patch that each
        source stands for [m]; the weights add up to 1. A test shows that halving ``step`` changes nothing
        that a keeper could read.
        """
        nodes_u, weights_u = _gauss(self.length, step * self.height)
        nodes_v, weights_v = _gauss(self.width, step * self.height)
        u, v = (a.ravel() for a in np.meshgrid(nodes_u * self.length, nodes_v * self.width, indexing="ij"))
        du, dv = (a.ravel() for a in np.meshgrid(weights_u * self.length, weights_v * self.width, indexing="ij"))
        c, s = math.cos(self.turn), math.sin(self.turn)
        weights = np.outer(weights_u, weights_v).ravel()
        x, y = self.x + c * u - s * v, self.y + s * u + c * v
        reach_x, reach_y = abs(c) * du + abs(s) * dv, abs(s) * du + abs(c) * dv
        return np.column_stack((x, y, np.full_like(u, self.height), weights, reach_x, reach_y))


def _gauss(extent: float, spacing: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Nodes on [-0.5, 0.5] and weights that add up to 1, close enough together for ``extent`` [m]."""
    count = min(64, max(2, math.ceil(extent / spacing)))
    nodes, weights = np.polynomial.legendre.leggauss(count)
    return 0.5 * nodes, 0.5 * weights

"""Emitters: finite faces and lines with a cos^m lobe and a given photon flux."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.light.lobe import Beam, BentLobe, Lobe, RingLobe, TableLobe, lobe_exponent, round_lobe, widened
from corlume.core.light.spectrum import Spectrum, photon_yield
from corlume.core.light.technology import TECHNOLOGIES, Technology, TechnologyKey
from corlume.core.schema import Angle, Choice, Length, Number, Own, limits
from corlume.core.units import DEGREE

MOST_CHANNELS = 12
NARROW = 0.3
"""A long face narrower than this share of its height above the water is covered by a single zigzag of sources [-]."""


@dataclass(frozen=True, slots=True)
class Channel:
    """One colour of a light: its share of the photon flux at full output [-], and its spectrum (None: not known)."""

    name: str
    share: float = 1.0
    spectrum: Spectrum | None = None

    def __post_init__(self) -> None:
        rules = Rules()
        rules.that(0 < len(self.name.strip()) <= 40, "name", "must have one to forty characters")
        rules.between("share", self.share, 0.0001, 1.0, "share")
        rules.finish()


Array = NDArray[np.float64]
MEAN_YIELD = 4.6
"""Photons by the joule of light that is even over 400-700 nm [umol/J]."""
ONE_CHANNEL = (Channel("all"),)


@dataclass(frozen=True, slots=True)
class Emitter:
    """An emitting area with its lobe, flux and place.

    Parameters
    ----------
    technology : what makes its light.
    ppf : photon flux at full output, 400-700 nm [umol/s].
    fwhm : full width of the lobe at half its maximum [rad].
    length, width : the face along its own axes [m].
    x, y : its centre from the left and the front pane [m]; may lie outside the tank.
    height : the face's centre above the water line [m].
    turn : its long axis from the x axis, about the vertical [rad].
    roll : leaned about its long axis; at no turn, light goes to the back for positive angles [rad].
    pitch : leaned about its short axis; at no turn, light goes to the right for positive angles [rad].
    lobe : a measured lobe, or one of several rings; without it the lobe is cos^m of ``fwhm``.
    channels : the colours that its light is made of, with shares that add up to 1; one of a spectrum not
        known, taken as even over 400-700 nm, when nothing is said.
    bend : how a survey found the middle and the sides of its beam to differ [-]; never entered, see ``BentLobe``.
    """

    technology: Annotated[
        TechnologyKey,
        Choice("Technology", {key: t.name for key, t in TECHNOLOGIES.items()}, formerly=("kind",), column="kind"),
    ]
    ppf: Annotated[float, Number("PPF", 0.1, 20_000.0, "flux", about="photon flux of 400 to 700 nm at full output")]
    fwhm: Annotated[
        float,
        Angle("FWHM", 10 * DEGREE, 170 * DEGREE, about="full width at half maximum; 120 without a lens"),
    ]
    length: Annotated[float, Length("Emitting length", 0.001, 4.0, about="light-giving face along its own axis")]
    width: Annotated[float, Length("Emitting width", 0.001, 2.0, about="light-giving face across")]
    x: Annotated[float, Length("From left", -10.0, 15.0, about="its centre, from the inside of the left pane")]
    y: Annotated[float, Length("From front", -10.0, 15.0, about="its centre, from the inside of the front pane")]
    height: Annotated[float, Length("Above water", about="the light-giving face above the water line")]
    turn: Annotated[
        float, Angle("Turned", -360 * DEGREE, 360 * DEGREE, about="long axis from the x axis, about the vertical")
    ] = 0.0
    roll: Annotated[
        float,
        Angle("Roll", -75 * DEGREE, 75 * DEGREE, about="leaned about the long axis; positive sends light to the back"),
    ] = 0.0
    pitch: Annotated[
        float,
        Angle(
            "Pitch", -75 * DEGREE, 75 * DEGREE, about="leaned about the short axis; positive sends light to the right"
        ),
    ] = 0.0
    lobe: Annotated[Lobe | None, Own()] = None
    channels: Annotated[tuple[Channel, ...], Own()] = ONE_CHANNEL
    bend: tuple[float, float] = (0.0, 0.0)

    def __post_init__(self) -> None:
        rules = limits(self)
        if math.isfinite(self.height) and self.height <= 0:
            rules.that(False, "height", "is under water: it must be above the water line", "length", self.height)
        else:
            rules.between("height", self.height, 0.01, 5.0, "length")
        rules.that(0 < len(self.channels) <= MOST_CHANNELS, "channels", f"must be one to {MOST_CHANNELS}")
        shares = sum(channel.share for channel in self.channels)
        rules.that(
            abs(shares - 1.0) < 0.005, "channels", "must have shares that add up to 100 %, not {value}", "share", shares
        )
        rules.finish()
        low = self.height - self.drop()
        rules.that(low > 0.002, "height", "is too low for its tilt: one edge would be at {value}", "length", low)
        rules.finish()

    def __hash__(self) -> int:
        # lobe and channels are long to hash, and fixtures that differ in them alone are few
        return hash(
            (self.technology, self.ppf, self.fwhm, self.length, self.x, self.y, self.height, self.turn, self.roll)
        )

    @property
    def made_by(self) -> Technology:
        """Technology of the emitter, with its properties."""
        return TECHNOLOGIES[self.technology]

    def axes(self) -> NDArray[np.float64]:
        """Long axis, short axis and normal of the lobe, as rows of x, y, upwards [-]."""
        c, s = math.cos(self.turn), math.sin(self.turn)
        if self.roll == 0 and self.pitch == 0:
            return np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, -1.0]])
        cr, sr, cp, sp = math.cos(self.roll), math.sin(self.roll), math.cos(self.pitch), math.sin(self.pitch)
        short, rolled = np.array([0.0, cr, sr]), np.array([0.0, sr, -cr])
        long = np.array([1.0, 0.0, 0.0])
        long, normal = cp * long - sp * rolled, cp * rolled + sp * long
        about = np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])
        axes: NDArray[np.float64] = np.stack([long, short, normal]) @ about
        return axes

    def drop(self) -> float:
        """How far the lowest edge of the tilted area hangs below its centre [m]."""
        if self.roll == 0 and self.pitch == 0:
            return 0.0
        up = self.axes()[:2, 2]
        return float(0.5 * (self.length * abs(up[0]) + self.width * abs(up[1])))

    def shape(self) -> Beam:
        """Lobe of the emitter."""
        lobe = self.lobe or round_lobe(self.fwhm)
        return lobe if self.bend == (0.0, 0.0) else BentLobe(lobe, *self.bend)

    def bent(self, middle: float, sides: float) -> Emitter:
        """The emitter with the shape modes of its beam set [-]; the flux stays."""
        return self if (middle, sides) == self.bend else replace(self, bend=(middle, sides))

    def widened(self, factor: float) -> Emitter:
        """The emitter with a lobe ``factor`` times as wide at half maximum [-]; the flux stays."""
        if factor == 1.0:
            return self
        fwhm = widened(self.fwhm, factor)
        match self.lobe:
            case RingLobe() as rings:
                return replace(self, fwhm=fwhm, lobe=rings.widened(factor))
            case TableLobe() as table:
                power = lobe_exponent(fwhm) / lobe_exponent(self.fwhm)
                return replace(self, fwhm=fwhm, lobe=table.powered(power))
        return replace(self, fwhm=fwhm)

    def half_extent(self) -> tuple[float, float]:
        """Half of the area's extent along x and y, turned and tilted [m]."""
        if self.turn == self.roll == self.pitch == 0.0:  # most are
            return 0.5 * self.length, 0.5 * self.width
        (long_x, long_y, _), (short_x, short_y, _), _ = np.abs(self.axes()).tolist()
        half_x, half_y = (0.5 * (self.length * a + self.width * b) for a, b in ((long_x, short_x), (long_y, short_y)))
        return half_x, half_y

    def sources(self, *, step: float = 0.35) -> NDArray[np.float64]:
        """Approximate the area by point sources, by Gauss-Legendre quadrature.

        Parameters
        ----------
        step : longest mean distance between sources as a share of the height above the water [-].

        Returns
        -------
        array (n, 6) of x, y, height [m], weight [-], and the extent along x and y of the patch that each
        source stands for [m]; the weights add up to 1. A test shows that halving ``step`` changes nothing
        that a keeper could read.
        """
        spacing = step * (self.height - self.drop())
        nodes_u, weights_u = _gauss(self.length, spacing)
        nodes_v, weights_v = _gauss(self.width, spacing)
        if len(nodes_u) >= 6 and self.width < NARROW * self.height:
            return self._zigzag(nodes_u, weights_u)
        u, v = (a.ravel() for a in np.meshgrid(nodes_u * self.length, nodes_v * self.width, indexing="ij"))
        du, dv = (a.ravel() for a in np.meshgrid(weights_u * self.length, weights_v * self.width, indexing="ij"))
        return self._placed(u, v, du, dv, np.outer(weights_u, weights_v).ravel())

    def _zigzag(self, nodes_u: NDArray[np.float64], weights_u: NDArray[np.float64]) -> NDArray[np.float64]:
        """Cover a long narrow area by one source per node along it, alternately on either side of the middle.

        The two sides of a tube differ so little that their difference cancels from node to node.
        """
        side = 0.5 / math.sqrt(3.0) * self.width
        v = np.where(np.arange(len(nodes_u)) % 2, side, -side)
        # an odd number of nodes would leave more weight on one side
        v -= float(weights_u @ v)
        return self._placed(
            nodes_u * self.length, v, weights_u * self.length, np.full_like(v, self.width), weights_u.copy()
        )

    def _placed(self, u: Array, v: Array, du: Array, dv: Array, weights: Array) -> NDArray[np.float64]:
        long, short, _ = self.axes()
        places = np.array([self.x, self.y, self.height]) + u[:, None] * long + v[:, None] * short
        extent = du[:, None] * np.abs(long[:2]) + dv[:, None] * np.abs(short[:2])
        return np.column_stack((places, weights, extent))

    def power_shares(self) -> tuple[float, ...]:
        """Share of the power of each channel [-], all of the same radiant efficiency."""
        energy = [c.share / (photon_yield(c.spectrum) if c.spectrum else MEAN_YIELD) for c in self.channels]
        return tuple(e / sum(energy) for e in energy)


def _gauss(extent: float, spacing: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Nodes on [-0.5, 0.5] and weights that add up to 1, close enough together for ``extent`` [m]."""
    count = min(64, max(2, math.ceil(extent / spacing)))
    return _legendre(count)


@lru_cache(maxsize=64)
def _legendre(count: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    nodes, weights = np.polynomial.legendre.leggauss(count)
    for array in (nodes, weights):
        array *= 0.5
        array.setflags(write=False)
    return nodes, weights

"""Lobes: relative intensity of a lamp over directions, tabulated per unit of photon flux.

Directions are given in the lamp's own frame: theta from the face's normal, phi from its long axis.
"""

from __future__ import annotations

import hashlib
import math
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.units import DEGREE

Array = NDArray[np.float64]
COS_STEPS, PHI_STEPS = 1024, 72


def lobe_exponent(fwhm: float) -> float:
    """Return m of I = I0 cos^m for a full width at half maximum [rad]; 120 degrees gives Lambert's m = 1."""
    return math.log(0.5) / math.log(math.cos(0.5 * fwhm))


def widened(fwhm: float, factor: float) -> float:
    """A full width at half maximum scaled by a factor, up to the widest lobe [rad]."""
    return min(170 * DEGREE, max(10 * DEGREE, fwhm * factor))


@dataclass(frozen=True, slots=True)
class RingLobe:
    """One cos^m lobe, or several that share the flux: one for each ring of lenses.

    ``parts`` holds pairs of share of the flux [-] and FWHM [rad]; shares need not add up to 1.
    """

    parts: tuple[tuple[float, float], ...]

    def __post_init__(self) -> None:
        rules = Rules()
        rules.that(0 < len(self.parts) <= 8, "lobe", "must have one to eight rings")
        for share, fwhm in self.parts:
            rules.between("fwhm", fwhm, 10 * DEGREE, 170 * DEGREE, "angle")
            rules.that(share > 0 and math.isfinite(share), "lobe", "must give every ring a share above nothing")
        rules.finish()

    def intensity(self, cos_theta: Array) -> Array:
        """Intensity per unit of flux [1/sr] at cosines from the normal."""
        total = sum(share for share, _ in self.parts)
        c = np.clip(cos_theta, 0.0, 1.0)
        found = np.zeros_like(c)
        for share, fwhm in self.parts:
            m = lobe_exponent(fwhm)
            found += share / total * (m + 1) / (2 * math.pi) * c**m
        return found

    def table(self) -> Array:
        """Intensity per unit of flux (``COS_STEPS``, 1) over the cosine from 0 to 1 in even steps [1/sr]."""
        return self.intensity(np.linspace(0.0, 1.0, COS_STEPS))[:, None]

    def widened(self, factor: float) -> RingLobe:
        """The lobe with every ring scaled in width."""
        return RingLobe(tuple((share, widened(fwhm, factor)) for share, fwhm in self.parts))


@dataclass(frozen=True, slots=True)
class TableLobe:
    """A measured lobe: relative intensity over theta and phi, as photometry files give it.

    Parameters
    ----------
    theta : (nt,) rising from 0 to at most pi/2 and beyond; light above the horizon is left out [rad].
    phi : (np,) rising from 0, up to 2 pi; a single 0 for a lobe that is round [rad].
    values : (nt, np) relative intensity, not negative; normalised to unit flux here.
    """

    theta: tuple[float, ...]
    phi: tuple[float, ...]
    values: tuple[tuple[float, ...], ...] = field(repr=False)

    def __post_init__(self) -> None:
        rules = Rules()
        rising = all(b > a for a, b in zip(self.theta, self.theta[1:], strict=False))
        rules.that(len(self.theta) >= 2 and rising and self.theta[0] == 0, "theta", "must rise from 0")
        rising = all(b > a for a, b in zip(self.phi, self.phi[1:], strict=False))
        rules.that(len(self.phi) >= 1 and rising and self.phi[0] == 0, "phi", "must rise from 0")
        shape_fits = len(self.values) == len(self.theta) and all(len(row) == len(self.phi) for row in self.values)
        rules.that(shape_fits, "values", "must have a row for every theta and a column for every phi")
        rules.finish()
        numbers = np.array(self.values)
        rules.that(bool(np.isfinite(numbers).all() and (numbers >= 0).all()), "values", "must not be negative or empty")
        rules.that(bool(numbers.max(initial=0.0) > 0), "values", "must give light somewhere")
        rules.finish()

    def powered(self, power: float) -> TableLobe:
        """The lobe with its relative intensity raised to a power: below 1 it is wider; cos^m stays cos^m."""
        peak = max(map(max, self.values))
        values = tuple(tuple((value / peak) ** power for value in row) for row in self.values)
        return TableLobe(self.theta, self.phi, values)

    def __hash__(self) -> int:
        return hash(self.digest())

    def digest(self) -> str:
        """Hash of the table, equal for equal numbers."""
        return _digest(self.theta, self.phi, self.values)

    def table(self) -> Array:
        """Intensity per unit of flux (``COS_STEPS``, 1 or ``PHI_STEPS`` + 1) over cosine and phi [1/sr]."""
        return _table(self)


@lru_cache(maxsize=128)
def _digest(theta: tuple[float, ...], phi: tuple[float, ...], values: tuple[tuple[float, ...], ...]) -> str:
    return hashlib.sha256(repr((theta, phi, values)).encode()).hexdigest()[:16]


@lru_cache(maxsize=128)
def _table(lobe: TableLobe) -> Array:
    cos_theta = np.linspace(0.0, 1.0, COS_STEPS)
    theta = np.arccos(cos_theta)
    values = np.array(lobe.values)
    columns = np.stack([np.interp(theta, lobe.theta, column, right=0.0) for column in values.T], axis=1)
    if len(lobe.phi) > 1:
        phi = np.linspace(0.0, 2 * math.pi, PHI_STEPS + 1)
        ends = (*lobe.phi, 2 * math.pi) if lobe.phi[-1] < 2 * math.pi - 1e-9 else lobe.phi
        if len(ends) > len(lobe.phi):
            columns = np.concatenate([columns, columns[:, :1]], axis=1)
        columns = np.stack([np.interp(phi, ends, row) for row in columns])
    return _of_unit_flux(columns, cos_theta)


@dataclass(frozen=True, slots=True)
class BentLobe:
    """A lobe whose shape a survey has corrected, with the same flux; never entered by hand.

    Parameters
    ----------
    base : the lobe as entered.
    middle : logarithm of the intensity on the axis, over that of ``base``; it falls off by ``MIDDLE_WIDTH`` [-].
    sides : the same far off the axis, growing with the fourth power of the angle over ``SIDES_WIDTH`` [-].
    """

    base: RingLobe | TableLobe
    middle: float
    sides: float

    def table(self) -> Array:
        """Intensity per unit of flux over cosine and phi, as that of ``base`` [1/sr]."""
        return _bent(self)


MIDDLE_WIDTH, SIDES_WIDTH = 25 * DEGREE, 70 * DEGREE
"""Half widths of the two shape modes of a beam; ours, found in trials (docs/survey.md)."""


@lru_cache(maxsize=256)
def _bent(lobe: BentLobe) -> Array:
    cos_theta = np.linspace(0.0, 1.0, COS_STEPS)
    theta = np.arccos(cos_theta)
    modes = lobe.middle * np.exp(-((theta / MIDDLE_WIDTH) ** 2)) + lobe.sides * (theta / SIDES_WIDTH) ** 4
    return _of_unit_flux(lobe.base.table() * np.exp(modes)[:, None], cos_theta)


def _of_unit_flux(columns: Array, cos_theta: Array) -> Array:
    """A table of intensity over cosine and phi, scaled so that its flux is 1."""
    # cosine steps are even, so the flux is the mean over phi integrated over the cosine
    around = columns[:, :-1].mean(axis=1) if columns.shape[1] > 1 else columns[:, 0]
    found: Array = columns / (2 * math.pi * np.trapezoid(around, cos_theta))
    return found


Lobe = RingLobe | TableLobe
"""A lobe as it is entered."""
Beam = Lobe | BentLobe
"""A lobe as light follows it."""


def round_lobe(fwhm: float) -> RingLobe:
    """The plain cos^m lobe of a full width at half maximum [rad]."""
    return RingLobe(((1.0, fwhm),))


def width_at_half(lobe: Beam, phi: float = 0.0) -> float:
    """Full width at half of the maximum in the plane through phi and phi + pi [rad]."""
    table = lobe.table()
    count = table.shape[1]
    cos_theta = np.linspace(1.0, 0.0, COS_STEPS)
    total = 0.0
    for side in (phi, phi + math.pi):
        column = 0 if count == 1 else round(side / (2 * math.pi) * (count - 1)) % (count - 1)
        falls = table[::-1, column]
        below = np.flatnonzero(falls < 0.5 * table.max())
        peak = int(falls.argmax())
        after = below[below > peak]
        total += math.acos(cos_theta[after[0]]) if after.size else math.pi / 2
    return total

"""Path tables: what one path from a height over the water to a depth brings, worked out once for each pair of them.

Refraction, Fresnel, attenuation and the blur by ripples go into a table over the way aside; the kernel of the field
only reads it.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from corlume.core.light.shadow import FAST
from corlume.core.light.water_surface import entry_tangent, fresnel_transmittance, steepest_tangent, tube_spread

Array = NDArray[np.float64]
TABLE_SIZE = 1024
"""Rows of a table."""
GEOMETRY = 4
"""Columns of a path table before those of the channels."""


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def lookup(table: Array, cosine: float) -> float:
    """A table over even steps of a cosine from 0 to 1, read between its rows."""
    at = cosine * (table.shape[0] - 1)
    k = min(int(at), table.shape[0] - 2)
    f = at - k
    return float(table[k] * (1.0 - f) + table[k + 1] * f)


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _path_table(
    table: Array, h: float, d: float, lobe: Array, n: float, fades: Array, longest: float, ripple: float, scalar: bool,
    ledge: float,
) -> None:  # fmt: skip
    """Tabulate what one path from height h to depth d brings, over u = r / (r + h + d) in even steps.

    Fills ``table`` (TABLE_SIZE, GEOMETRY + channels): the share of r that lies in air [-], the sine of the angle in
    water [-], how far the entry moves when the source does [-], the cosine of the angle in air [-]; then by
    channel irradiance per unit of flux [1/m2], or per unit of intensity when ``lobe`` has no rows.
    """
    channels = fades.shape[0]
    steepest = steepest_tangent(n)
    t = 0.0
    for k in range(TABLE_SIZE):
        u = min(k, TABLE_SIZE - 2) / (TABLE_SIZE - 1)
        r = u * (h + d) / (1.0 - u)
        t = entry_tangent(r, h, d, n, steepest, t)
        c2 = 1.0 + t * t
        cos_a = 1.0 / math.sqrt(c2)
        sin_w = t * cos_a / n
        cos_w = math.sqrt(1.0 - sin_w * sin_w)
        t_over_r = t / r if k else 1.0 / (h + d / n)
        spread = tube_spread(t, h, d, n)
        value = c2**-1.5 * t_over_r / spread
        if lobe.shape[0]:
            value *= lookup(lobe, cos_a)
        if scalar:
            value /= cos_w
        if sin_w < ledge * cos_w:
            value = 0.0
        value *= fresnel_transmittance(cos_a, cos_w, 1.0, n)
        table[k, 0] = h * t_over_r
        table[k, 1] = sin_w
        table[k, 2] = 1.0 - h / spread
        table[k, 3] = cos_a
        for c in range(channels):
            table[k, GEOMETRY + c] = value * lookup(fades[c], min(1.0, d / cos_w / longest))
    if ripple > 0.0 and d > 0.0:
        _blur(table, h + d, ripple * (1.0 - 1.0 / n) * d)


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _blur(table: Array, scale: float, sigma: float) -> None:
    """Spread the light of a path table sideways by a normal law of ``sigma`` [m] along each axis, by 3 x 3 nodes."""
    sharp = table.copy()
    away = math.sqrt(3.0) * sigma
    # centre, sides and corners of the product rule; by symmetry the two signs of y are one
    for k in range(TABLE_SIZE - 1):
        u = k / (TABLE_SIZE - 1)
        r = u * scale / (1.0 - u)
        for c in range(GEOMETRY, table.shape[1]):
            total = 0.0
            for i in range(-1, 2):
                for j in range(2):
                    weight = (1.0 / 6.0 if i else 2.0 / 3.0) * (1.0 / 3.0 if j else 2.0 / 3.0)
                    at = math.hypot(r + i * away, j * away)
                    at = at / (at + scale) * (TABLE_SIZE - 1)
                    m = min(int(at), TABLE_SIZE - 2)
                    total += weight * (sharp[m, c] + (at - m) * (sharp[m + 1, c] - sharp[m, c]))
            table[k, c] = total
    for c in range(table.shape[1]):
        table[TABLE_SIZE - 1, c] = table[TABLE_SIZE - 2, c]


@njit(cache=True, nogil=True, error_model="numpy", fastmath=FAST)
def path_tables(
    first: int,
    end: int,
    paths: Array,
    depths: Array,
    heights: Array,
    lobe: Array,
    n: float,
    fades: Array,
    longest: float,
    ripple: float,
    scalar: bool,
    ledge: float,
) -> None:
    """Fill ``paths`` (l, g, TABLE_SIZE, GEOMETRY + c), the path tables for every pair of a depth (l,) and a height (g,)
    [m], for the depths from the first to before the end.

    ``fades`` (c, f) are what is left of each channel along paths up to ``longest`` [m]; ``ripple`` is the slope of
    the surface along one axis [-]; ``scalar`` asks for light from all sides alike; light within the tangent
    ``ledge`` of straight down is left out [-].
    """
    for k in range(first, end):
        for g in range(heights.shape[0]):
            _path_table(paths[k, g], heights[g], depths[k], lobe, n, fades, longest, ripple, scalar, ledge)


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def read_table(paths: Array, deeper: Array, part: float, g: int, k: int, f: float, column: int) -> float:
    """Column of path tables between rows k and k + 1, blended by ``part`` with that of the ``deeper`` tables."""
    v = paths[g, k, column]
    v += f * (paths[g, k + 1, column] - v)
    if part > 0.0:
        under = deeper[g, k, column]
        v += part * (under + f * (deeper[g, k + 1, column] - under) - v)
    return float(v)

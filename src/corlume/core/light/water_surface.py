"""The flat water surface: Snell, Fresnel and the refracted path from a lamp in air to a point in water.

Compiled with numba, as the field calls these millions of times.
"""

from __future__ import annotations

import math

from numba import njit


@njit(cache=True, inline="always")
def fresnel_transmittance(cos_in: float, cos_out: float, n_in: float, n_out: float) -> float:
    """Share of unpolarised light that passes a boundary [-], from the cosines on both sides.

    Source: Fresnel's equations [4], mean of both polarisations.
    """
    rs = (n_in * cos_in - n_out * cos_out) / (n_in * cos_in + n_out * cos_out)
    rp = (n_out * cos_in - n_in * cos_out) / (n_out * cos_in + n_in * cos_out)
    return 1.0 - 0.5 * (rs * rs + rp * rp)


@njit(cache=True)
def steepest_tangent(n: float) -> float:
    """Tangent of the critical angle: how far sideways a ray can run per metre of depth in water of index n [-]."""
    return 1.0 / math.sqrt(n * n - 1.0) if n > 1.0 + 1e-9 else 1e9


@njit(cache=True)
def entry_tangent(r: float, h: float, d: float, n: float, steepest: float, least: float = 0.0) -> float:
    """Solve Snell's law for the ray from height h in air to depth d in water, r aside [m].

    Returns t = tan(theta_a), the root of h t + d t / sqrt(n^2 + (n^2 - 1) t^2) = r. The left side is
    concave and rises, so Newton's steps from the left of the root climb to it and cannot overshoot;
    ``least`` is a place known to lie there, the root of a smaller r.
    """
    t = max(r / (h + d / n), (r - d * steepest) / h, least)
    k = n * n - 1.0
    for _ in range(40):
        q = n * n + k * t * t
        root = math.sqrt(q)
        step = (r - h * t - d * t / root) / (h + d * n * n / (q * root))
        t += step
        if step <= 1e-8 * t:
            break
    return t


@njit(cache=True, inline="always")
def tube_spread(t: float, h: float, d: float, n: float) -> float:
    """Return dr/dt of the same ray: how fast it walks aside as its tangent in air grows [m]."""
    q = n * n + (n * n - 1.0) * t * t
    return h + d * n * n / (q * math.sqrt(q))

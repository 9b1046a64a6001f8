"""The inner loop of the field: point sources over a flat surface, panes unfolded into mirror images.

For a source at height h and a point r aside at depth d, planar downward irradiance is

    E = I(a) T(a) (sin a / r) (da / dr) exp(-K d / cos w)         (flux tube, exact for a flat surface)

with a the angle in air and w in water. Written in t = tan a, (sin a / r)(da / dr) becomes
(t / r) (1 + t^2)^(-3/2) / (dr / dt).

A pane is unfolded by mirroring the tank: the image cell (i, j) of the tank lies i lengths to the
right and j widths behind. Light from an image counts only where its ray enters the water inside
that image's own opening. A ray in water never leans past the critical angle, so the cells within
d tan(critical) of the point are all there are: no order is cut off.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from corlume.core.surface import entry_tangent, fresnel_transmittance, steepest_reach, tube_spread

Array = NDArray[np.float64]
FAST = {"contract", "arcp", "nsz", "reassoc"}
MAX_ORDER = 8
TABLE_SIZE = 1024


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _mirror(v: float, cell: int, size: float) -> float:
    """Place a coordinate of the real tank into image cell ``cell``; its own inverse up to the shift."""
    return cell * size + (v if cell % 2 == 0 else size - v)


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _lookup(table: Array, cosine: float) -> float:
    at = cosine * (table.shape[0] - 1)
    k = min(int(at), table.shape[0] - 2)
    f = at - k
    return float(table[k] * (1.0 - f) + table[k + 1] * f)


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _aimed(axes: Array, lobe: Array, x: float, y: float, z: float) -> float:
    """Intensity per unit of flux along a direction (x right, y back, z up) [1/sr]."""
    cosine = axes[2, 0] * x + axes[2, 1] * y + axes[2, 2] * z
    if cosine <= 0.0:
        return 0.0
    phis = lobe.shape[1]
    cosine = min(cosine, 1.0)
    if phis == 1:
        return _lookup(lobe[:, 0], cosine)
    long = axes[0, 0] * x + axes[0, 1] * y + axes[0, 2] * z
    short = axes[1, 0] * x + axes[1, 1] * y + axes[1, 2] * z
    at = math.atan2(short, long) / (2.0 * math.pi) * (phis - 1)
    if at < 0.0:
        at += phis - 1
    k = min(int(at), phis - 2)
    f = at - k
    return float(_lookup(lobe[:, k], cosine) * (1.0 - f) + _lookup(lobe[:, k + 1], cosine) * f)


@njit(cache=True, error_model="numpy", fastmath=FAST)
def crossings_return(low: Array, high: Array, cell: int, cosine: float) -> float:
    """Multiply the returns of the panes that a ray from image cell ``cell`` met along one axis."""
    first, second = (high, low) if cell > 0 else (low, high)
    value = _lookup(first, cosine)
    for crossing in range(1, abs(cell)):
        value *= _lookup(second if crossing % 2 else first, cosine)
    return value


@njit(cache=True, error_model="numpy", fastmath=FAST)
def blocked(
    px: float, py: float, d: float, qx: float, qy: float, i: int, j: int, length: float, width: float, rocks: Array
) -> bool:
    """Whether a rock stands between the entry point q at the surface and the point p at depth d.

    ``rocks`` (n, 6) holds x0, x1, y0, y1, top and bottom depth; every cell on the way holds mirrored copies.
    """
    left, right, near, far = min(px, qx), max(px, qx), min(py, qy), max(py, qy)
    for k in range(rocks.shape[0]):
        top, bottom = rocks[k, 4], rocks[k, 5]
        if top >= d:
            continue
        for a in range(min(0, i), max(0, i) + 1):
            x0, x1 = _mirror(rocks[k, 0], a, length), _mirror(rocks[k, 1], a, length)
            if max(x0, x1) <= left or min(x0, x1) >= right:
                continue
            for b in range(min(0, j), max(0, j) + 1):
                y0, y1 = _mirror(rocks[k, 2], b, width), _mirror(rocks[k, 3], b, width)
                if max(y0, y1) <= near or min(y0, y1) >= far:
                    continue
                enter, leave = max(0.0, top / d), min(1.0, bottom / d)
                for start, delta, low, high in (
                    (qx, px - qx, min(x0, x1), max(x0, x1)),
                    (qy, py - qy, min(y0, y1), max(y0, y1)),
                ):
                    if abs(delta) < 1e-12:
                        if start <= low or start >= high:
                            leave = -1.0
                    else:
                        u0, u1 = (low - start) / delta, (high - start) / delta
                        enter = max(enter, min(u0, u1))
                        leave = min(leave, max(u0, u1))
                if leave - enter > 1e-9:
                    return True
    return False


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _inside(x: float, y: float, half_x: float, half_y: float, opening: Array) -> bool:
    """Whether a patch lies wholly over the opening; a ray between two such places stays inside it."""
    return bool(
        opening[0] <= x - half_x and x + half_x <= opening[1] and opening[2] <= y - half_y and y + half_y <= opening[3]
    )


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _within(v: float, low: float, high: float, spread: float) -> float:
    """Share of a patch ``spread`` wide about v that lies between low and high [-]."""
    return max(0.0, min(v + 0.5 * spread, high) - max(v - 0.5 * spread, low)) / spread


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _passes_opening(x: float, y: float, spread_x: float, spread_y: float, opening: Array) -> float:
    """Share of a patch about (x, y) that lies in the opening [-]."""
    if _inside(x, y, 0.5 * spread_x, 0.5 * spread_y, opening):
        return 1.0
    return _within(x, opening[0], opening[1], spread_x) * _within(y, opening[2], opening[3], spread_y)


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _under_brace(x: float, y: float, braces: Array) -> bool:
    for k in range(braces.shape[0]):  # noqa: SIM110 - numba compiles loops, not generators
        if braces[k, 0] < x < braces[k, 1] and braces[k, 2] < y < braces[k, 3]:
            return True
    return False


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _highest_order(low: Array, high: Array) -> int:
    """How often light can usefully cross between two facing panes: once or not at all when one is dead."""
    if low.max() > 0.0 and high.max() > 0.0:
        return MAX_ORDER
    return 1 if low.max() > 0.0 or high.max() > 0.0 else 0


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _path_table(h: float, d: float, lobe: Array, n: float, attenuation: float) -> Array:
    """Tabulate what one path from height h to depth d brings, over u = r / (r + h + d) in even steps.

    Returns (TABLE_SIZE, 5): irradiance per unit of flux [1/m2], or per unit of intensity when ``lobe``
    has no rows; the share of r that lies in air [-], the sine of the angle in water [-], how far the
    entry moves when the source does [-], and the cosine of the angle in air [-].
    """
    table = np.empty((TABLE_SIZE, 5))
    reach = steepest_reach(n)
    for k in range(TABLE_SIZE):
        u = min(k, TABLE_SIZE - 2) / (TABLE_SIZE - 1)
        r = u * (h + d) / (1.0 - u)
        t = entry_tangent(r, h, d, n, reach)
        c2 = 1.0 + t * t
        cos_a = 1.0 / math.sqrt(c2)
        sin_w = t * cos_a / n
        cos_w = math.sqrt(1.0 - sin_w * sin_w)
        t_over_r = t / r if k else 1.0 / (h + d / n)
        spread = tube_spread(t, h, d, n)
        value = c2**-1.5 * t_over_r / spread
        if lobe.shape[0]:
            value *= _lookup(lobe, cos_a)
        table[k, 0] = value * fresnel_transmittance(cos_a, cos_w, 1.0, n) * math.exp(-attenuation * d / cos_w)
        table[k, 1] = h * t_over_r
        table[k, 2] = sin_w
        table[k, 3] = 1.0 - h / spread
        table[k, 4] = cos_a
    return table


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _irradiance(
    px: float,
    py: float,
    d: float,
    paths: Array,
    sources: Array,
    heights: Array,
    level: NDArray[np.int64],
    axes: Array,
    lobe: Array,
    size: tuple[float, float],
    reach: float,
    order: tuple[int, int],
    panes: Array,
    opening: Array,
    rim: float,
    braces: Array,
    rocks: Array,
) -> float:
    """Downward irradiance at one point per unit of flux [1/m2]."""
    length, width = size
    far = d * reach
    i_low = min(0, max(-order[0], math.floor((px - far) / length)))
    i_high = max(0, min(order[0], math.floor((px + far) / length)))
    j_low = min(0, max(-order[1], math.floor((py - far) / width)))
    j_high = max(0, min(order[1], math.floor((py + far) / width)))
    # Refraction only moves the entry towards the point, so where even the straight line enters too
    # near the point to be in the image's cell, the ray does. Solved for the source this is a bound.
    bend = (heights.max() + d) / d if d > 0.0 else 1e9
    open_point = _inside(px, py, 0.0, 0.0, opening)
    total = 0.0
    for i in range(i_low, i_high + 1):
        sign_x, shift_x = (1.0, i * length) if i % 2 == 0 else (-1.0, (i + 1) * length)
        least_x = px + (i * length - px) * bend if i > 0 else -1e9
        most_x = px + ((i + 1) * length - px) * bend if i < 0 else 1e9
        for j in range(j_low, j_high + 1):
            sign_y, shift_y = (1.0, j * width) if j % 2 == 0 else (-1.0, (j + 1) * width)
            least_y = py + (j * width - py) * bend if j > 0 else -1e9
            most_y = py + ((j + 1) * width - py) * bend if j < 0 else 1e9
            direct = i == 0 and j == 0 and open_point
            for s in range(sources.shape[0]):
                sx, sy = shift_x + sign_x * sources[s, 0], shift_y + sign_y * sources[s, 1]
                half_x, half_y = 0.5 * sources[s, 4], 0.5 * sources[s, 5]
                if sx + half_x < least_x or sx - half_x > most_x or sy + half_y < least_y or sy - half_y > most_y:
                    continue
                dx, dy = px - sx, py - sy
                g = level[s]
                h = heights[g]
                scale = h + d
                to_rim = max(0.0, (h - rim) / h)
                r = math.sqrt(dx * dx + dy * dy)
                at = r / (r + scale) * (TABLE_SIZE - 1)
                k = min(int(at), TABLE_SIZE - 2)
                f = at - k
                share = paths[g, k, 1] + f * (paths[g, k + 1, 1] - paths[g, k, 1])
                qx, qy = sx + dx * share, sy + dy * share
                passed = 1.0
                if not (direct and _inside(sx, sy, half_x, half_y, opening)):
                    # A source stands for a patch of the face; where the edge of the opening cuts the patch's
                    # image on the water, it counts in part, so that few sources make a smooth edge.
                    moves = paths[g, k, 3] + f * (paths[g, k + 1, 3] - paths[g, k, 3])
                    wide, deep = 1e-9 + moves * sources[s, 4], 1e-9 + moves * sources[s, 5]
                    passed = _passes_opening(sign_x * (qx - shift_x), sign_y * (qy - shift_y), wide, deep, opening)
                    if passed == 0.0:
                        continue
                    if to_rim > 0.0:
                        x, y = sx + dx * share * to_rim, sy + dy * share * to_rim
                        x, y = sign_x * (x - shift_x), sign_y * (y - shift_y)
                        passed = min(passed, _passes_opening(x, y, wide, deep, opening))
                        if passed == 0.0:
                            continue
                if to_rim > 0.0 and braces.shape[0]:
                    x, y = sx + dx * share * to_rim, sy + dy * share * to_rim
                    if _under_brace(sign_x * (x - shift_x), sign_y * (y - shift_y), braces):
                        continue
                if rocks.shape[0] and blocked(px, py, d, qx, qy, i, j, length, width, rocks):
                    continue
                value = passed * sources[s, 3] * (paths[g, k, 0] + f * (paths[g, k + 1, 0] - paths[g, k, 0]))
                if lobe.shape[0]:
                    cos_a = paths[g, k, 4] + f * (paths[g, k + 1, 4] - paths[g, k, 4])
                    across = math.sqrt(max(0.0, 1.0 - cos_a * cos_a)) / r if r > 1e-9 else 0.0
                    value *= _aimed(axes, lobe, sign_x * dx * across, sign_y * dy * across, -cos_a)
                if i != 0 or j != 0:
                    sin_w = paths[g, k, 2] + f * (paths[g, k + 1, 2] - paths[g, k, 2])
                    if i != 0:
                        value *= crossings_return(panes[0], panes[1], i, abs(dx) / r * sin_w)
                    if j != 0:
                        value *= crossings_return(panes[2], panes[3], j, abs(dy) / r * sin_w)
                total += value
    return total


@njit(cache=True, parallel=True, error_model="numpy", fastmath=FAST)
def irradiance(
    points: Array,
    layer: NDArray[np.int64],
    depths: Array,
    sources: Array,
    heights: Array,
    level: NDArray[np.int64],
    axes: Array,
    lobe: Array,
    plain: bool,
    size: tuple[float, float],
    n: float,
    attenuation: float,
    panes: Array,
    opening: Array,
    rim: float,
    braces: Array,
    rocks: Array,
) -> Array:
    """Downward irradiance at points (k, 3) per unit of flux, (k,) [1/m2].

    ``depths`` (l,) are the distinct depths and ``layer`` (k,) says which of them each point has, ``heights``
    (g,) the distinct heights of the ``sources`` (s, 6) and ``level`` (s,) which each has, so that refraction,
    Fresnel and path loss are worked out once for each pair and looked up after that. ``axes`` (3, 3) and
    ``lobe`` (cosines, phis) say how the light is aimed, see ``Emitter.axes`` and ``lobe``. ``plain`` says that
    the face looks straight down and its lobe is round: then the lobe goes into the path tables too.
    """
    inside = lobe if plain else lobe[:0]
    outside = lobe[:0] if plain else lobe
    paths = np.empty((depths.shape[0], heights.shape[0], TABLE_SIZE, 5))
    for k in prange(depths.shape[0]):
        for g in range(heights.shape[0]):
            paths[k, g] = _path_table(heights[g], depths[k], inside[:, 0], n, attenuation)
    reach = steepest_reach(n)
    order = (_highest_order(panes[0], panes[1]), _highest_order(panes[2], panes[3]))
    out = np.empty(points.shape[0])
    for k in prange(points.shape[0]):
        out[k] = _irradiance(
            points[k, 0],
            points[k, 1],
            points[k, 2],
            paths[layer[k]],
            sources,
            heights,
            level,
            axes,
            outside,
            size,
            reach,
            order,
            panes,
            opening,
            rim,
            braces,
            rocks,
        )
    return out

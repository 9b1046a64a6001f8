"""The inner loop of the field: point sources over a flat surface, panes unfolded into mirror images.

For a source at height h and a point r aside at depth d, planar downward irradiance is

    E = I(a) T(a) (sin a / r) (da / dr) exp(-K d / cos w)         (flux tube, exact for a flat surface)

with a the angle in air and w in water. Written in t = tan a, (sin a / r)(da / dr) becomes
(t / r) (1 + t^2)^(-3/2) / (dr / dt).

A pane is unfolded by mirroring the tank: the image cell (i, j) of the tank lies i lengths to the
right and j widths behind. Light from an image counts only where its ray enters the water inside
that image's own opening. A ray in water never leans past the critical angle, so the cells within
d tan(critical) of the point are all there are: no order is cut off.

Kernels go element by element: for an assignment to a slice, ``max`` and the like numba compiles its checks of shapes
and their texts as well, which takes longer than the kernel itself.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from corlume.core.light.path_tables import GEOMETRY, TABLE_SIZE, lookup, read_table
from corlume.core.light.rockwork import Rockwork
from corlume.core.light.shadow import FAST, SECTORS, blocked, is_over, note_horizon
from corlume.core.light.water_surface import steepest_tangent

Array = NDArray[np.float64]
MAX_ORDER = 8


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _aimed(axes: Array, lobe: Array, x: float, y: float, z: float) -> float:
    """Intensity per unit of flux along a direction (x right, y back, z up) [1/sr]."""
    cosine = axes[2, 0] * x + axes[2, 1] * y + axes[2, 2] * z
    if cosine <= 0.0:
        return 0.0
    phis = lobe.shape[1]
    cosine = min(cosine, 1.0)
    if phis == 1:
        return lookup(lobe[:, 0], cosine)
    long = axes[0, 0] * x + axes[0, 1] * y + axes[0, 2] * z
    short = axes[1, 0] * x + axes[1, 1] * y + axes[1, 2] * z
    at = math.atan2(short, long) / (2.0 * math.pi) * (phis - 1)
    if at < 0.0:
        at += phis - 1
    k = min(int(at), phis - 2)
    f = at - k
    return float(lookup(lobe[:, k], cosine) * (1.0 - f) + lookup(lobe[:, k + 1], cosine) * f)


@njit(cache=True, error_model="numpy", fastmath=FAST)
def crossings_return(low: Array, high: Array, cell: int, cosine: float) -> float:
    """Multiply the reflectances of the panes that a ray from image cell ``cell`` met along one axis."""
    first, second = (high, low) if cell > 0 else (low, high)
    value = lookup(first, cosine)
    for crossing in range(1, abs(cell)):
        value *= lookup(second if crossing % 2 else first, cosine)
    return value


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _inside(x: float, y: float, half_x: float, half_y: float, opening: Array) -> bool:
    """Whether a patch lies wholly over the opening; a ray between two points there stays inside it."""
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
def _past_strips(
    sx: float, sy: float, h: float, qx: float, qy: float, mirrors: tuple[float, float, float, float],
    extent: tuple[float, float], moves: float, strips: Array,
) -> float:  # fmt: skip
    """Share of a patch's light from (sx, sy) at height h to the entry (qx, qy) that no strip takes [-].

    ``mirrors`` holds sign and shift of the image cell along x and y; the patch narrows towards the water.
    """
    sign_x, shift_x, sign_y, shift_y = mirrors
    passed = 1.0
    for k in range(strips.shape[0]):
        up = strips[k, 4] / h
        if up >= 1.0:
            continue
        x = sign_x * (qx + up * (sx - qx) - shift_x)
        y = sign_y * (qy + up * (sy - qy) - shift_y)
        patch = moves + (1.0 - moves) * up
        taken = _within(x, strips[k, 0], strips[k, 1], 1e-9 + patch * extent[0])
        if taken > 0.0:
            passed -= taken * _within(y, strips[k, 2], strips[k, 3], 1e-9 + patch * extent[1])
    return max(0.0, passed)


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _past_discs(
    px: float, py: float, d: float, qx: float, qy: float, length: float, width: float, discs: Array
) -> float:
    """Share of a ray left by discs of colonies (x, y, depth, radius, share passed) from its entry q to the point p at
    depth d [-]; the highest disc comes first.
    """
    passed = 1.0
    for k in range(discs.shape[0]):
        if discs[k, 2] >= d - 1e-4:
            break
        down = max(0.0, discs[k, 2]) / d
        # where the ray crosses the disc's depth, folded back into the real tank
        x, y = qx + down * (px - qx), qy + down * (py - qy)
        if x < 0.0 or x > length or y < 0.0 or y > width:
            i, j = math.floor(x / length), math.floor(y / width)
            x, y = x - i * length, y - j * width
            x, y = x if i % 2 == 0 else length - x, y if j % 2 == 0 else width - y
        dx, dy = x - discs[k, 0], y - discs[k, 1]
        if dx * dx + dy * dy < discs[k, 3] * discs[k, 3]:
            passed *= discs[k, 4]
            if passed == 0.0:
                break
    return passed


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _past_plates(
    px: float, py: float, d: float, qx: float, qy: float, length: float, width: float, plates: Array
) -> float:
    """Share of a ray left by level plates (x0, x1, y0, y1, depth, share passed) from its entry q to the point p [-]."""
    passed = 1.0
    for k in range(plates.shape[0]):
        if plates[k, 4] >= d - 1e-4:
            continue
        down = plates[k, 4] / d
        x, y = qx + down * (px - qx), qy + down * (py - qy)
        i, j = math.floor(x / length), math.floor(y / width)
        x, y = x - i * length, y - j * width
        x, y = (x if i % 2 == 0 else length - x), (y if j % 2 == 0 else width - y)
        if plates[k, 0] < x < plates[k, 1] and plates[k, 2] < y < plates[k, 3]:
            passed *= plates[k, 5]
    return passed


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _highest_order(low: Array, high: Array) -> int:
    """Highest useful order of reflections between two facing panes: 0 or 1 when one of them absorbs all."""
    first, second = _any_above_zero(low), _any_above_zero(high)
    if first and second:
        return MAX_ORDER
    return 1 if first or second else 0


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _any_above_zero(values: Array) -> bool:
    most = 0.0
    for k in range(values.shape[0]):
        most = max(most, values[k])
    return most > 0.0


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _least(values: Array) -> float:
    least = np.inf
    for k in range(values.shape[0]):
        least = min(least, values[k])
    return least


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _air_tangent(tan_w: float, n: float) -> float:
    """Tangent in air of a ray with a given tangent in water [-]; a very large number past the critical angle."""
    sin2 = n * n * tan_w * tan_w / (1.0 + tan_w * tan_w)
    return math.sqrt(sin2 / (1.0 - sin2)) if sin2 < 1.0 else 1e9


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _irradiance(
    out: Array,
    px: float,
    py: float,
    d: float,
    paths: Array,
    deeper: Array,
    part: float,
    sources: Array,
    heights: Array,
    at_height: NDArray[np.int64],
    axes: Array,
    lobe: Array,
    size: tuple[float, float],
    n: float,
    steepest: float,
    order: tuple[int, int],
    panes: Array,
    opening: Array,
    rim: float,
    strips: Array,
    rock: Rockwork,
    discs: Array,
    plates: Array,
    normal: Array,
    horizon: Array,
) -> None:
    """Add irradiance at one point per unit of flux to ``out`` (channels,) [1/m2]: downward, or on a surface with a
    ``normal`` (x right, y back, z up) where it has one; ``horizon`` is room to work in, see ``note_horizon``. What
    ``paths`` bring is blended by ``part`` [-] with what those of the ``deeper`` table bring.
    """
    tilted = normal.shape[0] > 0
    length, width = size
    far = d * steepest
    i_low = min(0, max(-order[0], math.floor((px - far) / length)))
    i_high = max(0, min(order[0], math.floor((px + far) / length)))
    j_low = min(0, max(-order[1], math.floor((py - far) / width)))
    j_high = max(0, min(order[1], math.floor((py + far) / width)))
    # A ray enters in an image's cell only when its source lies at least as far behind the cell's edge as that
    # of the ray in the plane across the edge does: one that runs aslant spends less of its way in water.
    lowest = _least(heights)
    open_point = _inside(px, py, 0.0, 0.0, opening)
    in_the_way = strips.shape[0] + rock.runs.shape[0] + discs.shape[0] + plates.shape[0] > 0
    shaded = rock.peak < d
    if shaded:
        note_horizon(px, py, d, rock, steepest, i_low, i_high, j_low, j_high, horizon)
    for i in range(i_low, i_high + 1):
        sign_x, shift_x = (1.0, i * length) if i % 2 == 0 else (-1.0, (i + 1) * length)
        least_x = i * length + lowest * _air_tangent((i * length - px) / d, n) if i > 0 else -1e9
        most_x = (i + 1) * length - lowest * _air_tangent((px - (i + 1) * length) / d, n) if i < 0 else 1e9
        for j in range(j_low, j_high + 1):
            sign_y, shift_y = (1.0, j * width) if j % 2 == 0 else (-1.0, (j + 1) * width)
            least_y = j * width + lowest * _air_tangent((j * width - py) / d, n) if j > 0 else -1e9
            most_y = (j + 1) * width - lowest * _air_tangent((py - (j + 1) * width) / d, n) if j < 0 else 1e9
            direct = i == 0 and j == 0 and open_point
            for s in range(sources.shape[0]):
                sx, sy = shift_x + sign_x * sources[s, 0], shift_y + sign_y * sources[s, 1]
                half_x, half_y = 0.5 * sources[s, 4], 0.5 * sources[s, 5]
                if sx + half_x < least_x or sx - half_x > most_x or sy + half_y < least_y or sy - half_y > most_y:
                    continue
                dx, dy = px - sx, py - sy
                g = at_height[s]
                h = heights[g]
                r = math.sqrt(dx * dx + dy * dy)
                at = r / (r + h + d) * (TABLE_SIZE - 1)
                k = min(int(at), TABLE_SIZE - 2)
                f = at - k
                weight = sources[s, 3]
                clear = direct and _inside(sx, sy, half_x, half_y, opening)
                if in_the_way or not clear:
                    share = paths[g, k, 0] + f * (paths[g, k + 1, 0] - paths[g, k, 0])
                    moves = paths[g, k, 2] + f * (paths[g, k + 1, 2] - paths[g, k, 2])
                    if part > 0.0:
                        share += part * (deeper[g, k, 0] + f * (deeper[g, k + 1, 0] - deeper[g, k, 0]) - share)
                        moves += part * (deeper[g, k, 2] + f * (deeper[g, k + 1, 2] - deeper[g, k, 2]) - moves)
                    qx, qy = sx + dx * share, sy + dy * share
                    if not clear:
                        # A source stands for a patch of the face; where the edge of the opening cuts the patch's
                        # image on the water, it counts in part, so that few sources make a smooth edge.
                        wide, deep = 1e-9 + moves * sources[s, 4], 1e-9 + moves * sources[s, 5]
                        x, y = sign_x * (qx - shift_x), sign_y * (qy - shift_y)
                        passed = _passes_opening(x, y, wide, deep, opening)
                        if passed == 0.0:
                            continue
                        if h > rim > 0.0:
                            to_rim = share * (h - rim) / h
                            x, y = sign_x * (sx + dx * to_rim - shift_x), sign_y * (sy + dy * to_rim - shift_y)
                            passed = min(passed, _passes_opening(x, y, wide, deep, opening))
                        weight *= passed
                    if strips.shape[0]:
                        mirrors = (sign_x, shift_x, sign_y, shift_y)
                        patch = (sources[s, 4], sources[s, 5])
                        weight *= _past_strips(sx, sy, h, qx, qy, mirrors, patch, moves, strips)
                    if weight == 0.0:
                        continue
                    if (
                        shaded
                        and not is_over(qx - px, qy - py, d, horizon)
                        and blocked(px, py, d, qx, qy, i, j, length, width, rock)
                    ):
                        continue
                    if discs.shape[0]:
                        weight *= _past_discs(px, py, d, qx, qy, length, width, discs)
                        if weight == 0.0:
                            continue
                    if plates.shape[0]:
                        weight *= _past_plates(px, py, d, qx, qy, length, width, plates)
                if lobe.shape[0]:
                    cos_a = read_table(paths, deeper, part, g, k, f, 3)
                    across = math.sqrt(max(0.0, 1.0 - cos_a * cos_a)) / r if r > 1e-9 else 0.0
                    weight *= _aimed(axes, lobe, sign_x * dx * across, sign_y * dy * across, -cos_a)
                if tilted:
                    # the downward irradiance of the ray, over the cosine of its lean, times that to the surface
                    sine = read_table(paths, deeper, part, g, k, f, 1)
                    tangent = sine / math.sqrt(max(1e-12, 1.0 - sine * sine))
                    aside = (dx * normal[0] + dy * normal[1]) / r if r > 1e-12 else 0.0
                    weight *= max(0.0, normal[2] - aside * tangent)
                    if weight == 0.0:
                        continue
                if i != 0 or j != 0:
                    sin_w = read_table(paths, deeper, part, g, k, f, 1)
                    leans = sin_w / r if r > 1e-12 else 0.0  # straight down, on the pane itself
                    if i != 0:
                        weight *= crossings_return(panes[0], panes[1], i, abs(dx) * leans)
                    if j != 0:
                        weight *= crossings_return(panes[2], panes[3], j, abs(dy) * leans)
                upper = weight - part * weight
                for c in range(out.shape[0]):
                    v = paths[g, k, GEOMETRY + c]
                    out[c] += upper * (v + f * (paths[g, k + 1, GEOMETRY + c] - v))
                if part > 0.0:
                    for c in range(out.shape[0]):
                        v = deeper[g, k, GEOMETRY + c]
                        out[c] += part * weight * (v + f * (deeper[g, k + 1, GEOMETRY + c] - v))


@njit(cache=True, nogil=True, error_model="numpy", fastmath=FAST)
def irradiance(
    first: int,
    end: int,
    out: Array,
    points: Array,
    layer: NDArray[np.int64],
    part: Array,
    paths: Array,
    sources: Array,
    heights: Array,
    at_height: NDArray[np.int64],
    axes: Array,
    lobe: Array,
    size: tuple[float, float],
    n: float,
    panes: Array,
    opening: Array,
    rim: float,
    strips: Array,
    rock: Rockwork,
    discs: Array,
    plates: Array,
    normals: Array,
) -> None:
    """Add to ``out`` (k, channels) the downward irradiance per unit of flux at points (k, 3), from the first to before
    the end [1/m2]; on surfaces with ``normals`` (k, 3),
    where these are given and not (1, 0).

    ``paths`` are the tables of ``path_tables``; ``layer`` (k,) says at which of their depths each point lies, or below
    which, and ``part`` (k,) how far towards the next [-]. ``heights`` (g,) are their heights, and ``at_height`` (s,)
    which of these each of the ``sources`` (s, 6) has, so that refraction, Fresnel and path loss are worked out once
    for each pair and looked up after that. ``axes`` (3, 3) and ``lobe`` (cosines, phis) say how the light is aimed, see
    ``Emitter.axes`` and ``lobe``; ``lobe`` has no rows when it is in the path tables.
    """
    steepest = steepest_tangent(n)
    order = (_highest_order(panes[0], panes[1]), _highest_order(panes[2], panes[3]))
    last = normals.shape[0] - 1
    horizon = np.empty(SECTORS)
    for k in range(first, end):
        _irradiance(
            out[k],
            points[k, 0],
            points[k, 1],
            points[k, 2],
            paths[layer[k]],
            paths[min(layer[k] + 1, paths.shape[0] - 1)],
            part[k],
            sources,
            heights,
            at_height,
            axes,
            lobe,
            size,
            n,
            steepest,
            order,
            panes,
            opening,
            rim,
            strips,
            rock,
            discs,
            plates,
            normals[min(k, last)],
            horizon,
        )

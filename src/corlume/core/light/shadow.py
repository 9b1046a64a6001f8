"""Shadows of rock: whether any rock stands in the way of a ray.

A ray is followed from one of its ends to the other, block by block and in a block column by column, through the runs
of a rockwork, so that what it costs goes by the columns that it passes low enough to meet rock, and not by how much
rock there is. The columns fold at the panes as the tank does when it is mirrored, so that one table serves every image
of it.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from corlume.core.light.rockwork import Rockwork

Array = NDArray[np.float64]
FAST = {"contract", "arcp", "nsz", "reassoc"}
SKIN = 0.003
"""Light that comes to a place on rock meets nothing in its last rise of this [m]: so far the planes of neighbouring
columns stand over each other on a slope.
"""
SLACK = 1e-9
"""Rock that a ray only touches does not stop it [m]."""


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def mirror(v: float, cell: int, size: float) -> float:
    """Place a coordinate of the real tank into image cell ``cell``; its own inverse up to the shift."""
    return cell * size + (v if cell % 2 == 0 else size - v)


@njit(cache=True, error_model="numpy", fastmath=FAST)
def blocked(
    px: float, py: float, d: float, qx: float, qy: float, i: int, j: int, length: float, width: float, rock: Rockwork,
    end: float = 0.0,
) -> bool:  # fmt: skip
    """Whether rock stands between the point p at depth d and the point q at depth ``end``, by default at the surface
    [m].

    The ray ends in the image cell (i, j); rock in the cells between it and the real tank counts, mirrored.
    """
    if rock.peak >= d and rock.peak >= end:
        return False
    if end == 0.0 and d > 0.0:
        skin = min(0.5, SKIN / d)
        px, py, d = px + skin * (qx - px), py + skin * (qy - py), d - skin * d
    blocks, highest, starts, runs, partial = rock.blocks, rock.highest, rock.starts, rock.runs, rock.partial
    nx, ny = blocks.shape
    many, side = highest.shape[1], highest.shape[0] // nx
    wide, deep = rock.wide * side, rock.deep * side
    dx, dy, fall = qx - px, qy - py, end - d
    right, back = dx > 0.0, dy > 0.0
    pass_x = wide / abs(dx) if dx != 0.0 else 1e18
    pass_y = deep / abs(dy) if dy != 0.0 else 1e18
    ix, iy = math.floor(px / wide), math.floor(py / deep)
    next_x = ((ix + right) * wide - px) / dx if dx != 0.0 else 1e18
    next_y = ((iy + back) * deep - py) / dy if dy != 0.0 else 1e18
    # the image of the tank that the ray is in, the block of the real tank there, and which way it goes in it
    a, b = ix // nx, iy // ny
    x, step_x = _folded(ix - a * nx, nx, a, right)
    y, step_y = _folded(iy - b * ny, ny, b, back)
    low_i, high_i, low_j, high_j = min(0, i), max(0, i), min(0, j), max(0, j)
    last = 1.0
    if fall < 0.0 and end < rock.peak:
        last = (rock.peak - d) / fall  # from here on the ray is above all rock
    per_x, per_y = 1.0 / rock.wide, 1.0 / rock.deep
    part_x, part_y = pass_x / side, pass_y / side
    u = 0.0
    while u < last:
        until = min(next_x, next_y)
        leave = min(last, until)
        if blocks[x, y] < max(d + u * fall, d + leave * fall) and low_i <= a <= high_i and low_j <= b <= high_j:
            # column by column through the block, in the coordinates of the real tank
            start_x, rate_x = (px - a * length, dx) if a % 2 == 0 else ((a + 1) * length - px, -dx)
            start_y, rate_y = (py - b * width, dy) if b % 2 == 0 else ((b + 1) * width - py, -dy)
            cx, left_x, cy, left_y = x, 0, y, 0
            if side > 1:
                cx, left_x = _column((start_x + u * rate_x) * per_x, x * side, side, step_x)
                cy, left_y = _column((start_y + u * rate_y) * per_y, y * side, side, step_y)
            out_x, out_y = next_x - left_x * part_x, next_y - left_y * part_y
            at = u
            while True:
                out = min(leave, min(out_x, out_y))
                here, there = d + at * fall, d + out * fall
                lowest = max(here, there)
                if highest[cx, cy] < lowest:
                    column = cx * many + cy
                    for r in range(starts[column], starts[column + 1]):
                        if runs[r, 10] >= lowest:
                            break
                        if runs[r, 11] > min(here, there) and _meets(
                            runs, r, partial[r], start_x + at * rate_x, start_y + at * rate_y, here,
                            (out - at) * rate_x, (out - at) * rate_y, there - here,
                            (cx + 0.5) * rock.wide, (cy + 0.5) * rock.deep,
                        ):  # fmt: skip
                            return True
                if out >= leave:
                    break
                at = out
                if out_x < out_y:
                    if left_x == 0:
                        break
                    out_x += part_x
                    cx += step_x
                    left_x -= 1
                else:
                    if left_y == 0:
                        break
                    out_y += part_y
                    cy += step_y
                    left_y -= 1
        u = until
        if next_x < next_y:
            next_x += pass_x
            x += step_x
            if x < 0 or x >= nx:  # through a pane: the mirrored tank begins with the same block
                x -= step_x
                step_x = -step_x
                a += 1 if right else -1
        else:
            next_y += pass_y
            y += step_y
            if y < 0 or y >= ny:
                y -= step_y
                step_y = -step_y
                b += 1 if back else -1
    return False


@njit(cache=True, inline="always", error_model="numpy")
def _column(at: float, first: int, side: int, step: int) -> tuple[int, int]:
    """Column of a place in units of columns, of the block of ``side`` columns from ``first`` on, and how many of them
    are left in the direction of a step.
    """
    column = min(max(int(at), first), first + side - 1)
    return column, (first + side - 1 - column if step > 0 else column - first)


SECTORS = 32
"""A point's horizon is noted in so many directions."""


@njit(cache=True, error_model="numpy", fastmath=FAST)
def note_horizon(
    px: float, py: float, d: float, rock: Rockwork, steepest: float, i_low: int, i_high: int, j_low: int, j_high: int,
    horizon: Array,
) -> None:  # fmt: skip
    """Write how fast a ray from p at depth d must rise in each direction (SECTORS,) to pass over all rock there, in
    depth over way [-]; 0 where no rock is in reach.

    Rays lean by a ``steepest`` tangent at most, and end in the image cells i_low..i_high by j_low..j_high. Those
    above it need not be followed: most of those that reach a place do not come near rock.
    """
    for s in range(SECTORS):
        horizon[s] = 0.0
    nx, ny = rock.blocks.shape
    side = rock.highest.shape[0] // nx
    wide, deep = rock.wide * side, rock.deep * side
    reach = (d - rock.peak) * steepest
    if reach <= 0.0:
        return
    first_x, last_x = (
        max(i_low * nx, math.floor((px - reach) / wide)),
        min(i_high * nx + nx - 1, math.floor((px + reach) / wide)),
    )
    first_y, last_y = (
        max(j_low * ny, math.floor((py - reach) / deep)),
        min(j_high * ny + ny - 1, math.floor((py + reach) / deep)),
    )
    for ix in range(first_x, last_x + 1):
        fold_x = ix % (2 * nx)
        x = fold_x if fold_x < nx else 2 * nx - 1 - fold_x
        low_x, high_x = ix * wide - px, (ix + 1) * wide - px
        gap_x = max(0.0, max(low_x, -high_x))
        for iy in range(first_y, last_y + 1):
            fold_y = iy % (2 * ny)
            y = fold_y if fold_y < ny else 2 * ny - 1 - fold_y
            over = d - rock.blocks[x, y]
            low_y, high_y = iy * deep - py, (iy + 1) * deep - py
            gap_y = max(0.0, max(low_y, -high_y))
            near = math.sqrt(gap_x * gap_x + gap_y * gap_y)
            if over <= 0.0 or near >= over * steepest:
                continue
            if near < 1e-6:
                first, last, rises = 0, SECTORS - 1, 1e9
            else:
                one, two = _turn(low_x, low_y), _turn(low_x, high_y)
                three, four = _turn(high_x, low_y), _turn(high_x, high_y)
                least, most = min(min(one, two), min(three, four)), max(max(one, two), max(three, four))
                if most - least > 2.0:  # over the direction where turns begin again
                    one, two = one + 4.0 * (one < 2.0), two + 4.0 * (two < 2.0)
                    three, four = three + 4.0 * (three < 2.0), four + 4.0 * (four < 2.0)
                    least, most = min(min(one, two), min(three, four)), max(max(one, two), max(three, four))
                first, last = math.floor((least - 1e-9) * SECTORS / 4), math.floor((most + 1e-9) * SECTORS / 4)
                rises = over / near
            for s in range(first, last + 1):
                horizon[s % SECTORS] = max(horizon[s % SECTORS], rises)


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def is_over(dx: float, dy: float, d: float, horizon: Array) -> bool:
    """Whether a ray from depth d that has gone (dx, dy) aside at the surface rises above its horizon."""
    if dx == 0.0 and dy == 0.0:
        return False
    rises = horizon[min(int(_turn(dx, dy) * SECTORS / 4), SECTORS - 1)]
    return bool(d * d > rises * rises * (dx * dx + dy * dy))


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _turn(x: float, y: float) -> float:
    """Direction from 0 to 4, which grows with its angle and needs no arc tangent."""
    way = y / (abs(x) + abs(y))
    if x < 0.0:
        return 2.0 - way
    return way if y >= 0.0 else 4.0 + way


@njit(cache=True, inline="always", error_model="numpy")
def _folded(at: int, count: int, cell: int, onward: bool) -> tuple[int, int]:
    """Block of the real tank in an image cell, and the step to the next one along a ray."""
    step = 1 if onward else -1
    return (at, step) if cell % 2 == 0 else (count - 1 - at, -step)


@njit(cache=True, error_model="numpy", fastmath=FAST)
def _meets(
    runs: Array, r: int, partial: bool, x: float, y: float, z: float, dx: float, dy: float, dz: float,
    middle_x: float, middle_y: float,
) -> bool:  # fmt: skip
    """Whether run r takes a part of a ray from (x, y, depth z) by (dx, dy, dz) in its column, whose middle is given."""
    enter, leave = 0.0, 1.0
    if partial:
        enter, leave = _clipped(enter, leave, x, dx, runs[r, 6], runs[r, 7])
        if leave - enter <= 0.0:
            return False
        enter, leave = _clipped(enter, leave, y, dy, runs[r, 8], runs[r, 9])
        if leave - enter <= 0.0:
            return False
    x, y = x - middle_x, y - middle_y
    # how far the ray is under the top and over the bottom, which both are planes
    under = z - runs[r, 0] - runs[r, 1] * x - runs[r, 2] * y
    over = runs[r, 3] + runs[r, 4] * x + runs[r, 5] * y - z
    deeper = dz - runs[r, 1] * dx - runs[r, 2] * dy
    lower = runs[r, 4] * dx + runs[r, 5] * dy - dz
    enter, leave = _positive(enter, leave, under - SLACK, deeper)
    enter, leave = _positive(enter, leave, over - SLACK, lower)
    return bool(leave - enter > 1e-9)


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _positive(enter: float, leave: float, start: float, delta: float) -> tuple[float, float]:
    """The stretch enter..leave of a ray, cut to where start + u delta is above 0."""
    if abs(delta) < 1e-12:
        return (enter, leave) if start > 0.0 else (0.0, -1.0)
    zero = -start / delta
    return (max(enter, zero), leave) if delta > 0.0 else (enter, min(leave, zero))


@njit(cache=True, inline="always", error_model="numpy", fastmath=FAST)
def _clipped(enter: float, leave: float, start: float, delta: float, low: float, high: float) -> tuple[float, float]:
    """The stretch enter..leave of a ray, cut to where start + u delta lies between low and high."""
    if abs(delta) < 1e-12:
        return (enter, leave) if low < start < high else (0.0, -1.0)
    u0, u1 = (low - start) / delta, (high - start) / delta
    return max(enter, min(u0, u1)), min(leave, max(u0, u1))


@njit(cache=True, error_model="numpy")
def is_sheltered(rock: Rockwork, start: Array, ends: Array) -> NDArray[np.bool_]:
    """Return whether rock stands between a point (3,) and others (n, 3) of the tank, short of these by a thousandth."""
    found = np.zeros(ends.shape[0], dtype=np.bool_)
    far = 1.0 - 1e-3
    length, width = rock.highest.shape[0] * rock.wide, rock.highest.shape[1] * rock.deep
    for k in range(ends.shape[0]):
        x, y = start[0] + far * (ends[k, 0] - start[0]), start[1] + far * (ends[k, 1] - start[1])
        z = start[2] + far * (ends[k, 2] - start[2])
        found[k] = blocked(start[0], start[1], start[2], x, y, 0, 0, length, width, rock, z)
    return found

"""Drawings of a tank for paper: plan and front with its corals, PAR at a depth as isolines with numbers, and a day."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
from contourpy import LineType, contour_generator
from numpy.typing import NDArray

from corlume.core.light.geometry import Tank
from corlume.formats.measure import Measure
from corlume.formats.paper import Drawing, Line, Text
from corlume.formats.rock_outlines import rock_cut, rock_plan

Array = NDArray[np.float64]
LEFT, TOP, GAP, BOTTOM, RIGHT = 14.0, 8.0, 12.0, 8.0, 6.0
"""Room about the drawings, for words [mm]."""
ACROSS, DOWN = 9, 5
"""So many numbers stand on a map of PAR."""
DAY_HEIGHT = 46.0


def _box(x: float, y: float, wide: float, tall: float, kind: str) -> list[Line]:
    corners = [(x, y), (x + wide, y), (x + wide, y + tall), (x, y + tall)]
    return [Line(*a, *b, kind) for a, b in zip(corners, corners[1:] + corners[:1], strict=True)]


def _ring(xs: Array, ys: Array) -> list[Line]:
    """A closed line through places on the paper."""
    spots = list(zip(xs.tolist(), ys.tolist(), strict=True))
    return [Line(*a, *b, "thin") for a, b in itertools.pairwise([*spots, spots[0]])]


def _scale(tank: Tank, width: float) -> float:
    return (width - LEFT - RIGHT) / tank.length


def _edges(tank: Tank, measure: Measure, scale: float, y: float) -> list[Text]:
    """Lengths under a view that ends at y."""
    return [
        Text(LEFT, y + 4, "0"),
        Text(LEFT + tank.length * scale, y + 4, measure.length(tank.length)),
        Text(LEFT + 0.5 * tank.length * scale, y + 4, f"from left, {measure.unit}"),
    ]


def tank_drawing(
    tank: Tank, corals: Sequence[tuple[str, tuple[float, float, float]]], measure: Measure, width: float
) -> Drawing:
    """Plan above front elevation with rock in outline; corals are a mark and a word at x, y and depth [m]."""
    scale = _scale(tank, width)
    plan_end = TOP + tank.width * scale
    water = plan_end + GAP
    lines = _box(LEFT, TOP, tank.length * scale, tank.width * scale, "edge")
    lines += _box(LEFT, water, tank.length * scale, tank.water_depth * scale, "edge")
    sand = water + tank.sand_depth * scale
    lines.append(Line(LEFT, sand, LEFT + tank.length * scale, sand, "dash"))
    plan, cut = rock_plan(tank, 0.0), rock_cut(tank, "front", 0.0)
    for ring in (*plan.below, *plan.below_lines):
        lines += _ring(LEFT + ring[:, 0] * scale, plan_end - ring[:, 1] * scale)
    for ring in cut.behind:
        lines += _ring(LEFT + ring[:, 0] * scale, water + ring[:, 1] * scale)
    texts = [
        Text(LEFT, TOP - 2, f"Plan, {measure.length(tank.width)} front to back", "start"),
        Text(LEFT, water - 2, f"From the front, {measure.length(tank.water_depth)} of water", "start"),
        *_edges(tank, measure, scale, water + tank.water_depth * scale),
    ]
    for word, (x, y, depth) in corals:
        for v in (plan_end - y * scale, water + depth * scale):
            u = LEFT + x * scale
            lines += [Line(u - 0.8, v, u + 0.8, v, "mark"), Line(u, v - 0.8, u, v + 0.8, "mark")]
            texts.append(Text(u + 1, v - 0.6, word, "start"))
    height = water + tank.water_depth * scale + BOTTOM
    return Drawing(width, height, scale, tuple(lines), tuple(texts))


def par_drawing(
    tank: Tank, plane: tuple[Array, Array, Array], levels: Sequence[float], measure: Measure, width: float
) -> Drawing:
    """PAR over a plan: isolines at some levels [umol/m2/s] and numbers between them; ``plane`` is the nodes along x and
    y [m] and PAR (nx, ny), NaN in rock.
    """
    u, v, par = plane
    scale = _scale(tank, width)
    end = TOP + tank.width * scale
    lines = _box(LEFT, TOP, tank.length * scale, tank.width * scale, "edge")
    contours = contour_generator(u, v, np.where(np.isnan(par), 0.0, par).T, line_type=LineType.Separate)
    for level in levels:
        for path in contours.lines(level):
            points = np.asarray(path)
            xs, ys = LEFT + points[:, 0] * scale, end - points[:, 1] * scale
            spots = zip(xs.tolist(), ys.tolist(), strict=True)
            lines += [Line(*a, *b, "iso") for a, b in itertools.pairwise(spots)]
    texts = [Text(LEFT, TOP - 2, f"PAR; lines at {', '.join(f'{level:g}' for level in levels)}", "start")]
    for x in np.linspace(0, tank.length, 2 * ACROSS + 1)[1::2].tolist():
        for y in np.linspace(0, tank.width, 2 * DOWN + 1)[1::2].tolist():
            here = float(par[int(np.abs(u - x).argmin()), int(np.abs(v - y).argmin())])
            if np.isfinite(here):
                texts.append(Text(LEFT + x * scale, end - y * scale + 1, f"{here:.0f}"))
    texts += _edges(tank, measure, scale, end)
    return Drawing(width, end + BOTTOM, scale, tuple(lines), tuple(texts))


def day_drawing(watts: Array, width: float) -> Drawing:
    """Power (minutes,) over a day [W]."""
    most, wide = max(1.0, float(watts.max(initial=0.0))), width - LEFT - RIGHT
    base = TOP + DAY_HEIGHT

    def at(minute: int) -> tuple[float, float]:
        return LEFT + wide * minute / 1440, base - DAY_HEIGHT * float(watts[minute]) / most

    lines = [Line(LEFT, TOP, LEFT, base), Line(LEFT, base, LEFT + wide, base)]
    spots = [at(minute) for minute in range(0, len(watts), 10)]
    lines += [Line(*a, *b, "mark") for a, b in itertools.pairwise(spots)]
    texts = [Text(LEFT + wide * hour / 24, base + 4, f"{hour:02}:00") for hour in range(0, 25, 3)]
    texts += [Text(LEFT - 1, TOP + 2, f"{most:.0f} W", "end"), Text(LEFT - 1, base, "0", "end")]
    return Drawing(width, base + BOTTOM, 1.0, tuple(lines), tuple(texts))

"""Light on a view: tinted bands, labelled isolines, printed soundings."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import lru_cache
from itertools import pairwise
from typing import cast

import numpy as np
from contourpy import ContourGenerator, FillType, LineType, contour_generator
from markupsafe import Markup
from numpy.typing import NDArray

from corlume.core.judging.targets import Band
from corlume.services.light.fields import Plane
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group, pieces_path

Array = NDArray[np.float64]
ISOLINES = (25, 50, 75, 100, 125, 150, 200, 250, 300, 350, 400, 500, 600, 700, 800, 1000, 1250, 1500, 2000, 3000)
MOST_LINES = 11
SOUNDING_GAP = 46.0
NUMBER = (10.0, 6.0)
"""Half the width and the height of a printed number, in drawing units."""
LABEL_ROOM = 15.0
Spots = list[tuple[float, float]]
Patch = tuple[float, float, float, float]  # left, top, right, bottom, in drawing units
_Filled = tuple[list[Array], list[NDArray[np.int64]]]  # what contourpy returns for the two types asked for


def draw_light(
    view: View, plane: Plane, bands: Sequence[Band], *, coarse: bool = False, covered: Sequence[Patch] = ()
) -> Markup:
    """Draw a plane's bands, isolines and predicted soundings into its view.

    A ``coarse`` drawing has no lines but the limits of the bands, and no labels on them. Numbers and labels keep
    clear of what is ``covered``, such as the faces of fixtures.
    """
    if not np.isfinite(plane.par).any():
        return Markup("")
    filled = _fill_rock(plane.par)
    generator = _contours(view, plane, filled)
    if filled.max() < 0.5 and bands[-1].key == "strong":
        x, y = (view.left + view.right) / 2, 0.7 * view.top + 0.3 * view.bottom
        return _bands(generator, bands) + el("text", "no light yet", x=x, y=y, class_="no-light")
    if coarse:
        lines, labels = _limits(generator, filled, bands)
    else:
        lines, labels = _isolines(view, generator, plane, filled, bands, covered)
    soundings = _soundings(view, plane, labels, covered)
    return Markup("").join(
        [_bands(generator, bands), group(lines, class_="isolines"), group([soundings], class_="soundings")]
    )


def draw_bands(view: View, plane: Plane, bands: Sequence[Band]) -> Markup:
    """Draw a plane's bands alone."""
    if not np.isfinite(plane.par).any():
        return Markup("")
    return _bands(_contours(view, plane, _fill_rock(plane.par)), bands)


def _contours(view: View, plane: Plane, filled: Array) -> ContourGenerator:
    u = view.left + plane.u * view.scale
    v = np.array([view.at(0.0, float(x))[1] for x in plane.v])
    return contour_generator(u, v, filled.T, fill_type=FillType.OuterOffset, line_type=LineType.Separate)


def _bands(generator: ContourGenerator, bands: Sequence[Band]) -> Markup:
    return group([_band(generator, band.key, band.low, band.high) for band in bands], class_="bands")


def _fill_rock(par: Array) -> Array:
    """Continue the light into rock from its nearest neighbour, so that bands end at the rock's edge."""
    from scipy import ndimage

    holes = ~np.isfinite(par)
    if not holes.any():
        return par
    nearest = ndimage.distance_transform_edt(holes, return_distances=False, return_indices=True)
    result: Array = par[tuple(nearest)]
    return result


def _band(generator: ContourGenerator, key: str, low: float, high: float) -> Markup:
    polygons, offsets = cast(_Filled, generator.filled(low or -1.0, min(high, 1e6)))
    pieces = [
        points[a:b] for points, starts in zip(polygons, offsets, strict=True) for a, b in pairwise(starts.tolist())
    ]
    path = pieces_path(pieces, closed=True)
    shape = el("path", d=path, class_=f"band band-{key}") if path else Markup("")
    return shape + (el("path", d=path, class_="hatch") if path and key == "strong" else Markup(""))


def isolines_of(par: Array, bands: Sequence[Band]) -> list[tuple[float, bool]]:
    """Choose the lines to draw, each with whether it is a limit of a band; limits are always drawn."""
    limits = {band.low for band in bands[1:]}
    low, high = float(np.nanmin(par)), float(np.nanmax(par))
    between = [x for x in ISOLINES if low < x < high and min(abs(x - limit) for limit in limits) > 0.08 * x]
    keep = between[:: max(1, math.ceil(len(between) / MOST_LINES))]
    return sorted([(float(x), False) for x in keep] + [(x, True) for x in limits if low < x < high])


def _isolines(
    view: View,
    generator: ContourGenerator,
    plane: Plane,
    par: Array,
    bands: Sequence[Band],
    covered: Sequence[Patch],
) -> tuple[list[Markup], Spots]:
    lines: dict[bool, list[Array]] = {False: [], True: []}
    texts: list[Markup] = []
    taken: Spots = []
    free = _open_water(view, plane)
    steps = (len(plane.u) - 1) / (view.u_size * view.scale), (len(plane.v) - 1) / (view.v_size * view.scale)

    def clear(x: float, y: float) -> bool:
        down = view.bottom - y if view.kind == "plan" else y - view.top
        at = round((x - view.left) * steps[0]), round(down * steps[1])
        return bool(free[at]) and not any(a - 12 < x < c + 12 and b - 8 < y < d + 8 for a, b, c, d in covered)

    for par_there, is_limit in isolines_of(par, bands):
        measured = [(_length(p), p) for p in cast(list[Array], generator.lines(par_there))]
        pieces = [p for length, p in sorted(measured, key=lambda one: -one[0]) if length > 26]
        lines[is_limit] += pieces
        for piece in pieces[:2]:
            spot = _label_spot(view, piece, taken, clear)
            if spot is None:
                continue
            x, y, angle = spot
            taken.append((x, y))
            texts.append(
                el(
                    "text",
                    f"{par_there:g}",
                    class_="isolabel limit" if is_limit else "isolabel",
                    transform=f"translate({x:.1f} {y:.1f}) rotate({angle:.0f})",
                    dy="0.32em",
                )
            )
    paths = [
        el("path", d=pieces_path(pieces), class_="isoline limit" if is_limit else "isoline")
        for is_limit, pieces in lines.items()
        if pieces
    ]
    return paths + texts, taken


def _limits(generator: ContourGenerator, par: Array, bands: Sequence[Band]) -> tuple[list[Markup], Spots]:
    """Limits of the bands alone, as one path."""
    low, high = float(np.nanmin(par)), float(np.nanmax(par))
    lines = [band.low for band in bands[1:] if low < band.low < high]
    pieces = [p for par_there in lines for p in cast(list[Array], generator.lines(par_there))]
    return [el("path", d=pieces_path(pieces), class_="isoline limit")] if pieces else [], []


def _length(points: Array) -> float:
    steps = points[1:] - points[:-1]
    return float(np.sqrt((steps * steps).sum(axis=1)).sum())


def _label_spot(
    view: View, points: Array, taken: Spots, clear: Callable[[float, float], bool]
) -> tuple[float, float, float] | None:
    """Find a free spot along a line, from its middle outwards, and the line's angle there [degrees]."""
    n = len(points)
    for share in (0.5, 0.35, 0.65, 0.2, 0.8):
        k = min(n - 2, max(1, int(share * n)))
        x, y = points[k].tolist()
        inside = view.left + 13 < x < view.right - 13 and view.top + 9 < y < view.bottom - 9
        if inside and clear(x, y) and not any((x - a) ** 2 + (y - b) ** 2 < 4 * LABEL_ROOM**2 for a, b in taken):
            a, b = points[max(0, k - 2)], points[min(n - 1, k + 2)]
            angle = math.degrees(math.atan2(b[1] - a[1], b[0] - a[0]))
            upright = angle - 180 if angle > 90 else angle + 180 if angle < -90 else angle
            return float(x), float(y), upright
    return None


def _soundings(view: View, plane: Plane, labels: Spots, covered: Sequence[Patch]) -> Markup:
    """Predicted readings at even places, except where they would touch an isoline's label, rock or a cover."""
    columns, rows, starts, x, y = _places(view, len(plane.u), len(plane.v))
    readings = plane.par[np.ix_(columns, rows)]
    free = _open_water(view, plane)[np.ix_(columns, rows)]
    patches = [(a - 12, b - 6, a + 12, b + 6) for a, b in labels] + list(covered)
    for left, top, right, bottom in patches:
        beside = (x < left - NUMBER[0]) | (x > right + NUMBER[0])
        free = free & (beside[:, None] | ((y < top - NUMBER[1]) | (y > bottom + NUMBER[1]))[None, :])
    shown = free.ravel().tolist()
    numbers = np.where(free, readings, 0.0).round().astype(int).ravel().tolist()
    # numbers alone: nothing here needs escaping
    return Markup("".join([f"{at}{n}</text>" for at, n, show in zip(starts, numbers, shown, strict=True) if show]))


def _open_water(view: View, plane: Plane) -> NDArray[np.bool_]:
    """Nodes where a number of three figures would touch no rock."""
    from scipy import ndimage

    water = np.isfinite(plane.par)
    if water.all():
        return water
    wide = 1 + 2 * round(NUMBER[0] * len(plane.u) / (view.u_size * view.scale))
    tall = 1 + 2 * round(NUMBER[1] * len(plane.v) / (view.v_size * view.scale))
    found: NDArray[np.bool_] = ndimage.minimum_filter(water, size=(wide, tall), mode="nearest")
    return found


@lru_cache(maxsize=64)
def _places(view: View, nu: int, nv: int) -> tuple[list[int], list[int], list[str], Array, Array]:
    """Nodes of a plane that get a number, the text before each number, and their places on paper."""
    across = max(2, int((view.right - view.left) / SOUNDING_GAP))
    down = max(2, int((view.bottom - view.top) / (0.8 * SOUNDING_GAP)))
    u, v = np.linspace(0.0, view.u_size, nu), np.linspace(0.0, view.v_size, nv)
    columns, rows = _nearest(u, view.u_size, across), _nearest(v, view.v_size, down)
    x = view.left + u[columns] * view.scale
    y = np.array([view.at(0.0, float(at))[1] for at in v[rows]])
    starts = [f'<text x="{a:.1f}" y="{b:.1f}" dy="0.35em" class="sounding">' for a in x for b in y]
    return columns, rows, starts, x, y


def _nearest(nodes: Array, size: float, count: int) -> list[int]:
    """Indices of the nodes nearest to ``count`` even places."""
    return [int(np.abs(nodes - (i + 0.5) / count * size).argmin()) for i in range(count)]

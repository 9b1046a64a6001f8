"""The difference chart: PAR of one setup less that of another."""

from __future__ import annotations

from itertools import pairwise
from typing import cast

import numpy as np
from contourpy import FillType, contour_generator
from markupsafe import Markup
from numpy.typing import NDArray

from corlume.core.light.geometry import Tank
from corlume.core.message_text import signed
from corlume.services.light.fields import Plane
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group, pieces_path

Array = NDArray[np.float64]
LIMITS = (-1e6, -60.0, -20.0, 20.0, 60.0, 1e6)
NAMES = ("60 and more darker", "20 to 60 darker", "within 20", "20 to 60 brighter", "60 and more brighter")
"""Bands of difference [umol/m2/s]: a fifth of an SPS band is little, more than half of one is another place."""
_Filled = tuple[list[Array], list[NDArray[np.int64]]]


def difference_plan(tank: Tank, plane: Plane, base: Plane, *, width: float, label: str) -> Markup:
    """A plan of its own size with the difference of two planes, described by ``label``."""
    scale = width / tank.length
    view = View("plan", 2.0, 2.0, scale, tank.length, tank.width)
    box = f"0 0 {width + 4:.0f} {tank.width * scale + 4:.0f}"
    return el("svg", draw_difference(view, plane, base), viewBox=box, role="img", aria_label=label)


def draw_difference(view: View, plane: Plane, base: Plane) -> Markup:
    """Draw the difference of two planes with signed numbers at even places; rock is left blank."""
    change = plane.par - base.par
    if not np.isfinite(change).any():
        return Markup("")
    filled = np.where(np.isfinite(change), change, 0.0)
    u = view.left + plane.u * view.scale
    v = np.array([view.at(0.0, float(y))[1] for y in plane.v])
    generator = contour_generator(u, v, filled.T, fill_type=FillType.OuterOffset)
    parts = []
    for k, (low, high) in enumerate(pairwise(LIMITS)):
        polygons, offsets = cast(_Filled, generator.filled(low, high))
        pieces = [
            points[a:b] for points, starts in zip(polygons, offsets, strict=True) for a, b in pairwise(starts.tolist())
        ]
        if pieces:
            parts.append(el("path", d=pieces_path(pieces, closed=True), class_=f"diff diff-{k}"))
    columns = np.linspace(0, len(plane.u) - 1, 9).round().astype(int)[1:-1]
    rows = np.linspace(0, len(plane.v) - 1, 6).round().astype(int)[1:-1]
    for i in columns:
        for j in rows:
            if np.isfinite(change[i, j]):
                x, y = view.at(float(plane.u[i]), float(plane.v[j]))
                k = int(np.searchsorted(LIMITS, change[i, j], side="right")) - 1
                parts.append(el("text", signed(float(change[i, j])), x=x, y=y, dy="0.35em", class_=f"sounding on-{k}"))
    outline = el("rect", x=view.left, y=view.top, width=view.right - view.left, height=view.bottom - view.top,
                 class_="rock edge")  # fmt: skip
    return group([*parts, outline])

"""Polar diagram of a lobe: along the fixture and across it, straight down at the bottom."""

from __future__ import annotations

import math

import numpy as np
from markupsafe import Markup

from corlume.core.light.lobe import Beam
from corlume.web.drawing.svg import el, group, points_path

WIDTH, REACH = 300.0, 128.0
"""Width of the drawing, and the radius that stands for the maximum, in drawing units."""


BEAM = 34.0
"""Radius of the maximum in a small picture, in drawing units."""


def draw_beam(lobe: Beam) -> Markup:
    """A small picture of a lobe along the fixture: its outline alone, straight down."""
    table = lobe.table()
    cosines = np.linspace(0, 1, table.shape[0])
    angles = np.radians(np.arange(-90, 91, 5))
    reach = BEAM * np.interp(np.cos(angles), cosines, table[:, 0]) / float(table.max())
    outline = [(36 + r * math.sin(a), 4 + r * math.cos(a)) for a, r in zip(angles, reach.tolist(), strict=True)]
    face = el("rect", x=27.0, y=1.0, width=18.0, height=4.0, class_="front-source")
    beam = el("path", d=points_path(outline, closed=True), class_="front-cone")
    return el("svg", beam, face, viewBox="0 0 72 40", class_="front-picture", aria_hidden="true")


def draw_polar(lobe: Beam) -> Markup:
    """Draw intensity relative to its maximum over the angle from straight down."""
    table = lobe.table()
    cx, cy = WIDTH / 2, 6.0
    angles = np.radians(np.arange(-90, 91, 2))
    parts = []
    for share in (0.25, 0.5, 0.75, 1.0):
        r = REACH * share
        arc = [(cx + r * math.sin(a), cy + r * math.cos(a)) for a in angles]
        parts.append(el("path", d=points_path(arc), class_="polar-ring half" if share == 0.5 else "polar-ring"))
        parts.append(el("text", f"{share:.0%}", x=cx + 3, y=cy + r - 3, class_="scale"))
    for degrees in (-60, -30, 0, 30, 60):
        a = math.radians(degrees)
        x, y = cx + REACH * math.sin(a), cy + REACH * math.cos(a)
        parts.append(el("line", x1=cx, y1=cy, x2=x, y2=y, class_="polar-ring"))
        parts.append(el("text", f"{abs(degrees)}\u00b0", x=x, y=y + 12, class_="scale", text_anchor="middle"))
    cosines = np.linspace(0, 1, table.shape[0])
    columns = table.shape[1]
    planes = [("along", 0.0)] + ([("across", 0.25)] if columns > 1 else [])
    for name, turn in planes:
        curve = []
        for a in angles:
            side = (turn + (0.5 if a < 0 else 0.0)) % 1.0
            column = round(side * (columns - 1)) if columns > 1 else 0
            r = REACH * float(np.interp(math.cos(a), cosines, table[:, column])) / float(table.max())
            curve.append((cx + r * math.sin(a), cy + r * math.cos(a)))
        parts.append(el("path", d=points_path(curve), class_=f"polar-curve {name}"))
    label = "Relative intensity by angle from straight down" + ("; solid along, dashed across" if columns > 1 else "")
    return el("svg", group(parts), viewBox=f"0 0 {WIDTH:.0f} {REACH + 26:.0f}", role="img", aria_label=label)

"""Small pictures of lenses and reflectors: how wide they let the light out."""

from __future__ import annotations

import math

from markupsafe import Markup

from corlume.core.light.lens import Lens
from corlume.web.drawing.svg import el, points_path

WIDTH, HEIGHT, FACE = 72.0, 44.0, 9.0
REACH = 32.0


def draw_front(front: Lens, *, reflector: bool) -> Markup:
    """Draw a face with the cone within which its light is at least half as strong as straight down."""
    middle, half = WIDTH / 2, 0.5 * front.fwhm
    cone = [(middle + REACH * math.sin(a), FACE + REACH * math.cos(a)) for a in (k / 8 * half for k in range(-8, 9))]
    parts = [el("path", d=points_path([(middle, FACE), *cone], closed=True), class_="front-cone")]
    if reflector and front.passes > 0.5:
        dip = 7.0 if front.fwhm < 1.8 else 4.0
        parts.append(el("path", d=f"M{middle - 17:.0f} {FACE + dip:.0f}Q{middle:.0f} {FACE - 3 * dip:.0f} "
                        f"{middle + 17:.0f} {FACE + dip:.0f}", class_="front-reflector"))  # fmt: skip
        parts.append(el("circle", cx=middle, cy=FACE, r=2.5, class_="front-source"))
    else:
        parts.append(el("rect", x=middle - 9, y=FACE - 4, width=18.0, height=4.0, class_="front-source"))
    return el("svg", *parts, viewBox=f"0 0 {WIDTH:.0f} {HEIGHT:.0f}", class_="front-picture", aria_hidden="true")

"""A drawn photo for the demo: its tank from a little to one side."""

from __future__ import annotations

import io

import numpy as np

from corlume.core.light.geometry import Tank
from corlume.core.survey.photo_geometry import Photo, Quad
from corlume.formats.rock_outlines import rock_cut

SIZE = (1600, 1000)
CORNERS: Quad = ((0.09, 0.20), (0.90, 0.155), (0.915, 0.83), (0.075, 0.875))
DEEPER = 0.055
"""How far the back of the tank is drawn in towards the middle, as a share of the picture [-]."""


WATER = ("#3f78a3", "#5590ba")
"""Colour of the water in front and behind under LEDs."""
DIMMER = ("#2c5878", "#3d6c8c")
"""The same, dimmed."""


def draw_photo(tank: Tank, water: tuple[str, str] = WATER) -> bytes:
    """The tank with its water, sand and rock, as PNG."""
    from PIL import Image, ImageDraw, ImageFilter

    photo = Photo("-", "front", "-", *SIZE, CORNERS)
    picture = Image.new("RGB", SIZE, "#2a2c2e")
    draw = ImageDraw.Draw(picture)
    for k in range(9):  # a wall in bad light
        draw.rectangle((0, 110 * k, SIZE[0], 110 * k + 110), fill=(52 + 2 * k, 50 + 2 * k, 47 + 2 * k))

    def at(x: float, y: float, depth: float) -> tuple[float, float]:
        u, v = photo.point(tank, (x, y, depth))
        back = DEEPER * y / tank.width
        u, v = u + (0.5 - u) * back * 2, v + (0.5 - v) * back * 2
        return u * SIZE[0], v * SIZE[1]

    length, depth = tank.length, tank.water_depth
    front = [at(0, 0, 0), at(length, 0, 0), at(length, 0, depth), at(0, 0, depth)]
    draw.polygon(front, fill=water[0])
    far = tank.width
    draw.polygon([at(0, far, 0), at(length, far, 0), at(length, far, depth), at(0, far, depth)], fill=water[1])
    sand = tank.sand_depth
    draw.polygon([at(0, 0, sand), at(length, 0, sand), at(length, far, sand), at(0, far, sand)], fill="#c9b98f")
    draw.polygon([at(0, 0, sand), at(length, 0, sand), at(length, 0, depth), at(0, 0, depth)], fill="#b3a379")
    for y in np.linspace(
        tank.width, 0.0, 24
    ).tolist():  # slices of rock from the back to the front, each nearer brighter
        near = 1.0 - y / tank.width
        colour = tuple(round(low + (high - low) * near) for low, high in ((92, 150), (78, 130), (74, 122)))
        for ring in rock_cut(tank, "front", y).cut:
            draw.polygon([at(x, y, max(0.0, deep)) for x, deep in ring.tolist()], fill=colour)
    picture = picture.filter(ImageFilter.GaussianBlur(1.6))
    ImageDraw.Draw(picture).line([*front, front[0]], fill="#101214", width=9)
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()

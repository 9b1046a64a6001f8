"""A small plan of a tank for the list: the bands at the height of its rock top."""

from __future__ import annotations

from markupsafe import Markup

from corlume.services.light.fields import slice_plane, small_plane
from corlume.store.tanks import StoredTank
from corlume.web.drawing.light import draw_bands
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group

WIDTH = 250.0


def draw_card(stored: StoredTank, *, zones: bool = False, small: bool = False) -> Markup:
    """Draw the plan under the setup in use, without numbers, and with the zones wanted where asked for.

    A ``small`` one is for a cell of a table.
    """
    tank = stored.lit_tank()
    scale = WIDTH / tank.length
    view = View("plan", 2.0, 2.0, scale, tank.length, tank.width)
    hung = stored.setup().hung
    plane = small_plane(tank, hung) if small else slice_plane(tank, hung, "plan", tank.rock_top())
    outline = el("rect", x=2.0, y=2.0, width=WIDTH, height=tank.width * scale, class_="rock edge")
    size = f"0 0 {WIDTH + 4:.0f} {tank.width * scale + 4:.0f}"
    wanted = group(
        el("rect", x=x, y=y, width=z.length * scale, height=z.width * scale, class_="zone-line")
        for z in (kept.value for kept in stored.wanted * zones)
        for x, y in (view.at(z.x, z.y + z.width),)
    )
    return el("svg", draw_bands(view, plane, stored.targets.bands()), wanted, outline, viewBox=size)

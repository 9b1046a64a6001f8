"""A small plan of a tank for the list, with the bands at the height of its rock top."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

from markupsafe import Markup

from corlume.core.keeping.rockscapes import ScapeKey, with_scape
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.formats.rock_outlines import rock_cut
from corlume.services.light.fields import slice_plane, small_plane
from corlume.store.tanks import StoredTank
from corlume.web.drawing.light import draw_bands
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group, pieces_path
from corlume.web.drawing.tank import on_view

WIDTH = 250.0
LEAST_AIR = 0.35
"""Air drawn over the water of a small front view, at least [m]."""


def draw_card(stored: StoredTank, *, zones: bool = False, small: bool = False) -> Markup:
    """Draw the plan under the setup in use, without numbers, and with target zones if asked for.

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


def draw_card_front(stored: StoredTank, fixtures: Sequence[Fixture]) -> Markup:
    """A small front view without light: water, rock, and the fixtures."""
    return _front(stored.tank, fixtures)


@cache
def draw_scape(key: ScapeKey) -> Markup:
    """A small front view of a rockscape in a tank of usual shape."""
    return _front(with_scape(Tank(1.2, 0.5, 0.5), key, seed=1), ())


def _front(tank: Tank, fixtures: Sequence[Fixture]) -> Markup:
    air = max(LEAST_AIR, *(f.emitter.height + 0.08 for f in fixtures)) if fixtures else 0.05
    scale = WIDTH / tank.length
    water = 2 + air * scale
    parts = [el("rect", x=2.0, y=water, width=WIDTH, height=tank.water_depth * scale, class_="front-water")]
    view = View("front", 2.0, water, scale, tank.length, tank.water_depth)
    seen = rock_cut(tank, "front", 0.0).behind
    if seen:
        parts.append(el("path", d=pieces_path([on_view(view, r) for r in seen], closed=True), class_="front-rock"))
    for f in fixtures:
        e, half = f.emitter, f.emitter.half_extent()[0]
        off = "" if f.output > 0 else " off"
        parts.append(
            el("rect", x=2 + (e.x - half) * scale, y=water - e.height * scale - 6, width=2 * half * scale, height=6.0,
               class_=f"front-lamp{off}")
        )  # fmt: skip
    parts.append(el("line", x1=2.0, y1=water, x2=WIDTH + 2, y2=water, class_="front-line"))
    height = water + tank.water_depth * scale + 2
    return el("svg", group(parts), viewBox=f"0 0 {WIDTH + 4:.0f} {height:.0f}", aria_hidden="true")

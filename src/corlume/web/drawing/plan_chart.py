"""A plan of its own size with the PAR map at the rock top: isolines, numbers, and where the fixtures hang."""

from __future__ import annotations

from collections.abc import Sequence

from markupsafe import Markup

from corlume.core.judging.targets import Band
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.services.light.fields import Plane
from corlume.web.drawing.light import draw_light
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el


def plan_chart(
    tank: Tank, plane: Plane, bands: Sequence[Band], *, width: float, label: str, fixtures: Sequence[Fixture] = ()
) -> Markup:
    """A plan ``width`` drawing units wide, described by ``label``; ``fixtures`` are drawn in outline."""
    scale = width / tank.length
    view = View("plan", 2.0, 2.0, scale, tank.length, tank.width)
    edge = el("rect", x=2.0, y=2.0, width=width, height=tank.width * scale, class_="rock edge")
    outlines = []
    for emitter in (fixture.emitter for fixture in fixtures):
        across, along = emitter.half_extent()
        x, y = view.at(emitter.x - across, emitter.y + along)
        outlines.append(
            el("rect", x=x, y=y, width=2 * across * scale, height=2 * along * scale, class_="fixture-outline")
        )
    box = f"0 0 {width + 4:.0f} {tank.width * scale + 4:.0f}"
    return el("svg", draw_light(view, plane, bands), *outlines, edge, viewBox=box, role="img", aria_label=label)

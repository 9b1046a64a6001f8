"""Power parts and leads on the sheet."""

from __future__ import annotations

from collections.abc import Sequence

from markupsafe import Markup

from corlume.core.mounting.cables import Lead, Place
from corlume.core.mounting.power import PowerPart
from corlume.store.tables import Kept
from corlume.web.drawing.drag_handles import drag_group
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group, points_path
from corlume.web.drawing.tank import rect

SIZE = 14.0
"""Side of a part on the drawing, in drawing units; its place is what counts, not its size."""


def draw_parts(view: View, parts: Sequence[Kept[PowerPart]]) -> Markup:
    """Power parts of a setup as boxes to drag, kept inside the drawing where they lie further out."""
    drawn = []
    for number, kept in enumerate(parts):
        part = kept.value
        x, y = _at(view, (part.x, part.y, part.height))
        label = y + (SIZE + 4 if number % 2 == 0 else 2 - SIZE)  # clear of the neighbour's
        values = {"x": part.x, "y": part.y, "base": part.height, "length": 0.0, "width": 0.0, "height": 0.0}
        box = rect(
            x - SIZE / 2, y - SIZE / 2, SIZE, SIZE, class_="power-part", data_y=f"{y - SIZE / 2:.1f}",
            data_width=f"{SIZE:.1f}", data_height=f"{SIZE:.1f}",
        )  # fmt: skip
        named = el("text", part.name, x=x, y=label, class_="mount-name", text_anchor="middle")
        drawn.append(drag_group(view, kept.id, part.name, [box, named] if view.kind == "plan" else [box], values))
    return group(drawn, class_="grips")


def draw_leads(view: View, leads: Sequence[Lead]) -> Markup:
    """Leads along edges; those too short stand out, and so do those whose length is not known."""
    lines = []
    for lead in leads:
        (x0, y0), (x1, y1) = (_at(view, place) for place in lead.places)
        kind = "lead short" if lead.short else "lead" if lead.have else "lead unknown"
        lines.append(el("path", d=points_path([(x0, y0), (x0, y1), (x1, y1)]), class_=kind))
    return group(lines, class_="leads")


def _at(view: View, place: Place) -> tuple[float, float]:
    x, y, height = place
    if view.kind == "plan":
        u, v = view.at(x, y)
        return _inside(u, view.left, view.right), _inside(v, view.top, view.bottom)
    u, v = view.at(x if view.kind == "front" else y, -height)
    return _inside(u, view.left, view.right), min(v, view.bottom + 20)


def _inside(value: float, low: float, high: float) -> float:
    """A place on paper, at most a little outside of a view."""
    return max(low - 30, min(high + 30, value))

"""Coral spots on a view: found ones by orientation, custom ones to drag, racks and keep-clear areas."""

from __future__ import annotations

from collections.abc import Sequence

from markupsafe import Markup

from corlume.core.judging.targets import LightTargets
from corlume.core.placement.custom_spots import CustomSpot, FragRack
from corlume.core.placement.placement_preferences import KeptFree
from corlume.core.placement.spot_score import SpotTable
from corlume.store.tables import Kept
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group
from corlume.web.drawing.tank import rect


def draw_coral_spots(view: View, seats: SpotTable, targets: LightTargets) -> Markup:
    """Spots tinted by the band of their light: round on tops, sand and racks, a tick out of faces and panes, a hollow
    ring under overhangs.
    """
    parts = []
    for point, sat, par, way in zip(
        seats.points.tolist(), seats.sat.tolist(), seats.par.tolist(), seats.way.tolist(), strict=True
    ):
        x, y = view.at(point[0], point[1] if view.kind == "plan" else point[2])
        band = f"seat band-{targets.band_at(par).key}"
        if sat in ("face", "pane"):
            aside, up = (way[0], -way[1]) if view.kind == "plan" else (way[0], -way[2])
            parts.append(el("path", d=f"M{x:.1f} {y:.1f}l{9 * aside:.1f} {9 * up:.1f}", class_="seat-tick"))
            parts.append(el("rect", x=x - 2.4, y=y - 2.4, width=4.8, height=4.8, class_=band))
        elif sat == "under":
            parts.append(el("circle", cx=x, cy=y, r=3.2, class_=f"{band} under"))
        else:
            parts.append(el("circle", cx=x, cy=y, r=2.6, class_=band))
    return group(parts, class_="seats")


def draw_custom_spots(view: View, perches: Sequence[Kept[CustomSpot]]) -> Markup:
    """Custom spots, and crosses on unusable ones."""
    parts = []
    for kept in perches:
        one = kept.value
        x, y = view.at(one.x, one.y if view.kind == "plan" else one.depth)
        gone = one.holds == "none"
        shape = (
            el("path", d=f"M{x - 6:.1f} {y - 6:.1f}l12 12m0 -12l-12 12", class_="perch-none")
            if gone
            else el("rect", x=x - 6, y=y - 6, width=12.0, height=12.0, class_="perch-mark")
        )
        parts.append(
            group(
                [el("title", one.name), el("circle", cx=x, cy=y, r=13.0, class_="hit"), shape],
                data_spot=kept.id, data_view=view.kind, data_scale=f"{view.scale:.6g}", data_x=f"{one.x:.6g}",
                data_y=f"{one.y:.6g}", data_depth=f"{one.depth:.6g}", tabindex="0", role="button", class_="pump",
                aria_label=f"{one.name}: arrow keys move it, Delete drops it",
            )
        )  # fmt: skip
    return group(parts, class_="perches")


def draw_plates(view: View, racks: Sequence[Kept[FragRack]], free: Sequence[Kept[KeptFree]]) -> Markup:
    """Racks as plates, and keep-clear areas as hatched strips of the plan."""
    parts = []
    for kept in racks:
        rack = kept.value
        if view.kind == "plan":
            x, y = view.at(rack.x, rack.y + rack.width)
            parts.append(rect(x, y, rack.length * view.scale, rack.width * view.scale, class_="frag-rack"))
        else:
            x, y = view.at(rack.x, rack.depth)
            parts.append(rect(x, y, rack.length * view.scale, 3.0, class_="frag-rack"))
    for part in free:
        one = part.value
        if view.kind == "plan":
            x, y = view.at(one.x, one.y + one.width)
            parts.append(rect(x, y, one.length * view.scale, one.width * view.scale, class_="kept-free"))
            parts.append(el("text", one.name, x=x + 4, y=y + 13, class_="zone-name"))
    return group(parts, class_="plates")

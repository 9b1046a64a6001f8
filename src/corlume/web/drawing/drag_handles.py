"""Drag handles on a drawing of the tank: rock, and target zones."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from markupsafe import Markup

from corlume.core.judging.target_zones import TargetZone
from corlume.core.judging.targets import LightTargets
from corlume.core.light.geometry import Rock, Tank
from corlume.core.light.rockwork import Box
from corlume.store.tables import Kept
from corlume.web.drawing.sheet import Sheet, View
from corlume.web.drawing.svg import el, group
from corlume.web.drawing.tank import outline, rect


def draw_drag_handles(view: View, tank: Tank, rocks: Sequence[Kept[Rock]]) -> Markup:
    """Handles of every rock in a view: the block itself, and a corner to resize it."""
    parts = []
    for kept in rocks:
        rock, name = kept.value, kept.value.name or "Rock"
        top = rock.top_depth(tank.water_depth)
        whole = Box(rock.x, rock.x + rock.length, rock.y, rock.y + rock.width, top, top + rock.height)
        values = {n: getattr(rock, n) for n in ("x", "y", "base", "length", "width", "height")}
        parts.append(_grip(view, kept.id, name, whole, values, "rock-grip"))
    return group(parts, class_="grips")


def draw_area(view: View, class_: str = "zone-area") -> Markup:
    """The water of a view, to draw on or tap."""
    return rect(
        view.left, view.top, view.right - view.left, view.bottom - view.top, class_=class_, data_area=True,
        data_view=view.kind, data_scale=f"{view.scale:.6g}",
    )  # fmt: skip


def draw_target_zones(sheet: Sheet, tank: Tank, targets: LightTargets, zones: Sequence[Kept[TargetZone]]) -> Markup:
    """Areas to draw on, and every zone in the colour of its target band, draggable like rock."""
    parts = [draw_area(view) for view in (sheet.plan, sheet.front)]
    for view in (sheet.plan, sheet.front):
        for kept in zones:
            zone = kept.value
            box = Box(zone.x, zone.x + zone.length, zone.y, zone.y + zone.width, zone.top, zone.bottom)
            values = {
                "x": zone.x, "y": zone.y, "length": zone.length, "width": zone.width,
                "base": tank.water_depth - zone.bottom, "height": zone.bottom - zone.top,
            }  # fmt: skip
            band = targets.band_at(zone.middle).key
            parts.append(_grip(view, kept.id, zone.name, box, values, f"zone-box band-{band}", _words(view, box, zone)))
    return group(parts, class_="grips")


def _words(view: View, box: Box, zone: TargetZone) -> Markup:
    """The zone's name, and in the plan its light, where they fit."""
    x, y, w, h = outline(view, box)
    room = int(w / 6.4)
    name = zone.name if len(zone.name) <= room else zone.name[: max(1, room - 1)] + "."
    lines = [name] + [f"{zone.low:g} to {zone.high:g}"] * (view.kind == "plan" and h > 34 and room >= 9)
    return group(
        el("text", line, x=x + 6, y=y + 15 + 14 * k, class_="zone-name" if k == 0 else "zone-par")
        for k, line in enumerate(lines)
    )


def _grip(
    view: View,
    box_id: int,
    name: str,
    box: Box,
    values: Mapping[str, float],
    kind: str,
    words: Markup = Markup(""),  # noqa: B008 - immutable
) -> Markup:
    x, y, w, h = outline(view, box)
    parts = [
        rect(x, y, w, h, class_=kind, data_y=f"{y:.1f}", data_width=f"{w:.1f}", data_height=f"{h:.1f}"),
        words,
        rect(x + w - 5, y - 5, 10, 10, class_="corner-grip"),
    ]
    return drag_group(view, box_id, name, parts, values)


def drag_group(view: View, box_id: int, name: str, parts: Sequence[Markup], values: Mapping[str, float]) -> Markup:
    """What is dragged as one box, with its measures [m]: by hand in every view, by keys in the plan."""
    plan = view.kind == "plan"
    return group(
        [*parts, el("title", name)],
        data_box=box_id,
        data_view=view.kind,
        data_scale=f"{view.scale:.6g}",
        tabindex="0" if plan else None,
        role="button" if plan else None,
        aria_label=f"{name}: arrow keys move it, page up and down lift it",
        **{f"data_{n}": f"{value:.6g}" for n, value in values.items()},
    )

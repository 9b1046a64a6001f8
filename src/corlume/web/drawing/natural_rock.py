"""Natural rock on a drawing of the tank: its silhouette, its handles to drag and turn, and a scan from above."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from markupsafe import Markup

from corlume.core.light.geometry import Tank
from corlume.core.light.natural_rock import NaturalRock
from corlume.formats.rock_outlines import silhouette
from corlume.services.keeping.rock_scans import FromAbove
from corlume.store.tables import Kept
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group, pieces_path
from corlume.web.drawing.tank import on_view

TURNS_OFF = 14.0
"""The handle that turns a piece lies so far right of it, in drawing units."""
PICTURE = 320.0
"""A scan from above is drawn so large."""


def draw_natural_rock(view: View, tank: Tank, rock: NaturalRock, class_: str = "scan-rock") -> Markup:
    """The silhouette of a piece that may not be in the tank yet."""
    return el("path", d=_path(view, tank.length, tank.width, tank.water_depth, rock), class_=class_)


@lru_cache(maxsize=128)
def _path(view: View, length: float, width: float, depth: float, rock: NaturalRock) -> str:
    seen = silhouette(rock, length, width, depth, view.kind)
    return pieces_path([on_view(view, ring) for ring in seen], closed=True)


def draw_natural_handles(view: View, tank: Tank, rocks: Sequence[Kept[NaturalRock]]) -> Markup:
    """Handles of every piece in a view: the piece itself, and in the plan one to turn it."""
    parts = []
    for kept in rocks:
        rock, plan = kept.value, view.kind == "plan"
        _, x1, _, _, top, _ = rock.extent(tank.water_depth)
        middle = view.at(rock.x, rock.y) if plan else view.at(rock.x if view.kind == "front" else rock.y, top)
        right = view.at(x1, rock.y)[0] + TURNS_OFF
        turns = el("circle", cx=right, cy=middle[1], r=6.0, class_="turn-grip") if plan else Markup("")
        parts.append(
            group(
                [draw_natural_rock(view, tank, rock, "rock-grip"), turns, el("title", rock.name)],
                data_box=f"natural-{kept.id}",
                data_url=f"natural-rocks/{kept.id}/shape",
                data_view=view.kind,
                data_scale=f"{view.scale:.6g}",
                data_cx=f"{middle[0]:.1f}",
                data_cy=f"{middle[1]:.1f}",
                data_x=f"{rock.x:.6g}",
                data_y=f"{rock.y:.6g}",
                data_base=f"{rock.base:.6g}",
                data_turn=f"{rock.turn:.6g}",
                tabindex="0" if plan else None,
                role="button" if plan else None,
                aria_label=f"{rock.name}: arrow keys move it, page up and down lift it, [ and ] turn it",
            )
        )
    return group(parts, class_="grips")


def draw_from_above(scan: FromAbove) -> Markup:
    """A scan from above, shaded by height, to tap the corners of its bottom on."""
    scale = PICTURE / max(scan.size)
    wide, tall = scan.size[0] * scale, scan.size[1] * scale
    parts = [el("rect", x=0.0, y=0.0, width=wide, height=tall, class_="scan-sheet")]
    for k, rings in enumerate(scan.rings):
        if rings:
            points = [np.column_stack((ring[:, 0], scan.size[1] - ring[:, 1])) * scale for ring in rings]
            parts.append(el("path", d=pieces_path(points, closed=True), class_="rock cut" if k == 0 else "rock-step"))
    return el(
        "svg", group(parts), viewBox=f"-4 -4 {wide + 8:.0f} {tall + 8:.0f}", class_="scan-above", role="img",
        aria_label="The scan from above", data_scale=f"{scale:.9g}", data_left=f"{scan.low[0]:.9g}",
        data_bottom=f"{scan.low[1]:.9g}", data_tall=f"{tall:.6g}",
    )  # fmt: skip

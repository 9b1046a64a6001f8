"""Corals and light zones on a view."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from markupsafe import Markup

from corlume.core.flow.first_estimate import CLASSES
from corlume.core.flow.local_flow import LocalFlow
from corlume.core.judging.light_zones import LightZone, Surface
from corlume.core.judging.targets import Band, LightTargets
from corlume.core.light.geometry import Tank
from corlume.core.placement.suitability import ZoneFit
from corlume.services.placement.growth import Clash, Grown
from corlume.services.placement.zone_placement import CoralState
from corlume.web.drawing.flow import FLOW_BANDS
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group
from corlume.web.drawing.tank import draw_rock, draw_rock_lines, rect


def draw_surfaces(view: View, tank: Tank, lit: Sequence[tuple[Surface, np.ndarray]], targets: LightTargets) -> Markup:
    """The floor of the tank from above: sand and rock, each cell that a coral can sit on tinted by its band."""
    return _floor(view, tank, [(surface, targets.band_index(par)) for surface, par in lit], targets.bands())


def draw_surface_flow(view: View, tank: Tank, flows: Sequence[tuple[Surface, LocalFlow]]) -> Markup:
    """The floor tinted by its flow; blank where that is not known."""
    cells = [(surface, np.vectorize((*CLASSES, "").index, otypes=[int])(flow.words)) for surface, flow in flows]
    return _floor(view, tank, cells, FLOW_BANDS)


def _floor(view: View, tank: Tank, cells: Sequence[tuple[Surface, np.ndarray]], bands: Sequence[Band]) -> Markup:
    """Sand, then rock as land, then its tops from the lowest up, then its contours of depth over all."""
    left, top = view.at(0.0, tank.width)
    parts = [rect(left, top, view.right - left, view.bottom - top, class_="sand")]
    ordered = sorted(cells, key=lambda item: (not item[0].is_sand, -item[0].depth))
    for surface, index in ordered:
        dx, dy = surface.cell
        for k, band in enumerate(bands):
            path = "".join(
                _run(view, surface, start, stop, row, dx, dy)
                for row in range(index.shape[1])
                for start, stop in _runs(surface.free[:, row] & (index[:, row] == k))
            )
            if path:
                parts.append(el("path", d=path, class_=f"band band-{band.key}"))
                if band.key == "strong":
                    parts.append(el("path", d=path, class_="hatch"))
        if surface.is_sand:
            parts.append(draw_rock(view, tank, tank.sand_depth))
    return group([*parts, draw_rock_lines(view, tank)], class_="surfaces")


def _runs(row: np.ndarray) -> list[tuple[int, int]]:
    """Start and end of every run of true values."""
    steps = np.flatnonzero(np.diff(np.concatenate(([0], row.astype(int), [0]))))
    return list(zip(steps[::2].tolist(), steps[1::2].tolist(), strict=True))


def _run(view: View, surface: Surface, start: int, stop: int, row: int, dx: float, dy: float) -> str:
    x, y = surface.points[start, row, :2]
    left, top = view.at(float(x - dx / 2), float(y + dy / 2))
    width, height = (stop - start) * dx * view.scale, dy * view.scale + 0.3
    return f"M{left:.1f} {top:.1f}h{width:.1f}v{height:.1f}h{-width:.1f}z"


def draw_zones(view: View, zones: Sequence[LightZone], fits: Sequence[ZoneFit], states: Sequence[CoralState]) -> Markup:
    """Names of the zones, clear of the corals, and a dot on every site that suits the chosen coral."""
    parts: list[Markup] = []
    for fit in fits:
        for x, y, _ in fit.zone.points[fit.sites]:
            cx, cy = view.at(float(x), float(y))
            parts.append(el("circle", cx=cx, cy=cy, r=1.7, class_="site"))
    fitting = {fit.zone.key for fit in fits if fit.fits}
    corals = np.array([s.coral.place[:2] for s in states if s.coral.place]).reshape(-1, 2)
    for zone in zones:
        cx, cy = view.at(*_label_place(zone, corals))
        state = " fits" if zone.key in fitting else " misfit" if fits else ""
        if zone.area > 0.008 or state == " fits":
            parts.append(el("text", zone.key, x=cx, y=cy, dy="0.35em", class_=f"zone{state}"))
    return group(parts, class_="zones")


def _label_place(zone: LightZone, corals: np.ndarray) -> tuple[float, float]:
    """The cell nearest to the zone's middle that no coral's mark covers, or else the nearest of all."""
    cells = zone.points[:, :2]
    order = np.linalg.norm(cells - cells.mean(axis=0), axis=1).argsort()
    for k in order:
        if not len(corals) or np.linalg.norm(corals - cells[k], axis=1).min() > 0.045:
            break
    else:
        k = order[0]
    return float(cells[k, 0]), float(cells[k, 1])


def draw_corals(
    view: View,
    tank: Tank,
    states: Sequence[CoralState],
    selected: int | None,
    *,
    grab: bool = True,
    bodies: Mapping[int, Grown] | None = None,
    step: int = 0,
) -> Markup:
    """Placed corals by number: a disc in the plan, a mark at its depth in an elevation; draggable with ``grab``.
    ``bodies`` draws them at true size at a ``step`` of ``MONTHS``, with the reach of sweeper tentacles.
    """
    parts, reached = [], grab and view.kind == "plan"
    bodies = bodies or {}
    for number, state in enumerate(states, 1):
        place = state.coral.place
        if place is None:
            continue
        x, y, depth = place
        u, v = {"plan": (x, y), "front": (x, depth), "side": (y, depth)}[view.kind]
        cx, cy = view.at(u, min(v, tank.water_depth))
        if view.kind != "plan":
            cy -= 6
        shapes = [el("title", state.coral.card.name), el("circle", cx=cx, cy=cy, r=13.0, class_="hit")]
        if state.id in bodies:
            shapes += _body(view, bodies[state.id], step, cx, view.at(u, min(v, tank.water_depth))[1])
        elif view.kind == "plan":
            shapes.append(el("circle", cx=cx, cy=cy, r=float(state.coral.card.size / 2 * view.scale), class_="grown"))
        shapes.append(el("circle", cx=cx, cy=cy, r=8.0, class_="coral-dot"))
        shapes.append(el("text", str(number), x=cx, y=cy, dy="0.35em", class_="coral-number"))
        if state.trouble:
            shapes.append(el("text", "!", x=cx + 8, y=cy - 5, class_="coral-warn"))
        parts.append(
            group(
                shapes,
                class_=f"coral {state.coral.card.group}{' selected' if state.id == selected else ''}",
                data_coral=state.id,
                data_x=f"{x:.6g}",
                data_y=f"{y:.6g}",
                data_view=view.kind if grab else None,
                tabindex="0" if reached else None,
                role="button" if reached else None,
                aria_label=f"{number}, {state.coral.card.name}: Enter opens it, arrow keys move it"
                if reached
                else None,
            )
        )
    return group(parts, class_="corals")


def _body(view: View, body: Grown, step: int, cx: float, cy: float) -> list[Markup]:
    """A coral's body at true size, with its sizes at every step for a slider, and a ring at the reach of its sweeper
    tentacles.
    """

    def steps(values: Sequence[float], by: float) -> str:
        return " ".join(f"{by * value * view.scale:.1f}" for value in values)

    across, reach = 0.5 * body.across[step] * view.scale, body.sweep[step] * view.scale
    found = []
    if view.kind == "plan":
        if body.sweep[-1] > 0:
            found.append(el("circle", cx=cx, cy=cy, r=reach, class_="sweep", data_r=steps(body.sweep, 1.0)))
        found.append(el("circle", cx=cx, cy=cy, r=across, class_="body", data_r=steps(body.across, 0.5)))
        return found
    high = body.high[step] * view.scale
    return [
        el(
            "ellipse", cx=cx, cy=cy - 0.5 * high, rx=across, ry=0.5 * high, class_="body",
            data_rx=steps(body.across, 0.5), data_ry=steps(body.high, 0.5), data_foot=f"{cy:.1f}",
        )
    ]  # fmt: skip


def draw_clashes(view: View, found: Sequence[Clash]) -> Markup:
    """Lines between corals that grow into each other's reach."""
    parts = []
    for clash in found:
        (ax, ay, ad), (bx, by, bd) = clash.places
        x1, y1 = view.at(ax, ay if view.kind == "plan" else ad)
        x2, y2 = view.at(bx, by if view.kind == "plan" else bd)
        parts.append(el("line", x1=x1, y1=y1, x2=x2, y2=y2, class_="clash"))
    return group(parts, class_="clashes")

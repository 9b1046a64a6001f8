"""Corals and zones on a view."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from markupsafe import Markup

from corlume.core.geometry import Tank
from corlume.core.judgement.placement import ZoneFit
from corlume.core.judgement.targets import LightTargets
from corlume.core.judgement.zones import Surface, Zone
from corlume.services.advice.coral_sites import CoralState
from corlume.web.drawing.sheet import View
from corlume.web.drawing.svg import el, group


def draw_surfaces(view: View, lit: Sequence[tuple[Surface, np.ndarray]], targets: LightTargets) -> Markup:
    """The floor of the tank from above: sand, then rock tops over it, each cell tinted by its band."""
    bands = targets.bands()
    parts: list[Markup] = []
    for surface, par in sorted(lit, key=lambda item: -item[0].depth):
        index = targets.band_index(par)
        dx, dy = surface.cell
        for k, band in enumerate(bands):
            path = "".join(
                _run(view, surface, start, stop, row, dx, dy)
                for row in range(index.shape[1])
                for start, stop in _runs(index[:, row] == k)
            )
            if path:
                parts.append(el("path", d=path, class_=f"band band-{band.key}"))
                if band.key == "strong":
                    parts.append(el("path", d=path, class_="hatch"))
        if surface.name != "Sand":
            x0, y0 = surface.points[0, 0, :2] - np.array([dx, dy]) / 2
            nx, ny = index.shape
            x, y = view.at(float(x0), float(y0 + ny * dy))
            parts.append(
                el(
                    "rect",
                    x=float(x),
                    y=float(y),
                    width=float(nx * dx * view.scale),
                    height=float(ny * dy * view.scale),
                    class_="rock edge",
                )
            )
    return group(parts, class_="surfaces")


def _runs(row: np.ndarray) -> list[tuple[int, int]]:
    """Start and end of every run of true values."""
    steps = np.flatnonzero(np.diff(np.concatenate(([0], row.astype(int), [0]))))
    return list(zip(steps[::2].tolist(), steps[1::2].tolist(), strict=True))


def _run(view: View, surface: Surface, start: int, stop: int, row: int, dx: float, dy: float) -> str:
    x, y = surface.points[start, row, :2]
    left, top = view.at(float(x - dx / 2), float(y + dy / 2))
    width, height = (stop - start) * dx * view.scale, dy * view.scale + 0.3
    return f"M{left:.1f} {top:.1f}h{width:.1f}v{height:.1f}h{-width:.1f}z"


def draw_zones(view: View, zones: Sequence[Zone], fits: Sequence[ZoneFit], states: Sequence[CoralState]) -> Markup:
    """Names of the zones, clear of the corals, and a dot on every site where the coral in hand fits."""
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


def _label_place(zone: Zone, corals: np.ndarray) -> tuple[float, float]:
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
    view: View, tank: Tank, states: Sequence[CoralState], selected: int | None, *, grab: bool = True
) -> Markup:
    """Placed corals by their number: a disc in the plan, a mark at its depth in an elevation; to ``grab``, or
    only to be looked at.
    """
    parts, reached = [], grab and view.kind == "plan"
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
        if view.kind == "plan":
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
                tabindex="0" if reached else None,
                role="button" if reached else None,
                aria_label=f"{number}, {state.coral.card.name}: Enter opens it, arrow keys move it"
                if reached
                else None,
            )
        )
    return group(parts, class_="corals")

"""Faults of a light map as keepers name them, each with where it is, how bad, and which moves are known to help.

Limits follow common practice in the trade, no source, unless the fault says otherwise.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from corlume.core.figures import AREA_SHARE
from corlume.core.geometry import Tank
from corlume.core.scene import Fixture
from corlume.core.targets import LightTargets
from corlume.core.verdicts import Figures

Array = NDArray[np.float64]
ASIDE = 0.15
"""How far beside a hot spot keepers look: six inches [m]."""
FATAL_PAR, FATAL_SHARE = 600.0, 0.35
"""A spot this strong with so little of it left six inches aside is past any slider."""


@dataclass(frozen=True, slots=True)
class Fault:
    """One fault: its name, how bad it is, why that matters, and the moves that help, the best known first.

    ``severity`` says in the fault's own measure how bad it is, more being worse; ``place`` is x, y [m] where it
    shows; ``lengths`` go into the sentences by name [m]; ``moves`` are keys of ``MOVES`` of the services that can
    work them out.
    """

    key: str
    title: str
    severity: float
    found: str
    reason: str
    moves: tuple[str, ...]
    place: tuple[float, float] | None = None
    lengths: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class LightMap:
    """What the diagnosis looks at: PAR (nx, ny) at the rock top and just under the surface, over x and y [m].

    Rock is NaN. ``front`` is the share of the light that goes into the water and falls on the front pane [-];
    ``low`` the PAR on the sand and on rock in the lower half of the water, NaN when there is none.
    """

    x: Array
    y: Array
    top: Array
    shallow: Array
    front: float
    low: float = float("nan")


def diagnose(
    tank: Tank, fixtures: Sequence[Fixture], targets: LightTargets, seen: LightMap, figures: Figures
) -> list[Fault]:
    """Name the faults of a map, the worst first; nothing when there is none."""
    lit = [f for f in fixtures if f.output > 0]
    if not lit or not np.isfinite(seen.top).any() or np.nanmax(seen.top) <= 0:
        return []
    found = [
        _hot_spot(seen),
        _too_low(seen, figures),
        _overlap(tank, figures, len(lit)),
        _short_tubes(tank, lit, seen),
        _corners(tank, seen),
        _gaps(tank, lit, seen),
        _spill(figures),
        _front(seen),
        _too_much(targets, figures),
        _low_places(targets, seen),
    ]
    return [fault for fault in found if fault is not None]


def _hot_spot(seen: LightMap) -> Fault | None:
    i, j = np.unravel_index(np.nanargmax(seen.top), seen.top.shape)
    peak, x, y = float(seen.top[i, j]), float(seen.x[i]), float(seen.y[j])
    beside = [seen.top[int(np.abs(seen.x - a).argmin()), j] for a in (x - ASIDE, x + ASIDE) if 0 <= a <= seen.x[-1]]
    aside = float(np.nanmin(beside)) if beside and np.isfinite(beside).any() else float("nan")
    if peak < FATAL_PAR or not aside < FATAL_SHARE * peak:
        return None
    return Fault(
        "hot_spot",
        "Fatal hot spot",
        peak / aside,
        f"{peak:.0f} PAR at its strongest and {aside:.0f} only {{aside}} aside.",
        "No slider mends this: turned down until the middle is right, the rest is dark. Raise, then spread.",
        ("raise", "wide_lens", "spread"),
        (x, y),
        {"aside": ASIDE},
    )


def _too_low(seen: LightMap, figures: Figures) -> Fault | None:
    strongest = float(np.nanmax(seen.top))
    if figures.spread <= 150 or strongest < 1.6 * figures.mean:
        return None
    i, j = np.unravel_index(np.nanargmax(seen.top), seen.top.shape)
    return Fault(
        "too_low",
        "Hung too low",
        figures.spread / figures.mean,
        f"Eight of ten readings at the rock top lie {figures.spread:.0f} PAR apart, and the strongest is "
        f"{strongest / figures.mean:.1f} times the mean.",
        "At the right height most readings at the top of the rock lie within about 100 of each other. Higher is more "
        "even, costs light, and shows a seated eye more of the lamp.",
        ("raise", "wide_lens", "spread"),
        (float(seen.x[i]), float(seen.y[j])),
    )


def _overlap(tank: Tank, figures: Figures, count: int) -> Fault | None:
    if count < 2 or not figures.evenness < 0.75:
        return None
    return Fault(
        "overlap",
        "Beams overlap in the middle",
        1 - figures.evenness,
        f"The ends read {100 * figures.evenness:.0f} % of the middle.",
        "Balanced spacing is not the most even: in the middle all beams add up. 75 % is the goal, 84 to 88 excellent.",
        ("spread", "dim_middle", "raise"),
        (tank.length / 2, tank.width / 2),
    )


def _short_tubes(tank: Tank, lit: Sequence[Fixture], seen: LightMap) -> Fault | None:
    tubes = [f for f in lit if f.emitter.kind in ("t5_tube", "power_compact") and not f.emitter.turn]
    if not tubes:
        return None
    left, right = (
        min(f.emitter.x - f.emitter.length / 2 for f in tubes),
        max(f.emitter.x + f.emitter.length / 2 for f in tubes),
    )
    bare = max(left, tank.length - right)
    ends, middle = _ends_and_middle(seen.top)
    if bare < 0.12 * tank.length or not ends < 0.7 * middle:
        return None
    return Fault(
        "short_tubes",
        "Tubes shorter than the tank",
        1 - ends / middle,
        f"{{bare}} of the tank has no tube over it, and the ends read {100 * ends / middle:.0f} % of the middle.",
        "Keepers live with it; what needs little light goes to the ends, or a module fills them.",
        ("spread", "raise"),
        (0.0 if left > tank.length - right else tank.length, tank.width / 2),
        {"bare": bare},
    )


def _corners(tank: Tank, seen: LightMap) -> Fault | None:
    nx, ny = (max(1, round(n * AREA_SHARE)) for n in seen.shallow.shape)
    mean = float(np.nanmean(seen.shallow))
    corners = {
        "front left": (seen.shallow[:nx, :ny], (0.0, 0.0)),
        "front right": (seen.shallow[-nx:, :ny], (tank.length, 0.0)),
        "back left": (seen.shallow[:nx, -ny:], (0.0, tank.width)),
        "back right": (seen.shallow[-nx:, -ny:], (tank.length, tank.width)),
    }
    dark = {name: float(part.mean()) / mean for name, (part, _) in corners.items() if part.mean() < 0.35 * mean}
    if not dark:
        return None
    worst = min(dark, key=lambda name: dark[name])
    return Fault(
        "corners",
        "Dark upper corners",
        1 - dark[worst],
        f"{', '.join(dark).capitalize()}: down to {100 * dark[worst]:.0f} % of the mean just under the surface.",
        "Narrow lobes under a low canopy leave the upper corners out. Wider lenses help a little, none at all most.",
        ("wide_lens", "raise", "spread"),
        corners[worst][1],
    )


def _gaps(tank: Tank, lit: Sequence[Fixture], seen: LightMap) -> Fault | None:
    places = sorted({round(f.emitter.x, 2) for f in lit if f.emitter.length < 0.6})
    worst, at = 1.0, None
    along = np.nanmean(seen.shallow, axis=1)
    for a, b in pairwise(places):
        under = min(along[int(np.abs(seen.x - p).argmin())] for p in (a, b))
        between = along[int(np.abs(seen.x - 0.5 * (a + b)).argmin())]
        if under > 0 and between / under < worst:
            worst, at = float(between / under), 0.5 * (a + b)
    if at is None or worst >= 0.5:
        return None
    return Fault(
        "gaps",
        "Dark triangles between fixtures",
        1 - worst,
        f"Just under the surface the light between two fixtures is {100 * worst:.0f} % of that under them.",
        "Narrow beams meet only further down. High branches that grow into the gap get little light.",
        ("wide_lens", "raise", "closer"),
        (at, tank.width / 2),
    )


def _spill(figures: Figures) -> Fault | None:
    if figures.spill < 0.4:
        return None
    return Fault(
        "spill",
        "Much light misses the water",
        figures.spill,
        f"{100 * figures.spill:.0f} % of it.",
        "It lights the room, costs power and dazzles. Some spill is the price of evenness; limit of our own.",
        ("lower", "inward", "closer"),
    )


def _front(seen: LightMap) -> Fault | None:
    if seen.front < 0.15:
        return None
    return Fault(
        "front",
        "Light on the front glass",
        seen.front,
        f"{100 * seen.front:.0f} % of what goes into the water falls on the front pane.",
        "Light on the glass is wasted and feeds algae. Hang it further back or lean it. Limit of our own.",
        ("back", "lean_back"),
        None,
    )


def _too_much(targets: LightTargets, figures: Figures) -> Fault | None:
    if targets.goal != "lps" or figures.mean <= 1.2 * targets.lps_high:
        return None
    return Fault(
        "too_much",
        "Too much for the tank's corals",
        figures.mean,
        f"The rock top reads {figures.mean:.0f} PAR on average; LPS and soft corals want {targets.lps_low:g} to "
        f"{targets.lps_high:g}.",
        "What stands in too much light bleaches. Turn down slowly and watch.",
        ("dim",),
    )


def _low_places(targets: LightTargets, seen: LightMap) -> Fault | None:
    if targets.goal != "mixed" or not seen.low > targets.lps_high:
        return None
    return Fault(
        "low_places",
        "Too much for the low places",
        seen.low,
        f"Sand and low rock read {seen.low:.0f} PAR on average; in a mixed tank they are kept at "
        f"{targets.lps_low:g} to {targets.lps_high:g} for LPS and soft corals.",
        "Corals of the low places bleach in light for SPS. Turn down slowly and watch, or give these places to SPS.",
        ("dim", "spread"),
    )


def _ends_and_middle(plane: Array) -> tuple[float, float]:
    n = plane.shape[0]
    edge = max(1, round(n * AREA_SHARE))
    start = (n - edge) // 2
    ends = np.nanmean(np.concatenate((plane[:edge], plane[-edge:])))
    return float(ends), float(np.nanmean(plane[start : n - start]))

"""Say what is wrong with the light of a setup, and what each known remedy would do to it, worked out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from corlume.core.budget import front_share
from corlume.core.diagnosis import Fault, LightMap, diagnose
from corlume.core.errors import InvalidInput
from corlume.core.geometry import Tank
from corlume.core.lobe import width_at_half
from corlume.core.scene import Fixture, fixture_errors
from corlume.core.units import DEGREE
from corlume.core.verdicts import Figures
from corlume.core.zones import surfaces
from corlume.services.predict import figures, slice_plane, surface_par
from corlume.store.tanks import StoredTank

SHALLOW = 0.05
"""Just under the surface, where narrow beams leave gaps [m]."""
LIFT, ASIDE, LEAN = 0.08, 0.06, 12 * DEGREE
LONGEST_MOVED = 0.6
"""Longest face that is moved along the tank [m]."""
LEAST_GAIN = 0.02
"""A fault that is smaller by less than this share is no smaller [-]."""
Move = Callable[[Tank, Sequence[Fixture]], list[Fixture]]


@dataclass(frozen=True, slots=True)
class Remedy:
    """A move in words with the figures and the faults after it; ``lengths`` go into the words by name [m]."""

    words: str
    figures: Figures
    lengths: dict[str, float]
    faults: dict[str, float]

    def mends(self, fault: Fault) -> Literal["gone", "less", "no"]:
        """What is left of a fault after the move, by the fault's own measure."""
        left = self.faults.get(fault.key)
        if left is None:
            return "gone"
        return "less" if left < fault.severity * (1 - LEAST_GAIN) else "no"


@dataclass(frozen=True, slots=True)
class Finding:
    """A fault with its remedies; those that the room does not allow, or that do not mend it here, are left out."""

    fault: Fault
    remedies: tuple[Remedy, ...]


def find_faults(stored: StoredTank, fixtures: Sequence[Fixture]) -> tuple[Figures | None, list[Finding]]:
    """Diagnose a setup: its figures now, and every fault with what helps."""
    if not any(f.output > 0 for f in fixtures):
        return None, []
    tank = stored.lit_tank()

    def judged(lamps: Sequence[Fixture]) -> tuple[Figures, list[Fault]]:
        found = figures(tank, lamps, stored.targets, stored.running)
        return found, diagnose(tank, lamps, stored.targets, light_map(tank, lamps), found)

    (now, faults), worked = judged(fixtures), dict[str, Remedy | None]()
    found = []
    for fault in faults:
        for key in fault.moves:
            if key not in worked:
                worked[key] = _remedy(key, tank, fixtures, judged)
        helpful = (r for key in fault.moves if (r := worked[key]) is not None and r.mends(fault) != "no")
        found.append(Finding(fault, tuple(helpful)))
    return now, found


def light_map(tank: Tank, fixtures: Sequence[Fixture]) -> LightMap:
    """The map that a diagnosis reads."""
    top = slice_plane(tank, fixtures, "plan", tank.rock_top())
    shallow = slice_plane(tank, fixtures, "plan", min(SHALLOW, 0.5 * tank.rock_top()))
    shares = [(f.strength * f.emitter.ppf, front_share(tank, f.emitter)) for f in fixtures]
    total = sum(light * entered for light, (entered, _) in shares)
    front = sum(light * hits for light, (_, hits) in shares) / total if total else 0.0
    return LightMap(top.u, top.v, top.par, shallow.par, front, _low_par(tank, fixtures))


def _low_par(tank: Tank, fixtures: Sequence[Fixture]) -> float:
    """Mean PAR where corals can sit in the lower half of the water."""
    half = 0.5 * (tank.rock_top() + tank.sand_depth)
    lit = zip(surfaces(tank), surface_par(tank, fixtures), strict=True)
    low = [par[surface.free] for surface, par in lit if surface.depth >= half]
    return float(np.concatenate(low).mean()) if low else float("nan")


def _remedy(
    key: str,
    tank: Tank,
    fixtures: Sequence[Fixture],
    judged: Callable[[Sequence[Fixture]], tuple[Figures, list[Fault]]],
) -> Remedy | None:
    words, move = MOVES[key]
    try:
        after = move(tank, fixtures)
    except InvalidInput:
        return None
    if after == list(fixtures) or any(fixture_errors(tank, f) for f in after):
        return None
    found, faults = judged(after)
    return Remedy(words, found, {"lift": LIFT, "aside": ASIDE}, {fault.key: fault.severity for fault in faults})


def _moved(fixture: Fixture, **values: float) -> Fixture:
    e = fixture.emitter
    return replace(fixture, emitter=replace(e, **{k: getattr(e, k) + v for k, v in values.items()}))


def _all(**values: float) -> Move:
    return lambda _, fixtures: [_moved(f, **values) for f in fixtures]


def _sides(fixtures: Sequence[Fixture]) -> list[float]:
    """-1 for the leftmost modules, 1 for the rightmost, 0 for those between and for what spans the tank."""
    places = [f.emitter.x for f in fixtures if f.emitter.length < LONGEST_MOVED]
    if not places or max(places) - min(places) < 0.05:
        return [0.0] * len(fixtures)
    near = 0.02
    return [
        0.0
        if f.emitter.length >= LONGEST_MOVED
        else float(f.emitter.x > max(places) - near) - float(f.emitter.x < min(places) + near)
        for f in fixtures
    ]


def _spread(out: float) -> Move:
    return lambda _, fixtures: [_moved(f, x=out * side) for f, side in zip(fixtures, _sides(fixtures), strict=True)]


def _dim_middle(tank: Tank, fixtures: Sequence[Fixture]) -> list[Fixture]:
    return [
        replace(f, output=0.8 * f.output)
        if f.dimmable and not side and abs(f.emitter.x / tank.length - 0.5) <= 1 / 6
        else f
        for f, side in zip(fixtures, _sides(fixtures), strict=True)
    ]


def _wide_lens(_: Tank, fixtures: Sequence[Fixture]) -> list[Fixture]:
    def wide(f: Fixture) -> Fixture:
        narrow = f.emitter.kind in ("led_cluster", "led_bar") and width_at_half(f.emitter.shape()) < 115 * DEGREE
        return replace(f, emitter=replace(f.emitter, fwhm=120 * DEGREE, lobe=None)) if narrow else f

    return [wide(f) for f in fixtures]


def _inward(_: Tank, fixtures: Sequence[Fixture]) -> list[Fixture]:
    return [_moved(f, pitch=-LEAN * side) for f, side in zip(fixtures, _sides(fixtures), strict=True)]


MOVES: dict[str, tuple[str, Move]] = {
    "raise": ("Raise all by {lift}", _all(height=LIFT)),
    "lower": ("Lower all by {lift}", _all(height=-LIFT)),
    "spread": ("Move the outer modules out by {aside}", _spread(ASIDE)),
    "closer": ("Move the outer modules in by {aside}", _spread(-ASIDE)),
    "dim": (
        "Turn all down by a fifth",
        lambda _, fixtures: [replace(f, output=0.8 * f.output) if f.dimmable else f for f in fixtures],
    ),
    "dim_middle": ("Turn the middle down by a fifth", _dim_middle),
    "wide_lens": ("Take the lenses out, 120 degrees", _wide_lens),
    "inward": ("Lean the outer modules inward by 12 degrees", _inward),
    "back": ("Hang all {aside} further back", _all(y=ASIDE)),
    "lean_back": ("Lean all to the back by 12 degrees", _all(roll=LEAN)),
}

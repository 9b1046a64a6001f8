"""Problems of a PAR map as keepers name them, each with its place, its severity and the changes known to help.

Limits follow common practice in the trade, no source, unless the fault says otherwise. What a setup is not meant for is
no fault of it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from corlume.core.judging.figures import AREA_SHARE, EndFigures, Figures, finite_mean
from corlume.core.judging.targets import LightTargets
from corlume.core.judging.verdicts import ENDS_GOAL, VerdictCase
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.message_text import escape_slots, letter

Array = NDArray[np.float64]
ASIDE = 0.15
"""How far beside a hot spot keepers look: six inches [m]."""
FATAL_PAR, FATAL_SHARE = 600.0, 0.35
"""A spot this strong with so little of it left six inches aside is past any slider."""
WEAK, STRONG = 0.9, 1.15
"""Mean over the limits of the light wanted, below and above which a setup is too weak or too strong; ours [-]."""
UNEVEN, PEAKED = 0.6, 1.6
"""Spread over the mean, and the strongest reading over it, from which fixtures hang too low: 150 PAR apart at a mean of
250; ours [-]."""
FAR_PEAKED = 4.0
"""The same where one side is dark, which is uneven at any height; ours [-]."""
PAST = 1.5
"""The strongest reading over the keeper's ceiling from which a fixture that does not dim hangs too low; ours [-]."""
LOPSIDED = 0.6
"""One side over the other below which a blanket is lopsided; ours [-]."""
TAKEN = 0.15
"""Share of a fixture's light that a brace may take before it is a fault; ours [-]."""
FRONT = 0.3
"""Share of all light on and over the front pane from which it is a fault; over the middle of 24 in of width it is a
fifth to a quarter; ours [-]."""
BARE = 0.05
"""Share of the tank's length without a tube over it, at either end, from which tubes are short; ours [-]."""


@dataclass(frozen=True, slots=True)
class Problem:
    """One problem: its name, severity and reason, and the changes that help, the best known first.

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
    """What problems are found from: PAR (nx, ny) at the rock top and just under the surface, over x and y [m].

    Rock is NaN. ``front`` is the share of all light that falls on the front pane or goes out over it [-], ``taken`` the
    share of each fixture's light that braces and edges over the water take [-].
    """

    x: Array
    y: Array
    top: Array
    shallow: Array
    front: float
    taken: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class JudgedPart:
    """Everything that problems are looked for in: the tank, its fixtures, its PAR map and its goal."""

    tank: Tank
    fixtures: tuple[Fixture, ...]
    seen: LightMap
    case: VerdictCase

    @property
    def figures(self) -> Figures:
        return self.case.figures

    @property
    def targets(self) -> LightTargets:
        return self.case.targets

    @property
    def lit(self) -> list[Fixture]:
        return [f for f in self.fixtures if f.output > 0]


def find_problems(scope: JudgedPart) -> list[Problem]:
    """Find the problems of a PAR map, the worst first; none when there is no light."""
    seen = scope.seen
    if not scope.lit or not np.isfinite(seen.top).any() or np.nanmax(seen.top) <= 0:
        return []
    return [fault for look in _LOOKS if (fault := look(scope)) is not None]


def _hot_spot(scope: JudgedPart) -> Problem | None:
    seen = scope.seen
    i, j = np.unravel_index(np.nanargmax(seen.top), seen.top.shape)
    peak, x, y = float(seen.top[i, j]), float(seen.x[i]), float(seen.y[j])
    beside = [seen.top[int(np.abs(seen.x - a).argmin()), j] for a in (x - ASIDE, x + ASIDE) if 0 <= a <= seen.x[-1]]
    aside = float(np.nanmin(beside)) if beside and np.isfinite(beside).any() else float("nan")
    if peak < FATAL_PAR or not aside < FATAL_SHARE * peak:
        return None
    return Problem(
        "hot_spot",
        "Fatal hot spot",
        peak / aside,
        f"{peak:.0f} PAR at its strongest and {aside:.0f} only {{aside}} aside.",
        "Dimming cannot solve this: turned down until the middle is right, the rest is dark. Raise, then spread.",
        ("raise", "no_lens", "spread"),
        (x, y),
        {"aside": ASIDE},
    )


def _too_low(scope: JudgedPart) -> Problem | None:
    seen, plane = scope.seen, scope.figures.plane
    strongest = float(np.nanmax(seen.top))
    if scope.case.purpose in ("zones", "strong_left", "strong_right"):
        return None
    # against the mean, as dimming does not change it; one that does not dim has its height alone
    peaked = plane.relative_spread > UNEVEN and strongest > PEAKED * plane.mean
    fixed = not any(f.dimmable for f in scope.lit) and strongest > PAST * scope.targets.ceiling
    if not (peaked or fixed):
        return None
    if _lopsided(scope) and strongest < FAR_PEAKED * plane.mean:
        return None  # the dark side makes it uneven, not the height
    i, j = np.unravel_index(np.nanargmax(seen.top), seen.top.shape)
    return Problem(
        "too_low",
        "Hung too low",
        plane.relative_spread,
        f"Eight of ten readings at the height of the rock top lie {plane.spread:.0f} PAR apart, and the strongest is "
        f"{strongest / plane.mean:.1f} times the mean"
        + (f": {strongest:.0f} PAR, your ceiling is {scope.targets.ceiling:g}, and none of it dims." * fixed or "."),
        "At the right height most readings at the rock top are within about 100 of each other. Higher is "
        "more even, loses light and dazzles more.",
        ("raise", "no_lens", "spread"),
        (float(seen.x[i]), float(seen.y[j])),
    )


def _overlap(scope: JudgedPart) -> Problem | None:
    share, ends = scope.figures.ends.share, scope.figures.ends
    # beams of one place along the tank, such as tubes side by side, have nothing to overlap with
    apart = len({round(f.emitter.x, 2) for f in scope.lit}) > 1
    # and one dark end alone is lopsided
    peaked = ends.middle > max(ends.left, ends.right)
    if not (scope.case.blanket and apart and peaked and round(share, 2) < ENDS_GOAL):
        return None
    return Problem(
        "overlap",
        "Beams overlap in the middle",
        1 - share,
        f"The weaker end reads {100 * share:.0f} % of the middle.",
        "The middle gets something from every beam, so that fixtures in equal parts do not light in equal parts. 75 % "
        "is aimed at, 84 to 88 excellent.",
        ("spread", "dim_middle", "raise"),
        (scope.tank.length / 2, scope.tank.width / 2),
    )


def _dark_middle(scope: JudgedPart) -> Problem | None:
    ends = scope.figures.ends
    if not scope.case.blanket or not ends.middle < ENDS_GOAL * ends.weaker:
        return None
    return Problem(
        "dark_middle",
        "Dark middle",
        1 - ends.middle / ends.weaker,
        f"The middle reads {ends.middle:.0f} PAR, {100 * ends.middle / ends.weaker:.0f} % of the weaker end.",
        "Fixtures too far apart, or something over the middle, leave it dark (limit: our estimate).",
        ("closer", "inward", "raise"),
        (scope.tank.length / 2, scope.tank.width / 2),
    )


def _lopsided(scope: JudgedPart) -> Problem | None:
    """One end, or the front or back, far darker than the other."""
    if not scope.case.blanket:
        return None
    seen, ends, tank = scope.seen, scope.figures.ends, scope.tank
    across = EndFigures.of(seen.top.T)
    pairs = {
        "left": (ends.left, ends.right, (0.0, tank.width / 2)),
        "right": (ends.right, ends.left, (tank.length, tank.width / 2)),
        "front": (across.left, across.right, (tank.length / 2, 0.0)),
        "back": (across.right, across.left, (tank.length / 2, tank.width)),
    }
    side = min(pairs, key=lambda name: _over(*pairs[name][:2]))
    weak, strong, place = pairs[side]
    if not _over(weak, strong) < LOPSIDED:
        return None
    other = {"left": "right", "right": "left", "front": "back", "back": "front"}[side]
    off = [letter(i) for i, f in enumerate(scope.fixtures) if not f.output]
    return Problem(
        "lopsided",
        f"Dark {side}",
        1 - weak / strong,
        f"The {side} reads {weak:.0f} PAR and the {other} {strong:.0f}, each over a sixth of the tank."
        + f" Off: {', '.join(off)}." * bool(off),
        "One side is far darker than the other. Kept on purpose, it is a strong and a weak end: set that "
        "goal for the setup. Limit: our estimate.",
        ("back" if side == "back" else f"to_{side}", "raise"),
        place,
    )


def _over(one: float, other: float) -> float:
    share = one / other if other > 0 else 1.0
    return share if share == share else 1.0


def _brace(scope: JudgedPart) -> Problem | None:
    taken = scope.seen.taken
    worst = max(range(len(taken)), key=lambda i: taken[i] * scope.fixtures[i].strength, default=None)
    if worst is None or not scope.fixtures[worst].output or taken[worst] < TAKEN:
        return None
    named = [letter(i) for i, share in enumerate(taken) if share >= TAKEN and scope.fixtures[i].output]
    e = scope.fixtures[worst].emitter
    return Problem(
        "brace",
        "Brace blocks light",
        taken[worst],
        f"A brace blocks {100 * taken[worst]:.0f} % of the light of {letter(worst)}"
        + (f"; {', '.join(named)} are over it." if len(named) > 1 else "."),
        "A lamp over a brace lights the brace. Move it to one side, or higher, so that light passes both edges. "
        "Limit: our estimate.",
        ("off_brace", "raise"),
        (e.x, e.y),
    )


def _short_tubes(scope: JudgedPart) -> Problem | None:
    tank, ends = scope.tank, scope.figures.ends
    tubes = [f for f in scope.lit if f.emitter.made_by.wears == "tube" and not f.emitter.turn]
    if not tubes:
        return None
    left, right = (
        min(f.emitter.x - f.emitter.length / 2 for f in tubes),
        max(f.emitter.x + f.emitter.length / 2 for f in tubes),
    )
    bare = max(left, tank.length - right)
    share = _over(ends.weaker, ends.middle)
    if bare < BARE * tank.length or not share < 0.9:
        return None
    return Problem(
        "short_tubes",
        "Tubes shorter than the tank",
        1 - share,
        f"{{bare}} at an end has no tube over it, and the weaker end reads {100 * share:.0f} % of the middle.",
        "Keepers live with it; what needs little light goes to the ends, or a module fills them.",
        ("raise",),
        (0.0 if left > tank.length - right else tank.length, tank.width / 2),
        {"bare": bare},
    )


def _corners(scope: JudgedPart) -> Problem | None:
    seen, tank = scope.seen, scope.tank
    nx, ny = (max(1, round(n * AREA_SHARE)) for n in seen.shallow.shape)
    mean = finite_mean(seen.shallow)
    corners = {
        "front left": (seen.shallow[:nx, :ny], (0.0, 0.0)),
        "front right": (seen.shallow[-nx:, :ny], (tank.length, 0.0)),
        "back left": (seen.shallow[:nx, -ny:], (0.0, tank.width)),
        "back right": (seen.shallow[-nx:, -ny:], (tank.length, tank.width)),
    }
    shares = {name: finite_mean(part) / mean for name, (part, _) in corners.items()}
    dark = {name: share for name, share in shares.items() if share < 0.35}
    if not dark:
        return None
    worst = min(dark, key=lambda name: dark[name])
    return Problem(
        "corners",
        "Dark upper corners",
        1 - dark[worst],
        f"{', '.join(dark).capitalize()}: down to {100 * dark[worst]:.0f} % of the mean just under the surface.",
        "Narrow beams under a low canopy miss the upper corners. Lenses sold as 120 degrees are hardly "
        "wider than 90; without lenses is clearly widest.",
        ("no_lens", "raise", "spread"),
        corners[worst][1],
    )


def _gaps(scope: JudgedPart) -> Problem | None:
    seen = scope.seen
    places = sorted({round(f.emitter.x, 2) for f in scope.lit if f.emitter.length < 0.6})
    worst, at = 1.0, None
    along = np.array([finite_mean(column) for column in seen.shallow])
    for a, b in pairwise(places):
        under = np.nanmin([along[int(np.abs(seen.x - p).argmin())] for p in (a, b)])
        between = along[int(np.abs(seen.x - 0.5 * (a + b)).argmin())]
        if under > 0 and between / under < worst:
            worst, at = float(between / under), 0.5 * (a + b)
    if at is None or worst >= 0.5:
        return None
    return Problem(
        "gaps",
        "Dark triangles between fixtures",
        1 - worst,
        f"Just under the surface the light between two fixtures is {100 * worst:.0f} % of that under them.",
        "Narrow beams meet only further down. High branches that grow into the gap get little light.",
        ("no_lens", "raise", "closer"),
        (at, scope.tank.width / 2),
    )


def _spill(scope: JudgedPart) -> Problem | None:
    spill = scope.figures.spill
    if spill < 0.4:
        return None
    return Problem(
        "spill",
        "Much light misses the water",
        spill,
        f"{100 * spill:.0f} % of it.",
        "It lights the room, costs power and dazzles. Some spill is the price of evenness (limit: our estimate).",
        ("lower", "inward", "closer"),
    )


def _front(scope: JudgedPart) -> Problem | None:
    front = scope.seen.front
    if front < FRONT:
        return None
    return Problem(
        "front",
        "Light on the front glass",
        front,
        f"{100 * front:.0f} % of all light falls on the front pane or goes out over it.",
        "Light on the glass is wasted and feeds algae; light over its edge dazzles. Move the fixture back "
        "or lean it (limit: our estimate).",
        ("back", "lean_back"),
        None,
    )


def _too_weak(scope: JudgedPart) -> Problem | None:
    weak = [p for p in scope.figures.parts if p.key not in ("weak", "low") and p.light.mean < WEAK * p.low]
    if not weak:
        return None
    part = min(weak, key=lambda p: p.light.mean / p.low)
    return Problem(
        "too_weak",
        "Too weak for its goal",
        1 - part.light.mean / part.low,
        f"{_where(part.name)}: {part.light.mean:.0f} PAR on average where {part.low:g} to {part.high:g} is wanted."
        + " Everything is at full output: add fixtures or use stronger ones."
        * all(f.output >= 1.0 for f in scope.fixtures),
        "Corals live on light: too little browns and starves them slowly. Raise PAR over several weeks, never at once.",
        ("brighten", "lower"),
    )


def _too_strong(scope: JudgedPart) -> Problem | None:
    lps = scope.case.purpose == "lps"
    strong = [p for p in scope.figures.parts if p.key not in ("weak", "low") and p.light.mean > STRONG * p.high]
    if not strong:
        return None
    part = max(strong, key=lambda p: p.light.mean / p.high)
    return Problem(
        "too_strong",
        "Too much for the tank's corals" if lps else "Too strong for its goal",
        part.light.mean / part.high,
        f"{_where(part.name)}: {part.light.mean:.0f} PAR on average where {part.low:g} to {part.high:g} is wanted.",
        "Corals in too much light bleach. Turn down slowly and watch.",
        ("dim", "raise"),
    )


def _where(name: str) -> str:
    text = escape_slots(name)
    return text[0].upper() + text[1:]


def _low_places(scope: JudgedPart) -> Problem | None:
    low = next((part.light.mean for part in scope.figures.parts if part.key == "low"), 0.0)
    targets = scope.targets
    if not low > targets.lps_high:
        return None
    return Problem(
        "low_places",
        "Too much for the low places",
        low,
        f"Sand and low rock read {low:.0f} PAR on average; in a mixed tank they are kept at "
        f"{targets.lps_low:g} to {targets.lps_high:g} for LPS and soft corals.",
        "Corals of the low places bleach in light for SPS. Turn down slowly and watch, or give these places to SPS.",
        ("dim", "spread"),
    )


_LOOKS: tuple[Callable[[JudgedPart], Problem | None], ...] = (
    _hot_spot, _too_low, _too_weak, _too_strong, _overlap, _dark_middle, _brace, _lopsided, _short_tubes, _corners,
    _gaps, _spill, _front, _low_places,
)  # fmt: skip

"""Without a meter: light on a hand outside the panes, and beams in cloudy water, held against the model.

Both are common practice with no source: raise the light until clear spill shows on a hand, cloud the water and mark
what stays dark. An eye tells little: what it says is weak evidence, and it is weighed as that.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.field import Medium
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import SIDES, Tank
from corlume.core.survey.fixture_estimate import bench
from corlume.core.survey.priors import LOBE_TOLD
from corlume.core.survey.sensitivities import fixture_fields
from corlume.core.survey.survey_record import MeasuringPoint

Array = NDArray[np.float64]
REACH = 0.10
"""How far outside the pane the hand is held, level with the water [m]."""
SHOWS = 0.15
"""Spill is clear on a hand that has so much of the light over the middle of the water; ours [-]."""
SHOWS_SD = 0.5
"""How far that can be off, in its logarithm: a bright room, a dark hand; ours [-]."""
DARK_SHARE = 0.4
"""What has less than this of the mean light at its depth looks dark; ours [-]."""
DARK_SD = 0.4
"""How far that can be off, in its logarithm; ours [-]."""
AGAINST = 1.5
"""What is off by more than so many deviations speaks against the model [-]."""
FACTORS = np.exp(np.linspace(-0.24, 0.24, 33))
"""Widths of the lobes that are tried, as shares of what was told."""


@dataclass(frozen=True, slots=True)
class LightSeen:
    """One observation by eye, and its deviation from the model.

    Parameters
    ----------
    spot : where; for a hand, the pane outside of which it was held.
    model : share of the light over the middle of the water that falls on the hand, or of the mean light at the spot's
        depth that falls there [-].
    off : how far the model is from what was seen, in deviations: above 0 where it has too much light [-].
    """

    spot: MeasuringPoint
    model: float
    off: float

    @property
    def agrees(self) -> bool:
        """Whether the observation agrees with the model."""
        return abs(self.off) <= AGAINST


def hand_points(tank: Tank) -> dict[str, MeasuringPoint]:
    """Places of a hand outside each pane, as the nearest place of that pane, by pane."""
    x, y = 0.5 * tank.length, 0.5 * tank.width
    at = {"left": (0.0, y), "right": (tank.length, y), "front": (x, 0.0), "back": (x, tank.width)}
    return {
        side: MeasuringPoint(f"Hand outside the {side} pane", *at[side], 0.0, "spill on a hand", seen="lit")
        for side in SIDES
    }


def on_hands(tank: Tank, fixtures: Sequence[Fixture], spots: Sequence[MeasuringPoint]) -> Array:
    """Direct light (n,) on a level hand outside each pane, over that on a hand at the middle of the open tank [-]."""
    margin = 4 * REACH
    size = (tank.length + 2 * margin, tank.width + 2 * margin)
    medium = Medium.of(bench("air", depth=0.05, tank=size))
    moved = [replace(f, emitter=replace(f.emitter, x=f.emitter.x + margin, y=f.emitter.y + margin)) for f in fixtures]

    def outside(value: float, size: float) -> float:
        return value + margin + (REACH if value >= size else -REACH if value <= 0 else 0.0)

    points = [(outside(s.x, tank.length), outside(s.y, tank.width), 0.001) for s in spots]
    middle = (0.5 * size[0], 0.5 * size[1], 0.001)
    light = fixture_fields(medium, moved, np.array([*points, middle])).sum(axis=0)
    found: Array = light[:-1] / max(1e-9, light[-1])
    return found


def shares_at(tank: Tank, medium: Medium, fixtures: Sequence[Fixture], spots: Sequence[MeasuringPoint]) -> Array:
    """Light (n,) at points over the mean of all water at their depth [-]."""
    points = np.array([spot.place for spot in spots]).reshape(-1, 3)
    here = fixture_fields(medium, fixtures, points).sum(axis=0)
    found = []
    for point, light in zip(points, here, strict=True):
        u, v = np.meshgrid((np.arange(9) + 0.5) / 9 * tank.length, (np.arange(6) + 0.5) / 6 * tank.width)
        level = np.stack([u.ravel(), v.ravel(), np.full(u.size, point[2])], axis=1)
        level = level[~tank.in_rock(level)]
        found.append(light / max(1e-9, float(fixture_fields(medium, fixtures, level).sum(axis=0).mean())))
    return np.array(found)


def off_hand(shares: Array) -> Array:
    """Deviation of the light on hands at first sight of spill from the visible threshold (n,), in standard deviations
    [-].
    """
    found: Array = np.log(np.maximum(1e-3, shares) / SHOWS) / SHOWS_SD
    return found


def off_looks(spots: Sequence[MeasuringPoint], shares: Array) -> Array:
    """Deviation of the model at points that looked dark or lit (n,), in standard deviations; 0 where it agrees [-]."""
    found = np.log(np.maximum(1e-3, shares) / DARK_SHARE) / DARK_SD
    dark = np.array([spot.seen == "dark" for spot in spots])
    return np.where(dark, np.maximum(0.0, found), np.minimum(0.0, found))


def entered_widths(fixtures: Sequence[Fixture], off: Callable[[Sequence[Fixture]], Array]) -> tuple[float, float]:
    """Beam width by what was seen, as a share of that entered, and its standard deviation [-].

    ``off`` says how far what was seen is from the model, in deviations (n,), if the fixtures are so. The prior of the
    width and the likelihood of what was seen are put together on a grid of widths.
    """
    logs = np.log(FACTORS)
    weights = np.empty(len(FACTORS))
    for k, factor in enumerate(FACTORS.tolist()):
        wider = [replace(f, emitter=f.emitter.widened(factor)) for f in fixtures]
        weights[k] = -0.5 * (logs[k] / LOBE_TOLD.sd) ** 2 - 0.5 * float((off(wider) ** 2).sum())
    weights = np.exp(weights - weights.max())
    weights /= weights.sum()
    mean = float(weights @ logs)
    return math.exp(mean), math.sqrt(float(weights @ (logs - mean) ** 2))

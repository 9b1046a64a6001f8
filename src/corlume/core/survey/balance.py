"""Balance with a meter: a few spots 15 cm down, read and shifted and read again until they agree.

The rule is the trade's (common practice, no source): probe under each fixture, between them and at the ends, and move
until they agree within about 10. The move is computed here instead of guessed.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.field import Medium
from corlume.core.light.fixture import Fixture, overlaps
from corlume.core.light.geometry import Tank
from corlume.core.survey.candidate_points import FROM_PANE, SHALLOW
from corlume.core.survey.sensitivities import fixture_fields
from corlume.core.survey.survey_record import MeasuringPoint

Array = NDArray[np.float64]
Strong = Literal["", "left", "right"]
STRONG: dict[Strong, str] = {"": "all alike", "left": "left end stronger", "right": "right end stronger"}
AGREE = 10.0
"""Readings that lie within this of each other agree; common practice, no source [umol/m2/s]."""
TILTED = 0.3
"""A strong end gets so much more than the middle, and the other so much less [-]; ours."""
LONGEST_MOVED = 0.6
"""A longer face spans the tank and is not shifted [m]."""
FARTHEST = 0.10
"""No shift goes farther in one round [m]."""
REST = 0.15
"""How strongly shifts are kept small where they bring little [-]."""


@dataclass(frozen=True, slots=True)
class Move:
    """Next places of the fixtures, and the expected readings [umol/m2/s]."""

    fixtures: tuple[Fixture, ...]
    readings: tuple[float, ...]
    off: float


def balance_points(tank: Tank, fixtures: Sequence[Fixture]) -> list[MeasuringPoint]:
    """Three to five points 15 cm down along the middle of the fixtures: ends, under and between them; none in rock."""
    columns = sorted({round(f.emitter.x, 2) for f in fixtures if f.emitter.length < LONGEST_MOVED}) or [
        0.5 * tank.length
    ]
    y = float(np.mean([f.emitter.y for f in fixtures])) if fixtures else 0.5 * tank.width
    between = [0.5 * (columns[0] + columns[1])] if len(columns) == 2 else []
    if len(columns) > 3:
        columns = [columns[0], columns[len(columns) // 2], columns[-1]]
    places = [("Left end", FROM_PANE), *((f"Under {k}", x) for k, x in enumerate(columns, 1))]
    places += [*(("Between", x) for x in between), ("Right end", tank.length - FROM_PANE)]
    found = []
    for name, x in sorted(places, key=lambda place: place[1]):
        at = np.array([[x, y, SHALLOW]])
        depth = SHALLOW
        while tank.in_rock(at)[0] and depth > 0.03:
            depth -= 0.01
            at[0, 2] = depth
        found.append(MeasuringPoint(name, round(x, 3), round(y, 3), round(depth, 3), "balance by meter"))
    return found


def wanted(tank: Tank, spots: Sequence[MeasuringPoint], strong: Strong) -> Array:
    """Target of each point as a share of their mean (n,): all equal, or falling evenly to one end."""
    if not strong:
        return np.ones(len(spots))
    along = np.array([spot.x for spot in spots]) / tank.length - 0.5
    shares = 1 + 2 * TILTED * along * (1 if strong == "right" else -1)
    found: Array = shares / shares.mean()
    return found


def spread(readings: Array, shares: Array) -> float:
    """Spread of readings (n,): highest less lowest, each over its target [umol/m2/s]."""
    even = readings / shares
    return float(even.max() - even.min())


def next_move(
    tank: Tank,
    medium: Medium,
    fixtures: Sequence[Fixture],
    spots: Sequence[MeasuringPoint],
    shares: Array,
    grain: float,
    now: Array | None = None,
) -> Move:
    """Shift the columns of modules along the tank so that the points agree best.

    Parameters
    ----------
    medium : the tank for the kernel.
    fixtures : as they hang, each with what it was found to give.
    shares : what each spot is to read as a share of their mean (n,), see ``wanted``.
    grain : shifts are whole multiples of this [m].
    now : what the spots read as they hang (n,), where that is known; the model says how it changes [umol/m2/s].
    """
    from scipy.optimize import least_squares

    points = np.array([spot.place for spot in spots])
    moved = [i for i, f in enumerate(fixtures) if f.emitter.length < LONGEST_MOVED]
    columns = sorted({round(fixtures[i].emitter.x, 2) for i in moved})
    of = {i: columns.index(round(fixtures[i].emitter.x, 2)) for i in moved}

    def hung(shifts: Array) -> tuple[Fixture, ...]:
        return tuple(
            replace(f, emitter=replace(f.emitter, x=f.emitter.x + float(shifts[of[i]]))) if i in of else f
            for i, f in enumerate(fixtures)
        )

    still = np.zeros(len(columns))
    model = fixture_fields(medium, fixtures, points).sum(axis=0)
    off = np.ones(len(spots)) if now is None else now / np.maximum(1.0, model)

    def read(shifts: Array) -> Array:
        found: Array = off * fixture_fields(medium, hung(shifts), points).sum(axis=0)
        return found

    def residuals(shifts: Array) -> Array:
        even = read(shifts) / shares
        return np.concatenate([(even - even.mean()) / AGREE, REST * shifts / (0.1 * FARTHEST)])

    if not columns:
        now = read(still)
        return Move(tuple(fixtures), tuple(now.tolist()), spread(now, shares))
    low = np.maximum(-FARTHEST, 0.02 - np.array(columns))
    high = np.minimum(FARTHEST, tank.length - 0.02 - np.array(columns))
    found = least_squares(residuals, still, bounds=(np.minimum(low, -1e-6), np.maximum(high, 1e-6)), diff_step=1e-2)
    shifts = np.round(found.x / grain) * grain
    while len(overlaps(hung(shifts))) > len(overlaps(fixtures)):
        shifts = np.trunc(0.5 * shifts / grain) * grain
    after = read(shifts)
    return Move(hung(shifts), tuple(after.tolist()), spread(after, shares))

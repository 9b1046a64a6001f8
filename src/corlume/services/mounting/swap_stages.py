"""A swap of the lights one at a time: what comes down and goes up at each stage, and the light then."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from corlume.core.light.fixture import Fixture, extent, overlaps
from corlume.core.message_text import escape_slots
from corlume.core.mounting.alignment import units_of
from corlume.core.mounting.checklist import Swap, SwapWay
from corlume.services.judging.judge import mean_on_top
from corlume.services.placement.zone_placement import CoralChange, coral_light, light_change
from corlume.services.search.costs import body_of
from corlume.store.tanks import StoredTank

SAME_PLACE = 1e-3
"""What is moved by less hangs at the same place [m]."""
Unit = tuple[Fixture, ...]
"""What is hung as one piece: a fixture, or the parts of a frame."""


@dataclass(frozen=True, slots=True)
class SwapStage:
    """A state on the way from the setup in use: what is done, what is lit then, mean PAR at the rock top [umol/m2/s],
    what it does to the corals against now, and whether bodies are in each other's way.
    """

    swap: Swap
    fixtures: tuple[Fixture, ...]
    mean: float
    corals: CoralChange
    crowded: bool


def swap_stages(stored: StoredTank, was: Sequence[Fixture], now: Sequence[Fixture]) -> tuple[SwapStage, ...]:
    """A swap one unit at a time: each comes down for the new one that hangs nearest; with the light at each stage.

    What hangs in both at the same place stays, and the same light is moved. Stages are in the order in which the light
    goes most evenly from the old mean to the new, with no bodies in each other's way where that can be.
    """
    hung, then = _units(was), _units(now)
    old = [unit for unit in hung if not any(_alike(unit, other) for other in then)]
    new = [unit for unit in then if not any(_alike(unit, other) for other in hung)]
    pairs = _pairs(old, new)
    shares = {unit: mean_on_top(stored, unit) for unit in (*old, *new)}
    lit = sum(shares[unit] for unit in old)
    step = (sum(shares[unit] for unit in new) - lit) / max(1, len(pairs))
    before, stages, goal = coral_light(stored, was), list[SwapStage](), lit
    while pairs:
        goal += step
        # in tenths of PAR: of two pairs left both are as far off, and the first of them goes
        gains = [round(abs(lit + _gain(shares, pair) - goal), 1) for pair in pairs]
        crowds = [bool(overlaps(_flat(_swapped(hung, pair)))) for pair in pairs]
        pair = pairs.pop(min(range(len(pairs)), key=list(zip(crowds, gains, strict=True)).__getitem__))
        hung, lit = _swapped(hung, pair), lit + _gain(shares, pair)
        fixtures = _flat(hung)
        mean = mean_on_top(stored, fixtures) if fixtures else 0.0
        corals = light_change(stored, before, coral_light(stored, fixtures))
        stages.append(SwapStage(_swap_of(pair), fixtures, mean, corals, bool(overlaps(fixtures))))
    return tuple(stages)


def _units(fixtures: Sequence[Fixture]) -> list[Unit]:
    units = (tuple(fixtures[k] for k in unit) for unit in units_of(fixtures))
    return sorted(units, key=lambda unit: extent(unit)[0])


def _alike(one: Unit, other: Unit) -> bool:
    """Whether a unit hangs in both setups as it is: body, place, and what gives the light."""
    return len(one) == len(other) and all(a.emitter == b.emitter for a, b in zip(one, other, strict=True))


def _pairs(old: Sequence[Unit], new: Sequence[Unit]) -> list[tuple[Unit, Unit]]:
    """What comes down, and what goes up for it: first the same light at another place, then the nearest."""
    left, waiting, pairs = list(old), list[Unit](), list[tuple[Unit, Unit]]()
    for up in new:
        same = [unit for unit in left if _bodies(unit) == _bodies(up)]
        if same:
            down = same[_nearest(same, up)]
            left.remove(down)
            pairs.append((down, up))
        else:
            waiting.append(up)
    pairs += [(left.pop(_nearest(left, up)) if left else (), up) for up in waiting]
    return pairs + [(down, ()) for down in left]


def _bodies(unit: Unit) -> list[tuple[object, ...]]:
    return [body_of(fixture) for fixture in unit]


def _swapped(hung: Sequence[Unit], pair: tuple[Unit, Unit]) -> list[Unit]:
    down, up = pair
    return [unit for unit in hung if unit is not down] + ([up] if up else [])


def _flat(units: Sequence[Unit]) -> tuple[Fixture, ...]:
    return tuple(fixture for unit in units for fixture in unit)


def _gain(shares: Mapping[Unit, float], pair: tuple[Unit, Unit]) -> float:
    """By how much a stage changes the mean PAR at the rock top [umol/m2/s]."""
    return shares.get(pair[1], 0.0) - shares.get(pair[0], 0.0)


def _swap_of(pair: tuple[Unit, Unit]) -> Swap:
    down, up = pair
    way: SwapWay = "swap"
    if down and _bodies(down) == _bodies(up):
        here, there = ([f.emitter for f in unit] for unit in pair)
        apart = max(math.dist((a.x, a.y, a.height), (b.x, b.y, b.height)) for a, b in zip(here, there, strict=True))
        way = "move" if apart > SAME_PLACE else "refit"
    ballast = way == "swap" and any(fixture.emitter.made_by.wears != "led" for fixture in down)
    return Swap(_named(down), _named(up), way, ballast)


def _middle(unit: Unit) -> tuple[float, float]:
    (x0, y0), (x1, y1) = extent(unit)
    return 0.5 * (x0 + x1), 0.5 * (y0 + y1)


def _nearest(units: Sequence[Unit], to: Unit) -> int:
    if not to:
        return 0
    return min(range(len(units)), key=lambda k: math.dist(_middle(units[k]), _middle(to)))


def _named(unit: Unit) -> str:
    return escape_slots(unit[0].frame or unit[0].name or "a fixture") if unit else ""

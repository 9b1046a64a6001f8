"""A survey without a meter: what should be visible at each height, and how observations compare with the model."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.survey.survey_record import Kind, MeasuringPoint, Survey
from corlume.core.survey.without_meter import (
    LightSeen,
    entered_widths,
    hand_points,
    off_hand,
    off_looks,
    on_hands,
    shares_at,
)
from corlume.services.light.fields import medium_of, slice_plane
from corlume.services.light.points import same_tank
from corlume.store.tanks import StoredSetup, StoredTank

Array = NDArray[np.float64]
LOWEST, HIGHEST, STEPS = 0.20, 0.61, 5
"""Fixtures are hung from 8 to 24 inches above the water; common practice, no source [m]."""


@dataclass(frozen=True, slots=True)
class Raised:
    """The fixtures with the lowest at a height above the water [m], and what should be visible then.

    ``hands`` is PAR on a hand outside each pane, by the pane; ``apart`` the strongest less the weakest at the height of
    the rock top, 3 cm from the panes and further in [umol/m2/s].
    """

    height: float
    fixtures: tuple[Fixture, ...]
    hands: dict[str, float]
    apart: float


@dataclass(frozen=True, slots=True)
class LightSeenResult:
    """Result of a survey without a meter: each observation, and the beam width by them relative to that entered, with
    its standard deviation [-].
    """

    glances: tuple[LightSeen, ...]
    width: float
    width_sd: float


def raised_to(fixtures: Sequence[Fixture], height: float) -> tuple[Fixture, ...]:
    """The fixtures moved up or down together, so that the lowest hangs at a height above the water [m]."""
    by = height - min(f.emitter.height for f in fixtures)
    return tuple(replace(f, emitter=replace(f.emitter, height=f.emitter.height + by)) for f in fixtures)


def heights(stored: StoredTank, setup: StoredSetup) -> list[Raised]:
    """The setup at some heights that its room allows, the lowest first, each with the light on a hand outside."""
    told = stored.under(None)
    tank, lit = same_tank(told.lit_tank()), tuple(f for f in told.setup(setup.id).hung if f.output > 0)
    if not lit:
        return []
    span = max(f.emitter.height for f in lit) - min(f.emitter.height for f in lit)
    top = max(min(HIGHEST, tank.room_height - span), min(f.emitter.height for f in lit))
    hands = hand_points(tank)
    found = []
    for height in np.linspace(min(LOWEST, top), top, STEPS).round(2).tolist():
        hung = raised_to(lit, height)
        light = on_hands(tank, hung, list(hands.values()))
        plane = slice_plane(tank, hung, "plan", tank.rock_top()).par
        apart = float(np.nanmax(plane) - np.nanmin(plane))
        found.append(Raised(height, hung, dict(zip(hands, light.tolist(), strict=True)), apart))
    return found


def spill_survey(
    stored: StoredTank, setup: StoredSetup, *, height: float, sides: Sequence[str], day: datetime.date, name: str
) -> Survey:
    """Survey of what was seen on a hand outside some panes with the fixtures at a height [m]."""
    hung = raised_to(stored.under(None).setup(setup.id).hung, height)
    spots = tuple(spot for side, spot in hand_points(stored.tank).items() if side in sides)
    return Survey(name, day, setup.name, spots=spots, fixtures=hung, kind="spill")


def results_of(stored: StoredTank, survey: Survey) -> LightSeenResult | None:
    """Compare observations with the model as entered; None when there are none, or no light was on."""
    told = stored.under(None)
    spots = tuple(spot for spot in survey.spots if spot.seen)
    lit = tuple(f for f in survey.fixtures if f.output > 0)
    return _seen(same_tank(told.lit_tank()), lit, spots, survey.kind) if spots and lit else None


@lru_cache(maxsize=16)
def _seen(tank: Tank, fixtures: tuple[Fixture, ...], spots: tuple[MeasuringPoint, ...], kind: Kind) -> LightSeenResult:
    if kind == "spill":
        model = on_hands(tank, fixtures, spots)
        off = off_hand(model)
        width = entered_widths(fixtures, lambda wider: off_hand(on_hands(tank, wider, spots)))
    else:
        medium = medium_of(tank)
        model = shares_at(tank, medium, fixtures, spots)
        off = off_looks(spots, model)
        width = entered_widths(fixtures, lambda wider: off_looks(spots, shares_at(tank, medium, wider, spots)))
    rows = zip(spots, model.tolist(), off.tolist(), strict=True)
    return LightSeenResult(tuple(LightSeen(*row) for row in rows), *width)

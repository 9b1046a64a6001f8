"""What a place on rock or sand offers: its light, its flow, and which corals suit it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.judging.targets import Band
from corlume.core.placement.coral_card import CoralCard
from corlume.core.placement.coral_type import CoralType
from corlume.core.placement.spot_score import ANYWHERE
from corlume.core.placement.suitability import check_place
from corlume.core.placement.surface_orientation import Sat, orientations
from corlume.services.flow.tank_flow import flow_seen
from corlume.services.keeping.coral_types import library, type_of
from corlume.services.light.fields import par_at
from corlume.services.light.points import same_tank
from corlume.services.placement.zone_placement import placed_corals
from corlume.store.tanks import StoredSetup, StoredTank

Array = NDArray[np.float64]
OFF = 1e-4
"""A coral sits so far off the surface that was pointed at, so that its own rock does not shade it [m]."""
LEAST_SEAT, MOST_TYPES = 0.2, 8
"""A surface that is worth less to a type is no seat for it [-]; so many types are named."""


@dataclass(frozen=True, slots=True)
class PlaceHere:
    """A place: where a coral would sit [m], what it is on, PAR as a meter reads it and as a coral turns there
    [umol/m2/s], its band, its flow, unplaced corals that suit it, by id and number, and types of the library that do.
    """

    place: tuple[float, float, float]
    sat: Sat
    meter: float
    par: float
    band: Band
    flow: str
    corals: tuple[tuple[int, int, str], ...]
    types: tuple[str, ...]


def suits_here(
    stored: StoredTank, setup: StoredSetup, point: tuple[float, float, float], normal: tuple[float, float, float]
) -> PlaceHere:
    """What a place at x, y and depth [m] offers, on a surface with a normal (x right, y back, z up); ``InvalidInput``
    outside the water.
    """
    rules, inside = Rules(), (stored.tank.length, stored.tank.width, stored.tank.water_depth)
    for axis, value, most in zip(("x", "y", "depth"), point, inside, strict=True):
        rules.between(axis, value, -OFF, most + OFF, "length")
    rules.finish()
    way = np.array(normal) / max(1e-9, float(np.linalg.norm(normal)))
    at = np.array(point) + OFF * way * np.array([1.0, 1.0, -1.0])
    tank, points = same_tank(stored.lit_tank()), at[None, :]
    what, ways = orientations(stored.tank, points)
    sat: Sat = what[0]
    meter = float(par_at(tank, setup.hung, points)[0])
    par = float(par_at(tank, setup.hung, points, normals=ways if ways[0, 2] < 1 else None)[0])
    (flow,), (speed,) = flow_seen(stored, points)
    (x, y, depth), sitting = at.tolist(), placed_corals(stored, but=-1)

    def suits(card: CoralCard, kind: CoralType | None) -> bool:
        seats, food = (kind.sits() if kind else ANYWHERE), bool(kind and kind.food)
        if seats.get(sat, 0.0) < LEAST_SEAT:
            return False
        reasons = check_place(
            stored.tank, card, (x, y, depth), par, flow, sitting, speed=speed, food=food,
            height=kind.height if kind else 0.0,
        )  # fmt: skip
        return all(reason.answer != "no" for reason in reasons)

    waiting = [
        (kept.id, number, kept.value.card) for number, kept in enumerate(stored.corals, 1) if kept.value.place is None
    ]
    return PlaceHere(
        place=(x, y, depth),
        sat=sat,
        meter=meter,
        par=par,
        band=stored.targets.band_at(par),
        flow=flow,
        corals=tuple((i, n, card.name) for i, n, card in waiting if suits(card, type_of(stored, card))),
        types=tuple(name for name, kind in library(stored).items() if suits(kind.card, kind))[:MOST_TYPES],
    )

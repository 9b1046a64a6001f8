"""A better spot for one unhappy coral while the others stay."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from corlume.services.placement.placement_problem import PlacementRequest, problem_of
from corlume.store.tanks import StoredSetup, StoredTank


@dataclass(frozen=True, slots=True)
class BetterSpot:
    """Another spot for one coral: its name, its place [m], its PAR and its flow."""

    name: str
    place: tuple[float, float, float]
    par: float
    flow: str
    speed: float


AT_LEAST = 0.1
"""Light that is to be weaker or stronger differs by this share at least [-]; ours."""
ELSEWHERE = 0.1
"""A coral that is to move moves so far at least [m]; ours."""


def find_better_spot(
    stored: StoredTank, setup: StoredSetup, coral_id: int, par: float, colour: str
) -> BetterSpot | None:
    """The best other spot for a placed coral: weaker than its ``par`` where it turned paler, stronger where it turned
    darker; None where there is none.
    """
    coral = stored.coral(coral_id)
    rest = tuple(kept for kept in stored.corals if kept.id != coral_id and kept.value.place is not None)
    free = replace(coral, value=replace(coral.value, place=None))
    case = problem_of(replace(stored, corals=(free, *rest)), setup, PlacementRequest())
    stock = case.stock()
    worth = np.where(stock.free(0, case.fixed), stock.worth[0], 0.0)[: len(case.seats.names)]
    if colour == "paler":
        worth = np.where(case.seats.par < (1 - AT_LEAST) * par, worth, 0.0)
    elif colour == "darker":
        worth = np.where(case.seats.par > (1 + AT_LEAST) * par, worth, 0.0)
    if coral.value.place is not None:
        away = np.linalg.norm(case.seats.points - np.array(coral.value.place), axis=1)
        worth = np.where(away >= ELSEWHERE, worth, 0.0)
    if not len(worth) or worth.max() <= 0:
        return None
    k = int(worth.argmax())
    x, y, depth = case.seats.points[k].tolist()
    flow, speed = case.seats.flow[k], float(case.seats.speed[k])
    return BetterSpot(case.seats.names[k], (x, y, depth), float(case.seats.par[k]), flow, speed)

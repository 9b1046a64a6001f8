"""Preview of a coral's placement: the spot it snaps to, the rules there, and the corals it would shade."""

from __future__ import annotations

import threading
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from corlume.core.errors import Rules
from corlume.core.light.geometry import Colony
from corlume.core.placement.spot_score import SpotTable
from corlume.core.placement.suitability import FitReason, check_place
from corlume.core.placement.surface_orientation import orientations
from corlume.services.flow.tank_flow import flow_seen
from corlume.services.keeping.coral_types import height_of, lives_off_food
from corlume.services.keeping.corals import resting_place
from corlume.services.light.fields import par_at
from corlume.services.light.points import same_tank
from corlume.services.placement.spots import spots_of
from corlume.services.placement.zone_placement import SHADED, mature, placed_corals
from corlume.store.tanks import StoredSetup, StoredTank

SNAP = 0.035
"""A coral that is let go so near to a seat, as it is drawn, sits on it [m]; ours."""
View = Literal["plan", "front"]


@dataclass(frozen=True, slots=True)
class PlacementPreview:
    """A placement before it is made: the spot's name, or empty; its place [m], PAR [umol/m2/s], the results of the
    rules, and corals that would lose more than a tenth of their PAR: id, name, PAR before and after.
    """

    seat: str
    place: tuple[float, float, float]
    par: float
    reasons: tuple[FitReason, ...]
    shaded: tuple[tuple[int, str, float, float], ...]


def preview_placement(
    stored: StoredTank, setup: StoredSetup, coral_id: int, view: View, u: float, v: float
) -> PlacementPreview:
    """Preview a coral over a place of a view: x and y from above, x and depth from the front [m].

    ``InvalidInput`` for what lies outside the water, or in rock.
    """
    coral = stored.coral(coral_id).value
    without = replace(stored, corals=tuple(kept for kept in stored.corals if kept.id != coral_id))
    seats = _seats_without(stored, without, setup, coral_id)
    tank = same_tank(without.lit_tank())
    k = _nearest(seats, view, u, v, coral.place[1] if coral.place else 0.5 * stored.tank.width)
    if k is not None:
        x, y, depth = seats.points[k].tolist()
        name, par = seats.names[k], float(seats.par[k])
        flow, speed = seats.flow[k], float(seats.speed[k])
    else:
        x, y, depth = _resting(stored, view, u, v, coral.place[1] if coral.place else 0.5 * stored.tank.width)
        point = np.array([[x, y, depth]])
        way = orientations(replace(stored.tank, colonies=()), point)[1]
        name, par = "", float(par_at(tank, setup.hung, point, normals=way if way[0, 2] < 1 else None)[0])
        (flow,), (speed,) = flow_seen(stored, point)
    food = lives_off_food(stored, coral.card)
    others = placed_corals(stored, but=coral_id)
    high = height_of(stored, coral.card)
    reasons = check_place(
        stored.tank, coral.card, (x, y, depth), par, flow, others, speed=speed, food=food, height=high
    )
    shaded: tuple[tuple[int, str, float, float], ...] = ()
    if others:
        grown = same_tank(mature(without).lit_tank())
        points = np.array([(o.x, o.y, o.depth) for o in others])
        under = replace(grown, colonies=(*grown.colonies, Colony(x, y, depth, 0.5 * coral.card.size)))
        readings = zip(others, par_at(grown, setup.hung, points), par_at(under, setup.hung, points), strict=True)
        shaded = tuple((o.key, o.card.name, float(b), float(a)) for o, b, a in readings if a < SHADED * b)
    return PlacementPreview(name, (x, y, depth), par, tuple(reasons), shaded)


def _nearest(seats: SpotTable, view: View, u: float, v: float, y: float) -> int | None:
    """The spot drawn nearest; of several in one line of sight from the front the one nearest to ``y``."""
    if not len(seats.points):
        return None
    across = seats.points[:, 1] if view == "plan" else seats.points[:, 2]
    away = np.hypot(seats.points[:, 0] - u, across - v)
    # from above, what lies higher is what is seen
    deep = 1e-3 * seats.points[:, 2] if view == "plan" else 0.02 * np.abs(seats.points[:, 1] - y)
    hidden = (seats.sat == "under") & (view == "plan")
    k = int((away + deep + 9.0 * hidden).argmin())
    return k if away[k] <= SNAP else None


def _resting(stored: StoredTank, view: View, u: float, v: float, y: float) -> tuple[float, float, float]:
    if view == "plan":
        return resting_place(stored.tank, u, v)
    rules = Rules()
    rules.between("x", u, 0.0, stored.tank.length, "length")
    rules.between("depth", v, 0.0, stored.tank.water_depth, "length")
    rules.finish()
    return resting_place(stored.tank, u, y)


_HELD: list[tuple[StoredTank, int, int, SpotTable]] = []
_LOCK = threading.Lock()
MOST_HELD = 4


def _seats_without(stored: StoredTank, without: StoredTank, setup: StoredSetup, coral_id: int) -> SpotTable:
    """Spots without a coral's own shade, cached while it is dragged over the same tank."""
    with _LOCK:
        for tank, setup_id, coral, seats in _HELD:
            if tank is stored and (setup_id, coral) == (setup.id, coral_id):
                return seats
    seats = spots_of(without, setup.hung)
    with _LOCK:
        _HELD.insert(0, (stored, setup.id, coral_id, seats))
        del _HELD[MOST_HELD:]
    return seats

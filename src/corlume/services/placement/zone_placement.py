"""Corals by zone: the keeper's corals, the light zones, and where each coral fits."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from corlume.core.errors import Rules
from corlume.core.judging.intent import Places
from corlume.core.judging.light_zones import LightZone, find_zones
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Colony, Tank
from corlume.core.placement.coral import Coral
from corlume.core.placement.coral_card import PlacedCoral
from corlume.core.placement.custom_spots import Facing
from corlume.core.placement.suitability import FitReason, ZoneFit, check_place, fit_zones, light_miss, stung
from corlume.core.placement.surface_orientation import custom_normal, orientations
from corlume.services.flow.tank_flow import flow_seen, surface_flow
from corlume.services.keeping.coral_types import height_of, lives_off_food
from corlume.services.keeping.corals import place_coral
from corlume.services.light.fields import par_at, par_in, surface_par
from corlume.services.light.points import same_tank, surfaces_of
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredTank, load_tank

Spot3 = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class CoralState:
    """State of a coral: its PAR [umol/m2/s] and the results of the rules, when placed."""

    id: int
    coral: Coral
    par: float | None
    reasons: tuple[FitReason, ...]

    @property
    def trouble(self) -> tuple[FitReason, ...]:
        """Rules that the coral's place breaks."""
        return tuple(r for r in self.reasons if r.answer == "no")


def zones_of(stored: StoredTank, fixtures: Sequence[Fixture], *, but: int | None = None) -> list[LightZone]:
    """Light zones of a setup, one coral left out."""
    tank, targets, flows = stored.lit_tank(but=but), stored.targets, surface_flow(stored)
    lit = list(zip(surfaces_of(tank), surface_par(tank, fixtures), strict=True))
    return find_zones(tank, targets, lit, flows)


def states(stored: StoredTank, fixtures: Sequence[Fixture]) -> list[CoralState]:
    """State of every coral of the tank."""
    result, light = [], coral_light(stored, fixtures)
    placed = [kept.value.place for kept in stored.corals if kept.value.place is not None]
    flows = iter(zip(*flow_seen(stored, np.array(placed).reshape(-1, 3)), strict=True))
    for kept in stored.corals:
        coral = kept.value
        if coral.place is None:
            result.append(CoralState(kept.id, coral, None, ()))
            continue
        others, (flow, speed) = placed_corals(stored, but=kept.id), next(flows)
        food = lives_off_food(stored, coral.card)
        reasons = check_place(
            stored.tank, coral.card, coral.place, light[kept.id], flow, others, speed=speed, food=food,
            height=height_of(stored, coral.card),
        )  # fmt: skip
        result.append(CoralState(kept.id, coral, light[kept.id], tuple(reasons)))
    return result


def mature(stored: StoredTank, *, shade: bool = True) -> StoredTank:
    """The tank with the shade of its corals at mature size, or without any."""
    return replace(stored, tank=replace(stored.tank, colony_shade=shade))


def coral_light(stored: StoredTank, fixtures: Sequence[Fixture]) -> dict[int, float]:
    """PAR at every placed coral by its id [umol/m2/s], each under the shade of the others."""
    ids, places = coral_places(stored)
    par = par_in(same_tank(stored.lit_tank()), fixtures, places) if places else ()
    return {coral_id: float(p) for coral_id, p in zip(ids, par, strict=True)}


def coral_places(stored: StoredTank) -> tuple[list[int], Places | None]:
    """Ids of the placed corals, and where they sit; None when there are none."""
    placed = [(kept.id, kept.value.place) for kept in stored.corals if kept.value.place is not None]
    if not placed:
        return [], None
    bare = same_tank(replace(stored.tank, colonies=(), correction=None))
    own = tuple((kept.value.place, kept.value.facing, kept.value.turn) for kept in stored.perches)
    return [coral_id for coral_id, _ in placed], _seats(bare, own, tuple(place for _, place in placed))


@lru_cache(maxsize=64)
def _seats(tank: Tank, own: tuple[tuple[Spot3, Facing, float], ...], places: tuple[Spot3, ...]) -> Places:
    """Places of corals with their orientation; the same object while none is moved, so that their light is cached."""
    points = np.array(places)
    way = orientations(tank, points)[1]
    for place, facing, turn in own:  # on a seat of the keeper's a coral turns as the keeper said
        way[np.linalg.norm(points - np.array(place), axis=1) < 0.001] = custom_normal(facing, turn)
    return Places("corals", "where corals sit", points, normals=way if (way[:, 2] < 1.0).any() else None)


@dataclass(frozen=True, slots=True)
class Moved:
    """A placed coral whose PAR would change: its number, its PAR before and after [umol/m2/s], and by how much it would
    then be out of range, positive too strong and negative too weak.
    """

    number: int
    coral: Coral
    before: float
    after: float
    miss: float


@dataclass(frozen=True, slots=True)
class CoralChange:
    """Effect of other light on the placed corals: which leave their range, enter it, or stay out of it.

    ``placed`` is how many there are.
    """

    placed: int
    leave: tuple[Moved, ...]
    back: tuple[Moved, ...]
    stay_out: tuple[Moved, ...]

    @property
    def out(self) -> int:
        """How many corals would be out of range."""
        return len(self.leave) + len(self.stay_out)

    @property
    def words(self) -> str:
        """The change as a sentence; empty where no coral is placed."""
        if not self.placed:
            return ""
        their = "its" if len(self.leave) == 1 else "their"
        told = [f"{len(self.leave)} of {self.placed} placed corals would go out of {their} range"]
        if not self.leave:
            told = [f"No coral of the {self.placed} placed would go out of its range"]
        if self.stay_out:
            told.append(f"{len(self.stay_out)} stay{'s' * (len(self.stay_out) == 1)} out of range")
        if self.back:
            told.append(f"{len(self.back)} would come into range")
        return ", ".join(told)

    @property
    def leaving(self) -> list[str]:
        """Corals that would leave their range, the furthest first, each with its PAR before and after."""
        return [
            f"{m.number} {m.coral.card.name}: {m.before:.0f} to {m.after:.0f} PAR, too "
            f"{'strong' if m.miss > 0 else 'weak'} by {max(1.0, abs(m.miss)):.0f}"
            for m in self.leave
        ]

    @property
    def entering(self) -> list[str]:
        """Corals that would enter their range, each with its PAR before and after."""
        return [f"{m.number} {m.coral.card.name}: {m.before:.0f} to {m.after:.0f} PAR, in range" for m in self.back]


def coral_change(stored: StoredTank, after: Sequence[Fixture], before: Sequence[Fixture] | None = None) -> CoralChange:
    """Effect of other lights on the corals, against the setup in use unless another is given."""
    now = coral_light(stored, stored.setup().hung if before is None else before)
    return light_change(stored, now, coral_light(stored, after))


def light_change(stored: StoredTank, now: Mapping[int, float], then: Mapping[int, float]) -> CoralChange:
    """Effect on the placed corals of a change of the PAR at each, by id [umol/m2/s]."""
    leave, back, out = list[Moved](), list[Moved](), list[Moved]()
    for number, kept in enumerate(stored.corals, 1):
        if kept.id not in now or lives_off_food(stored, kept.value.card):
            continue
        card = kept.value.card
        was, miss = light_miss(card, now[kept.id]), light_miss(card, then[kept.id])
        moved = Moved(number, kept.value, now[kept.id], then[kept.id], miss)
        if miss or was:
            (leave if not was else back if not miss else out).append(moved)
    return CoralChange(len(now), *(tuple(sorted(some, key=lambda m: -abs(m.miss))) for some in (leave, back, out)))


def fits(stored: StoredTank, fixtures: Sequence[Fixture], coral_id: int) -> list[ZoneFit]:
    """Test one coral against every zone, its present place left out."""
    zones = zones_of(stored, fixtures, but=coral_id)
    card = stored.coral(coral_id).value.card
    return fit_zones(stored.tank, card, zones, placed_corals(stored, but=coral_id), food=lives_off_food(stored, card))


@dataclass(frozen=True, slots=True)
class Effect:
    """Effect of a coral on its neighbours at the site where it would be placed.

    ``stung`` are those that would reach each other; ``shaded`` those that would lose more than a tenth of their light
    under it when grown, with their PAR before and after [umol/m2/s].
    """

    stung: tuple[str, ...]
    shaded: tuple[tuple[str, float, float], ...]


SHADED = 0.9
"""A neighbour counts as shaded when it keeps less than this share of its light [-]."""


def effects(
    stored: StoredTank, fixtures: Sequence[Fixture], coral_id: int, found: Sequence[ZoneFit]
) -> dict[str, Effect]:
    """Effect on the other corals of placing a coral in each zone, by the key of the zone."""
    others = placed_corals(stored, but=coral_id)
    card = stored.coral(coral_id).value.card
    if not others:
        return {}
    points = np.array([(o.x, o.y, o.depth) for o in others])
    tank = mature(stored).lit_tank(but=coral_id)
    before = par_at(tank, fixtures, points)
    result = {}
    for fit in found:
        place = site_of(fit)
        under = replace(tank, colonies=(*tank.colonies, Colony(*place, 0.5 * card.size)))
        readings = zip(others, before, par_at(under, fixtures, points), strict=True)
        shaded = tuple((o.card.name, float(b), float(a)) for o, b, a in readings if a < SHADED * b)
        result[fit.zone.key] = Effect(tuple(o.card.name for o in stung(card, place, others)), shaded)
    return result


def site_of(fit: ZoneFit) -> tuple[float, float, float]:
    """Place of a coral in a zone: its best site, or the middle of the zone when no site fits [m]."""
    points, at = fit.zone.points, fit.best
    if at is None:
        at = int(np.linalg.norm(points - points.mean(axis=0), axis=1).argmin())
    x, y, depth = (float(v) for v in points[at])
    return x, y, depth


def send_to_zone(
    db: Database, tank_id: int, coral_id: int, zone_key: str, fixtures: Sequence[Fixture]
) -> tuple[float, float, float]:
    """Place a coral on the best site of a zone, or in its middle when no site fits; returns the place."""
    with db.reading() as connection:
        stored = load_tank(connection, tank_id)
    rules = Rules()
    found = [fit for fit in fits(stored, fixtures, coral_id) if fit.zone.key == zone_key]
    rules.that(bool(found), "zone", "is no longer there: the light or the rock has changed")
    rules.finish()
    place = site_of(found[0])
    place_coral(db, tank_id, coral_id, place)
    return place


def placed_corals(stored: StoredTank, *, but: int) -> list[PlacedCoral]:
    """All placed corals, one left out."""

    def one(kept: Kept[Coral]) -> PlacedCoral | None:
        place = kept.value.place
        return None if place is None or kept.id == but else PlacedCoral(kept.id, kept.value.card, *place)

    return [placed for kept in stored.corals if (placed := one(kept))]

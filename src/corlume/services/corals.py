"""Send corals to places: the keeper's corals, the zones of the light, and where each coral fits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from corlume.core.coral import CoralCard, PlacedCoral
from corlume.core.errors import Rules
from corlume.core.geometry import Colony, Tank
from corlume.core.placement import Reason, ZoneFit, check_place, fit_zones, stung
from corlume.core.scene import Coral, Fixture, check_count
from corlume.core.targets import LightTargets
from corlume.core.zones import Zone, find_zones
from corlume.services.predict import Place, par_at, par_here, surface_par, surfaces_of
from corlume.store import rows
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tanks import Kept, StoredTank, load_tank


@dataclass(frozen=True, slots=True)
class CoralState:
    """One of the keeper's corals as it stands: its PAR [umol/m2/s] and the rules' answers, when placed."""

    id: int
    coral: Coral
    par: float | None
    reasons: tuple[Reason, ...]

    @property
    def trouble(self) -> tuple[Reason, ...]:
        """The rules that its place breaks."""
        return tuple(r for r in self.reasons if r.answer == "no")


def zones_of(tank: Tank, targets: LightTargets, fixtures: Sequence[Fixture]) -> list[Zone]:
    """The zones of a setup."""
    return find_zones(tank, targets, list(zip(surfaces_of(tank), surface_par(tank, fixtures), strict=True)))


def states(stored: StoredTank, fixtures: Sequence[Fixture]) -> list[CoralState]:
    """Every coral of the tank, each placed one held against the rules."""
    result = []
    for kept in stored.corals:
        coral = kept.value
        if coral.place is None:
            result.append(CoralState(kept.id, coral, None, ()))
            continue
        par = par_here(stored.lit_tank(), fixtures, Place(*coral.place))
        others = _placed(stored, but=kept.id)
        reasons = check_place(stored.tank, coral.card, coral.place, par, _flow_at(stored.tank, coral.place), others)
        result.append(CoralState(kept.id, coral, par, tuple(reasons)))
    return result


def fits(stored: StoredTank, fixtures: Sequence[Fixture], coral_id: int) -> list[ZoneFit]:
    """Hold one coral against every zone, its own present place left out."""
    zones = zones_of(stored.lit_tank(but=coral_id), stored.targets, fixtures)
    return fit_zones(stored.tank, stored.coral(coral_id).value.card, zones, _placed(stored, but=coral_id))


@dataclass(frozen=True, slots=True)
class Effect:
    """What a coral would do to its neighbours at the site that it would be sent to.

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
    """What sending a coral to each zone would do to the others, by the key of the zone."""
    others = _placed(stored, but=coral_id)
    card = stored.coral(coral_id).value.card
    if not others:
        return {}
    points = np.array([(o.x, o.y, o.depth) for o in others])
    tank = stored.lit_tank(but=coral_id)
    before = par_at(tank, fixtures, points)
    result = {}
    for fit in found:
        place = site_of(fit)
        shaded: tuple[tuple[str, float, float], ...] = ()
        if stored.tank.colony_shade:
            under = replace(tank, colonies=(*tank.colonies, Colony(*place, 0.5 * card.size)))
            after = par_at(under, fixtures, points)
            readings = zip(others, before, after, strict=True)
            shaded = tuple((o.card.name, float(b), float(a)) for o, b, a in readings if a < SHADED * b)
        result[fit.zone.key] = Effect(tuple(o.card.name for o in stung(card, place, others)), shaded)
    return result


def site_of(fit: ZoneFit) -> tuple[float, float, float]:
    """Where a coral goes that is sent to a zone: its best site, or the middle of the zone when no site fits [m]."""
    points, at = fit.zone.points, fit.best
    if at is None:
        at = int(np.linalg.norm(points - points.mean(axis=0), axis=1).argmin())
    x, y, depth = (float(v) for v in points[at])
    return x, y, depth


def resting_place(tank: Tank, x: float, y: float) -> tuple[float, float, float]:
    """Where a coral let go over (x, y) comes to rest: the highest rock top there, or the sand [m].

    ``InvalidInput`` when it is outside the tank or over rock that stands out of the water.
    """
    rules = Rules()
    rules.between("x", x, 0.0, tank.length, "length")
    rules.between("y", y, 0.0, tank.width, "length")
    depths = [box.top for box in tank.boxes() if box.covers(x, y)]
    depth = min([tank.sand_depth, *depths])
    rules.that(depth > 0, "y", "is rock that stands out of the water: nothing can sit there")
    rules.finish()
    return x, y, depth


def add_coral(db: Database, tank_id: int, card: CoralCard) -> int:
    """Add a coral that waits for a place; returns its id."""
    with db.writing() as connection:
        check_count("corals", len(load_tank(connection, tank_id).corals) + 1)
        edit = Edit(connection, tank_scope(tank_id), f"add {card.name}")
        return edit.insert("corals", {"tank_id": tank_id, **rows.coral_row(Coral(card))})


def change_card(db: Database, tank_id: int, coral_id: int, card: CoralCard) -> None:
    """Change what is known of a coral; its place stays."""
    with db.writing() as connection:
        coral = load_tank(connection, tank_id).coral(coral_id).value
        edit = Edit(connection, tank_scope(tank_id), f"change {card.name}")
        edit.update("corals", coral_id, rows.coral_row(replace(coral, card=card)))


def place_coral(db: Database, tank_id: int, coral_id: int, place: tuple[float, float, float] | None) -> None:
    """Put a coral somewhere, or take it back to those that wait; any place in the water is allowed."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        coral = stored.coral(coral_id).value
        moved = Coral(coral.card, place)
        replace(stored.scene(), corals=(moved,))
        verb = "take up" if place is None else "place" if coral.place is None else "move"
        edit = Edit(connection, tank_scope(tank_id), f"{verb} {coral.card.name}")
        edit.update("corals", coral_id, rows.coral_row(moved))


def send_to_zone(
    db: Database, tank_id: int, coral_id: int, zone_key: str, fixtures: Sequence[Fixture]
) -> tuple[float, float, float]:
    """Put a coral on the best site of a zone, or in its middle when no site fits; returns the place."""
    with db.reading() as connection:
        stored = load_tank(connection, tank_id)
    rules = Rules()
    found = [fit for fit in fits(stored, fixtures, coral_id) if fit.zone.key == zone_key]
    rules.that(bool(found), "zone", "is no longer there: the light or the rock has changed")
    rules.finish()
    place = site_of(found[0])
    place_coral(db, tank_id, coral_id, place)
    return place


def remove_coral(db: Database, tank_id: int, coral_id: int) -> None:
    """Take a coral out of the books."""
    with db.writing() as connection:
        coral = load_tank(connection, tank_id).coral(coral_id).value
        Edit(connection, tank_scope(tank_id), f"remove {coral.card.name}").delete("corals", coral_id)


def _placed(stored: StoredTank, *, but: int) -> list[PlacedCoral]:
    def one(kept: Kept[Coral]) -> PlacedCoral | None:
        place = kept.value.place
        return None if place is None or kept.id == but else PlacedCoral(kept.id, kept.value.card, *place)

    return [placed for kept in stored.corals if (placed := one(kept))]


def _flow_at(tank: Tank, place: tuple[float, float, float]) -> str:
    x, y, depth = place
    for box in tank.boxes():
        if box.covers(x, y) and abs(box.top - depth) < 0.02:
            return box.flow
    return tank.sand_flow if depth > tank.sand_depth - 0.02 else ""

"""Target zones: drawn, redrawn, changed and deleted; and how well a setup meets them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules
from corlume.core.judging.target_zones import TargetZone, ZoneLight, zone_errors, zone_light
from corlume.core.judging.targets import LightTargets
from corlume.core.keeping.scene import Scene
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.schema import most_of
from corlume.services.light.fields import par_at
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import WANTED
from corlume.store.tanks import StoredTank, load_tank

Purpose = Literal["sps", "lps", "low_light"]
PURPOSES: dict[Purpose, str] = {"sps": "SPS", "lps": "LPS and soft", "low_light": "Low light"}
"""What a zone can be drawn for; its light can be typed over afterwards."""
LOW_LIGHT = (10.0, 50.0)
"""Light for low-light animals; common practice, no source [umol/m2/s]."""


def light_for(targets: LightTargets, purpose: Purpose) -> tuple[float, float]:
    """Target range of a purpose, by the keeper's own bands."""
    match purpose:
        case "sps":
            return targets.sps_low, targets.sps_high
        case "lps":
            return targets.lps_low, targets.lps_high
        case "low_light":
            return LOW_LIGHT


Box = tuple[float, float, float, float, float, float]
"""x, y, length, width, top and bottom of a zone [m]."""


def draw_zone(db: Database, tank_id: int, purpose: Purpose, box: Box) -> int:
    """Add a zone for a purpose; returns its id.

    What reaches over a pane is cut off there, as a hand that draws does not stop on the millimetre.
    """
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        used = {kept.value.name for kept in stored.wanted}
        name = next(n for k in range(1, 1000) if (n := f"{PURPOSES[purpose]} {k}") not in used)
        x, y, length, width, top, bottom = _cut(stored.tank, box)
        low, high = light_for(stored.targets, purpose)
        zone = TargetZone(name, x, y, length, width, top, bottom, low, high)
        _check(stored, zone, None)
        edit = Edit(connection, tank_scope(tank_id), f"draw zone {name}")
        return WANTED.insert(edit, zone, tank_id)


def _cut(tank: Tank, box: Box) -> Box:
    x, y, length, width, top, bottom = box
    x0, x1 = max(0.0, x), min(tank.length, x + length)
    y0, y1 = max(0.0, y), min(tank.width, y + width)
    return x0, y0, x1 - x0, y1 - y0, max(0.0, top), min(tank.water_depth, bottom)


def save_zone(db: Database, tank_id: int, zone_id: int, zone: TargetZone) -> None:
    """Change a zone; ``InvalidInput`` names the field alone."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        kept = stored.zone(zone_id)
        _check(stored, zone, zone_id)
        if kept.value != zone:
            edit = Edit(connection, tank_scope(tank_id), f"change zone {zone.name}")
            WANTED.update(edit, zone_id, zone)


def remove_zone(db: Database, tank_id: int, zone_id: int) -> None:
    """Delete a zone."""
    with db.writing() as connection:
        stored, rules = load_tank(connection, tank_id), Rules()
        name = stored.zone(zone_id).value.name
        meant = next((s.name for s in stored.setups if s.intent.purpose == "zones"), None)
        rules.that(
            meant is None or len(stored.wanted) > 1,
            "zone",
            f"is the last one, and the setup {meant} has the goal target zones: change that first",
        )
        rules.finish()
        WANTED.delete(Edit(connection, tank_scope(tank_id), f"delete zone {name}"), zone_id)


def _check(stored: StoredTank, zone: TargetZone, zone_id: int | None) -> None:
    rules = Rules()
    others = [kept.value.name for kept in stored.wanted if kept.id != zone_id]
    rules.that(zone.name not in others, "name", "is taken by another zone")
    most = most_of(Scene, "wanted")
    rules.that(len(others) < most, "name", f"is one too many: at most {most} zones")
    rules.errors += [replace(e, field=e.field.removeprefix("wanted.0.")) for e in zone_errors(stored.tank, [zone])]
    rules.that(
        bool(rules.errors) or len(zone.points(stored.tank)) > 0,
        "x",
        "is within rock: no coral can be placed in this zone",
    )
    rules.finish()


def zones_met(stored: StoredTank, fixtures: Sequence[Fixture]) -> list[ZoneLight]:
    """How well a setup meets every target zone that holds any water."""
    tank = replace(stored.tank, colonies=(), plates=())  # corals do not change where one can sit
    held = [(kept.value, points) for kept in stored.wanted if len(points := _points(tank, kept.value))]
    if not held:
        return []
    par = par_at(stored.lit_tank(), fixtures, np.concatenate([points for _, points in held]))
    parts = np.split(par, np.cumsum([len(points) for _, points in held])[:-1])
    return [zone_light(zone, part) for (zone, _), part in zip(held, parts, strict=True)]


@lru_cache(maxsize=64)
def _points(tank: Tank, zone: TargetZone) -> NDArray[np.float64]:
    return zone.points(tank)

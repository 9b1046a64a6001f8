"""A tank in three dimensions as one compact answer: a list of what there is, and arrays of corners and PAR."""

from __future__ import annotations

import datetime
import json
import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.formats.measure import Measure
from corlume.services.keeping.coral_types import lives_off_food, type_of
from corlume.services.keeping.surveys import latest_readings
from corlume.services.light.points import same_tank
from corlume.services.light.tank_model import WaterGrid, lit_surface, water_grid
from corlume.services.placement.growth import MONTHS, grown
from corlume.services.placement.zone_placement import coral_light, coral_places
from corlume.store.database import Database
from corlume.store.tanks import StoredSetup, StoredTank

STREAM = 0.35
"""A stream is drawn so long, whatever its speed [m]."""


def pack(model: Mapping[str, Any], arrays: Mapping[str, NDArray[Any]]) -> bytes:
    """The length of a list, the list as JSON, and the arrays as 4-byte numbers, each at a multiple of 4 bytes."""
    data = {name: np.ascontiguousarray(a, dtype="<u4" if a.dtype.kind in "ui" else "<f4") for name, a in arrays.items()}
    listed, start = dict[str, tuple[str, int, int]](), 0
    for name, values in data.items():
        listed[name] = values.dtype.str[1:], start, values.size
        start += values.nbytes
    text = b""
    while True:  # the list tells where the arrays start, which goes by its own length
        base = 4 + len(text)
        places = {k: {"type": sort, "start": base + first, "count": n} for k, (sort, first, n) in listed.items()}
        again = _listed(model, places, len(text))
        if len(again) == len(text):
            return len(text).to_bytes(4, "little") + again + b"".join(values.tobytes() for values in data.values())
        text = again


def _listed(model: Mapping[str, Any], arrays: Mapping[str, Any], least: int) -> bytes:
    """The list as JSON, with spaces to a multiple of 4 bytes and to a least length."""
    text = json.dumps({"model": model, "arrays": arrays}, allow_nan=False).encode()
    return text + b" " * max(-len(text) % 4, least - len(text))


def tank_in_three(db: Database, stored: StoredTank, setup: StoredSetup, today: datetime.date) -> bytes:
    """Everything that the 3D view of a setup shows but a surface of equal PAR."""
    tank = same_tank(stored.lit_tank())
    mesh, par = lit_surface(tank, setup.hung)
    grid: WaterGrid = water_grid(tank, setup.hung)
    most = 1.02 * max(float(par.max(initial=0.0)), float(np.nanmax(grid.par, initial=0.0)), stored.targets.sps_high)
    bands = [
        {"key": band.key, "low": band.low, "high": band.high if math.isfinite(band.high) else None}
        for band in stored.targets.bands()
    ]
    model = {
        "tank": {
            "length": tank.length, "width": tank.width, "depth": tank.water_depth, "rim": tank.rim_height,
            "index": tank.water.index,
        },
        "bands": bands,
        "most": most,
        "months": MONTHS,
        "fixtures": [_fixture(k, fixture) for k, fixture in enumerate(setup.hung)],
        "corals": _corals(stored, setup, today),
        "pumps": [
            {"place": list(one.value.place), "way": _way(one.value.direction), "reach": STREAM} for one in stored.pumps
        ],
        "readings": [{"place": list(s.place), "par": round(value)} for s, value in latest_readings(db, stored.id)],
    }  # fmt: skip
    arrays = {
        "corners": mesh.corners, "normals": mesh.normals, "par": par, "triangles": mesh.triangles.ravel(),
        "xs": grid.x, "ys": grid.y, "depths": grid.depth, "water": grid.par,
    }  # fmt: skip
    return pack(model, arrays)


def in_words(stored: StoredTank, setup: StoredSetup, measure: Measure) -> list[str]:
    """What the 3D view shows, in words: where fixtures hang, and the light of every placed coral."""
    found = [
        f"{letter(k)} {f.name}: {measure.place(f.emitter.x)} from left, {measure.place(f.emitter.y)} from front, "
        f"{measure.length(f.emitter.height)} above the water, {100 * f.output:.0f} %"
        for k, f in enumerate(setup.hung)
    ]
    light = coral_light(stored, setup.hung)
    for number, kept in enumerate(stored.corals, 1):
        if kept.id in light:
            card, place = kept.value.card, kept.value.place
            assert place is not None
            found.append(
                f"{number} {card.name}: {light[kept.id]:.0f} PAR, {measure.place(place.x)} from left, "
                f"{measure.place(place.y)} from front, {measure.length(place.depth)} deep"
            )
    return found


def _way(direction: NDArray[np.float64]) -> list[float]:
    """A direction along x, y and depth as x right, y back and z up."""
    return [float(direction[0]), float(direction[1]), -float(direction[2])]


def _fixture(number: int, fixture: Fixture) -> dict[str, Any]:
    e = fixture.emitter
    return {
        "letter": letter(number), "name": fixture.name, "x": e.x, "y": e.y, "height": e.height, "length": e.length,
        "width": e.width, "turn": e.turn, "fwhm": e.fwhm, "output": fixture.output,
    }  # fmt: skip


def _corals(stored: StoredTank, setup: StoredSetup, today: datetime.date) -> list[dict[str, Any]]:
    light = coral_light(stored, setup.hung)
    ids, places = coral_places(stored)
    ways: Sequence[Sequence[float]] = [[0.0, 0.0, 1.0]] * len(ids)
    if places is not None and places.normals is not None:
        ways = places.normals.tolist()
    bodies = grown(stored, today)
    facing, found = dict(zip(ids, ways, strict=True)), []
    for number, kept in enumerate(stored.corals, 1):
        coral, card = kept.value, kept.value.card
        if coral.place is None:
            continue
        kind, par, body = type_of(stored, card), light[kept.id], bodies[kept.id]
        state = "weak" if par < card.par_low else "strong" if par > card.par_high else "inside"
        found.append({
            "id": kept.id, "number": number, "name": card.name, "place": list(coral.place), "way": facing[kept.id],
            "form": kind.form if kind else "mound", "across": body.across, "height": body.high,
            "sweepers": card.sweepers if body.sweep[-1] else 0.0, "par": round(par),
            "state": "fed" if lives_off_food(stored, card) else state,
        })  # fmt: skip
    return found

"""Faults of a light map by their names, and what would help."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest
from starlette.testclient import TestClient

from corlume.core.scene import Fixture
from corlume.core.units import DEGREE
from corlume.services.diagnosis import find_faults
from corlume.store.tanks import StoredTank
from tests.ruled import CLUSTER


def lamps(*places: float, height: float = 0.12, **changes: float) -> list[Fixture]:
    emitter = replace(CLUSTER.parts[0].emitter, y=0.3, height=height, fwhm=60 * DEGREE, **changes)  # type: ignore[arg-type]
    return [Fixture(replace(emitter, x=x), watts=115.0) for x in places]


def test_fatal_hot_spot_is_named_and_raising_helps(stored: StoredTank) -> None:
    now, found = find_faults(stored, [replace(f, emitter=replace(f.emitter, fwhm=30 * DEGREE)) for f in lamps(0.61)])
    assert now is not None
    spot = next(f for f in found if f.fault.key == "hot_spot")
    assert spot.fault.place == pytest.approx((0.61, 0.3), abs=0.05)
    lifted = next(r for r in spot.remedies if r.words.startswith("Raise"))
    assert lifted.figures.hottest.par < now.hottest.par  # type: ignore[union-attr]


def test_overlap_gaps_spill_and_glass_are_told_apart(stored: StoredTank) -> None:
    def keys(fixtures: list[Fixture]) -> set[str]:
        return {f.fault.key for f in find_faults(stored, fixtures)[1]}

    middle = [replace(f, emitter=replace(f.emitter, fwhm=110 * DEGREE)) for f in lamps(0.45, 0.75, height=0.25)]
    assert "overlap" in keys(middle)
    assert "gaps" in keys(lamps(0.2, 1.0))
    assert "corners" in keys(lamps(0.61))
    assert "spill" in keys(
        [replace(f, emitter=replace(f.emitter, fwhm=140 * DEGREE)) for f in lamps(0.3, 0.9, height=0.6)]
    )
    assert "front" in keys([replace(f, emitter=replace(f.emitter, y=0.05, fwhm=110 * DEGREE)) for f in lamps(0.6)])
    assert find_faults(stored, [replace(f, output=0.0) for f in middle]) == (None, [])


def test_faults_are_told_with_what_would_help(client: TestClient) -> None:
    faults = client.get("/tanks/1/hang/faults?setup=1", headers={"Content-Type": "application/json"})
    assert "What would help" in json.dumps(faults.json())

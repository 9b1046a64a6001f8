"""Faults of a light map by their names, and what would help."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest
from starlette.testclient import TestClient

from corlume.core.scene import Fixture
from corlume.core.units import DEGREE
from corlume.core.verdicts import Figures
from corlume.reference.catalogue import fixture_kinds
from corlume.services.diagnosis import find_faults
from corlume.services.predict import figures, surface_par
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


def test_remedies_figures_are_those_of_the_setup_after_the_move(stored: StoredTank) -> None:
    setup = lamps(0.45, 0.75, height=0.25)
    _, found = find_faults(stored, setup)
    remedies = {remedy.words: remedy.figures for finding in found for remedy in finding.remedies}

    def judged(fixtures: list[Fixture]) -> Figures:
        return figures(stored.tank, fixtures, stored.targets, stored.running)

    def moved(**by: float) -> list[Fixture]:
        return [
            replace(f, emitter=replace(f.emitter, **{k: getattr(f.emitter, k) + v for k, v in by.items()}))
            for f in setup
        ]

    assert remedies["Raise all by {lift}"] == judged(moved(height=0.08))
    assert remedies["Move the outer modules out by {aside}"] == judged([moved(x=-0.06)[0], moved(x=0.06)[1]])
    wide = [replace(f, emitter=replace(f.emitter, fwhm=120 * DEGREE, lobe=None)) for f in setup]
    assert remedies["Take the lenses out, 120 degrees"] == judged(wide)


def test_what_the_room_does_not_allow_is_no_remedy(stored: StoredTank) -> None:
    low = replace(stored, tank=replace(stored.tank, room_height=0.3))
    _, found = find_faults(low, lamps(0.61, height=0.25))
    assert found
    assert not any(remedy.words.startswith("Raise") for finding in found for remedy in finding.remedies)


def test_short_tubes_leave_the_ends_and_too_low_a_mount_is_told(stored: StoredTank) -> None:
    tube = fixture_kinds()["t5-24"].parts[0]
    tubes = [replace(tube, emitter=replace(tube.emitter, x=0.61, y=y, height=0.15)) for y in (0.15, 0.3, 0.45)]
    faults = {f.fault.key: f.fault for f in find_faults(stored, tubes)[1]}
    assert faults["short_tubes"].lengths["bare"] == pytest.approx(0.61 - 0.275, abs=1e-3)
    assert "short_tubes" not in keys_of(stored, [replace(t, emitter=replace(t.emitter, length=1.15)) for t in tubes])
    hot = lamps(0.3, 0.9, height=0.1)
    assert "too_low" in keys_of(stored, hot)
    assert "too_low" not in keys_of(stored, [replace(f, emitter=replace(f.emitter, height=0.5)) for f in hot])


def test_low_places_and_lps_tanks_can_have_too_much(stored: StoredTank) -> None:
    bright = [replace(f, emitter=replace(f.emitter, fwhm=110 * DEGREE)) for f in lamps(0.3, 0.9, height=0.25)]
    faults = {f.fault.key: f.fault for f in find_faults(stored, bright)[1]}
    sand = surface_par(stored.tank, bright)[-1].mean()
    assert sand > stored.targets.lps_high
    assert f"read {sand:.0f} PAR" in faults["low_places"].found
    assert "low_places" not in keys_of(stored, [replace(f, output=0.3) for f in bright])
    # an SPS tank wants light for SPS down there as well, and an LPS tank too much of it nowhere
    sps, lps = (replace(stored, targets=replace(stored.targets, goal=goal)) for goal in ("sps", "lps"))
    assert not {"low_places", "too_much"} & keys_of(sps, bright)
    assert "too_much" in keys_of(lps, bright)
    assert "too_much" not in keys_of(lps, [replace(f, output=0.3) for f in bright])


def keys_of(stored: StoredTank, fixtures: list[Fixture]) -> set[str]:
    return {finding.fault.key for finding in find_faults(stored, fixtures)[1]}


def test_only_what_mends_a_fault_is_offered_for_it(stored: StoredTank) -> None:
    setup = [replace(f, emitter=replace(f.emitter, fwhm=110 * DEGREE)) for f in lamps(0.45, 0.75, height=0.25)]
    _, found = find_faults(stored, setup)
    overlap = next(finding for finding in found if finding.fault.key == "overlap")
    assert overlap.fault.severity == pytest.approx(1 - judged_evenness(stored, setup))
    words = [remedy.words for remedy in overlap.remedies]
    assert "Move the outer modules out by {aside}" in words
    assert "Turn the middle down by a fifth" not in words  # nothing hangs between the two
    three = [replace(f, output=o) for f, o in zip(lamps(0.2, 0.61, 1.02, height=0.25), (0.5, 1.0, 0.5), strict=True)]
    after = next(f for f in find_faults(stored, three)[1] if f.fault.key == "overlap")
    assert "Turn the middle down by a fifth" in [remedy.words for remedy in after.remedies]
    for remedy in overlap.remedies:
        left = 1 - remedy.figures.evenness
        assert remedy.mends(overlap.fault) == ("gone" if remedy.figures.evenness >= 0.75 else "less")
        assert left < overlap.fault.severity


def judged_evenness(stored: StoredTank, fixtures: list[Fixture]) -> float:
    return figures(stored.tank, fixtures, stored.targets, stored.running).evenness

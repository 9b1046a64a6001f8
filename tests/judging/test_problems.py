"""Faults of a light map by their names, and what would help."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from starlette.testclient import TestClient

from corlume.core.judging.intent import BY_STOCKING, Intent
from corlume.core.light.fixture import Fixture
from corlume.core.light.flux_budget import flux_budget
from corlume.core.light.geometry import Brace, Rock
from corlume.core.units import DEGREE
from corlume.formats.measure import LengthUnit, Measure
from corlume.formats.round_steps import STEPS
from corlume.reference.catalogue import catalogue
from corlume.services.judging.suggested_changes import SLIDERS, ProblemReport, SuggestedChange, problems_of
from corlume.services.keeping import hung_fixtures, tanks
from corlume.services.light.fields import surface_par
from corlume.store.database import Database
from corlume.store.tanks import StoredTank
from tests.ruled import CLUSTER


def lamps(*places: float, height: float = 0.12, **changes: float) -> list[Fixture]:
    emitter = replace(CLUSTER.parts[0].emitter, y=0.3, height=height, fwhm=60 * DEGREE, **changes)  # type: ignore[arg-type]
    return [Fixture(replace(emitter, x=x), watts=115.0) for x in places]


def found_in(stored: StoredTank, fixtures: list[Fixture], intent: Intent = BY_STOCKING) -> ProblemReport:
    return problems_of(stored, fixtures, intent)


def keys_of(stored: StoredTank, fixtures: list[Fixture], intent: Intent = BY_STOCKING) -> set[str]:
    return {finding.fault.key for finding in found_in(stored, fixtures, intent).findings}


def remedies(found: ProblemReport) -> dict[str, SuggestedChange]:
    return {remedy.key: remedy for remedy in found.remedies}


def test_fatal_hot_spot_is_named_and_raising_helps(stored: StoredTank) -> None:
    hot = [replace(f, emitter=replace(f.emitter, fwhm=30 * DEGREE)) for f in lamps(0.61)]
    found = found_in(stored, hot)
    assert found.now is not None
    spot = next(f for f in found.findings if f.fault.key == "hot_spot")
    assert spot.fault.place == pytest.approx((0.61, 0.3), abs=0.05)
    assert "raise" in spot.remedies
    lifted = remedies(found)["raise"]
    assert lifted.figures.hottest.par < found.now.hottest.par  # type: ignore[union-attr]
    # "no slider mends this": and none is offered
    assert not {"dim", "brighten"} & set(spot.remedies)


def test_overlap_gaps_spill_and_glass_are_told_apart(stored: StoredTank) -> None:
    middle = [replace(f, emitter=replace(f.emitter, fwhm=110 * DEGREE)) for f in lamps(0.45, 0.75, height=0.25)]
    assert "overlap" in keys_of(stored, middle)
    assert "gaps" in keys_of(stored, lamps(0.2, 1.0))
    assert "corners" in keys_of(stored, lamps(0.61))
    assert "spill" in keys_of(
        stored, [replace(f, emitter=replace(f.emitter, fwhm=140 * DEGREE)) for f in lamps(0.3, 0.9, height=0.6)]
    )
    front = [replace(f, emitter=replace(f.emitter, y=0.05, fwhm=110 * DEGREE)) for f in lamps(0.6)]
    assert "front" in keys_of(stored, front)
    assert found_in(stored, [replace(f, output=0.0) for f in middle]) == ProblemReport(None)


def test_faults_are_told_and_a_remedy_is_tried_with_one_click(client: TestClient, db: Database) -> None:
    html = client.get("/tanks/1/layout/faults?setup=1", headers={"Content-Type": "application/json"}).json()["html"]
    keys = re.findall(r"/tanks/1/layout/try/(\w+)\?setup=1", html)
    assert len(keys) == len(set(keys)) > 0  # each once
    told = problems_of(tanks.open_tank(db, 1), tanks.open_tank(db, 1).setup(1).hung, BY_STOCKING)
    chart = client.post(f"/tanks/1/layout/try/{keys[0]}?setup=1").headers["location"]
    tried = tanks.open_tank(db, 1).setup(int(chart.split("=")[1]))
    assert tuple(tried.hung) == remedies(told)[keys[0]].fixtures
    assert client.post("/tanks/1/layout/try/pray?setup=1").status_code == 404


@pytest.mark.parametrize("unit", ["cm", "in"])
def test_remedies_are_true_when_they_are_done(stored: StoredTank, unit: LengthUnit) -> None:
    # the figures, and the faults that are gone, eased and new, are those of the setup after the move
    for setup in (lamps(0.45, 0.75, height=0.25), lamps(0.2, 1.0), lamps(0.61, height=0.2)):
        found = problems_of(stored, setup, BY_STOCKING, STEPS[unit])
        before = {finding.fault.key: finding.fault for finding in found.findings}
        assert found.remedies
        for remedy in found.remedies:
            after = problems_of(stored, remedy.fixtures, BY_STOCKING, STEPS[unit])
            assert after.now == remedy.figures
            left = {finding.fault.key: finding.fault for finding in after.findings}
            gone = {key for key, how in remedy.eases.items() if how == "gone"}
            assert gone == set(before) - set(left) - ({"hot_spot"} if remedy.key in SLIDERS else set())
            assert {fault.title for key, fault in left.items() if key not in before} == set(remedy.brings)
            eased = {key for key, how in remedy.eases.items() if how == "less"}
            assert all(left[key].severity < before[key].severity for key in eased)
            # and nothing is offered that eases no fault
            assert remedy.eases


def test_steps_of_remedies_are_round_in_the_keepers_unit(stored: StoredTank) -> None:
    setup = lamps(0.45, 0.75, height=0.25)
    for unit, words in (("cm", "Raise all by 8 cm"), ("in", "Raise all by 3 in")):
        lifted = remedies(problems_of(stored, setup, BY_STOCKING, STEPS[unit]))["raise"]  # type: ignore[index]
        assert Measure(unit).fill(lifted.words, lifted.lengths) == words  # type: ignore[arg-type]
        assert lifted.fixtures[0].emitter.height - 0.25 == pytest.approx(STEPS[unit].lift)  # type: ignore[index]


def test_a_canopy_too_low_says_by_how_much_it_must_rise(stored: StoredTank) -> None:
    low = replace(stored, tank=replace(stored.tank, room_height=0.4))
    setup = lamps(0.61, height=0.25)
    lifted = remedies(found_in(low, setup))["raise"]
    assert lifted.short == pytest.approx(0.25 + 0.08 + 0.10 - 0.40)  # face, step and a body of 10 cm, under 40 cm
    assert remedies(found_in(stored, setup))["raise"].short == 0


def test_short_tubes_leave_the_ends_and_too_low_a_mount_is_told(stored: StoredTank) -> None:
    tube = catalogue()["t5-24"].parts[0]
    tubes = [replace(tube, emitter=replace(tube.emitter, x=0.61, y=y, height=0.15)) for y in (0.15, 0.3, 0.45)]
    faults = {f.fault.key: f for f in found_in(stored, tubes).findings}
    short = faults["short_tubes"]
    assert short.fault.lengths["bare"] == pytest.approx(0.61 - 0.275, abs=1e-3)
    assert "short_tubes" not in keys_of(stored, [replace(t, emitter=replace(t.emitter, length=1.15)) for t in tubes])
    # a fault without a remedy says why, and one with a remedy does not, whatever fault that was made for
    for finding in faults.values():
        assert bool(finding.remedies) != bool(finding.why)
        eased = {remedy.key for remedy in found_in(stored, tubes).remedies if finding.fault.key in remedy.eases}
        assert set(finding.remedies) == eased
    hot = lamps(0.3, 0.9, height=0.1)
    assert "too_low" in keys_of(stored, hot)
    assert "too_low" not in keys_of(stored, [replace(f, emitter=replace(f.emitter, height=0.5)) for f in hot])


def test_too_much_and_too_little_are_told_by_what_the_setup_is_meant_for(stored: StoredTank) -> None:
    bright = [replace(f, emitter=replace(f.emitter, fwhm=110 * DEGREE)) for f in lamps(0.3, 0.9, height=0.25)]
    faults = {f.fault.key: f.fault for f in found_in(stored, bright).findings}
    sand = found_in(stored, bright).now.parts[-1].light.mean  # type: ignore[union-attr]
    assert sand == pytest.approx(surface_par(stored.tank, bright)[-1].mean(), rel=0.02)
    assert sand > stored.targets.lps_high
    assert f"read {sand:.0f} PAR" in faults["low_places"].found
    assert "low_places" not in keys_of(stored, [replace(f, output=0.3) for f in bright])
    # an SPS tank wants light for SPS down there as well, and an LPS tank too much of it nowhere
    sps, lps = (replace(stored, targets=replace(stored.targets, stocking=goal)) for goal in ("sps", "lps"))
    assert not {"low_places", "too_strong"} & keys_of(sps, bright)
    assert "too_strong" in keys_of(lps, bright)
    assert keys_of(lps, bright) == keys_of(sps, bright, Intent("lps"))
    dim = [replace(f, output=0.3) for f in bright]
    assert "too_strong" not in keys_of(lps, dim)
    assert "too_weak" in keys_of(sps, dim)
    # nor does an LPS tank need a blanket
    assert not {"overlap", "lopsided", "dark_middle"} & keys_of(lps, [bright[0]])
    assert "lopsided" in keys_of(sps, [bright[0]])
    assert "lopsided" not in keys_of(sps, [bright[0]], Intent("strong_left"))


def test_only_what_mends_a_fault_is_offered_for_it(stored: StoredTank) -> None:
    setup = [replace(f, emitter=replace(f.emitter, fwhm=110 * DEGREE)) for f in lamps(0.45, 0.75, height=0.25)]
    found = found_in(stored, setup)
    overlap = next(finding for finding in found.findings if finding.fault.key == "overlap")
    assert overlap.fault.severity == pytest.approx(1 - found.now.ends.share)  # type: ignore[union-attr]
    assert "spread" in overlap.remedies
    assert "dim_middle" not in overlap.remedies  # nothing hangs between the two
    three = [replace(f, output=o) for f, o in zip(lamps(0.2, 0.61, 1.02, height=0.25), (0.5, 1.0, 0.5), strict=True)]
    after = next(f for f in found_in(stored, three).findings if f.fault.key == "overlap")
    assert "dim_middle" in after.remedies
    for key in overlap.remedies:
        remedy = remedies(found)[key]
        assert 1 - remedy.figures.ends.share < overlap.fault.severity
        assert remedy.eases["overlap"] == ("gone" if remedy.figures.ends.share >= 0.75 else "less")


def test_a_setup_tried_is_named_by_its_move_without_slots(client: TestClient, db: Database) -> None:
    setup = tanks.open_tank(db, 1).setup(1)
    dim = {kept.id: {"output": 0.1} for kept in setup.fixtures}
    hung_fixtures.change_fixtures(db, 1, 1, dim)
    found = problems_of(tanks.open_tank(db, 1), tanks.open_tank(db, 1).setup(1).hung, BY_STOCKING)
    assert "brighten" in remedies(found)
    chart = client.post("/tanks/1/layout/try/brighten?setup=1").headers["location"]
    tried = tanks.open_tank(db, 1).setup(int(chart.split("=")[1]))
    assert tried.name == "LED only, as it hangs: turn all up"
    after = problems_of(tanks.open_tank(db, 1), tried.hung, BY_STOCKING)
    assert "too_weak" not in {finding.fault.key for finding in after.findings}


def test_one_rock_does_not_hide_a_dark_corner(stored: StoredTank) -> None:
    # a rock that reaches up into the light just under the surface stands in the darkest corner
    corner = Rock(0.0, 0.0, 0.0, 0.05, 0.05, 0.5, "Needle")
    rocky = replace(stored, tank=replace(stored.tank, rocks=(corner,)))
    assert "corners" in keys_of(stored, lamps(0.61))
    faults = {f.fault.key: f.fault for f in found_in(rocky, lamps(0.61)).findings}
    assert "Front left" in faults["corners"].found or "front left" in faults["corners"].found
    told = re.search(r"down to (\d+) % of the mean", faults["corners"].found)
    assert told
    assert int(told[1]) < 35
    assert int(told[1]) == pytest.approx(100 * (1 - faults["corners"].severity), abs=1)


def test_lamp_over_a_brace_is_told_what_the_brace_takes(stored: StoredTank) -> None:
    braced = replace(stored, tank=replace(stored.tank, braces=(Brace(0.57, 0.0, 0.08, 0.6),)))
    over = [replace(f, emitter=replace(f.emitter, fwhm=110 * DEGREE)) for f in lamps(0.61, height=0.15)]
    finding = next(f for f in found_in(braced, over).findings if f.fault.key == "brace")
    # by the budget of the very light, which the field is held against elsewhere
    entered, free = (flux_budget(tank, over[0].emitter).entered for tank in (braced.tank, stored.tank))
    assert finding.fault.severity == pytest.approx(1 - entered / free)
    assert "off_brace" in finding.remedies
    assert "brace" not in keys_of(stored, over)

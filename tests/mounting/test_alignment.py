"""What hangs as one and together: levelled, spaced, mirrored, moved clear, and read as by a tape."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.light.beam_optics import optic_on, optics_for, pieces, with_optic
from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture, overlaps
from corlume.core.light.geometry import Tank
from corlume.core.mounting.alignment import arrange, middle, move_clear, shifted
from corlume.core.mounting.glare import seen_by
from corlume.core.mounting.tape_measure import Tape, tape_of
from corlume.reference.catalogue import catalogue
from corlume.services.judging.judge import figures
from corlume.services.judging.lens_change import lens_change_effect
from corlume.services.keeping import hung_fixtures, tanks
from corlume.services.keeping.hung_units import collisions, units_of
from corlume.services.light.fields import slice_plane
from corlume.store.database import Database
from corlume.store.tables import Kept
from corlume.store.tanks import StoredSetup
from tests.ruled import RULED

MODULE = catalogue()["cluster"].parts[0]
PROBE = {"x": 0.5, "y": 0.3, "depth": 0.2}


def at(x: float, y: float, height: float = 0.3, **more: float) -> tuple[Fixture, ...]:
    return (replace(MODULE, emitter=replace(MODULE.emitter, x=x, y=y, height=height, **more)),)


def test_units_are_levelled_spaced_and_mirrored_as_said() -> None:
    """Over 1.2 m, by hand: the outer two at 0.2 and 1.0 stay, the one between goes to 0.6; balanced are quarters."""
    units = [at(1.0, 0.3, 0.25), at(0.2, 0.2, 0.3), at(0.5, 0.1, 0.2)]
    tank = replace(RULED, length=1.2)
    assert [u[0].emitter.height for u in arrange(tank, units, "level")] == [0.3] * 3
    assert [middle(u)[0] for u in arrange(tank, units, "even")] == pytest.approx([1.0, 0.2, 0.6])
    assert [middle(u)[0] for u in arrange(tank, units, "balanced")] == pytest.approx([0.9, 0.3, 0.6])
    assert [middle(u)[1] for u in arrange(tank, units, "line")] == pytest.approx([0.2] * 3)
    with pytest.raises(InvalidInput) as few:
        arrange(tank, units[:2], "even")
    assert few.value.errors[0].field == "arrange"


@pytest.mark.parametrize(("how", "axis"), [("mirror", 0), ("swap", 1)])
def test_mirrored_fixtures_throw_a_mirrored_light(how: str, axis: int) -> None:
    """Turned, rolled and pitched: PAR over a tank of equal panes is that of before, seen in a mirror."""
    tank = RULED  # its left and right, and its front and back panes are alike
    unit = at(0.3, 0.2, turn=0.4, roll=0.2, pitch=-0.25)
    there = arrange(tank, [unit], how)[0]  # type: ignore[arg-type]
    before, after = (slice_plane(tank, u, "plan", 0.25).par for u in (unit, there))
    assert np.flip(after, axis) == pytest.approx(before, rel=2e-3)


@given(x=st.floats(0.1, 1.1), y=st.floats(0.1, 0.5), dx=st.floats(-0.1, 0.1), dy=st.floats(-0.1, 0.1))
def test_the_move_that_mends_a_collision_mends_it(x: float, y: float, dx: float, dy: float) -> None:
    units = [at(x, y), at(min(1.2, max(0.0, x + dx)), min(0.6, max(0.0, y + dy)))]
    assert overlaps([u[0] for u in units])
    move = move_clear(RULED, units, 1)
    assert move
    assert not overlaps([units[0][0], *shifted(units[1], *move)])
    assert sum(map(bool, move)) == 1


@given(
    along=st.sampled_from(("left", "right")),
    to=st.sampled_from(("middle", "edge")),
    place=st.floats(0.0, 1.5),
    half=st.floats(0.01, 0.5),
)
def test_a_tape_reads_what_it_is_put_to(along: str, to: str, place: float, half: float) -> None:
    tape = tape_of(f"{along}.back.{to}")
    assert tape.place("x", tape.read("x", place, half, 1.5), half, 1.5) == pytest.approx(place)


def test_a_tape_from_the_right_to_the_near_edge_by_hand() -> None:
    """A body of 40 cm whose middle is 30 cm from the left of 150: its edge is 100 cm from the right pane."""
    assert Tape("right", "front", "edge").read("x", 0.3, 0.2, 1.5) == pytest.approx(1.0)
    assert tape_of("up.front") == Tape()


def test_chart_arranges_mends_and_reads_places_by_tape(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    ids = [kept.id for kept in stored.setup(1).fixtures]
    ask = {"probe": PROBE, "picked": ids}
    client.post(
        "/tanks/1/setups/1/fixtures", json={"probe": PROBE, "changes": {str(ids[0]): {"height": 0.3}}}
    ).raise_for_status()
    answer = client.post("/tanks/1/setups/1/arrange", json={**ask, "how": "level"}).raise_for_status().json()
    assert {k.value.emitter.height for k in tanks.open_tank(db, 1).setup(1).fixtures} == {0.3}
    assert answer["undo"] == "level 2 fixtures"
    assert "Group: A, B, C" in answer["panel"]
    tanks.undo(db, 1)
    # a frame of six parts is one unit, and is levelled as one
    first = client.post(
        "/tanks/1/setups/1/frame",
        data={"middle": "cluster", "count": "2", "long": "t5-54", "each_side": "2", "gap": "2"},
    ).headers["location"]
    frame = int(first.rpartition("=")[2])
    heights = [k.value.emitter.height for k in tanks.open_tank(db, 1).setup(1).fixtures if k.value.frame]
    client.post("/tanks/1/setups/1/arrange", json={"probe": PROBE, "picked": [ids[0], frame], "how": "level"})
    setup = tanks.open_tank(db, 1).setup(1)
    assert [len(unit.ids) for unit in units_of(setup)] == [1, 1, 1, 6]
    assert len({k.value.emitter.height for k in setup.fixtures if k.value.frame}) == len(set(heights))
    # two in one place: said, with the move that mends it
    e = setup.fixture(ids[0]).value.emitter
    body = {"probe": PROBE, "changes": {str(ids[1]): {"x": e.x + 0.02, "y": e.y, "height": e.height}}}
    notes = client.post("/tanks/1/setups/1/fixtures", json=body).json()["notes"]
    assert "A and B overlap" in notes
    found = collisions(stored.tank, tanks.open_tank(db, 1).setup(1))[0]
    hung_fixtures.change_fixtures(db, 1, 1, {found.other.id: found.place})
    left = collisions(stored.tank, tanks.open_tank(db, 1).setup(1))
    assert (ids[0], ids[1]) not in [(c.one.id, c.other.id) for c in left]
    # typed as a tape from the right pane to the near edge reads it
    client.post("/preferences", data={"back": "/tanks", "along": "right", "across": "back", "to": "edge"})
    body = {"probe": PROBE, "selected": ids[2], "changes": {str(ids[2]): {"at_x": "20"}}}
    answer = client.post("/tanks/1/setups/1/fixtures", json=body).raise_for_status().json()
    e = tanks.open_tank(db, 1).setup(1).fixture(ids[2]).value.emitter
    assert stored.tank.length - (e.x + e.half_extent()[0]) == pytest.approx(0.2)
    assert "From right, near edge" in answer["panel"]
    bad = client.post("/tanks/1/setups/1/fixtures", json={"probe": PROBE, "changes": {str(ids[2]): {"at_x": "wide"}}})
    assert bad.status_code == 422
    assert "at_x" in bad.json()["errors"]


def test_a_fixture_of_165_w_takes_55_lenses_and_two_spares() -> None:
    """Common practice, no source: 55 lenses, one or two to spare."""
    assert pieces(catalogue()["cluster"].parts[0].emitter, "60", 165.0) == (55, 2)


def test_other_lenses_say_what_they_do_before_they_are_put_on(client: TestClient, db: Database) -> None:
    """Three modules of 190 W: 63 LEDs of 3 W each, 189 in all, and seven to spare. Without lenses the light is
    that with them over 0.93.
    """
    stored = tanks.open_tank(db, 1)
    found = lens_change_effect(stored, stored.setup(1), 1, "none")
    assert (found.ids, found.pieces) == ((1, 2, 3), 0)
    assert found.flux == pytest.approx(1 / 0.93)
    narrow = lens_change_effect(stored, stored.setup(1), 1, "60")
    assert (narrow.pieces, narrow.spares) == (189, 7)
    assert narrow.before
    assert narrow.after
    assert narrow.after.spill < narrow.before.spill
    html = client.get("/tanks/1/setups/1/fixtures/1/front/60").json()["html"]
    assert "About 189 pieces and 7 spare" in html
    assert "corals would" in html
    assert client.get("/tanks/1/setups/1/fixtures/1/front/deep").status_code == 404
    # what is said is what comes of it
    hung_fixtures.change_fixtures(db, 1, 1, {i: {"lens": "60"} for i in narrow.ids})
    now = tanks.open_tank(db, 1)
    assert figures(now, now.setup(1).hung, now.setup(1).intent).mean == pytest.approx(narrow.after.mean)


def test_reflectors_of_tubes_and_halides_by_hand() -> None:
    """A tube loses 0.35 of 0.85 of its light with the reflector, and spreads; back on, all is as before."""
    tube = replace(catalogue()["t5-54"].parts[0].emitter, lobe=None)
    assert optic_on(tube) == "each"
    bare = with_optic(tube, "bare")
    assert bare.ppf == pytest.approx(tube.ppf * 0.5 / 0.85)
    assert bare.fwhm > tube.fwhm
    assert with_optic(bare, "each").ppf == pytest.approx(tube.ppf)
    halide = next(e for e in catalogue().values() if e.parts[0].emitter.made_by.arc).parts[0].emitter
    assert set(optics_for(halide)) == {"wide", "deep", "bare"}


def test_a_body_in_between_hides_a_lamp_from_the_eye() -> None:
    """A module at the back of the tank, seen level under its face: with a bar before it, at its own height and longer
    than it, nothing of it is left; beside it or with the eye over the faces, nothing is taken.
    """
    lamp, before = at(0.6, 0.45)[0], at(0.6, 0.15, 0.26)[0]
    bar = replace(before, emitter=replace(before.emitter, length=1.0))
    eye = (1.0, 0.26)
    alone = seen_by(RULED, [lamp], 0, eye, 0.1)
    assert alone > 0
    assert seen_by(RULED, [lamp, bar], 0, eye, 0.1) == 0
    aside = replace(bar, emitter=replace(bar.emitter, x=2.0))
    assert seen_by(RULED, [lamp, aside], 0, eye, 0.1) == pytest.approx(alone)
    assert seen_by(RULED, [lamp], 0, (1.0, 0.5), 0.1) == 0


@pytest.mark.parametrize(("dx", "dy"), [(0.0, 0.03), (0.0, -0.03), (0.04, 0.0), (-0.04, 0.0)])
def test_the_place_that_is_proposed_for_a_body_in_anothers_room_is_free(dx: float, dy: float) -> None:
    """A long bar goes to the front or the back, a short one to a side; the other way there would be less water."""
    size = {"length": 0.9, "width": 0.04} if dy else {"length": 0.05, "width": 0.5}
    tank, bar = Tank(1.5, 0.7, 0.5), Emitter("led_bar", 60.0, 2.0, x=0.7, y=0.35, height=0.2, **size)
    other = replace(bar, x=bar.x + dx, y=bar.y + dy)
    setup = StoredSetup(1, "Two", True, (Kept(1, Fixture(bar)), Kept(2, Fixture(other))))
    [found] = collisions(tank, setup)
    moved = replace(setup, fixtures=(setup.fixtures[0], Kept(2, Fixture(replace(other, **found.place)))))
    assert not collisions(tank, moved)
    assert found.place["height"] == bar.height
    assert (found.place["y"] - bar.y) * dy >= 0
    assert (found.place["x"] - bar.x) * dx >= 0

"""The use cases: what is remembered and recomputed, where things hang and come to rest, what is refused."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from corlume.core.errors import FieldError, InvalidInput
from corlume.core.judging.targets import SCHOOLS, LightTargets, school_of
from corlume.core.keeping.scene import Running, Scene, Setup, shaded
from corlume.core.light import field as core_field
from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture, overlaps
from corlume.core.light.geometry import Brace, Pane, Rock, Tank
from corlume.core.light.light_loss import light_loss_factor
from corlume.core.light.lobe import lobe_exponent, round_lobe, width_at_half
from corlume.core.light.penumbra import shadow_edge_width
from corlume.core.light.water import Water
from corlume.core.placement.coral import Coral, Placement
from corlume.core.schedule.day import Day, plain_block
from corlume.core.units import DEGREE
from corlume.formats.measure import Measure
from corlume.reference.catalogue import catalogue
from corlume.reference.spectrum_tables import weightings
from corlume.services.keeping import corals, hung_fixtures, setups, tanks
from corlume.services.light import fields, layers
from corlume.services.light.fields import par_at, slice_plane
from corlume.services.light.points import WaterPoint
from corlume.services.light.probe import light_quality, read_probe
from corlume.services.placement import zone_placement
from corlume.store.database import Database
from corlume.store.tables import NotFound
from tests.cards import coral_cards

FACE = Emitter("led_cluster", 200, 110 * DEGREE, 0.18, 0.14, 0.4, 0.3, 0.22)
TANK = Tank(1.0, 0.6, 0.5, rocks=(Rock(0.2, 0.2, 0.0, 0.2, 0.2, 0.3, "Pillar"), Rock(0.6, 0.2, 0.4, 0.2, 0.2, 0.12)))

TEN = Day(plain_block(10.0, None))


def faults(make: object, **values: object) -> dict[str, str]:
    """Fields and messages that an object of the core is refused with."""
    with pytest.raises(InvalidInput) as caught:
        make(**values)  # type: ignore[operator]
    return {e.field: Measure("cm").message(e) for e in caught.value.errors}


# ---- what the core refuses ----


def test_lobe_of_a_plain_face_is_lamberts() -> None:
    assert lobe_exponent(120 * DEGREE) == pytest.approx(1.0)
    for fwhm in (40, 90, 150):
        m = lobe_exponent(fwhm * DEGREE)
        assert np.cos(fwhm / 2 * DEGREE) ** m == pytest.approx(0.5)
        theta = np.linspace(0, np.pi / 2, 20_001)
        lobe = round_lobe(fwhm * DEGREE).intensity(np.cos(theta))
        flux = np.trapezoid(lobe * 2 * np.pi * np.sin(theta), theta)
        assert width_at_half(round_lobe(fwhm * DEGREE)) == pytest.approx(fwhm * DEGREE, abs=0.01)
        assert flux == pytest.approx(1.0, abs=1e-4)


def test_sources_keep_weight_and_centre_of_a_turned_face() -> None:
    sources = replace(FACE, length=1.1, width=0.05, turn=30 * DEGREE).sources()
    assert sources[:, 3].sum() == pytest.approx(1)
    assert sources[:, :2].T @ sources[:, 3] == pytest.approx([0.4, 0.3])
    assert np.ptp(sources[:, 0]) == pytest.approx(1.1 * np.cos(30 * DEGREE), rel=0.05)


def test_every_broken_rule_is_told_at_once_in_the_keepers_words() -> None:
    assert faults(Tank, length=0.0, width=12.0, water_depth=0.5, cover=float("nan")) == {
        "length": "must be from 10 cm to 500 cm, not 0 cm",
        "width": "must be from 10 cm to 500 cm, not 1200 cm",
        "cover": "must be from 5 % to 100 %, not a number without end",
    }
    assert faults(Water, cdom_absorption=-1.0, temperature=80.0) == {
        "cdom_absorption": "must be from 0 per m to 5 per m, not -1 per m",
        "temperature": "must be from 0 \u00b0C to 40 \u00b0C, not 80 \u00b0C",
    }
    assert faults(Tank, length=1.0, width=0.5, water_depth=0.5, rim_inset=0.3, sand=0.4).keys() == {"rim_inset", "sand"}
    assert (
        "over the tank"
        in faults(Tank, length=1.0, width=0.5, water_depth=0.5, braces=(Brace(0.9, 0, 0.3, 0.5),))["braces.0"]
    )
    assert (
        "over the rim"
        in faults(Tank, length=1, width=1, water_depth=0.5, rocks=(Rock(0, 0, 0, 0.1, 0.1, 0.9),))["rocks.0.height"]
    )
    assert faults(Pane, kind="mirror", factor=1.5) == {
        "kind": "must be glass or plain",
        "factor": "must be from 0 % to 100 %, not 150 %",
    }
    assert faults(Brace, x=0.5, y=0, length=-0.1, width=0.5)["length"].endswith("not -10 cm")
    assert faults(Fixture, emitter=FACE, output=0.5, dimmable=False)["output"].startswith("is on or off")
    assert faults(Running, hours=25.0, price=-1.0, currency="").keys() == {"hours", "price", "currency"}


def test_scene_refuses_what_does_not_belong_together() -> None:
    card = coral_cards()["Zoanthus"]
    outside = Coral(card, Placement(2.0, 0.3, 0.1))
    assert "corals.0.x" in faults(Scene, name="x", tank=TANK, corals=(outside,))
    assert "setups" in faults(Scene, name="x", tank=TANK, setups=(Setup("a", in_use=True), Setup("b", in_use=True)))
    beside = Fixture(replace(FACE, x=9.0))
    assert "setups.0.fixtures.0.x" in faults(Scene, name="x", tank=TANK, setups=(Setup("a", (beside,), True),))


def test_message_puts_numbers_where_the_rule_wants_them() -> None:
    error = FieldError("height", "is {value}, over {high}", "length", 1.0, high=0.9)
    assert Measure("in").message(error) == "is 39.4 in, over 35.4 in"
    assert Measure("cm").fill("{a} from {b}", {"a": 0.1234, "b": 2.0}) == "12.3 cm from 200 cm"


@pytest.mark.parametrize("key", SCHOOLS)
def test_school_is_known_by_its_limits(key: str) -> None:
    targets = LightTargets(**SCHOOLS[key].limits)  # type: ignore[arg-type]
    assert school_of(targets) == key
    assert school_of(replace(targets, lps_low=70)) == "own"


# ---- prediction ----


def test_moving_one_fixture_recomputes_that_one_alone(monkeypatch: pytest.MonkeyPatch) -> None:
    worked: list[float] = []
    true = core_field.channel_fields
    monkeypatch.setattr(fields, "channel_fields", lambda m, e, p, **how: worked.append(e.x) or true(m, e, p, **how))
    fixtures = [Fixture(replace(FACE, x=0.111)), Fixture(replace(FACE, x=0.222))]
    slice_plane(TANK, fixtures, "plan", 0.123)
    slice_plane(TANK, [fixtures[0], Fixture(replace(FACE, x=0.333))], "plan", 0.123)
    slice_plane(TANK, [replace(fixtures[0], output=0.3), fixtures[1]], "plan", 0.123)
    assert worked == [0.111, 0.222, 0.333]


def test_probe_adds_up_its_parts_and_a_day_of_them() -> None:
    fixtures = [Fixture(FACE), Fixture(replace(FACE, x=0.8), output=0.5), Fixture(replace(FACE, x=0.6), output=0.0)]
    reading = read_probe(TANK, fixtures, LightTargets(), TEN, WaterPoint(0.5, 0.5, 0.2))
    assert reading.par == pytest.approx(sum(reading.parts))
    assert reading.parts[2] == 0
    # published table of daily light (Purdue Extension HO-238-W, from memory): 100 over 10 h, 400 over 12, 200 over 16
    hours = [Day(plain_block(h, None)).gathered(fixtures[0])[0] * 60e-6 for h in (10, 12, 16)]
    assert np.array([100, 400, 200]) * hours == pytest.approx(np.array([3.6, 17.28, 11.52]))
    assert reading.dli == pytest.approx(reading.par * 10 * 3600e-6)
    assert not reading.in_rock
    old = [replace(f, light_loss_factor=0.8) for f in fixtures]
    assert read_probe(TANK, old, LightTargets(), TEN, WaterPoint(0.5, 0.5, 0.2)).par == pytest.approx(0.8 * reading.par)
    assert read_probe(TANK, fixtures, LightTargets(), TEN, WaterPoint(0.3, 0.3, 0.4)).in_rock


def test_probe_tells_a_sphere_shimmer_and_usable_light_where_colours_are_known() -> None:
    """A sphere reads what comes aslant in full, so more than a level sensor; a flat surface makes no shimmer."""
    place = WaterPoint(0.5, 0.5, 0.2)
    known = catalogue()["cluster"].parts[0]
    hung = [replace(known, emitter=replace(known.emitter, x=0.5, y=0.4, height=0.2))]
    told, untold = light_quality(TANK, hung, place), light_quality(TANK, [Fixture(FACE)], place)
    assert told.scalar > read_probe(TANK, hung, LightTargets(), TEN, place).par
    assert told.fluctuation == 0.0
    assert set(told.usable) == {one.name for one in weightings()}
    assert all(0.3 < share < 1.0 for share in told.usable.values())
    assert untold.usable == {}
    assert light_quality(TANK, [replace(hung[0], output=0.0)], place).usable == {}


def test_rock_and_braces_out_of_the_tank_are_refused_by_field_and_not_kept(db: Database) -> None:
    before = tanks.open_tank(db, 1)
    with pytest.raises(InvalidInput) as rock:
        tanks.save_rock(db, 1, None, Rock(before.tank.length - 0.1, 0.1, 0.0, 0.3, 0.2, 0.2, "Too long"))
    assert [e.field for e in rock.value.errors] == ["length"]
    with pytest.raises(InvalidInput) as brace:
        tanks.add_brace(db, 1, Brace(-0.5, 0.0, 0.1, 0.1))
    assert [e.field for e in brace.value.errors] == ["x"]
    assert tanks.open_tank(db, 1) == before


def test_slices_agree_with_the_probe_and_leave_rock_out() -> None:
    fixtures = [Fixture(FACE)]
    plan, front = slice_plane(TANK, fixtures, "plan", 0.3), slice_plane(TANK, fixtures, "front", 0.3)
    assert np.isnan(plan.par).any()
    for plane, at in ((plan, lambda u, v: WaterPoint(u, v, 0.3)), (front, lambda u, v: WaterPoint(u, 0.3, v))):
        for i, j in ((5, 3), (30, 15)):
            read = read_probe(TANK, fixtures, LightTargets(), TEN, at(float(plane.u[i]), float(plane.v[j])))
            assert read.in_rock == bool(np.isnan(plane.par[i, j]))
            assert read.in_rock or plane.par[i, j] == pytest.approx(read.par)


# ---- hanging ----


def test_new_fixtures_hang_clear_of_each_other_and_under_the_ceiling(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    low = replace(stored.tank, room_height=0.15)
    tanks.save_tank(db, 1, name="x", tank=low, targets=stored.targets, running=stored.running)
    setup = setups.copy_setup(db, 1, 1)
    for kept in tanks.open_tank(db, 1).setup(setup).fixtures:
        hung_fixtures.remove_fixture(db, 1, setup, kept.id)
    for _ in range(4):
        hung_fixtures.add_fixture(db, 1, setup, "t5-54")
    for _ in range(3):
        hung_fixtures.add_fixture(db, 1, setup, "cluster-small")
    emitters = [k.value.emitter for k in tanks.open_tank(db, 1).setup(setup).fixtures]
    tubes = [e for e in emitters if e.technology == "t5_tube"]
    assert len({round(e.y, 3) for e in tubes}) == 4
    clusters = [e for e in emitters if e.technology == "led_cluster"]
    assert len({(round(e.x, 3), round(e.y, 3)) for e in clusters}) == 3
    assert max(e.height for e in emitters) <= low.room_height


def test_copied_fixture_is_alike_but_elsewhere(db: Database) -> None:
    copy = hung_fixtures.copy_fixture(db, 1, 1, 1)
    setup = tanks.open_tank(db, 1).setup(1)
    one, other = setup.fixture(1).value, setup.fixture(copy).value
    assert replace(other.emitter, x=0, y=0) == replace(one.emitter, x=0, y=0)
    assert (other.emitter.x, other.emitter.y) != (one.emitter.x, one.emitter.y)


def test_unknown_things_are_not_found(db: Database) -> None:
    for attempt in (
        lambda: hung_fixtures.add_fixture(db, 1, 1, "no such kind"),
        lambda: hung_fixtures.add_fixture(db, 1, 99, "bar"),
        lambda: hung_fixtures.remove_fixture(db, 1, 1, 99),
        lambda: tanks.delete_rock(db, 1, 99),
        lambda: tanks.delete_brace(db, 1, 99),
        lambda: corals.remove_coral(db, 1, 99),
        lambda: tanks.export_tank(db, 9),
    ):
        with pytest.raises(NotFound):
            attempt()


def test_edit_that_changes_nothing_leaves_no_step(db: Database) -> None:
    hung_fixtures.change_fixtures(db, 1, 1, {1: {"x": tanks.open_tank(db, 1).setup(1).fixture(1).value.emitter.x}})
    assert tanks.steps(db, 1).undo is None


# ---- corals ----


def test_coral_comes_to_rest_on_the_highest_rock_or_the_sand() -> None:
    assert corals.resting_place(TANK, 0.3, 0.3)[2] == pytest.approx(0.2)
    assert corals.resting_place(TANK, 0.05, 0.05)[2] == pytest.approx(0.47)
    with pytest.raises(InvalidInput, match="above the water"):
        corals.resting_place(TANK, 0.7, 0.3)
    with pytest.raises(InvalidInput):
        corals.resting_place(TANK, 1.4, 0.3)


def test_states_follow_the_light_of_the_setup(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    bright, planned = (
        {s.id: s for s in zone_placement.states(stored, [k.value for k in setup.fixtures])}
        for setup in stored.setups[:2]
    )
    assert bright[3].par != planned[3].par
    assert [r.rule for r in bright[3].trouble] == ["light"]
    assert bright[15].par is None
    assert not bright[1].trouble


def test_sending_to_a_zone_lands_on_a_site_that_fits(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    fixtures = [k.value for k in stored.setup().fixtures]
    unplaced = [kept.id for kept in stored.corals if kept.value.place is None]
    found = ((one, zone_placement.fits(stored, fixtures, one)[0]) for one in unplaced)
    coral_id, best = next((one, fit) for one, fit in found if fit.fits)
    place = zone_placement.send_to_zone(db, 1, coral_id, best.zone.key, fixtures)
    after = tanks.open_tank(db, 1)
    assert after.coral(coral_id).value.place == place
    state = next(s for s in zone_placement.states(after, fixtures) if s.id == coral_id)
    assert not state.trouble
    with pytest.raises(InvalidInput, match="no longer there"):
        zone_placement.send_to_zone(db, 1, coral_id, "Z99", fixtures)


def test_catalogues_name_their_source_and_hang_as_they_are() -> None:
    assert len(coral_cards()) >= 24
    assert {card.group for card in coral_cards().values()} == {"soft", "lps", "sps", "low_light"}
    for kind in catalogue().values():
        for part in kind.parts:
            assert hung_fixtures.changed(Tank(2.0, 0.6, 0.5), part, {"x": 1.0, "y": 0.3}).name == part.name


def test_parts_of_a_frame_move_tilt_and_lift_as_one(db: Database) -> None:
    first = hung_fixtures.add_fixture(db, 1, 2, "hybrid-60")
    parts = [k for k in tanks.open_tank(db, 1).setup(2).fixtures if k.value.frame]
    assert len(parts) == 5
    before = {k.id: np.array([k.value.emitter.x, k.value.emitter.y, k.value.emitter.height]) for k in parts}
    e = parts[0].value.emitter
    hung_fixtures.change_fixtures(db, 1, 2, {first: {"x": e.x + 0.1, "height": e.height + 0.2, "roll": 20 * DEGREE}})
    after = {k.id: k.value.emitter for k in tanks.open_tank(db, 1).setup(2).fixtures if k.value.frame}
    for a, b in ((parts[0].id, parts[1].id), (parts[1].id, parts[4].id)):
        places = [np.array([after[i].x, after[i].y, after[i].height]) for i in (a, b)]
        assert np.linalg.norm(places[0] - places[1]) == pytest.approx(np.linalg.norm(before[a] - before[b]))
    assert {round(e.roll / DEGREE) for e in after.values()} == {20}
    # light that leans to the back lifts the back edge of the frame
    tubes = sorted(after.values(), key=lambda e: e.y)
    assert tubes[-1].height > tubes[0].height + 0.05
    assert tanks.undo(db, 1)
    assert tanks.steps(db, 1).undo is not None


def test_light_leans_the_way_the_face_does() -> None:
    medium = core_field.Medium.of(Tank(1.0, 0.6, 0.5))
    places = np.array([[0.5, 0.5, 0.2], [0.5, 0.1, 0.2], [0.8, 0.3, 0.2], [0.2, 0.3, 0.2]])
    back, front, _, _ = core_field.unit_field(medium, replace(FACE, x=0.5, roll=30 * DEGREE), places)
    _, _, right, left = core_field.unit_field(medium, replace(FACE, x=0.5, pitch=30 * DEGREE), places)
    assert back > 1.5 * front
    assert right > 1.5 * left
    assert faults(
        Emitter, technology="t5_tube", ppf=50, fwhm=2.0, length=1.1, width=0.05, x=0, y=0, height=0.2, pitch=0.6
    )


def test_shadow_edge_of_a_point_is_none_and_of_a_line_is_geometry() -> None:
    point = replace(FACE, x=0.5, y=0.3, length=0.001, width=0.001)
    assert shadow_edge_width(TANK, [(point, 1.0)], (0.5, 0.3, 0.1)) < 3e-4
    assert np.isnan(shadow_edge_width(TANK, [(point, 0.0)], (0.5, 0.3, 0.1)))
    # a small bar high above: slopes in water are u / (n h + d), a uniform bar of length L spreads L / sqrt 12
    bar = replace(point, length=0.1, height=2.0)
    expected = 2 * 0.1 * 0.1 / np.sqrt(12) / (1.34 * 2.0 + 0.1)
    assert shadow_edge_width(TANK, [(bar, 1.0)], (0.5, 0.3, 0.1)) == pytest.approx(expected, rel=0.1)


def test_layers_show_whose_light_it_is_and_what_rock_takes() -> None:
    fixtures = [Fixture(FACE), Fixture(replace(FACE, x=0.8), output=0.4)]
    shares = [layers.layer_plane(TANK, fixtures, "plan", 0.3, "share", k).par for k in (0, 1)]
    open_water = np.isfinite(shares[0])
    assert shares[0][open_water] + shares[1][open_water] == pytest.approx(100, abs=1.5)
    assert np.nanmax(shares[0]) > 80
    shadow = layers.layer_plane(TANK, fixtures, "plan", 0.46, "shadow", None)
    # under the ledge at 0.6 to 0.8 nothing direct arrives; far from rock nothing is taken
    k, j = int(np.abs(shadow.u - 0.7).argmin()), int(np.abs(shadow.v - 0.12).argmin())
    assert np.nanmax(shadow.par) > 60
    assert np.nanmin(shadow.par) < 15
    assert shadow.par[k, j] >= 0
    assert (
        np.nanmax(
            layers.layer_plane(replace(TANK, rocks=(), natural_rocks=()), fixtures, "plan", 0.3, "shadow", None).par
        )
        < 1e-6
    )


def test_fixtures_that_want_the_same_room_are_named(db: Database) -> None:
    beside, above = replace(FACE, x=0.6), replace(FACE, height=0.27)
    assert overlaps([Fixture(FACE), Fixture(beside), Fixture(above)]) == []
    assert overlaps([Fixture(FACE), Fixture(replace(FACE, x=0.5)), Fixture(beside)]) == [(0, 1), (1, 2)]
    for setup in tanks.open_tank(db, 1).setups:
        assert overlaps([k.value for k in setup.fixtures]) == []
    for kind in catalogue().values():
        assert overlaps(kind.parts) == []


def test_typed_width_replaces_a_lobe_of_rings_and_moving_keeps_it() -> None:
    rings = catalogue()["cluster-rings"].parts[0]
    assert hung_fixtures.changed(TANK, rings, {"x": 0.5}).emitter.lobe == rings.emitter.lobe
    plain = hung_fixtures.changed(TANK, rings, {"fwhm": 60 * DEGREE}).emitter
    assert plain.lobe is None
    assert width_at_half(plain.shape()) == pytest.approx(60 * DEGREE, abs=0.01)


def test_frame_that_does_not_fit_says_which_part_and_nothing_moves(db: Database) -> None:
    hung_fixtures.add_fixture(db, 1, 1, "hybrid-120")
    setup = tanks.open_tank(db, 1).setup(1)
    cluster = next(k for k in setup.fixtures if k.value.frame)
    tilted = {cluster.id: {"pitch": 60 * DEGREE}}
    with pytest.raises(InvalidInput) as caught:
        hung_fixtures.change_fixtures(db, 1, 1, tilted)
    assert {e.field for e in caught.value.errors} == {"frame"}
    assert "does not fit: " in caught.value.errors[0].rule
    assert tanks.open_tank(db, 1).setup(1) == setup


def test_wear_multiplies_and_refuses_what_is_not_offered() -> None:
    assert light_loss_factor("t5_tube", {"tube_age": "year", "cooling": "still"}) == pytest.approx(0.85 * 0.92)
    assert light_loss_factor("led_bar", {}) == 1.0
    with pytest.raises(InvalidInput, match="nothing of this kind of light"):
        light_loss_factor("halide", {"tube_age": "year"})
    with pytest.raises(InvalidInput, match="no answer gone"):
        light_loss_factor("halide", {"arc_age": "gone"})


def test_grown_corals_shade_what_lies_under_them_where_asked(db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    values = {"name": stored.name, "targets": stored.targets, "running": stored.running}
    tanks.save_tank(db, 1, tank=replace(stored.tank, colony_shade=True), **values)
    stored = tanks.open_tank(db, 1)
    placed = [k for k in stored.corals if k.value.place]
    assert len(stored.lit_tank().colonies) == len(placed)
    assert len(stored.lit_tank(but=placed[0].id).colonies) == len(placed) - 1
    assert shaded(replace(stored.tank, colony_shade=False), [k.value for k in placed]).colonies == ()
    top = next(k.value for k in placed if k.value.place[2] < 0.2 and k.value.card.size > 0.1)
    x, y, depth = top.place
    fixtures = [k.value for k in stored.setup().fixtures]
    here, under = par_at(stored.lit_tank(), fixtures, np.array([(x, y, d) for d in (depth, depth + 0.002)]))
    assert under < 0.2 * here  # and it does not shade itself

"""Targets, verdicts, zones and where corals fit."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from corlume.core.errors import InvalidInput
from corlume.core.judging.figures import EndFigures, LightFigures, share_within
from corlume.core.judging.intent import BY_STOCKING
from corlume.core.judging.light_zones import find_zones, surfaces
from corlume.core.judging.targets import LightTargets
from corlume.core.keeping.scene import Running, Scene
from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Rock, Tank
from corlume.core.placement.coral_card import PlacedCoral
from corlume.core.placement.suitability import check_place, fit_zones
from corlume.core.units import DEGREE
from corlume.reference.catalogue import catalogue
from corlume.services.judging.judge import figures, verdicts
from corlume.services.light.fields import surface_par
from corlume.store.tanks import StoredTank, unstored
from tests.cards import coral_cards

TANK = Tank(
    1.2,
    0.6,
    0.5,
    sand_flow="low",
    rocks=(Rock(0.3, 0.2, 0.0, 0.3, 0.25, 0.3, "Pillar", "high"), Rock(0.7, 0.2, 0.2, 0.3, 0.25, 0.05, "Ledge")),
)
TARGETS = LightTargets()


def light(output: float = 1.0) -> list[Fixture]:
    face = Emitter("led_cluster", 210, 110 * DEGREE, 0.18, 0.14, 0.45, 0.3, 0.22)
    return [Fixture(face, output, 100, "West"), Fixture(replace(face, x=0.9), output / 2, 100, "East")]


def kept(**changes: object) -> StoredTank:
    return unstored(replace(Scene("Kept", TANK, TARGETS), **changes))  # type: ignore[arg-type]


def zones(output: float = 1.0):  # type: ignore[no-untyped-def]
    return find_zones(TANK, TARGETS, list(zip(surfaces(TANK), surface_par(TANK, light(output)), strict=True)))


def test_weaker_end_is_held_against_the_middle() -> None:
    plane = np.ones((48, 24))
    plane[:8], plane[-8:], plane[20:28] = 60.0, 90.0, 100.0
    ends = EndFigures.of(plane)
    assert (ends.left, ends.middle, ends.right) == pytest.approx((60, 100, 90))
    assert ends.share == pytest.approx(0.6)  # the mean of both would say 75 %
    assert np.isnan(EndFigures.of(np.zeros((48, 24))).share)
    plane[-8:] = np.nan
    assert EndFigures.of(plane).share == pytest.approx(0.6)  # rock at one end: the other one speaks


def test_shares_and_spread_pass_over_rock() -> None:
    readings = np.array([np.nan, 100.0, 200.0, 300.0, np.nan])
    assert share_within(readings, 150, 250) == pytest.approx(1 / 3)
    assert LightFigures.of(np.array([np.nan, *np.linspace(0, 100, 101)])).spread == pytest.approx(80)


def test_reading_on_a_limit_belongs_to_the_band_above() -> None:
    assert [TARGETS.band_at(par).key for par in (74.9, 75, 150, 200, 349.9, 350)] == [
        "dim", "lps", "between", "sps", "sps", "strong",
    ]  # fmt: skip


def test_limits_must_rise() -> None:
    with pytest.raises(InvalidInput) as caught:
        LightTargets(lps_low=200, lps_high=150)
    assert [e.field for e in caught.value.errors] == ["lps_high"]


def test_every_verdict_has_reason_and_school() -> None:
    judged = verdicts(kept(), light(), BY_STOCKING)
    assert [v.key for v in judged] == [
        "coverage", "low", "uniformity", "ends", "spread", "volume", "hottest", "spill", "power",
    ]  # fmt: skip
    assert all(v.reason and v.school and v.improve for v in judged)
    assert "150 W" in judged[-1].value


def test_darkness_is_said_plainly() -> None:
    assert [v.key for v in verdicts(kept(), light(0.0), BY_STOCKING)] == ["dark", "power"]


def test_verdicts_grade_a_hot_spot_and_name_its_place() -> None:
    hot = verdicts(kept(targets=replace(TARGETS, sps_high=300, ceiling=320)), light(), BY_STOCKING)
    verdict = next(v for v in hot if v.key == "hottest")
    assert verdict.grade == "poor"
    assert verdict.lengths["x"] == pytest.approx(0.45, abs=0.08)


def test_figures_price_follows_output_and_hours() -> None:
    found = figures(kept(running=Running(hours=10, price=0.5)), light(), BY_STOCKING)
    assert found.price == pytest.approx(0.150 * 10 * 365 * 0.5)


def test_zones_cover_surfaces_by_band_from_the_top_down() -> None:
    found = zones()
    depths = [z.surface.depth for z in found]
    assert depths == sorted(depths)
    assert {z.surface.name for z in found} == {"Pillar", "Ledge", "Sand"}
    for zone in found:
        assert ((zone.par >= zone.band.low) & (zone.par < zone.band.high)).all()
        assert not TANK.in_rock(zone.points - np.array([0, 0, 0.001])).any()
    sand = next(z for z in found if z.surface.name == "Sand")
    assert sand.points.shape[0] < sand.surface.points[..., 0].size


def test_coral_fits_where_its_light_is_and_each_no_has_its_reason() -> None:
    card = coral_cards()["Acropora millepora"]
    fits = fit_zones(TANK, card, zones(), [])
    suited = [fit for fit in fits if fit.fits]
    assert {fit.zone.surface.name for fit in suited} == {"Pillar", "Ledge"}
    assert all(card.par_low <= fit.zone.par[fit.best] <= card.par_high for fit in suited)
    refused = [fit for fit in fits if not fit.fits]
    assert refused
    assert all(fit.reasons[0].answer == "no" for fit in refused)
    weak = next(f for f in refused if f.zone.par.max() < card.par_low)
    assert "too weak by" in weak.reasons[0].text


def reason(card: str, place: tuple[float, float, float], par: float, flow: str, *others: PlacedCoral):  # type: ignore[no-untyped-def]
    return {r.rule: r for r in check_place(TANK, coral_cards()[card], place, par, flow, others)}


def test_place_is_refused_for_light_flow_room_and_sweepers() -> None:
    torch = PlacedCoral(1, coral_cards()["Euphyllia glabrescens (torch)"], 0.5, 0.3, 0.4)
    found = reason("Acropora tenuis", (0.6, 0.3, 0.4), 90, "low", torch)
    assert [found[rule].answer for rule in ("light", "flow", "neighbour")] == ["no", "no", "no"]
    assert "too weak by 140" in found["light"].text
    assert found["neighbour"].lengths["sweepers"] == pytest.approx(0.15)
    assert reason("Acropora tenuis", (0.03, 0.3, 0.4), 300, "high")["room"].answer == "no"


def test_judgements_of_a_place_as_keepers_make_them() -> None:
    """Light a little above the range, a blast, sweepers from edge to edge, and what lives off food on a lit top; common
    practice, no source, in numbers of ours.
    """
    cards = coral_cards()
    above = reason("Zoanthus", (0.5, 0.3, 0.4), 183, "medium")["light"]
    assert "a little above, by 8. Most corals adapt" in above.text
    assert "too strong by 20" in reason("Zoanthus", (0.5, 0.3, 0.4), 195, "medium")["light"].text
    torch = cards["Euphyllia glabrescens (torch)"]
    [flow] = [r for r in check_place(TANK, torch, (0.5, 0.3, 0.4), 120, "high", [], speed=0.43) if r.rule == "flow"]
    assert flow.answer == "no"
    assert "direct jet" in flow.text
    # 15 cm of sweepers past an edge of 10 cm, and 7.5 cm of the other: 32.5 cm from foot to foot, either way round
    for one, other in (("Zoanthus", "Euphyllia glabrescens (torch)"), ("Euphyllia glabrescens (torch)", "Zoanthus")):
        near, far = (
            reason(one, (0.2 + gap, 0.3, 0.4), 120, "medium", PlacedCoral(1, cards[other], 0.2, 0.3, 0.4))["neighbour"]
            for gap in (0.31, 0.34)
        )
        assert near.answer == "no"
        assert far.answer == "yes"
    sun = check_place(TANK, cards["Tubastraea (sun coral)"], (0.5, 0.3, 0.4), 90, "medium", [], food=True)[0]
    assert sun.answer == "unknown"
    assert "overhang" in sun.text


def test_kin_may_touch_and_slow_growth_only_warns() -> None:
    cards = coral_cards()
    torch = PlacedCoral(1, cards["Euphyllia glabrescens (torch)"], 0.5, 0.3, 0.4)
    beside = reason("Euphyllia glabrescens (torch)", (0.64, 0.3, 0.4), 120, "medium", torch)["neighbour"]
    assert beside.answer == "unknown"
    # 6 cm apart kin of 20 cm grow over each other
    assert reason("Euphyllia glabrescens (torch)", (0.56, 0.3, 0.4), 120, "medium", torch)["neighbour"].answer == "no"
    soft = PlacedCoral(1, cards["Zoanthus"], 0.5, 0.3, 0.4)
    assert reason("Xenia", (0.62, 0.3, 0.4), 120, "", soft)["neighbour"].answer == "unknown"
    assert reason("Xenia", (0.55, 0.3, 0.4), 120, "", soft)["flow"].answer == "unknown"


def test_catalogue_is_plausible() -> None:
    # published lamp efficacies, from memory: fluorescent about 1.1 umol/J at best, halide up to 1.46, LED up to 2.3
    best = {"t5_tube": 1.1, "power_compact": 0.95, "halide": 1.46, "led_cluster": 2.3, "led_bar": 2.3}
    for fixture in (part for kind in catalogue().values() for part in kind.parts):
        assert 0.5 < fixture.emitter.ppf / fixture.watts <= best[fixture.emitter.technology]

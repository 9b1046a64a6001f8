"""The day of fixtures against closed forms, scipy's quadrature and worked examples."""

from __future__ import annotations

import datetime
import itertools
import re
import zoneinfo
from dataclasses import replace

import numpy as np
import pytest
from fastapi.testclient import TestClient
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from corlume.core.errors import InvalidInput
from corlume.core.keeping.scene import Running, Setup
from corlume.core.light.emitter import Channel, Emitter
from corlume.core.light.fixture import Fixture, scheduled
from corlume.core.light.light_group import DAY, DayPoint, LightGroup
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.placement.coral_card import CoralCard
from corlume.core.schedule.day import Day, clock, clock_stretches, plain_block
from corlume.core.schedule.day_checks import day_problems, lit_times
from corlume.core.schedule.dose import judge_day
from corlume.core.schedule.starts import STARTS, day_group, group_name, start_groups
from corlume.services.keeping import light_groups, tanks
from corlume.services.light.fields import par_at
from corlume.services.schedule import change_plans
from corlume.store.database import Database

PLAIN = Day(plain_block(9.0, None))
HALIDE = Emitter("halide", 500.0, 2.0, 0.3, 0.3, 0.5, 0.3, 0.3)
TWO = Emitter(
    "led_cluster", 200.0, 1.4, 0.2, 0.2, 0.5, 0.3, 0.3, channels=(Channel("blue", 0.7), Channel("white", 0.3))
)


def at(text: str, level: float, channels: str = "") -> DayPoint:
    return DayPoint(datetime.time.fromisoformat(text), level, channels)


def following(group: LightGroup, emitter: Emitter = TWO, **more: object) -> Fixture:
    (fixture,) = scheduled([Fixture(emitter, group=group.name, **more)], [group])  # type: ignore[arg-type]
    return fixture


@pytest.mark.parametrize(("inside", "dose"), [(True, 7.65), (False, 8.55)])
def test_nine_hours_at_250_with_ramps_inside_or_outside(inside: bool, dose: float) -> None:
    """Worked by hand: 8.5 h and 9.5 h of 250 umol/m2/s."""
    group = day_group("LED", 9.0 if inside else 10.0, 30.0, 780.0)
    (mean,) = PLAIN.averaged([following(group)])
    assert mean.strength * 250 * 86_400e-6 == pytest.approx(dose, abs=1e-9)


days = st.lists(
    st.tuples(st.integers(0, 1439), st.integers(0, 100)), min_size=1, max_size=8, unique_by=lambda point: point[0]
).map(sorted)


@settings(deadline=None, max_examples=40)
@given(days, st.sampled_from(["linear", "smooth", "switch"]), st.integers(0, 1400), st.integers(1, 1440))
def test_integrals_agree_with_quadrature(points: list[tuple[int, int]], ramp: str, start: int, length: int) -> None:
    made = tuple(DayPoint(clock(m), float(p > 50) if ramp == "switch" else p / 100) for m, p in points)
    group = LightGroup("Any", ramp, made)  # type: ignore[arg-type]
    fixture, end = following(group, HALIDE, dimmable=ramp != "switch"), min(1440, start + length)
    # cut where the curve has a corner, and shortly after a lamp came on, when it changes most
    cuts = sorted({float(start), float(end), *(m + d for m, _ in points for d in (0, 5, 20) if start < m + d < end)})
    whole = sum(
        quad(lambda m: PLAIN.levels(fixture, np.array([m]))[0, 0], low, np.nextafter(high, 0), limit=200)[0]
        for low, high in itertools.pairwise(cuts)
    )
    assert PLAIN.gathered(fixture, start, end)[0] == pytest.approx(whole, abs=2e-5)


def test_a_lamp_warms_up_once_it_is_on_and_draws_all_of_its_power_at_once() -> None:
    lamp = following(LightGroup("H", "switch", (at("11:00", 1), at("16:00", 0))), HALIDE, dimmable=False, watts=250.0)
    first, warm, out = PLAIN.levels(lamp, np.array([660.0, 690.0, 961.0]))[0]
    assert (first, out) == (pytest.approx(0.4), 0.0)
    assert warm > 0.999
    assert PLAIN.power(lamp, np.array([660.0]))[0] == 250.0
    assert PLAIN.hours_on(lamp) == 5.0
    # common practice, no source: two years of five hours a day are one of ten, 3,650 h
    assert 2 * 365 * PLAIN.hours_on(lamp) == 3650.0


def test_the_plain_hours_are_a_block_and_channels_follow_their_points() -> None:
    plain = Fixture(TWO, output=0.5, levels=(1.0, 0.4), watts=100.0)
    assert PLAIN.gathered(plain).tolist() == pytest.approx([0.5 * 540, 0.2 * 540])
    assert PLAIN.energy(plain) == pytest.approx(9 * plain.power / 1000)
    mixed = following(LightGroup("L", "linear", (at("08:00", 0), at("12:00", 1, "100/50"), at("20:00", 0.5, "80/0"))))
    assert PLAIN.at([mixed], 960.0)[0].lit == pytest.approx((0.7, 0.25))
    assert PLAIN.levels(replace(mixed, output=0.5), np.array([720.0]))[:, 0].tolist() == pytest.approx([0.5, 0.25])
    assert Day(plain_block(12.0, datetime.time(2, 0))).plain.runs() == [(840.0, 720.0)]


def test_days_on_which_the_clocks_change_are_an_hour_shorter_and_longer() -> None:
    zone = zoneinfo.ZoneInfo("Europe/Berlin")
    moon = following(LightGroup("Moon", "switch", (at("01:00", 1), at("04:00", 0))))
    hours = {
        day: sum(
            PLAIN.gathered(moon, *stretch)[0] for stretch in clock_stretches(datetime.date.fromisoformat(day), zone)
        )
        for day in ("2026-03-29", "2026-06-01", "2026-10-25")
    }
    spring, usual, autumn = hours.values()
    assert usual - spring == pytest.approx(60, abs=0.2)
    assert autumn - usual == pytest.approx(60, abs=0.2)


@pytest.mark.parametrize(
    ("make", "field"),
    [
        (lambda: LightGroup("A", "linear", (at("10:00", 1), at("09:00", 0))), "points.1.time"),
        (lambda: LightGroup("A", "switch", (at("10:00", 0.5),)), "points.0.level"),
        (lambda: at("10:00", 1.2), "level"),
        (lambda: at("10:00", 1, "100/x"), "channels"),
        (lambda: at("10:00", 1, "100/160"), "channels"),
        (lambda: Setup("S", (Fixture(HALIDE, dimmable=False, group="A"),), groups=(LightGroup("A"),)), "groups.0.ramp"),
        (
            lambda: Setup("S", (Fixture(TWO, group="A"),), groups=(LightGroup("A", points=(at("10:00", 1, "50"),)),)),
            "groups.0.points.0.channels",
        ),
        (lambda: Setup("S", groups=(LightGroup("A"), LightGroup("A"))), "groups.1.name"),
    ],
)
def test_what_no_schedule_can_be_is_told_by_its_field(make: object, field: str) -> None:
    with pytest.raises(InvalidInput) as refused:
        make()  # type: ignore[operator]
    assert [error.field for error in refused.value.errors] == [field]


def test_problems_of_a_day_are_told() -> None:
    def told(*groups: LightGroup, watts: float = 100.0) -> set[str]:
        mine = [following(g, HALIDE, dimmable=g.ramp != "switch", watts=watts, name=g.name) for g in groups]
        return {one.key for one in day_problems(PLAIN, mine, Surroundings())}

    noon = LightGroup("H", "switch", (at("11:00", 1), at("16:00", 0)))
    assert told(noon) == set()
    assert told(LightGroup("H", "switch", (at("09:00", 1), at("12:00", 0), at("12:10", 1), at("16:00", 0)))) == {
        "gap",
        "restart",
    }
    assert told(day_group("LED", 14.0, 60.0, 780.0)) == {"long"}
    assert told(noon, day_group("LED", 9.0, 60.0, 780.0), watts=1600.0) == {"circuit"}
    assert told(LightGroup("Off", "linear", (at("09:00", 0),))) == {"dark"}
    moon = LightGroup("M", "linear", (at("02:00", 0.02), at("02:30", 0), at("19:00", 0), at("20:00", 0.02)))
    assert lit_times([moon, noon]) == [(660.0, 300.0), (1140.0, 450.0)]
    assert told(noon, moon) == {"gap"}


def test_starts_keep_what_keepers_say_of_them() -> None:
    hung = [
        Fixture(TWO),
        Fixture(HALIDE, dimmable=False),
        Fixture(replace(HALIDE, technology="t5_tube"), dimmable=False),
    ]
    for start in STARTS.values():
        groups = scheduled([replace(f, group=group_name(f)) for f in hung], start_groups(start, hung, 840.0))
        assert max(map(PLAIN.hours_on, groups)) == start.hours
        assert not day_problems(PLAIN, groups, Surroundings())
    noon = start_groups(STARTS["noon"], hung, 840.0)
    assert {group.name: sum(n for _, n in group.runs()) / 60 for group in noon} == {
        "LED": 10.0,
        "Halides": 5.0,
        "Tubes": 10.0,
    }


def test_a_short_strong_day_and_a_long_weak_one_are_judged_by_peak_and_by_the_sum() -> None:
    card = CoralCard("Acropora", "sps", 200.0, 350.0, "high", "peaceful", 0.0, 0.2)
    assert judge_day(card, 250, 7.65).agree
    weak = judge_day(card, 190, 190 * 12 * 3600e-6)
    assert (weak.peak, weak.dose) == ("low", "in range")
    assert "long enough" in weak.words
    assert judge_day(card, 400, 7.0).dose == "low"
    assert DAY == 24 * 60


def test_electricity_is_cheaper_in_some_hours() -> None:
    """By hand: 100 W from 11 to 21 at 0.30, from 20 to 6 at 0.10; and likewise when the window passes midnight."""
    night = Running(price=0.30, cheap_price=0.10, cheap_from=datetime.time(20), cheap_to=datetime.time(6))
    lamp = following(LightGroup("L", "switch", (at("11:00", 1), at("21:00", 0))), HALIDE, dimmable=False, watts=100.0)
    assert night.yearly([lamp]) == pytest.approx(365 * (0.9 * 0.30 + 0.1 * 0.10))
    noon = replace(night, cheap_from=datetime.time(12), cheap_to=datetime.time(14))
    assert noon.yearly([lamp]) == pytest.approx(365 * (0.8 * 0.30 + 0.2 * 0.10))
    with pytest.raises(InvalidInput) as refused:
        Running(cheap_price=0.1)
    assert [error.field for error in refused.value.errors] == ["cheap_from"]


def test_the_pages_show_the_day_at_the_probe_and_at_todays_step_of_a_plan(client: TestClient, db: Database) -> None:
    light_groups.begin_schedule(db, 1, 1, "nine")
    stored, noon = tanks.open_tank(db, 1), np.array([[0.6, 0.25, 0.2]])
    fixtures = stored.setup().hung
    par = float(par_at(stored.lit_tank(), fixtures, noon)[0])
    assert f"probe {par:.0f}" in client.get("/tanks/1/day?probe=600-250-200").text
    readout = client.post("/tanks/1/setups/1/light", json={"probe": {"x": 0.6, "y": 0.25, "depth": 0.2}}).text
    assert "day?probe=600-250-200" in readout
    for bad in ("", "9-9", "x-1-2", "99999-1-1", "1-2-3-4"):  # over the middle of the tank
        assert "The probe: 75 from left" in client.get(f"/tanks/1/day?probe={bad}").text
    change_plans.restart_light(db, 1, 1, datetime.date.today())
    half = client.get("/tanks/1/day?probe=600-250-200").text
    assert f"probe {par / 2:.0f}" in half
    assert "today&#39;s step of the plan" in half or "today's step of the plan" in half
    at_noon = {"probe": {"x": 0.6, "y": 0.25, "depth": 0.2}, "minute": 840}
    assert f">{par / 2:.0f}<" in client.post("/tanks/1/setups/1/light", json=at_noon).json()["readout"]
    plans = [client.get(f"/tanks/1/corals/hour?minute={minute}").json()["plan"] for minute in (180, 720, 840)]
    assert plans[0] != plans[1] == plans[2]
    assert client.get("/tanks/1/corals/hour?minute=1440").status_code == 422


def test_moonlight_follows_the_day_and_is_told_where_it_cannot(client: TestClient, db: Database) -> None:
    light_groups.begin_schedule(db, 1, 1, "nine")
    kept = tanks.open_tank(db, 1).setup().groups[0]

    def typed(times: str, ramp: str = "linear", **more: str) -> dict[str, str]:
        rows = [text.split("=") for text in times.split()]
        points = {f"points.{k}.time": time for k, (time, _) in enumerate(rows)}
        points |= {f"points.{k}.level": level for k, (_, level) in enumerate(rows)}
        return {"name": "LED", "ramp": ramp, "fixture.1": "on", "moonlight": "on", **points, **more}

    path = f"/tanks/1/day/groups/{kept.id}"
    assert client.post(path, data=typed("09:00=0 10:00=100 17:00=100 18:00=0")).status_code == 303
    stored = tanks.open_tank(db, 1)
    group, day = stored.setup().groups[0].value, stored.running.day
    assert [(f"{p.time:%H:%M}", p.level) for p in group.points][3:] == [
        ("18:00", 0.02),
        ("21:30", 0.02),
        ("22:00", 0.0),
    ]
    blue, _, white, green, red = day.levels(stored.setup().hung[0], np.array([1200.0]))[:, 0]
    assert blue > 0.005
    assert white < 0.3 * blue  # as set it is 0.6
    assert (green, red) == (0.0, 0.0)
    for bad in (typed("09:00=100 18:00=0", "switch"), typed("09:00=50"), typed("04:00=0 05:00=100 23:30=0"),
                typed("09:00=0 10:00=100 12:00=0 14:00=0 15:00=100 16:00=0")):  # fmt: skip
        answer = client.post(path, data=bad)
        assert answer.status_code == 422
        assert re.search("Moonlight (needs|leaves)", answer.text)
        assert tanks.open_tank(db, 1).setup().groups[0].value == group

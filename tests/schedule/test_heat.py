"""Heat of the lights: against the closed form of a block of light, scipy's integration, and the trade's orders."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from starlette.testclient import TestClient

from corlume.core.light.geometry import Tank
from corlume.core.schedule.heat import capacity, chiller, daily_rise, hood_air, losses, narrowed, warming

TANK = Tank(1.5, 0.65, 0.56)
BLOCK = np.where((np.arange(1440) >= 600) & (np.arange(1440) < 1140), 200.0, 0.0)


def test_a_block_of_light_warms_as_the_closed_form_says() -> None:
    """C dT/dt = P - K T over nine hours of every day: P / K (1 - e^-9h)(1 - e^-15h) / (1 - e^-24h)."""
    heat, loss = capacity(TANK), 45.0
    on, off, day = (math.exp(-hours * 3600 * loss / heat) for hours in (9, 15, 24))
    assert daily_rise(BLOCK, heat, loss) == pytest.approx(200 / loss * (1 - on) * (1 - off) / (1 - day), rel=1e-6)


def test_a_ramped_day_warms_as_scipy_integrates_it() -> None:
    minutes = np.arange(1440)
    power = 300.0 * np.clip(np.minimum(minutes - 500, 1250 - minutes) / 120, 0, 1)
    heat, loss = capacity(TANK), 60.0
    run = solve_ivp(
        lambda t, y: (np.interp(t / 60 % 1440, minutes, power) - loss * y) / heat,
        (0, 12 * 86_400), [0.0], max_step=300, t_eval=np.linspace(11 * 86_400, 12 * 86_400, 1441),
    )  # fmt: skip
    assert daily_rise(power, heat, loss) == pytest.approx(np.ptp(run.y[0]), rel=0.01)


def test_ranges_are_in_order_and_a_measured_rise_narrows_them() -> None:
    plain, fanned = warming(TANK, BLOCK, 0.25), warming(TANK, BLOCK, 0.25, fan=True)
    assert 0 < plain.low < plain.high
    assert fanned.high < plain.high
    assert losses(TANK)[1] < losses(TANK, fan=True)[1]
    # twice the power warms twice as far
    assert warming(TANK, 2 * BLOCK, 0.25).high == pytest.approx(2 * plain.high)
    middle = 0.5 * (plain.low + plain.high)
    found = narrowed(TANK, BLOCK, 0.25, middle)
    assert found
    assert plain.low / 4 < found.low < found.high < middle
    # a tank of a known loss, and what a fan would do there, is within what its rise leaves
    known = daily_rise(0.25 * BLOCK, capacity(TANK), 40.0)
    cooled = daily_rise(0.25 * BLOCK, capacity(TANK), 40.0 + TANK.length * TANK.width * (40 - 18))
    assert narrowed(TANK, BLOCK, 0.25, known).high >= cooled - 1e-9  # type: ignore[union-attr]
    for wrong in (0.0, -1.0, math.nan, 30.0):  # a chiller, a typing error, a heater
        assert narrowed(TANK, BLOCK, 0.25, wrong) is None


def test_a_chiller_takes_up_what_is_not_lost_and_air_carries_the_rest() -> None:
    """By hand: 200 W for nine hours, 60 W of it light; held half a degree up; a canopy 5 K warmer than the room."""
    slow, fast = losses(TANK)
    found = chiller(TANK, BLOCK, 0.3, 0.5)
    assert found.low == pytest.approx(max(0.0, 60 - 0.5 * fast))
    assert found.high == pytest.approx(60 + 0.3 * 140 - 0.5 * slow)
    assert found.energy_high == pytest.approx(found.high * 9 / 1000 / 1.5)
    assert hood_air(BLOCK, 0.3) * 3600 == pytest.approx(140 / (1.2 * 1005 * 5) * 3600)
    # held there, the water rises no further: the balance with that much taken out
    held = (60 + 0.3 * 140) * (BLOCK > 0) - found.high * (BLOCK > 0)
    assert daily_rise(held, capacity(TANK), slow) <= 0.5


def test_the_page_compares_setups_and_refuses_another_unit_by_its_field(client: TestClient) -> None:
    page = client.get("/tanks/1/day/heat").text
    rises = [tuple(map(float, pair)) for pair in re.findall(r"<td>\+([\d.]+) to ([\d.]+)</td>", page)]
    assert len(rises) == 6  # three setups, without a fan and with one
    for plain, fan in zip(rises[::2], rises[1::2], strict=True):
        assert 0 < plain[0] <= plain[1] < 6
        assert fan[1] <= plain[1]
    middle = 25 + 0.5 * sum(rises[0])
    assert "With a fan it would be" in client.get(f"/tanks/1/day/heat?before=25&after={middle}").text
    assert "The lights do not explain it" in client.get("/tanks/1/day/heat?before=25&after=24.2").text
    wrong = client.get("/tanks/1/day/heat?before=78&after=hot")
    assert wrong.status_code == 422
    assert "must be from 10 to 40 °C, not °F" in wrong.text
    assert "is not a number" in wrong.text
    assert 'value="hot"' in wrong.text

"""Rock's shadow in columns against a plain loop over every box, and the field's numbers against their table."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
from numba import njit

from corlume.core.cache import cached
from corlume.core.light.emitter import Emitter
from corlume.core.light.field import Medium, channel_fields, unit_field
from corlume.core.light.geometry import Tank
from corlume.core.light.rockwork import Box, rockwork
from corlume.core.light.shadow import SKIN, blocked
from tests.fields import OF_BOXES, TABLE, fields

LENGTH, WIDTH, DEPTH = 1.37, 0.58, 0.5


@njit
def _by_loop(px, py, d, qx, qy, i, j, length, width, rocks):  # type: ignore[no-untyped-def]
    """Every box in every image of the tank on the way, by slabs."""
    for k in range(rocks.shape[0]):
        for a in range(min(0, i), max(0, i) + 1):
            for b in range(min(0, j), max(0, j) + 1):
                enter, leave = max(0.0, rocks[k, 4] / d), min(1.0 - min(0.5, SKIN / d), rocks[k, 5] / d)
                for axis in range(2):
                    cell, size = (a, length) if axis == 0 else (b, width)
                    start, end = (qx, px) if axis == 0 else (qy, py)
                    u, v = rocks[k, 2 * axis], rocks[k, 2 * axis + 1]
                    low, high = (
                        cell * size + (u if cell % 2 == 0 else size - v),
                        cell * size + (v if cell % 2 == 0 else size - u),
                    )
                    if abs(end - start) < 1e-12:
                        if start <= low or start >= high:
                            leave = -1.0
                    else:
                        one, two = (low - start) / (end - start), (high - start) / (end - start)
                        enter, leave = max(enter, min(one, two)), min(leave, max(one, two))
                if leave - enter > 1e-9:
                    return True
    return False


@pytest.mark.parametrize("count", [1, 7, 60, 200])
def test_a_ray_meets_rock_in_columns_where_it_meets_it_in_a_loop_over_all_boxes(count: int) -> None:
    draw = np.random.default_rng(count)
    size = draw.uniform(0.3, 1.5, (count, 3)) * 0.6 / np.sqrt(count)
    low = draw.random((count, 3)) * np.maximum(0.0, np.array([LENGTH, WIDTH, DEPTH]) - size)
    low[: count // 4] = np.floor(10 * low[: count // 4]) / 10  # some on the lines between columns
    high = np.minimum(low + size, (LENGTH, WIDTH, DEPTH))
    boxes = [Box(a, d, b, e, c, f) for (a, b, c), (d, e, f) in zip(low.tolist(), high.tolist(), strict=True)]
    rows = np.array([(b.x0, b.x1, b.y0, b.y1, b.top, b.bottom) for b in boxes])
    rock = rockwork(boxes, LENGTH, WIDTH)
    met = 0
    for _ in range(4000):
        i, j = (int(v) for v in draw.integers(-2, 3, 2))
        p = draw.random(3) * (LENGTH, WIDTH, DEPTH)
        p[draw.random(3) < 0.1] = DEPTH  # corners and panes, too
        p[0], p[1] = min(p[0], LENGTH), min(p[1], WIDTH)
        q = (i + draw.random()) * LENGTH, (j + draw.random()) * WIDTH
        if draw.random() < 0.1:
            q = p[0], q[1]  # along the column lines
        ray = (p[0], p[1], p[2], q[0], q[1], i, j, LENGTH, WIDTH)
        seen = blocked(*ray, rock)
        assert seen == _by_loop(*ray, rows)
        met += seen
    assert 0 < met < 4000


def test_rock_of_boxes_reads_as_it_did_before_it_became_runs() -> None:
    """Within 1 % of the mean (rms) of what the kernel of boxes wrote; what differs is light off the floor."""
    was, now = json.loads(OF_BOXES.read_text()), json.loads(TABLE.read_text())
    for name, sensors in was.items():
        before, after = np.array(sensors["planar"]), np.array(now[name]["planar"])
        assert np.sqrt(((after - before) ** 2).mean()) < 0.01 * before.mean(), name


def test_the_light_models_numbers_stand_still() -> None:
    """Against tests/scenes/fields.json."""
    was, now = json.loads(TABLE.read_text()), fields()
    assert was.keys() == now.keys()
    for name, sensors in was.items():
        for sensor, values in sensors.items():
            assert now[name][sensor] == pytest.approx(values, rel=1e-9, abs=1e-9), f"{name}, {sensor}"


def test_a_point_on_a_pane_straight_under_a_source_has_a_reading() -> None:
    tank, lamp = Tank(LENGTH, WIDTH, DEPTH), Emitter("led_cluster", 100.0, 2.0, 0.1, 0.1, 0.4, 0.0, 0.2)
    off = lamp.sources()[0, :2] - (lamp.x, lamp.y)
    for place in ((0.4, 0.0, 0.2), (0.0, 0.3, 0.1), (0.0, 0.0, 0.3)):
        over = replace(lamp, x=place[0] - off[0], y=place[1] - off[1])
        on_pane, beside = np.array([place]), np.array([place]) + np.array([1e-7, 1e-7, 0.0])
        par = [unit_field(Medium.of(tank), over, p)[0] for p in (on_pane, beside)]
        assert np.isfinite(par[0])
        assert par[0] == pytest.approx(par[1], rel=1e-3)


def test_depths_in_pieces_give_the_same_field(monkeypatch: pytest.MonkeyPatch) -> None:
    tank, tilted = Tank(LENGTH, WIDTH, DEPTH), Emitter("led_bar", 90.0, 1.8, 0.7, 0.05, 0.6, 0.3, 0.25, roll=0.4)
    points = np.random.default_rng(5).random((90, 3)) * (LENGTH, WIDTH, DEPTH)
    whole = channel_fields(Medium.of(tank), tilted, points)
    monkeypatch.setattr("corlume.core.light.field.MOST_TABLE", 3_000_000)
    assert channel_fields(Medium.of(tank), tilted, points) == pytest.approx(whole, rel=1e-12)


def test_what_is_remembered_is_bounded_by_its_bytes() -> None:
    worked = []

    @cached(50_000)
    def field(number: int, kilobytes: int = 16) -> np.ndarray:
        worked.append(number)
        return np.zeros(128 * kilobytes)

    for number in (1, 2, 1, 3, 1, 4, 1, 2):
        field(number)
    assert worked == [1, 2, 3, 4, 2]  # the one used longest ago goes first
    field(9, kilobytes=100)
    field(9, kilobytes=100)
    assert worked[-2:] == [9, 9]  # larger than all room: not kept, and nothing thrown out for it
    field(1)
    assert worked[-1] == 9

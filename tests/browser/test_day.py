"""Day in a browser: a point dragged, a plan made and held, the schedule sent to a controller that loses it."""

from __future__ import annotations

import threading

import pytest
from playwright.sync_api import Page, expect

from corlume.devices.http_controller import HttpControllerServer
from corlume.devices.simulated_controller import SimulatedController
from corlume.services.keeping import tanks
from corlume.settings import Settings
from corlume.store.database import Database
from tests.browser.conftest import step_back, until, whole


def test_a_point_is_dragged_nudged_typed_and_undone(page: Page, db: Database) -> None:
    def points() -> list[tuple[str, float]]:
        (group,) = tanks.open_tank(db, 1).setup().groups
        return [(f"{point.time:%H:%M}", point.level) for point in group.value.points]

    page.goto("/tanks/1/day")
    page.get_by_role("button", name="Nine hours, 30-minute ramps").click()
    start = points()
    assert start == [("11:30", 0.0), ("12:00", 1.0), ("20:00", 1.0), ("20:30", 0.0)]
    box = page.locator(".day-point").nth(1).bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 30, y + 12, steps=4)
    expect(page.locator(".day-told")).not_to_be_empty()
    page.mouse.up()
    until(page, lambda: points() != start)
    moved = points()
    assert moved[1][0] > "12:30"
    assert 0.5 < moved[1][1] < 1.0
    point = page.locator(".day-point").nth(3)
    point.focus()
    point.press("ArrowRight")
    point.press("ArrowRight")
    until(page, lambda: points()[3][0] == "20:40")
    step_back(page)
    until(page, lambda: points() == moved)
    page.locator("input[name='points.1.time']").fill("25:00")
    page.get_by_role("button", name="Save group").click()
    expect(page.get_by_text('Time is not a time of day: "25:00"')).to_be_visible()
    assert page.locator("input[name='points.1.time']").input_value() == "25:00"
    assert points() == moved


@pytest.fixture
def controller(monkeypatch: pytest.MonkeyPatch) -> SimulatedController:
    made = SimulatedController(lambda: 840.0, {})
    server = HttpControllerServer(0, made)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    monkeypatch.setenv("CORLUME_CONTROLLER", server.address)
    assert Settings().controller == server.address
    return made


def test_a_plan_is_made_held_and_sent_to_a_controller_that_loses_it(
    controller: SimulatedController, page: Page, db: Database
) -> None:
    page.goto("/tanks/1/day?setup=2")
    page.get_by_role("button", name="T5 with dawn and dusk by LED").click()
    whole(page)
    page.get_by_role("link", name="Plan a slow change").click()
    expect(page.get_by_text("steps, from")).to_be_visible()
    page.get_by_role("button", name="Start plan").click()
    expect(page.get_by_text("First level")).to_be_visible()
    first = tanks.open_tank(db, 1).plans[0].value
    page.get_by_role("button", name="Hold plan").click()
    until(page, lambda: (tanks.open_tank(db, 1).plans[0].value.steps[1].day - first.steps[1].day).days == 7)
    page.get_by_role("link", name="Controller").click()
    expect(page.get_by_text("It holds no schedule")).to_be_visible()
    page.get_by_role("button", name="Restore schedule").click()
    expect(page.get_by_text("Set and read back")).to_be_visible()
    expect(page.get_by_role("row", name="E LED cluster, west")).to_contain_text("11 / 11 / 6")
    controller.cut_power()
    page.get_by_role("link", name="Read back").click()
    expect(page.get_by_text("It holds no schedule")).to_be_visible()
    page.get_by_role("button", name="Restore schedule").click()
    expect(page.get_by_text("Set and read back")).to_be_visible()

"""The survey at the tank on a phone: eight spots by the meter, a connection that drops, and what it says afterwards."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator
from itertools import count
from threading import Thread

import pytest
from playwright.sync_api import Browser, Page, expect

from corlume.devices.line_meter import LineMeterServer
from corlume.devices.simulated_meter import SimulatedMeter, hidden_truth
from corlume.services.keeping import surveys, tanks
from corlume.services.light.fields import medium_of
from corlume.store.database import Database
from tests.browser.conftest import step_back


@pytest.fixture(autouse=True)
def meter(db: Database, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """The simulated meter, thirty times as fast as one."""
    stored = tanks.open_tank(db, 1)
    medium, seeds = medium_of(stored.lit_tank()), count(1)
    _, fixtures = hidden_truth(stored.lit_tank(), stored.setup().hung, 5)

    def made() -> SimulatedMeter:
        return SimulatedMeter(
            medium, lambda: fixtures, seed=next(seeds), clock=lambda: 900.0, wait=lambda _: time.sleep(0.006)
        )

    server = LineMeterServer(0, made)
    Thread(target=server.serve_forever, daemon=True).start()
    monkeypatch.setenv("CORLUME_METER", f"127.0.0.1:{server.server_address[1]}")
    yield
    server.shutdown()
    server.server_close()


def typed(page: Page, text: str) -> None:
    for key in text:
        page.locator(f'.pad-key[data-key="{key}"]').click()


def test_eight_spots_are_read_on_a_phone_by_the_meter(browser: Browser, address: str, db: Database) -> None:
    context = browser.new_context(viewport={"width": 390, "height": 780}, base_url=address, has_touch=True)
    page = context.new_page()
    page.set_default_timeout(10_000)
    page.goto("/tanks/1/survey")
    page.locator('input[name="count"][value="8"]').check()
    page.get_by_label("Name").fill("By phone")
    page.get_by_role("button", name="Plan survey").click()
    page.get_by_role("link", name="Read at the tank").click()
    expect(page.locator(".take-name b")).to_have_text("1 of 8")
    # all of it without scrolling, and big enough for a wet thumb
    assert page.evaluate("document.documentElement.scrollHeight") <= 780
    for key in page.locator(".pad-key, .pad-acts .button").all():
        box = key.bounding_box()
        assert box
        assert box["height"] >= 44
        assert box["width"] >= 44
    for number in range(1, 7):
        expect(page.locator(".take-name b")).to_have_text(f"{number} of 8")
        pad = page.locator(".pad").bounding_box()
        page.get_by_role("button", name="By meter").click()
        expect(page.locator(".take-word")).to_contain_text("The meter settled at")
        assert page.locator(".pad").bounding_box() == pad  # what is said does not push the keys away
        spot = page.locator(".spot.here").first
        expect(spot).to_have_class(re.compile("told"))
        page.get_by_role("button", name="Save, next").click()
        expect(page.locator(".take")).to_contain_text(f"{number + 1} of 8")
        expect(page.locator(".spot.read")).to_have_count(2 * number)  # in both views, without a reload
    # one that the application refuses: the page comes back to the point with the number
    page.route("**/act", lambda route: route.continue_(post_data=route.request.post_data.replace("60.5", "-60.5")))
    typed(page, "60.5")
    page.get_by_role("button", name="Save, next").click()
    expect(page.locator(".take-word")).to_contain_text("not saved")
    expect(page.locator(".take-name b")).to_have_text("7 of 8")
    expect(page.locator(".pad-shown")).to_have_text("60.5")
    page.unroute("**/act")
    for _ in range(4):
        page.locator('.pad-key[data-key="back"]').click()
    # a number that is none, and one that is typed while the connection is gone
    page.get_by_role("button", name="Save, next").click()
    expect(page.locator(".take-word")).to_contain_text("Type the reading")
    context.set_offline(True)
    typed(page, "123.5")
    page.get_by_role("button", name="Save, next").click()
    expect(page.locator(".take-name b")).to_have_text("8 of 8")
    expect(page.locator(".take-state")).to_contain_text("1 kept on this device")
    context.set_offline(False)
    expect(page.locator(".take-state")).not_to_contain_text("kept on this device", timeout=15_000)
    # how the last one is read: a level that is none is told, and nothing is lost of what stands there
    page.get_by_role("button", name="upright, lights as set").click()
    page.get_by_label("Lights at").fill("300")
    page.get_by_role("button", name="Apply").click()
    expect(page.locator("dialog .fault")).to_contain_text("from 5 to 150 %")
    page.get_by_label("Lights at").fill("80")
    page.get_by_label("Pumps").select_option("off")
    page.get_by_role("button", name="Apply").click()
    page.keyboard.type("99")
    with page.expect_response("**/act"):
        page.keyboard.press("Enter")
    expect(page.locator(".take-word")).to_contain_text("Every point is read")
    [survey] = [s for s in surveys.all_surveys(db, 1) if s.value.name == "By phone"]
    assert [len(kept.value.readings) for kept in survey.spots] == [1] * 8
    assert survey.spots[6].value.readings == (123.5,)
    last = survey.spots[7].value
    assert (last.level, last.pumps) == (0.8, "off")
    assert last.time
    page.get_by_role("link", name="Results").click()
    page.get_by_role("button", name="Apply correction").click()
    expect(page.locator(".note-box")).to_contain_text("In use")
    page.goto("/tanks/1/par-map")
    expect(page.locator(".readout-unit")).to_contain_text("PAR corrected")
    expect(page.locator(".readout-sure")).to_contain_text("±")
    context.close()


def test_layers_show_what_the_survey_changes_and_how_sure_it_is(page: Page) -> None:
    page.goto("/tanks/1/survey/1")
    expect(page.locator(".spots-table")).to_contain_text("Outlier")
    page.get_by_role("button", name="Apply correction").click()
    page.goto("/tanks/1/par-map")
    expect(page.locator(".readout-sure")).to_be_visible()  # the whole light, after the first look
    layer = page.locator("#layer")
    for key, words in (("sure", "Standard deviation"), ("told", "without the survey"), ("change", "darker by 7 to 20")):
        layer.select_option(key)
        expect(page.locator("#legend")).to_contain_text(words)
    page.locator("h1").click(force=True)
    step_back(page)
    page.wait_for_load_state()
    expect(page.locator(".readout-unit")).to_contain_text("PAR predicted")
    expect(page.locator("#layer option[value=told]")).to_have_count(0)


def test_spots_follow_a_hand_a_key_and_a_tap_on_the_drawing(page: Page, db: Database) -> None:
    survey = surveys.all_surveys(db, 1)[0]
    page.goto(f"/tanks/1/survey/{survey.id}")
    expect(page.locator("main [x-cloak]")).to_have_count(0)  # the drawing listens
    first = next(one for one in survey.spots if one.value.name == "Under LED cluster, middle")
    spot = page.locator(f'[data-focus="spot-{first.id}-plan"]')
    grip = spot.locator(".spot-grip").bounding_box()
    assert grip
    x, y = grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 20, y, steps=4)
    page.mouse.up()
    expect(spot).not_to_have_attribute("data-x", f"{first.value.x:.4f}")
    dragged = surveys.open_survey(db, 1, survey.id).spot(first.id).value
    assert dragged.x > first.value.x
    assert (dragged.y, dragged.depth) == (first.value.y, first.value.depth)
    # by key, several taps one step of undo, and the focus stays
    spot.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    expect(spot).to_have_attribute("data-x", f"{dragged.x + 0.02:.4f}")
    expect(spot).to_be_focused()
    # into rock it does not go, and says so
    for _ in range(30):
        page.keyboard.press("PageDown")
    expect(page.locator(".alert", has_text="lies in rock or sand")).to_be_visible()
    expect(spot).to_have_attribute("data-depth", f"{dragged.depth:.4f}")
    # a tap adds what the keeper said that it adds
    count = page.locator("[data-spot][tabindex]").count()
    area = page.locator('[data-area][data-view="plan"]')
    box = area.bounding_box()
    assert box
    area.click(position={"x": 0.5 * box["width"], "y": 0.95 * box["height"]})
    page.get_by_label("Tap on the drawing adds").select_option("spot")
    area.click(position={"x": 0.5 * box["width"], "y": 0.95 * box["height"]})
    expect(page.locator("[data-spot][tabindex]")).to_have_count(count + 2)
    step_back(page)
    expect(page.locator("[data-spot][tabindex]")).to_have_count(count)

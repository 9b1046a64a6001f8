"""Corals to their places in the browser: dragged with a verdict, placed all at once, watched for a week and moved."""

from __future__ import annotations

import datetime
import re

import pytest
from playwright.sync_api import Page, expect

from corlume.core.acclimation.log_entry import LogEntry
from corlume.services.flow.tank_flow import solved_flow
from corlume.services.keeping import acclimation_log, pumps, tanks
from corlume.store.database import Database
from tests.browser.conftest import step_back, until
from tests.browser.test_axe import violations

TODAY = datetime.date.today()


@pytest.fixture(autouse=True)
def _this_day() -> None:
    """A run of all tests may go past midnight."""
    global TODAY
    TODAY = datetime.date.today()


def test_coral_is_dragged_with_a_verdict_and_snaps_to_a_seat(page: Page, db: Database) -> None:
    page.goto("/tanks/1/corals")
    page.wait_for_load_state("networkidle")  # the state of the flow is said above the drawing, and moves it down
    before = tanks.open_tank(db, 1).coral(12).value.place
    box = page.locator('#plan ~ .corals .coral[data-coral="12"] .coral-dot').first.bounding_box()
    there = page.locator('#plan ~ .corals .coral[data-coral="3"] .coral-dot').first.bounding_box()
    assert box
    assert there
    was = page.locator('.coral-item[data-coral="12"] .coral-par, .coral-item[data-coral="12"]').first.inner_text()
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    page.mouse.move(there["x"] + 16, there["y"] + 8, steps=6)  # beside a coral on the top of the west island
    live = page.locator(".live")
    expect(live).to_contain_text(re.compile(r"\d+ PAR .*from left"))
    expect(live).to_contain_text("too strong by")
    page.mouse.up()
    expect(page.locator(".fit h2").first).to_have_text("Discosoma")
    after = tanks.open_tank(db, 1).coral(12).value.place
    assert after is not None
    assert after != before
    page.wait_for_load_state("networkidle")
    step_back(page)
    number = re.findall(r"\d+", was)[-1]
    expect(page.locator('.coral-item[data-coral="12"]')).to_contain_text(number)
    assert tanks.open_tank(db, 1).coral(12).value.place == before


def test_corals_grow_by_the_slider_and_layers_change_the_floor(page: Page) -> None:
    page.goto("/tanks/1/corals")
    body = page.locator("#plan ~ .corals .body").first
    small = float(body.get_attribute("r") or 0)
    page.get_by_label("Months ahead").focus()
    for _ in range(4):
        page.keyboard.press("ArrowRight")
    expect(page.locator(".months output")).to_have_text("24")
    until(page, lambda: float(body.get_attribute("r") or 0) > 1.5 * small)
    page.get_by_role("link", name="flow", exact=True).click()
    expect(page.locator("#plan .band-flow-medium").first).to_be_attached()
    expect(page.locator(".legend")).to_contain_text("5 to 15 cm/s")
    page.get_by_role("link", name="spots", exact=True).click()
    expect(page.locator("#plan .seat").first).to_be_attached()


def test_all_that_wait_are_placed_and_taken_back(page: Page, db: Database) -> None:
    page.goto("/tanks/1/corals")
    page.get_by_role("link", name=re.compile(r"Place \d+ unplaced")).click()
    page.get_by_label("Growing room for").fill("a lot")
    page.get_by_role("button", name="Update plan").click()
    expect(page.locator("#months-error")).to_contain_text("is not a number")
    page.get_by_label("Growing room for").fill("12")
    page.get_by_role("button", name="Update plan").click()
    page.get_by_role("button", name="Stop", exact=True).click()
    expect(page.locator(".planning")).to_contain_text("Stopped", timeout=60_000)
    page.get_by_role("button", name=re.compile(r"Place all \d+")).click()
    expect(page).to_have_url(re.compile(r"/corals(\?setup=1)?$"))
    assert sum(kept.value.place is None for kept in tanks.open_tank(db, 1).corals) <= 4
    step_back(page)
    expect(page.get_by_role("link", name="Place 10 unplaced")).to_be_visible()


def test_a_week_is_watched_on_the_phone_and_an_unhappy_coral_is_moved(page: Page, db: Database) -> None:
    for days in range(8, 1, -1):  # a week of looks, before today
        note = LogEntry("watch", TODAY - datetime.timedelta(days=days), datetime.time(14, 0), "open", "full", "good")
        acclimation_log.add_entry(db, 1, 11, note, today=TODAY)
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/tanks/1/corals/check")
    card = page.locator("#coral-11")
    expect(card).to_contain_text("Secure it now.")
    card.get_by_role("button", name="Paler").click()
    expect(card.get_by_role("alert")).to_contain_text("Tap first how its polyps are")
    card.get_by_text("open", exact=True).click()
    card.get_by_role("button", name="Full, colour as it was").click()
    expect(page.locator("#coral-11")).to_contain_text("Last checked today")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    small = page.evaluate(
        "[...document.querySelectorAll('.tap, .tap-button, main .button')]"
        ".filter(e => e.offsetParent && e.getBoundingClientRect().height < 43.5).map(e => e.textContent.trim())"
    )
    assert small == []
    page.locator("#coral-3").get_by_role("link", name="Stylophora").click()
    expect(page.locator(".course")).to_contain_text("Move it now.")
    page.get_by_role("button", name="Move coral there").click()
    expect(page.locator(".course")).to_contain_text("Day 1 of 7")
    expect(page.locator(".time-line li").filter(has_text="moved")).to_have_count(1)


def test_a_pump_is_aimed_by_keys_and_a_place_painted_by_a_tap(page: Page, db: Database) -> None:
    page.goto("/tanks/1/corals/flow")
    before = tanks.open_tank(db, 1).pumps[0].value
    aim = page.locator('[data-spot="aim-1"][data-view="plan"]')
    aim.focus()
    for _ in range(3):
        page.keyboard.press("ArrowDown")
    expect(page.get_by_role("button", name="Undo", exact=False).first).to_be_enabled()
    page.wait_for_load_state("networkidle")
    page.get_by_label("paints medium").check()
    area = page.locator('[data-area][data-view="front"]').bounding_box()
    assert area
    page.mouse.click(area["x"] + area["width"] * 0.7, area["y"] + area["height"] * 0.3)
    expect(page.locator(".painted li")).to_have_count(2)
    stored = tanks.open_tank(db, 1)
    assert stored.pumps[0].value.turn < before.turn
    assert stored.flow_marks[-1].value.flow == "medium"


def test_flow_is_an_estimate_until_it_is_solved_and_nothing_moves_under_a_hand(
    page: Page, db: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.undo()
    page.goto("/tanks/1/corals/flow")
    state = page.locator(".flow-state")
    expect(state).to_contain_text("Computing the circulation")
    page.locator("h1").click()
    page.get_by_role("button", name="Show circulation").click(timeout=60_000)
    expect(page.get_by_text("Cells of 3.8 cm")).to_be_visible()
    expect(state).to_have_count(0)
    # a pump that is moved makes it an estimate, which goes by itself where nobody touches the page
    page.locator('[data-spot="1"][data-view=plan]').focus()
    page.keyboard.press("ArrowUp")
    expect(state).to_have_count(1)
    expect(state).to_have_count(0, timeout=60_000)
    assert not violations(page)
    pumps.remove_pump(db, 1, 3)
    for path in ("/tanks/1/corals/spots", "/tanks/1/corals"):
        page.goto(path)
        expect(state).to_have_count(0, timeout=60_000)
        assert solved_flow(tanks.open_tank(db, 1))
        pumps.save_pump(db, 1, 2, rate=0.001)
    tanks.undo(db, 1)
    assert solved_flow(tanks.open_tank(db, 1))  # what was solved before an edit is there again after its undo


def test_the_shop_card_answers_and_keeps_a_purchase_without_a_connection(page: Page, db: Database) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/tanks/1/corals")
    page.get_by_role("link", name="Shop card").click()
    page.wait_for_url("**/corals/shop")
    row = page.locator("[data-number]").first
    low, high = (float(end) for end in row.locator("[data-label=PAR]").inner_text().split("\n")[-1].split(" to "))
    many = len(tanks.open_tank(db, 1).corals)
    page.context.set_offline(True)
    page.get_by_label("This frag needs").fill(f"{(low + high) / 2:.0f}")
    expect(page.locator(".shop-ask [role=status]")).to_contain_text("1")
    page.get_by_label("Coral type").select_option("Xenia")
    page.get_by_label("PAR in the shop").fill("bright")
    page.get_by_role("button", name="Save purchase").press("Enter")
    expect(page.locator(".shop-bought [role=status]")).to_contain_text("1 kept on this device")
    page.context.set_offline(False)
    # what was typed wrong comes back with the reason, and nothing is lost
    expect(page.locator(".shop-bought .fault")).to_contain_text("Xenia was not saved. Shop PAR")
    expect(page.get_by_label("PAR in the shop")).to_have_value("bright")
    page.get_by_label("PAR in the shop").fill("150")
    page.get_by_label("Size").fill("4")
    page.get_by_role("button", name="Save purchase").click()
    expect(page.locator(".shop-bought [role=status]")).to_contain_text("Xenia saved: unplaced")
    expect(page.get_by_role("link", name="Its first weeks")).to_be_visible()
    corals = tanks.open_tank(db, 1).corals
    assert len(corals) == many + 1
    course = corals[-1].value.course
    assert (corals[-1].value.card.name, course.had, course.across) == ("Xenia", 150, 0.04)

"""Keeping a tank: a lamp from label to plan, an incident on the phone, Today from an empty tank on, a restore."""

from __future__ import annotations

import datetime
import io
import re
from pathlib import Path

import pytest
from PIL import Image
from playwright.sync_api import Browser, Page, expect

from corlume.services.keeping import tanks
from corlume.services.upkeep import log
from corlume.services.upkeep.forecast import forecast_days
from corlume.store.database import Database
from tests.browser.conftest import step_back, until
from tests.browser.test_axe import violations


def test_a_lamp_is_changed_from_its_label_to_the_plan_of_a_slow_change(page: Page, db: Database) -> None:
    before = tanks.open_tank(db, 1)
    first = before.lamps[0].value
    page.goto("/tanks/1/today")
    page.get_by_role("link", name="Log", exact=True).click()
    page.get_by_role("link", name="Lamps", exact=True).click()
    page.get_by_label(f"Change {first.label}").check()
    page.get_by_role("button", name="Change ticked lamps").click()
    expect(page.get_by_role("heading", name="Change a lamp")).to_be_visible()
    expect(page.locator("section[aria-label=Steps]")).to_contain_text("Switch off and unplug.")
    page.get_by_label(re.compile("^Label of the new lamp")).fill("West, board 2")
    page.get_by_label("Changed on").fill((datetime.date.today() + datetime.timedelta(days=3)).isoformat())
    page.get_by_role("button", name="Record, then plan a slow change").click()
    expect(page.locator("form .fault").first).to_contain_text("in the future")
    expect(page.get_by_label(re.compile("^Label of the new lamp"))).to_have_value("West, board 2")
    page.get_by_label("Changed on").fill(datetime.date.today().isoformat())
    assert not violations(page)
    page.get_by_role("button", name="Record, then plan a slow change").click()
    page.wait_for_url(re.compile(r"/day/plan\?"))
    found = tanks.open_tank(db, 1)
    assert [kept.value.label for kept in found.lamps][-1] == "West, board 2"
    assert found.lamps[0].value.taken_out == datetime.date.today()
    page.goto("/tanks/1/log/lamps/labels")
    expect(page.locator(".lamp-label").filter(has_text="West, board 2")).to_have_count(1)
    page.goto("/tanks/1/log?group=lamps")
    expect(page.locator(".log-lamp").first).to_contain_text("West, board")
    step_back(page)
    expect(page.locator("[data-step=redo] button")).to_be_enabled()
    assert tanks.open_tank(db, 1).lamps == before.lamps


def test_an_incident_is_logged_with_a_photo_on_a_phone(
    browser: Browser, address: str, db: Database, tmp_path: Path
) -> None:
    photo, huge = tmp_path / "wet.jpg", tmp_path / "huge.jpg"
    out = io.BytesIO()
    Image.effect_noise((3000, 2200), 90).convert("RGB").save(out, "JPEG", quality=97)
    photo.write_bytes(out.getvalue())
    assert 4e6 < photo.stat().st_size < 15e6  # as phones take them
    huge.write_bytes(b"\xff\xd8" + bytes(50_000_000))
    with browser.new_context(viewport={"width": 390, "height": 780}, base_url=address, has_touch=True) as context:
        page = context.new_page()
        page.goto("/tanks/1/today")
        assert page.evaluate("document.documentElement.scrollWidth") <= 390
        page.get_by_role("button", name="Power cut").tap()
        expect(page.locator(".log-event").first).to_contain_text("Power cut")
        page.get_by_text("In words, with a photo").tap()
        page.get_by_label("What", exact=True).select_option("fault")
        page.get_by_label("In words").fill("Splash got into A")
        page.get_by_label("Photo").set_input_files(huge)
        expect(page.locator("[data-too-big]")).to_contain_text("50.0 MB, at most 15 MB")
        page.get_by_role("button", name="Add entry").tap()
        expect(page.locator("[data-too-big]")).to_be_visible()
        page.get_by_label("Photo").set_input_files(photo)
        expect(page.locator("[data-too-big]")).to_have_count(0)
        page.get_by_role("button", name="Add entry").tap()
        entry = page.locator(".log-event").filter(has_text="Splash got into A")
        expect(entry.locator("img")).to_have_count(1)
        entry.get_by_role("link", name="setup without it").tap()
        expect(page.get_by_role("heading", name="Setup without a fixture")).to_be_visible()
        assert page.evaluate("document.documentElement.scrollWidth") <= 390
    assert {one.words for one in log.entries(db, 1, group="incidents")} >= {"Power cut", "Splash got into A"}


def test_today_leads_from_an_empty_tank_to_the_first_coral(page: Page, db: Database) -> None:
    page.goto("/tanks/new")
    page.locator("#name").fill("Attic")
    page.locator("#length").fill("70")
    page.get_by_role("button", name="Create tank").click()
    page.wait_for_url(re.compile("/par-map"))
    work = page.locator("section[aria-label='The work']")

    def step(name: str, *, mark: bool = False) -> None:
        page.get_by_role("link", name="Today", exact=True).click()
        expect(work.locator("h2")).to_have_text(f"Next: {name.lower()}")
        if mark:
            work.get_by_role("button", name="Done, or not needed").click()
        else:
            work.get_by_role("link", name=name, exact=True).first.click()

    step("Light type")
    page.get_by_role("button", name="Save as new setup").first.click()
    page.get_by_role("button", name="Use this").first.click()
    step("Mounting")
    expect(page.get_by_role("heading", name=re.compile("Mounting sheet"))).to_be_visible()
    step("Mounting", mark=True)
    step("Survey", mark=True)
    step("Day")
    page.get_by_role("button", name="Nine hours, 30-minute ramps").click()
    expect(page.locator(".day-lanes, .day-group").first).to_be_visible()
    step("Target zones", mark=True)
    step("Corals")
    page.locator("#card").select_option("Acanthophyllia")
    page.get_by_role("button", name="Add").click()
    page.locator(".zone-list button").first.click()
    expect(page.locator(".fit")).to_contain_text("spot")
    page.get_by_role("link", name="Today", exact=True).click()
    expect(work).to_contain_text("Every step is done")
    assert not violations(page)
    stored = tanks.open_tank(db, 2)
    assert stored.corals[0].value.place is not None
    assert {one.words for one in log.entries(db, 2, kinds=("step",))} == {"Mounting", "Survey", "Target zones"}


@pytest.mark.parametrize("sent", ["whole", "torn"])
def test_a_backup_is_restored_after_a_look_at_what_would_change(
    page: Page, db: Database, tmp_path: Path, sent: str
) -> None:
    page.goto("/tanks")
    with page.expect_download() as download:
        page.get_by_role("link", name="Back up").click()
    file = tmp_path / "backup.db"
    download.value.save_as(file)
    if sent == "torn":
        file.write_bytes(file.read_bytes()[: file.stat().st_size // 2])
    page.get_by_role("button", name="Delete tank").first.click()
    until(page, lambda: not tanks.all_tanks(db))
    page.locator("#copy").set_input_files(file)
    page.get_by_role("button", name="Check backup").click()
    if sent == "torn":
        expect(page.locator(".alert")).to_contain_text("nothing was changed")
        assert tanks.all_tanks(db) == []
        return
    expect(page.locator(".restore")).to_contain_text("Comes back: Tern Skerry")
    assert not violations(page)
    page.get_by_role("button", name="Restore this backup").click()
    expect(page.get_by_role("heading", name="Restored")).to_be_visible()
    page.get_by_role("link", name="All tanks", exact=True).click()
    expect(page.get_by_role("link", name="Tern Skerry").first).to_be_visible()
    assert [stored.name for stored in tanks.all_tanks(db)] == ["Tern Skerry"]


def test_a_tank_is_run_forward_and_a_change_is_looked_for(page: Page) -> None:
    page.goto("/tanks/1/log/forecast")
    slider = page.get_by_label("Month", exact=True)
    expect(slider).to_be_visible()
    body = page.locator(".ahead-body[data-r]").first
    before, line = float(body.get_attribute("r") or 0), page.locator(".forecast-month").first
    slider.focus()
    for _ in range(8):
        page.keyboard.press("ArrowRight")
    expect(page.locator(".ahead-tank output")).to_have_text(f"{forecast_days(datetime.date.today())[24]:%b %Y}")
    assert float(body.get_attribute("r") or 0) > before
    assert float((line.get_attribute("transform") or "").split("(")[1].split(" ")[0]) > 0
    strong = page.locator(".ahead.strong").count()
    page.get_by_label("Lamps and parts").select_option("left")
    assert page.locator(".ahead.strong").count() <= strong
    page.get_by_role("link", name="What to do about 7 Zoanthus").click()
    expect(page.get_by_role("heading", name="What to do about 7 Zoanthus")).to_be_visible()
    expect(page.locator(".suggestion-table tbody tr").first).to_contain_text("Move it to")


def test_the_book_opens_with_the_network_cut(page: Page, address: str, tmp_path: Path) -> None:
    book = tmp_path / "book.html"
    book.write_bytes(page.request.get(f"{address}/tanks/1/log/book").body())
    asked = list[str]()
    page.context.set_offline(True)
    page.on("request", lambda request: asked.append(request.url))
    page.goto(book.as_uri())
    expect(page.get_by_role("heading", name="What to do when")).to_be_visible()
    assert page.locator("svg").count() >= 4
    assert page.evaluate("[...document.images].every((one) => one.complete && one.naturalWidth > 0)")
    page.get_by_role("link", name="Corals").click()
    assert {url.split(":")[0] for url in asked} <= {"file", "data"}
    page.context.set_offline(False)


def test_costs_tell_a_wrong_rent_by_its_field_and_keep_it(page: Page) -> None:
    page.goto("/tanks/1/log/costs")
    page.get_by_label("Count as owned").select_option("none")
    page.get_by_role("button", name="Count").click()
    expect(page.get_by_label("Count as owned")).to_have_value("none")
    page.get_by_label("Rent for a week").fill("-45")
    page.get_by_label("Rent for a week").press("Enter")
    expect(page.locator("#rent-error")).to_contain_text("Rent for a week must be from 0")
    expect(page.get_by_label("Rent for a week")).to_have_value("-45")
    page.get_by_label("Rent for a week").fill("30")
    page.get_by_label("Rent for a week").press("Enter")
    expect(page.locator("#meter tbody tr").nth(3)).to_contain_text("60")

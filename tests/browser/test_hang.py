"""Hang in a real browser: faults, a search from a bad wish to a setup, and the sheet to mount from."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from corlume.services import tanks
from corlume.store.database import Database


def test_wish_is_put_right_searched_watched_and_adopted(page: Page, db: Database) -> None:
    page.goto("/tanks/1/hang")
    expect(page.locator(".fault-one").first).to_contain_text("What would help", timeout=20_000)
    page.get_by_label("Highest").fill("tall")
    page.get_by_label("At least").fill("2")
    page.get_by_label("At most").fill("2")
    page.get_by_role("button", name="Search").click()
    expect(page.locator("#height_high-error")).to_contain_text("is not a number")
    expect(page.get_by_label("At most")).to_have_value("2")
    page.get_by_label("Lowest").fill("24")
    page.get_by_label("Highest").fill("30")
    page.get_by_label("Highest").press("Enter")
    answers = page.locator(".found-one")
    expect(answers.first).to_contain_text("Evenness", timeout=60_000)
    expect(page.locator("progress")).to_be_hidden(timeout=60_000)
    expect(page.get_by_role("img", name=re.compile("Evenness over PAR"))).to_be_visible()
    answers.first.get_by_role("button", name="Make a setup").click()
    expect(page).to_have_url(re.compile("/chart"))
    setup = tanks.open_tank(db, 1).setups[-1]
    assert setup.name == "2 x LED cluster, mid-size, searched"
    assert {round(k.value.emitter.height, 2) for k in setup.fixtures} <= {round(h / 100, 2) for h in range(24, 31)}
    page.keyboard.press("Control+z")
    expect(page.locator("#setup option")).to_have_count(3)


def test_sheet_is_checked_for_the_keepers_own_place_and_taken_as_pdf(page: Page) -> None:
    page.goto("/tanks/1/chart?setup=3")
    page.get_by_role("link", name="Mount", exact=True).click()
    circuit = page.locator(".checks tr", has_text="Circuit")
    expect(circuit).to_contain_text("holds")
    page.get_by_label("Mains").fill("120")
    page.get_by_label("Breaker").fill("6")
    page.get_by_label("Breaker").press("Enter")
    expect(circuit).to_contain_text("does not hold")
    page.get_by_label("Breaker").fill("600")
    page.get_by_label("Breaker").press("Enter")
    expect(page.locator("#breaker-error")).to_contain_text("must be from 1 to 63, not 600")
    with page.expect_download() as taken:
        page.get_by_role("link", name="PDF, A4").click()
    assert taken.value.suggested_filename == "halide-and-t5-as-it-was.pdf"


def test_setups_are_held_against_each_other(page: Page) -> None:
    page.goto("/tanks/1/setups")
    expect(page.get_by_role("img", name=re.compile("less that of"))).to_have_count(2)
    page.get_by_label("First setup").select_option("3")
    page.get_by_role("button", name="Show").click()
    expect(page.locator(".side-by-side h2").first).to_contain_text("Halide and T5")
    expect(page.get_by_role("row", name=re.compile("^Evenness"))).to_contain_text("%")

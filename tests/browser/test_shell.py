"""The shell in a browser: stations to come fit on one line, on a phone behind one button, and the setup goes along."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from corlume.services.keeping import tanks
from corlume.store.database import Database


def test_ten_stations_stand_on_one_line_and_on_a_phone_behind_one_button(page: Page) -> None:
    page.goto("/tanks/1/corals")
    links = page.locator("#stations a")
    assert links.count() == 12
    tops = {round(links.nth(k).bounding_box()["y"]) for k in range(12)}  # type: ignore[index]
    assert len(tops) == 1
    assert page.evaluate("document.documentElement.scrollWidth") <= 1280
    page.set_viewport_size({"width": 390, "height": 844})
    expect(links.first).to_be_hidden()
    expect(page.locator(".looked-at")).to_contain_text("Tern Skerry")
    assert page.locator("#main").bounding_box()["y"] <= 120  # type: ignore[index]
    page.get_by_role("button", name="Stations").click()
    for k in range(12):
        expect(links.nth(k)).to_be_visible()
        assert links.nth(k).bounding_box()["height"] >= 44  # type: ignore[index]


def test_setup_looked_at_survives_back_reload_and_a_deep_link(page: Page, db: Database) -> None:
    other = next(s for s in tanks.open_tank(db, 1).setups if not s.in_use)
    shown = page.locator(".looked-at small")
    page.goto(f"/tanks/1/corals?setup={other.id}")
    expect(shown).to_have_text(other.name)
    page.get_by_role("link", name="Light types", exact=True).click()
    page.get_by_role("link", name="Tank", exact=True).click()
    expect(shown).to_have_text(other.name)
    page.locator("#name").fill("Renamed")
    page.get_by_role("button", name="Save", exact=True).first.click()
    expect(shown).to_have_text(other.name)
    page.reload()
    expect(shown).to_have_text(other.name)
    page.get_by_role("link", name="PAR map", exact=True).click()
    expect(page.locator("svg.sheet")).to_be_visible()
    page.go_back()
    expect(shown).to_have_text(other.name)
    expect(page.get_by_role("link", name="Corals", exact=True)).to_have_attribute("accesskey", "8")


def test_corals_come_in_as_a_table_and_a_bad_one_says_where(page: Page, db: Database) -> None:
    before = len(tanks.open_tank(db, 1).corals)
    head = "name,group,par_low,par_high,flow,aggression,sweepers_cm,size_cm,x_cm,y_cm,depth_cm"
    page.goto("/tanks/1/corals")
    page.get_by_text("Import or export table").click()
    bad = f"{head}\nBrought,soft,50,90,low,peaceful,0,8,,,\nFar,soft,50,90,low,peaceful,0,8,900,5,5"
    page.locator("#table").set_input_files({"name": "a.csv", "mimeType": "text/csv", "buffer": bad.encode()})
    page.get_by_role("button", name="Import").click()
    expect(page.get_by_role("alert")).to_contain_text("coral 2, x_cm: must be from 0 cm to 150 cm, not 900 cm")
    good = bad.replace(",900,5,5", ",30,20,50")
    page.locator("#table").set_input_files({"name": "a.csv", "mimeType": "text/csv", "buffer": good.encode()})
    page.get_by_role("button", name="Import").click()
    expect(page.locator(".coral-item")).to_have_count(before + 2)
    assert tanks.undo(db, 1) == "import 2 corals"

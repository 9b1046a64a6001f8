"""A rig by hand: three modules on a rail from wish to ticked checklist on the phone, and a swap in two stages."""

from __future__ import annotations

import re

from playwright.sync_api import Browser, Page, expect

from corlume.services.keeping import hung_fixtures, setups, tanks
from corlume.store.database import Database
from tests.mounting.bare_rig import take_rig_down


def test_three_modules_hang_on_a_rail_from_wish_to_ticked_checklist(
    page: Page, db: Database, browser: Browser, address: str
) -> None:
    take_rig_down(db)
    page.goto("/tanks/1/mounting")
    page.get_by_label("New mount").select_option("rail")
    page.get_by_role("button", name="Add mount").click()
    page.get_by_label("Rated load").fill("6")
    page.get_by_role("button", name="Save mount").click()
    expect(page.locator("tr.check-no", has_text="rated for 6 kg")).to_contain_text("1.2 kg less")
    page.get_by_label("Rated load").fill("12")
    page.get_by_role("button", name="Save mount").click()
    expect(page.locator("tr.check-yes", has_text="7.2 kg of 12 kg")).to_be_visible()
    # dragged by its middle to the front, and back by keys
    bar = page.locator('[data-box][data-view="plan"]')
    y = float(bar.get_attribute("data-y") or 0)
    bar.focus()
    page.keyboard.press("ArrowDown")
    expect(page.locator('[data-box][data-view="plan"]')).to_have_attribute("data-y", f"{y - 0.01:.6g}")
    page.get_by_role("link", name="Layout", exact=True).click()
    page.locator(".limits summary").click()
    page.get_by_label("Rail with clamps", exact=True).check()
    for name in ("At least", "At most"):
        page.get_by_label(name, exact=True).fill("3")
    page.get_by_label("Lowest").fill("18")
    page.get_by_label("Highest").fill("22")
    page.get_by_role("button", name="Search", exact=True).click()
    page.locator(".hang-answers progress").wait_for(state="hidden", timeout=120_000)
    page.get_by_role("button", name="Save as new setup").first.click()
    page.wait_for_url(re.compile("/par-map"))
    made = tanks.open_tank(db, 1).setups[-1]
    assert {fixture.held_by for fixture in made.hung} == {"Rail with clamps"}
    assert len(made.hung) == 3
    with browser.new_context(viewport={"width": 390, "height": 780}, base_url=address, has_touch=True) as context:
        phone = context.new_page()
        phone.goto(f"/tanks/1/mounting/checklist?setup={made.id}")
        assert phone.evaluate("document.documentElement.scrollWidth") <= 390
        steps = phone.locator(".rig-steps > li").count()
        for k in range(steps):
            step = phone.locator(".rig-steps > li:not(.done)").first
            box = step.get_by_role("button", name="Done").bounding_box()
            assert box
            assert box["height"] >= 44
            if step.get_by_label("Screws out").count():
                step.get_by_label("Screws out").fill("8")
                step.get_by_role("button", name="Done").tap()
                expect(phone.get_by_role("alert")).to_contain_text("8 came out")
                step = phone.locator(".rig-steps > li:not(.done)").first
                step.get_by_label("in", exact=True).fill("8")
            step.get_by_role("button", name="Done").tap()
            expect(phone.locator(".lead")).to_contain_text(f"{k + 1} of {steps} steps done")
    assert len(tanks.open_tank(db, 1).setup(made.id).ticks) == steps


def test_a_swap_of_two_lights_shows_both_stages_with_their_light(page: Page, db: Database) -> None:
    made = setups.copy_setup(db, 1, tanks.open_tank(db, 1).setup().id)
    copy = tanks.open_tank(db, 1).setup(made)
    outer = (copy.fixtures[0], copy.fixtures[2])
    hung_fixtures.change_fixtures(db, 1, copy.id, {kept.id: {"lens": "60"} for kept in outer})
    page.goto(f"/tanks/1/mounting/checklist?setup={copy.id}")
    rows = page.locator(".mounts-page table tbody tr")
    expect(rows).to_have_count(2)
    expect(rows.first).to_contain_text(outer[0].value.name)
    expect(rows.last).to_contain_text(re.compile(r"placed"))
    expect(page.locator(".rig-steps", has_text="Stage 2")).to_have_count(1)
    # what hangs unchanged in both is not in the swap
    expect(page.locator(".mounts-page table")).not_to_contain_text(copy.fixtures[1].value.name)

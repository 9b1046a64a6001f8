"""From an empty start to a sheet to drill from: in few clicks, by keyboard alone, several fixtures held together."""

from __future__ import annotations

import datetime
import re

import pytest
from playwright.sync_api import Page, expect

from corlume.formats.measure import Measure
from corlume.services import jobs
from corlume.services.keeping import tanks
from corlume.services.keeping.hung_units import collisions
from corlume.services.search import light_types, search_jobs
from corlume.services.search.light_types import light_types_request
from corlume.services.survey import rental_week
from corlume.store.database import Database
from tests.browser.conftest import step_back, whole
from tests.browser.test_axe import PAGES, violations


def tab_to(page: Page, what: str) -> None:
    """Press Tab until the focus is on it."""
    for _ in range(160):
        page.keyboard.press("Tab")
        if page.evaluate("what => document.activeElement.matches(what)", what):
            return
    pytest.fail(f"Tab never comes to {what}")


def test_first_chart_in_ten_clicks_and_rock_from_there(page: Page, db: Database) -> None:
    page.goto("/tanks")
    page.get_by_role("link", name="New tank").first.click()
    page.evaluate(
        "window.name = '1'; addEventListener('click', e => { window.name = String(1 + Number(window.name)); })"
    )
    page.get_by_label("Name").fill("Hall")
    for label, length in (("Length", "140"), ("Width", "60"), ("Water depth", "50")):
        page.get_by_label(label, exact=False).first.fill(length)
    page.get_by_label("Two islands").check()
    page.get_by_label("Lights over it").select_option("cluster")
    page.get_by_role("button", name="Create tank").click()
    expect(page.locator(".readout-par")).to_be_visible()
    assert int(page.evaluate("window.name")) <= 10
    assert page.locator('.fixture[data-view="plan"]:not(.selected)').count() >= 2
    page.get_by_role("link", name="Rockwork", exact=True).click()
    page.wait_for_url(re.compile("/tanks/2(\\?|$)"))
    # a stroke around becomes rock of that shape
    page.get_by_label("an outline, freehand").check()
    area = page.locator('[data-area][data-view="plan"]').bounding_box()
    assert area
    before = len(tanks.open_tank(db, 2).rocks)
    x, y = area["x"] + 0.7 * area["width"], area["y"] + 0.06 * area["height"]
    page.mouse.move(x, y)
    page.mouse.down()
    for dx, dy in ((60, 4), (70, 30), (40, 38), (8, 30), (0, 4)):
        page.mouse.move(x + dx, y + dy, steps=4)
    with page.expect_response(re.compile("/outline$")):
        page.mouse.up()
    assert len(tanks.open_tank(db, 2).rocks) >= before + 2


def test_keyboard_alone_goes_from_a_new_tank_to_the_sheet_to_drill_from(page: Page, db: Database) -> None:
    page.goto("/tanks/new")
    tab_to(page, "#name")
    page.keyboard.type("Attic")
    tab_to(page, "#hung")
    page.keyboard.type("LED cluster, mid")
    tab_to(page, "form.sheet-form button:not([type=button])")
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile("/par-map"))
    expect(page.locator(".verdict")).not_to_have_count(0)
    tab_to(page, ".fixture")
    was = tanks.open_tank(db, 2).setup().fixtures[0].value.emitter.x
    with page.expect_response(re.compile("/fixtures$")):
        page.keyboard.press("ArrowRight")
    assert tanks.open_tank(db, 2).setup().fixtures[0].value.emitter.x == pytest.approx(was + 0.01)
    # the focus is where it was after the drawing came anew, and after an undo
    assert page.evaluate("document.activeElement.matches('.fixture')")
    with page.expect_navigation():
        step_back(page)
    expect(page.locator(".fixture:focus")).to_have_count(1)
    tab_to(page, "a[href$='/mounting']")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name=re.compile("Mounting sheet"))).to_be_visible()


def test_fixtures_held_together_move_dim_and_level_as_one(page: Page, db: Database) -> None:
    page.goto("/tanks/1/par-map")
    saved = re.compile("/(fixtures|arrange)$")
    for fixture in (1, 3):
        page.locator(f'.fixture[data-fixture="{fixture}"][tabindex]').focus()
        page.keyboard.press(" ")
    expect(page.locator(".together")).to_contain_text("Group: A, C.")
    before = [k.value for k in tanks.open_tank(db, 1).setup().fixtures]
    with page.expect_response(saved):
        page.keyboard.press("PageUp")
    now = [k.value for k in tanks.open_tank(db, 1).setup().fixtures]
    assert [round(b.emitter.height - a.emitter.height, 3) for a, b in zip(before, now, strict=True)] == [0.01, 0, 0.01]
    # the strongest by the slider, the others in their ratio
    with page.expect_response(saved):
        page.get_by_label("Output, ratios kept").fill("32")
    now = [k.value.output for k in tanks.open_tank(db, 1).setup().fixtures]
    assert now == pytest.approx([0.32, before[1].output, 0.32 * before[2].output / before[0].output], abs=0.002)
    page.locator('[data-pick="2"]').check()
    expect(page.locator(".together")).to_contain_text("Group: A, B, C.")
    with page.expect_response(saved):
        page.get_by_role("button", name="Level", exact=True).click()
    assert len({round(k.value.emitter.height, 4) for k in tanks.open_tank(db, 1).setup().fixtures}) == 1
    expect(page.locator("[data-step=undo] button")).to_have_attribute("title", re.compile("Undo: level"))
    assert not violations(page)
    page.locator(".readout [popovertarget=term-dli]").click()
    expect(page.locator("#term-dli")).to_be_visible()
    assert not violations(page)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Ungroup").click()
    expect(page.locator(".together")).to_have_count(0)


def test_hybrids_hung_by_hand_never_collide_and_stand_as_one(page: Page, db: Database) -> None:
    page.goto("/tanks/1/par-map?setup=2")
    for _ in range(2):
        page.get_by_label("Fixture to add").select_option("hybrid-60")
        with page.expect_navigation():
            page.get_by_role("button", name="Add fixture").click()
    stored = tanks.open_tank(db, 1)
    assert not collisions(stored.tank, stored.setup(2))
    assert page.locator(".collision").count() == 0
    frames = page.locator(".lamp.frame")
    expect(frames).to_have_count(2)
    # parts are listed in the frame that is open alone
    expect(page.locator(".frame-parts")).to_have_count(1)
    assert not violations(page)


def test_kinds_stand_in_another_order_when_a_weight_is_moved(
    page: Page, db: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Common practice, no source: who wants control of colour takes LEDs, who wants soft shade long tubes."""
    monkeypatch.setattr(light_types, "QUICK_REFINED", 1)
    stored = tanks.open_tank(db, 1)
    search = search_jobs.begin(db, 1, 1, light_types_request(stored, stored.setup()))
    while len(search_jobs.look(db, 1, search).found) < 3:
        page.wait_for_timeout(100)
    search_jobs.stop(db, 1, search)
    page.goto("/tanks/1/light-types")
    first = page.locator(".order-name").first
    expect(page.locator(".order-name")).not_to_have_count(0)
    for slider in page.locator("[data-weight]").all():
        slider.fill("0")
    expect(page.locator("[role=alert]")).to_contain_text("weights")
    page.get_by_label("control of colour").fill("5")
    expect(first).to_contain_text("LED")
    page.get_by_label("control of colour").fill("0")
    page.get_by_label("soft shade").fill("5")
    expect(first).to_have_text("T5 tubes")


LOOK = """() => {
  const beside = '.sr-only, .skip, .basis, dialog:not([open]), p, li, dd, .readout-head, svg';
  const folded = e => {
    const fold = e.closest('details:not([open])');
    return fold && e.closest('summary')?.parentElement !== fold;
  };
  const seen = e => {
    const r = e.getBoundingClientRect();
    return r.width > 0 && r.height > 0 && getComputedStyle(e).visibility !== 'hidden' && !folded(e);
  };
  const all = 'a[href], button, input:not([type=hidden]), select, textarea, summary';
  const small = [...document.querySelectorAll(all)].filter(e => seen(e) && !e.closest(beside)).filter(e => {
    const r = (e.closest('label') || e).getBoundingClientRect();
    return Math.min(r.width, r.height) < 43.5;
  });
  const texts = [...document.querySelectorAll('svg text')].filter(seen).map(t => {
    const m = t.getScreenCTM();
    return parseFloat(getComputedStyle(t).fontSize) * Math.hypot(m.a, m.b);
  });
  return { wide: document.scrollingElement.scrollWidth - innerWidth, least: Math.min(99, ...texts),
    small: small.map(e => e.outerHTML.slice(0, 90)) };
}"""


@pytest.mark.parametrize("half", range(2))
def test_no_page_scrolls_sideways_on_a_phone_and_a_thumb_finds_everything(page: Page, db: Database, half: int) -> None:
    stored = tanks.open_tank(db, 1)
    rental_week.begin(db, stored, stored.setup(), datetime.date(2026, 11, 20), Measure("cm"))
    page.set_viewport_size({"width": 390, "height": 844})
    found = []
    for path in PAGES[half::2]:
        if "/take" in path or "999" in path:
            continue  # made for the phone, and tested there; and a page that is not there
        page.goto(path)
        whole(page)
        look = page.evaluate(LOOK)
        jobs.stop_all()
        if look["wide"] > 0:
            found.append(f"{path}: {look['wide']} px wider than the window")
        found += [f"{path}: under 44 px: {one}" for one in look["small"][:3]]
        if look["least"] < 10.9:
            found.append(f"{path}: drawing text of {look['least']:.1f} px")
    assert not found, "\n".join(found)

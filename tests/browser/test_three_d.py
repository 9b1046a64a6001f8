"""The 3D view: turned by keys, a surface and a slice, a coral placed by a click on rock; without WebGL."""

from __future__ import annotations

import itertools
import struct
from pathlib import Path

from playwright.sync_api import Page, expect

from corlume.services.keeping import tanks
from corlume.store.database import Database
from tests.browser.conftest import until
from tests.browser.test_axe import violations

VIEW = "/tanks/1/par-map/3d"
PICTURE = """new Promise((seen) => setTimeout(() => seen(document.querySelector('canvas').toDataURL()), 600))"""


def ready(page: Page) -> None:
    page.goto(VIEW)
    expect(page.locator(".three-state")).to_be_hidden()


def test_the_view_is_turned_by_keys_and_shows_what_is_asked(page: Page) -> None:
    ready(page)
    canvas = page.locator("canvas")
    canvas.focus()
    seen = [page.evaluate(PICTURE)]
    for key in ("ArrowLeft", "ArrowUp", "+", "Home"):
        page.keyboard.press(key)
        seen.append(page.evaluate(PICTURE))
    assert len(set(seen)) == 4
    assert seen[-1] == seen[0]
    page.get_by_role("button", name="Plan", exact=True).click()
    page.get_by_label("Surface of equal PAR").fill("lots")
    page.get_by_label("Surface of equal PAR").press("Enter")
    expect(page.get_by_role("status").filter(has_text="PAR")).to_contain_text("PAR")
    expect(page.get_by_label("Surface of equal PAR")).to_have_value("lots")
    before = page.evaluate(PICTURE)
    page.get_by_label("Surface of equal PAR").fill("200")
    page.get_by_label("Surface of equal PAR").press("Enter")
    expect(page.get_by_role("status").filter(has_text="200 PAR")).to_be_visible()
    until(page, lambda: page.evaluate(PICTURE) != before)
    before = page.evaluate(PICTURE)
    page.get_by_label("Slice", exact=True).select_option("plan")
    until(page, lambda: page.evaluate(PICTURE) != before)
    before = page.evaluate(PICTURE)
    page.get_by_label("Size of the corals").focus()
    page.keyboard.press("End")
    expect(page.get_by_text("in 120 months")).to_be_visible()
    assert page.evaluate(PICTURE) != before
    assert not violations(page)
    with page.expect_download() as picture:
        page.get_by_role("button", name="Save picture").click()
    assert Path(picture.value.path()).read_bytes().startswith(b"\x89PNG")
    with page.expect_download() as model:
        page.get_by_role("button", name="Save model").click()
    magic, version, length = struct.unpack("<4sII", Path(model.value.path()).read_bytes()[:12])
    assert (magic, version) == (b"glTF", 2)
    assert length == Path(model.value.path()).stat().st_size
    page.get_by_text("In words").click()
    expect(page.locator("#in-words")).to_contain_text("1 Acropora millepora:")


def test_a_coral_is_placed_by_a_click_on_rock(page: Page, db: Database) -> None:
    ready(page)
    page.get_by_role("button", name="Plan", exact=True).click()
    box = page.locator("canvas").bounding_box()
    assert box
    stored = tanks.open_tank(db, 1)
    # from above, along the middle of the tank: somewhere a coral that waits is suited
    offered = page.get_by_role("button", name="here")
    places = itertools.product((0.5, 0.44, 0.56), (0.34, 0.3, 0.38, 0.42, 0.62, 0.66, 0.7, 0.5, 0.54, 0.58, 0.46))
    for down, part in places:
        with page.expect_response("**/spot?*") as answer:
            page.mouse.click(box["x"] + part * box["width"], box["y"] + down * box["height"])
        if "Place here" in answer.value.json()["html"]:
            break
    waiting = sum(one.value.place is None for one in stored.corals)
    offered.first.click()
    expect(page.get_by_text("Placed. Undo takes it back.")).to_be_visible()
    after = tanks.open_tank(db, 1)
    assert sum(one.value.place is None for one in after.corals) == waiting - 1


def test_without_webgl_it_says_so_and_leads_to_the_map(page: Page) -> None:
    page.add_init_script("HTMLCanvasElement.prototype.getContext = () => null")
    page.goto(VIEW)
    expect(page.get_by_text("This browser shows no 3D")).to_be_visible()
    page.locator(".empty").get_by_role("link", name="PAR map").click()
    page.wait_for_url("**/par-map")

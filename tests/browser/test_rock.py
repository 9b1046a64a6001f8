"""Rock of any shape by hand: a scan from its file to a lit map, a piece dragged and turned, strokes of the brush."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from corlume.devices.scan_standin import scanned
from corlume.formats.scan_file import write_ply
from corlume.services.keeping import tanks
from corlume.store.database import Database
from tests.browser.conftest import drag, middle, redrawn, until


def test_a_scan_goes_from_its_file_to_a_lit_picture(page: Page, db: Database, tmp_path: Path) -> None:
    (tmp_path / "scan.ply").write_bytes(write_ply(scanned("bommie", 28)))
    (tmp_path / "note.txt").write_text("no rock")
    page.goto("/tanks/1")
    page.get_by_role("link", name="Import scan").click()
    page.set_input_files("#file", tmp_path / "note.txt")
    page.get_by_role("button", name="Read scan").click()
    expect(page.locator(".alert")).to_contain_text("is not a mesh that can be read")
    page.set_input_files("#file", tmp_path / "scan.ply")
    page.get_by_role("button", name="Read scan").click()
    expect(page.get_by_label("Unit of the file")).to_have_value("mm")
    expect(page.get_by_label("Up in the file")).to_have_value("+y")
    page.get_by_label("Up in the file").select_option("+z")
    expect(page).to_have_url(re.compile("up=%2Bz"))
    page.get_by_label("Up in the file").select_option("+y")
    expect(page.locator(".scan-rock")).to_have_count(2)
    # corners of a tank's bottom are tapped on the scan from above; such near ones make a scan that fits nowhere
    page.get_by_label("Name").fill("Phone scan")
    page.get_by_role("button", name="Add to tank").click()
    expect(page.get_by_label("Natural rock").or_(page.locator(".rock-row.natural")).first).to_be_visible()
    added = tanks.open_tank(db, 1).natural_rocks[-1]
    assert added.value.name == "Phone scan"
    before = page.request.post("/tanks/1/setups/1/light", data={"probe": {"x": 0.75, "y": 0.3, "depth": 0.5}}).json()
    assert before["readout"]
    page.goto("/tanks/1/par-map")
    expect(page.locator(".rock.cut").first).to_be_attached()
    # its number typed wrongly is refused by its field, and kept
    page.goto("/tanks/1")
    page.locator(f"#natural-{added.id}-x").fill("400")
    page.locator(f"form[action$='natural-rocks/{added.id}']").get_by_role("button", name="Save").click()
    expect(page.locator(".alert")).to_contain_text("must be from 0 cm to 150 cm")
    expect(page.locator(f"#natural-{added.id}-x")).to_have_value("400")


def test_a_piece_is_dragged_turned_and_moved_by_keys(page: Page, db: Database) -> None:
    page.goto("/tanks/1")
    was = tanks.open_tank(db, 1).natural_rock(3).value
    with redrawn(page):
        drag(page, middle(page.locator('[data-box="natural-3"][data-view="plan"] .rock-grip')), 20, 0)
    moved = tanks.open_tank(db, 1).natural_rock(3).value
    assert moved.x > was.x + 0.02
    assert moved.turn == was.turn
    with redrawn(page):
        drag(page, middle(page.locator('[data-box="natural-3"][data-view="plan"] .turn-grip')), 0, -60)
    assert tanks.open_tank(db, 1).natural_rock(3).value.turn > 0.2
    page.locator('[data-box="natural-3"][tabindex]').focus()
    with redrawn(page):
        page.keyboard.press("ArrowLeft")
        page.keyboard.press("]")
    after = tanks.open_tank(db, 1).natural_rock(3).value
    assert after.x == pytest.approx(moved.x - 0.01)
    with redrawn(page):
        drag(page, middle(page.locator('[data-box="natural-3"][data-view="side"] .rock-grip')), 12, -12)
    lifted = tanks.open_tank(db, 1).natural_rock(3).value
    assert lifted.y > after.y + 0.01
    assert lifted.base > 0.01
    assert lifted.x == after.x
    for _ in range(4):
        assert tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).natural_rock(3).value == was


def test_the_brush_adds_and_carves_by_mouse_and_by_keys(page: Page, db: Database) -> None:
    page.goto("/tanks/1")
    page.get_by_label("with the brush").check()
    area = page.locator('[data-area][data-view="plan"]').bounding_box()
    assert area
    start = area["x"] + 0.55 * area["width"], area["y"] + 0.85 * area["height"]
    with redrawn(page):
        drag(page, start, 60, -10)
    tank = tanks.open_tank(db, 1).tank
    x = 0.55 * tank.length + 0.03
    assert tank.in_rock(np.array([[x, 0.15 * tank.width, tank.water_depth - 0.01]]))[0]
    page.get_by_label("take rock away").check()
    page.get_by_label("Radius").fill("90")
    drag(page, start, 60, -10)
    expect(page.locator(".tank-picture .chart-fault")).to_contain_text("Radius must be from 1 cm to 30 cm")
    page.get_by_label("Radius").fill("4")
    page.locator('[data-area][data-view="front"]').focus()
    for _ in range(3):
        page.keyboard.press("ArrowDown")
    steps = tanks.steps(db, 1).undo
    page.keyboard.press("Enter")
    until(page, lambda: tanks.steps(db, 1).undo != steps)
    assert tanks.undo(db, 1) == "carve rock with the brush"
    assert tanks.undo(db, 1) == "raise rock with the brush"

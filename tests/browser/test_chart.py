"""The keeper's main path in a real browser: drag a fixture, read the light, place a coral."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from corlume.core.light.geometry import Rock
from corlume.services.keeping import tanks
from corlume.store.database import Database
from tests.browser.conftest import drag, middle, redrawn, step_back, until
from tests.light.test_photometry import GOOD

SPUR = Rock(0.5, 0.02, 0.0, 0.2, 0.1, 0.2, "Spur")


def par_at_probe(page: Page) -> float:
    return float(page.locator(".readout-par").inner_text())


def test_dragging_a_fixture_moves_the_light_and_undo_brings_it_back(page: Page, db: Database) -> None:
    page.goto("/tanks/1/par-map")
    before, was = par_at_probe(page), tanks.open_tank(db, 1).setup().fixtures[1].value.emitter
    fixture = page.locator('.fixture[data-fixture="2"][data-view="plan"]')
    with page.expect_response(re.compile("/fixtures$")):
        drag(page, middle(fixture), 110, 0)
    expect(page.locator("[data-step=undo] button")).to_have_attribute("title", "Undo: move LED cluster, middle")
    moved = tanks.open_tank(db, 1).setup().fixtures[1].value.emitter
    assert moved.x > was.x + 0.2
    assert round(moved.x * 100, 6) % 1 == 0
    until(page, lambda: par_at_probe(page) < before - 5)
    step_back(page)
    expect(page.locator(".readout-par")).to_have_text(f"{before:.0f}")
    assert tanks.open_tank(db, 1).setup().fixtures[1].value.emitter == was


# answers that come as late as on a busy machine
SLOW = (
    "const asked = fetch; window.fetch = async (...given) => { const answer = await asked(...given); "
    "await new Promise((done) => setTimeout(done, 700)); return answer; };"
)


def test_a_tick_while_a_change_is_being_saved_is_not_lost(page: Page) -> None:
    page.add_init_script(SLOW)
    page.goto("/tanks/1/par-map")
    for fixture in (1, 3):
        page.locator(f'.fixture[data-fixture="{fixture}"][tabindex]').focus()
        page.keyboard.press(" ")
    expect(page.locator(".together")).to_contain_text("Group: A, C.")
    with page.expect_response("**/setups/1/fixtures"):
        page.keyboard.press("PageUp")
    page.locator('[data-pick="2"]').check()
    expect(page.locator(".together")).to_contain_text("Group: A, B, C.")


def test_a_nudge_while_the_one_before_is_being_saved_is_not_lost(page: Page, db: Database) -> None:
    """On a busy machine a second arrow once began from where the fixture was before the first."""
    page.add_init_script(SLOW)
    page.goto("/tanks/1/par-map")
    page.locator('.fixture[data-fixture="1"][tabindex]').focus()
    with page.expect_request("**/setups/1/fixtures"):
        page.keyboard.press("ArrowRight")
    with page.expect_response("**/setups/1/fixtures"):
        page.keyboard.press("ArrowRight")
    with page.expect_response("**/setups/1/fixtures"):
        pass
    assert tanks.open_tank(db, 1).setup().fixtures[0].value.emitter.x == pytest.approx(0.34)


def test_keys_nudge_dim_and_read(page: Page, db: Database) -> None:
    page.goto("/tanks/1/par-map")
    page.locator('.fixture[data-fixture="1"][tabindex]').focus()
    for key in ("ArrowRight", "ArrowRight", "PageUp", "+"):
        page.keyboard.press(key)
    expect(page.locator("[data-step=undo] button")).to_have_attribute("title", re.compile("Undo: change"))
    fixture = tanks.open_tank(db, 1).setup().fixtures[0].value
    assert [round(v, 3) for v in (fixture.emitter.x, fixture.emitter.height, fixture.output)] == [0.34, 0.22, 0.69]
    assert tanks.undo(db, 1)
    assert tanks.steps(db, 1).undo is None
    page.locator(".probe[tabindex]").focus()
    place = page.locator(".readout-place").first.inner_text()
    page.keyboard.press("Shift+ArrowLeft")
    expect(page.locator(".readout-place").first).not_to_have_text(place)
    page.keyboard.press("?")
    expect(page.locator("dialog.help")).to_be_visible()


def test_dimension_is_typed_over_and_a_bad_one_is_refused_beside_it(page: Page, db: Database) -> None:
    page.goto("/tanks/1/par-map")
    page.locator(".dimension[data-field=height]").click()
    page.keyboard.type("high")
    page.keyboard.press("Enter")
    expect(page.locator(".dim-editor .fault")).to_contain_text("is not a number")
    expect(page.locator(".dim-editor input")).to_have_value("high")
    page.locator(".dim-editor input").fill("12 in")
    page.keyboard.press("Enter")
    expect(page.locator(".dimension[data-field=height]")).to_have_attribute("data-text", "30.5")
    assert {round(f.value.emitter.height, 6) for f in tanks.open_tank(db, 1).setup().fixtures} == {0.3048}


def test_field_of_a_fixture_keeps_what_was_typed_when_it_is_wrong(page: Page, db: Database) -> None:
    page.goto("/tanks/1/par-map")
    page.locator("#f-height").fill("500")
    page.keyboard.press("Tab")
    expect(page.locator("#f-height ~ .fault")).to_contain_text("outside the room: 500 cm above the water")
    expect(page.locator("#f-height")).to_have_value("500")
    page.locator("#f-height").fill("30")
    with page.expect_response(re.compile("/fixtures$")):
        page.keyboard.press("Tab")
    assert tanks.open_tank(db, 1).setup().fixtures[0].value.emitter.height == 0.3


def test_verdict_opens_to_its_reason_and_stays_open_while_dimming(page: Page) -> None:
    page.goto("/tanks/1/par-map")
    page.locator(".verdict[data-key=ends] summary").click()
    expect(page.locator(".verdict[data-key=ends]")).to_contain_text("aim for 75 %")
    value = page.locator(".verdict[data-key=ends] .verdict-value").inner_text()
    page.locator('[data-dim="1"]').fill("5")
    expect(page.locator(".verdict[data-key=ends] .verdict-value")).not_to_have_text(value)
    expect(page.locator(".verdict[data-key=ends] .verdict-reason")).to_be_visible()


def test_empty_tank_teaches_the_next_step_up_to_a_placed_coral(page: Page, db: Database) -> None:
    page.goto("/tanks/new")
    page.locator("#name").fill("Window cube")
    page.locator("#length").fill("70")
    page.get_by_role("button", name="Create tank").click()
    expect(page.locator("#verdicts")).to_contain_text("No fixtures yet")
    page.locator("#entry").select_option("cluster")
    page.get_by_role("button", name="Add fixture").click()
    expect(page.locator(".verdict")).to_have_count(9)
    page.get_by_role("link", name="Corals").click()
    page.locator("#card").select_option("Acanthophyllia")
    page.get_by_role("button", name="Add").click()
    page.locator(".zone-list button").first.click()
    expect(page.locator(".fit")).to_contain_text("spot")
    assert tanks.open_tank(db, 2).corals[0].value.place is not None


def test_coral_is_sent_to_a_zone_where_it_fits_and_clicked_to_where_it_does_not(page: Page, db: Database) -> None:
    page.goto("/tanks/1/corals?coral=15")
    page.wait_for_load_state("networkidle")
    fits = page.locator(".zone-list li.yes").first
    assert page.locator(".zone-list li.no .reasons .no").count() > 3
    fits.get_by_role("button", name="Place here").click()
    expect(page.locator(".note-box")).to_contain_text("Suitable spot")
    page.wait_for_load_state()
    placed = tanks.open_tank(db, 1).coral(15).value
    assert placed.place is not None
    dot = middle(page.locator('.coral[data-coral="12"] .coral-dot').first)
    page.mouse.click(dot[0], dot[1] + 40)
    expect(page.locator(".fit .alert")).to_contain_text("too weak by")
    page.wait_for_load_state("networkidle")
    step_back(page)
    expect(page.locator(".note-box")).to_contain_text("Suitable spot")
    assert tanks.open_tank(db, 1).coral(15).value == placed


def test_coral_is_dragged_from_the_list_onto_the_plan(page: Page, db: Database) -> None:
    page.goto("/tanks/1/corals")
    page.wait_for_load_state("networkidle")
    target = page.locator("#plan .surfaces .rock").first
    page.locator('.coral-item[data-coral="16"]').drag_to(target, force=True)
    expect(page.locator(".fit h2").first).to_have_text("Montipora (encrusting)")
    assert tanks.open_tank(db, 1).coral(16).value.place is not None


def test_phone_has_targets_of_44_pixels_and_no_sideways_scroll(page: Page) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/tanks/1/corals?coral=3")
    page.wait_for_load_state("networkidle")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    small = page.evaluate(
        "[...document.querySelectorAll('main button:not(.basis), main select, .coral-item a, header a, header button')]"
        ".filter(e => e.offsetParent && e.getBoundingClientRect().height < 43.5).map(e => e.textContent.trim())"
    )
    assert small == []


def test_phone_shows_whose_light_it_is_and_keeps_the_stations_behind_one_button(page: Page) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/tanks/1/layout?setup=3")
    expect(page.locator(".looked-at")).to_contain_text("Tern Skerry")
    expect(page.locator(".looked-at")).to_contain_text("Halide and T5")
    assert page.locator("h1").bounding_box()["y"] < 120  # type: ignore[index]
    corals = page.get_by_role("link", name="Corals", exact=True)
    expect(corals).to_be_hidden()
    page.get_by_role("button", name="Stations").press("Enter")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    corals.click()
    expect(page).to_have_url(re.compile("/corals"))


def test_layers_switch_the_drawings_and_the_legend(page: Page) -> None:
    page.goto("/tanks/1/par-map")
    page.locator("#layer").select_option("share")
    expect(page.locator("#legend")).to_contain_text("Share of A in the light, %")
    page.locator('[data-select="3"]').click()
    expect(page.locator("#legend")).to_contain_text("Share of C in the light, %")
    page.locator("#layer").select_option("shadow")
    expect(page.locator("#legend")).to_contain_text("Light lost to rock, corals and braces")
    page.locator("#layer").select_option("par")
    expect(page.locator("#legend")).to_contain_text("LPS and soft")


def test_rock_is_dragged_and_resized_on_the_drawing(page: Page, db: Database) -> None:
    tanks.save_rock(db, 1, None, SPUR)
    page.goto("/tanks/1")
    was = tanks.open_tank(db, 1).rock(1).value
    block = page.locator('[data-box="1"][data-view="plan"]')
    with redrawn(page):
        drag(page, middle(block.locator(".rock-grip")), 30, 0)
    moved = tanks.open_tank(db, 1).rock(1).value
    assert moved.x > was.x + 0.05
    assert (moved.y, moved.height) == (was.y, was.height)
    with redrawn(page):
        drag(page, middle(page.locator('[data-box="1"][data-view="front"] .corner-grip')), 0, 30)
    assert tanks.open_tank(db, 1).rock(1).value.height < was.height - 0.05
    drag(page, middle(page.locator('[data-box="1"][data-view="plan"] .rock-grip')), -400, 0)
    expect(page.locator(".tank-picture .chart-fault")).to_contain_text("must be from 0 cm")
    step_back(page)
    expect(page.locator("[data-step=undo] button")).to_have_attribute("title", "Undo: change Spur")
    assert tanks.open_tank(db, 1).rock(1).value == moved


def test_channels_lenses_wear_and_layers_answer_on_the_chart(page: Page, db: Database) -> None:
    page.goto("/tanks/1/par-map?setup=1&fixture=1")
    before, saved = par_at_probe(page), re.compile("/fixtures$")
    with page.expect_response(saved):
        page.locator("#level-1-0").fill("40")
    until(page, lambda: par_at_probe(page) < before)
    assert tanks.open_tank(db, 1).setup(1).fixture(1).value.mix[0] == 0.4
    page.locator("details.fold[data-fold=light] > summary").click()
    # what other lenses would do is said before they are put in
    page.locator('[data-front="60"]').click()
    expect(page.locator(".front-note")).to_contain_text("uniformity")
    expect(page.locator(".front-note")).to_contain_text("cannot be removed again")
    assert round(tanks.open_tank(db, 1).setup(1).fixture(1).value.emitter.fwhm * 57.29578) == 110
    with page.expect_response(saved):
        page.get_by_role("button", name="On this one").click()
    assert round(tanks.open_tank(db, 1).setup(1).fixture(1).value.emitter.fwhm * 57.29578) == 60
    page.locator(".wear summary").click()
    page.locator("#w-glass").select_option("salt")
    with page.expect_response(saved):
        page.locator("[data-wear]").click()
    assert tanks.open_tank(db, 1).setup(1).fixture(1).value.light_loss_factor == 0.82
    expect(page.locator("[data-step=undo] button")).to_have_attribute("title", re.compile("change LED cluster, west"))
    # the panel is drawn again after the answer: what is typed before that is lost
    expect(page.locator("#f-light_loss_factor")).to_have_value("82")
    expect(page.locator(".wear summary")).to_contain_text("answered")
    # watts that do not go with the photon flux are asked about: the same lamp, or a stronger one?
    with page.expect_response(saved):
        page.locator("#f-watts").fill("19")
        page.locator("#f-watts").press("Enter")
    with page.expect_response(saved):
        page.get_by_role("button", name="as usually measured").click()
    expect(page.locator("#f-ppf")).to_have_value("23")
    expect(page.locator(".efficacy")).to_have_count(0)
    for layer, title in (
        ("soft", "under a plate"),
        ("fluctuation", "Shimmer"),
        ("scalar", "PAR on a sphere"),
    ):
        page.locator("#layer").select_option(layer)
        expect(page.locator("#legend")).to_contain_text(title)


def test_another_lamp_in_its_socket_changes_colour_and_flux_at_once(page: Page, db: Database) -> None:
    page.goto("/tanks/1/par-map?setup=2")
    tube = tanks.open_tank(db, 1).setup(2).fixtures[0]
    before = par_at_probe(page)
    with page.expect_response(re.compile("/fixtures$")):
        page.get_by_label("Lamp in its socket").select_option("t5-actinic")
    changed = tanks.open_tank(db, 1).setup(2).fixture(tube.id).value.emitter
    assert changed.ppf == round(0.75 * tube.value.emitter.ppf, 1)
    assert changed.channels[0].name == "Actinic tube"
    until(page, lambda: par_at_probe(page) < before)
    with page.expect_response(re.compile("/fixtures$")):
        page.get_by_label("Lamp in its socket").select_option("t5-blue")
    assert tanks.open_tank(db, 1).setup(2).fixture(tube.id).value.emitter.ppf == tube.value.emitter.ppf


def test_photometry_is_looked_at_before_it_is_kept(page: Page) -> None:
    page.goto("/fixtures")
    page.get_by_text("Import photometry file").click()
    page.set_input_files("#file", {"name": "a.ies", "mimeType": "text/plain", "buffer": GOOD.encode()})
    page.set_input_files("#spectrum", {"name": "a.csv", "mimeType": "text/csv", "buffer": b"450;x\n500;1\n"})
    page.get_by_role("button", name="Preview").click()
    expect(page.get_by_role("alert")).to_contain_text('found "x", expected a power')
    page.set_input_files("#file", {"name": "a.ies", "mimeType": "text/plain", "buffer": GOOD.encode()})
    page.locator("#colours").select_option("cool-white")
    page.get_by_role("button", name="Preview").click()
    expect(page.locator(".lead")).to_contain_text("Nothing is saved")
    page.get_by_label("Weight").fill("heavy")
    page.get_by_role("button", name="Add to library").click()
    expect(page.locator(".fault").first).to_contain_text("is not a number")
    page.get_by_label("Weight").fill("2,5")
    page.get_by_role("button", name="Add to library").click()
    expect(page.locator(".entry-facts")).to_contain_text("2.5 kg")
    expect(page.get_by_role("img", name="Photons by wavelength")).to_be_visible()


def test_tab_reaches_every_fixture_in_order_and_the_focus_stays(page: Page) -> None:
    page.goto("/tanks/1/par-map")
    page.locator('.fixture[data-fixture="1"][tabindex]').focus()
    names = []
    for _ in range(3):
        page.wait_for_timeout(400)
        names.append(page.evaluate("document.activeElement.getAttribute('aria-label')?.slice(0, 1)"))
        page.keyboard.press("Tab")
    assert names == ["A", "B", "C"]
    page.locator('.fixture[data-fixture="1"][tabindex]').focus()
    page.keyboard.press("ArrowRight")
    for act in (step_back, Page.reload):
        with page.expect_navigation():
            act(page)
        page.wait_for_timeout(300)
        assert page.evaluate("document.activeElement.dataset.fixture") == "1"


def test_refusal_stays_until_the_next_act_and_taps_survive_a_dimmer(page: Page, db: Database) -> None:
    page.goto("/tanks/1/par-map")
    was = tanks.open_tank(db, 1).setup().fixtures[0].value
    drag(page, middle(page.locator('.fixture[data-fixture="1"][data-view="front"] .face').first), 0, -400)
    expect(page.locator(".chart-fault").first).to_contain_text("is outside the room")
    page.wait_for_timeout(2500)
    expect(page.locator(".panel > .chart-fault")).to_be_visible()
    page.locator('.fixture[data-fixture="1"][tabindex]').focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator(".panel > .chart-fault")).to_be_hidden()
    page.locator('[data-dim="2"]').fill("40")  # while the tap still waits to be kept
    for _ in range(80):  # a busy machine takes its time to keep both
        page.wait_for_timeout(100)
        now = tanks.open_tank(db, 1).setup().fixtures
        if now[1].value.output == 0.4:
            break
    assert round(now[0].value.emitter.x - was.emitter.x, 4) == 0.01
    assert now[1].value.output == 0.4


def test_fixture_dragged_beside_the_tank_is_said_at_once(page: Page) -> None:
    page.goto("/tanks/1/par-map")
    start = middle(page.locator('.fixture[data-fixture="2"][data-view="plan"]').last)
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(start[0], start[1] - 400, steps=4)
    expect(
        page.locator("#notes, .panel > .chart-fault").filter(has_text=re.compile("beside the tank|outside the room"))
    ).not_to_have_count(0)
    page.mouse.up()


def test_arrow_keys_on_rock_are_one_step_and_load_nothing_anew(page: Page, db: Database) -> None:
    tanks.save_rock(db, 1, None, SPUR)
    page.goto("/tanks/1")
    was = tanks.open_tank(db, 1).rock(1).value
    page.evaluate("window.stayed = true")
    page.locator('[data-box="1"][tabindex]').focus()
    with redrawn(page):
        for _ in range(3):
            page.keyboard.press("ArrowRight")
    assert page.evaluate("window.stayed && document.activeElement.dataset.box") == "1"
    assert round(tanks.open_tank(db, 1).rock(1).value.x - was.x, 4) == 0.03
    assert tanks.undo(db, 1)
    assert tanks.open_tank(db, 1).rock(1).value == was


def test_coral_is_reached_by_key_moved_and_its_place_typed(page: Page, db: Database) -> None:
    page.goto("/tanks/1/corals")
    page.wait_for_load_state("networkidle")
    mark = page.locator(".coral[tabindex]").first
    coral = int(mark.get_attribute("data-coral") or 0)
    was = tanks.open_tank(db, 1).coral(coral).value.place
    assert was
    mark.focus()
    with page.expect_navigation():
        page.keyboard.press("ArrowRight")
        page.keyboard.press("ArrowRight")
    moved = tanks.open_tank(db, 1).coral(coral).value.place
    assert moved
    assert round(moved[0] - was[0], 4) == 0.02
    page.locator("#at_x").fill("900")
    page.get_by_role("button", name="Place coral").click()
    expect(page.locator("#at_x-error")).to_contain_text("From left must be from 0 cm to 150 cm")
    expect(page.locator("#at_x")).to_have_value("900")
    page.locator("#at_x").fill("60 cm")
    page.get_by_role("button", name="Place coral").click()
    expect(page.locator(".fit")).to_contain_text("60 from left")


def test_menu_of_setups_agrees_with_the_drawing_after_back(page: Page) -> None:
    page.goto("/tanks/1/par-map")
    page.locator("#setup").select_option(index=1)
    page.wait_for_url(re.compile("setup="))
    page.go_back()
    expect(page.locator("#setup option:checked")).to_have_text("LED only, as it hangs (in use)")

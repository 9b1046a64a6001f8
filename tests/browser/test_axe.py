"""Every page, in both themes, through axe (package axe-playwright-python, which bundles it): no violation is left."""

from __future__ import annotations

import datetime
from dataclasses import replace

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page

from corlume.formats.measure import Measure
from corlume.services import jobs
from corlume.services.keeping import fixture_library, light_groups, tanks
from corlume.services.search import search_jobs
from corlume.services.search.starting_points import default_request
from corlume.services.survey import rental_week
from corlume.store.database import Database
from tests.browser.conftest import until, whole
from tests.light.test_photometry import GOOD

PAGES = """
/tanks /tanks/new /fixtures /fixtures/hybrid-60 /fixtures/t5-54 /tanks/1 /tanks/1/par-map /tanks/1/light-types
/tanks/1/layout /tanks/1/zones /tanks/1/setups /tanks/1/setups/2/mounting /tanks/1/corals /tanks/1/corals?coral=15
/tanks/1/survey /tanks/1/survey/1 /tanks/1/survey/1/take /tanks/1/survey/1/sheet /tanks/1/survey/compare
/tanks/1/survey/without /tanks/1/survey/photos /tanks/1/survey/photos/1 /tanks/1/survey/week/2 /phone /fixtures/fit
/terms /tanks/1/light-types/fixtures
/tanks/1/corals?coral=3 /tanks/1/corals/all /tanks/1/corals/library?group=lps /tanks/1/corals/library/type?name=Xenia
/tanks/1/corals/flow /tanks/1/corals/spots /tanks/1/corals/check /tanks/1/corals/3/log
/tanks/1/par-map?setup=99999999999999999999
/tanks/1/day?setup=2 /tanks/1/day/plan /tanks/1/day/presets?preset=g0&keep=on /tanks/1/day/controller /tanks/1/day/card
/tanks/1/today /tanks/1/log /tanks/1/log/lamps?edit=1 /tanks/1/log/lamps/change?lamp=1 /tanks/1/log/lamps/labels
/tanks/1/log/cleaning /tanks/1/log/follow-up /tanks/1/log/substitute /tanks/1/log/costs /tanks/1/log/forecast?coral=7
/tanks/1/log/month /tanks/1/rock-scan
/tanks/1/log/light-cause /tanks/1/corals/shop /tanks/1/day/heat?before=25&after=26
/tanks/1/survey/1/points /tanks/1/par-map/3d
/tanks/1/mounting /tanks/1/mounting/power /tanks/1/mounting/checklist?setup=2 /tanks/1/mounting/buying
""".split()


ALONE = {"resultTypes": ["violations"]}
LEFT = """[...document.querySelectorAll("main :is(h1, .crumb, .sheet-box)")]
    .map((one) => one.getBoundingClientRect()).filter((box) => box.width > 1).map((box) => Math.round(box.left))[0]"""
SIDEWAYS = "document.scrollingElement.scrollWidth - innerWidth"


def violations(page: Page) -> list[str]:
    """All that axe finds by day, and what it finds of the colours by night; drawings have colours of their own."""
    found = Axe().run(page, options=ALONE).response["violations"]
    page.evaluate("document.documentElement.dataset.theme = 'night'")
    night = ALONE | {"runOnly": ["color-contrast"]}
    # axe is in the page by now, and long to bring in
    again = page.evaluate("([of, options]) => axe.run(of, options)", [{"exclude": [["svg"]]}, night])
    found += again["violations"]
    return [
        f"{one['id']} ({len(one['nodes'])}): {one['nodes'][0]['html'][:160]} {one['nodes'][0]['failureSummary'][:200]}"
        for one in found
    ]


@pytest.mark.parametrize("third", range(3))
def test_no_page_breaks_a_rule_of_access_or_scrolls_sideways(page: Page, db: Database, third: int) -> None:
    """One visit to each page, all in one frame; last at 640 px, which a window of 1280 px has at 200 % zoom."""
    stored = tanks.open_tank(db, 1)
    light_groups.begin_schedule(db, 1, 2, "dawn")
    rental_week.begin(db, stored, stored.setup(), datetime.date(2026, 11, 20), Measure("cm"))
    found = {}
    for path in PAGES[third::3]:
        page.set_viewport_size({"width": 1280, "height": 800})
        page.goto(path)
        whole(page)
        jobs.stop_all()  # what a page begins by itself, nobody waits for here
        bad = violations(page)
        if (left := page.evaluate(LEFT)) not in (None, 16):
            bad.append(f"begins {left} px from the left, not 16 as all pages")
        page.set_viewport_size({"width": 640, "height": 800})
        if (wide := page.evaluate(SIDEWAYS)) > 0:
            bad.append(f"{wide} px wider than the window at 640 px")
        if bad:
            found[path] = bad
    assert not found, "\n".join(f"{path}: {line}" for path, lines in found.items() for line in lines)


def test_preview_of_a_file_and_results_of_a_search_break_no_rule(page: Page, db: Database) -> None:
    wish = default_request(tanks.open_tank(db, 1), fixture_library.entry(db, "cluster"))
    search = search_jobs.begin(db, 1, 1, replace(wish, counts=(2, 2), heights=(0.25, 0.25)))
    page.goto("/fixtures")
    page.get_by_text("Import photometry file").click()
    page.locator("#file").set_input_files({"name": "a.ies", "mimeType": "text/plain", "buffer": GOOD.encode()})
    page.locator("#ppf").fill("90")
    page.get_by_role("button", name="Preview").click()
    whole(page)
    assert not violations(page)
    until(page, lambda: search_jobs.look(db, 1, search).state == "done")
    page.goto("/tanks/1/layout")
    whole(page)
    assert not violations(page)

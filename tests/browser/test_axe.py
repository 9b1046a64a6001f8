"""Every page, in both themes, through axe (package axe-playwright-python, which bundles it): no violation is left."""

from __future__ import annotations

import datetime

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page

from corlume.formats.measure import Measure
from corlume.services.keeping import fixture_library, tanks
from corlume.services.search import search_jobs
from corlume.services.search.starting_points import default_request
from corlume.services.survey import rental_week
from corlume.store.database import Database
from tests.light.test_photometry import GOOD

PAGES = """
/tanks /tanks/new /shelf /shelf/hybrid-60 /shelf/t5-54 /tanks/1 /tanks/1/chart /tanks/1/chart?setup=2 /tanks/1/kinds
/tanks/1/hang /tanks/1/zones /tanks/1/setups /tanks/1/setups/2/mount /tanks/1/corals /tanks/1/corals?coral=15
/tanks/1/survey /tanks/1/survey/1 /tanks/1/survey/1/take /tanks/1/survey/1/sheet /tanks/1/survey/compare
/tanks/1/survey/without /tanks/1/survey/photos /tanks/1/survey/photos/1 /tanks/1/survey/week/2 /phone /shelf/fit
/words /tanks/1/kinds/shelf
/tanks/1/corals?coral=3 /tanks/1/corals/all /tanks/1/corals/library /tanks/1/corals/library/kind?name=Xenia
/tanks/1/corals/flow /tanks/1/corals/seats /tanks/1/corals/round /tanks/1/corals/3/course
/tanks/1/chart?setup=99999999999999999999
""".split()


def violations(page: Page) -> list[str]:
    """All that axe finds by day, and what it finds of the colours by night."""
    found = Axe().run(page).response["violations"]
    page.evaluate("document.documentElement.dataset.theme = 'night'")
    found += Axe().run(page, options={"runOnly": ["color-contrast"]}).response["violations"]
    return [
        f"{one['id']} ({len(one['nodes'])}): {one['nodes'][0]['html'][:160]} {one['nodes'][0]['failureSummary'][:200]}"
        for one in found
    ]


def test_no_page_breaks_a_rule_of_access(page: Page, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    rental_week.begin(db, stored, stored.setup(), datetime.date(2026, 11, 20), Measure("cm"))
    kind = fixture_library.entry(db, "cluster")
    search_jobs.begin(db, 1, 1, default_request(tanks.open_tank(db, 1), kind))
    found = {}
    for path in PAGES:
        page.goto(path)
        if path == "/tanks/1/hang":
            page.get_by_role("button", name="Stop, keep what is found").wait_for(state="hidden", timeout=60_000)
            page.reload()
        page.wait_for_load_state("networkidle", timeout=30_000)
        if bad := violations(page):
            found[path] = bad
    page.goto("/shelf")
    page.locator("#file").set_input_files({"name": "a.ies", "mimeType": "text/plain", "buffer": GOOD.encode()})
    page.locator("#ppf").fill("90")
    page.get_by_role("button", name="Look at it").click()
    if bad := violations(page):
        found["preview"] = bad
    assert not found, "\n".join(f"{path}: {line}" for path, lines in found.items() for line in lines)

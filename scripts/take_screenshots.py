"""Refresh docs/screenshots from the demo data: serve a fresh demo, then picture every main view."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
WIDE, PHONE = (1280, 800), (390, 844)
VIEWS = [
    ("tank", "/tanks/1", WIDE, {}),
    ("fixtures", "/fixtures/hybrid-60", WIDE, {}),
    ("kinds", "/tanks/1/light-types", WIDE, {}),
    ("light-chart", "/tanks/1/par-map", WIDE, {}),
    ("light-chart-night", "/tanks/1/par-map?setup=2", WIDE, {"theme": "night", "unit": "in"}),
    ("hang", "/tanks/1/layout", WIDE, {}),
    ("forecast", "/tanks/1/log/forecast?coral=7", (1280, 1000), {}),
    ("answers", "/tanks/1/layout?entry=cluster", (1280, 1000), {}),
    ("setups", "/tanks/1/setups", WIDE, {}),
    ("mount", "/tanks/1/mounting", WIDE, {}),
    ("corals", "/tanks/1/corals?coral=15", WIDE, {}),
    ("survey", "/tanks/1/survey/1", (1280, 1000), {}),
    ("survey-phone", "/tanks/1/survey/1/take", PHONE, {}),
    ("today", "/tanks/1/today", WIDE, {}),
    ("log", "/tanks/1/log", WIDE, {}),
    ("flow", "/tanks/1/corals/flow", (1280, 1000), {}),
    ("three-d", "/tanks/1/par-map/3d", WIDE, {}),
    ("day", "/tanks/1/day?setup=2", (1280, 1000), {}),
    ("slow-change", "/tanks/1/day/plan", (1280, 1000), {}),
]


def main() -> None:
    """Take every picture."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as data, sync_playwright() as playwright:
        env = {**os.environ, "CORLUME_DATA": data, "CORLUME_PORT": "0", "PYTHONUNBUFFERED": "1"}
        command = [sys.executable, "-c", "from corlume.cli.main import main; main()", "demo"]
        server = subprocess.Popen(command, env=env, stdout=subprocess.PIPE, text=True)
        assert server.stdout is not None
        found = re.search(r"http://[\d.:]+", server.stdout.readline())
        assert found, "the demo did not start"
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=["--no-sandbox"])
        try:
            for name, path, (width, height), cookies in VIEWS:
                context = browser.new_context(viewport={"width": width, "height": height}, base_url=found[0])
                context.add_cookies([{"name": k, "value": v, "url": found[0]} for k, v in cookies.items()])
                page = context.new_page()
                page.goto(path)
                page.evaluate("document.fonts.ready")
                page.locator(".flow-state").wait_for(state="detached", timeout=60_000)
                slow = {"forecast": 12_000, "three-d": 4000} | dict.fromkeys(("hang", "survey", "today"), 4500)
                page.wait_for_timeout(slow.get(name, 400))
                if name == "hang":
                    page.locator(".hang-answers progress").wait_for(state="hidden", timeout=120_000)
                    page.wait_for_timeout(1000)
                if name == "kinds":
                    page.locator(".order li").nth(8).wait_for(timeout=90_000)
                    page.wait_for_timeout(1000)
                if name == "answers":
                    _search(page)
                page.screenshot(path=FOLDER / f"{name}.png")
                context.close()
        finally:
            browser.close()
            server.terminate()
            server.wait(10)


def _search(page: Page) -> None:
    """Search for the zones of the demo, and go to what is found."""
    page.get_by_label("Goal", exact=True).select_option("zones")
    page.locator(".limits summary").click()
    page.get_by_label("At most").fill("4")
    page.get_by_role("button", name="Search").click()
    page.locator("progress").wait_for(state="hidden", timeout=120_000)
    page.reload()
    page.wait_for_timeout(4500)
    page.get_by_text("Why, and what limits each result").click()
    page.locator(".trade").evaluate("element => element.scrollIntoView()")


if __name__ == "__main__":
    main()

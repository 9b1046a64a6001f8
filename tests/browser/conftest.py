"""The application in a thread, and Debian's chromium to drive it."""

from __future__ import annotations

import shutil
import socket
import threading
from collections.abc import Callable, Iterator

import pytest
import uvicorn
from playwright.sync_api import Browser, Page, expect, sync_playwright

from corlume.settings import Settings
from corlume.store.database import Database
from corlume.web.app import create_app

expect.set_options(timeout=20_000)  # a busy machine takes its time over a tank's first light
ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    path = shutil.which("chromium") or shutil.which("chromium-browser")
    assert path, "chromium is not installed: sh scripts/ensure-chromium.sh"
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=path, args=ARGUMENTS)
        yield browser
        browser.close()


@pytest.fixture
def address(db: Database, monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """The demo, served on a free port; its flow stays the first estimate until a test undoes the patch, as a better one
    would come in the middle of others.
    """
    monkeypatch.setattr("corlume.services.flow.flow_jobs.begin", lambda *_: None)
    listener = socket.socket()
    listener.bind(("127.0.0.1", 0))
    listener.listen()  # from here on a browser waits for the server instead of being refused
    server = uvicorn.Server(uvicorn.Config(create_app(db, Settings()), log_level="error"))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]})
    thread.start()
    yield f"http://127.0.0.1:{listener.getsockname()[1]}"
    server.should_exit = True
    thread.join(10)
    listener.close()


@pytest.fixture
def page(browser: Browser, address: str) -> Iterator[Page]:
    """A page at 1280 x 800 that fails the test on any script error or blocked resource."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=address)
    page = context.new_page()
    faults: list[str] = []
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.on("console", lambda m: faults.append(m.text) if m.type == "error" and "422" not in m.text else None)
    page.set_default_timeout(10_000)
    page.set_default_navigation_timeout(30_000)
    yield page
    context.close()
    assert not faults


def until(page: Page, true: Callable[[], bool]) -> None:
    """Ask again until it is true: what a page draws after an answer comes a moment after the answer."""
    for _ in range(200):
        if true():
            return
        page.wait_for_timeout(100)
    raise AssertionError("it did not come true within 20 s")


def whole(page: Page) -> None:
    """Wait until a page has all its parts, those that come later among them."""
    page.wait_for_load_state()
    expect(page.locator("[x-data=later] [x-ref=here]")).to_have_count(0, timeout=60_000)


def step_back(page: Page) -> None:
    """Undo by key, when the page's scripts are there to hear it and it has something to undo."""
    page.wait_for_load_state()
    expect(page.locator("[data-step=undo] button")).to_be_enabled()
    page.keyboard.press("Control+z")

"""The application in a thread, and Debian's chromium to drive it."""

from __future__ import annotations

import shutil
import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import pytest
import uvicorn
from playwright.sync_api import Browser, ConsoleMessage, Error, Locator, Page, expect, sync_playwright

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


@pytest.fixture(scope="session")
def port() -> Iterator[socket.socket]:
    """A free port for all servers, one after the other; a browser waits for the next one without being refused."""
    with socket.socket(proto=socket.IPPROTO_TCP) as listener:
        listener.bind(("127.0.0.1", 0))
        listener.listen()
        yield listener


@pytest.fixture
def address(port: socket.socket, served: Database, monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """The demo, served; its flow stays the first estimate until a test undoes the patch, as a better one would come in
    the middle of others.
    """
    monkeypatch.setattr("corlume.services.flow.flow_jobs.begin", lambda *_: None)
    server = uvicorn.Server(uvicorn.Config(create_app(served, Settings()), log_level="error"))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [port.dup()]})
    thread.start()
    yield f"http://127.0.0.1:{port.getsockname()[1]}"
    server.should_exit = True
    thread.join(10)


@pytest.fixture(scope="session")
def window(browser: Browser, port: socket.socket) -> Iterator[Page]:
    """One window for all tests: to open one takes longer than most of them."""
    with browser.new_context(base_url=f"http://127.0.0.1:{port.getsockname()[1]}") as context:
        yield context.new_page()


@pytest.fixture
def page(window: Page, address: str) -> Iterator[Page]:  # noqa: ARG001
    """A page at 1280 x 800 without cookies, which fails the test on any script error or blocked resource."""
    faults: list[str] = []

    def on_error(error: Error) -> None:
        faults.append(str(error))

    def on_console(message: ConsoleMessage) -> None:
        meant = "422" in message.text or "ERR_INTERNET_DISCONNECTED" in message.text  # refused, or cut off by the test
        if message.type == "error" and not meant:
            faults.append(message.text)

    window.context.clear_cookies()
    window.set_viewport_size({"width": 1280, "height": 800})
    window.set_default_timeout(20_000)
    window.set_default_navigation_timeout(30_000)
    window.on("pageerror", on_error)
    window.on("console", on_console)
    yield window
    window.evaluate("origin === 'null' || [localStorage, sessionStorage].forEach(kept => kept.clear())")
    window.goto("about:blank")
    window.remove_listener("pageerror", on_error)
    window.remove_listener("console", on_console)
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


def middle(what: Locator) -> tuple[float, float]:
    box = what.bounding_box()
    assert box
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def drag(page: Page, start: tuple[float, float], dx: float, dy: float) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    for k in range(1, 6):
        page.mouse.move(start[0] + dx * k / 5, start[1] + dy * k / 5)
    page.mouse.up()


@contextmanager
def redrawn(page: Page) -> Iterator[None]:
    """Wait until the page has drawn what changed on it, which it does without loading anew."""
    with page.expect_response(lambda r: r.request.resource_type == "fetch" and r.request.method == "GET") as fresh:
        yield
    fresh.value.finished()
    page.wait_for_timeout(60)

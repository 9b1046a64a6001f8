"""The guard in front of every request: host check, cross-site check, size and time limits, headers, last resort."""

from __future__ import annotations

import asyncio
import datetime
import logging
import re
import tempfile
from collections.abc import Awaitable, Callable, Sequence
from itertools import count
from typing import IO, cast

from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import Request
from starlette.responses import PlainTextResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from corlume.store.database import COMMITS
from corlume.web.request.assets import VERSION
from corlume.web.request.device_auth import DeviceAuth

MAX_BODY = 3_000_000
LARGE_BODIES = {"/tanks/import": 60_000_000, "/fixtures/own": 17_000_000, "/restore": 2_000_000_000}
"""Most bytes of a request's body, by the path for those that take files of the keeper's whole record."""
PHOTOS = re.compile(r"/tanks/\d+/(survey/photos|corals/\d+/log/notes|log)")
SCANS = re.compile(r"/tanks/\d+/rock-scan")
PHOTO_BODY = 64_000_000
"""A photo may be 15 MB; one of four times that comes in whole, so that it is refused by its field and what was typed
stays."""
IN_MEMORY, CHUNK = 4_000_000, 1_000_000
PATIENCE = 20.0
"""A request whose body does not come on for so long is given up [s]."""
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}
SAFE = {"GET", "HEAD", "OPTIONS"}
_log = logging.getLogger("corlume")
_NUMBERS = count(1)
"""Numbers of the requests since the start: an answer of 500 has its own, and the log."""

LastResort = Callable[[Request, bool, int], Response]
"""Makes the page for what nobody foresaw; told whether the step was kept."""


class RequestGuard:
    """Refuse invalid requests, set the headers of every answer, and answer when all else fails.

    A browser says with Sec-Fetch-Site, or with Origin in older ones, where a request comes from. A post
    with neither header does not come from a page of another site, so scripts and tests may post. A body is taken in
    whole before anything is done with it, counted as it comes whatever it said of its length.
    """

    def __init__(
        self, app: ASGIApp, *, hosts: Sequence[str], last_resort: LastResort, door: DeviceAuth | None = None
    ) -> None:
        self.app = app
        self.door = door
        self.hosts = {host.lower().strip("[]") for host in hosts}
        self.last_resort = last_resort

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        begun, number = False, next(_NUMBERS)
        said = f"request {number}, {scope['method']} {scope['path']}"

        async def send_guarded(message: Message) -> None:
            nonlocal begun
            if message["type"] == "http.response.start":
                begun = True
                headers = MutableHeaders(scope=message)
                if message["status"] >= 500:
                    headers["X-Request-Number"] = str(number)
                    _log.error("%s: answered %d", said, message["status"])
                for name, value in HEADERS.items():
                    headers[name] = value
                headers["Cache-Control"] = _kept_for(scope)
            await send(message)

        kept: list[frozenset[str]] = []
        COMMITS.set(kept)
        try:
            answer = self._refusal(scope)
            if answer is None and self.door:
                answer = await run_in_threadpool(self.door.refusal, scope, datetime.datetime.now(datetime.UTC))
            with tempfile.SpooledTemporaryFile(max_size=IN_MEMORY) as body:
                if answer is None and scope["method"] not in SAFE:
                    answer = await self._take_in(scope, receive, cast(IO[bytes], body))
                    receive = _given_out(cast(IO[bytes], body))
                await (answer or self.app)(scope, receive, send_guarded)
        except Exception:
            _log.exception("%s was not foreseen", said)
            if begun:
                raise
            await self.last_resort(Request(scope), bool(kept), number)(scope, receive, send_guarded)
        except BaseException:  # the server is told to stop: whoever asked gets an answer of 500 from it
            _log.warning("%s was cut off", said)
            raise

    def _refusal(self, scope: Scope) -> Response | None:
        headers = Headers(scope=scope)
        host = _host_of(headers.get("host", ""))
        if "*" not in self.hosts and host not in self.hosts:
            return PlainTextResponse(
                "This server does not go by that name. Whoever runs it can add the name to CORLUME_HOSTS.", 400
            )
        if scope["method"] not in SAFE and _from_elsewhere(headers):
            return PlainTextResponse("This request came from another site and was refused.", 403)
        return None

    async def _take_in(self, scope: Scope, receive: Receive, body: IO[bytes]) -> Response | None:
        """Read the body; an answer when it is too large, stalls, or stops in the middle."""
        most, size = LARGE_BODIES.get(scope["path"], MAX_BODY), 0
        most = PHOTO_BODY if PHOTOS.fullmatch(scope["path"]) or SCANS.fullmatch(scope["path"]) else most
        while True:
            try:
                message = await asyncio.wait_for(receive(), PATIENCE)
            except TimeoutError:
                words = "The request stopped in the middle and was given up."
                return PlainTextResponse(words, 408, {"Connection": "close"})
            if message["type"] == "http.disconnect":
                return PlainTextResponse("", 400)
            size += len(message.get("body", b""))
            if size > most:
                words = f"That is too big: at most {most / 1e6:g} MB."
                return PlainTextResponse(words, 413, {"Connection": "close"})
            body.write(message.get("body", b""))
            if not message.get("more_body", False):
                body.seek(0)
                return None


def _kept_for(scope: Scope) -> str:
    """Cache-Control of an answer: files addressed by content for good, pages not at all."""
    if not scope["path"].startswith("/static/"):
        return "no-store"  # pages tell of the tank as it is now
    by_content = scope["query_string"].startswith(b"v=") or scope["path"].startswith(f"/static/{VERSION}")
    return "public, max-age=31536000, immutable" if by_content else "no-cache"


def _given_out(body: IO[bytes]) -> Receive:
    """Pass a body read before on to the application."""
    ended = False

    async def receive() -> Message:
        nonlocal ended
        if ended:
            await asyncio.Event().wait()  # nothing more comes; the application is not to think that it has gone
        chunk = body.read(CHUNK)
        ended = len(chunk) < CHUNK
        return {"type": "http.request", "body": chunk, "more_body": not ended}

    return cast(Callable[[], Awaitable[Message]], receive)


_HOST = re.compile(r"(\[[0-9a-f:.]+\]|[a-z0-9_.-]+)(:\d{1,5})?", re.IGNORECASE)


def _host_of(host: str) -> str:
    """Name in a Host header, without its port and the brackets of IPv6; empty for an invalid one."""
    found = _HOST.fullmatch(host)
    return found[1].strip("[]").lower() if found else ""


def _from_elsewhere(headers: Headers) -> bool:
    site = headers.get("sec-fetch-site")
    if site is not None:
        return site not in ("same-origin", "none")
    origin = headers.get("origin")
    return origin is not None and origin.split("://")[-1] != headers.get("host")

"""What stands before every request: size limit, cross-site guard, security headers."""

from __future__ import annotations

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import PlainTextResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

MAX_BODY = 3_000_000
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


class Guard:
    """Refuse posts from other sites and oversized bodies; put the headers on everything.

    A browser says with Sec-Fetch-Site, or with Origin in older ones, where a request comes from. A post
    with neither header does not come from a page of another site, so scripts and tests may post.
    """

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def send_guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers[name] = value
            await send(message)

        refusal = _refusal(scope["method"], Headers(scope=scope))
        await (refusal or self.app)(scope, receive, send_guarded)


def _refusal(method: str, headers: Headers) -> PlainTextResponse | None:
    if method in SAFE:
        return None
    if _from_elsewhere(headers):
        return PlainTextResponse("This request came from another site and was refused.", 403)
    length = headers.get("content-length")
    if length is None or not length.isdigit():
        return PlainTextResponse("A request must say how long it is.", 411)
    if int(length) > MAX_BODY:
        return PlainTextResponse(f"That is too big: at most {MAX_BODY / 1e6:g} MB.", 413)
    return None


def _from_elsewhere(headers: Headers) -> bool:
    site = headers.get("sec-fetch-site")
    if site is not None:
        return site not in ("same-origin", "none")
    origin = headers.get("origin")
    return origin is not None and origin.split("://")[-1] != headers.get("host")

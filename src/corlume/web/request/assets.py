"""Static files: addressed by what is in them, so that a browser can keep them; and pages squeezed on their way."""

from __future__ import annotations

import hashlib
from functools import cache
from pathlib import Path

from starlette.middleware.gzip import GZipMiddleware
from starlette.types import Receive, Scope, Send

STATIC = Path(__file__).parent.parent / "static"


@cache
def asset(name: str) -> str:
    """The address of a static file with a digest of its content; another content has another address."""
    digest = hashlib.sha256((STATIC / name).read_bytes()).hexdigest()[:12]
    return f"/static/{name}?v={digest}"


class SqueezePages(GZipMiddleware):
    """Compress what is read; answers in mid-drag are small enough, and waited for."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        squeeze = scope["type"] == "http" and scope["method"] == "GET"
        await (super().__call__ if squeeze else self.app)(scope, receive, send)

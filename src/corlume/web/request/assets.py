"""Static files: addressed by what is in them, so that a browser can keep them; and pages squeezed on their way."""

from __future__ import annotations

import hashlib
import os
from functools import cache
from pathlib import Path

from fastapi.staticfiles import StaticFiles
from starlette.middleware.gzip import GZipMiddleware
from starlette.types import Receive, Scope, Send

STATIC = Path(__file__).parent.parent / "static"


@cache
def asset(name: str) -> str:
    """The address of a static file with a digest of its content; another content has another address."""
    digest = hashlib.sha256((STATIC / name).read_bytes()).hexdigest()[:12]
    return f"/static/{name}?v={digest}"


@cache
def script(name: str) -> str:
    """The address of a script. Modules import each other by their names, so that a digest of all of them stands before.

    A script that changes gives every script another address.
    """
    return f"/static/{VERSION}{_scripts()}/{name}"


VERSION = "scripts-"
"""What stands before the digest in an address."""


@cache
def _scripts() -> str:
    digest = hashlib.sha256()
    for path in sorted(STATIC.rglob("*.js")):
        digest.update(path.read_bytes())
    return digest.hexdigest()[:12]


class Assets(StaticFiles):
    """Static files by their names, a digest before these passed over."""

    def get_path(self, scope: Scope) -> str:
        """The path of a file in the folder."""
        path = super().get_path(scope)
        first, _, rest = path.partition(os.sep)
        return rest if first.startswith(VERSION) else path


class SqueezePages(GZipMiddleware):
    """Compress what is read; answers in mid-drag are small enough, and waited for."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        squeeze = scope["type"] == "http" and scope["method"] == "GET"
        await (super().__call__ if squeeze else self.app)(scope, receive, send)

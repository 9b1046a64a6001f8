"""Static files, addressed by a digest of their content so that browsers can cache them; and compressed pages."""

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
    """Address of a static file with a digest of its content."""
    digest = hashlib.sha256((STATIC / name).read_bytes()).hexdigest()[:12]
    return f"/static/{name}?v={digest}"


@cache
def script(name: str) -> str:
    """Address of a script. Modules import each other by name, so that one digest of them all comes first.

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
    """Static files by name; a digest before the name is ignored."""

    def get_path(self, scope: Scope) -> str:
        """The path of a file in the folder."""
        path = super().get_path(scope)
        first, _, rest = path.partition(os.sep)
        return rest if first.startswith(VERSION) else path


class SqueezePages(GZipMiddleware):
    """Compress pages; answers during a drag are small, and latency counts."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        squeeze = scope["type"] == "http" and scope["method"] == "GET"
        await (super().__call__ if squeeze else self.app)(scope, receive, send)

"""Requests while the kernels are still being compiled wait a moment, then get the progress."""

from __future__ import annotations

import asyncio

from fastapi.responses import JSONResponse, Response
from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from corlume.services.light.kernels import SOON, Kernels
from corlume.web.request.plain_page import plain_page

AGAIN = 2
"""The page is loaded again after so long [s]."""
STEP = 0.05


class UntilReady:
    """Answer with a page that reloads itself until the kernels are ready."""

    def __init__(self, app: ASGIApp, kernels: Kernels) -> None:
        self.app, self.kernels = app, kernels

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and not scope["path"].startswith("/static"):
            for _ in range(round(SOON / STEP)):
                if self.kernels.ready:
                    break
                await asyncio.sleep(STEP)
            if not self.kernels.ready:
                await self._answer(scope)(scope, receive, send)
                return
        await self.app(scope, receive, send)

    def _answer(self, scope: Scope) -> Response:
        words = "The light model is compiled once after an installation: about half a minute."
        if Headers(scope=scope).get("content-type", "").startswith("application/json"):
            return JSONResponse({"errors": {}, "message": f"{words} Try again then."}, 503)
        text = f"{words} Step {self.kernels.step}. This page opens when it is done."
        answer = plain_page("Getting ready", text, 503, way_out=False)
        answer.headers["Refresh"] = answer.headers["Retry-After"] = str(AGAIN)
        return answer

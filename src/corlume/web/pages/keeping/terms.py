"""Terms of the trade in plain words, with small drawings."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from corlume.web.request.page import page

router = APIRouter()


@router.get("/terms")
def show_terms(request: Request) -> HTMLResponse:
    """All terms on one page."""
    return page(request, "keeping/terms.html", {})

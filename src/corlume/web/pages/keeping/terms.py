"""Terms of the trade in plain words, with small drawings."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from corlume.reference.catalogue import plain_words
from corlume.web.request.page import page

router = APIRouter()


@router.get("/words")
def show_words(request: Request) -> HTMLResponse:
    """All terms on one page."""
    return page(request, "keeping/terms.html", {"words": plain_words()})

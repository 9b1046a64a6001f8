"""A page that needs nothing else, for when the database or the templates fail, and for refused requests."""

from __future__ import annotations

from html import escape

from fastapi.responses import HTMLResponse

from corlume.web.request.assets import asset


def plain_page(title: str, text: str, status: int, *, way_out: bool = True) -> HTMLResponse:
    """A page of a title and a text, both escaped, with a link to the tanks."""
    link = '<p class="mt-5"><a class="button" href="/tanks">All tanks</a></p>' if way_out else ""
    return HTMLResponse(
        '<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Corlume</title>'
        '<meta name="viewport" content="width=device-width, initial-scale=1">'
        f'<link rel="stylesheet" href="{asset("app.css")}"></head><body class="bg-paper text-ink min-h-screen">'
        f'<main class="grow"><section class="narrow"><h1>{escape(title)}</h1><p class="mt-3">{escape(text)}</p>'
        f"{link}</section></main></body></html>",
        status,
    )

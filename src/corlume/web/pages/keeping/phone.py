"""Phones: paired over the home network by a QR code, listed, and unpaired."""

from __future__ import annotations

import datetime
import io
import re

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, HTMLResponse, PlainTextResponse, Response
from markupsafe import Markup

from corlume.core.errors import InvalidInput
from corlume.services.keeping import phone_pairing
from corlume.web.request.assets import STATIC
from corlume.web.request.device_auth import COOKIE, LATE, PAIR, is_loopback
from corlume.web.request.page import Db, FormData, RowId, Unit, error_page, go, page, templates

router = APIRouter()
YEAR = 365 * 24 * 3600


def now() -> datetime.datetime:
    """The time now."""
    return datetime.datetime.now(datetime.UTC)


@router.get("/phone")
def show_phone(request: Request, db: Db) -> HTMLResponse:
    """Paired devices, and how to pair one."""
    return _page(request, db)


@router.post("/phone/link")
def make_link(request: Request, db: Db) -> Response:
    """Show a QR code, valid once and for minutes; only on this machine."""
    if not _at_home(request):
        return error_page(request, 403, "Not from here", "Pair a device from the computer that runs Corlume.")
    address = request.app.state.phone_address
    if not address:
        return go("/phone")
    token, until = phone_pairing.new_link(db, now())
    return _page(request, db, link=f"http://{address}{PAIR}{token}", until=until)


@router.post("/phone/{device_id}/remove")
def remove(request: Request, db: Db, device_id: RowId) -> Response:
    """Unpair a device."""
    if not _at_home(request):
        return error_page(request, 403, "Not from here", "Unpair a device from the computer that runs Corlume.")
    phone_pairing.shut_out(db, device_id)
    return go("/phone")


@router.post("/phone/{device_id}/trust")
def trust(request: Request, db: Db, device_id: RowId, data: FormData) -> Response:
    """Let a device change everything, or only what is done at the tank."""
    if not _at_home(request):
        return error_page(request, 403, "Not from here", "That is set on the machine that Corlume runs on.")
    phone_pairing.trust(db, device_id, trusted=data.get("trusted") == "on")
    return go("/phone")


@router.get("/pair/{token}")
def show_pair(db: Db, token: str) -> HTMLResponse:
    """Ask for the device's name; opening the link alone pairs nothing, as link previews open links."""
    return _pair_page(token, works=phone_pairing.link_works(db, token, now()))


@router.get("/pair/{token}/style.css")
def style(db: Db, token: str) -> Response:
    """Styles of the pairing page, for a device that is not paired yet."""
    if not phone_pairing.link_works(db, token, now()):
        return PlainTextResponse(LATE, 410)
    return FileResponse(STATIC / "app.css")


@router.post("/pair/{token}")
def pair(db: Db, measure: Unit, token: str, data: FormData) -> Response:
    """Pair the device that has the link."""
    try:
        shown = phone_pairing.pair(db, token, data.get("name", ""), now())
    except InvalidInput as error:
        return _pair_page(token, works=True, fault=measure.message(error.errors[0]), name=data.get("name", ""))
    if shown is None:
        return _pair_page(token, works=False)
    answer = go("/tanks")
    answer.set_cookie(COOKIE, shown, max_age=YEAR, httponly=True, samesite="strict")
    return answer


def _pair_page(token: str, *, works: bool, fault: str = "", name: str = "") -> HTMLResponse:
    known = token if re.fullmatch(r"[A-Za-z0-9_-]{1,64}", token) else ""
    text = templates.get_template("keeping/pair.html").render(
        token=known, works=works and known, fault=fault, name=name, minutes=phone_pairing.LINK_MINUTES
    )
    return HTMLResponse(text, 200 if works and not fault else 422 if works else 410)


def _at_home(request: Request) -> bool:
    """Whether a request comes from this machine itself."""
    return request.client is not None and (is_loopback(request.client.host) or not request.app.state.phone_address)


def _page(request: Request, db: Db, *, link: str = "", until: datetime.datetime | None = None) -> HTMLResponse:
    import segno

    code = io.BytesIO()
    if link:
        segno.make(link, error="m").save(code, kind="svg", xmldecl=False, svgns=True, scale=6, border=3)
    context = {
        "devices": phone_pairing.paired(db),
        "address": request.app.state.phone_address,
        "at_home": _at_home(request),
        "link": link,
        "until": until,
        "code": Markup(code.getvalue().decode()),
        "minutes": phone_pairing.LINK_MINUTES,
    }
    return page(request, "keeping/phone.html", context)

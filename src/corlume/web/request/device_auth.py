"""Access from beyond this machine: paired devices, and whoever holds a pairing link."""

from __future__ import annotations

import datetime
import ipaddress
import logging
import threading
from collections import deque
from http.cookies import CookieError, SimpleCookie

from starlette.datastructures import Headers
from starlette.responses import JSONResponse, PlainTextResponse, Response
from starlette.types import Scope

from corlume.services.keeping import phone_pairing
from corlume.store.database import Database
from corlume.store.devices import Device, digest
from corlume.web.request.phone_rights import LIMITED, phone_may
from corlume.web.request.plain_page import plain_page

COOKIE = "corlume_device"
PAIR = "/pair/"
ASK_AGAIN, MOST_KNOWN = datetime.timedelta(seconds=30), 50
"""A device that was let in is asked of the database again after so long; of so many it is remembered."""
WINDOW, MOST_REFUSED = 60.0, 20
"""An address that was refused so often within so many seconds is not listened to for the rest of them."""
REFUSED = "This is not a paired device. Open the page Phone on the machine that Corlume runs on, and scan its code."
LATE = (
    "This link was used, or is too late: it lets one device in, within minutes. Show another code on the page Phone of "
    "the machine that Corlume runs on."
)
_log = logging.getLogger("corlume")


class DeviceAuth:
    """Refuse requests from beyond loopback without a paired device, counted by address and logged, and those that a
    phone may not send.
    """

    def __init__(self, db: Database) -> None:
        self.db = db
        self._refused: dict[str, deque[float]] = {}
        self._admitted: dict[str, tuple[Device, int, datetime.datetime]] = {}
        self._lock = threading.Lock()

    def refusal(self, scope: Scope, now: datetime.datetime) -> Response | None:
        """Answer to a refused request; None for one that may pass."""
        address = scope["client"][0] if scope.get("client") else ""
        if is_loopback(address):
            return None
        if self._too_often(address, now, count=False):
            return PlainTextResponse("Too many requests from this address were refused. Wait a minute.", 429)
        token = _cookie(Headers(scope=scope).get("cookie", ""))
        path = str(scope["path"])
        if token and (device := self._device(token, now)):
            scope.setdefault("state", {})["limited"] = not device.trusted
            return None if device.trusted or phone_may(scope["method"], path) else _limited(scope)
        if path.startswith(PAIR) and phone_pairing.link_works(self.db, path.removeprefix(PAIR).partition("/")[0], now):
            return None
        self._too_often(address, now, count=True)
        _log.warning("refused %s %s from %s, which is not paired", scope["method"], path[:80], address)
        return PlainTextResponse(LATE, 410) if path.startswith(PAIR) else PlainTextResponse(REFUSED, 403)

    def _device(self, token: str, now: datetime.datetime) -> Device | None:
        """Device of a token, cached until devices are written to, or for a while."""
        times, key = self.db.times_written("devices"), digest(token)
        device, then, at = self._admitted.get(key, (None, -1, now))
        if device is None or then != times or now - at > ASK_AGAIN:
            device = phone_pairing.admitted(self.db, token, now)
            if len(self._admitted) >= MOST_KNOWN or device is None:
                self._admitted.clear()
            if device:
                self._admitted[key] = device, self.db.times_written("devices"), now
        return device

    def _too_often(self, address: str, now: datetime.datetime, *, count: bool) -> bool:
        at = now.timestamp()
        with self._lock:
            times = self._refused.setdefault(address, deque())
            while times and times[0] < at - WINDOW:
                times.popleft()
            if count:
                times.append(at)
            if not times:
                del self._refused[address]
            return len(times) > MOST_REFUSED


def _limited(scope: Scope) -> Response:
    if Headers(scope=scope).get("content-type", "").startswith("application/json"):
        return JSONResponse({"errors": {}, "message": LIMITED}, 403)
    return plain_page("Not from this phone", LIMITED, 403)


def is_loopback(address: str) -> bool:
    """Whether an address is this machine itself; the test client has a name for one."""
    try:
        return ipaddress.ip_address(address.partition("%")[0]).is_loopback
    except ValueError:
        return False


def _cookie(header: str) -> str:
    try:
        found = SimpleCookie(header).get(COOKIE)
    except CookieError:
        return ""
    return found.value if found else ""

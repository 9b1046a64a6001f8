"""Pair a phone on the home network: a link that works once and for minutes, and a device that stays until unpaired."""

from __future__ import annotations

import datetime
import secrets
from contextlib import suppress

from corlume.core.errors import Rules
from corlume.core.schema import Text
from corlume.store import devices
from corlume.store.database import Database, Unusable
from corlume.store.devices import Device

LINK_MINUTES = 5
SEEN_AGAIN = datetime.timedelta(minutes=5)
"""That a device came is written down this often at most."""
MOST_DEVICES = 20


def new_link(db: Database, now: datetime.datetime) -> tuple[str, datetime.datetime]:
    """Token of a new pairing link, and its expiry; the link before it stops working."""
    token, until = secrets.token_urlsafe(24), now + datetime.timedelta(minutes=LINK_MINUTES)
    with db.writing() as connection:
        devices.add_pairing(connection, token, until)
    return token, until


def link_works(db: Database, token: str, now: datetime.datetime) -> bool:
    """Whether a pairing link is valid now."""
    with db.reading() as connection:
        until = devices.pairing_until(connection, token)
    return until is not None and now <= until


def pair(db: Database, token: str, name: str, now: datetime.datetime) -> str | None:
    """Pair a device by a link; returns the token that it presents from then on, or None for a used or expired link.

    ``InvalidInput`` names the field "name", and what is too many.
    """
    rules = Rules()
    Text("Name", 40, least=1).check(rules, "name", name)
    rules.finish()
    with db.writing() as connection:
        rules.that(
            len(devices.all_devices(connection)) < MOST_DEVICES, "name",
            f"would be one too many: at most {MOST_DEVICES} devices; shut one out first",
        )  # fmt: skip
        rules.finish()
        until = devices.pairing_until(connection, token)
        if until is None or now > until or not devices.use_pairing(connection, token):
            return None
        shown = secrets.token_urlsafe(32)
        devices.add_device(connection, name.strip(), shown, now)
    return shown


def admitted(db: Database, token: str, now: datetime.datetime) -> Device | None:
    """Device of a token, or None for one that is not paired."""
    with db.reading() as connection:
        device = devices.device_of(connection, token)
    if device is None:
        return None
    if now - device.seen > SEEN_AGAIN:
        # while another program writes it is noted the next time
        with suppress(Unusable), db.writing(patience=0.0) as connection:
            devices.seen(connection, device.id, now)
    return device


def paired(db: Database) -> list[Device]:
    """All paired devices."""
    with db.reading() as connection:
        return devices.all_devices(connection)


def trust(db: Database, device_id: int, *, trusted: bool) -> None:
    """Let a device change everything, or only what is done at the tank."""
    with db.writing() as connection:
        devices.trust_device(connection, device_id, trusted=trusted)


def shut_out(db: Database, device_id: int) -> None:
    """Unpair a device."""
    with db.writing() as connection:
        devices.remove_device(connection, device_id)

"""Pair a phone on the home network: a link that works once and for minutes, a device that stays until shut out."""

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
    """A token for a link that pairs one device, and until when; the link before it no longer does."""
    token, until = secrets.token_urlsafe(24), now + datetime.timedelta(minutes=LINK_MINUTES)
    with db.writing() as connection:
        devices.add_pairing(connection, token, until)
    return token, until


def link_works(db: Database, token: str, now: datetime.datetime) -> bool:
    """Whether a link would pair a device now."""
    with db.reading() as connection:
        until = devices.pairing_until(connection, token)
    return until is not None and now <= until


def pair(db: Database, token: str, name: str, now: datetime.datetime) -> str | None:
    """Pair a device by a link; returns the token that it shows from then on, or None for a link used or late.

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
    """The device of a token, or None for one that is not paired."""
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
    """Every device that may come in."""
    with db.reading() as connection:
        return devices.all_devices(connection)


def trust(db: Database, device_id: int, *, trusted: bool) -> None:
    """Let a device change everything, or only what is done at the tank."""
    with db.writing() as connection:
        devices.trust_device(connection, device_id, trusted=trusted)


def shut_out(db: Database, device_id: int) -> None:
    """Let a device in no more."""
    with db.writing() as connection:
        devices.remove_device(connection, device_id)

"""Every kind of device that Corlume can speak with."""

from __future__ import annotations

from typing import TypeVar

from corlume.devices.controller import Controller, ControllerKind
from corlume.devices.http_controller import HTTP
from corlume.devices.line_meter import LINES
from corlume.devices.meter import HOST, MeterKind
from corlume.devices.mqtt_controller import MQTT

K = TypeVar("K", MeterKind, ControllerKind)

METERS = {kind.key: kind for kind in (LINES,)}
"""Kinds of PAR meters by their keys; the first is meant where an address names none."""


CONTROLLERS = {kind.key: kind for kind in (HTTP, MQTT)}
"""Kinds of light controllers by their keys, likewise."""


def meter_at(address: str) -> tuple[MeterKind, str, int]:
    """Kind, host and port of a meter's address such as ``lines://127.0.0.1:8424``; what it does not say is as usual.

    Raises
    ------
    LookupError : there is no such kind.
    """
    return _at(METERS, address)


def controller_at(address: str) -> Controller:
    """Controller at an address such as ``mqtt://192.168.1.7``; ``LookupError`` for a kind that there is not."""
    kind, host, port = place_of(address)
    return kind.at(host, port)


def place_of(address: str) -> tuple[ControllerKind, str, int]:
    """Kind, host and port of a controller's address; ``LookupError`` for a kind that there is not."""
    return _at(CONTROLLERS, address)


def _at(kinds: dict[str, K], address: str) -> tuple[K, str, int]:
    word, separator, rest = address.rpartition("://")
    kind = kinds[word] if separator else next(iter(kinds.values()))
    host, _, port = rest.rpartition(":")
    if not host and not port.isdigit():  # a host alone
        host, port = port, ""
    return kind, host or HOST, int(port) if port.isdigit() else kind.port

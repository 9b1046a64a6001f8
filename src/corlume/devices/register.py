"""Every kind of device that Corlume can speak with."""

from __future__ import annotations

from corlume.devices.line_meter import LINES
from corlume.devices.meter import HOST, MeterKind

METERS = {kind.key: kind for kind in (LINES,)}
"""Kinds of PAR meters by their keys; the first is meant where an address names none."""


def meter_at(address: str) -> tuple[MeterKind, str, int]:
    """Kind, host and port of a meter's address such as ``lines://127.0.0.1:8424``; what it does not say is as usual.

    Raises
    ------
    LookupError : there is no such kind.
    """
    word, separator, rest = address.rpartition("://")
    kind = METERS[word] if separator else next(iter(METERS.values()))
    host, _, port = rest.rpartition(":")
    return kind, host or HOST, int(port) if port.isdigit() else kind.port

"""Listen to a PAR meter while its probe stands at a spot."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import aclosing

from corlume.devices.meter import HOST, PORT, MeterLost, Place, listen

__all__ = ["MeterLost", "meter_readings"]
MOST_READINGS = 300
"""A needle that has not settled by then does not [-]."""
PASSED_OVER = 2
"""Readings from before the probe stood at its place [-]."""


async def meter_readings(address: str, place: Place) -> AsyncIterator[float]:
    """Readings of the meter that listens at an address, host and port, with its probe at a place [m]; ``MeterLost``
    when it is not there or goes away.
    """
    host, _, port = address.rpartition(":")
    async with aclosing(listen(host or HOST, int(port) if port.isdigit() else PORT, place)) as readings:  # type: ignore[type-var]
        count = 0
        async for par in readings:
            count += 1
            if count > PASSED_OVER:
                yield par
            if count >= MOST_READINGS:
                return

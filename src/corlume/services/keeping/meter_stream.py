"""Readings of a PAR meter while its probe is at a measuring point."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import aclosing

from corlume.devices.meter import MeterLost, Place
from corlume.devices.register import METERS, meter_at

__all__ = ["MeterLost", "meter_readings"]
MOST_READINGS = 300
"""A needle that has not settled by then does not [-]."""
PASSED_OVER = 2
"""Readings from before the probe stood at its place [-]."""


async def meter_readings(address: str, place: Place) -> AsyncIterator[float]:
    """Readings of the meter at an address, with its probe at a place [m]; ``MeterLost`` when it cannot be reached."""
    try:
        kind, host, port = meter_at(address)
    except LookupError as error:
        raise MeterLost(f"No meter speaks as {address} says: its kind is {' or '.join(METERS)}.") from error
    async with aclosing(kind.listen(host, port, place)) as readings:  # type: ignore[type-var]
        count = 0
        async for par in readings:
            count += 1
            if count > PASSED_OVER:
                yield par
            if count >= MOST_READINGS:
                return

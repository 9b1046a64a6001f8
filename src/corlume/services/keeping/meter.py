"""Listen to a PAR meter while its probe stands at a spot."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

from corlume.devices.meter import HOST, PORT, MeterLost, NetworkMeter, Place

__all__ = ["MeterLost", "meter_readings"]
MOST_READINGS = 300
"""A needle that has not settled by then does not [-]."""


def meter_readings(address: str, place: Place) -> Iterator[float]:
    """Readings of the meter that listens at an address, host and port, with its probe at a place [m]; ``MeterLost``
    when it is not there or goes away.
    """
    host, _, port = address.rpartition(":")
    with NetworkMeter(host or HOST, int(port) if port.isdigit() else PORT) as meter:
        meter.stand(place)
        # what it read before the probe stood there is passed over
        yield from islice(meter.readings(), 2, MOST_READINGS)

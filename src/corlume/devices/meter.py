"""A PAR meter: the seam, and its sibling over a socket. docs/meter-protocol.md has the lines.

One reading a line of JSON, ``{"par": 182.4}``, as fast as the meter has them; ``{"error": "..."}`` for words of it.
Towards the meter goes ``{"probe": {"x_cm": 20, "y_cm": 30, "depth_cm": 15}}``, where its probe is about to stand: the
simulated one needs it, a real one passes it over.
"""

from __future__ import annotations

import json
import math
import socket
from collections.abc import Iterator
from types import TracebackType
from typing import Protocol, Self

from corlume.core.units import CM

HOST, PORT = "127.0.0.1", 8424
PATIENCE = 3.0
"""A meter that says nothing for so long is gone [s]."""
LONGEST = 4096
"""Bytes of the longest line that is listened to."""
Place = tuple[float, float, float]


class MeterLost(Exception):
    """Raised when a meter is not there, goes away, or speaks what nobody understands; its words are for the keeper."""


class Meter(Protocol):
    """A quantum sensor that reads PAR where its probe stands."""

    def stand(self, place: Place) -> None:
        """Say where the probe stands: x, y, depth [m]."""

    def readings(self) -> Iterator[float]:
        """PAR as the meter has it, one after the other [umol/m2/s]; ``MeterLost`` when it goes away."""


class NetworkMeter:
    """A meter at the other end of a loopback socket: the simulated one, or the bridge of a real one."""

    def __init__(self, host: str = HOST, port: int = PORT) -> None:
        try:
            self._socket = socket.create_connection((host, port), PATIENCE)
        except OSError as error:
            raise MeterLost(f"No meter answers at {host}:{port}.") from error
        self._lines = self._socket.makefile("rb")

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: type[BaseException] | BaseException | TracebackType | None) -> None:
        self._lines.close()
        self._socket.close()

    def stand(self, place: Place) -> None:
        """Say where the probe stands: x, y, depth [m]."""
        x, y, depth = (round(value / CM, 3) for value in place)
        line = json.dumps({"probe": {"x_cm": x, "y_cm": y, "depth_cm": depth}})
        try:
            self._socket.sendall(line.encode() + b"\n")
        except OSError as error:
            raise MeterLost("The meter has gone away.") from error

    def readings(self) -> Iterator[float]:
        """PAR as the meter has it, one after the other [umol/m2/s]."""
        while True:
            try:
                line = self._lines.readline(LONGEST)
            except OSError as error:
                raise MeterLost("The meter has fallen silent.") from error
            if not line.endswith(b"\n"):
                raise MeterLost("The meter has gone away.")
            yield _par_of(line)


def _par_of(line: bytes) -> float:
    try:
        said = json.loads(line)
        if "error" in said:
            raise MeterLost(f"The meter says: {str(said['error'])[:200]}")
        par = float(said["par"])
    except (ValueError, TypeError, KeyError) as error:
        raise MeterLost("What the meter says is no reading.") from error
    if not math.isfinite(par):
        raise MeterLost("What the meter says is no number.")
    return par

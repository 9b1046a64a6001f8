"""What every kind of PAR meter is: where it is asked, how it is listened to, and how a simulated one is served."""

from __future__ import annotations

from collections.abc import AsyncIterator, Callable, Iterator
from dataclasses import dataclass
from socketserver import TCPServer
from typing import Protocol

HOST = "127.0.0.1"
Place = tuple[float, float, float]
"""Where a probe stands: x, y and depth [m]."""


class MeterLost(Exception):
    """Raised when a meter is not there, goes away, or sends what is no reading; its words are for the keeper."""


class Meter(Protocol):
    """A meter whose probe can be put somewhere, and that is read from then on."""

    def stand(self, place: Place) -> None:
        """Put the probe at x, y, depth [m]."""

    def readings(self) -> Iterator[float]:
        """PAR as the meter shows it [umol/m2/s]; ``MeterLost`` when it goes away."""


@dataclass(frozen=True, slots=True)
class MeterKind:
    """A kind of PAR meter.

    Parameters
    ----------
    key : the word before :// in its address.
    name : how it speaks, in words.
    port : where it listens by default.
    listen : yields PAR [umol/m2/s] from a host and port with the probe at a place; ``MeterLost`` when there is none.
    serve : a server on a loopback port that speaks as this kind does, with a new meter for each that connects.
    """

    key: str
    name: str
    port: int
    listen: Callable[[str, int, Place], AsyncIterator[float]]
    serve: Callable[[int, Callable[[], Meter]], TCPServer]

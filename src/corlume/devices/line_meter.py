"""A PAR meter that speaks in lines of JSON over a loopback socket: the simulated one, or the bridge of a real one.

One reading a line, ``{"par": 182.4}``, as fast as the meter has them; ``{"error": "..."}`` for words of it.
Towards the meter goes ``{"probe": {"x_cm": 20, "y_cm": 30, "depth_cm": 15}}``, where its probe is about to stand: the
simulated one needs it, a real one passes it over. docs/meter-protocol.md has the lines.
"""

from __future__ import annotations

import asyncio
import json
import socket
import socketserver
import threading
from collections.abc import AsyncIterator, Callable
from contextlib import suppress

from corlume.core.survey.survey_record import MOST_PAR
from corlume.core.units import CM
from corlume.devices.meter import HOST, Meter, MeterKind, MeterLost, Place

PORT = 8424
PATIENCE, FIRST_PATIENCE = 3.0, 10.0
"""A meter that sends no whole line for so long is gone, and one whose probe has just been put in [s]."""
LONGEST = 4096
"""Bytes of the longest line that is listened to."""


async def listen(host: str, port: int, place: Place) -> AsyncIterator[float]:
    """Yield PAR as the meter sends it, with its probe at a place x, y, depth [m]; [umol/m2/s].

    No thread waits for it, and the connection ends with the iteration.

    Raises
    ------
    MeterLost : the meter is not there, goes away, is silent for ``PATIENCE`` (for ``FIRST_PATIENCE`` before its first
        reading), or sends what is no reading.
    """
    try:
        async with asyncio.timeout(PATIENCE):
            reader, writer = await asyncio.open_connection(host, port, limit=LONGEST)
    except (OSError, OverflowError) as error:
        raise MeterLost(f"No meter answers at {host}:{port}.") from error
    try:
        x, y, depth = (round(value / CM, 3) for value in place)
        writer.write(json.dumps({"probe": {"x_cm": x, "y_cm": y, "depth_cm": depth}}).encode() + b"\n")
        patience = FIRST_PATIENCE
        while True:
            yield _par_of(await _line(reader, patience))
            patience = PATIENCE
    finally:
        writer.close()


async def _line(reader: asyncio.StreamReader, patience: float) -> bytes:
    try:
        async with asyncio.timeout(patience):
            line = await reader.readline()
    except TimeoutError as error:
        raise MeterLost("No data from the meter.") from error
    except ValueError as error:
        raise MeterLost("What the meter sends is no reading.") from error
    except OSError as error:
        raise MeterLost("The meter has gone away.") from error
    if not line.endswith(b"\n"):
        raise MeterLost("The meter has gone away.")
    return line


def _par_of(line: bytes) -> float:
    try:
        said = json.loads(line)
        if "error" in said:
            raise MeterLost(f"The meter says: {str(said['error'])[:200]}")
        par = said["par"]
    except (ValueError, TypeError, KeyError, RecursionError) as error:
        raise MeterLost("What the meter sends is no reading.") from error
    if isinstance(par, bool) or not isinstance(par, int | float):
        raise MeterLost("What the meter sends is no reading.")
    if not 0 <= par <= MOST_PAR:
        shown = f"{par:.0f} PAR" if abs(par) < 1e6 else "a number without end"
        raise MeterLost(f"The meter sends {shown}: a reading is from 0 to {MOST_PAR:.0f}. Zero it in the dark.")
    return float(par)


class LineMeterServer(socketserver.ThreadingTCPServer):
    """Serves readings to who connects, each with a probe of its own; only over loopback."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, port: int, new_meter: Callable[[], Meter]) -> None:
        self.new_meter = new_meter
        super().__init__((HOST, port), _Line)


class _Line(socketserver.StreamRequestHandler):
    server: LineMeterServer

    def handle(self) -> None:
        meter = self.server.new_meter()
        # nothing is read before the probe stands: it takes a moment on a busy machine
        if self._stand(meter):
            threading.Thread(target=self._follow, args=(meter,), daemon=True).start()
            # it falls away without a word, as a cable does; or nobody listens any more
            with suppress(MeterLost, OSError):
                for par in meter.readings():
                    self.wfile.write(json.dumps({"par": par}).encode() + b"\n")
        with suppress(OSError):
            self.request.shutdown(socket.SHUT_RDWR)

    def _follow(self, meter: Meter) -> None:
        while self._stand(meter):
            pass

    def _stand(self, meter: Meter) -> bool:
        """Put the probe where the next line says; a line that is none is passed over. False when no more come."""
        while True:
            try:
                line = self.rfile.readline(LONGEST)
                if not line:
                    return False
                probe = json.loads(line)["probe"]
                meter.stand((probe["x_cm"] * CM, probe["y_cm"] * CM, probe["depth_cm"] * CM))
                return True
            except OSError:
                return False
            except (ValueError, TypeError, KeyError):
                continue


LINES = MeterKind("lines", "lines of JSON", PORT, listen, LineMeterServer)

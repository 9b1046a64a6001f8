"""A PAR meter at the other end of a loopback socket: the simulated one, or the bridge of a real one.

One reading a line of JSON, ``{"par": 182.4}``, as fast as the meter has them; ``{"error": "..."}`` for words of it.
Towards the meter goes ``{"probe": {"x_cm": 20, "y_cm": 30, "depth_cm": 15}}``, where its probe is about to stand: the
simulated one needs it, a real one passes it over. docs/meter-protocol.md has the lines.
"""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator

from corlume.core.survey.survey_record import MOST_PAR
from corlume.core.units import CM

HOST, PORT = "127.0.0.1", 8424
PATIENCE, FIRST_PATIENCE = 3.0, 10.0
"""A meter that sends no whole line for so long is gone, and one whose probe has just been put in [s]."""
LONGEST = 4096
"""Bytes of the longest line that is listened to."""
Place = tuple[float, float, float]


class MeterLost(Exception):
    """Raised when a meter is not there, goes away, or sends what is no reading; its words are for the keeper."""


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

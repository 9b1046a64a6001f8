"""A meter's stream: the needle settles, what is no reading is told, and a slow meter holds nobody up."""

from __future__ import annotations

import asyncio
import json
import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import aclosing, contextmanager, suppress
from dataclasses import replace
from itertools import count
from threading import Thread

import pytest
from starlette.testclient import TestClient

from corlume.core.survey.reading_settler import ReadingSettler
from corlume.devices.line_meter import LineMeterServer
from corlume.devices.meter import MeterLost
from corlume.devices.simulated_meter import SimulatedMeter, hidden_truth
from corlume.services.keeping import tanks
from corlume.services.keeping.meter_stream import meter_readings
from corlume.services.light.fields import medium_of
from corlume.store.database import Database
from tests import loops


@contextmanager
def speaking_meter(db: Database, kind: type[SimulatedMeter] = SimulatedMeter) -> Iterator[tuple[int, SimulatedMeter]]:
    stored = tanks.open_tank(db, 1)
    tank, fixtures = hidden_truth(stored.lit_tank(), stored.setup().hung, 3)
    clock = count(1000)
    medium, seeds = replace(medium_of(stored.lit_tank()), water=tank.water), count(1)

    def made() -> SimulatedMeter:
        return kind(
            medium, lambda: fixtures, seed=next(seeds), clock=lambda: next(clock), wait=lambda _: time.sleep(0.002)
        )

    server = LineMeterServer(0, made)
    Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield server.server_address[1], made()
    finally:
        server.shutdown()
        server.server_close()


def test_the_needle_settles_near_what_the_probe_stands_in(db: Database) -> None:
    """The simulated meter over its socket: medians within 5 % of the hidden light, strays passed over, ends told."""
    with speaking_meter(db) as (port, twin):
        for place in ((0.3, 0.06, 0.15), (0.75, 0.3, 0.2), (1.2, 0.06, 0.5)):
            twin.stand(place)
            light = float(twin._parts.sum())
            needle = loops.run(settled(port, place))
            assert needle.settled
            assert needle.middle == pytest.approx(light, rel=0.08)
    with pytest.raises(MeterLost, match="No meter answers"):
        loops.run(settled(port, place))


def test_nothing_is_read_before_the_probe_stands(db: Database) -> None:
    """On a busy machine the needle once settled at 0: the meter sent what it had while its probe was being put in."""

    class Slow(SimulatedMeter):
        def stand(self, place: tuple[float, float, float]) -> None:
            time.sleep(0.3)
            super().stand(place)

    with speaking_meter(db, Slow) as (port, _):
        assert min(loops.run(settled(port, (0.75, 0.3, 0.2))).values) > 20


async def settled(port: int, place: tuple[float, float, float]) -> ReadingSettler:
    """The needle of a meter when it has settled, or after so many readings."""
    needle = ReadingSettler()
    async with aclosing(meter_readings(f"127.0.0.1:{port}", place)) as readings:  # type: ignore[type-var]
        async for par in readings:
            needle.add(par)
            if needle.settled:
                break
    return needle


@pytest.mark.parametrize(
    ("line", "words"),
    [
        (b'{"par": ' + b"9" * 400 + b"}", "a number without end"),
        (b'{"par": ' + b"9" * 5000 + b"}", "no reading"),
        (b'{"par": 1e308}', "a number without end: a reading is from 0 to 5000"),
        (b"[" * 3000, "no reading"),
        (b'{"par": -12.5}', "The meter sends -12 PAR"),
        (b'{"par": NaN}', "a number without end"),
        (b'{"par": true}', "no reading"),
        (b'{"error": "battery low"}', "The meter says: battery low"),
    ],
)
def test_what_is_no_reading_is_told_and_ends_the_stream(client: TestClient, line: bytes, words: str) -> None:
    with a_meter(lambda connection: connection.sendall(line + b"\n")) as address:
        client.app.state.meter = address  # type: ignore[attr-defined]
        answer = client.get("/tanks/1/survey/1/meter?spot=1")
        assert answer.status_code == 200
        assert words in json.loads(answer.text.removeprefix("data: "))["lost"]


def test_a_byte_a_second_runs_out_of_patience_and_listeners_hold_no_thread(monkeypatch: pytest.MonkeyPatch) -> None:
    """Twenty listen at once to a meter that never ends a line: no thread more, and every one is told."""
    monkeypatch.setattr("corlume.devices.line_meter.PATIENCE", 1.0)
    monkeypatch.setattr("corlume.devices.line_meter.FIRST_PATIENCE", 1.0)

    def slow(connection: socket.socket) -> None:
        for _ in range(40):
            connection.sendall(b" ")
            time.sleep(0.25)

    async def all_at_once(address: str) -> tuple[list[object], int]:
        before = _threads()
        asked = [asyncio.ensure_future(settled(int(address.rpartition(":")[2]), (0.3, 0.3, 0.2))) for _ in range(20)]
        await asyncio.sleep(0.5)
        return await asyncio.gather(*asked, return_exceptions=True), _threads() - before

    with a_meter(slow) as address:
        found, more = loops.run(all_at_once(address))
    assert more == 0
    assert {str(one) for one in found} == {"No data from the meter."}


def _threads() -> int:
    """How many threads run that are not the meter's."""
    return sum(not thread.name.startswith("meter") for thread in threading.enumerate())


@contextmanager
def a_meter(answer: Callable[[socket.socket], object]) -> Iterator[str]:
    """Something on a loopback socket that answers whoever connects; its address."""
    listener = socket.create_server(("127.0.0.1", 0), backlog=128)

    def one(connection: socket.socket) -> None:
        with connection, suppress(OSError):
            answer(connection)

    def accept() -> None:
        with suppress(OSError):
            while True:
                Thread(target=one, args=(listener.accept()[0],), name="meter", daemon=True).start()

    Thread(target=accept, name="meter", daemon=True).start()
    try:
        yield f"127.0.0.1:{listener.getsockname()[1]}"
    finally:
        listener.shutdown(socket.SHUT_RDWR)
        listener.close()


def test_a_needle_that_climbs_has_not_settled() -> None:
    needle = ReadingSettler()
    for k in range(25):
        needle.add(100.0 + 4 * k)
    assert not needle.settled
    for value in [200.0, 203, 198, 201, 900, 199, 202, 200, 201, 199] * 3:
        needle.add(value)
    assert needle.settled
    assert needle.middle == pytest.approx(200.3, abs=1)

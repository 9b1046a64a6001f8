"""Controllers over HTTP and over Debian's mosquitto: what is sent is read back, told apart, lost and restored."""

from __future__ import annotations

import datetime
import shutil
import socket
import socketserver
import subprocess
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from corlume.devices.controller import ControllerLost, Lamp, LevelsMessage, Point, ScheduleMessage
from corlume.devices.http_controller import HttpController, HttpControllerServer
from corlume.devices.mqtt_controller import MqttControllerServer
from corlume.devices.register import CONTROLLERS, controller_at, meter_at, place_of
from corlume.devices.simulated_controller import SimulatedController
from corlume.services.keeping import light_groups, tanks
from corlume.services.schedule.controller import read_back, schedule_message, send
from corlume.store.database import Database

TODAY = datetime.date(2026, 11, 30)
MOSQUITTO = shutil.which("mosquitto") or shutil.which("mosquitto", path="/usr/sbin")


def free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


@pytest.fixture
def broker(tmp_path: Path) -> Iterator[int]:
    if MOSQUITTO is None:
        pytest.skip("mosquitto is not here: sh scripts/ensure-mosquitto.sh")
    port, config = free_port(), tmp_path / "mosquitto.conf"
    config.write_text(f"listener {port} 127.0.0.1\nallow_anonymous true\n")
    process = subprocess.Popen([MOSQUITTO, "-c", str(config)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    for _ in range(200):
        with socket.socket() as one:
            if one.connect_ex(("127.0.0.1", port)) == 0:
                break
        time.sleep(0.05)
    yield port
    process.terminate()
    process.wait(10)


@pytest.fixture(params=["http", "mqtt"])
def stood_in(request: pytest.FixtureRequest) -> Iterator[tuple[str, SimulatedController]]:
    """The address of a simulated controller, and what is behind it; its clock stands at two in the afternoon."""
    port = request.getfixturevalue("broker") if request.param == "mqtt" else 0
    made = SimulatedController(lambda: 840.0, {"A LED cluster, west": [20.0] * 5})
    server = CONTROLLERS[request.param].serve(port, made)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    if isinstance(server, MqttControllerServer):
        assert server.listens.wait(10)
    yield server.address, made
    server.close()
    thread.join(10)


@pytest.fixture
def wanted(db: Database) -> ScheduleMessage:
    stored = tanks.open_tank(db, 1)
    light_groups.begin_schedule(db, 1, stored.setup().id, "nine")
    stored = tanks.open_tank(db, 1)
    return schedule_message(stored, stored.setup(), TODAY)


def test_a_schedule_is_sent_read_back_lost_and_restored(
    stood_in: tuple[str, SimulatedController], wanted: ScheduleMessage
) -> None:
    address, made = stood_in
    assert read_back(address, wanted).differences == (
        "It holds no schedule: its settings were lost, or it never had any.",
    )
    state = send(address, wanted)
    assert state.right
    assert state.report is not None
    assert state.report.levels["A LED cluster, west"][0] == pytest.approx(wanted.lamps[0].points[1].levels[0], abs=1e-3)
    assert state.report.watts == pytest.approx(20 * sum(wanted.lamps[0].points[1].levels), abs=0.1)
    controller_at(address).set_levels(LevelsMessage(levels={"A LED cluster, west": [0.1] * 5}, minutes=5))
    assert controller_at(address).report().levels["A LED cluster, west"] == [0.1] * 5
    made.cut_power()
    assert not read_back(address, wanted).right
    assert send(address, wanted).right


def test_what_a_controller_holds_otherwise_is_told_by_lamp_time_and_level(wanted: ScheduleMessage) -> None:
    made = SimulatedController(lambda: 600.0, {})
    server = HttpControllerServer(0, made)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    other = wanted.model_copy(deep=True)
    other.lamps[0].points[1].levels[0] = 0.9
    other.lamps[1].points[0].minute += 15
    other.lamps[2].ramp = "smooth"
    made.set_schedule(other)
    told = read_back(server.address, wanted).differences
    server.close()
    assert len(told) == 3
    assert "90 % instead of" in told[0]
    assert "instead of 11:30" in told[1]
    assert "smooth instead of linear" in told[2]


def test_a_controller_that_is_not_there_or_talks_nonsense_is_told(wanted: ScheduleMessage) -> None:
    assert "No controller answers" in read_back(f"http://127.0.0.1:{free_port()}", wanted).fault
    assert "No MQTT broker answers" in read_back(f"mqtt://127.0.0.1:{free_port()}", wanted).fault
    assert "no known controller type" in read_back("smoke://nowhere", wanted).fault
    lost = HttpControllerServer(0, SimulatedController(lambda: 0.0, {}, lost=1.0))
    threading.Thread(target=lost.serve_forever, daemon=True).start()
    assert "No controller answers" in send(lost.address, wanted).fault
    lost.close()

    class Nonsense(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            self.rfile.readline()
            body = b'{"minute": "noon"}'
            self.wfile.write(b"HTTP/1.0 200 OK\r\nContent-Length: %d\r\n\r\n" % len(body) + body)

    with socketserver.TCPServer(("127.0.0.1", 0), Nonsense) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        fault = read_back(f"http://127.0.0.1:{server.server_address[1]}", wanted).fault
        server.shutdown()
    assert fault.startswith("The controller answers nonsense: minute")


def test_a_schedule_out_of_order_is_refused_by_the_controller() -> None:
    made = HttpControllerServer(0, SimulatedController(lambda: 0.0, {}))
    threading.Thread(target=made.serve_forever, daemon=True).start()
    points = [Point(minute=600, levels=[1.0]), Point(minute=500, levels=[0.0])]
    bad = ScheduleMessage.model_construct(
        corlume=1, lamps=[Lamp.model_construct(name="A", ramp="linear", points=points)]
    )
    with pytest.raises(ControllerLost, match="not in the order of the day"):
        HttpController("127.0.0.1", int(made.server_address[1])).set_schedule(bad)
    made.close()


def test_addresses_say_kind_host_and_port() -> None:
    assert [place_of(text)[1:] for text in ("mqtt://192.168.1.7", "http://10.0.0.2:80", "7000")] == [
        ("192.168.1.7", 1883),
        ("10.0.0.2", 80),
        ("127.0.0.1", 7000),
    ]
    assert meter_at("lines://127.0.0.1:8424")[1:] == ("127.0.0.1", 8424)


def test_pages_claim_only_what_was_read_back(client: TestClient) -> None:
    client.app.state.controller = f"http://127.0.0.1:{free_port()}"  # type: ignore[attr-defined]
    text = client.post("/tanks/1/day/controller").text
    assert "Not read back" in text
    assert "Set and read back" not in text
    made = HttpControllerServer(0, SimulatedController(lambda: 840.0, {}))
    threading.Thread(target=made.serve_forever, daemon=True).start()
    client.app.state.controller = made.address  # type: ignore[attr-defined]
    assert "Restore schedule" in client.get("/tanks/1/day/controller").text
    assert "Set and read back" in client.post("/tanks/1/day/controller").text
    made.close()

"""A light controller that is spoken to through an MQTT broker of the home.

Corlume publishes ``corlume/set/schedule``, ``corlume/set/levels`` and ``corlume/ask``; the controller publishes what it
does on ``corlume/report``.
"""

from __future__ import annotations

import queue
import threading
import uuid
from collections.abc import Callable
from contextlib import suppress
from typing import TYPE_CHECKING

from pydantic import ValidationError

from corlume.devices.controller import (
    LARGEST,
    PATIENCE,
    Controller,
    ControllerKind,
    ControllerLost,
    LevelsMessage,
    Report,
    ScheduleMessage,
    report_from,
)
from corlume.devices.meter import HOST

if TYPE_CHECKING:
    import paho.mqtt.client as mqtt

PORT = 1883
SET_SCHEDULE, SET_LEVELS, ASK, REPORT = "corlume/set/schedule", "corlume/set/levels", "corlume/ask", "corlume/report"


def _client() -> mqtt.Client:
    # most keepers have no broker, and need not wait for its package
    import paho.mqtt.client as mqtt
    from paho.mqtt.enums import CallbackAPIVersion

    return mqtt.Client(CallbackAPIVersion.VERSION2, client_id=f"corlume-{uuid.uuid4().hex[:12]}")


class MqttController:
    """The controller behind a broker at a host and port."""

    def __init__(self, host: str, port: int) -> None:
        self._host, self._port = host, port

    def set_schedule(self, schedule: ScheduleMessage) -> None:
        """Hand it a schedule."""
        self._publish(SET_SCHEDULE, schedule.model_dump_json())

    def set_levels(self, levels: LevelsMessage) -> None:
        """Set levels for a while."""
        self._publish(SET_LEVELS, levels.model_dump_json())

    def report(self) -> Report:
        """Ask it what it does."""
        return report_from(self._publish(ASK, "{}"))

    def _publish(self, topic: str, text: str) -> bytes:
        """Publish, and return the report that the controller answers with."""
        answers: queue.Queue[bytes] = queue.Queue()
        ready, client = threading.Event(), _client()
        client.on_connect = lambda client, *_: client.subscribe(REPORT, qos=1)
        client.on_subscribe = lambda *_: ready.set()
        client.on_message = lambda _client, _data, message: answers.put(bytes(message.payload[: LARGEST + 1]))
        try:
            client.connect(self._host, self._port, keepalive=30)
        except (OSError, ValueError) as error:
            raise ControllerLost(f"No MQTT broker answers at {self._host}:{self._port}.") from error
        client.loop_start()
        try:
            if not ready.wait(PATIENCE):
                raise ControllerLost(f"The broker at {self._host}:{self._port} lets nobody listen.")
            client.publish(topic, text, qos=1)
            return answers.get(timeout=PATIENCE)
        except queue.Empty as error:
            raise ControllerLost(f"No controller answers through {self._host}:{self._port}.") from error
        finally:
            client.disconnect()
            client.loop_stop()


class MqttControllerServer:
    """A simulated controller at a broker on this machine."""

    def __init__(self, port: int, controller: Controller) -> None:
        self.controller, self._port, self._client = controller, port, _client()
        self.listens = threading.Event()
        self._client.on_connect = self._subscribe
        self._client.on_subscribe = lambda *_: self.listens.set()
        self._client.on_message = self._heard
        try:
            self._client.connect(HOST, port, keepalive=30)
        except (OSError, ValueError) as error:
            raise OSError(f"no MQTT broker answers at {HOST}:{port}") from error

    @property
    def address(self) -> str:
        """Where it is spoken to."""
        return f"mqtt://{HOST}:{self._port}"

    def serve_forever(self) -> None:
        """Serve until it is closed."""
        self._client.loop_forever()

    def close(self) -> None:
        """End it."""
        self._client.disconnect()

    def _subscribe(self, client: mqtt.Client, *_: object) -> None:
        client.subscribe([(topic, 1) for topic in (SET_SCHEDULE, SET_LEVELS, ASK)])

    def _heard(self, client: mqtt.Client, _: object, message: mqtt.MQTTMessage) -> None:
        acts: dict[str, Callable[[bytes], None]] = {
            SET_SCHEDULE: lambda text: self.controller.set_schedule(ScheduleMessage.model_validate_json(text)),
            SET_LEVELS: lambda text: self.controller.set_levels(LevelsMessage.model_validate_json(text)),
        }
        # what it does not understand it passes over, and says what it does instead; when it is lost it is silent
        with suppress(ControllerLost):
            with suppress(ValidationError):
                if act := acts.get(message.topic):
                    act(bytes(message.payload))
            client.publish(REPORT, self.controller.report().model_dump_json(), qos=1)


MQTT = ControllerKind("mqtt", "MQTT", PORT, MqttController, MqttControllerServer)

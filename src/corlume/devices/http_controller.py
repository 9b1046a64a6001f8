"""A light controller that is spoken to over HTTP: ``PUT /schedule``, ``PUT /levels`` and ``GET /report``."""

from __future__ import annotations

import http.client
import http.server
import json
from http import HTTPStatus

from pydantic import BaseModel, ValidationError

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

PORT = 8425


class HttpController:
    """A controller at a host and port."""

    def __init__(self, host: str, port: int) -> None:
        self._host, self._port = host, port

    def set_schedule(self, schedule: ScheduleMessage) -> None:
        """Hand it a schedule."""
        self._ask("PUT", "/schedule", schedule)

    def set_levels(self, levels: LevelsMessage) -> None:
        """Set levels for a while."""
        self._ask("PUT", "/levels", levels)

    def report(self) -> Report:
        """Ask it what it does."""
        return report_from(self._ask("GET", "/report", None))

    def _ask(self, method: str, path: str, body: BaseModel | None) -> bytes:
        connection = http.client.HTTPConnection(self._host, self._port, timeout=PATIENCE)
        try:
            text = body.model_dump_json().encode() if body else None
            connection.request(method, path, text, {"Content-Type": "application/json"})
            answer = connection.getresponse()
            found = answer.read(LARGEST + 1)
        except (OSError, http.client.HTTPException, OverflowError) as error:
            raise ControllerLost(f"No controller answers at {self._host}:{self._port}.") from error
        finally:
            connection.close()
        if len(found) > LARGEST:
            raise ControllerLost("The controller answers more than a report can be.")
        if answer.status >= HTTPStatus.BAD_REQUEST:
            raise ControllerLost(f"The controller refuses: {_words(found)}.")
        return found


def _words(answer: bytes) -> str:
    """What a refusal says."""
    try:
        return str(json.loads(answer)["error"])[:200]
    except (ValueError, TypeError, KeyError, RecursionError):
        return "it does not say why"


class HttpControllerServer(http.server.ThreadingHTTPServer):
    """Serves a simulated controller; only over loopback."""

    daemon_threads = True

    def __init__(self, port: int, controller: Controller) -> None:
        self.controller = controller
        super().__init__((HOST, port), _Request)

    @property
    def address(self) -> str:
        """Where it is spoken to."""
        return f"http://{HOST}:{self.server_address[1]}"

    def close(self) -> None:
        """End it."""
        self.shutdown()
        self.server_close()


class _Request(http.server.BaseHTTPRequestHandler):
    server: HttpControllerServer

    def do_GET(self) -> None:
        if self.path != "/report":
            self._answer(HTTPStatus.NOT_FOUND, '{"error": "page not found"}')
            return
        try:
            self._answer(HTTPStatus.OK, self.server.controller.report().model_dump_json())
        except ControllerLost:
            self.close_connection = True  # it falls away without a word, as a cable does

    def do_PUT(self) -> None:
        if self.path not in ("/schedule", "/levels"):
            self._answer(HTTPStatus.NOT_FOUND, '{"error": "page not found"}')
            return
        length = min(int(self.headers.get("Content-Length") or 0), LARGEST)
        text = self.rfile.read(length)
        try:
            if self.path == "/schedule":
                self.server.controller.set_schedule(ScheduleMessage.model_validate_json(text))
            else:
                self.server.controller.set_levels(LevelsMessage.model_validate_json(text))
        except ValidationError as error:
            self._answer(HTTPStatus.UNPROCESSABLE_ENTITY, json.dumps({"error": str(error.errors()[0]["msg"])}))
        except ControllerLost:
            self.close_connection = True
        else:
            self._answer(HTTPStatus.OK, "{}")

    def _answer(self, status: HTTPStatus, text: str) -> None:
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(text.encode())))
        self.end_headers()
        self.wfile.write(text.encode())

    def log_message(self, *_: object) -> None:
        """Nothing: what is asked of a simulated controller is no news."""


HTTP = ControllerKind("http", "HTTP", PORT, HttpController, HttpControllerServer)

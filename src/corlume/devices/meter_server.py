"""Put the simulated meter on a loopback socket, for one that listens at a time or several."""

from __future__ import annotations

import json
import socket
import socketserver
import threading
from collections.abc import Callable
from contextlib import suppress

from corlume.core.units import CM
from corlume.devices.meter import HOST, LONGEST, MeterLost
from corlume.devices.simulated_meter import SimulatedMeter


class MeterServer(socketserver.ThreadingTCPServer):
    """Serves readings to who connects, each with a probe of its own; only over loopback."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, port: int, new_meter: Callable[[], SimulatedMeter]) -> None:
        self.new_meter = new_meter
        super().__init__((HOST, port), _Line)


class _Line(socketserver.StreamRequestHandler):
    server: MeterServer

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

    def _follow(self, meter: SimulatedMeter) -> None:
        while self._stand(meter):
            pass

    def _stand(self, meter: SimulatedMeter) -> bool:
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

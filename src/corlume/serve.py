"""Put the application on a socket: where settings, store and web meet."""

from __future__ import annotations

import logging
import logging.handlers
import os
import socket
import threading
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path

import uvicorn

from corlume.services.keeping.daily_copies import copy_every_day
from corlume.services.light.kernels import Kernels
from corlume.settings import Settings
from corlume.store.database import Database, Unusable
from corlume.store.lock import alone
from corlume.web.app import create_app

LOOPBACK = ("::1", "localhost")
GRACE = 1
"""How long answers under way may still take when the server is told to stop [s]."""
OPEN_HOUSE = (
    "It can be reached from other machines, and there is no log-in: whoever reaches it can read and change every tank. "
    "Requests must name it as CORLUME_HOSTS says, for example CORLUME_HOSTS=localhost,reef.local ({hosts} now)."
)


def serve(db: Database, settings: Settings, *, tell: Callable[[str], None], phone: bool = False) -> None:
    """Serve until stopped; ``tell`` gets the address once a browser may come, and what to know about it.

    With ``phone`` it listens on the home network as well, for paired devices alone. ``OSError`` when the port is taken,
    ``Unusable`` when another server has the same folder, or there is no network for a phone.
    """
    with ExitStack() as stack:
        stack.enter_context(alone(db.path))
        listener = stack.enter_context(_listening(settings.host, settings.port))
        listeners, address = [listener], ""
        if phone:
            home = home_address()
            if not home:
                raise Unusable("There is no home network for a phone: this machine has no address beside its own.")
            port = listener.getsockname()[1]
            listeners.append(stack.enter_context(_listening(home, port)))
            address = f"{home}:{port}"
        _log_to(settings.data / "corlume.log")
        host = f"[{settings.host}]" if ":" in settings.host else settings.host
        tell(f"Corlume is at http://{host}:{listener.getsockname()[1]}/ (stop it with Ctrl C)")
        if phone:
            tell(f"A phone can be paired: open http://{host}:{listener.getsockname()[1]}/phone")
        elif settings.host not in LOOPBACK and not settings.host.startswith("127."):
            tell(OPEN_HOUSE.replace("{hosts}", settings.hosts))
        kernels = Kernels()
        kernels.begin(tell)
        stop = threading.Event()
        stack.callback(stop.set)
        threading.Thread(target=copy_every_day, args=(db, stop), daemon=True).start()
        app = create_app(db, settings, phone_address=address, kernels=kernels)
        config = uvicorn.Config(app, log_level="warning", timeout_graceful_shutdown=GRACE, proxy_headers=False)
        try:
            uvicorn.Server(config).run(sockets=listeners)
        except KeyboardInterrupt:
            pass
        finally:
            logging.shutdown()


def _listening(host: str, port: int) -> socket.socket:
    """A socket that listens; from then on a browser waits instead of being refused.

    With its protocol named, as asyncio sends small answers at once (TCP_NODELAY) on such sockets alone: an answer on a
    connection that is kept open comes 40 ms later otherwise.
    """
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    listener = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    try:
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        listener.bind((host, port))
        listener.listen()
    except OSError:
        listener.close()
        raise
    return listener


def home_address() -> str:
    """The address by which this machine is known on its network; empty when it has none. Nothing is sent."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("192.0.2.1", 9))  # an address for documentation: it only asks which way out there is
        except OSError:
            return ""
        address = str(probe.getsockname()[0])
    return "" if address.startswith("127.") else address


class _Printable(logging.Filter):
    """Escapes control characters of a message, so that a path with a line break in it makes no line of its own."""

    def filter(self, record: logging.LogRecord) -> bool:
        text = record.getMessage()
        record.msg, record.args = "".join(c if c.isprintable() else ascii(c)[1:-1] for c in text), ()
        return True


def _log_to(path: Path) -> None:
    """Keep what went wrong in a file of at most 1 MB, and two older ones."""
    try:
        handler = logging.handlers.RotatingFileHandler(path, maxBytes=1_000_000, backupCount=2, encoding="utf-8")
    except OSError as error:
        raise Unusable(f"{path} cannot be written: {error.strerror}.") from error
    os.chmod(path, 0o600)
    handler.addFilter(_Printable())
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s %(message)s"))
    for name in ("corlume", "uvicorn.error"):
        logging.getLogger(name).addHandler(handler)
        logging.getLogger(name).setLevel(logging.WARNING)

"""Put the application on a socket: where settings, store and web meet."""

from __future__ import annotations

import logging
import logging.handlers
import os
import socket
from collections.abc import Callable
from pathlib import Path

import uvicorn

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


def serve(db: Database, settings: Settings, *, tell: Callable[[str], None]) -> None:
    """Serve until stopped; ``tell`` gets the address once a browser may come, and what to know about it.

    ``OSError`` when the port is taken, ``Unusable`` when another server has the same folder.
    """
    family = socket.AF_INET6 if ":" in settings.host else socket.AF_INET
    with alone(db.path), socket.socket(family) as listener:
        _log_to(settings.data / "corlume.log")
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        listener.bind((settings.host, settings.port))
        listener.listen()  # from here on a browser waits instead of being refused
        host = f"[{settings.host}]" if ":" in settings.host else settings.host
        tell(f"Corlume is at http://{host}:{listener.getsockname()[1]}/ (stop it with Ctrl C)")
        if settings.host not in LOOPBACK and not settings.host.startswith("127."):
            tell(OPEN_HOUSE.replace("{hosts}", settings.hosts))
        config = uvicorn.Config(create_app(db, settings), log_level="warning", timeout_graceful_shutdown=GRACE)
        try:
            uvicorn.Server(config).run(sockets=[listener])
        except KeyboardInterrupt:
            pass
        finally:
            logging.shutdown()


def _log_to(path: Path) -> None:
    """Keep what went wrong in a file of at most 1 MB, and two older ones."""
    try:
        handler = logging.handlers.RotatingFileHandler(path, maxBytes=1_000_000, backupCount=2, encoding="utf-8")
    except OSError as error:
        raise Unusable(f"{path} cannot be written: {error.strerror}.") from error
    os.chmod(path, 0o600)
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s %(message)s"))
    for name in ("corlume", "uvicorn.error"):
        logging.getLogger(name).addHandler(handler)
        logging.getLogger(name).setLevel(logging.WARNING)

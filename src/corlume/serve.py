"""Put the application on a socket: where settings, store and web meet."""

from __future__ import annotations

import socket
from collections.abc import Callable

import uvicorn

from corlume.settings import Settings
from corlume.store.database import Database
from corlume.web.app import create_app


def serve(db: Database, settings: Settings, *, tell: Callable[[str], None]) -> None:
    """Serve until stopped; ``tell`` gets the address once a browser may come. ``OSError`` when the port is taken."""
    family = socket.AF_INET6 if ":" in settings.host else socket.AF_INET
    listener = socket.socket(family)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    listener.bind((settings.host, settings.port))
    listener.listen()  # from here on a browser waits instead of being refused
    host = f"[{settings.host}]" if ":" in settings.host else settings.host
    tell(f"http://{host}:{listener.getsockname()[1]}/")
    config = uvicorn.Config(create_app(db, settings), log_level="warning")
    uvicorn.Server(config).run(sockets=[listener])

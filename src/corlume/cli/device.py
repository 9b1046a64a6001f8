"""A simulated device that is served until it is stopped."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable
from typing import TypeVar

import click

S = TypeVar("S")


PARENT = click.option("--parent", type=int, hidden=True, help="Process that starts this one, and that it ends with.")
"""Given by the demo, as one that ends while this one starts can no longer be asked for."""


def until_stopped(serve: Callable[[], None], close: Callable[[], None], *, parent: int | None) -> None:
    """Serve until Ctrl C, or until a ``parent`` that started this process has ended."""
    if parent is not None:
        threading.Thread(target=_end_with_parent, args=(parent,), daemon=True).start()
    try:
        serve()
    except KeyboardInterrupt:
        pass
    finally:
        close()


def _end_with_parent(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(1)
    os._exit(0)


def served(serve: Callable[[int], S], port: int) -> S:
    """A server at a port; words for the keeper where that cannot be."""
    try:
        return serve(port)
    except OSError as error:
        raise click.ClickException(f"Port {port} cannot be used: {error.strerror or error}.") from error

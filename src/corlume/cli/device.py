"""A simulated device that is served until it is stopped."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable


def until_stopped(serve: Callable[[], None], close: Callable[[], None], *, with_parent: bool) -> None:
    """Serve until Ctrl C, or ``with_parent`` until the process that started this one ends."""
    if with_parent:
        threading.Thread(target=_end_with_parent, args=(os.getppid(),), daemon=True).start()
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

"""One server for one database."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from corlume.store.database import Unusable


@contextmanager
def alone(path: Path) -> Iterator[None]:
    """Hold a database for one server; ``Unusable`` when another has it. It ends with the process at the latest."""
    lock = path.with_name(f"{path.name}.lock")
    try:
        file = os.open(lock, os.O_RDWR | os.O_CREAT, 0o600)
    except OSError as error:
        raise Unusable(f"{lock} cannot be written: {error.strerror}.") from error
    try:
        if not _held(file):
            other = os.read(file, 20).decode(errors="replace").strip() or "unknown"
            raise Unusable(
                f"Another Corlume (process {other}) serves {path} already: stop it, or set CORLUME_DATA to another "
                "folder."
            )
        os.ftruncate(file, 0)
        os.pwrite(file, f"{os.getpid()}\n".encode(), 0)
        yield
    finally:
        os.close(file)


def _held(file: int) -> bool:
    """Take hold of a lock file; True where the machine knows no such locks."""
    try:
        import fcntl
    except ImportError:
        return True
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    return True

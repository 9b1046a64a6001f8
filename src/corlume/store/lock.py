"""One server for one database."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from filelock import FileLock, Timeout

from corlume.store.database import Unusable


@contextmanager
def alone(path: Path) -> Iterator[None]:
    """Lock a database for one server until the process ends; ``Unusable`` when another has it."""
    place, holder = path.with_name(f"{path.name}.lock"), path.with_name(f"{path.name}.process")
    lock = FileLock(place, blocking=False, mode=0o600)
    try:
        lock.acquire()
        holder.write_text(str(os.getpid()), encoding="ascii")
    except Timeout as error:
        other = holder.read_text(encoding="ascii") if holder.exists() else "unknown"
        raise Unusable(
            f"Another Corlume (process {other}) serves {path} already: stop it, or set CORLUME_DATA to another folder."
        ) from error
    except OSError as error:
        raise Unusable(f"{place} cannot be written: {error.strerror}.") from error
    try:
        yield
    finally:
        lock.release()

"""Flow solved beside the pages, one tank after the other: begun, watched, and kept with its tank when it is done."""

from __future__ import annotations

import logging
import threading
from dataclasses import dataclass, field
from typing import Literal

from corlume.core.flow.circulation import flow_key
from corlume.services.light.flow import solve, solved_flow
from corlume.store.database import Database, Unusable
from corlume.store.flow_fields import keep_field
from corlume.store.tanks import StoredTank

_log = logging.getLogger(__name__)
_JOBS: dict[tuple[str, int], _Job] = {}
_LOCK, _TURN = threading.Lock(), threading.Lock()
State = Literal["none", "solving", "solved", "failed"]


@dataclass
class _Job:
    """A tank's flow that is being solved: what for, the share that is done [-], and whether it is to stop."""

    key: str
    done: float = 0.0
    failed: bool = False
    stop: threading.Event = field(default_factory=threading.Event)


def begin(db: Database, stored: StoredTank) -> None:
    """Begin to solve the flow of a tank's pumps, unless it is solved or under way; one for other pumps ends."""
    if not stored.pumps or solved_flow(stored):
        return
    key, place = flow_key(stored.tank, [kept.value for kept in stored.pumps]), (str(db.path), stored.id)
    with _LOCK:
        under_way = _JOBS.get(place)
        if under_way and under_way.key == key and not under_way.failed:
            return
        if under_way:
            under_way.stop.set()
        job = _JOBS[place] = _Job(key)

    def told(done: float) -> bool:
        job.done = done
        return job.stop.is_set()

    def run() -> None:
        try:
            with _TURN:
                if job.stop.is_set():
                    return
                found = solve(stored, told)
            if not job.stop.is_set():
                with db.writing() as connection:
                    keep_field(connection, stored.id, found)
        except Unusable:
            job.failed = True
            _log.exception("the flow of tank %d was solved and could not be kept", stored.id)
        except Exception:
            job.failed = True
            _log.exception("the flow of tank %d was not solved", stored.id)
        finally:
            with _LOCK:
                if _JOBS.get(place) is job and not job.failed:
                    del _JOBS[place]

    threading.Thread(target=run, name=f"flow {stored.id}", daemon=True).start()


def progress(db: Database, stored: StoredTank) -> tuple[State, float]:
    """How the flow of a tank stands, and the share of the work that is done [-]."""
    if not stored.pumps:
        return "none", 0.0
    if solved_flow(stored):
        return "solved", 1.0
    job = _JOBS.get((str(db.path), stored.id))
    if job is None or job.key != flow_key(stored.tank, [kept.value for kept in stored.pumps]):
        return "none", 0.0
    return ("failed", 0.0) if job.failed else ("solving", job.done)

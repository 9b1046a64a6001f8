"""Flow solved, and advice on it worked out, beside the pages: begun, watched, and kept when it is there."""

from __future__ import annotations

import logging
import threading
from dataclasses import dataclass, field, replace
from typing import Literal

from corlume.core.flow.circulation import flow_key
from corlume.services.advice.flow_advice import FlowChange, flow_changes
from corlume.services.keeping.pumps import keep_flow
from corlume.services.light.flow import solve, solved_flow
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

_log = logging.getLogger(__name__)
_LOCK, _TURN = threading.Lock(), threading.Lock()
What = Literal["flow", "helps"]
State = Literal["none", "working", "done", "failed"]
MOST_KEPT = 16
"""Jobs that are remembered: of more, the oldest that have ended are let go."""


@dataclass
class Job:
    """Work on a tank's flow: the hash of what it is for, the share that is done [-], how it stands, what it found."""

    key: str
    done: float = 0.0
    state: State = "working"
    changes: list[FlowChange] = field(default_factory=list)
    stop: threading.Event = field(default_factory=threading.Event)


class _Stopped(Exception):
    """Raised inside a job that is not wanted any more."""


_JOBS: dict[tuple[str, int, What], Job] = {}


def begin(db: Database, stored: StoredTank, what: What) -> None:
    """Begin to solve the flow of a tank's pumps, or to look for what helps it, unless that is done or under way; what
    was begun for other pumps ends.
    """
    if not stored.pumps or look(db, stored, what).state in ("working", "done"):
        return
    job = Job(_key(stored))
    with _LOCK:
        for (path, tank_id, other), before in _JOBS.items():
            if (path, tank_id) == (str(db.path), stored.id) and (other == what or before.key != job.key):
                before.stop.set()
        _JOBS.pop((str(db.path), stored.id, what), None)
        for ended in [place for place, one in _JOBS.items() if one.state != "working"][: len(_JOBS) + 1 - MOST_KEPT]:
            del _JOBS[ended]
        _JOBS[str(db.path), stored.id, what] = job

    def told(done: float) -> None:
        job.done = done
        if job.stop.is_set():
            raise _Stopped

    def run() -> None:
        try:
            with _TURN:
                told(0.0)
                if what == "flow":
                    keep_flow(db, stored.id, solve(stored, told))
                else:
                    known = stored if solved_flow(stored) else replace(stored, flow_field=solve(stored))
                    job.changes = flow_changes(known, told)
            job.state = "done"
        except _Stopped:
            job.state = "none"
        except Exception:
            job.state = "failed"
            _log.exception("%s of tank %d was not worked out", what, stored.id)

    threading.Thread(target=run, name=f"{what} {stored.id}", daemon=True).start()


def look(db: Database, stored: StoredTank, what: What) -> Job:
    """How work on the flow of a tank stands, as its pumps are now."""
    key = _key(stored)
    if what == "flow" and solved_flow(stored):
        return Job(key, 1.0, "done")
    job = _JOBS.get((str(db.path), stored.id, what))
    return job if job and job.key == key and not (what == "flow" and job.state == "done") else Job(key, state="none")


def _key(stored: StoredTank) -> str:
    return flow_key(stored.tank, [kept.value for kept in stored.pumps])

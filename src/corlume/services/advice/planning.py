"""Plans looked for beside the pages: begun, watched as better ones come, and stopped."""

from __future__ import annotations

import logging
import threading
import time
from dataclasses import dataclass, field
from itertools import count

from corlume.services.advice.place_all import Plan, plans
from corlume.services.advice.place_case import Asked
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredSetup, StoredTank

_log = logging.getLogger(__name__)
_JOBS: dict[int, Job] = {}
_NUMBERS = count(1)
_LOCK = threading.Lock()
MOST_JOBS = 4
"""More than so many are not looked for at once: the oldest ends."""


@dataclass
class Job:
    """A plan that is being looked for: the newest one and how many there were, and whether it has ended."""

    tank_id: int
    seconds: float
    stop: threading.Event = field(default_factory=threading.Event)
    plan: Plan | None = None
    plans: int = 0
    state: str = "looking"
    begun: float = field(default_factory=time.monotonic)

    @property
    def done(self) -> float:
        """The share of its time that has gone by [-]."""
        return 1.0 if self.state != "looking" else min(0.99, (time.monotonic() - self.begun) / self.seconds)


def begin(stored: StoredTank, setup: StoredSetup, asked: Asked, seconds: float) -> int:
    """Begin to look for a plan in a thread of its own; returns its number. Whoever asks anew ends what was asked before
    for the same tank.
    """
    job, number = Job(stored.id, seconds), next(_NUMBERS)
    with _LOCK:
        ending = [k for k, one in _JOBS.items() if one.tank_id == stored.id]
        ending += list(_JOBS)[: max(0, len(_JOBS) - len(ending) - MOST_JOBS + 1)]
        for key in dict.fromkeys(ending):
            _JOBS.pop(key).stop.set()
        _JOBS[number] = job

    def run() -> None:
        try:
            for plan in plans(stored, setup, asked, seconds=seconds, stopped=job.stop.is_set):
                job.plan, job.plans = plan, job.plans + 1
            job.state = "stopped" if job.stop.is_set() else "done"
        except Exception:
            job.state = "failed"
            _log.exception("plan %d failed", number)

    threading.Thread(target=run, name=f"plan {number}", daemon=True).start()
    return number


def look(tank_id: int, number: int) -> Job:
    """A plan that is being looked for; ``NotFound`` when there is none any more."""
    job = _JOBS.get(number)
    if job is None or job.tank_id != tank_id:
        raise NotFound(f"no plan {number}")
    return job

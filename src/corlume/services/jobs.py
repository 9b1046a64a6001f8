"""Background jobs: queued, run in threads, watched and stopped; and work whose result is kept while nothing changes."""

from __future__ import annotations

import hashlib
import logging
import threading
import time
from collections.abc import Callable, Hashable
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import wait as wait_for
from dataclasses import dataclass, field
from itertools import count
from typing import Any, Literal
from weakref import WeakSet

from corlume.store.database import Database

State = Literal["waiting", "running", "done", "stopped", "failed"]
Owner = tuple[str, int]
"""Path of the database, and id of the tank that a job is for."""
CLOSING = 10.0
"""How long the program waits for the jobs that run as it closes [s]."""
_log = logging.getLogger(__name__)
_NUMBERS = count(1)


def owner_of(db: Database, tank_id: int) -> Owner:
    """The owner of the jobs for a tank."""
    return str(db.path), tank_id


class Stopped(Exception):
    """Raised inside a stopped job when it next reports its progress."""


@dataclass(eq=False)
class Job:
    """A job in a queue: its state, the share done [-], and its result so far.

    ``about`` says of what it was begun, so that work for something that changed since can be told.
    """

    owner: Owner
    key: Hashable
    about: str = ""
    number: int = field(default_factory=_NUMBERS.__next__)
    state: State = "waiting"
    done: float = 0.0
    result: Any = None
    begun: float = 0.0
    """When it began to run, by ``time.monotonic`` [s]."""
    stopping: bool = False
    future: Future[None] | None = field(default=None, repr=False)

    @property
    def under_way(self) -> bool:
        """Whether the job waits or runs."""
        return self.state in ("waiting", "running")

    def tell(self, done: float) -> None:
        """Report the share done; raises ``Stopped`` when the job was stopped."""
        self.done = done
        if self.stopping:
            raise Stopped

    def stop(self) -> None:
        """Stop the job: at once while it waits, else when it next reports its progress."""
        self.stopping = True
        if self.future:
            self.future.cancel()


class Queue:
    """Jobs of one sort, first come, first served: a limited number runs at once, and a limited number that ended is
    kept.
    """

    def __init__(self, name: str, *, at_once: int = 1, remembered: int = 16) -> None:
        self.name, self._remembered = name, remembered
        self._pool = ThreadPoolExecutor(at_once, thread_name_prefix=name)
        self._jobs: dict[tuple[Owner, Hashable], Job] = {}
        self._lock, self._closing = threading.Lock(), False
        _QUEUES.add(self)

    def begin(self, job: Job, work: Callable[[Job], None], ended: Callable[[Job, State], None] | None = None) -> Job:
        """Queue a job, in place of one of the same owner and key, which is stopped.

        ``work`` is called in a thread with the job. ``ended`` is called with the state in which it ends, before that
        can be seen; but not when the program closes.
        """
        place = job.owner, job.key
        with self._lock:
            before = self._jobs.pop(place, None)
            gone = [one for one, other in self._jobs.items() if not other.under_way]
            for one in gone[: max(0, len(gone) + 1 - self._remembered)]:
                del self._jobs[one]
            self._jobs[place] = job
        if before:
            before.stop()
        job.future = self._pool.submit(self._run, job, work)
        job.future.add_done_callback(lambda future: self._end(job, future, ended))
        return job

    def _run(self, job: Job, work: Callable[[Job], None]) -> None:
        job.begun, job.state = time.monotonic(), "running"
        job.tell(0.0)
        work(job)

    def _end(self, job: Job, future: Future[None], ended: Callable[[Job, State], None] | None) -> None:
        error = None if future.cancelled() else future.exception()
        state: State = "stopped" if job.stopping else "done"
        if error and not isinstance(error, Stopped):
            _log.error("%s %s failed", self.name, job.key, exc_info=error)
            state = "failed"
        try:
            if ended and not self._closing:
                ended(job, state)
        except Exception:
            _log.exception("%s %s ended, and that could not be kept", self.name, job.key)
        finally:
            job.state = state

    def find(self, owner: Owner, key: Hashable) -> Job | None:
        """The newest job of an owner and key, or None."""
        return self._jobs.get((owner, key))

    def under_way(self) -> list[Job]:
        """Jobs that wait or run, oldest first."""
        with self._lock:
            return [job for job in self._jobs.values() if job.under_way]

    def close(self) -> None:
        """Stop all jobs, and wait briefly for those that run."""
        self._closing = True
        try:
            jobs = self.under_way()
            for job in jobs:
                job.stop()
            wait_for([job.future for job in jobs if job.future], timeout=CLOSING)
        finally:
            self._closing = False


@dataclass(frozen=True, slots=True)
class Work:
    """State of work beside the pages, with the share done [-] and the result."""

    state: Literal["none", "working", "done", "failed"]
    done: float = 0.0
    result: Any = None


class KeptWork:
    """Work beside the pages, one at a time, whose result is kept as long as what it is about stays the same."""

    def __init__(self, name: str) -> None:
        self.queue = Queue(name)

    def begin(self, owner: Owner, key: Hashable, about: str, run: Callable[[Job], Any]) -> None:
        """Begin it, unless that is done or under way; ``run`` returns the result."""
        if self.look(owner, key, about).state in ("working", "done"):
            return

        def work(job: Job) -> None:
            job.result = run(job)

        self.queue.begin(Job(owner, key, about), work)

    def look(self, owner: Owner, key: Hashable, about: str) -> Work:
        """State of the work for what it is about now."""
        job = self.queue.find(owner, key)
        if job is None or job.about != about or job.state == "stopped":
            return Work("none")
        if job.under_way:
            return Work("working", job.done)
        return Work("failed") if job.state == "failed" else Work("done", 1.0, job.result)

    def soon(self, owner: Owner, key: Hashable, about: str, run: Callable[[Job], Any], *, wait: float) -> Any:
        """The result, begun where it is missing, if it is there within ``wait`` seconds; else None."""
        self.begin(owner, key, about, run)
        job = self.queue.find(owner, key)
        if job and job.future and job.under_way:
            wait_for([job.future], timeout=wait)
        return self.look(owner, key, about).result


def about_of(*parts: object) -> str:
    """Hash of what some work depends on."""
    return hashlib.sha256(repr(parts).encode()).hexdigest()[:24]


_QUEUES: WeakSet[Queue] = WeakSet()


def stop_all() -> None:
    """Stop the jobs of all queues, when the program closes."""
    for queue in list(_QUEUES):
        queue.close()

"""Plans for all unplaced corals, looked for in the background."""

from __future__ import annotations

import time
from dataclasses import dataclass

from corlume.services.jobs import Job, Queue, owner_of
from corlume.services.placement.place_all import Plan, plans
from corlume.services.placement.placement_problem import PlacementRequest
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredSetup, StoredTank

PLANS = Queue("plan", at_once=4)


@dataclass(frozen=True, slots=True)
class _Found:
    """The newest plan, and how many there were; they may take so long [s]."""

    seconds: float
    plan: Plan | None = None
    plans: int = 0


@dataclass(frozen=True, slots=True)
class PlanJob:
    """A plan that is being looked for: the newest one, how many there were, the share of the time that has gone by [-],
    and whether it has ended.
    """

    plan: Plan | None
    plans: int
    done: float
    state: str


def begin(db: Database, stored: StoredTank, setup: StoredSetup, asked: PlacementRequest, seconds: float) -> int:
    """Begin to look for a plan, in place of one for the same tank; returns its number."""

    def run(job: Job) -> None:
        found = plans(stored, setup, asked, seconds=seconds, stopped=lambda: job.stopping)
        for number, plan in enumerate(found, start=1):
            job.result = _Found(seconds, plan, number)

    job = Job(owner_of(db, stored.id), "plan", result=_Found(seconds))
    return PLANS.begin(job, run).number


def look(db: Database, tank_id: int, number: int) -> PlanJob:
    """Return how the search for a plan stands; ``NotFound`` when there is none any more."""
    job = _job(db, tank_id, number)
    found = job.result
    gone = min(0.99, (time.monotonic() - job.begun) / found.seconds) if job.state == "running" else 0.0
    if job.under_way:
        return PlanJob(found.plan, found.plans, gone, "looking")
    return PlanJob(found.plan, found.plans, 1.0, job.state)


def stop(db: Database, tank_id: int, number: int) -> None:
    """Stop looking for a better plan; ``NotFound`` when there is none any more."""
    _job(db, tank_id, number).stop()


def _job(db: Database, tank_id: int, number: int) -> Job:
    job = PLANS.find(owner_of(db, tank_id), "plan")
    if job is None or job.number != number:
        raise NotFound(f"no plan {number}")
    return job

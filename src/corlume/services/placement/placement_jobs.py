"""Background jobs that plan the placement of all unplaced corals."""

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
    """The latest plan, and how many there were, within a time limit [s]."""

    seconds: float
    plan: Plan | None = None
    plans: int = 0


@dataclass(frozen=True, slots=True)
class PlanJob:
    """A planning job: the latest plan, how many there were, the share of the time gone by [-], and whether it has
    ended.
    """

    plan: Plan | None
    plans: int
    done: float
    state: str


def begin(db: Database, stored: StoredTank, setup: StoredSetup, asked: PlacementRequest, seconds: float) -> int:
    """Begin to plan, in place of a job for the same tank; returns its number."""

    def run(job: Job) -> None:
        found = plans(stored, setup, asked, seconds=seconds, stopped=lambda: job.stopping)
        for number, plan in enumerate(found, start=1):
            job.result = _Found(seconds, plan, number)

    job = Job(owner_of(db, stored.id), "plan", result=_Found(seconds))
    return PLANS.begin(job, run).number


def look(db: Database, tank_id: int, number: int) -> PlanJob:
    """Return the state of a planning job; ``NotFound`` when it is gone."""
    job = _job(db, tank_id, number)
    found = job.result
    gone = min(0.99, (time.monotonic() - job.begun) / found.seconds) if job.state == "running" else 0.0
    if job.under_way:
        return PlanJob(found.plan, found.plans, gone, "looking")
    return PlanJob(found.plan, found.plans, 1.0, job.state)


def stop(db: Database, tank_id: int, number: int) -> None:
    """Stop planning; ``NotFound`` when the job is gone."""
    _job(db, tank_id, number).stop()


def _job(db: Database, tank_id: int, number: int) -> Job:
    job = PLANS.find(owner_of(db, tank_id), "plan")
    if job is None or job.number != number:
        raise NotFound(f"no plan {number}")
    return job

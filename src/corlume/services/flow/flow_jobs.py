"""Background jobs that solve the flow and look for changes of pumps that would help."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, get_args

from corlume.core.flow.circulation import flow_key
from corlume.services.flow.pump_changes import FlowChange, flow_changes
from corlume.services.flow.tank_flow import solve, solved_flow
from corlume.services.jobs import Job, Queue, owner_of
from corlume.services.keeping.pumps import keep_flow
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

What = Literal["flow", "helps"]
FLOW = Queue("flow")


@dataclass(frozen=True, slots=True)
class FlowWork:
    """State of a flow job of a tank: none, working, done or failed, with the share done [-] and the result."""

    state: Literal["none", "working", "done", "failed"]
    done: float = 0.0
    changes: Sequence[FlowChange] = ()


def begin(db: Database, stored: StoredTank, what: What) -> None:
    """Begin to solve the flow, or to look for changes that help, unless that is done or under way; jobs for other pumps
    stop.
    """
    if not stored.pumps or look(db, stored, what).state in ("working", "done"):
        return
    owner, key = owner_of(db, stored.id), _key(stored)
    for other in get_args(What):
        before = FLOW.find(owner, other)
        if before and before.about != key:
            before.stop()

    def run(job: Job) -> None:
        if what == "flow":
            keep_flow(db, stored.id, solve(stored, job.tell))
        else:
            known = stored if solved_flow(stored) else replace(stored, flow_field=solve(stored))
            job.result = flow_changes(known, job.tell)

    FLOW.begin(Job(owner, what, key), run)


def look(db: Database, stored: StoredTank, what: What) -> FlowWork:
    """Return the state of a flow job for the tank's pumps as they are now."""
    if what == "flow" and solved_flow(stored):
        return FlowWork("done", 1.0)
    job = FLOW.find(owner_of(db, stored.id), what)
    if job is None or job.about != _key(stored) or job.state == "stopped" or (what == "flow" and job.state == "done"):
        return FlowWork("none")
    if job.under_way:
        return FlowWork("working", job.done)
    return FlowWork("failed") if job.state == "failed" else FlowWork("done", 1.0, job.result)


def _key(stored: StoredTank) -> str:
    return flow_key(stored.tank, [kept.value for kept in stored.pumps])

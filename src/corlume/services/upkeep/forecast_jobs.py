"""The forecast of a tank and suggestions for a coral, worked out beside the pages and kept while nothing changes."""

from __future__ import annotations

import datetime
import hashlib
from collections.abc import Hashable
from concurrent.futures import wait as wait_for
from dataclasses import dataclass
from typing import Any, Literal

from corlume.services.jobs import Job, Queue, owner_of
from corlume.services.upkeep.coral_suggestions import suggestions
from corlume.services.upkeep.forecast import Forecast, forecast
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

FORECASTS = Queue("forecast")


@dataclass(frozen=True, slots=True)
class ForecastWork:
    """State of a forecast, or of the suggestions for a coral, with the share done [-] and the result."""

    state: Literal["none", "working", "done", "failed"]
    done: float = 0.0
    result: Any = None


def begin(db: Database, stored: StoredTank, today: datetime.date, coral: int | None = None) -> None:
    """Begin a forecast, or to look for suggestions for a coral, unless that is done or under way."""
    if look(db, stored, today, coral).state in ("working", "done"):
        return

    def run(job: Job) -> None:
        if coral is None:
            job.result = forecast(db, stored, today, job.tell)
            return
        known = look(db, stored, today).result or forecast(db, stored, today, lambda part: job.tell(0.5 * part))
        one = next((one for one in known.corals if one.id == coral), None)
        job.result = suggestions(stored, today, one, lambda part: job.tell(0.5 + 0.5 * part)) if one else ()

    FORECASTS.begin(Job(owner_of(db, stored.id), _key(coral), _about(stored, today)), run)


def look(db: Database, stored: StoredTank, today: datetime.date, coral: int | None = None) -> ForecastWork:
    """State of the work for the tank as it is now."""
    job = FORECASTS.find(owner_of(db, stored.id), _key(coral))
    if job is None or job.about != _about(stored, today) or job.state == "stopped":
        return ForecastWork("none")
    if job.under_way:
        return ForecastWork("working", job.done)
    return ForecastWork("failed") if job.state == "failed" else ForecastWork("done", 1.0, job.result)


def soon(db: Database, stored: StoredTank, today: datetime.date, coral: int | None = None, *, wait: float) -> Any:
    """The result, begun where it is missing, if it is there within ``wait`` seconds; else None."""
    begin(db, stored, today, coral)
    job = FORECASTS.find(owner_of(db, stored.id), _key(coral))
    if job and job.future and job.under_way:
        wait_for([job.future], timeout=wait)
    return look(db, stored, today, coral).result


def known_forecast(db: Database, stored: StoredTank, today: datetime.date) -> Forecast:
    """The forecast as it is kept, or worked out now."""
    found = soon(db, stored, today, wait=60.0)
    return found if isinstance(found, Forecast) else forecast(db, stored, today)


def _key(coral: int | None) -> Hashable:
    return "forecast" if coral is None else ("suggestions", coral)


def _about(stored: StoredTank, today: datetime.date) -> str:
    """Hash of what a forecast depends on."""
    flow = stored.flow_field.key if stored.flow_field else ""
    ids = [kept.id for kept in stored.corals]
    parts = (stored.scene(), ids, stored.kinds, stored.survey, flow, today)
    return hashlib.sha256(repr(parts).encode()).hexdigest()[:24]

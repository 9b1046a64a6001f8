"""The forecast of a tank and suggestions for a coral, worked out beside the pages and kept while nothing changes."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Hashable
from typing import Any

from corlume.services.jobs import Job, KeptWork, Work, about_of, owner_of
from corlume.services.upkeep.coral_suggestions import suggestions
from corlume.services.upkeep.forecast import Forecast, forecast
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

FORECASTS = KeptWork("forecast")


def begin(db: Database, stored: StoredTank, today: datetime.date, coral: int | None = None) -> None:
    """Begin a forecast, or to look for suggestions for a coral, unless that is done or under way."""
    FORECASTS.begin(owner_of(db, stored.id), _key(coral), _about(stored, today), _run(db, stored, today, coral))


def look(db: Database, stored: StoredTank, today: datetime.date, coral: int | None = None) -> Work:
    """State of the work for the tank as it is now."""
    return FORECASTS.look(owner_of(db, stored.id), _key(coral), _about(stored, today))


def soon(db: Database, stored: StoredTank, today: datetime.date, coral: int | None = None, *, wait: float) -> Any:
    """The result, begun where it is missing, if it is there within ``wait`` seconds; else None."""
    run, about = _run(db, stored, today, coral), _about(stored, today)
    return FORECASTS.soon(owner_of(db, stored.id), _key(coral), about, run, wait=wait)


def known_forecast(db: Database, stored: StoredTank, today: datetime.date) -> Forecast:
    """The forecast as it is kept, or worked out now."""
    found = soon(db, stored, today, wait=60.0)
    return found if isinstance(found, Forecast) else forecast(db, stored, today)


def _run(db: Database, stored: StoredTank, today: datetime.date, coral: int | None) -> Callable[[Job], Any]:
    def run(job: Job) -> Any:
        if coral is None:
            return forecast(db, stored, today, job.tell)
        known = look(db, stored, today).result or forecast(db, stored, today, lambda part: job.tell(0.5 * part))
        one = next((one for one in known.corals if one.id == coral), None)
        return suggestions(stored, today, one, lambda part: job.tell(0.5 + 0.5 * part)) if one else ()

    return run


def _key(coral: int | None) -> Hashable:
    return "forecast" if coral is None else ("suggestions", coral)


def _about(stored: StoredTank, today: datetime.date) -> str:
    """Hash of what a forecast depends on."""
    flow = stored.flow_field.key if stored.flow_field else ""
    ids = [kept.id for kept in stored.corals]
    return about_of(stored.scene(), ids, stored.kinds, stored.survey, flow, today)

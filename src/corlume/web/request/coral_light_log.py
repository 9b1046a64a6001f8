"""After a change of a tank that can change its light, the PAR of its corals and the hours of its lamps are logged."""

from __future__ import annotations

import datetime
from collections.abc import AsyncIterator

from fastapi import Request
from fastapi.concurrency import run_in_threadpool

from corlume.services.acclimation.acclimation import log_light
from corlume.services.upkeep.lamps import note_hours
from corlume.services.upkeep.setup_log import log_setup
from corlume.store.database import COMMITS, Database, Unusable
from corlume.store.tables import NotFound
from corlume.store.tanks import Unreadable
from corlume.web.request.page import database

LIGHT = frozenset({"tanks", "rocks", "braces", "setups", "fixtures", "corals", "racks", "surveys",
                   "light_groups", "day_points", "lamps", "cleanings", "cleaning_rhythms"})  # fmt: skip
"""Tables that the light of corals follows from."""


async def light_recorded(request: Request) -> AsyncIterator[None]:
    """Dependency of a tank's routes: logs after the answer is sent, so that no page waits for it."""
    yield
    tank_id = request.path_params.get("tank_id", "")
    written = any(LIGHT & tables for tables in COMMITS.get() or ())
    if written and request.method == "POST" and tank_id.isdecimal() and len(tank_id) < 19:
        try:
            await run_in_threadpool(log_changes, database(request), int(tank_id))
        except (NotFound, Unreadable, Unusable):
            return  # a tank that is gone or cannot be read has no light to write down


def log_changes(db: Database, tank_id: int) -> None:
    log_light(db, tank_id, datetime.date.today())
    note_hours(db, tank_id, datetime.date.today())
    log_setup(db, tank_id, datetime.datetime.now())

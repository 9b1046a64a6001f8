"""After each change of a tank the light of its corals is written into their time lines where it is another."""

from __future__ import annotations

import datetime
from collections.abc import Iterator

from fastapi import Request

from corlume.services.acclimation.acclimation import log_light
from corlume.store.database import Unusable
from corlume.store.tables import NotFound
from corlume.store.tanks import Unreadable
from corlume.web.request.page import database


def light_recorded(request: Request) -> Iterator[None]:
    """What routes of a tank depend on: it works once their answer is sent, so that no hand waits for it."""
    yield
    tank_id = request.path_params.get("tank_id", "")
    if request.method == "POST" and tank_id.isdecimal() and len(tank_id) < 19:
        try:
            log_light(database(request), int(tank_id), datetime.date.today())
        except (NotFound, Unreadable, Unusable):
            return  # a tank that is gone or cannot be read has no light to write down

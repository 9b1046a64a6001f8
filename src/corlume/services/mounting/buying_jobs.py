"""Buying in stages, worked out beside the page and kept while nothing changes."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence

from corlume.core.errors import InvalidInput
from corlume.services.jobs import Job, KeptWork, Work, about_of, owner_of
from corlume.services.mounting.buying import BuyingPlan, BuyingRequest, check_buying, plan_buying
from corlume.services.mounting.owned import Owned
from corlume.store.database import Database
from corlume.store.tanks import StoredTank

BUYING = KeptWork("buying")


def begin(db: Database, stored: StoredTank, shelf: Sequence[Owned], wish: BuyingRequest) -> None:
    """Begin to plan, unless that is done or under way; ``InvalidInput`` by field for a request that cannot be."""
    check_buying(stored, wish)
    BUYING.begin(owner_of(db, stored.id), "stages", _about(stored, shelf, wish), _run(stored, shelf, wish))


def look(db: Database, stored: StoredTank, shelf: Sequence[Owned], wish: BuyingRequest) -> Work:
    """How far the plan for a request is."""
    return BUYING.look(owner_of(db, stored.id), "stages", _about(stored, shelf, wish))


def soon(
    db: Database, stored: StoredTank, shelf: Sequence[Owned], wish: BuyingRequest, *, wait: float
) -> BuyingPlan | None:
    """The plan, begun where it is missing, if it is there within ``wait`` seconds; else None.

    ``InvalidInput`` by field for a request that cannot be, or was found to have no answer.
    """
    check_buying(stored, wish)
    run, about = _run(stored, shelf, wish), _about(stored, shelf, wish)
    found = BUYING.soon(owner_of(db, stored.id), "stages", about, run, wait=wait)
    if isinstance(found, InvalidInput):
        raise InvalidInput(found.errors)
    return found if isinstance(found, BuyingPlan) else None


def _run(stored: StoredTank, shelf: Sequence[Owned], wish: BuyingRequest) -> Callable[[Job], BuyingPlan | InvalidInput]:
    def run(job: Job) -> BuyingPlan | InvalidInput:
        try:
            return plan_buying(stored, shelf, wish, job.tell)
        except InvalidInput as error:
            return error

    return run


def _about(stored: StoredTank, shelf: Sequence[Owned], wish: BuyingRequest) -> str:
    ids = [kept.id for kept in stored.corals]
    return about_of(stored.scene(), ids, stored.kinds, stored.survey, list(shelf), wish, datetime.date.today())

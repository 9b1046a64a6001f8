"""The follow-up of a big change: what was read, seen and photographed before it and since."""

from __future__ import annotations

import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from corlume.core.acclimation.log_entry import COLOUR, POLYPS, TISSUE, LogEntry
from corlume.services.keeping import tanks
from corlume.services.upkeep.follow_up import big_changes, follow_up
from corlume.web.request.page import Db, RowId, page

router = APIRouter(prefix="/tanks/{tank_id}/log/follow-up")


@router.get("")
def show_follow_up(
    request: Request, db: Db, tank_id: RowId, day: Annotated[str, Query(max_length=10)] = ""
) -> HTMLResponse:
    """Before and after a day, by default that of the latest big change."""
    stored, today = tanks.open_tank(db, tank_id), datetime.date.today()
    changes, fault, wanted = big_changes(db, stored, today), "", None
    try:
        wanted = datetime.date.fromisoformat(day) if day else (changes[0].day if changes else None)
    except ValueError:
        fault = "is no day: write it as 2026-03-31"
    if wanted and wanted > today:
        fault, wanted = "is in the future", None
    context: dict[str, Any] = {
        "stored": stored,
        "changes": changes,
        "chosen": next((one for one in changes if one.day == wanted), None),
        "found": follow_up(db, stored, wanted, today) if wanted else None,
        "typed": {"day": day or (wanted.isoformat() if wanted else "")},
        "faults": {"day": fault} if fault else {},
        "date": today,
        "looks": _looks,
    }
    return page(request, "upkeep/follow_up.html", context, tank=stored, status=422 if fault else 200)


def _looks(check: LogEntry) -> list[str]:
    """What was seen at a check, in words."""
    seen: list[tuple[str, str]] = [
        (check.polyps, POLYPS[check.polyps]), (check.tissue, TISSUE[check.tissue]), (check.colour, COLOUR[check.colour])
    ]  # fmt: skip
    return [words for key, words in seen if key] or ["checked"]

"""Daily copies of all data beside the database, photos included, with a rule for which of them stay."""

from __future__ import annotations

import datetime
import logging
import re
import threading
from collections.abc import Collection
from pathlib import Path

from corlume.store.database import Database, Unusable, copy_file

FOLDER = "copies"
DAYS, WEEKS, MONTHS = 7, 5, 12
"""Of so many days, weeks and months the latest copy stays; our choice."""
HOUR = 3600.0
log = logging.getLogger("corlume")


def folder_of(db: Database) -> Path:
    """Folder of the copies of a database."""
    return db.path.parent / FOLDER


def copies(db: Database) -> dict[datetime.date, Path]:
    """The copies of a database by their days, the newest first."""
    pattern = re.compile(rf"{re.escape(db.path.stem)}-(\d{{4}}-\d\d-\d\d)\.db")
    found = {}
    for path in folder_of(db).glob("*.db"):
        if name := pattern.fullmatch(path.name):
            found[datetime.date.fromisoformat(name[1])] = path
    return dict(sorted(found.items(), reverse=True))


def days_that_stay(days: Collection[datetime.date], today: datetime.date) -> set[datetime.date]:
    """Days whose copies stay: the latest of each of the last ``DAYS``, ``WEEKS`` and ``MONTHS`` that have one."""
    stay, newest_first = set[datetime.date](), sorted(days, reverse=True)
    for most, part in ((DAYS, "%Y-%m-%d"), (WEEKS, "%G-%V"), (MONTHS, "%Y-%m")):
        latest: dict[str, datetime.date] = {}
        for day in newest_first:
            latest.setdefault(day.strftime(part), day)
        stay |= set(list(latest.values())[:most])
    return stay | {day for day in days if day > today}  # of a clock that was set back: nothing is lost for it


def make_daily_copy(db: Database, today: datetime.date) -> Path | None:
    """Copy a database if it has no copy of today, and delete those that need not stay; returns the copy.

    ``Unusable`` where it cannot be written; then older copies stay as they are.
    """
    there = copies(db)
    if today in there:
        return None
    try:
        folder_of(db).mkdir(mode=0o700, exist_ok=True)
    except OSError as error:
        raise Unusable(f"{folder_of(db)} cannot be used: {error.strerror}.") from error
    target = folder_of(db) / f"{db.path.stem}-{today.isoformat()}.db"
    copy_file(db.path, target)
    for day in there.keys() - days_that_stay([*there, today], today):
        there[day].unlink(missing_ok=True)
    return target


def copy_every_day(db: Database, stop: threading.Event) -> None:
    """Make the copy of each day while a server runs, until ``stop`` is set; what goes wrong is logged."""
    while True:
        try:
            make_daily_copy(db, datetime.date.today())
        except (Unusable, OSError) as error:
            log.warning("no copy was made today: %s", error)
        if stop.wait(HOUR):
            return

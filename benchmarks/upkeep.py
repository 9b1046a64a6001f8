"""What five years of a tank cost: Today, a search in its log, and a backup of it."""

from __future__ import annotations

import datetime
import os
import tempfile
from dataclasses import replace
from pathlib import Path

from benchmarks.clock import clock, row, sized
from corlume.core.acclimation.log_entry import LogEntry
from corlume.core.upkeep.cleaning import Cleaning
from corlume.core.upkeep.lamp import Lamp
from corlume.core.upkeep.log_event import LogEvent
from corlume.services.keeping import backup, demo, tanks
from corlume.services.upkeep import log
from corlume.services.upkeep.today import look_at_today
from corlume.store.blobs import keep_blob
from corlume.store.database import Database
from corlume.store.tables import CLEANINGS, CORAL_NOTES, EVENTS, LAMPS, SURVEYS

NOW = datetime.datetime(2026, 11, 30, 14, 0)
DAYS = 5 * 365
PICTURE = 1_700_000
"""Bytes of a photo, so that three hundred of them make a record of half a gigabyte."""


def _five_years(folder: Path) -> Database:
    """The demo with ten thousand entries in its logs, a hundred surveys and three hundred photos."""
    db = Database(folder / "years.db")
    demo.seed(db)
    stored = tanks.open_tank(db, 1)
    with db.reading() as connection:
        survey = SURVEYS.load(connection, 1)[0].value
    entries, surveys, photos = sized(10_000, 200), sized(100, 2), sized(300, 3)
    with db.writing() as connection:
        for k in range(entries // 2):
            day = NOW.date() - datetime.timedelta(days=k * DAYS // (entries // 2))
            words = f"Entry {k}, {'new carbon' if k % 50 == 0 else 'nothing special'}"
            picture = keep_blob(connection, os.urandom(PICTURE)) if k < photos else ""
            EVENTS.put(connection, LogEvent("media" if k % 3 else "note", day, words=words, picture=picture), 1)
            coral = stored.corals[k % 14].id
            CORAL_NOTES.put(connection, LogEntry("watch", day, datetime.time(15), polyps="open"), coral)
        for k in range(surveys):
            day = NOW.date() - datetime.timedelta(days=k * DAYS // surveys)
            SURVEYS.put(connection, replace(survey, name=f"Survey {k}", day=day, in_use=False), 1)
        for k in range(DAYS // 30):
            day = NOW.date() - datetime.timedelta(days=30 * k)
            CLEANINGS.put(connection, Cleaning(day, "lens"), 1)
            LAMPS.put(connection, Lamp("LED cluster, west", f"L{k}", day, day, life_months=12.0), 1)
    return db


def upkeep() -> None:
    """The figures of Today, the log and backups."""
    with tempfile.TemporaryDirectory(prefix="corlume-") as name:
        folder = Path(name)
        db = _five_years(folder)
        look_at_today(db, tanks.open_tank(db, 1), NOW)
        row("Today with five years of log", clock(lambda: look_at_today(db, tanks.open_tank(db, 1), NOW), 9), 0.15)
        found = log.entries(db, 1, text="new carbon")
        assert found
        row("a search in ten thousand entries", clock(lambda: log.entries(db, 1, text="new carbon"), 9), 0.05,
            f"{len(found)} found")  # fmt: skip
        size = db.path.stat().st_size
        count = iter(range(1000))
        taken = clock(lambda: backup.backup(db, folder / f"copy-{next(count)}.db"), 1)
        row("a backup, verified", taken, 10.0, f"{size / 1e6:.0f} MB")

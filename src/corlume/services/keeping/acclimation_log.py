"""Acclimation logs of corals: entries, photos, origins, and losses."""

from __future__ import annotations

import datetime
import sqlite3
from collections.abc import Mapping
from dataclasses import replace

from corlume.core.acclimation.log_entry import Course, LogEntry
from corlume.core.errors import Rules
from corlume.core.placement.coral import Coral, Placement
from corlume.core.schema import most_of
from corlume.formats.picture import read_picture
from corlume.services.keeping.corals import living
from corlume.services.keeping.photos import pictures_kept
from corlume.store.blobs import keep_blob, load_blob, sweep_blobs
from corlume.store.database import Database
from corlume.store.journal import Edit, insert_row, tank_scope
from corlume.store.tables import CORAL_NOTES, CORALS, Kept, NotFound
from corlume.store.tanks import StoredTank, load_tank

Notes = dict[int, tuple[Kept[LogEntry], ...]]


def logs(db: Database, tank_id: int) -> Notes:
    """Log entries of every coral of a tank, oldest first."""
    with db.reading() as connection:
        return _time_lines(connection, tank_id)


LATEST = 30
"""Entries of each coral that say how it is now, beside its first and those of where it sat."""


def latest_logs(db: Database, tank_id: int) -> Notes:
    """The log entries of every coral that its status follows from, oldest first: not the checks of years ago."""
    with db.reading() as connection:
        return _time_lines(
            connection, tank_id,
            "WHERE late <= :latest OR early = 1 OR kind IN ('dip', 'loose', 'temporary', 'moved', 'fixed', 'lost')",
        )  # fmt: skip


def _time_lines(connection: sqlite3.Connection, tank_id: int, where: str = "") -> Notes:
    order = "day {0}, coalesce(time, '') {0}, coral_notes.id {0}"
    rows = connection.execute(
        f"SELECT * FROM (SELECT coral_notes.*, "
        f"row_number() OVER (PARTITION BY coral_id ORDER BY {order.format('DESC')}) AS late, "
        f"row_number() OVER (PARTITION BY coral_id ORDER BY {order.format('ASC')}) AS early "
        f"FROM coral_notes JOIN corals ON corals.id = coral_id WHERE tank_id = :tank) {where} ORDER BY coral_id, early",
        {"tank": tank_id, "latest": LATEST},
    ).fetchall()
    of_coral: dict[int, list[Kept[LogEntry]]] = {}
    for row in rows:
        of_coral.setdefault(row["coral_id"], []).append(Kept(row["id"], CORAL_NOTES.value_of(row)))
    return {coral_id: tuple(notes) for coral_id, notes in of_coral.items()}


def light_by(db: Database, tank_id: int, day: datetime.date) -> dict[int, LogEntry]:
    """The latest entry with PAR of every coral up to a day."""
    return {coral_id: kept.value for coral_id, kept in _latest(db, tank_id, day, "par IS NOT NULL").items()}


def checked_by(db: Database, tank_id: int, day: datetime.date) -> dict[int, LogEntry]:
    """The latest check of every coral up to a day."""
    return {coral_id: kept.value for coral_id, kept in _latest(db, tank_id, day, "kind = 'watch'").items()}


def _latest(db: Database, tank_id: int, day: datetime.date, which: str) -> dict[int, Kept[LogEntry]]:
    """The latest entry of every coral up to a day, among those that are ``which``."""
    with db.reading() as connection:
        rows = connection.execute(
            "SELECT note.* FROM corals JOIN coral_notes AS note ON note.id = (SELECT id FROM coral_notes "
            f"WHERE coral_id = corals.id AND {which} AND day <= :day "
            "ORDER BY day DESC, coalesce(time, '') DESC, id DESC LIMIT 1) WHERE tank_id = :tank",
            {"tank": tank_id, "day": day.isoformat()},
        ).fetchall()
    return {row["coral_id"]: Kept(row["id"], CORAL_NOTES.value_of(row)) for row in rows}


def light_jumps(db: Database, tank_id: int, bound: float) -> set[datetime.date]:
    """Days on which the light of a coral that was not moved changed by more than a share [-], as it was logged."""
    with db.reading() as connection:
        rows = connection.execute(
            "SELECT DISTINCT day FROM (SELECT n.day, n.kind, n.par, n.x, n.y, n.depth, lag(n.par) OVER line AS was, "
            "lag(n.x) OVER line AS x0, lag(n.y) OVER line AS y0, lag(n.depth) OVER line AS depth0 "
            "FROM coral_notes AS n JOIN corals ON corals.id = n.coral_id WHERE tank_id = :tank AND par IS NOT NULL "
            "WINDOW line AS (PARTITION BY n.coral_id ORDER BY n.day, n.id)) WHERE kind = 'light' AND was > 0 "
            "AND abs(par / was - 1) > :bound AND abs(x - x0) + abs(y - y0) + abs(depth - depth0) < 0.001",
            {"tank": tank_id, "bound": bound},
        ).fetchall()
    return {datetime.date.fromisoformat(row["day"]) for row in rows}


def add_entry(
    db: Database, tank_id: int, coral_id: int, note: LogEntry, *, today: datetime.date, photo: bytes = b""
) -> int:
    """Add an entry to a coral's log, with a photo if given; returns its id.

    ``InvalidInput`` for a day in the future; ``BadFile`` for what is no picture.
    """
    found = read_picture(photo) if photo else None
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        coral, rules = stored.coral(coral_id).value, Rules()
        rules.come("day", note.day, today)
        bought = coral.course.bought
        rules.that(bought is None or note.day >= bought, "day", f"is before it came, on {bought}")
        many = connection.execute("SELECT count(*) FROM coral_notes WHERE coral_id = ?", (coral_id,)).fetchone()[0]
        most = most_of(Coral, "notes")
        rules.that(many < most, "kind", f"is one too many: at most {most} notes are kept of a coral")
        rules.finish()
        if found:
            sweep_blobs(connection, pictures_kept(connection))
            note = replace(note, picture=keep_blob(connection, found.data))
        if note.place is None and coral.place is not None:
            note = replace(note, x=coral.place.x, y=coral.place.y, depth=coral.place.depth)
        return CORAL_NOTES.insert(_edit(connection, tank_id, f"log entry of {coral.card.name}"), note, coral_id)


def move_coral(
    db: Database, tank_id: int, coral_id: int, place: tuple[float, float, float], words: str, today: datetime.date
) -> None:
    """Move a coral and log it, in one step of undo."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        coral = stored.coral(coral_id).value
        living(coral)
        moved = replace(coral, place=Placement(*place))
        replace(stored.scene(), corals=(moved,))
        edit = _edit(connection, tank_id, f"move {moved.card.name}")
        CORALS.update(edit, coral_id, moved)
        note = LogEntry("moved", today, x=place[0], y=place[1], depth=place[2], note=words)
        CORAL_NOTES.insert(edit, note, coral_id)


def remove_entry(db: Database, tank_id: int, coral_id: int, note_id: int) -> None:
    """Delete a log entry."""
    with db.writing() as connection:
        coral = load_tank(connection, tank_id).coral(coral_id).value
        CORAL_NOTES.get(connection, note_id, coral_id)
        CORAL_NOTES.delete(_edit(connection, tank_id, f"delete an entry of {coral.card.name}"), note_id)


def save_course(db: Database, tank_id: int, coral_id: int, course: Course, *, today: datetime.date) -> None:
    """Save a coral's origin, or that it was lost; ``InvalidInput`` names the field alone."""
    rules = Rules()
    for name in ("bought", "lost"):
        day = getattr(course, name)
        rules.come(name, day, today)
    rules.finish()
    with db.writing() as connection:
        coral = load_tank(connection, tank_id).coral(coral_id).value
        verb = "lost" if course.lost and not coral.course.lost else "course of"
        changed = replace(coral, course=course, place=None if course.lost else coral.place)
        edit = _edit(connection, tank_id, f"{verb} {coral.card.name}")
        if course.lost and not coral.course.lost:
            place = coral.place or (None, None, None)
            CORAL_NOTES.insert(edit, LogEntry("lost", course.lost, x=place[0], y=place[1], depth=place[2]), coral_id)
        CORALS.update(edit, coral_id, changed)


def photo_of(db: Database, tank_id: int, coral_id: int, note_id: int) -> bytes:
    """Photo of an entry, JPEG; ``NotFound`` otherwise."""
    with db.reading() as connection:
        load_tank(connection, tank_id).coral(coral_id)
        note = CORAL_NOTES.get(connection, note_id, coral_id).value
        if not note.picture:
            raise NotFound("no photo with this note")
        return load_blob(connection, note.picture)


SAME = 0.03
"""Light that changes by less than this share is no change [-]; ours."""


def note_light(db: Database, stored: StoredTank, light: Mapping[int, float], setup: str, today: datetime.date) -> int:
    """Log the PAR of every placed coral whose PAR or place changed, outside undo and at most once a day each; returns
    how many.
    """
    known, changed = (
        _latest(db, stored.id, datetime.date.max, "par IS NOT NULL"),
        dict[int, tuple[LogEntry, int | None]](),
    )
    for kept in stored.corals:
        place, par = kept.value.place, light.get(kept.id)
        if place is None or par is None:
            continue
        last = known.get(kept.id)
        if last and _same(last.value, kept.value, par):
            continue
        note = LogEntry("light", today, None, x=place.x, y=place.y, depth=place.depth, par=par, setup=setup)
        anew = last.id if last and last.value.kind == "light" and last.value.day == today else None
        changed[kept.id] = note, anew
    if not changed:
        return 0
    with db.writing() as connection:
        for coral_id, (note, anew) in changed.items():
            if anew is not None:
                connection.execute("DELETE FROM coral_notes WHERE id = ?", (anew,))
            insert_row(connection, CORAL_NOTES.name, CORAL_NOTES.row(note, coral_id))
    return len(changed)


def _same(note: LogEntry, coral: Coral, par: float) -> bool:
    assert note.par is not None
    moved = note.place is None or coral.place is None or max(
        abs(a - b) for a, b in zip(note.place, coral.place, strict=True)
    ) > 0.001  # fmt: skip
    return not moved and abs(par - note.par) <= SAME * max(note.par, 1.0)


def _edit(connection: sqlite3.Connection, tank_id: int, label: str) -> Edit:
    return Edit(connection, tank_scope(tank_id), label)

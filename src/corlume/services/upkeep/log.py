"""The log of a tank: one time line of everything that touches its light, with what keepers add by hand."""

from __future__ import annotations

import csv
import datetime
import io
import json
import sqlite3
from collections.abc import Collection
from dataclasses import dataclass

from corlume.core.acclimation.log_entry import NOTE_KINDS
from corlume.core.errors import Rules
from corlume.core.keeping.scene import Scene
from corlume.core.schema import most_of
from corlume.core.upkeep.cleaning import PARTS
from corlume.core.upkeep.log_event import BY_HAND, EVENT_KINDS, NOT_LIGHT, LogEvent
from corlume.formats.picture import read_picture
from corlume.services.keeping.photos import pictures_kept
from corlume.services.schedule.day_report import lights_now
from corlume.store.blobs import keep_blob, load_blob, sweep_blobs
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import EVENTS
from corlume.store.tanks import StoredTank, load_tank

GROUPS: dict[str, tuple[str, tuple[str, ...]]] = {
    "light": ("Lights and schedule", ("setup", "levels", "schedule", "plan")),
    "lamps": ("Lamps and cleaning", ("lamp in", "lamp out", "cleaning")),
    "surveys": ("Surveys", ("survey",)),
    "corals": ("Corals", ("coral",)),
    "incidents": ("Incidents and faults", ("incident", "fault")),
    "other": ("Other than light", ("media", "dosing", "feeding", "temperature", "water")),
    "notes": ("Notes", ("note", "step")),
}
"""Groups that the log can be narrowed to: name, and kinds of entries."""
BEFORE_BLAME = 30
"""Other changes of so many days are shown before light is blamed [d]."""


@dataclass(frozen=True, slots=True)
class Entry:
    """A line of the log: where it is kept, its day and time, its kind, and words; ``of`` what it is about, and ``lit``
    which lights were on in its photo.
    """

    source: str
    id: int
    day: datetime.date
    time: str
    kind: str
    words: str
    of: str
    picture: str
    lit: str
    state: str
    owner: int | None

    @property
    def what(self) -> str:
        """Its kind in words."""
        if self.source == "event":
            return next((words for key, words in EVENT_KINDS.items() if key == self.kind), self.kind)
        if self.source == "coral":
            return next((words for key, words in NOTE_KINDS.items() if key == self.words), self.words)
        return {"lamp in": "lamp installed", "lamp out": "lamp removed", "cleaning": "cleaned", "survey": "survey",
                "plan": "slow change begins"}[self.kind]  # fmt: skip

    @property
    def told(self) -> str:
        """What it says behind its kind."""
        if self.kind == "cleaning":
            part, _, note = self.words.partition("|")
            return " ".join(filter(None, [next(w for k, w in PARTS.items() if k == part), note]))
        return "" if self.source == "coral" else self.words


_ENTRIES = """
SELECT 'event' AS source, id, day, coalesce(time, '') AS time, kind, words, fixture AS of, picture, lit, state,
    NULL AS owner FROM events WHERE tank_id = :tank
UNION ALL SELECT 'coral', n.id, n.day, coalesce(n.time, ''), 'coral', n.kind, c.name || ' ' || n.note, n.picture, '',
    '', c.id FROM coral_notes AS n JOIN corals AS c ON c.id = n.coral_id WHERE c.tank_id = :tank AND n.kind != 'light'
UNION ALL SELECT 'survey', id, day, '', 'survey', name, setup, '', '', '', id FROM surveys WHERE tank_id = :tank
UNION ALL SELECT 'lamp', id, installed, '', 'lamp in', label, fixture, '', '', '', NULL FROM lamps WHERE tank_id = :tank
UNION ALL SELECT 'lamp', id, taken_out, '', 'lamp out', label, fixture, '', '', '', NULL FROM lamps
    WHERE tank_id = :tank AND taken_out IS NOT NULL
UNION ALL SELECT 'cleaning', id, day, '', 'cleaning', part || '|' || note, fixture, '', '', '', NULL FROM cleanings
    WHERE tank_id = :tank
UNION ALL SELECT 'plan', p.id, min(s.day), '', 'plan', p.name, '', '', '', '', p.id FROM change_plans AS p
    JOIN plan_steps AS s ON s.plan_id = p.id WHERE p.tank_id = :tank GROUP BY p.id
"""


def entries(
    db: Database, tank_id: int, *, group: str = "", text: str = "", since: datetime.date | None = None,
    until: datetime.date | None = None, kinds: Collection[str] = (), pictures: bool = False, most: int = 200,
    skip: int = 0,
) -> list[Entry]:  # fmt: skip
    """Entries of a tank's log, the newest first: of a group of ``GROUPS`` or some kinds, with a text, between days,
    with ``pictures`` those alone that have a photo.
    """
    wanted = list(kinds) or list(GROUPS[group][1] if group in GROUPS else ())
    escaped = text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    with db.reading() as connection:
        rows = connection.execute(
            f"SELECT * FROM ({_ENTRIES}) WHERE "
            "(:text = '' OR words LIKE :like ESCAPE '\\' OR of LIKE :like ESCAPE '\\') "
            "AND (:all OR kind IN (SELECT value FROM json_each(:kinds))) AND (NOT :pictures OR picture != '') "
            "AND day BETWEEN :since AND :until "
            "ORDER BY day DESC, time DESC, id DESC LIMIT :most OFFSET :skip",
            {
                "tank": tank_id,
                "text": text,
                "like": f"%{escaped}%",
                "all": not wanted,
                "pictures": pictures,
                "kinds": json.dumps(wanted),
                "since": (since or datetime.date.min).isoformat(),
                "until": (until or datetime.date.max).isoformat(),
                "most": most,
                "skip": skip,
            },
        ).fetchall()
    return [_entry(row) for row in rows]


def _entry(row: sqlite3.Row) -> Entry:
    return Entry(**{**dict(row), "day": datetime.date.fromisoformat(row["day"]), "time": row["time"][:5]})


def events_of(db: Database, tank_id: int, kinds: Collection[str]) -> list[LogEvent]:
    """Events of some kinds, the newest first."""
    with db.reading() as connection:
        rows = connection.execute(
            "SELECT * FROM events WHERE tank_id = :tank AND kind IN (SELECT value FROM json_each(:kinds)) "
            "ORDER BY day DESC, id DESC",
            {"tank": tank_id, "kinds": json.dumps(list(kinds))},
        ).fetchall()
    return [EVENTS.value_of(row) for row in rows]


def other_changes(db: Database, tank_id: int, today: datetime.date) -> list[Entry]:
    """Changes of the last ``BEFORE_BLAME`` days that are not of light, to be looked at before light is blamed."""
    return entries(db, tank_id, kinds=NOT_LIGHT, since=today - datetime.timedelta(days=BEFORE_BLAME))


def add_event(db: Database, tank_id: int, event: LogEvent, now: datetime.datetime, photo: bytes = b"") -> int:
    """Log an event by hand, with a photo that is tagged with the lights that were on; returns its id.

    ``InvalidInput`` for a day in the future or without words; ``BadFile`` for what is no picture.
    """
    found = read_picture(photo) if photo else None
    with db.writing() as connection:
        stored, rules = load_tank(connection, tank_id), Rules()
        rules.that(event.kind in BY_HAND, "kind", "is logged by Corlume itself")
        rules.come("day", event.day, now.date())
        rules.that(bool(event.words.strip()) or found is not None, "words", "are missing: say what was done")
        names = {fixture.name for setup in stored.setups for fixture in setup.hung}
        rules.that(event.fixture in ("", *names), "fixture", "is none of this tank")
        many = connection.execute("SELECT count(*) FROM events WHERE tank_id = ?", (tank_id,)).fetchone()[0]
        rules.that(many < most_of(Scene, "events"), "kind", "is one too many: export the log and delete old entries")
        rules.finish()
        picture = ""
        if found:
            sweep_blobs(connection, pictures_kept(connection))
            picture = keep_blob(connection, found.data)
        made = LogEvent(
            event.kind, event.day, event.time, event.words.strip(), event.fixture, stored.setup().name,
            _lit(stored, event, now) if found else "", picture,
        )  # fmt: skip
        return EVENTS.insert(Edit(connection, tank_scope(tank_id), f"log {EVENT_KINDS[event.kind]}"), made, tank_id)


def _lit(stored: StoredTank, event: LogEvent, now: datetime.datetime) -> str:
    """Which lights were on at an event, in words."""
    time = event.time or now.time()
    levels = lights_now(stored, stored.setup(), event.day, 60.0 * time.hour + time.minute).levels
    return ", ".join(f"{name} {level}" for name, level in levels)[:200]


def delete_event(db: Database, tank_id: int, event_id: int) -> None:
    """Delete an event that was logged by hand or by Corlume."""
    with db.writing() as connection:
        event = EVENTS.get(connection, event_id, tank_id).value
        EVENTS.delete(Edit(connection, tank_scope(tank_id), f"delete from the log {event.words[:40]}"), event_id)


def open_event(db: Database, tank_id: int, event_id: int) -> LogEvent:
    """An event; ``NotFound`` otherwise."""
    with db.reading() as connection:
        return EVENTS.get(connection, event_id, tank_id).value


def photo_of(db: Database, tank_id: int, event_id: int) -> bytes:
    """The photo of an event, JPEG; ``NotFound`` where it has none."""
    with db.reading() as connection:
        return load_blob(connection, EVENTS.get(connection, event_id, tank_id).value.picture)


def log_table(db: Database, tank_id: int) -> str:
    """The whole log as CSV, oldest first."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(["day", "time", "what", "words", "about"])
    for one in reversed(entries(db, tank_id, most=1_000_000)):
        table.writerow([one.day.isoformat(), one.time, one.what, one.told, one.of.strip()])
    return out.getvalue()

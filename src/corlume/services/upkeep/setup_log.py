"""What changed in the setup in use, logged by the application, with the setup as it was from then on."""

from __future__ import annotations

import datetime
import json
from collections.abc import Sequence
from dataclasses import dataclass, replace

from corlume.core.keeping.scene import Setup
from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.upkeep.log_event import EventKind, LogEvent
from corlume.formats.setup_state import pack_setup, unpack_setup
from corlume.formats.shapes import to_data
from corlume.services.keeping.setups import add_setup
from corlume.store.blobs import keep_blob, load_blob
from corlume.store.database import Database
from corlume.store.journal import insert_row
from corlume.store.tables import EVENTS, Kept, NotFound
from corlume.store.tanks import StoredTank, load_tank

KINDS: tuple[EventKind, ...] = ("setup", "levels", "schedule")


@dataclass(frozen=True, slots=True)
class Difference:
    """What is different between two states of the setup in use: the kind of change, and in words."""

    kind: EventKind
    words: str


def differences(was: Setup, now: Setup) -> list[Difference]:
    """What a setup differs in from another, for the log."""
    if was.name != now.name:
        return [Difference("setup", f"{now.name} put to use in place of {was.name}.")]
    found, lines = list[Difference](), fixture_changes(was.fixtures, now.fixtures)
    if lines:
        found.append(Difference("levels", "; ".join(lines[:8]) + ("; and more" if len(lines) > 8 else "") + "."))
    old, new = ({group.name: group for group in setup.groups} for setup in (was, now))
    days = [name for name in (old | new) if old.get(name) != new.get(name)]
    moved = [f.name for f, g in zip(was.fixtures, now.fixtures, strict=False) if f.group != g.group]
    if days or moved:
        found.append(Difference("schedule", f"Schedule of {', '.join(days or moved)} changed."))
    return found


def fixture_changes(was: Sequence[Fixture], now: Sequence[Fixture]) -> list[str]:
    """Changes of fixtures in words, by their marks."""
    if len(was) != len(now):
        return [f"{len(now)} fixtures in place of {len(was)}"]
    lines = []
    for k, (old, new) in enumerate(zip(was, now, strict=True)):
        marks, said = f"{letter(k)} {new.name}", list[str]()
        if old.output != new.output:
            said.append(f"output {100 * old.output:.0f} to {100 * new.output:.0f} %")
        if old.mix != new.mix:
            said.append("channels " + "/".join(f"{100 * level:.0f}" for level in new.mix) + " %")
        if old.light_loss_factor != new.light_loss_factor:
            said.append(f"light remaining {100 * old.light_loss_factor:.0f} to {100 * new.light_loss_factor:.0f} %")
        places = [(getattr(old.emitter, a), getattr(new.emitter, a)) for a in ("x", "y", "height")]
        if any(a != b for a, b in places):
            said.append(f"moved, now {100 * new.emitter.height:.0f} cm above the water")
        if not said and _bare(old) != _bare(new):
            said.append("changed")
        if said:
            lines.append(f"{marks}: {', '.join(said)}")
    return lines


def _bare(fixture: Fixture) -> str:
    """A fixture as it is written down, without its group."""
    return json.dumps({k: v for k, v in to_data(fixture).items() if k != "group"}, sort_keys=True, default=str)


def log_setup(db: Database, tank_id: int, now: datetime.datetime) -> int:
    """Log what changed in the setup in use since it was logged last, outside undo; returns how many events.

    All changes of one day become one event a kind: it says what is different from the day before.
    """
    with db.reading() as connection:
        stored = load_tank(connection, tank_id)
        rows = connection.execute(
            "SELECT * FROM events WHERE tank_id = ? AND state != '' ORDER BY day DESC, id DESC LIMIT 20", (tank_id,)
        ).fetchall()
        logged = [Kept(row["id"], EVENTS.value_of(row)) for row in rows]
        states = {kept.value.state: load_blob(connection, kept.value.state) for kept in logged}
    state = pack_setup(_in_use(stored))
    if logged and states[logged[0].value.state] == state:
        return 0
    today = [kept for kept in logged if kept.value.day == now.date()]
    before = next((kept for kept in logged if kept.value.day < now.date()), None)
    was = unpack_setup(states[before.value.state]) if before else None
    current = unpack_setup(state)  # as it is written down, so that numbers are rounded alike
    found = differences(was, current) if was else [Difference("setup", f"{current.name} in use.")]
    with db.writing() as connection:
        for kept in today:
            connection.execute("DELETE FROM events WHERE id = ?", (kept.id,))
        key = keep_blob(connection, state) if found else ""
        for one in found:
            event = LogEvent(one.kind, now.date(), now.time().replace(microsecond=0), one.words[:1000],
                             setup=current.name, state=key)  # fmt: skip
            insert_row(connection, EVENTS.name, EVENTS.row(event, tank_id))
    return len(found)


def first_state(db: Database, tank_id: int) -> datetime.date | None:
    """The day from which on the setup in use was logged; None before."""
    with db.reading() as connection:
        row = connection.execute("SELECT min(day) FROM events WHERE tank_id = ? AND state != ''", (tank_id,)).fetchone()
    return datetime.date.fromisoformat(row[0]) if row[0] else None


def state_on(db: Database, tank_id: int, day: datetime.date) -> Kept[LogEvent]:
    """The event from which on the lights were as at the end of a day; ``NotFound`` where none was logged by then."""
    with db.reading() as connection:
        row = connection.execute(
            "SELECT * FROM events WHERE tank_id = ? AND state != '' AND day <= ? ORDER BY day DESC, id DESC LIMIT 1",
            (tank_id, day.isoformat()),
        ).fetchone()
    if row is None:
        raise NotFound("the lights were not logged by that day")
    return Kept(row["id"], EVENTS.value_of(row))


def setup_at(db: Database, state: str) -> Setup:
    """The setup of an event; ``NotFound`` where it is not kept."""
    with db.reading() as connection:
        return unpack_setup(load_blob(connection, state))


def save_again(db: Database, tank_id: int, event: LogEvent) -> int:
    """Save the setup of an event as a setup of its own; returns its id."""
    then = setup_at(db, event.state)
    return add_setup(db, tank_id, replace(then, name=f"{then.name[:60]} of {event.day.isoformat()}"))


def _in_use(stored: StoredTank) -> Setup:
    one = stored.setup()
    return replace(one.value, in_use=False)

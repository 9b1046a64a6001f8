"""Fixtures of a setup: added, moved, dimmed and deleted."""

from __future__ import annotations

import datetime
from collections.abc import Container, Mapping, Sequence
from dataclasses import fields, replace
from typing import Any

import numpy as np

from corlume.core.errors import InvalidInput, Rules
from corlume.core.keeping.scene import Setup
from corlume.core.light.beam_optics import optics_for, with_optic
from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture, extent, fixture_errors, overlaps
from corlume.core.light.geometry import Tank
from corlume.core.light.lamp_set import LampWish, choose_lamps
from corlume.core.light.light_loss import light_loss_factor
from corlume.core.light.socket import with_lamp
from corlume.core.message_text import escape_slots
from corlume.core.mounting.frame import build_frame, carry
from corlume.core.schema import check_count
from corlume.reference.catalogue import lamps_for
from corlume.services.keeping.fixture_library import entry
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import FIXTURES, LAMPS, Kept
from corlume.store.tanks import StoredSetup, StoredTank, load_tank

_EMITTER_FIELDS = {f.name for f in fields(Emitter)}


def changed(tank: Tank, fixture: Fixture, values: Mapping[str, Any]) -> Fixture:
    """A fixture with some fields changed, checked against its own limits and the tank's.

    ``values`` may hold fields of ``Fixture`` and of its ``Emitter``, answers about ``wear`` in place of its
    light loss factor, or the key of a ``lens`` (or reflector) or of a ``lamp``; ``InvalidInput`` has every fault.
    """
    rules, was = Rules(), fixture
    emitter = fixture.emitter
    if "wear" in values:
        left = light_loss_factor(emitter.technology, values["wear"])
        values = {**values, "wear": tuple(values["wear"].items()), "light_loss_factor": round(left, 3)}
    elif "light_loss_factor" in values:
        # a typed factor has no answers behind it
        values = {"wear": (), **values}
    if "lens" in values:
        rules.that(values["lens"] in optics_for(emitter), "lens", "is not one that can be put on it")
        rules.finish()
        emitter = with_optic(emitter, values["lens"])
        values = {k: v for k, v in values.items() if k != "lens"}
    if "lamp" in values:
        lamps = lamps_for(emitter.technology)
        lamp = next((one for one in lamps if one.key == values["lamp"]), None)
        rules.that(lamp is not None, "lamp", "is not one for its socket")
        rules.finish()
        assert lamp is not None
        emitter = with_lamp(emitter, lamp, lamps)
        fixture = replace(fixture, levels=(), max_levels="")
        values = {k: v for k, v in values.items() if k != "lamp"}
    if "fwhm" in values:
        # whoever types a width wants the plain lobe of that width, not the measured one
        values = {"lobe": None, **values}
    try:
        emitter = replace(emitter, **{k: v for k, v in values.items() if k in _EMITTER_FIELDS})
    except InvalidInput as error:
        rules.errors += error.errors
    try:
        fixture = replace(fixture, emitter=emitter, **{k: v for k, v in values.items() if k not in _EMITTER_FIELDS})
    except InvalidInput as error:
        rules.errors += error.errors
    rules.errors += fixture_errors(tank, fixture, was)
    rules.finish()
    return fixture


def draft(tank: Tank, setup: StoredSetup, drafts: Mapping[int, Mapping[str, Any]]) -> StoredSetup:
    """A setup with some fixtures changed, not saved; other parts of a changed frame move along."""
    now = {kept.id: kept.value for kept in setup.fixtures}
    for fixture_id, values in drafts.items():
        was = setup.fixture(fixture_id).value
        now[fixture_id] = changed(tank, was, values)
        rest = [k for k in setup.fixtures if was.frame and k.value.frame == was.frame and k.id not in drafts]
        if now[fixture_id].emitter != was.emitter and "frame" not in values:
            carried = _carried(was, now[fixture_id], [k.value for k in rest])
            for kept, emitter in zip(rest, carried, strict=True):
                now[kept.id] = _fitted(tank, replace(kept.value, emitter=emitter))
    return replace(setup, fixtures=tuple(Kept(kept.id, now[kept.id]) for kept in setup.fixtures))


def _carried(was: Fixture, now: Fixture, rest: Sequence[Fixture]) -> list[Emitter]:
    """Other parts of a frame after one was moved; ``InvalidInput`` names the frame when a part has no clearance."""
    try:
        return carry(was.emitter, now.emitter, [part.emitter for part in rest])
    except InvalidInput as error:
        raise InvalidInput(
            replace(e, field="frame", rule=f"does not fit: a part of it {e.rule}") for e in error.errors
        ) from error


def _fitted(tank: Tank, part: Fixture) -> Fixture:
    """A part moved along with its frame, checked against the tank; ``InvalidInput`` names the part."""
    rules = Rules()
    rules.errors += [
        replace(e, field="frame", rule=f"does not fit: {escape_slots(part.name)} {e.rule}")
        for e in fixture_errors(tank, part)
    ]
    rules.finish()
    return part


def change_fixtures(
    db: Database, tank_id: int, setup_id: int, changes: Mapping[int, Mapping[str, Any]], *, verb: str = ""
) -> None:
    """Save changes of fixtures in one step of undo, named by ``verb`` or by what was done."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        before = stored.setup(setup_id)
        after = draft(stored.tank, before, changes)
        pairs = [(old, new) for old, new in zip(before.fixtures, after.fixtures, strict=True) if old.value != new.value]
        if not pairs:
            return
        names = pairs[0][1].value.name if len(pairs) == 1 else f"{len(pairs)} fixtures"
        edit = Edit(connection, tank_scope(tank_id), f"{verb or _verb(pairs[0][0].value, pairs[0][1].value)} {names}")
        for old, new in pairs:
            FIXTURES.update(edit, new.id, new.value)
            if before.in_use and old.value.light_loss_factor != new.value.light_loss_factor:
                _count_fade_from(edit, stored, new.value, datetime.date.today())


def _count_fade_from(edit: Edit, stored: StoredTank, fixture: Fixture, day: datetime.date) -> None:
    """Light remaining that is set anew has the fade of the fixture's lamps up to that day in it."""
    for kept in stored.lamps:
        if kept.value.fixture == fixture.name and kept.value.taken_out is None and kept.value.installed <= day:
            LAMPS.update(edit, kept.id, replace(kept.value, counted_from=day))


def _verb(old: Fixture, new: Fixture) -> str:
    """Name of a change of a fixture: dimmed, moved, or changed."""
    if replace(new, output=old.output, levels=old.levels) == old:
        return "dim"
    e, was = new.emitter, old.emitter
    moved = replace(e, x=was.x, y=was.y, height=was.height, turn=was.turn, roll=was.roll, pitch=was.pitch)
    return "move" if replace(new, emitter=moved) == old else "change"


def add_fixture(db: Database, tank_id: int, setup_id: int, key: str) -> int:
    """Hang a fixture of the library clear of the others; returns its id, or that of a hybrid's first part."""
    chosen = entry(db, key)
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        setup = stored.setup(setup_id)
        check_count(Setup, "fixtures", len(setup.fixtures) + len(chosen.parts), "setup")
        parts = _hung(stored.tank, chosen.parts, [k.value for k in setup.fixtures])
        if len(parts) > 1:
            frame = _free_name(chosen.name, {k.value.frame for k in setup.fixtures})
            parts = [replace(part, frame=frame) for part in parts]
        edit = Edit(connection, tank_scope(tank_id), f"add {chosen.name}")
        ids = [FIXTURES.insert(edit, part, setup_id) for part in parts]
        return ids[0]


def add_frame(
    db: Database, tank_id: int, setup_id: int, middle: str, count: int, long: str, each_side: int, gap: float
) -> int:
    """Hang a frame built of two fixtures of the library, see ``build_frame``; returns its first part's id."""
    row, side = entry(db, middle), entry(db, long)
    rules = Rules()
    rules.that(len(row.parts) == 1, "middle", "is a frame itself: choose a single fixture")
    rules.that(len(side.parts) == 1 and side.parts[0].emitter.made_by.long, "long", "cannot go beside: "
    "choose a tube or a bar")  # fmt: skip
    rules.finish()
    parts: Sequence[Fixture] = build_frame(row.parts[0], count, side.parts[0], each_side, gap=gap)
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        setup = stored.setup(setup_id)
        check_count(Setup, "fixtures", len(setup.fixtures) + len(parts), "setup")
        parts = _hung(stored.tank, parts, setup.hung)
        frame = _free_name("Frame", {k.value.frame for k in setup.fixtures})
        edit = Edit(connection, tank_scope(tank_id), f"add {frame.lower()}")
        ids = [FIXTURES.insert(edit, replace(part, frame=frame), setup_id) for part in parts]
        return ids[0]


def fill_sockets(db: Database, tank_id: int, setup_id: int, technology: str, wish: LampWish) -> int:
    """Fit lamps, chosen together for a colour preference, in all sockets of one technology, in one step of undo;
    returns how many. Equal lamps stand apart from front to back.
    """
    with db.reading() as connection:
        setup = load_tank(connection, tank_id).setup(setup_id)
    sockets = [k for k in setup.fixtures if k.value.emitter.technology == technology]
    sockets.sort(key=lambda k: (k.value.emitter.y, k.value.emitter.x))
    lamps = choose_lamps(lamps_for(technology), len(sockets), wish)
    change_fixtures(db, tank_id, setup_id, {k.id: {"lamp": lamp.key} for k, lamp in zip(sockets, lamps, strict=True)})
    return len(sockets)


def _free_name(name: str, taken: Container[str]) -> str:
    """The name, or the name with the first free number."""
    return next(n for k in range(1, 10_000) if (n := f"{name[:70]}{f' {k}' * (k > 1)}") not in taken)


def copy_fixture(db: Database, tank_id: int, setup_id: int, fixture_id: int) -> int:
    """Hang a copy of a fixture, or of the frame it is part of; returns its id."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        setup = stored.setup(setup_id)
        original = setup.fixture(fixture_id).value
        parts = [original, *(k.value for k in _others(setup, fixture_id))]
        check_count(Setup, "fixtures", len(setup.fixtures) + len(parts), "setup")
        parts = _hung(stored.tank, parts, setup.hung)
        if original.frame:
            frame = _free_name(original.frame, {k.value.frame for k in setup.fixtures})
            parts = [replace(part, frame=frame) for part in parts]
        edit = Edit(connection, tank_scope(tank_id), f"copy {original.frame or original.name}")
        ids = [FIXTURES.insert(edit, part, setup_id) for part in parts]
        return ids[0]


def _others(setup: StoredSetup, fixture_id: int) -> list[Kept[Fixture]]:
    """Other parts of a fixture's frame."""
    frame = setup.fixture(fixture_id).value.frame
    return [k for k in setup.fixtures if frame and k.id != fixture_id and k.value.frame == frame]


def _hung(tank: Tank, parts: Sequence[Fixture], others: Sequence[Fixture]) -> list[Fixture]:
    """Hang a fixture, or a frame by its parts, at the first free place.

    Modules go along the tank from its middle, long ones one behind the other; when a height is full, the next is tried
    a hand higher, up to the canopy. ``InvalidInput`` when there is no room left.
    """
    shares = (0.5, 0.25, 0.75, *(k / 20 for k in (7, 13, 3, 17, 9, 11, 1, 19, 5, 15)))
    first, (low, high) = parts[0].emitter, extent(parts)
    # the middle of the whole is what is hung at a place, not that of its first part
    aside, back = first.x - 0.5 * (low[0] + high[0]), first.y - 0.5 * (low[1] + high[1])
    long = high[0] - low[0] > 0.5 * tank.length
    places = [(s, t) for t in shares for s in (shares if not long else (0.5,))]
    lowest = min(first.height, tank.room_height)
    for height in np.arange(lowest, tank.room_height + 1e-9, HIGHER):
        for along, across in places:
            x, y = along * tank.length + aside, across * tank.width + back
            emitter = replace(first, x=x, y=y, height=float(height))
            carried = [emitter, *carry(first, emitter, [part.emitter for part in parts[1:]])]
            hung = [replace(part, emitter=e) for part, e in zip(parts, carried, strict=True)]
            if any(fixture_errors(tank, part) for part in hung):
                continue
            mine = len(hung)
            if not any(i < mine <= j for i, j in overlaps([*hung, *others])):
                return hung
    rules = Rules()
    rules.that(False, "fixtures", "use all the room up to the canopy: move or delete one first")
    rules.finish()
    return []


HIGHER = 0.1
"""How much higher a fixture is hung when there is no room left at its own height [m]."""


def remove_fixture(db: Database, tank_id: int, setup_id: int, fixture_id: int, *, whole: bool = False) -> None:
    """Delete a fixture, or the ``whole`` frame that it is part of."""
    with db.writing() as connection:
        setup = load_tank(connection, tank_id).setup(setup_id)
        fixture = setup.fixture(fixture_id).value
        named = fixture.frame if whole and fixture.frame else fixture.name
        edit = Edit(connection, tank_scope(tank_id), f"delete {named}")
        for kept in [setup.fixture(fixture_id), *(_others(setup, fixture_id) if whole else [])]:
            FIXTURES.delete(edit, kept.id)

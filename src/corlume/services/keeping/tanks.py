"""Tanks: listed, created, imported, exported, changed, deleted, undone and redone."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any, TypeVar

from corlume.core.acclimation.log_entry import LogEntry
from corlume.core.errors import InvalidInput, Rules
from corlume.core.flow.pump import Pump
from corlume.core.judging.targets import LightTargets
from corlume.core.keeping.inside_rock import newly_inside_rock_errors
from corlume.core.keeping.scene import Running, Scene, Setup
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Brace, Rock, Tank
from corlume.core.placement.custom_spots import CustomSpot
from corlume.core.schema import check_count
from corlume.core.upkeep.log_event import LogEvent
from corlume.formats.file_faults import BadFile, FileFault
from corlume.formats.picture import read_picture
from corlume.formats.scene_file import write_scene
from corlume.formats.scene_zip import PackedScene, read_packed, write_zip
from corlume.formats.setup_state import pack_setup, unpack_setup
from corlume.store import journal
from corlume.store.blobs import keep_blob, load_blob
from corlume.store.database import Database
from corlume.store.journal import TANKS_SCOPE, Edit, Steps, tank_scope
from corlume.store.rows import row_of
from corlume.store.tables import BRACES, OF_SCENE, ROCKS, NotFound
from corlume.store.tanks import (
    StoredTank,
    TankLine,
    Unreadable,
    add_tank,
    list_tanks,
    load_tank,
    part_of,
    remove_tank,
    tank_lines,
)

E = TypeVar("E", LogEntry, LogEvent)


def all_tanks(db: Database) -> list[StoredTank]:
    """Every tank that can be opened, oldest first."""
    with db.reading() as connection:
        return list_tanks(connection)[0]


def tank_list(db: Database) -> list[TankLine]:
    """A row for every tank, oldest first, whether it can be opened or not."""
    with db.reading() as connection:
        return tank_lines(connection)


def take_out_misfits(db: Database, tank_id: int) -> int:
    """Delete rock and braces that keep a tank from being opened, in one step of undo; returns how many."""
    with db.writing() as connection:
        edit, taken = Edit(connection, tank_scope(tank_id), "delete what does not fit"), 0
        while True:
            try:
                load_tank(connection, tank_id)
                return taken
            except Unreadable as error:
                wrong = {part_of(connection, tank_id, fault.field) for fault in error.faults} - {None}
                for table, row_id in filter(None, wrong):
                    edit.delete(table, row_id)
                    taken += 1
                if not wrong:
                    return taken


def open_tank(db: Database, tank_id: int) -> StoredTank:
    """A tank with all its data, as worn as it is today; ``NotFound`` otherwise."""
    return db.unchanged(("tank", tank_id, datetime.date.today()), lambda connection: load_tank(connection, tank_id))


def create_tank(
    db: Database, name: str, tank: Tank, targets: LightTargets, running: Running, fixtures: tuple[Fixture, ...] = ()
) -> int:
    """Save a new tank with one setup; returns its id."""
    scene = Scene(name, tank, targets, running, setups=(Setup("As it hangs", fixtures, in_use=True),))
    with db.writing() as connection:
        return add_tank(connection, scene, f"new tank {name}")


def copy_tank(db: Database, tank_id: int) -> int:
    """Copy a tank with all its data; returns the copy's id."""
    scene = _whole(db, tank_id)
    copy = replace(scene, name=f"{scene.name[:70]}, copy")
    with db.writing() as connection:
        return add_tank(connection, copy, f"copy {scene.name}")


def import_tank(db: Database, data: bytes) -> int:
    """Import the tank of a scene file or a zip; ``BadFile`` says what is wrong with it. Returns its id."""
    packed = read_packed(data)
    scene = packed.scene
    missing = [i for i, photo in enumerate(scene.photos) if photo.picture not in packed.pictures]
    if missing:
        raise BadFile(
            [FileFault(f"photos[{i}]", "has no picture here: bring the zip that it came in") for i in missing]
        )
    pictures = {name: read_picture(picture) for name, picture in packed.pictures.items()}
    with db.writing() as connection:
        kept = {name: keep_blob(connection, picture.data) for name, picture in pictures.items()}
        photos = tuple(
            replace(p, picture=kept[p.picture], width=pictures[p.picture].width, height=pictures[p.picture].height)
            for p in scene.photos
        )
        corals = tuple(
            replace(coral, notes=tuple(_packed(note, kept) for note in coral.notes)) for coral in scene.corals
        )
        states = {name: keep_blob(connection, pack_setup(setup)) for name, setup in packed.lights.items()}
        events = tuple(replace(_packed(one, kept), state=states.get(one.state, "")) for one in scene.events)
        scene = replace(scene, photos=photos, corals=corals, events=events)
        return add_tank(connection, scene, f"import {scene.name}")


def _packed(entry: E, kept: Mapping[str, str]) -> E:
    """An entry of a log with its picture as stored, or without one that is missing."""
    return replace(entry, picture=kept.get(entry.picture, "")) if entry.picture else entry


def has_setup(db: Database, tank_id: int, setup_id: int) -> bool:
    """Whether a tank has a setup; a tank that cannot be opened has none."""
    try:
        return any(setup.id == setup_id for setup in open_tank(db, tank_id).setups)
    except (NotFound, Unreadable):
        return False


def has_files(db: Database, tank_id: int) -> bool:
    """Whether a tank has photos or setups in its log, which only a zip can hold, or natural rock, which is better
    there.
    """
    scene = _whole(db, tank_id)
    return bool(scene.pictures() or scene.states() or scene.tank.natural_rocks or scene.tank.brushed_rock)


def export_tank(db: Database, tank_id: int) -> str:
    """A tank with all its data but photos as a scene file."""
    return write_scene(replace(_whole(db, tank_id), photos=()))


def export_zip(db: Database, tank_id: int) -> bytes:
    """A tank with all its data, photos and the setups of its log."""
    scene = _whole(db, tank_id)
    with db.reading() as connection:
        pictures = {name: load_blob(connection, name) for name in sorted(scene.pictures())}
        lights = {name: unpack_setup(load_blob(connection, name)) for name in sorted(scene.states())}
    return write_zip(PackedScene(scene, pictures, lights))


def _whole(db: Database, tank_id: int) -> Scene:
    with db.reading() as connection:
        scene = load_tank(connection, tank_id).scene()
        lists = {name: table.load(connection, tank_id) for name, table in OF_SCENE.items() if name != "setups"}
    more: dict[str, Any] = {name: tuple(kept.value for kept in things) for name, things in lists.items()}
    return replace(scene, **more)


def delete_tank(db: Database, tank_id: int) -> str:
    """Delete a tank; can be undone from the tanks page; returns its name."""
    with db.writing() as connection:
        return remove_tank(connection, tank_id)


def save_tank(db: Database, tank_id: int, *, name: str, tank: Tank, targets: LightTargets, running: Running) -> None:
    """Save a tank's own data; rock and braces stay as they are in ``tank``.

    Raises ``InvalidInput`` when something already there (rock, a fixture, a coral) no longer fits.
    """
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        replace(stored.scene(), name=name, tank=tank, targets=targets, running=running)
        check_open(stored, tank, "water_depth")
        edit = Edit(connection, tank_scope(tank_id), "change the tank")
        edit.update("tanks", tank_id, {"name": name, **row_of(tank), **row_of(targets), **row_of(running)})


def save_rock(db: Database, tank_id: int, rock_id: int | None, rock: Rock) -> int:
    """Add or change a rock block; ``InvalidInput`` names the field alone. Returns its id."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        others = tuple(k.value for k in stored.rocks if k.id != rock_id)
        check_part(stored.tank, "rocks", (*others, rock))
        check_open(stored, replace(stored.tank, rocks=(*others, rock)), "x")
        edit = Edit(connection, tank_scope(tank_id), f"{'add' if rock_id is None else 'change'} {rock.name or 'rock'}")
        if rock_id is None:
            check_count(Tank, "rocks", len(stored.rocks) + 1)
            return ROCKS.insert(edit, rock, tank_id)
        ROCKS.update(edit, stored.rock(rock_id).id, rock)
        return rock_id


def add_rocks(db: Database, tank_id: int, rocks: Sequence[Rock]) -> int:
    """Add several blocks of one rock, in one step of undo; returns how many."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        check_count(Tank, "rocks", len(stored.rocks) + len(rocks))
        check_part(stored.tank, "rocks", (*(k.value for k in stored.rocks), *rocks))
        check_open(stored, replace(stored.tank, rocks=(*stored.tank.rocks, *rocks)), "x")
        edit = Edit(connection, tank_scope(tank_id), f"draw rock of {len(rocks)} blocks")
        for rock in rocks:
            ROCKS.insert(edit, rock, tank_id)
    return len(rocks)


def delete_rock(db: Database, tank_id: int, rock_id: int) -> None:
    """Delete a rock block."""
    with db.writing() as connection:
        rock = load_tank(connection, tank_id).rock(rock_id)
        Edit(connection, tank_scope(tank_id), f"delete {rock.value.name or 'rock'}").delete("rocks", rock_id)


def add_brace(db: Database, tank_id: int, brace: Brace) -> int:
    """Add a brace across the opening; returns its id."""
    with db.writing() as connection:
        stored = load_tank(connection, tank_id)
        check_count(Tank, "braces", len(stored.braces) + 1)
        check_part(stored.tank, "braces", (*stored.tank.braces, brace))
        edit = Edit(connection, tank_scope(tank_id), "add brace")
        return BRACES.insert(edit, brace, tank_id)


def delete_brace(db: Database, tank_id: int, brace_id: int) -> None:
    """Delete a brace."""
    with db.writing() as connection:
        load_tank(connection, tank_id).brace(brace_id)
        Edit(connection, tank_scope(tank_id), "delete brace").delete("braces", brace_id)


def check_open(stored: StoredTank, after: Tank, field: str) -> None:
    """Raise ``InvalidInput`` by a field when a change of the tank would bury a pump or a custom spot."""
    rules = Rules()
    things: list[Pump | CustomSpot] = [*(kept.value for kept in stored.pumps), *(kept.value for kept in stored.perches)]
    rules.errors += newly_inside_rock_errors(stored.tank, after, things, field)
    rules.finish()


def check_part(tank: Tank, part: str, values: tuple[object, ...]) -> None:
    """Rebuild the tank with new parts; errors of the last part keep its own field names."""
    rules = Rules()
    prefix = f"{part}.{len(values) - 1}"
    try:
        replace(tank, **{part: values})  # type: ignore[arg-type]
    except InvalidInput as error:
        for e in error.errors:
            name = e.field.removeprefix(prefix).lstrip(".")
            rules.errors.append(replace(e, field=name or "x"))
    rules.finish()


def undo(db: Database, tank_id: int | None) -> str | None:
    """Undo the latest edit of a tank, or of the list of tanks; returns its name."""
    with db.writing() as connection:
        return journal.undo(connection, _scope(tank_id))


def redo(db: Database, tank_id: int | None) -> str | None:
    """Redo the latest undone edit; returns its name."""
    with db.writing() as connection:
        return journal.redo(connection, _scope(tank_id))


def steps(db: Database, tank_id: int | None) -> Steps:
    """Names of the next undo and redo."""
    with db.reading() as connection:
        return journal.steps(connection, _scope(tank_id))


def _scope(tank_id: int | None) -> str:
    return TANKS_SCOPE if tank_id is None else tank_scope(tank_id)

"""The demo: a made-up keeper's tank."""

from __future__ import annotations

import datetime
import sqlite3
from dataclasses import fields, replace
from functools import cache
from importlib.resources import files
from typing import Any

from corlume.core.keeping.rockscapes import with_scape
from corlume.core.keeping.scene import Scene
from corlume.core.placement.coral import Coral
from corlume.core.survey.photo_geometry import Photo
from corlume.core.upkeep.log_event import LogEvent
from corlume.formats.picture import Picture, read_picture
from corlume.formats.scene_file import read_scene
from corlume.services.keeping import tanks
from corlume.services.keeping.demo_photo import CORNERS, DIMMER, WATER, draw_photo
from corlume.store.blobs import keep_blob
from corlume.store.database import Database
from corlume.store.tables import PHOTOS
from corlume.store.tanks import add_tank


@cache
def demo_scene() -> Scene:
    """The built-in demo tank, with natural rock."""
    scene = read_scene((files("corlume.services.keeping") / "demo.json").read_bytes())
    return replace(scene, tank=with_scape(scene.tank, "islands", SEED))


SEED = 7
"""The rock of the demo grows from this."""


WRITTEN = datetime.date(2026, 11, 20)
"""The day on which the time lines of the demo's corals were written."""


def _brought_up(scene: Scene, today: datetime.date) -> Scene:
    """The scene with the logs of its corals, its lamps, cleanings and events shifted to end today."""
    later = today - WRITTEN

    def moved(coral: Coral) -> Coral:
        course = coral.course
        days = {name: day + later for name in ("bought", "lost") if (day := getattr(course, name)) is not None}
        notes = tuple(replace(note, day=note.day + later) for note in coral.notes)
        return replace(coral, course=replace(course, **days), notes=notes)

    lists: dict[str, Any] = {name: tuple(_days_later(one, later) for one in getattr(scene, name)) for name in DATED}
    return replace(scene, corals=tuple(map(moved, scene.corals)), **lists)


DATED = ("lamps", "rhythms", "cleanings", "events")


def _days_later(thing: Any, later: datetime.timedelta) -> Any:
    """A kept thing with all its days shifted."""
    days = {f.name: day + later for f in fields(thing) if isinstance(day := getattr(thing, f.name), datetime.date)}
    return replace(thing, **days)


def seed(db: Database) -> None:
    """Store the demo tank when there is no tank and none was deleted; not a step of undo."""
    steps = tanks.steps(db, None)
    if not tanks.all_tanks(db) and steps.undo is None and steps.redo is None:
        picture, scene = _picture(), demo_scene()
        with db.writing() as connection:
            photos = _log_photos(connection)
            scene = _brought_up(replace(scene, events=(*scene.events, *photos)), datetime.date.today())
            tank_id = add_tank(connection, scene, None)
            size = picture.width, picture.height
            photo = Photo("From the sofa", "front", keep_blob(connection, picture.data), *size, CORNERS)
            PHOTOS.put(connection, photo, tank_id)


def _log_photos(connection: sqlite3.Connection) -> list[LogEvent]:
    """Photos in the log from before and after the demo's change of lights."""
    found = []
    for day, lit, water in ((8, "LED clusters 26 to 46 %", DIMMER), (18, "LED clusters 36 to 64 %", WATER)):
        when = WRITTEN.replace(day=day), datetime.time(19, 30)
        key = keep_blob(connection, _picture(water).data)
        found.append(LogEvent("note", *when, "From the sofa, lights at full.", lit=lit, picture=key))
    return found


@cache
def _picture(water: tuple[str, str] = WATER) -> Picture:
    """Photo of the demo tank, drawn once."""
    return read_picture(draw_photo(demo_scene().tank, water))

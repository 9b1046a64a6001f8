"""Photos of a tank: imported, mapped by four corners, labelled with readings, deleted."""

from __future__ import annotations

import sqlite3
from collections.abc import Container, Mapping
from dataclasses import replace

from corlume.core.keeping.scene import Scene
from corlume.core.schema import check_count
from corlume.core.survey.photo_geometry import Photo, Quad, View
from corlume.core.survey.survey_record import MeasuringPoint
from corlume.formats.picture import Label, marked_png, placed, read_picture
from corlume.services.keeping.surveys import StoredSurvey
from corlume.store.blobs import keep_blob, load_blob, sweep_blobs
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import PHOTOS, Kept
from corlume.store.tanks import StoredTank, load_tank


def all_photos(db: Database, tank_id: int) -> tuple[Kept[Photo], ...]:
    """All photos of a tank."""
    with db.reading() as connection:
        return PHOTOS.load(connection, tank_id)


def open_photo(db: Database, tank_id: int, photo_id: int) -> Photo:
    """A photo; ``NotFound`` otherwise."""
    with db.reading() as connection:
        return PHOTOS.get(connection, photo_id, tank_id).value


def picture(db: Database, photo: Photo) -> bytes:
    """Bytes of a photo, JPEG."""
    with db.reading() as connection:
        return load_blob(connection, photo.picture)


def add_photo(db: Database, tank_id: int, name: str, view: View, data: bytes) -> int:
    """Save a photo, scaled down and without metadata; returns its id. ``BadFile`` or ``InvalidInput`` otherwise."""
    found = read_picture(data)
    Photo(name, view, "-", found.width, found.height)  # its name is judged before anything is kept
    with db.writing() as connection:
        load_tank(connection, tank_id)
        check_count(Scene, "photos", len(PHOTOS.load(connection, tank_id)) + 1)
        sweep_blobs(connection, pictures_kept(connection))
        photo = Photo(name.strip(), view, keep_blob(connection, found.data), found.width, found.height)
        return PHOTOS.insert(Edit(connection, tank_scope(tank_id), f"add photo {photo.name}"), photo, tank_id)


def pictures_kept(connection: sqlite3.Connection) -> set[str]:
    """Pictures in use by photos and logs, states of setups in the log, and rock: all blobs in use."""
    rows = connection.execute(
        "SELECT picture FROM photos UNION SELECT picture FROM coral_notes WHERE picture != '' "
        "UNION SELECT picture FROM events WHERE picture != '' UNION SELECT state FROM events WHERE state != '' "
        "UNION SELECT mesh_key FROM natural_rocks UNION SELECT key FROM brushed_rock"
    )
    return {row["picture"] for row in rows}


def fix_photo(db: Database, tank_id: int, photo_id: int, corners: Quad) -> None:
    """Save the four corners; none to tap them again. ``InvalidInput`` names what is wrong with them."""
    with db.writing() as connection:
        photo = PHOTOS.get(connection, photo_id, tank_id).value
        edit = Edit(connection, tank_scope(tank_id), f"fix photo {photo.name}")
        PHOTOS.update(edit, photo_id, replace(photo, corners=corners))


def remove_photo(db: Database, tank_id: int, photo_id: int) -> None:
    """Delete a photo; can be undone."""
    with db.writing() as connection:
        photo = PHOTOS.get(connection, photo_id, tank_id).value
        PHOTOS.delete(Edit(connection, tank_scope(tank_id), f"delete photo {photo.name}"), photo_id)


def labels(
    stored: StoredTank,
    photo: Photo,
    survey: StoredSurvey,
    predicted: Mapping[int, float],
    doubtful: Container[MeasuringPoint] = (),
) -> list[tuple[int, Label]]:
    """Labels of the points of a survey in a mapped photo, by their ids; ``doubtful`` ones are outliers."""
    if not photo.corners:
        return []
    found = []
    for kept in survey.spots:
        u, v = photo.point(stored.tank, kept.value.place)
        par = survey.value.par(kept.value)
        if 0 <= u <= 1 and 0 <= v <= 1:
            number = predicted[kept.id] if par is None else par
            label = Label(u, v, f"{number:.0f}", par is not None, doubtful=kept.value in doubtful)
            found.append((kept.id, label))
    beside = placed([label for _, label in found], photo.height / photo.width)
    return [(spot_id, label) for (spot_id, _), label in zip(found, beside, strict=True)]


def marked(db: Database, photo: Photo, found: list[tuple[int, Label]]) -> bytes:
    """The photo with its labels as PNG."""
    return marked_png(picture(db, photo), [label for _, label in found])

"""Surveys: planned, read point by point, changed, applied and deleted."""

from __future__ import annotations

import datetime
import sqlite3
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from corlume.core.errors import Rules
from corlume.core.keeping.scene import Scene, shaded
from corlume.core.light.geometry import Tank
from corlume.core.light.survey_correction import Correction
from corlume.core.schema import check_count, most_of
from corlume.core.survey.survey_record import MOST_PAR, MeasuringPoint, Survey, point_errors, value_errors
from corlume.core.upkeep.wear import as_worn
from corlume.store.database import Database
from corlume.store.journal import Edit, tank_scope
from corlume.store.tables import SPOTS, SURVEYS, Kept, NotFound, found
from corlume.store.tanks import load_surveyed, load_tank


@dataclass(frozen=True, slots=True)
class StoredSurvey:
    """A survey with the ids of its points, in walking order."""

    id: int
    value: Survey
    spots: tuple[Kept[MeasuringPoint], ...]

    def spot(self, spot_id: int) -> Kept[MeasuringPoint]:
        """Point by id; ``NotFound`` otherwise."""
        return found(self.spots, spot_id, "spot")

    @property
    def done(self) -> int:
        """How many points have a reading."""
        return sum(bool(kept.value.readings) for kept in self.spots)


def all_surveys(db: Database, tank_id: int) -> list[StoredSurvey]:
    """Surveys of a tank, the newest first."""
    with db.reading() as connection:
        load_tank(connection, tank_id)
        kept = [_stored(connection, one) for one in SURVEYS.load(connection, tank_id)]
    return sorted(kept, key=lambda one: (one.value.day, one.id), reverse=True)


def read_days(db: Database, tank_id: int, least: int = 1) -> list[datetime.date]:
    """Days of the surveys in which so many points at least were read, oldest first."""
    with db.reading() as connection:
        rows = connection.execute(
            "SELECT day FROM surveys WHERE tank_id = :tank AND (SELECT count(*) FROM spots "
            "WHERE survey_id = surveys.id AND readings NOT IN ('', '[]')) >= :least ORDER BY day",
            {"tank": tank_id, "least": least},
        ).fetchall()
    return [datetime.date.fromisoformat(row["day"]) for row in rows]


def open_survey(db: Database, tank_id: int, survey_id: int) -> StoredSurvey:
    """A survey of a tank; ``NotFound`` otherwise."""
    with db.reading() as connection:
        return load_survey(connection, tank_id, survey_id)


def load_survey(connection: sqlite3.Connection, tank_id: int, survey_id: int) -> StoredSurvey:
    """A survey of a tank, from an open connection."""
    load_tank(connection, tank_id)
    return _stored(connection, SURVEYS.get(connection, survey_id, tank_id))


def _stored(connection: sqlite3.Connection, kept: Kept[Survey]) -> StoredSurvey:
    return StoredSurvey(kept.id, kept.value, SPOTS.load(connection, kept.id))


def add_survey(db: Database, tank_id: int, survey: Survey) -> int:
    """Save a new survey with its points and the lights as set; returns its id."""
    return add_surveys(db, tank_id, [survey], f"add survey {survey.name}")[0]


def add_surveys(db: Database, tank_id: int, surveys: Sequence[Survey], label: str) -> list[int]:
    """Save several surveys in one step of undo; returns their ids."""
    with db.writing() as connection:
        stored, rules = load_tank(connection, tank_id), Rules()
        check_count(Scene, "surveys", len(SURVEYS.load(connection, tank_id)) + len(surveys))
        for survey in surveys:
            rules.errors += point_errors(stored.tank, survey.spots, "spots.")
        rules.finish()
        edit = Edit(connection, tank_scope(tank_id), label)
        discs = shaded(stored.tank, [kept.value for kept in stored.corals]).colonies
        made = [replace(one, colonies=discs, fixtures=as_worn(one.fixtures)) for one in surveys]
        return [SURVEYS.insert(edit, survey, tank_id) for survey in made]


def save_survey(db: Database, tank_id: int, survey_id: int, survey: Survey) -> None:
    """Change the data of a survey as a whole; its points stay."""
    with db.writing() as connection:
        load_survey(connection, tank_id, survey_id)
        SURVEYS.update(Edit(connection, tank_scope(tank_id), f"change survey {survey.name}"), survey_id, survey)


def remove_survey(db: Database, tank_id: int, survey_id: int) -> None:
    """Delete a survey with all its readings; can be undone."""
    with db.writing() as connection:
        stored = load_survey(connection, tank_id, survey_id)
        edit = Edit(connection, tank_scope(tank_id), f"delete survey {stored.value.name}")
        SURVEYS.delete(edit, survey_id)


def add_point(db: Database, tank_id: int, survey_id: int, spot: MeasuringPoint) -> int:
    """Add a point by hand; ``InvalidInput`` names the field. Returns its id."""
    with db.writing() as connection:
        stored, survey = load_tank(connection, tank_id), load_survey(connection, tank_id, survey_id)
        rules = Rules()
        most = most_of(Survey, "spots")
        rules.that(len(survey.spots) < most, "name", f"is one too many: at most {most} spots")
        rules.errors += [replace(e, field=e.field.removeprefix("0.")) for e in point_errors(stored.tank, [spot])]
        rules.finish()
        return SPOTS.insert(Edit(connection, tank_scope(tank_id), f"add point {spot.name}"), spot, survey_id)


def save_point(
    db: Database, tank_id: int, survey_id: int, spot_id: int, spot: MeasuringPoint, *, label: str = ""
) -> None:
    """Change a point: its place, readings and conditions; ``InvalidInput`` names the field."""
    with db.writing() as connection:
        stored, survey = load_tank(connection, tank_id), load_survey(connection, tank_id, survey_id)
        was, rules = survey.spot(spot_id).value, Rules()
        if was.place != spot.place:
            rules.errors += [replace(e, field=e.field.removeprefix("0.")) for e in point_errors(stored.tank, [spot])]
        rules.finish()
        edit = Edit(connection, tank_scope(tank_id), label or f"change spot {spot.name}")
        SPOTS.update(edit, spot_id, spot)


def remove_point(db: Database, tank_id: int, survey_id: int, spot_id: int) -> None:
    """Delete a point."""
    with db.writing() as connection:
        spot = load_survey(connection, tank_id, survey_id).spot(spot_id).value
        SPOTS.delete(Edit(connection, tank_scope(tank_id), f"delete point {spot.name}"), spot_id)


@dataclass(frozen=True, slots=True)
class PointTaken:
    """A measuring point after an edit, with its survey without the other points, and the tank as predicted for it."""

    point: Kept[MeasuringPoint]
    survey: Survey
    tank: Tank


Change = Callable[[MeasuringPoint], tuple[MeasuringPoint, str]]
"""What is done at a measuring point: the point as it is then, and the label of the edit; the same point for nothing."""


def _at_point(db: Database, tank_id: int, survey_id: int, point_id: int, change: Change) -> PointTaken:
    """Edit a measuring point in one transaction that loads only what its light depends on."""
    with db.writing() as connection:
        survey = SURVEYS.get(connection, survey_id, tank_id, only=("fixtures",)).value
        tank = load_surveyed(connection, tank_id, survey)
        row = connection.execute("SELECT * FROM spots WHERE id = ? AND survey_id = ?", (point_id, survey_id)).fetchone()
        if row is None:
            raise NotFound(f"no spot {point_id}")
        was = SPOTS.value_of(row)
        now, label = change(was)
        if now != was:
            SPOTS.update(Edit(connection, tank_scope(tank_id), label), point_id, now, dict(row))
    return PointTaken(Kept(point_id, now), survey, tank)


def enter(
    db: Database, tank_id: int, survey_id: int, point_id: int, par: float, *, at: int | None = None,
    **conditions: object,
) -> PointTaken:  # fmt: skip
    """Save a reading at once, after those that the point has; ``InvalidInput`` names the field "par".

    ``at`` is how many readings the point had when it was taken: where it has more by now, the reading came through
    before, its answer was lost, and it is not kept twice.
    """
    rules = Rules()
    rules.errors += value_errors(par)
    rules.finish()

    def read(point: MeasuringPoint) -> tuple[MeasuringPoint, str]:
        label = f"read {par:g} at {point.name}"
        if at is not None and len(point.readings) > at:
            return point, label
        return replace(point, readings=(*point.readings, par), skipped=False, **conditions), label  # type: ignore[arg-type]

    return _at_point(db, tank_id, survey_id, point_id, read)


def take_back(db: Database, tank_id: int, survey_id: int, point_id: int) -> PointTaken:
    """Clear the readings of a point, to take them again."""
    return _at_point(
        db, tank_id, survey_id, point_id,
        lambda point: (replace(point, readings=(), skipped=False), f"read {point.name} again"),
    )  # fmt: skip


def from_lux(db: Database, tank_id: int, survey_id: int, point_id: int, lux: float, lux_by_par: float) -> PointTaken:
    """Convert a number from lux to PAR and note that: the last reading of a point, or one that was too high for PAR and
    so not saved.
    """

    def converted(point: MeasuringPoint) -> tuple[MeasuringPoint, str]:
        label, kept = f"read lux at {point.name}", point.readings
        if kept and kept[-1] == lux:
            kept = kept[:-1]
        elif lux <= MOST_PAR:
            return point, label
        note = f"{point.note} {lux:g} lux divided by {lux_by_par:g}.".strip()
        readings = (*kept, round(lux / lux_by_par, 1))
        return replace(point, readings=readings, note=note[-400:], skipped=False), label

    return _at_point(db, tank_id, survey_id, point_id, converted)


def skip(db: Database, tank_id: int, survey_id: int, point_id: int) -> PointTaken:
    """Skip a point."""
    return _at_point(
        db, tank_id, survey_id, point_id, lambda point: (replace(point, skipped=True), f"skip {point.name}")
    )


def note(db: Database, tank_id: int, survey_id: int, point_id: int, words: str) -> PointTaken:
    """Save a note on a point."""
    return _at_point(
        db, tank_id, survey_id, point_id, lambda point: (replace(point, note=words), f"note at {point.name}")
    )


def import_points(db: Database, tank_id: int, survey_id: int, spots: Sequence[MeasuringPoint]) -> None:
    """Import points from a table in one step of undo; readings of known points, by name and place, are added."""
    with db.writing() as connection:
        stored, survey = load_tank(connection, tank_id), load_survey(connection, tank_id, survey_id)
        rules = Rules()
        rules.errors += point_errors(stored.tank, spots, "spot ")
        count = len(survey.spots) + len(spots)
        most = most_of(Survey, "spots")
        rules.that(count <= most, "spots", f"would be {count}: at most {most} in a survey")
        rules.finish()
        edit = Edit(connection, tank_scope(tank_id), f"import {len(spots)} points")
        there = {(kept.value.name, *kept.value.place): kept for kept in survey.spots}
        for spot in spots:
            same = there.get((spot.name, *spot.place))
            if same is None:
                SPOTS.insert(edit, spot, survey_id)
            else:
                readings = (*same.value.readings, *spot.readings)
                SPOTS.update(edit, same.id, replace(same.value, readings=readings, skipped=False))


def use_survey(db: Database, tank_id: int, survey_id: int | None, correction: Correction | None = None) -> None:
    """Apply a survey's correction to the tank's light; with none, the prediction alone. One step of undo."""
    with db.writing() as connection:
        kept = SURVEYS.load(connection, tank_id)
        name = found(kept, survey_id, "survey").value.name if survey_id is not None else ""
        label = f"apply correction of {name}" if survey_id is not None else "turn correction off"
        edit = Edit(connection, tank_scope(tank_id), label)
        for one in kept:
            if one.id == survey_id:
                SURVEYS.update(edit, one.id, replace(one.value, in_use=True, correction=correction))
            elif one.value.in_use:
                edit.update("surveys", one.id, {"in_use": 0})


def latest_readings(db: Database, tank_id: int) -> list[tuple[MeasuringPoint, float]]:
    """Points of the latest survey that has readings, each with its PAR [umol/m2/s]; none without a survey."""
    read = [one.value for one in all_surveys(db, tank_id) if one.value.read()]
    return list(max(read, key=lambda one: one.day).read()) if read else []

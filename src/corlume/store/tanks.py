"""Whole tanks, read and written with the ids of their rows."""

from __future__ import annotations

import datetime
import sqlite3
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from itertools import count
from typing import Any, TypeVar

from corlume.core.errors import FieldError, InvalidInput
from corlume.core.flow.circulation import flow_key
from corlume.core.flow.observed_flow import FlowMark
from corlume.core.flow.pump import Pump
from corlume.core.judging.intent import BY_STOCKING, Intent
from corlume.core.judging.target_zones import TargetZone
from corlume.core.judging.targets import LightTargets
from corlume.core.keeping.scene import Running, Scene, Setup, racked, shaded, surveyed
from corlume.core.light.brushed_rock import BrushedRock
from corlume.core.light.fixture import Fixture, measured, scheduled
from corlume.core.light.geometry import Brace, Rock, Tank
from corlume.core.light.light_group import LightGroup
from corlume.core.light.natural_rock import NaturalRock
from corlume.core.light.survey_correction import Correction
from corlume.core.mounting.checklist import Tick
from corlume.core.mounting.mount import Mount, mounted
from corlume.core.mounting.power import Cord, PowerPart
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.placement.coral import Coral
from corlume.core.placement.coral_type import CoralType
from corlume.core.placement.custom_spots import CustomSpot, FragRack
from corlume.core.placement.placement_preferences import KeptFree
from corlume.core.schedule.change_plan import ChangePlan
from corlume.core.schedule.presets import Preset
from corlume.core.survey.survey_record import MeasuringPoint, Survey
from corlume.core.upkeep.lamp import Lamp
from corlume.core.upkeep.wear import Age, Upkeep, worn_on
from corlume.store.flow_fields import FlowField, load_field
from corlume.store.journal import TANKS_SCOPE, Edit, insert_row
from corlume.store.rock_files import keep_rock, meshed, stroked
from corlume.store.rows import row_of, thing_of
from corlume.store.tables import (
    BRACES,
    BRUSHED_ROCK,
    CORAL_KINDS,
    CORALS,
    NATURAL_ROCKS,
    OF_SCENE,
    OF_TANK,
    ROCKS,
    SETUPS,
    SPOTS,
    SURVEYS,
    Kept,
    NotFound,
    found,
)

T = TypeVar("T")
PLAIN_LISTS = {name: table for name, table in OF_SCENE.items() if not table.apart and name not in ("setups", "corals")}
"""The lists that are loaded with a tank as they are; setups and corals have forms of their own here."""


class Unreadable(Exception):
    """Raised for a tank that exists and breaks the rules, so that it cannot be shown or judged."""

    def __init__(self, tank_id: int, name: str, faults: tuple[FieldError, ...]) -> None:
        self.id, self.name, self.faults = tank_id, name, faults
        super().__init__(f"tank {tank_id} cannot be opened")


@dataclass(frozen=True, slots=True)
class StoredSetup:
    """A setup with its fixtures in the order they were added, and its goal."""

    id: int
    name: str
    in_use: bool
    fixtures: tuple[Kept[Fixture], ...] = ()
    intent: Intent = BY_STOCKING
    groups: tuple[Kept[LightGroup], ...] = ()
    mounts: tuple[Kept[Mount], ...] = ()
    power_parts: tuple[Kept[PowerPart], ...] = ()
    cords: tuple[Kept[Cord], ...] = ()
    ticks: tuple[Kept[Tick], ...] = ()

    @property
    def hung(self) -> list[Fixture]:
        """What hangs in it."""
        return [kept.value for kept in self.fixtures]

    @property
    def mount_values(self) -> list[Mount]:
        """What holds it."""
        return [kept.value for kept in self.mounts]

    @property
    def value(self) -> Setup:
        """The setup without ids."""
        lists: dict[str, Any] = {
            name: tuple(kept.value for kept in getattr(self, name)) for name in SETUPS.lists if name != "fixtures"
        }
        return Setup(self.name, tuple(self.hung), self.in_use, self.intent, **lists)

    def fixture(self, fixture_id: int) -> Kept[Fixture]:
        """The fixture of that id; ``NotFound`` otherwise."""
        return found(self.fixtures, fixture_id, "fixture")


@dataclass(frozen=True, slots=True)
class StoredTank:
    """A tank with all its data."""

    id: int
    name: str
    tank: Tank
    targets: LightTargets
    running: Running
    rocks: tuple[Kept[Rock], ...]
    braces: tuple[Kept[Brace], ...]
    setups: tuple[StoredSetup, ...]
    corals: tuple[Kept[Coral], ...]
    natural_rocks: tuple[Kept[NaturalRock], ...] = ()
    brushed_rock: tuple[Kept[BrushedRock], ...] = ()
    lists: Mapping[str, tuple[Kept[Any], ...]] = field(default_factory=dict)
    """Its other lists by their fields in a scene, but for those that only their own pages load."""
    surroundings: Surroundings = field(default_factory=Surroundings)
    survey: Survey | None = None
    lost: tuple[Kept[Coral], ...] = ()
    """Corals that were lost: they are kept in the books, and neither sit nor wait."""
    kinds: tuple[Kept[CoralType], ...] = ()
    """The keeper's own kinds of coral; they are the same for every tank."""
    flow_field: FlowField | None = None
    """The solved flow of its pumps, where it was solved."""
    looks: tuple[tuple[str, MeasuringPoint], ...] = ()
    """Places that looked dark or lit in cloudy water, each with the name of the setup that hung then."""

    @property
    def wanted(self) -> tuple[Kept[TargetZone], ...]:
        """Its target zones."""
        return self.lists["wanted"]

    @property
    def pumps(self) -> tuple[Kept[Pump], ...]:
        """Its pumps."""
        return self.lists["pumps"]

    @property
    def flow_marks(self) -> tuple[Kept[FlowMark], ...]:
        """Where the keeper saw how strong the flow is."""
        return self.lists["flow_marks"]

    @property
    def perches(self) -> tuple[Kept[CustomSpot], ...]:
        """The keeper's own coral spots."""
        return self.lists["perches"]

    @property
    def racks(self) -> tuple[Kept[FragRack], ...]:
        """Its frag racks."""
        return self.lists["racks"]

    @property
    def kept_free(self) -> tuple[Kept[KeptFree], ...]:
        """Its keep-clear areas."""
        return self.lists["kept_free"]

    @property
    def plans(self) -> tuple[Kept[ChangePlan], ...]:
        """Its plans of slow change."""
        return self.lists["plans"]

    @property
    def presets(self) -> tuple[Kept[Preset], ...]:
        """The keeper's own presets of colour."""
        return self.lists["presets"]

    @property
    def lamps(self) -> tuple[Kept[Lamp], ...]:
        """Its lamps, those that were taken out among them."""
        return self.lists["lamps"]

    @property
    def upkeep(self) -> Upkeep:
        """What is known of its lamps and their cleaning, with the hours of the setup in use."""
        lamps, rhythms, cleanings, burning = (
            tuple(kept.value for kept in self.lists[name]) for name in ("lamps", "rhythms", "cleanings", "burning")
        )
        day, hung = self.running.day, self.setup().hung
        hours = {f.name: day.hours_on(f) if f.output > 0 else 0.0 for f in hung} if lamps else {}
        return Upkeep(lamps, rhythms, cleanings, burning, hours)

    def having(self, **lists: tuple[Kept[Any], ...]) -> StoredTank:
        """The same with other rows in some of its lists."""
        return replace(self, lists={**self.lists, **lists})

    @property
    def correction(self) -> Correction | None:
        """What the survey in use corrects of its light."""
        return self.survey.correction if self.survey else None

    def setup(self, setup_id: int | None = None) -> StoredSetup:
        """The setup of that id, or the one in use; ``NotFound`` otherwise."""
        for setup in self.setups:
            if setup.id == setup_id or (setup_id is None and setup.in_use):
                return setup
        raise NotFound(f"no setup {setup_id} in this tank")

    def rock(self, rock_id: int) -> Kept[Rock]:
        """The rock of that id; ``NotFound`` otherwise."""
        return found(self.rocks, rock_id, "rock")

    def natural_rock(self, rock_id: int) -> Kept[NaturalRock]:
        """The piece of natural rock of that id; ``NotFound`` otherwise."""
        return found(self.natural_rocks, rock_id, "natural rock")

    def brace(self, brace_id: int) -> Kept[Brace]:
        """The brace of that id; ``NotFound`` otherwise."""
        return found(self.braces, brace_id, "brace")

    def coral(self, coral_id: int) -> Kept[Coral]:
        """The coral of that id, among those that were lost too; ``NotFound`` otherwise."""
        return found((*self.corals, *self.lost), coral_id, "coral")

    def zone(self, zone_id: int) -> Kept[TargetZone]:
        """The wanted zone of that id; ``NotFound`` otherwise."""
        return found(self.wanted, zone_id, "zone")

    def lit_tank(self, *, but: int | None = None) -> Tank:
        """The tank as the light meets it, with the shade of its corals where it is set to have it, one left out, and as
        the survey in use found it.
        """
        corals = [kept.value for kept in self.corals if kept.id != but]
        return racked(shaded(self.tank, corals), [kept.value for kept in self.racks]).corrected(self.correction)

    def surveyed(self, survey: Survey) -> Tank:
        """The tank as predicted, with the shade of the corals of the survey's day."""
        return surveyed(self.tank, [kept.value for kept in self.racks], survey)

    def under(self, survey: Survey | None) -> StoredTank:
        """The same with another survey in use, or as it is predicted without one."""
        correction = survey.correction if survey else None

        def hung(setup: StoredSetup) -> tuple[Kept[Fixture], ...]:
            groups, fixtures = [kept.value for kept in setup.groups], measured(setup.hung, correction)
            found = zip(setup.fixtures, scheduled(mounted(fixtures, setup.mount_values), groups), strict=True)
            return tuple(replace(kept, value=fixture) for kept, fixture in found)

        setups = (replace(setup, fixtures=hung(setup)) for setup in self.setups)
        return replace(self, survey=survey, setups=tuple(setups))

    def on(self, day: datetime.date, age: Age = "today") -> StoredTank:
        """The same with the wear of its fixtures on a day, or at an age of their lamps."""
        if not (self.lists["lamps"] or self.lists["rhythms"]):
            return self
        upkeep = self.upkeep

        def worn(setup: StoredSetup) -> StoredSetup:
            pairs = zip(setup.fixtures, worn_on(setup.hung, upkeep, day, age), strict=True)
            return replace(setup, fixtures=tuple(replace(kept, value=fixture) for kept, fixture in pairs))

        return replace(self, setups=tuple(worn(setup) for setup in self.setups))

    def scene(self) -> Scene:
        """The tank as one scene, for checks and for export; without what only its own station loads."""
        setups = tuple(setup.value for setup in self.setups)
        lists: dict[str, Any] = {name: tuple(kept.value for kept in rows) for name, rows in self.lists.items()}
        corals = tuple(kept.value for kept in (*self.corals, *self.lost))
        return Scene(
            self.name, self.tank, self.targets, self.running, setups, corals, surroundings=self.surroundings, **lists
        )


def unstored(scene: Scene) -> StoredTank:
    """A scene as it would be stored, with made-up ids and nothing written."""
    numbers = count(1)

    def kept(values: Iterable[T]) -> tuple[Kept[T], ...]:
        return tuple(Kept(next(numbers), value) for value in values)

    return StoredTank(
        id=0,
        name=scene.name,
        tank=scene.tank,
        targets=scene.targets,
        running=scene.running,
        rocks=kept(scene.tank.rocks),
        braces=kept(scene.tank.braces),
        natural_rocks=kept(scene.tank.natural_rocks),
        brushed_rock=kept(scene.tank.brushed_rock),
        setups=tuple(
            StoredSetup(
                next(numbers), s.name, s.in_use, intent=s.intent,
                **{name: kept(getattr(s, name)) for name in SETUPS.lists},
            )
            for s in scene.setups
        ),
        corals=kept(coral for coral in scene.corals if coral.course.lost is None),
        lists={name: kept(getattr(scene, name)) for name in PLAIN_LISTS},
        lost=kept(coral for coral in scene.corals if coral.course.lost is not None),
        surroundings=scene.surroundings,
    ).under(next((survey for survey in scene.surveys if survey.in_use), None)).on(datetime.date.today())  # fmt: skip


@dataclass(frozen=True, slots=True)
class TankLine:
    """A row of the tank list: inside lengths [m], the setup in use, numbers of fixtures, setups and corals, and how
    many corals are unplaced. Nothing is checked.
    """

    id: int
    name: str
    length: float
    width: float
    water_depth: float
    setup: str
    fixtures: int
    setups: int
    corals: int
    unplaced: int


def tank_lines(connection: sqlite3.Connection) -> list[TankLine]:
    """Every tank that was not deleted, oldest first, whether it can be opened or not."""
    rows = connection.execute(
        """
        SELECT tanks.id, tanks.name, length, width, water_depth,
            coalesce(used.name, '') AS setup,
            (SELECT count(*) FROM fixtures WHERE setup_id = used.id) AS fixtures,
            (SELECT count(*) FROM setups WHERE tank_id = tanks.id) AS setups,
            (SELECT count(*) FROM corals WHERE tank_id = tanks.id AND course_lost IS NULL) AS corals,
            (SELECT count(*) FROM corals WHERE tank_id = tanks.id AND course_lost IS NULL AND x IS NULL) AS unplaced
        FROM tanks LEFT JOIN setups AS used ON used.tank_id = tanks.id AND used.in_use = 1
        WHERE removed = 0 GROUP BY tanks.id ORDER BY tanks.id
        """
    )
    return [TankLine(*row) for row in rows]


def list_tanks(connection: sqlite3.Connection) -> tuple[list[StoredTank], list[Unreadable]]:
    """Every tank that was not deleted, oldest first; and those that cannot be opened."""
    ids = connection.execute("SELECT id FROM tanks WHERE removed = 0 ORDER BY id").fetchall()
    tanks, faulty = list[StoredTank](), list[Unreadable]()
    for row in ids:
        try:
            tanks.append(load_tank(connection, row["id"]))
        except Unreadable as error:
            faulty.append(error)
    return tanks, faulty


def load_tank(connection: sqlite3.Connection, tank_id: int) -> StoredTank:
    """Read a tank; ``NotFound`` when it does not exist or was deleted, ``Unreadable`` when it breaks the rules."""
    row = _tank_row(connection, tank_id)
    try:
        return _tank_of(connection, row)
    except InvalidInput as error:
        raise Unreadable(tank_id, row["name"], error.errors) from error
    except (ValueError, KeyError, TypeError) as error:
        faults = (FieldError("tank", "holds something that this version does not know"),)
        raise Unreadable(tank_id, row["name"], faults) from error


def load_surveyed(connection: sqlite3.Connection, tank_id: int, survey: Survey) -> Tank:
    """Read a tank as predicted for one of its surveys, and nothing else of it; ``NotFound`` when it does not exist."""
    row = _tank_row(connection, tank_id)
    lists = {name: tuple(k.value for k in table.load(connection, tank_id)) for name, table in OF_TANK.items()}
    racks = [kept.value for kept in OF_SCENE["racks"].load(connection, tank_id)]
    tank = thing_of(Tank, row, **lists)
    tank = replace(
        tank, natural_rocks=meshed(connection, tank.natural_rocks), brushed_rock=stroked(connection, tank.brushed_rock)
    )
    return surveyed(tank, racks, survey)


def _tank_row(connection: sqlite3.Connection, tank_id: int) -> sqlite3.Row:
    row: sqlite3.Row | None = connection.execute(
        "SELECT * FROM tanks WHERE id = ? AND removed = 0", (tank_id,)
    ).fetchone()
    if row is None:
        raise NotFound(f"no tank {tank_id}")
    return row


def _tank_of(connection: sqlite3.Connection, row: sqlite3.Row) -> StoredTank:
    tank_id = row["id"]
    rocks, braces = ROCKS.load(connection, tank_id), BRACES.load(connection, tank_id)
    natural, brushed = NATURAL_ROCKS.load(connection, tank_id), BRUSHED_ROCK.load(connection, tank_id)
    setups = connection.execute("SELECT * FROM setups WHERE tank_id = ? ORDER BY id", (tank_id,)).fetchall()
    ids = [setup["id"] for setup in setups]
    parts = {name: table.by_owner(connection, ids) for name, table in SETUPS.lists.items()}
    corals = CORALS.load(connection, tank_id, whole=False)
    lists = {name: table.load(connection, tank_id, whole=False) for name, table in PLAIN_LISTS.items()}
    tank = thing_of(
        Tank,
        row,
        rocks=tuple(r.value for r in rocks),
        braces=tuple(b.value for b in braces),
        natural_rocks=meshed(connection, (r.value for r in natural)),
        brushed_rock=stroked(connection, (b.value for b in brushed)),
    )
    key = flow_key(tank, [kept.value for kept in lists["pumps"]]) if lists["pumps"] else ""
    return StoredTank(
        id=tank_id,
        name=row["name"],
        tank=tank,
        targets=thing_of(LightTargets, row),
        running=thing_of(Running, row),
        rocks=rocks,
        braces=braces,
        natural_rocks=tuple(Kept(kept.id, rock) for kept, rock in zip(natural, tank.natural_rocks, strict=True)),
        brushed_rock=tuple(Kept(kept.id, one) for kept, one in zip(brushed, tank.brushed_rock, strict=True)),
        setups=tuple(
            StoredSetup(
                s["id"], s["name"], bool(s["in_use"]), intent=thing_of(Intent, s),
                **{name: rows[s["id"]] for name, rows in parts.items()},
            )
            for s in setups
        ),
        corals=tuple(kept for kept in corals if kept.value.course.lost is None),
        lists=lists,
        flow_field=load_field(connection, tank_id, key) if key else None,
        lost=tuple(kept for kept in corals if kept.value.course.lost is not None),
        kinds=CORAL_KINDS.load(connection),
        surroundings=thing_of(Surroundings, row),
        looks=_looks(connection, tank_id),
    ).under(survey_in_use(connection, tank_id)).on(datetime.date.today())  # fmt: skip


def _looks(connection: sqlite3.Connection, tank_id: int) -> tuple[tuple[str, MeasuringPoint], ...]:
    rows = connection.execute(
        "SELECT spots.*, surveys.setup FROM spots JOIN surveys ON surveys.id = survey_id "
        "WHERE tank_id = ? AND kind = 'cloudy' AND seen != '' ORDER BY spots.id",
        (tank_id,),
    ).fetchall()
    return tuple((row["setup"], SPOTS.value_of(row)) for row in rows)


def survey_in_use(connection: sqlite3.Connection, tank_id: int) -> Survey | None:
    """Survey in use by a tank, or None."""
    row = connection.execute("SELECT id FROM surveys WHERE tank_id = ? AND in_use = 1", (tank_id,)).fetchone()
    return SURVEYS.get(connection, row["id"], tank_id).value if row else None


def add_tank(connection: sqlite3.Connection, scene: Scene, label: str | None) -> int:
    """Store a scene as a new tank and return its id; without a label it cannot be undone.

    The rows go in hidden and the edit uncovers them, so that undoing the edit hides the tank with
    everything done to it since, and redoing brings all of it back.
    """
    tank_id = insert_row(connection, "tanks", {**row_of(scene), "removed": int(label is not None)})
    for holder, tables in ((keep_rock(connection, scene.tank), OF_TANK), (scene, OF_SCENE)):
        for name, table in tables.items():
            for value in getattr(holder, name):
                table.put(connection, value, tank_id)
    if label is not None:
        Edit(connection, TANKS_SCOPE, label).update("tanks", tank_id, {"removed": 0})
    return tank_id


def remove_tank(connection: sqlite3.Connection, tank_id: int) -> str:
    """Hide a tank, and return its name; undo brings it back. Works for one that cannot be opened, too."""
    row = connection.execute("SELECT name FROM tanks WHERE id = ? AND removed = 0", (tank_id,)).fetchone()
    if row is None:
        raise NotFound(f"no tank {tank_id}")
    Edit(connection, TANKS_SCOPE, f"delete {row['name']}").update("tanks", tank_id, {"removed": 1})
    return str(row["name"])


def part_of(connection: sqlite3.Connection, tank_id: int, field: str) -> tuple[str, int] | None:
    """Table and id of the part of a tank, such as a rock, that a fault such as rocks.3.length speaks of."""
    name, _, rest = field.partition(".")
    number = rest.partition(".")[0]
    if name not in OF_TANK or not number.isdigit():
        return None
    table = OF_TANK[name].name
    rows_of = connection.execute(f"SELECT id FROM {table} WHERE tank_id = ? ORDER BY id", (tank_id,)).fetchall()
    return (table, rows_of[int(number)]["id"]) if int(number) < len(rows_of) else None

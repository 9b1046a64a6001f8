"""The scene of a tank: water, setups, targets, corals and running costs."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Annotated

from corlume.core.errors import FieldError, Rules
from corlume.core.flow.observed_flow import FlowMark, mark_errors
from corlume.core.flow.pump import Pump, pump_errors
from corlume.core.judging.intent import BY_STOCKING, Intent
from corlume.core.judging.target_zones import TargetZone, zone_errors
from corlume.core.judging.targets import LightTargets
from corlume.core.light.fixture import Fixture, aside_errors, measured, scheduled
from corlume.core.light.geometry import Colony, Tank
from corlume.core.light.light_group import DAY, LightGroup, minute_of
from corlume.core.light.survey_correction import Correction
from corlume.core.mounting.checklist import Tick
from corlume.core.mounting.mount import Mount, mount_errors, mounted
from corlume.core.mounting.power import Cord, PowerPart, power_errors
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.placement.coral import Coral
from corlume.core.placement.custom_spots import CustomSpot, FragRack, custom_spot_errors, rack_errors
from corlume.core.placement.placement_preferences import KeptFree, free_errors
from corlume.core.schedule.change_plan import ChangePlan
from corlume.core.schedule.day import Day, plain_block, schedule_errors
from corlume.core.schedule.presets import Preset
from corlume.core.schema import Flag, Many, Number, Part, Text, Time, limits
from corlume.core.survey.photo_geometry import Photo
from corlume.core.survey.survey_record import Survey
from corlume.core.upkeep.burning import BurningHours
from corlume.core.upkeep.cleaning import Cleaning, CleaningRhythm
from corlume.core.upkeep.lamp import Lamp
from corlume.core.upkeep.log_event import LogEvent
from corlume.core.upkeep.spares import Spare


@dataclass(frozen=True, slots=True)
class Setup:
    """One variant of the lights over a tank with its goal; exactly one setup of a tank is in use."""

    name: Annotated[str, Text("Name", least=1)]
    fixtures: Annotated[tuple[Fixture, ...], Many(100)] = ()
    in_use: Annotated[bool, Flag("In use", blank=True)] = False
    intent: Annotated[Intent, Part(file="meant_for")] = BY_STOCKING
    groups: Annotated[tuple[LightGroup, ...], Many(12, one="group", table="light_groups")] = ()
    mounts: Annotated[tuple[Mount, ...], Many(30)] = ()
    power_parts: Annotated[tuple[PowerPart, ...], Many(60, one="power part")] = ()
    cords: Annotated[tuple[Cord, ...], Many(100)] = ()
    ticks: Annotated[tuple[Tick, ...], Many(400)] = ()

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.errors += schedule_errors(self.groups, self.fixtures) + mount_errors(self.mounts)
        rules.errors += power_errors(self.power_parts, self.cords)
        rules.finish()


@dataclass(frozen=True, slots=True)
class Running:
    """Running costs: hours a day at full output [h], price of electricity [currency/kWh]."""

    hours: Annotated[float, Number("Full light", 0.0, 24.0, unit="hours a day", file="hours_per_day")] = 9.0
    price: Annotated[float, Number("Electricity", 0.0, 1000.0, unit="per kWh", file="price_per_kwh")] = 0.30
    currency: Annotated[str, Text("Currency", 8, least=1)] = "EUR"
    lights_out: Annotated[
        datetime.time | None, Time("Lights out at", about="for watching corals: closing before it is no alarm")
    ] = None
    cheap_price: Annotated[
        float | None,
        Number("Cheaper", 0.0, 1000.0, unit="per kWh", file="cheap_price_per_kwh", about="blank: one price"),
    ] = None
    cheap_from: Annotated[datetime.time | None, Time("Cheaper from")] = None
    cheap_to: Annotated[datetime.time | None, Time("Cheaper until")] = None

    def __post_init__(self) -> None:
        rules = limits(self)
        times = self.cheap_from is not None and self.cheap_to is not None and self.cheap_from != self.cheap_to
        rules.that(self.cheap_price is None or times, "cheap_from", "and until must be two times, for a cheaper price")
        rules.finish()

    @property
    def day(self) -> Day:
        """The day of the tank's fixtures; those without a schedule have these hours of full light."""
        return Day(plain_block(self.hours, self.lights_out))

    def yearly(self, fixtures: Iterable[Fixture]) -> float:
        """Cost of a year of the day that fixtures have [currency]."""
        hung, day = tuple(fixtures), self.day
        whole = self.price * sum(day.energy(fixture) for fixture in hung)
        if self.cheap_price is not None and self.cheap_from and self.cheap_to:
            start, end = minute_of(self.cheap_from), minute_of(self.cheap_to)
            parts = [(start, end)] if start < end else [(start, DAY), (0.0, end)]
            cheap = sum(day.energy(fixture, *part) for fixture in hung for part in parts)
            whole += (self.cheap_price - self.price) * cheap
        return 365 * whole


@dataclass(frozen=True, slots=True)
class Scene:
    """Everything that a scene file holds: a tank with its setups, corals, target zones and surroundings."""

    name: Annotated[str, Text("Name", least=1, file="tank.name")]
    tank: Annotated[Tank, Part(file="tank")]
    targets: Annotated[LightTargets, Part(file="targets")] = field(default_factory=LightTargets)
    running: Annotated[Running, Part(file="running")] = field(default_factory=Running)
    setups: Annotated[tuple[Setup, ...], Many(30)] = (Setup("As it hangs", in_use=True),)
    corals: Annotated[tuple[Coral, ...], Many(500)] = ()
    wanted: Annotated[tuple[TargetZone, ...], Many(60, one="zone")] = ()
    surroundings: Annotated[Surroundings, Part(file="surroundings", formerly="site")] = field(
        default_factory=Surroundings
    )
    surveys: Annotated[tuple[Survey, ...], Many(300, apart=True)] = ()
    photos: Annotated[tuple[Photo, ...], Many(40, apart=True)] = ()
    pumps: Annotated[tuple[Pump, ...], Many(20)] = ()
    flow_marks: Annotated[tuple[FlowMark, ...], Many(200, one="mark of flow")] = ()
    perches: Annotated[tuple[CustomSpot, ...], Many(300, one="seat")] = ()
    racks: Annotated[tuple[FragRack, ...], Many(10)] = ()
    kept_free: Annotated[tuple[KeptFree, ...], Many(40, one="part kept free")] = ()
    plans: Annotated[tuple[ChangePlan, ...], Many(60, table="change_plans")] = ()
    presets: Annotated[tuple[Preset, ...], Many(60)] = ()
    lamps: Annotated[tuple[Lamp, ...], Many(500)] = ()
    rhythms: Annotated[tuple[CleaningRhythm, ...], Many(60, table="cleaning_rhythms")] = ()
    events: Annotated[tuple[LogEvent, ...], Many(20_000, apart=True)] = ()
    spares: Annotated[tuple[Spare, ...], Many(100)] = ()
    cleanings: Annotated[tuple[Cleaning, ...], Many(3000)] = ()
    burning: Annotated[tuple[BurningHours, ...], Many(5000, one="record of hours", table="burning_hours")] = ()

    @property
    def correction(self) -> Correction | None:
        """Correction by the survey in use."""
        return next((survey.correction for survey in self.surveys if survey.in_use), None)

    def lit_tank(self) -> Tank:
        """The tank for the light model: shaded by its corals where the keeper asks for that, and corrected by the
        survey in use.
        """
        return racked(shaded(self.tank, self.corals), self.racks).corrected(self.correction)

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(bool(self.setups), "setups", "must hold at least one setup")
        rules.that(sum(s.in_use for s in self.setups) == 1, "setups", "must have exactly one setup in use")
        rules.errors += place_errors(self.tank, self.corals)
        rules.errors += zone_errors(self.tank, self.wanted)
        rules.errors += pump_errors(self.tank, self.pumps) + mark_errors(self.tank, self.flow_marks)
        rules.errors += custom_spot_errors(self.tank, self.perches) + rack_errors(self.tank, self.racks)
        rules.errors += free_errors(self.tank, self.kept_free)
        rules.that(sum(s.in_use for s in self.surveys) <= 1, "surveys", "must have one survey in use at most")
        for i, setup in enumerate(self.setups):
            for j, fixture in enumerate(setup.fixtures):
                rules.errors += [e.under(f"setups.{i}.fixtures.{j}") for e in aside_errors(self.tank, fixture)]
        rules.finish()

    def pictures(self) -> set[str]:
        """Keys of all pictures in photos and logs."""
        noted = {note.picture for coral in self.corals for note in coral.notes if note.picture}
        logged = {event.picture for event in self.events if event.picture}
        return noted | logged | {photo.picture for photo in self.photos}

    def states(self) -> set[str]:
        """Keys of all setups that the log has kept."""
        return {event.state for event in self.events if event.state}

    def setup(self, name: str | None = None) -> Setup:
        """The setup of a name, or the one in use, with its fixtures corrected by the survey in use; ``KeyError`` when
        there is none.
        """
        for setup in self.setups:
            if setup.name == name or (name is None and setup.in_use):
                hung = mounted(measured(setup.fixtures, self.correction), setup.mounts)
                return replace(setup, fixtures=scheduled(hung, setup.groups))
        raise KeyError(name)


def shaded(tank: Tank, corals: Iterable[Coral]) -> Tank:
    """A tank with its placed corals as discs of their mature size, where the keeper asks for that."""
    if not tank.colony_shade:
        return tank
    return replace(tank, colonies=tuple(Colony(*c.place, 0.5 * c.card.size) for c in corals if c.place is not None))


def racked(tank: Tank, racks: Iterable[FragRack]) -> Tank:
    """A tank with the frag racks that hang in it."""
    plates = tuple((r.x, r.x + r.length, r.y, r.y + r.width, r.depth, r.passes) for r in racks)
    return replace(tank, plates=plates) if plates else tank


def surveyed(tank: Tank, racks: Iterable[FragRack], survey: Survey) -> Tank:
    """A tank as predicted for a survey, with the shade of the corals of its day and the racks that hang in it."""
    return racked(replace(tank, colonies=survey.colonies), racks)


def place_errors(tank: Tank, corals: Sequence[Coral]) -> list[FieldError]:
    """Tell which corals lie outside the water."""
    rules = Rules()
    for i, coral in enumerate(corals):
        if coral.place is not None:
            limits = (tank.length, tank.width, tank.water_depth)
            for axis, at, limit in zip(("x", "y", "depth"), coral.place, limits, strict=True):
                rules.between(f"corals.{i}.{axis}", at, 0.0, limit, "length")
    return rules.errors

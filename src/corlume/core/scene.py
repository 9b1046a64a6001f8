"""A whole tank as the keeper knows it: water, lights in one or more setups, targets, corals, running costs."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Annotated, NamedTuple

from corlume.core.coral import CoralCard
from corlume.core.declared import Flag, Length, Many, Number, Own, Part, Share, Text, items, limits
from corlume.core.errors import FieldError, Rules
from corlume.core.geometry import Colony, Tank
from corlume.core.judgement.intent import BY_STOCKING, Intent
from corlume.core.judgement.targets import LightTargets
from corlume.core.judgement.wanted import WantedZone, zone_errors
from corlume.core.optics.emitter import Emitter
from corlume.core.optics.wear import wear_errors
from corlume.core.surroundings import Surroundings

SIDE_ROOM = 1.0
"""How far outside the panes a fixture's centre may hang [m]."""


@dataclass(frozen=True, slots=True)
class Fixture:
    """An emitter as it hangs.

    Parameters
    ----------
    emitter : its light-giving face at full output.
    output : 0..1 of full output [-]: the master dimmer, which leaves the ratios of the channels alone.
    levels : 0..1 of each channel under the master [-]; empty when all are full.
    watts : electrical power at full output [W].
    light_loss_factor : what age, salt creep and a dirty cover glass leave of its light when new and clean, 0..1 [-].
    frame : the rack or hybrid frame that it hangs in; fixtures of one frame move together.
    dimmable : whether anything between off and full is possible; tubes and halides on plain ballasts are not.
    weight : what its supports carry, 0 when not known [kg].
    wear : answers of ``wear`` as pairs of question and answer, from which the light loss factor came; empty when
        that was typed.
    """

    emitter: Annotated[Emitter, Part()]
    output: Annotated[float, Share("Output", 0.0, 1.0)] = 1.0
    watts: Annotated[float, Number("Power", 0.0, 5000.0, "power", about="at full output")] = 0.0
    name: Annotated[str, Text("Name")] = ""
    dimmable: Annotated[bool, Flag("Dims")] = True
    frame: Annotated[str, Text("Frame", about="rack or frame; fixtures of one frame move together")] = ""
    light_loss_factor: Annotated[
        float,
        Share(
            "Light loss factor",
            0.1,
            1.0,
            about="what age, salt and dirt leave of its light when new and clean",
            formerly=("condition_percent",),
            column="condition",
        ),
    ] = 1.0
    levels: Annotated[tuple[float, ...], Own(file="channels")] = ()
    weight: Annotated[
        float, Number("Weight", 0.0, 200.0, unit="kg", about="0 when not known", file="weight_kg", empty=0.0)
    ] = 0.0
    wear: Annotated[tuple[tuple[str, str], ...], Own()] = ()

    @property
    def strengths(self) -> tuple[float, ...]:
        """What leaves the fixture by channel, as a share of that channel's full light when new and clean [-]."""
        whole = self.output * self.light_loss_factor
        return tuple(whole * level for level in self.mix)

    @property
    def strength(self) -> float:
        """What leaves the fixture as a share of its full light when new and clean [-]."""
        return sum(s * c.share for s, c in zip(self.strengths, self.emitter.channels, strict=True))

    @property
    def mix(self) -> tuple[float, ...]:
        """Level of every channel under the master dimmer [-]."""
        return self.levels or (1.0,) * len(self.emitter.channels)

    @property
    def power(self) -> float:
        """Electrical power as it is dimmed now, in proportion to the light of each channel [W]."""
        shares = self.emitter.power_shares() if self.levels else (1.0,)
        return self.output * self.watts * sum(a * b for a, b in zip(self.levels or (1.0,), shares, strict=True))

    def __post_init__(self) -> None:
        rules = limits(self)
        for level in self.levels:
            rules.between("levels", level, 0.0, 1.0, "share")
        rules.that(
            not self.levels or len(self.levels) == len(self.emitter.channels),
            "levels",
            f"must be one for each of its {len(self.emitter.channels)} channels",
        )
        rules.that(
            self.dimmable or self.output in (0.0, 1.0),
            "output",
            "is on or off: this fixture does not dim",
            "share",
            self.output,
        )
        rules.errors += wear_errors(self.emitter.technology, dict(self.wear))
        rules.finish()


def check_count(what: str, count: int) -> None:
    """``InvalidInput`` when there would be more of something than ``MOST`` allows."""
    rules, most = Rules(), MOST[what]
    holder = "setup" if what == "fixtures" else "tank"
    rules.that(count <= most, what, f"would be {count}: a {holder} holds at most {most}, so take one out first")
    rules.finish()


def fixture_errors(tank: Tank, fixture: Fixture) -> list[FieldError]:
    """Tell where a fixture leaves the room: over the ceiling or too far to the side."""
    rules, e = Rules(), fixture.emitter
    rules.that(
        e.height <= tank.room_height + 1e-9,
        "height",
        "is outside the room: {value} above the water, and the canopy or ceiling is at {high}",
        "length",
        e.height,
        high=tank.room_height,
    )
    for axis, at, size in (("x", e.x, tank.length), ("y", e.y, tank.width)):
        rules.that(
            -SIDE_ROOM <= at <= size + SIDE_ROOM,
            axis,
            "is outside the room: {value} lies beyond {low} to {high}",
            "length",
            at,
            low=-SIDE_ROOM,
            high=size + SIDE_ROOM,
        )
    return rules.errors


def bodies_below(fixtures: Sequence[Fixture], index: int) -> tuple[tuple[float, float, float, float, float], ...]:
    """Faces of other fixtures that hang lower than one and shade it: x0, x1, y0, y1, height [m]."""
    found = []
    for k, other in enumerate(fixtures):
        e = other.emitter
        if k != index and e.height < fixtures[index].emitter.height - LOWER:
            half_x, half_y = e.half_extent()
            found.append((e.x - half_x, e.x + half_x, e.y - half_y, e.y + half_y, e.height))
    return tuple(found)


LOWER = 0.015
"""A fixture shades another when its face hangs so much lower [m]."""
BODY = 0.04
"""Least distance in height at which two fixtures can hang over each other [m]."""


def overlaps(fixtures: Sequence[Fixture]) -> list[tuple[int, int]]:
    """Pairs of fixtures, by index, whose faces would need the same room."""
    found = []
    for i, one in enumerate(fixtures):
        a, (ax, ay) = one.emitter, one.emitter.half_extent()
        for j in range(i + 1, len(fixtures)):
            b, (bx, by) = fixtures[j].emitter, fixtures[j].emitter.half_extent()
            beside = abs(a.x - b.x) >= ax + bx - 1e-6 or abs(a.y - b.y) >= ay + by - 1e-6
            if not beside and abs(a.height - b.height) < BODY:
                found.append((i, j))
    return found


def beside(tank: Tank, fixtures: Sequence[Fixture]) -> list[int]:
    """Fixtures, by index, whose faces hang wholly beside the tank's opening."""
    found = []
    for k, fixture in enumerate(fixtures):
        e, (half_x, half_y) = fixture.emitter, fixture.emitter.half_extent()
        if not (-half_x < e.x < tank.length + half_x and -half_y < e.y < tank.width + half_y):
            found.append(k)
    return found


def face_lengths(fixtures: Iterable[Fixture]) -> list[float]:
    """How long each face is along the tank, as it is turned [m]."""
    return [2 * f.emitter.half_extent()[0] for f in fixtures]


@dataclass(frozen=True, slots=True)
class Setup:
    """One variant of the lights over a tank, and what it is meant for; exactly one of a tank is the one in use."""

    name: Annotated[str, Text("Name", least=1)]
    fixtures: Annotated[tuple[Fixture, ...], Many(100)] = ()
    in_use: Annotated[bool, Flag("In use", blank=True)] = False
    intent: Annotated[Intent, Part(file="meant_for")] = BY_STOCKING


@dataclass(frozen=True, slots=True)
class Running:
    """What it costs to run: hours a day at full schedule [h], price of electricity [currency/kWh]."""

    hours: Annotated[float, Number("Full light", 0.0, 24.0, unit="hours a day", file="hours_per_day")] = 9.0
    price: Annotated[float, Number("Electricity", 0.0, 1000.0, unit="per kWh", file="price_per_kwh")] = 0.30
    currency: Annotated[str, Text("Currency", 8, least=1)] = "EUR"

    def __post_init__(self) -> None:
        limits(self).finish()

    def yearly(self, watts: float) -> float:
        """Price of a year at a mean power [currency]."""
        return watts / 1000 * self.hours * 365 * self.price


class Seat(NamedTuple):
    """Where a coral sits: its foot from the left pane, from the front pane, and under the water line [m]."""

    x: Annotated[float, Length("From left")]
    y: Annotated[float, Length("From front")]
    depth: Annotated[float, Length("Depth")]


@dataclass(frozen=True, slots=True)
class Coral:
    """A coral that the keeper owns: its card, and where it sits, or None while it waits."""

    card: Annotated[CoralCard, Part()]
    place: Annotated[Seat | None, Part(file="place")] = None


@dataclass(frozen=True, slots=True)
class Scene:
    """All that one file holds: a tank with its setups, its corals, the light wanted, and the place where it stands."""

    name: Annotated[str, Text("Name", least=1, file="tank.name")]
    tank: Annotated[Tank, Part(file="tank")]
    targets: Annotated[LightTargets, Part(file="targets")] = field(default_factory=LightTargets)
    running: Annotated[Running, Part(file="running")] = field(default_factory=Running)
    setups: Annotated[tuple[Setup, ...], Many(30)] = (Setup("As it hangs", in_use=True),)
    corals: Annotated[tuple[Coral, ...], Many(500)] = ()
    wanted: Annotated[tuple[WantedZone, ...], Many(60)] = ()
    surroundings: Annotated[Surroundings, Part(file="surroundings", formerly="site")] = field(
        default_factory=Surroundings
    )

    def lit_tank(self) -> Tank:
        """The tank as the light meets it: with the shade of its corals where the keeper asks for that."""
        return shaded(self.tank, self.corals)

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(bool(self.setups), "setups", "must hold at least one setup")
        rules.that(sum(s.in_use for s in self.setups) == 1, "setups", "must have exactly one setup in use")
        rules.errors += place_errors(self.tank, self.corals)
        rules.errors += zone_errors(self.tank, self.wanted)
        for i, setup in enumerate(self.setups):
            for j, fixture in enumerate(setup.fixtures):
                rules.errors += [e.under(f"setups.{i}.fixtures.{j}") for e in fixture_errors(self.tank, fixture)]
        rules.finish()

    def setup(self, name: str | None = None) -> Setup:
        """The setup of that name, or the one in use; ``KeyError`` when there is none."""
        for setup in self.setups:
            if setup.name == name or (name is None and setup.in_use):
                return setup
        raise KeyError(name)


def shaded(tank: Tank, corals: Iterable[Coral]) -> Tank:
    """A tank with its placed corals as discs of their mature size, when it is set to have them."""
    if not tank.colony_shade:
        return tank
    return replace(tank, colonies=tuple(Colony(*c.place, 0.5 * c.card.size) for c in corals if c.place is not None))


def place_errors(tank: Tank, corals: Sequence[Coral]) -> list[FieldError]:
    """Tell which corals lie outside the water."""
    rules = Rules()
    for i, coral in enumerate(corals):
        if coral.place is not None:
            limits = (tank.length, tank.width, tank.water_depth)
            for axis, at, limit in zip(("x", "y", "depth"), coral.place, limits, strict=True):
                rules.between(f"corals.{i}.{axis}", at, 0.0, limit, "length")
    return rules.errors


MOST = {item.name: item.spec.most for cls in (Tank, Setup, Scene) for item in items(cls) if isinstance(item.spec, Many)}
"""How many of each a keeper can add to a tank, fixtures to a setup."""

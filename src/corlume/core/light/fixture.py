"""A fixture as it hangs, and fixtures in relation to each other and to the tank."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal

from corlume.core.errors import FieldError, Rules
from corlume.core.light.emitter import Emitter
from corlume.core.light.geometry import Strip, Tank
from corlume.core.light.light_group import LightGroup
from corlume.core.light.light_loss import wear_errors
from corlume.core.light.survey_correction import Correction
from corlume.core.schema import Choice, Flag, Number, Own, Part, Share, Text, limits

FluxBasis = Literal["file", "maker", "typical", "run", "watts", "readings", "grid"]
FLUX_BASES: dict[FluxBasis, str] = {
    "file": "a photometry file",
    "maker": "the maker's figure",
    "typical": "as usually measured of its kind",
    "run": "measured as run, at a stated level",
    "watts": "watts and kind",
    "readings": "a few readings",
    "grid": "a grid of readings",
}
"""Where the photon flux of a fixture can come from; ``core.survey.priors`` says how sure each is."""
MOST_LEVEL = 1.5
"""The highest level that a channel can reach, of its rated output [-]."""
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
    basis : where its photon flux comes from.
    group : the group of the setup's schedule that it follows; empty for the plain hours.
    measured : what a survey in use found it to give, as a share of all that was told [-]; not kept with it, see
        ``core.light.survey_correction``.
    max_levels : per cent that each channel reaches, in order with / between; empty where none goes past 100.
    most_watts : power that its channels may draw together, 0 for no limit [W].
    day : the schedule of its group, None for the plain hours; kept with its setup.
    held_by : name of the mount of its setup that holds it; empty, or a name that no mount has, where none is entered.
    strips : what the mounts of its setup put over the water; kept with its setup, see ``core.mounting.mount``.
    lit : level of each channel at a time of the day, in place of ``output`` and ``levels`` [-]; not kept with it, see
        ``core.schedule.day``.
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
            "Light remaining",
            0.1,
            1.0,
            about="after age, salt and dirt; 85 % = 15 % lost; the trade's light loss factor (LLF)",
            formerly=("condition_percent",),
            column="condition",
        ),
    ] = 1.0
    levels: Annotated[tuple[float, ...], Own(file="channels")] = ()
    weight: Annotated[
        float, Number("Weight", 0.0, 200.0, unit="kg", about="0 when not known", file="weight_kg", empty=0.0)
    ] = 0.0
    wear: Annotated[tuple[tuple[str, str], ...], Own()] = ()
    basis: Annotated[FluxBasis, Choice("PPF from", FLUX_BASES)] = "typical"
    group: Annotated[
        str, Text("Group", 40, column="light_group", about="follows the schedule of this group; empty: plain hours")
    ] = ""
    max_levels: Annotated[
        str,
        Text(
            "Channels reach",
            80,
            column="channel_reach",
            about="per cent of each, in order, where some go past 100, such as 120/120/100",
        ),
    ] = ""
    most_watts: Annotated[
        float, Number("Power limit", 0.0, 5000.0, "power", about="of all channels together; blank: none", empty=0.0)
    ] = 0.0
    held_by: Annotated[str, Text("Mount", about="of this setup, that holds it")] = ""
    measured: float = 1.0
    worn: float = 1.0
    strips: tuple[Strip, ...] = ()
    day: LightGroup | None = None
    lit: tuple[float, ...] | None = None

    @property
    def strengths(self) -> tuple[float, ...]:
        """Output of each channel, as a share of that channel's full output when new and clean [-]."""
        if self.lit is not None:
            return tuple(self.left * level for level in self.lit)
        return tuple(self.output * self.left * level for level in self.mix)

    @property
    def left(self) -> float:
        """What age, dirt and the survey in use leave of its light when new and clean [-]."""
        return self.light_loss_factor * self.measured * self.worn

    @property
    def strength(self) -> float:
        """Output of the fixture, as a share of its full output when new and clean [-]."""
        return sum(s * c.share for s, c in zip(self.strengths, self.emitter.channels, strict=True))

    @property
    def mix(self) -> tuple[float, ...]:
        """Level of every channel under the master dimmer [-]."""
        return self.levels or (1.0,) * len(self.emitter.channels)

    @property
    def tops(self) -> tuple[float, ...]:
        """Highest level of every channel [-]; ``ValueError`` where ``max_levels`` holds no numbers."""
        channels = len(self.emitter.channels)
        return tuple(float(text) / 100 for text in self.max_levels.split("/")) if self.max_levels else (1.0,) * channels

    @property
    def power(self) -> float:
        """Electrical power as it is dimmed now, in proportion to the light of each channel [W]."""
        shares = self.emitter.power_shares() if self.levels else (1.0,)
        return self.output * self.watts * sum(a * b for a, b in zip(self.levels or (1.0,), shares, strict=True))

    def __post_init__(self) -> None:
        rules = limits(self)
        try:
            tops = self.tops
        except ValueError:
            tops = ()
        count = len(self.emitter.channels)
        rules.that(
            len(tops) == count and all(1.0 <= top <= MOST_LEVEL for top in tops),
            "max_levels",
            f"must be {count} numbers from 100 to {100 * MOST_LEVEL:.0f} with / between",
        )
        for level, top in zip(self.levels, tops, strict=False):
            rules.between("levels", level, 0.0, top, "share")
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
        rules.that(
            not self.most_watts or rules.errors != [] or self.power <= self.most_watts + 1e-6,
            "levels",
            "draw {value} together, and {high} is the limit: turn one down, or the output",
            "power",
            self.power if not rules.errors else 0.0,
            high=self.most_watts,
        )
        rules.errors += wear_errors(self.emitter.technology, dict(self.wear))
        rules.finish()


def measured(fixtures: Iterable[Fixture], correction: Correction | None) -> tuple[Fixture, ...]:
    """Fixtures corrected by the survey in use."""
    if correction is None:
        return tuple(fixtures)
    return tuple(replace(f, measured=correction.output(f.name, f.emitter)) for f in fixtures)


def scheduled(fixtures: Iterable[Fixture], groups: Iterable[LightGroup]) -> tuple[Fixture, ...]:
    """Fixtures with the schedules of their groups."""
    by_name = {group.name: group for group in groups}
    return tuple(f if (day := by_name.get(f.group)) == f.day else replace(f, day=day) for f in fixtures)


def fixture_errors(tank: Tank, fixture: Fixture, was: Fixture | None = None) -> list[FieldError]:
    """Find fixtures out of bounds: above the ceiling or too far to the side.

    What hung higher than the ceiling before, ``was``, may stay or come down.
    """
    rules, e = Rules(), fixture.emitter
    rules.that(
        e.height <= max(tank.room_height, was.emitter.height if was else 0.0) + 1e-9,
        "height",
        "is outside the room: {value} above the water, and the canopy or ceiling is at {high}",
        "length",
        e.height,
        high=tank.room_height,
    )
    return rules.errors + aside_errors(tank, fixture)


def aside_errors(tank: Tank, fixture: Fixture) -> list[FieldError]:
    """Find fixtures too far beside the tank."""
    rules, e = Rules(), fixture.emitter
    for axis, at, size in (("x", e.x, tank.length), ("y", e.y, tank.width)):
        rules.that(
            -SIDE_ROOM <= at <= size + SIDE_ROOM,
            axis,
            "is outside the room: {value} is not within {low} to {high}",
            "length",
            at,
            low=-SIDE_ROOM,
            high=size + SIDE_ROOM,
        )
    return rules.errors


def extent(parts: Iterable[Fixture]) -> tuple[tuple[float, float], tuple[float, float]]:
    """Return the lowest and highest x and y of the areas of some fixtures [m]."""
    spans = [(p.emitter.x, p.emitter.y, *p.emitter.half_extent()) for p in parts]
    return (
        (min(x - a for x, _, a, _ in spans), min(y - b for _, y, _, b in spans)),
        (max(x + a for x, _, a, _ in spans), max(y + b for _, y, _, b in spans)),
    )


def bodies_below(fixtures: Sequence[Fixture], index: int) -> tuple[Strip, ...]:
    """What hangs lower than a given fixture and shades it: other fixtures, and mounts."""
    height = fixtures[index].emitter.height
    found = [strip for strip in fixtures[index].strips if strip[4] < height - TOUCHING]
    for k, other in enumerate(fixtures):
        e = other.emitter
        if k != index and e.height < height - LOWER:
            half_x, half_y = e.half_extent()
            found.append((e.x - half_x, e.x + half_x, e.y - half_y, e.y + half_y, e.height))
    return tuple(found)


TOUCHING = 0.001
"""What lies less lower than a face is level with it [m]."""
LOWER = 0.015
"""A fixture shades another when its face hangs so much lower [m]."""
BODY = 0.04
"""Least distance in height at which two fixtures can hang over each other [m]."""


def overlaps(fixtures: Sequence[Fixture]) -> list[tuple[int, int]]:
    """Pairs of fixtures, by index, whose areas overlap."""
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
    """Fixtures, by index, whose areas hang wholly beside the tank's opening."""
    found = []
    for k, fixture in enumerate(fixtures):
        e, (half_x, half_y) = fixture.emitter, fixture.emitter.half_extent()
        if not (-half_x < e.x < tank.length + half_x and -half_y < e.y < tank.width + half_y):
            found.append(k)
    return found


def beyond(tank: Tank, fixtures: Sequence[Fixture]) -> list[tuple[int, float]]:
    """Fixtures, by index, whose areas reach past two facing panes, with how far past both [m]."""
    found = []
    for k, fixture in enumerate(fixtures):
        e = fixture.emitter
        over = [
            2 * half - size
            for at, half, size in zip((e.x, e.y), e.half_extent(), (tank.length, tank.width), strict=True)
            if at - half < 0 and at + half > size
        ]
        if over and max(over) > OVER:
            found.append((k, max(over)))
    return found


OVER = 0.02
"""What reaches out over both panes by less is not spoken of [m]."""


def face_lengths(fixtures: Iterable[Fixture]) -> list[float]:
    """Length of each area along the tank, as turned [m]."""
    return [2 * f.emitter.half_extent()[0] for f in fixtures]

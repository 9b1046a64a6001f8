"""A survey record: where PAR was measured, what the meter read, and under which lights."""

from __future__ import annotations

import datetime
import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal

import numpy as np

from corlume.core.errors import FieldError, Rules
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Colony, Strip, Tank
from corlume.core.light.survey_correction import Correction
from corlume.core.schema import Choice, Day, Flag, Length, Many, Number, Own, Share, Text, Time, limits
from corlume.core.survey.priors import CALM, DIGIT, METER, TILT

Pumps = Literal["on", "off"]
AtSpot = Literal["", "on", "off"]
PUMPS: dict[Pumps, str] = {"on": "on", "off": "off"}
Seen = Literal["", "dark", "lit"]
LOOKS: dict[Seen, str] = {"": "not checked", "dark": "dark", "lit": "lit"}
Kind = Literal["", "before", "heights", "sliders", "after", "balance", "spill", "cloudy"]
KINDS: dict[Kind, str] = {
    "": "readings",
    "before": "first day with a rented meter: before anything is moved",
    "heights": "rock top at one of several heights",
    "sliders": "one place at several levels of the lights",
    "after": "last day with a rented meter: final readings",
    "balance": "round of a balance by meter",
    "spill": "without a meter: light on a hand outside the panes",
    "cloudy": "without a meter: beams seen in cloudy water",
}
MOST_PAR = 5000.0
"""No lamp over a tank gives so much; full sun is 2000 [umol/m2/s]."""
MOST_LUX = 150_000.0
"""A number above ``MOST_PAR`` and up to this, bright sunlight, may be lux [lx]."""
OVERFLOW = (32767.0, 65535.0)
"""What meters show when they are past their range."""
MOST_VALUES = 50
DOUBTFUL_NOISE = 0.04
"""A reading whose variance was raised to more than this does not fit [-]."""


@dataclass(frozen=True, slots=True)
class MeasuringPoint:
    """A measuring point with its readings.

    Parameters
    ----------
    x, y, depth : the sensor's face from the left pane, from the front pane, and under the water line [m].
    reason : why it was proposed.
    readings : what the meter said, in the order of reading [umol/m2/s].
    pumps : whether the surface was rippled; the survey's own where nothing is said.
    time : of day when it was read.
    level : of the lights at that time, as a share of what they are set to; readings are divided by it [-].
    upright : whether the probe stood upright on a rod or holder.
    seen : how it looked without a meter.
    skipped : passed over at the tank.
    """

    name: Annotated[str, Text("Name", least=1)]
    x: Annotated[float, Length("From left", 0.0, 5.0)]
    y: Annotated[float, Length("From front", 0.0, 5.0)]
    depth: Annotated[float, Length("Depth", 0.0, 2.0)]
    reason: Annotated[str, Text("Proposed as", 200)] = ""
    readings: Annotated[tuple[float, ...], Own(file="par")] = ()
    pumps: Annotated[AtSpot, Choice("Pumps", {"": "as the survey", **PUMPS})] = ""
    time: Annotated[datetime.time | None, Time("Time of day", blank=None)] = None
    level: Annotated[float, Share("Lights at", 0.05, 1.5, about="of what they are set to, at that time")] = 1.0
    upright: Annotated[bool, Flag("Probe upright on a rod or holder")] = True
    note: Annotated[str, Text("Note", 400)] = ""
    skipped: Annotated[bool, Flag("Skipped")] = False
    seen: Annotated[Seen, Choice("Looks", LOOKS, about="without a meter")] = ""

    def __post_init__(self) -> None:
        rules = limits(self)
        count = len(self.readings)
        rules.that(count <= MOST_VALUES, "readings", f"are {count}: at most {MOST_VALUES} a spot")
        for value in self.readings:
            rules.errors += value_errors(value)
        rules.finish()

    @property
    def place(self) -> tuple[float, float, float]:
        """Where the sensor stands [m]."""
        return self.x, self.y, self.depth

    @property
    def median(self) -> float | None:
        """Median of the readings, or None without any [umol/m2/s]."""
        return statistics.median(self.readings) if self.readings else None

    @property
    def spread(self) -> float:
        """Standard deviation of its readings over their median, 0 with fewer than two [-]."""
        middle = self.median
        return statistics.stdev(self.readings) / middle if middle and len(self.readings) > 1 else 0.0


def value_errors(value: float) -> list[FieldError]:
    """Find why a number cannot be a PAR reading, by the field "par"."""
    rules = Rules()
    if value in OVERFLOW:
        rules.that(False, "par", f"is {value:.0f}: the meter is past its range, or not plugged in; read again")
    elif value == 0 or not value > 0:
        rules.that(False, "par", "must be more than 0: a dark place reads 1 or 2; skip the point if it was not read")
    else:
        rules.between("par", value, 0.1, MOST_PAR)
    return rules.errors


@dataclass(frozen=True, slots=True)
class Survey:
    """Readings taken over a day or so under one setup.

    Parameters
    ----------
    setup : the name of the setup that hung then; ``fixtures`` are its lights as they were set.
    kind : what it is for.
    session : what the rounds of one balance by meter, or the days of one week, have in common; empty for a survey by
        itself.
    immersion : what a reading under water is multiplied by to give PAR: 1 for a meter that corrects by itself [-].
    colonies : the corals that shaded on its day, where the tank was set to have their shade; readings are compared
        with these, whatever was placed since.
    strips : what the mounts of that setup put over the water, for all its lights [m].
    in_use : whether chart, Hang and corals follow its ``correction``.
    """

    name: Annotated[str, Text("Name", least=1)]
    day: Annotated[datetime.date, Day("Day")]
    setup: Annotated[str, Text("Setup")] = ""
    session: Annotated[str, Text("Session", about="rounds of a balance, or days of a week, have the same")] = ""
    pumps: Annotated[Pumps, Choice("Pumps", PUMPS, about="on: what corals see; off: a steady number")] = "on"
    meter: Annotated[str, Text("Meter")] = ""
    immersion: Annotated[
        float,
        Number("Immersion factor", 0.8, 2.0, about="readings are multiplied by it; 1 where the meter does it itself"),
    ] = 1.0
    note: Annotated[str, Text("Note", 1000)] = ""
    spots: Annotated[tuple[MeasuringPoint, ...], Many(200)] = ()
    fixtures: Annotated[tuple[Fixture, ...], Many(100, table="survey_fixtures")] = ()
    correction: Annotated[Correction | None, Own()] = None
    colonies: Annotated[tuple[Colony, ...], Own(file="colonies_cm")] = ()
    strips: Annotated[tuple[Strip, ...], Own(file="strips_cm")] = ()
    in_use: Annotated[bool, Flag("In use", blank=False)] = False
    kind: Annotated[Kind, Choice("Type", KINDS)] = ""

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(not self.in_use or self.correction is not None, "in_use", "has no correction to be used")
        rules.finish()
        strips = self.strips or next((f.strips for f in self.fixtures if f.strips), ())
        object.__setattr__(self, "strips", strips)
        object.__setattr__(self, "fixtures", tuple(replace(f, strips=strips) for f in self.fixtures))

    def par(self, spot: MeasuringPoint) -> float | None:
        """PAR at a point with the lights as set, or None where nothing was read [umol/m2/s]."""
        return None if spot.median is None else spot.median * self.immersion / spot.level

    def read(self) -> list[tuple[MeasuringPoint, float]]:
        """Points with a reading, each with its PAR [umol/m2/s]."""
        found = ((spot, self.par(spot)) for spot in self.spots)
        return [(spot, par) for spot, par in found if par is not None]

    def doubts(self, index: int) -> bool:
        """Whether the i-th reading was an outlier when the correction was fitted."""
        noise = self.correction.noise if self.correction else ()
        return index < len(noise) and noise[index] > DOUBTFUL_NOISE

    def noise(self, spot: MeasuringPoint, par: float, fluctuation: float) -> float:
        """Relative standard deviation of a point's reading [-].

        ``fluctuation`` is that of the light there with the surface rippled, from the model; readings of some seconds
        each take most of it away, and so do several.
        """
        calm = (spot.pumps or self.pumps) == "off"
        count = max(1, len(spot.readings))
        ripple = CALM.sd if calm else max(CALM.sd, min(0.5, fluctuation) * SEEN)
        alone = max(ripple, spot.spread) / math.sqrt(count)
        tilt = 0.0 if spot.upright else TILT.sd
        return math.hypot(METER.sd, alone, tilt, DIGIT / max(par, DIGIT))


SEEN = 0.25
"""What a glance at a jumping display leaves of the light's fluctuation [-]: our own estimate; readings of one spot that
run from 176 to 190 are common practice, no source."""


def point_errors(tank: Tank, spots: Sequence[MeasuringPoint], prefix: str = "") -> list[FieldError]:
    """Find points outside the water or in rock, as ``0.x`` and so on behind a prefix."""
    rules = Rules()
    for i, spot in enumerate(spots):
        at = f"{prefix}{i}."
        for axis, value, limit in (("x", spot.x, tank.length), ("y", spot.y, tank.width),
                                   ("depth", spot.depth, tank.water_depth)):  # fmt: skip
            rules.between(f"{at}{axis}", value, 0.0, limit, "length")
        if bool(tank.in_rock(np.array([spot.place]))[0]):
            rules.that(False, f"{at}depth", "lies in rock or sand: {value} down", "length", spot.depth)
    return rules.errors

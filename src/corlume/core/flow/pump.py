"""Pumps as a keeper knows them: place of the outlet, direction, flow rate and programme."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import FieldError, Rules
from corlume.core.light.geometry import Tank
from corlume.core.schema import Angle, Choice, Length, Number, Share, Text, limits
from corlume.core.units import CM, DEGREE, LITRES_AN_HOUR

PumpKind = Literal["stream", "gyre", "return"]
PUMP_KINDS: dict[PumpKind, str] = {
    "stream": "stream pump, a round outlet",
    "gyre": "gyre pump, a long slot",
    "return": "return from the sump, a nozzle",
}
Programme = Literal["constant", "alternating", "random"]
PROGRAMMES: dict[Programme, str] = {
    "constant": "constant",
    "alternating": "alternating: full, then low",
    "random": "random between low and full",
}
SLOT = 1.5 * CM
"""How high the slot of a gyre pump is [m]; ours."""


@dataclass(frozen=True, slots=True)
class Pump:
    """Outlet of a pump.

    Parameters
    ----------
    x, y, depth : middle of the outlet [m].
    turn : where it points seen from above, 0 to the right, 90 degrees to the back [rad].
    tilt : up above 0, down below 0 [rad].
    rate : water moved at full speed [m3/s].
    outlet : diameter of a round outlet, or the length of a gyre's slot [m].
    programme : how its speed goes over time; ``low`` its lowest speed, as a share of the full one [-].
    """

    name: Annotated[str, Text("Name", 40, least=1)]
    kind: Annotated[PumpKind, Choice("Type", PUMP_KINDS)] = "stream"
    x: Annotated[float, Length("From left", 0.0, 5.0)] = 0.05
    y: Annotated[float, Length("From front", 0.0, 5.0)] = 0.2
    depth: Annotated[float, Length("Depth", 0.0, 2.0)] = 0.12
    turn: Annotated[
        float, Angle("Points", -360 * DEGREE, 360 * DEGREE, about="0 to the right, 90 to the back, 180 to the left")
    ] = 0.0
    tilt: Annotated[float, Angle("Up or down", -90 * DEGREE, 90 * DEGREE, about="above 0 up, below 0 down")] = 0.0
    rate: Annotated[float, Number("Moves", 10 * LITRES_AN_HOUR, 100_000 * LITRES_AN_HOUR, "rate")] = (
        4000 * LITRES_AN_HOUR
    )
    outlet: Annotated[float, Length("Outlet", 0.004, 0.8, about="diameter; of a gyre pump the length of its slot")] = (
        0.05
    )
    programme: Annotated[Programme, Choice("Programme", PROGRAMMES)] = "constant"
    low: Annotated[float, Share("Lowest speed", 0.0, 1.0, about="of alternating and random")] = 0.3

    def __post_init__(self) -> None:
        limits(self).finish()

    @property
    def place(self) -> tuple[float, float, float]:
        """Middle of the outlet: x, y, depth [m]."""
        return self.x, self.y, self.depth

    @property
    def direction(self) -> NDArray[np.float64]:
        """Direction of the outlet: a unit vector along x, y and depth."""
        flat = math.cos(self.tilt)
        return np.array([flat * math.cos(self.turn), flat * math.sin(self.turn), -math.sin(self.tilt)])

    @property
    def area(self) -> float:
        """Open area of the outlet [m2]."""
        return self.outlet * SLOT if self.kind == "gyre" else 0.25 * math.pi * self.outlet**2

    @property
    def speed(self) -> float:
        """Mean speed in the outlet at full power [m/s]."""
        return self.rate / self.area

    @property
    def share(self) -> float:
        """Root mean square speed over time as a share of full [-]: ``low`` and full in turn for alternating, everything
        between for random.
        """
        match self.programme:
            case "alternating":
                return math.sqrt(0.5 * (1.0 + self.low**2))
            case "random":
                return math.sqrt((1.0 + self.low + self.low**2) / 3.0)
        return 1.0

    @property
    def mean(self) -> float:
        """Mean speed over time as a share of full [-]."""
        return 1.0 if self.programme == "constant" else 0.5 * (1.0 + self.low)

    def aimed(self, x: float, y: float, depth: float) -> Pump:
        """The pump turned and tilted to point at a place [m]; unchanged when that is its own place."""
        right, back, down = x - self.x, y - self.y, depth - self.depth
        flat = math.hypot(right, back)
        if math.hypot(flat, down) < 1e-6:
            return self
        turn = math.atan2(back, right) if flat > 1e-6 else self.turn
        return replace(self, turn=turn, tilt=-math.atan2(down, flat))

    def throw(self, tank: Tank) -> float:
        """Distance to the pane, sand or surface that the outlet points at [m]."""
        ends = (tank.length, tank.width, tank.sand_depth)
        far = [
            ((end if step > 0 else 0.0) - at) / step
            for at, step, end in zip((self.x, self.y, self.depth), self.direction, ends, strict=True)
            if abs(step) > 1e-9
        ]
        return float(max(0.0, min(far)))


NEAR_GLASS = 0.15
"""A pump that points at a pane less far than this blows against the glass [m]; ours."""


def pump_errors(tank: Tank, pumps: Sequence[Pump]) -> list[FieldError]:
    """Tell which pumps lie outside the water, as ``pumps.0.x`` and so on; for rock see ``inside_rock``."""
    rules = Rules()
    for i, pump in enumerate(pumps):
        where = ((pump.x, tank.length), (pump.y, tank.width), (pump.depth, tank.water_depth))
        for axis, (at, limit) in zip(("x", "y", "depth"), where, strict=True):
            rules.between(f"pumps.{i}.{axis}", at, 0.0, limit, "length")
    return rules.errors


def turnover(tank: Tank, pumps: Sequence[Pump]) -> float:
    """Turnover: how often an hour the pumps move the tank's volume, at mean speed [1/h]; rock is not subtracted."""
    return 3600 * sum(pump.rate * pump.mean for pump in pumps) / tank.volume

"""Target zones: boxes drawn by the keeper with a target range, and how well a setup meets them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import FieldError, Rules
from corlume.core.judging.figures import share_within
from corlume.core.judging.light_zones import surfaces
from corlume.core.light.geometry import Tank
from corlume.core.schema import Length, Par, Text, limits

Array = NDArray[np.float64]
MOST_POINTS = 150
OPEN_GRID = (8, 6, 3)


@dataclass(frozen=True, slots=True)
class TargetZone:
    """Box of water with a target range.

    Parameters
    ----------
    x, y : its left front corner [m].
    length, width : along x and y [m].
    top, bottom : from which depth to which [m].
    low, high : PAR wanted [umol/m2/s].
    """

    name: Annotated[str, Text("Name", 40, least=1)]
    x: Annotated[float, Length("Left end", 0.0, 5.0)]
    y: Annotated[float, Length("Front edge", 0.0, 5.0)]
    length: Annotated[float, Length("Length", 0.02, 5.0)]
    width: Annotated[float, Length("Width", 0.02, 5.0)]
    top: Annotated[float, Length("Depth from", 0.0, 2.0)]
    bottom: Annotated[float, Length("Depth to", 0.0, 5.0)]
    low: Annotated[float, Par("From", 0.0, 2000.0, file="par_low")]
    high: Annotated[float, Par("To", 1.0, 2000.0, file="par_high")]

    def __post_init__(self) -> None:
        rules = limits(self)
        rules.that(
            self.bottom >= self.top + 0.01, "bottom", "must be below the start of the zone, {low}", "length",
            self.bottom, low=self.top,
        )  # fmt: skip
        rules.that(self.high > self.low, "high", f"must be more than {self.low:g}, where it starts", "plain", self.high)
        rules.finish()

    @property
    def middle(self) -> float:
        """Middle of the target range [umol/m2/s]."""
        return 0.5 * (self.low + self.high)

    def points(self, tank: Tank) -> Array:
        """Points (n, 3) in the zone where corals can sit, or points in its water where it holds no rock or sand [m].

        None at all when it holds nothing but rock.
        """
        seats = np.concatenate([np.empty((0, 3)), *(s.points[s.free] for s in surfaces(tank))])
        low, high = (self.x, self.y, self.top), (self.x + self.length, self.y + self.width, self.bottom)
        inside = seats[np.all((seats >= np.array(low) - 1e-9) & (seats <= np.array(high) + 1e-9), axis=1)]
        if not len(inside):
            axes = [(np.arange(n) + 0.5) / n * (b - a) + a for n, a, b in zip(OPEN_GRID, low, high, strict=True)]
            inside = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
            inside = inside[~tank.in_rock(inside)]
        step = max(1, len(inside) // MOST_POINTS)
        thinned: Array = inside[::step]
        return thinned


@dataclass(frozen=True, slots=True)
class ZoneLight:
    """Light in a target zone: mean, minimum and maximum PAR, and the share in range [-]."""

    zone: TargetZone
    mean: float
    weakest: float
    strongest: float
    within: float


def zone_light(zone: TargetZone, par: Array) -> ZoneLight:
    """Judge the PAR (n,) at a zone's points."""
    return ZoneLight(
        zone, float(par.mean()), float(par.min()), float(par.max()), share_within(par, zone.low, zone.high)
    )


def zone_errors(tank: Tank, zones: Sequence[TargetZone]) -> list[FieldError]:
    """Find zones that reach out of the water, as ``wanted.0.length`` and so on."""
    rules = Rules()
    for i, zone in enumerate(zones):
        for name, end, limit, pane in (
            ("length", zone.x + zone.length, tank.length, "left pane"),
            ("width", zone.y + zone.width, tank.width, "front pane"),
        ):
            rules.that(
                end <= limit + 1e-6, f"wanted.{i}.{name}", f"reaches to {{value}} from the {pane}; the tank ends at "
                "{high}", "length", end, high=limit,
            )  # fmt: skip
        rules.that(
            zone.bottom <= tank.water_depth + 1e-6, f"wanted.{i}.bottom", "is deeper than the water, {high}", "length",
            zone.bottom, high=tank.water_depth,
        )  # fmt: skip
    return rules.errors

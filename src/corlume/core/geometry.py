"""The tank as the light sees it: water, panes, opening, braces and rock.

Axes: x from the inside of the left pane, y from the inside of the front pane towards the back,
depth d downwards from the water line. All in metres.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.errors import Rules

PaneKind = Literal["glass", "plain"]
Flow = Literal["", "low", "medium", "high"]
FLOWS: tuple[Flow, ...] = ("", "low", "medium", "high")
SIDES = ("left", "right", "front", "back")


@dataclass(frozen=True, slots=True)
class Pane:
    """One vertical pane and what it sends back into the water.

    Parameters
    ----------
    kind : "glass" follows Fresnel for water, glass, air, times ``factor``;
        "plain" returns the share ``factor`` at every angle (film, paint, algae, background).
    factor : 0..1 [-].
    """

    kind: PaneKind = "glass"
    factor: float = 0.85

    def __post_init__(self) -> None:
        rules = Rules()
        rules.that(self.kind in ("glass", "plain"), "kind", "must be glass or plain")
        rules.between("factor", self.factor, 0.0, 1.0, "share")
        rules.finish()


@dataclass(frozen=True, slots=True)
class Brace:
    """A strip across the opening at rim height that blocks light: x0..x1 by y0..y1 [m]."""

    x0: float
    x1: float
    y0: float
    y1: float

    def __post_init__(self) -> None:
        rules = Rules()
        rules.that(self.x1 > self.x0, "x1", "must lie to the right of where the brace starts", "length", self.x1)
        rules.that(self.y1 > self.y0, "y1", "must lie behind where the brace starts", "length", self.y1)
        rules.finish()


@dataclass(frozen=True, slots=True)
class Rock:
    """A rock block: a box with its left front corner at (x, y) and its base above the bottom pane [m]."""

    x: float
    y: float
    base: float
    length: float
    width: float
    height: float
    name: str = ""
    flow: Flow = ""

    def __post_init__(self) -> None:
        rules = Rules()
        for name in ("length", "width", "height"):
            rules.between(name, getattr(self, name), 0.005, 10.0, "length")
        for name in ("x", "y", "base"):
            rules.between(name, getattr(self, name), 0.0, 10.0, "length")
        rules.that(self.flow in FLOWS, "flow", "must be low, medium or high, or be left open")
        rules.finish()

    def top_depth(self, water_depth: float) -> float:
        """Depth of the top face below the water line [m]; negative when it stands out of the water."""
        return water_depth - self.base - self.height

    def covers(self, x: float, y: float) -> bool:
        """Whether the footprint holds the point (x, y)."""
        return self.x <= x <= self.x + self.length and self.y <= y <= self.y + self.width


@dataclass(frozen=True, slots=True)
class Tank:
    """A rectangular tank, filled to its water line.

    Parameters
    ----------
    length, width, water_depth : inside measures and depth of the water [m], 0.1..5 (depth 0.05..2).
    rim_height : top of the panes above the water line [m].
    rim_inset : how far a rim or eurobrace reaches in over the water from each pane [m].
    room_height : free height above the water: canopy or ceiling [m].
    sand : depth of the sand bed [m]; ``sand_flow`` the flow over it, when the keeper has noted one.
    sand_albedo, rock_albedo : share of the light that sand and the tops of rock send back [-].
    cover : share of the light that a lid, mesh or screen over the opening lets pass [-].
    attenuation : loss of PAR in water [1/m], about 0.06 in clear aquarium water.
    index : refractive index of the water [-].
    """

    length: float
    width: float
    water_depth: float
    rim_height: float = 0.03
    rim_inset: float = 0.0
    room_height: float = 0.9
    sand: float = 0.03
    sand_flow: Flow = ""
    sand_albedo: float = 0.3
    rock_albedo: float = 0.1
    cover: float = 1.0
    attenuation: float = 0.06
    index: float = 1.34
    left: Pane = field(default_factory=Pane)
    right: Pane = field(default_factory=Pane)
    front: Pane = field(default_factory=Pane)
    back: Pane = field(default_factory=Pane)
    braces: tuple[Brace, ...] = ()
    rocks: tuple[Rock, ...] = ()

    def __post_init__(self) -> None:
        rules = Rules()
        rules.between("length", self.length, 0.1, 5.0, "length")
        rules.between("width", self.width, 0.1, 5.0, "length")
        rules.between("water_depth", self.water_depth, 0.05, 2.0, "length")
        rules.between("rim_height", self.rim_height, 0.0, 0.5, "length")
        rules.between("room_height", self.room_height, 0.05, 5.0, "length")
        rules.between("attenuation", self.attenuation, 0.0, 5.0, "attenuation")
        rules.between("sand_albedo", self.sand_albedo, 0.0, 0.95, "share")
        rules.between("rock_albedo", self.rock_albedo, 0.0, 0.95, "share")
        rules.between("cover", self.cover, 0.05, 1.0, "share")
        rules.between("index", self.index, 1.0, 1.5, "plain")
        rules.finish()  # what follows is measured against the sizes above
        rules.that(
            0 <= self.rim_inset < 0.4 * min(self.length, self.width),
            "rim_inset",
            "must leave an opening: at most four tenths of the shorter side",
            "length",
            self.rim_inset,
        )
        rules.that(
            0 <= self.sand < 0.5 * self.water_depth,
            "sand",
            "must be less than half of the water's depth",
            "length",
            self.sand,
        )
        rules.that(self.sand_flow in FLOWS, "sand_flow", "must be low, medium or high, or be left open")
        for i, brace in enumerate(self.braces):
            inside = brace.x0 >= 0 and brace.x1 <= self.length and brace.y0 >= 0 and brace.y1 <= self.width
            rules.that(inside, f"braces.{i}", "must lie over the tank")
        for i, rock in enumerate(self.rocks):
            fits_x, fits_y = rock.x + rock.length, rock.y + rock.width
            rules.that(
                fits_x <= self.length + 1e-6,
                f"rocks.{i}.length",
                "reaches to {value} from the left pane; the tank ends at {high}",
                "length",
                fits_x,
                high=self.length,
            )
            rules.that(
                fits_y <= self.width + 1e-6,
                f"rocks.{i}.width",
                "reaches to {value} from the front pane; the tank ends at {high}",
                "length",
                fits_y,
                high=self.width,
            )
            rules.that(
                rock.base + rock.height <= self.water_depth + self.rim_height + 1e-6,
                f"rocks.{i}.height",
                "stands {value} above the bottom and over the rim of the tank",
                "length",
                rock.base + rock.height,
            )
        rules.finish()

    @property
    def sand_depth(self) -> float:
        """Depth of the sand's surface below the water line [m]."""
        return self.water_depth - self.sand

    @property
    def volume(self) -> float:
        """Water volume, rock and sand not taken off [m3]."""
        return self.length * self.width * self.water_depth

    def panes(self) -> tuple[Pane, Pane, Pane, Pane]:
        """The four panes in the order of ``SIDES``."""
        return self.left, self.right, self.front, self.back

    def rock_top(self) -> float:
        """Depth of the highest rock top below the water line, or a third of the depth when there is no rock [m]."""
        tops = [rock.top_depth(self.water_depth) for rock in self.rocks]
        return max(0.02, min(tops)) if tops else self.water_depth / 3

    def in_rock(self, points: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Tell which points (..., 3) of x, y, depth lie inside a rock block or in the sand."""
        x, y, d = points[..., 0], points[..., 1], points[..., 2]
        inside = d > self.sand_depth + 1e-9
        for rock in self.rocks:
            top = rock.top_depth(self.water_depth)
            inside |= (
                (x > rock.x + 1e-9)
                & (x < rock.x + rock.length - 1e-9)
                & (y > rock.y + 1e-9)
                & (y < rock.y + rock.width - 1e-9)
                & (d > top + 1e-9)
                & (d < top + rock.height - 1e-9)
            )
        return inside

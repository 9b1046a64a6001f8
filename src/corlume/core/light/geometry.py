"""Geometry of the tank for the light model: water, panes, opening, braces and rock.

Axes: x from the inside of the left pane, y from the inside of the front pane towards the back,
depth d downwards from the water line. All in metres.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.light.brushed_rock import BrushedRock
from corlume.core.light.natural_rock import NaturalRock, natural_rock_errors
from corlume.core.light.rockwork import FLOWS, Box, Flow, Rockwork, is_in_rock, rockwork
from corlume.core.light.sampled_rock import SampledRock
from corlume.core.light.survey_correction import Correction
from corlume.core.light.water import Water
from corlume.core.schema import Choice, Flag, Length, Many, Number, Part, Share, Text, limits

PaneKind = Literal["glass", "plain"]
RockForm = Literal["block", "arch", "mound"]
ROCK_FORMS: dict[RockForm, str] = {"block": "block", "arch": "arch", "mound": "mound"}
PANE_KINDS: dict[PaneKind, str] = {"glass": "glass", "plain": "plain"}
SIDES = ("left", "right", "front", "back")
Strip = tuple[float, float, float, float, float]
"""What lies over the water in the way of light, as a rectangle: x0, x1, y0, y1 and its height above the water [m]."""


@dataclass(frozen=True, slots=True)
class Pane:
    """One vertical pane and its reflectance.

    Parameters
    ----------
    kind : "glass" follows Fresnel for water, glass, air, times ``factor``;
        "plain" returns the share ``factor`` at every angle (film, paint, algae, background).
    factor : 0..1 [-].
    """

    kind: Annotated[
        PaneKind,
        Choice(
            "Pane",
            PANE_KINDS,
            about="glass: by Fresnel (water, glass, air) times `return`; plain: `return` at every angle",
        ),
    ] = "glass"
    factor: Annotated[float, Number("Return", 0.0, 1.0, "fraction", file="return")] = 0.85

    def __post_init__(self) -> None:
        limits(self).finish()


@dataclass(frozen=True, slots=True)
class Brace:
    """A strip that blocks light, from its left front corner x, y over its ``length`` and ``width``, at rim height or
    ``height`` above the water [m].

    Braces of the tank lie at its rim; the edge of a canopy, a cross bar or a shelf over the tank lies higher.
    """

    x: Annotated[float, Length("from left", -10.0, 15.0)]
    y: Annotated[float, Length("from front", -10.0, 15.0)]
    length: Annotated[float, Length("length", 0.001, 15.0)]
    width: Annotated[float, Length("width", 0.001, 15.0)]
    height: Annotated[float | None, Length("above water", 0.0, 3.0, about="blank for a brace at the rim")] = None

    @property
    def x1(self) -> float:
        """Right end of the brace [m]."""
        return self.x + self.length

    @property
    def y1(self) -> float:
        """Back edge of the brace [m]."""
        return self.y + self.width

    def __post_init__(self) -> None:
        limits(self).finish()


ROCK_STEPS = 4
ARCH_LEG, ARCH_LINTEL = 0.22, 0.35
"""Each leg of an arch as a share of its span, and its top as a share of its height [-]."""


@dataclass(frozen=True, slots=True)
class Rock:
    """A piece of rock with its left front corner at (x, y) and its base above the bottom pane [m].

    ``form`` is "block" for a box, which makes a shelf or overhang where its base is raised; "arch" for a box with
    an opening under it along its longer side; "mound" for a heap that narrows upwards in steps.
    """

    x: Annotated[float, Length("from left", 0.0, 10.0)]
    y: Annotated[float, Length("from front", 0.0, 10.0)]
    base: Annotated[float, Length("base", 0.0, 10.0, about="underside above the bottom pane", blank=0.0)]
    length: Annotated[float, Length("length", 0.005, 10.0)]
    width: Annotated[float, Length("width", 0.005, 10.0)]
    height: Annotated[float, Length("height", 0.005, 10.0)]
    name: Annotated[str, Text("Name")] = ""
    flow: Annotated[Flow, Choice("flow on top", FLOWS)] = ""
    form: Annotated[RockForm, Choice("form", ROCK_FORMS)] = "block"

    def __post_init__(self) -> None:
        limits(self).finish()

    def top_depth(self, water_depth: float) -> float:
        """Depth of the rock's highest face below the water line [m]; negative when it stands out of the water."""
        return water_depth - self.base - self.height

    def boxes(self, water_depth: float) -> Iterator[Box]:
        """Boxes of the rock, the highest first."""
        for i, (u0, u1, v0, v1, low, high) in enumerate(self._pieces()):
            yield Box(
                self.x + u0 * self.length,
                self.x + u1 * self.length,
                self.y + v0 * self.width,
                self.y + v1 * self.width,
                water_depth - self.base - high * self.height,
                water_depth - self.base - low * self.height,
                self.name if i == 0 else f"{self.name or 'Rock'}, step {i + 1}",
                self.flow,
            )

    def _pieces(self) -> list[tuple[float, float, float, float, float, float]]:
        """Shares of length, width and height that each box takes up."""
        match self.form:
            case "arch":
                low = 1.0 - ARCH_LINTEL
                legs = [(0.0, ARCH_LEG), (1.0 - ARCH_LEG, 1.0)]
                along = self.length >= self.width
                return [(0.0, 1.0, 0.0, 1.0, low, 1.0)] + [
                    (a, b, 0.0, 1.0, 0.0, low) if along else (0.0, 1.0, a, b, 0.0, low) for a, b in legs
                ]
            case "mound":
                found = []
                for k in reversed(range(ROCK_STEPS)):
                    # a half ellipsoid, cut at the middle of each step
                    inset = 0.5 - 0.5 * math.sqrt(1.0 - ((k + 0.5) / ROCK_STEPS) ** 2)
                    found.append((inset, 1 - inset, inset, 1 - inset, k / ROCK_STEPS, (k + 1) / ROCK_STEPS))
                return found
        return [(0.0, 1.0, 0.0, 1.0, 0.0, 1.0)]


@dataclass(frozen=True, slots=True)
class Colony:
    """A grown coral as a disc that shades the places below: its middle (x, y, depth) and its radius [m], and the share
    of light that it lets pass [-].
    """

    x: float
    y: float
    depth: float
    radius: float
    passes: float = 0.0


EDGE_ROOM = 0.5
"""How far outside the panes a blocking edge over the tank may reach [m]."""


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
    water : index, absorption and ripples.
    colony_shade : whether placed corals are to shade what lies under them, as when mature.
    colonies : these corals; see ``scene.shaded``.
    plates : racks in the water: x0, x1, y0, y1, depth [m] and the share of light that each lets pass [-].
    correction : what a survey in use found, with the panes and the water as it found them; see ``corrected``.
    """

    length: Annotated[float, Length("Length", 0.1, 5.0, about="inside, left to right")]
    width: Annotated[float, Length("Width", 0.1, 5.0, about="inside, front to back")]
    water_depth: Annotated[float, Length("Water depth", 0.05, 2.0, about="bottom pane to water line")]
    rim_height: Annotated[float, Length("Rim above water", 0.0, 0.5, about="top of the panes")] = 0.03
    rim_inset: Annotated[float, Length("Rim or eurobrace", about="how far it reaches in from each pane")] = 0.0
    room_height: Annotated[
        float, Length("Clearance above water", 0.05, 5.0, about="water line to canopy or ceiling")
    ] = 0.9
    sand: Annotated[float, Length("Sand bed", about="its depth")] = 0.03
    sand_flow: Annotated[Flow, Choice("Flow over the sand", FLOWS)] = ""
    sand_albedo: Annotated[float, Number("Sand reflectance", 0.0, 0.95, "fraction", about="pale 30 to 40, dark 5")] = (
        0.3
    )
    rock_albedo: Annotated[
        float, Number("Rock reflectance", 0.0, 0.95, "fraction", about="grown over 10, bare and pale 30")
    ] = 0.1
    cover: Annotated[
        float, Share("Lid or mesh transmits", 0.05, 1.0, about="open 100, mesh 80 to 95, clear lid 90")
    ] = 1.0
    water: Annotated[Water, Part(file="water")] = field(default_factory=Water)
    left: Annotated[Pane, Part(file="panes.left", prefix="left_")] = field(default_factory=Pane)
    right: Annotated[Pane, Part(file="panes.right", prefix="right_")] = field(default_factory=Pane)
    front: Annotated[Pane, Part(file="panes.front", prefix="front_")] = field(default_factory=Pane)
    back: Annotated[Pane, Part(file="panes.back", prefix="back_")] = field(default_factory=Pane)
    braces: Annotated[tuple[Brace, ...], Many(50)] = ()
    rocks: Annotated[tuple[Rock, ...], Many(400)] = ()
    natural_rocks: Annotated[tuple[NaturalRock, ...], Many(60, one="natural rock")] = ()
    brushed_rock: Annotated[tuple[BrushedRock, ...], Many(1, one="brushed rock", table="brushed_rock")] = ()
    colony_shade: Annotated[
        bool, Flag("Placed corals shade what is below, as discs of their mature size", file="coral_shade")
    ] = False
    colonies: tuple[Colony, ...] = ()
    plates: tuple[tuple[float, float, float, float, float, float], ...] = ()
    correction: Correction | None = None
    _rockwork: Rockwork | None = field(default=None, init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        rules = limits(self)
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
        for i, brace in enumerate(self.braces):
            # at the rim a brace rests on the panes; the edge of a canopy may hang outside of them
            room = 0.0 if brace.height is None else EDGE_ROOM
            inside = (
                brace.x >= -room
                and brace.x1 <= self.length + room + 1e-9
                and brace.y >= -room
                and brace.y1 <= self.width + room + 1e-9
            )
            rules.that(inside, f"braces.{i}", "must lie over the tank" + " or beside it" * (room > 0))
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
                "is {value} above the bottom, over the rim of the tank",
                "length",
                rock.base + rock.height,
            )
        rules.errors += natural_rock_errors(self.natural_rocks, self.length, self.width, self.water_depth)
        rules.finish()

    def __hash__(self) -> int:
        # every look at remembered light hashes the tank: its rock and panes are compared, not hashed
        return hash((self.length, self.width, self.water_depth, len(self.rocks), len(self.colonies), len(self.plates)))

    @property
    def index(self) -> float:
        """Refractive index of the water in the middle of the visible range [-]."""
        return self.water.index_at()

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

    def corrected(self, correction: Correction | None) -> Tank:
        """The tank with the panes and water that a survey fitted, and its correction of the field."""
        if correction is None:
            return self
        return replace(self.with_optics(correction.returns, correction.water), correction=correction)

    def with_optics(self, returns: Sequence[float], loss: float) -> Tank:
        """The tank with other reflectances of its left, right, front and back pane, and other losses in its water."""
        left, right, front, back = (replace(p, factor=share) for p, share in zip(self.panes(), returns, strict=True))
        return replace(self, left=left, right=right, front=front, back=back, water=self.water.losing(loss))

    def rock_top(self) -> float:
        """Depth of the highest rock top below the water line, or a third of the depth when there is no rock [m]."""
        peak = self.rockwork.peak
        return max(0.02, peak) if math.isfinite(peak) else self.water_depth / 3

    def in_rock(self, points: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Tell which points (..., 3) of x, y, depth lie inside a rock block or in the sand."""
        flat = np.ascontiguousarray(points, dtype=np.float64).reshape(-1, 3)
        inside = is_in_rock(self.rockwork, flat).reshape(points.shape[:-1])
        return inside | (points[..., 2] > self.sand_depth + 1e-9)

    def boxes(self) -> list[Box]:
        """What was entered as boxes, arches and mounds, in boxes; ``rockwork`` has all rock."""
        return [box for rock in self.rocks for box in rock.boxes(self.water_depth)]

    @property
    def rockwork(self) -> Rockwork:
        """All rock in columns."""
        if self._rockwork is None:
            object.__setattr__(self, "_rockwork", self._columns(False))
        assert self._rockwork is not None
        return self._rockwork

    @property
    def coarse_rockwork(self) -> Rockwork:
        """All rock in coarse columns, for light that has been on the floor."""
        return self._columns(True)

    def _columns(self, coarse: bool) -> Rockwork:
        size = self.length, self.width, self.water_depth
        return _rockwork(*size, self.rocks, self.natural_rocks, self.brushed_rock, coarse)

    def sampled_rock(self) -> list[SampledRock]:
        """Rock that was not entered as boxes: natural pieces, then what the brush added."""
        size = self.length, self.width, self.water_depth
        pieces = [rock.sampled(*size) for rock in self.natural_rocks]
        added = [one.laid(*size)[0] for one in self.brushed_rock if one.strokes]
        return [piece for piece in (*pieces, *added) if piece is not None]

    def rock_pieces(self) -> list[tuple[str, Flow]]:
        """Name and noted flow of each piece that the runs of the rockwork count."""
        boxes, number = list[tuple[str, Flow]](), 0
        for number, rock in enumerate(self.rocks, 1):
            boxes += [(box.name or f"Rock {number}", box.flow) for box in rock.boxes(self.water_depth)]
        flows: dict[str, Flow] = {key: key for key in FLOWS}
        return boxes + [(one.name, flows[one.flow]) for one in self.sampled_rock()]

    def strips(self) -> list[Strip]:
        """Braces and edges over the water that block light: x0, x1, y0, y1 and height above the water [m]."""
        return [(b.x, b.x1, b.y, b.y1, self.rim_height if b.height is None else b.height) for b in self.braces]


@lru_cache(maxsize=32)
def _rockwork(
    length: float,
    width: float,
    depth: float,
    rocks: tuple[Rock, ...],
    natural: tuple[NaturalRock, ...],
    brushed: tuple[BrushedRock, ...],
    coarse: bool,
) -> Rockwork:
    bare = Tank(length, width, depth, rocks=rocks, natural_rocks=natural, brushed_rock=brushed, sand=0.0)
    carved = next((one.laid(length, width, depth)[1] for one in brushed if one.strokes), None)
    return rockwork(bare.boxes(), length, width, bare.sampled_rock(), carved, coarse=coarse)

"""The sheet: three views to one scale, laid out as on a workshop drawing.

Plan at top left; the front elevation below it shares x; the side elevation beside that shares heights.
One drawing unit is one pixel at the size the sheet is made for.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from corlume.core.light.geometry import Tank

ViewKind = Literal["plan", "front", "side"]
WIDTH, HEIGHT = 920.0, 636.0
LEFT, TOP, RIGHT, BOTTOM = 62.0, 46.0, 16.0, 42.0
GAP_X, GAP_Y = 70.0, 30.0
LEAST_ABOVE = 0.25
SWUNG = 64.0
"""Room behind the tank for what swings open there, in place of a readout."""
CORNER_WIDTH = 262.0
PAIR_GAP, PAIR_BOTTOM = 30.0, 30.0
NARROW = 350.0
"""Width of a sheet for a phone: drawn to its width, its numbers are as large as on a wide screen."""
NARROW_CORNER, NARROW_RIGHT = 200.0, 66.0
"""Height of the readout there, and room for dimensions to the right of the views."""


@dataclass(frozen=True, slots=True)
class View:
    """One drawing: where it lies on the sheet and how big it is.

    ``left``, ``top`` is the inside corner of the water in drawing units; ``scale`` is units per metre;
    ``u_size``, ``v_size`` the water in metres; ``above`` how much air is drawn over it [m].
    """

    kind: ViewKind
    left: float
    top: float
    scale: float
    u_size: float
    v_size: float
    above: float = 0.0

    def at(self, u: float, v: float) -> tuple[float, float]:
        """Drawing units of a place [m]: u to the right; v is y from the front (plan) or depth (elevations)."""
        down = self.v_size - v if self.kind == "plan" else v
        return self.left + u * self.scale, self.top + down * self.scale

    @property
    def right(self) -> float:
        """Right edge of the water in drawing units."""
        return self.left + self.u_size * self.scale

    @property
    def bottom(self) -> float:
        """Lower edge of the water in drawing units."""
        return self.top + self.v_size * self.scale


@dataclass(frozen=True, slots=True)
class Sheet:
    """Views and size of the whole sheet; the corals' sheet has no side elevation.

    ``corner`` is where the readout stands: left, top, width and height.
    """

    plan: View
    front: View
    side: View | None
    width: float
    height: float
    corner: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)

    def views(self) -> tuple[View, ...]:
        """All views, plan first."""
        return (self.plan, self.front, self.side) if self.side else (self.plan, self.front)

    def elevations(self) -> tuple[View, ...]:
        """The views that show heights."""
        return self.views()[1:]


def lay_out(tank: Tank, highest: float, *, narrow: bool = False, readout: bool = True) -> Sheet:
    """Fit the views of a tank with fixtures up to ``highest`` above the water [m], with room for a ``readout``; on a
    ``narrow`` screen one below the other.
    """
    above = max(LEAST_ABOVE, min(tank.room_height, highest + 0.12))
    if narrow:
        return _stacked(tank, above, readout=readout)
    corner, right = (CORNER_WIDTH, RIGHT) if readout else (0.0, SWUNG)
    across = WIDTH - LEFT - GAP_X - right
    down = HEIGHT - TOP - GAP_Y - BOTTOM
    beside = across + right - corner  # the readout in the corner wants its room also over a narrow side view
    scale = min(
        across / (tank.length + tank.width), beside / tank.length, down / (tank.width + above + tank.water_depth)
    )
    water_line = TOP + tank.width * scale + GAP_Y + above * scale
    side_left = LEFT + tank.length * scale + GAP_X
    return Sheet(
        plan=View("plan", LEFT, TOP, scale, tank.length, tank.width),
        front=View("front", LEFT, water_line, scale, tank.length, tank.water_depth, above),
        side=View("side", side_left, water_line, scale, tank.width, tank.water_depth, above),
        width=(width := max(side_left + tank.width * scale + right, side_left + corner)),
        height=water_line + tank.water_depth * scale + BOTTOM,
        corner=(side_left - 4, 6.0, width - side_left, TOP + tank.width * scale + 20),
    )


def _stacked(tank: Tank, above: float, *, readout: bool) -> Sheet:
    """Plan, front, side and readout one below the other, all to one scale."""
    scale = (NARROW - LEFT - NARROW_RIGHT) / max(tank.length, tank.width)
    front_line = TOP + tank.width * scale + GAP_Y + above * scale
    side_line = front_line + tank.water_depth * scale + BOTTOM + 24 + above * scale
    end = side_line + tank.water_depth * scale + BOTTOM + 8
    return Sheet(
        plan=View("plan", LEFT, TOP, scale, tank.length, tank.width),
        front=View("front", LEFT, front_line, scale, tank.length, tank.water_depth, above),
        side=View("side", LEFT, side_line, scale, tank.width, tank.water_depth, above),
        width=NARROW,
        height=end + NARROW_CORNER * readout,
        corner=(10.0, end, NARROW - 20, NARROW_CORNER),
    )


def lay_out_pair(
    tank: Tank, *, width: float = 640.0, height: float = 640.0, narrow: bool = False, side: bool = False
) -> Sheet:
    """Fit the plan above the front elevation, without the air above; on a ``narrow`` screen to its width.

    With ``side`` the side elevation stands beside the front one, on a narrow screen below it.
    """
    above = 0.06
    if narrow:
        width, height = NARROW, 4 * NARROW
    across, down = width - LEFT - RIGHT, height - 16 - PAIR_GAP - PAIR_BOTTOM
    beside = side and not narrow
    wide = tank.length + beside * tank.width
    scale = min((across - beside * GAP_X) / wide, down / (tank.width + above + tank.water_depth))
    water_line = 16 + tank.width * scale + PAIR_GAP + above * scale
    end = water_line + tank.water_depth * scale + PAIR_BOTTOM
    left, line = LEFT + tank.length * scale + GAP_X, water_line
    if side and narrow:
        left, line = LEFT, end + above * scale
        end = line + tank.water_depth * scale + PAIR_BOTTOM
    return Sheet(
        plan=View("plan", LEFT, 16.0, scale, tank.length, tank.width),
        front=View("front", LEFT, water_line, scale, tank.length, tank.water_depth, above),
        side=View("side", left, line, scale, tank.width, tank.water_depth, above) if side else None,
        width=LEFT + wide * scale + beside * GAP_X + RIGHT,
        height=end,
    )

"""Places that mounts allow a module: rows across the tank, each on a mount or on arms, with what they can hold."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from corlume.core.errors import Rules
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.mounting.mount import Mount, Region, hold_limit, region_of
from corlume.services.search.arrangement import MOST, Arrangement


@dataclass(frozen=True, slots=True)
class MountRows:
    """Rows of modules on mounts; all rows share their places along the tank and their height.

    Parameters
    ----------
    names : for each row the mounts it hangs on: one, or as many arms as there can be columns.
    rows : place of each row on the other axis [m]; ``row_limits`` are how far rows can go together, equal where they
        are held.
    places, heights : from and to [m].
    most : columns at most.
    """

    names: tuple[tuple[str, ...], ...]
    rows: tuple[float, ...]
    row_limits: tuple[float, float]
    places: tuple[float, float]
    heights: tuple[float, float]
    most: int

    @property
    def held(self) -> bool:
        """Whether the rows stay where they are."""
        return self.row_limits[1] - self.row_limits[0] < 1e-9 or len(self.rows) > 1

    def holder(self, row: int, column: int) -> str:
        """Name of the mount that holds a column's module of a row."""
        return self.names[row][min(column, len(self.names[row]) - 1)]


def rows_on(tank: Tank, laid: Arrangement, mounts: Sequence[Mount]) -> list[MountRows]:
    """Return the rows that mounts allow: each mount by itself, arms alike together, and all of them as rows behind one
    another where they share places and heights.

    ``InvalidInput`` by the field "mounts" where none of them has room for the module, or bears it.
    """
    half_x, half_y = laid.module.half_extent()
    weight = sum(part.weight for part in laid.module.parts)
    rules, alone = Rules(), list[MountRows]()
    for group in _alike([mount for mount in mounts if _bears(mount, weight)]):
        region = _slides(tank, group[0], region_of(group[0], half_x, half_y))
        if region is None:
            continue
        many = sum(_bears(mount, weight) for mount in group)
        alone.append(_rows(laid, [mount.name for mount in group], region, many))
    rules.that(bool(alone), "mounts", _why(mounts, half_x, half_y, weight))
    rules.finish()
    together = _together(laid, alone)
    return [*alone, together] if together else alone


def _alike(mounts: Sequence[Mount]) -> list[list[Mount]]:
    """Mounts by themselves, and arms together that hold as far from their pane and as high."""
    groups: dict[object, list[Mount]] = {}
    for mount in mounts:
        reach = (mount.hinge, round(mount.y, 3), round(mount.y1, 3)) if mount.hinge in ("back", "front") else mount.name
        key = ("arms", reach, mount.low, mount.high) if mount.type == "arm" else mount.name
        groups.setdefault(key, []).append(mount)
    return list(groups.values())


def _slides(tank: Tank, mount: Mount, region: Region | None) -> Region | None:
    """An arm can be clamped anywhere along its pane."""
    if region is None or mount.type != "arm":
        return region
    if mount.hinge in ("back", "front"):
        return region._replace(x0=0.0, x1=tank.length)
    return region._replace(y0=0.0, y1=tank.width)


def _bears(mount: Mount, weight: float) -> int:
    """How many of a module a mount holds, as far as is known; an arm one, at its far end."""
    many, _ = hold_limit(mount)
    return min(many, math.floor(mount.load / weight + 1e-9)) if mount.load and weight else many


def _rows(laid: Arrangement, names: Sequence[str], region: Region, many: int) -> MountRows:
    along, across = ((region.x0, region.x1), (region.y0, region.y1))[:: 1 if laid.along == "x" else -1]
    rows = tuple(row for row in laid.rows if across[0] - 1e-9 <= row <= across[1] + 1e-9)
    if len(rows) > many or not rows:
        rows = (min(max(0.5 * (laid.rows[0] + laid.rows[-1]), across[0]), across[1]),)
    most = min(MOST, many // len(rows))
    return MountRows((tuple(names),) * len(rows), rows, across, along, (region.low, region.high), most)


def _together(laid: Arrangement, alone: Sequence[MountRows]) -> MountRows | None:
    """All of them as rows of the same columns, None where they have no room for that."""
    rows = sorted((one for one in alone if len(one.rows) == 1), key=lambda one: one.rows[0])
    if len(rows) < 2 or len(rows) < len(alone):
        return None
    deep = 2 * laid.module.half_extent()[1 if laid.along == "x" else 0]
    low, high = max(one.places[0] for one in rows), min(one.places[1] for one in rows)
    bottom, top = max(one.heights[0] for one in rows), min(one.heights[1] for one in rows)
    apart = all(b.rows[0] - a.rows[0] >= deep + 0.01 for a, b in pairwise(rows))
    if not apart or low > high or bottom > top:
        return None
    places = tuple(one.rows[0] for one in rows)
    names = tuple(one.names[0] for one in rows)
    return MountRows(names, places, (places[0], places[-1]), (low, high), (bottom, top), min(one.most for one in rows))


def _why(mounts: Sequence[Mount], half_x: float, half_y: float, weight: float) -> str:
    """Why no mount holds a module, for an error."""
    for mount in mounts:
        if region_of(mount, half_x, half_y) is None:
            return "are too small for this fixture: choose a longer one, or a smaller fixture"
        if _bears(mount, weight) < 1:
            return f"do not bear it: it weighs {weight:.1f} kg, and one is rated for {mount.load:g} kg"
    return "hold nothing: choose at least one"


def slid(mounts: Sequence[Mount], fixtures: Sequence[Fixture]) -> tuple[Mount, ...]:
    """Mounts with their arms clamped where the fixtures hang that they hold."""
    places = {fixture.held_by: fixture.emitter for fixture in fixtures if fixture.held_by}
    found = []
    for mount in mounts:
        face = places.get(mount.name)
        if mount.type == "arm" and face is not None:
            sideways = mount.hinge in ("back", "front")
            mount = replace(
                mount,
                x=face.x - 0.5 * mount.length if sideways else mount.x,
                y=mount.y if sideways else face.y - 0.5 * mount.width,
            )
        found.append(mount)
    return tuple(found)

"""Checks of mounts: load, places, room, what they meet, and the reach of a hand.

Rules follow common practice in the trade, no source; they defer to what the maker says, to local code and to licensed
practice.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.message_text import escape_slots, letter, letters
from corlume.core.mounting.collisions import LEAST
from corlume.core.mounting.mount import (
    Mount,
    Region,
    centre_of,
    on_mount,
    region_of,
    units_on,
)
from corlume.core.mounting.mount_collisions import Solid, Touch, find_touches, open_way
from corlume.core.mounting.mounting_checks import Answer, MountingCheck
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.units import DEGREE

BEHIND = 0.05
"""Clamps on the back pane need so much behind it [m]; common practice, no source."""
HAND = 0.15
"""A hand with a feeder or a magnet passes between rim and lights where they are so far apart [m]; our estimate."""
STRIP = 0.10
"""A hand passes between the front pane and the lights where they leave so much free [m]; our estimate."""
AGAIN = {"x": ("to the right", "to the left"), "y": ("to the back", "to the front"), "height": ("up", "down")}


def check_mounts(
    tank: Tank, fixtures: Sequence[Fixture], mounts: Sequence[Mount], around: Surroundings
) -> list[MountingCheck]:
    """Check each mount in its order, then what no mount holds, and the reach of a hand."""
    if not mounts:
        return []
    found = [check for mount in mounts for check in _of_mount(tank, fixtures, mounts, mount, around)]
    found += [_touch(touch) for touch in find_touches(fixtures, mounts)]
    names = {mount.name for mount in mounts}
    loose = [k for k, fixture in enumerate(fixtures) if fixture.held_by not in names]
    if loose:
        words = f"No mount holds {letters(loose)}: choose one for each."
        rule = "Every fixture hangs on a mount, or on supports of its own as the mounting sheet lists them."
        found.append(MountingCheck("held", "Held", "look", words, rule))
    return [*found, *_reach(tank, fixtures, mounts)]


def _of_mount(
    tank: Tank, fixtures: Sequence[Fixture], mounts: Sequence[Mount], mount: Mount, around: Surroundings
) -> Iterator[MountingCheck]:
    name = escape_slots(mount.name)
    yield _load(fixtures, mount, name)
    yield from _count(fixtures, mount, name)
    for unit in units_on(mount, fixtures):
        yield from _place(fixtures, mount, name, unit)
    yield from _meets(tank, mount, name, around)
    if mount.opens:
        yield _opens(tank, fixtures, mounts, mount, name, around)


def _load(fixtures: Sequence[Fixture], mount: Mount, name: str) -> MountingCheck:
    rule = "A mount carries what its maker rates it for, all its lights, cables and spare parts together."
    title = f"Load of {name}"
    on = on_mount(mount, fixtures)
    unknown = [k for k in on if not fixtures[k].weight]
    weight = sum(fixtures[k].weight for k in on)
    if not on:
        return MountingCheck("load", title, "yes", "It holds nothing yet.", rule)
    if not mount.load:
        words = f"It holds {weight:.1f} kg, and its rated load is not entered: look it up, it is never guessed."
        return MountingCheck("load", title, "look", words, rule)
    if weight > mount.load + 1e-9:
        words = (
            f"It holds {weight:.1f} kg and is rated for {mount.load:g} kg: hang {weight - mount.load:.1f} kg less on "
            "it, or take a mount that is rated for more."
        )
        return MountingCheck("load", title, "no", words, rule)
    if unknown:
        words = f"{weight:.1f} kg of {mount.load:g} kg without {letters(unknown)}, whose weight is not entered."
        return MountingCheck("load", title, "look", words, rule)
    return MountingCheck("load", title, "yes", f"{weight:.1f} kg of {mount.load:g} kg.", rule)


def _count(fixtures: Sequence[Fixture], mount: Mount, name: str) -> Iterator[MountingCheck]:
    units = units_on(mount, fixtures)
    if mount.most and len(units) > mount.most:
        words = f"{len(units)} hang on it; it holds {mount.most}."
        yield MountingCheck("count", f"Fixtures on {name}", "no", words, "A frame counts as one.")
    spans = [centre_of([fixtures[k] for k in unit]) for unit in units]
    along = mount.length >= mount.width
    need = sum(2 * (span[2] if along else span[3]) for span in spans)
    room = mount.length if along else mount.width
    if mount.type in ("rail", "wall") and need > room + LEAST:
        words = "Its lights side by side are {need} long and it is {room}: take one that is {by} longer."
        lengths = {"need": need, "room": room, "by": need - room}
        yield MountingCheck(
            "length", f"Length of {name}", "no", words, "Bodies lie within the ends of a rail.", lengths
        )


def _place(fixtures: Sequence[Fixture], mount: Mount, name: str, unit: Sequence[int]) -> Iterator[MountingCheck]:
    who, title = letters(unit), f"Place on {name}"
    x, y, half_x, half_y, height = centre_of([fixtures[k] for k in unit])
    region = region_of(mount, half_x, half_y)
    rule = "A mount holds a fixture only where its parts reach."
    if region is None:
        words = f"{who} is too large for it: {{length}} by {{width}}."
        yield MountingCheck("place", title, "no", words, rule, {"length": 2 * half_x, "width": 2 * half_y})
        return
    if moves := _moves(region, x, y, height):
        told = ", ".join(f"{{{axis}}} {way}" for axis, (way, _) in moves.items())
        lengths = {axis: by for axis, (_, by) in moves.items()}
        yield MountingCheck("place", title, "no", f"{who} hangs outside: move it {told}, or the mount.", rule, lengths)


def _moves(region: Region, x: float, y: float, height: float) -> dict[str, tuple[str, float]]:
    """By axis, which way and how far something must move to be in a region [m]."""
    limits = {
        "x": (x, region.x0, region.x1),
        "y": (y, region.y0, region.y1),
        "height": (height, region.low, region.high),
    }
    found = {}
    for axis, (at, low, high) in limits.items():
        if at < low - LEAST:
            found[axis] = (AGAIN[axis][0], low - at)
        elif at > high + LEAST:
            found[axis] = (AGAIN[axis][1], at - high)
    return found


def _meets(tank: Tank, mount: Mount, name: str, around: Surroundings) -> Iterator[MountingCheck]:
    """Rim, braces, wall and ceiling."""
    title = f"Room for {name}"
    top = mount.height + mount.thick
    if top > tank.room_height + LEAST and mount.type not in ("wires", "canopy"):
        words = "Its top is {by} above the canopy or ceiling: lower it."
        rule = "Measure the free height above the water."
        yield MountingCheck("ceiling", title, "no", words, rule, {"by": top - tank.room_height})
    over = mount.y1 - tank.width - around.gap
    if over > LEAST:
        words = "It reaches {by} into the wall, {gap} behind the back pane: move it to the front."
        lengths = {"by": over, "gap": around.gap}
        yield MountingCheck("wall", title, "no", words, "Measure the gap behind the tank.", lengths)
    if mount.type in ("arm", "legs"):
        yield from _on_rim(tank, mount, title, around)
    for x0, x1, y0, y1, height in tank.strips():
        aside = min(min(mount.x1, x1) - max(mount.x, x0), min(mount.y1, y1) - max(mount.y, y0))
        if aside > LEAST and mount.height + LEAST < height < top:
            words = "It and a brace or canopy edge, {height} above the water, overlap: raise it {by}, or move it aside."
            yield MountingCheck("brace", title, "no", words, "Nothing of a mount lies in a brace or canopy edge.",
                                {"height": height, "by": height - mount.height})  # fmt: skip


def _on_rim(tank: Tank, mount: Mount, title: str, around: Surroundings) -> Iterator[MountingCheck]:
    if mount.height < tank.rim_height - LEAST:
        words = "It lies {by} under the rim that it stands on: raise it."
        yield MountingCheck("rim", title, "no", words, "Arms and legs stand on the rim.",
                            {"by": tank.rim_height - mount.height})  # fmt: skip
    if mount.type == "arm" and mount.hinge == "back":
        answer: Answer = "yes" if around.gap >= BEHIND else "no"
        words = "{gap} behind the back pane for its clamp" + ("." if answer == "yes" else ": {least} is needed.")
        yield MountingCheck("behind", title, answer, words, "Clamps need about {least} behind the glass.",
                            {"gap": around.gap, "least": BEHIND})  # fmt: skip
    if tank.rim_inset > 0 and mount.clamp and mount.clamp < tank.rim_inset:
        words = "Its clamp opens to {clamp}, and rim or eurobrace reach {inset} in: take a clamp that opens wider."
        yield MountingCheck("clamp", title, "no", words, "A clamp grips the whole rim.",
                            {"clamp": mount.clamp, "inset": tank.rim_inset})  # fmt: skip


def _touch(touch: Touch) -> MountingCheck:
    """A mount in one place with another, or with a light."""
    name, way = escape_slots(touch.mount.name), AGAIN[touch.axis][touch.move < 0]
    words = f"It and {_called(touch.other)} overlap: move it {{by}} {way}."
    rule = "Nothing lies in a mount but what hangs on it; measure the real parts."
    return MountingCheck("overlap", f"Room for {name}", "no", words, rule, {"by": abs(touch.move)})


def _called(solid: Solid) -> str:
    """A mount or a light in words."""
    return escape_slots(solid.name) if isinstance(solid, Mount) else letter(solid)


def _opens(
    tank: Tank, fixtures: Sequence[Fixture], mounts: Sequence[Mount], mount: Mount, name: str, around: Surroundings
) -> MountingCheck:
    """Whether it and its lights have room on the way while it opens."""
    way = open_way(tank, fixtures, mounts, mount, around)
    rule = "Open it slowly the first time, with a second person at the cables; nothing may pull or touch."
    if way.ends_at is None:
        words = "Open, it and its lights come up to {high} above the water."
        return MountingCheck("open", f"{name} open", "yes", words, rule, {"high": way.highest})
    whole = mount.swing / DEGREE
    told = f"{math.floor(way.free * whole)} of {whole:.0f} degrees" if mount.swing else "{far} of {whole}"
    what = {"ceiling": "the canopy or ceiling", "wall": "the wall"}
    end = what[way.ends_at] if isinstance(way.ends_at, str) else _called(way.ends_at)
    words = f"It opens {told}, then it or its lights meet {end}: let it open less far, or move one of them."
    lengths = {"far": way.free * mount.lift, "whole": mount.lift}
    return MountingCheck("open", f"{name} open", "no", words, rule, lengths)


def _reach(tank: Tank, fixtures: Sequence[Fixture], mounts: Sequence[Mount]) -> list[MountingCheck]:
    """Whether a hand reaches in for feeding and for the glass with the lights down."""
    if not fixtures:
        return []
    named = {mount.name: mount for mount in mounts}
    lowest = min(f.emitter.height for f in fixtures) - tank.rim_height
    front = min(f.emitter.y - f.emitter.half_extent()[1] for f in fixtures)
    lids = [mount for mount in mounts if mount.type == "half_lid"]
    lowest = min([lowest, *(mount.height - tank.rim_height for mount in lids)])
    front = min([front, *(mount.y for mount in lids)])
    open_ = [named[f.held_by] for f in fixtures if f.held_by in named and named[f.held_by].opens]
    rule = "A hand with a feeder or magnet needs about {hand} between rim and lights, or {strip} free in front of them "
    rule += "(our estimate)."
    lengths = {"gap": max(0.0, lowest), "front": max(0.0, front), "hand": HAND, "strip": STRIP}
    words = "With the lights down there is {gap} between rim and lights"
    answer: Answer = "yes"
    if lowest >= HAND:
        words += ": feeding and glass cleaning go on as they are."
    elif front >= STRIP:
        words += ", and {front} free in front of them: a hand reaches in from the front."
    elif open_:
        words += f" and {{front}} in front of them: open {escape_slots(open_[0].name)} for feeding and for the glass."
    else:
        answer = "no"
        words += " and {front} in front of them: raise them, move them back, or take a mount that lifts or swings."
    return [MountingCheck("reach", "Reach of a hand", answer, words, rule, lengths)]

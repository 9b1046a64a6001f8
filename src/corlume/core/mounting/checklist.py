"""The checklist of a rig: what to do in which order, with its cautions, for the mounts and lights that there are."""

from __future__ import annotations

import datetime
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Literal

from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.message_text import escape_slots, letters
from corlume.core.mounting.cables import Lead
from corlume.core.mounting.mount import Mount, centre_of, units_on
from corlume.core.mounting.mounting_checks import find_hangers
from corlume.core.mounting.screw_marks import ScrewMark, bears, screw_marks, spacer_of
from corlume.core.schema import Day, Text, Whole, limits

Stage = Literal["before", "mounts", "lenses", "lights", "power", "swap", "trial", "after"]
STAGES: dict[Stage, str] = {
    "before": "Before you start",
    "mounts": "Mounts",
    "lenses": "Lenses and reflectors",
    "lights": "Lights",
    "power": "Power",
    "swap": "Swap, one at a time",
    "trial": "Trial run",
    "after": "After",
}


LONGEST_SPACER = 0.08
"""From here on a body hangs on rods or chains [m]; ours."""


@dataclass(frozen=True, slots=True)
class Tick:
    """A step that was done: when, a note, and the screws or parts that came out and went in again."""

    step: Annotated[str, Text("Step", 160, least=1)]
    day: Annotated[datetime.date, Day("Done on")]
    note: Annotated[str, Text("Note", 400)] = ""
    out: Annotated[int, Whole("Screws out", 0, 999, column="screws_out", empty=0)] = 0
    back: Annotated[int, Whole("Screws in", 0, 999, column="screws_in", empty=0)] = 0

    def __post_init__(self) -> None:
        limits(self).finish()


@dataclass(frozen=True, slots=True)
class Step:
    """One step: a key that stays the same, what to do, the caution that goes with it, and whether screws are counted;
    lengths in words by name [m].
    """

    key: str
    stage: Stage
    words: str
    caution: str = ""
    counts: bool = False
    lengths: dict[str, float] = field(default_factory=dict)


SwapWay = Literal["swap", "move", "refit"]


@dataclass(frozen=True, slots=True)
class Swap:
    """One stage of a swap: what comes down and what goes up, in words; whether that is the same light at another place
    or with other lenses, and whether a lamp with its ballast comes down.
    """

    down: str
    up: str
    way: SwapWay = "swap"
    ballast: bool = False


def steps_of(
    tank: Tank,
    fixtures: Sequence[Fixture],
    mounts: Sequence[Mount],
    leads: Sequence[Lead],
    lenses: Sequence[str] = (),
    swaps: Sequence[Swap] = (),
) -> list[Step]:
    """Return the steps for a setup in their order; none where nothing hangs."""
    if not fixtures:
        return []
    used = [mount for mount in mounts if units_on(mount, fixtures)]
    return [
        *_before(fixtures),
        *(step for mount in used for step in _mount(tank, mount, fixtures)),
        *_lenses(lenses),
        *_lights(tank, fixtures, mounts),
        *_power(leads),
        *_swaps(swaps),
        *_trial(fixtures),
        *_after(),
    ]


def _before(fixtures: Sequence[Fixture]) -> Iterator[Step]:
    hot = any(f.emitter.made_by.arc or f.emitter.made_by.long for f in fixtures)
    caution = (
        "Hot lamps burn and burst: off, unplugged and cold before you touch them, with gloves or a cloth."
        if hot
        else ""
    )
    yield Step("off", "before", "Switch the lights off and pull their plugs.", caution)
    yield Step("cover", "before", "Cover the water with a board or a sheet.", "Nothing loose over open water.")
    yield Step("count", "before", "Lay out all parts and count them against the shopping list.")
    yield Step("second", "before", "Have a second person for everything that is lifted over the tank.")


def _mount(tank: Tank, mount: Mount, fixtures: Sequence[Fixture]) -> Iterator[Step]:
    name, key, load = escape_slots(mount.name), f"mount:{mount.name}", bears(mount, fixtures)
    bearing = f"Structure and anchors must bear {load} kg, five times what hangs on it." if load else ""
    if mount.type in ("wires", "wall"):
        bearing += " Ask a licensed builder where you do not know what is behind."

    def step(which: str, words: str, caution: str = "", *, counts: bool = False, **lengths: float) -> Step:
        return Step(f"{key}:{which}", "mounts", words, caution, counts, lengths)

    marks = screw_marks(tank, mount, fixtures)
    match mount.type:
        case "canopy" | "half_lid":
            words = f"Write LEFT and BACK on {name}, then take it off and lay it upside down."
            yield step("off", words, "Two people; unplug and unhook every cable first.")
            yield from _marked(mount, marks, name, key)
            for unit in units_on(mount, fixtures):
                if thick := spacer_of(mount, [fixtures[k] for k in unit]):
                    who = letters(unit)
                    words = f"Put spacers {{thick}} thick between {name} and {who}."
                    if thick > LONGEST_SPACER:
                        words = f"{who} hangs {{thick}} under {name}: on rods or chains, not on screws alone."
                    yield step(f"spacer:{who}", words, thick=thick)
            words = f"Fix the lights to {name}; count the screws out of each body and in again."
            yield step("screws", words, bearing, counts=True)
            words = "Close every wire joint in a sealed, corrosion-proof box."
            yield step("joints", words, "Mains joints: a licensed electrician, to local code.")
            yield step("back", f"Put {name} back; open and close it slowly, and look that no cable pulls.")
        case "arm":
            words = f"Clamp {name} on the {mount.hinge} pane, its middle {{along}} from the {marks[0].edges[0]}."
            words += " Put a pad between clamp and glass."
            caution = "Hand-tight and a quarter turn: glass chips at its edge."
            yield step("clamp", words, caution, along=marks[0].distances[0])
        case "legs":
            yield step("stand", f"Stand {name} on the rim and push it: it must not slide or rock.")
        case "rail":
            long = mount.length >= mount.width
            middle, pane = (0.5 * (mount.y + mount.y1), "front") if long else (0.5 * (mount.x + mount.x1), "left")
            words = f"Fix {name}: its middle {{middle}} from the {pane} pane, its underside {{height}} above the water."
            yield step("fix", words, bearing, counts=True, middle=middle, height=mount.height)
            yield step("level", f"Lay a spirit level on {name}, both ways.")
        case "wires":
            yield from _marked(mount, marks, name, key)
            words = f"Find the structure behind every mark of {name}; set anchors, two independent supports for each."
            yield step("anchors", words, bearing)
        case "wall":
            words = f"Screw {name} into structure, {{left}} from the left pane and {{height}} above the water line."
            left, height = marks[0].distances
            yield step("fix", words, bearing, counts=True, left=left, height=height)
        case "lift":
            yield from _marked(mount, marks, name, key)
            yield step("run", f"Run {name} up and down three times without lights; its stops must hold.")


def _marked(mount: Mount, marks: Sequence[ScrewMark], name: str, key: str) -> Iterator[Step]:
    """Marks for the hanging points, each from two edges."""
    on, its = (name, "its") if mount.type != "wires" else ("the ceiling", "the")
    for mark in marks:
        words = f"Mark {escape_slots(mark.what)} on {on}: {{one}} from {its} {mark.edges[0]}, "
        words += f"{{two}} from {its} {mark.edges[1]}."
        one, two = mark.distances
        yield Step(f"{key}:mark:{mark.what}", "mounts", words, lengths={"one": one, "two": two})


def _lenses(lenses: Sequence[str]) -> Iterator[Step]:
    for change in lenses:
        yield Step(f"lens:{change}"[:160], "lenses", f"Change {escape_slots(change)}.", counts=True)
    if lenses:
        words = "Before you close it: every lens the same way round, none loose, none scratched."
        caution = (
            "Some lenses cannot be taken out again, and some do not fit. Fit one side each way and compare before you "
        )
        yield Step("lens:way", "lenses", words, caution + "do the rest; never look into a lit lens.")


def _lights(tank: Tank, fixtures: Sequence[Fixture], mounts: Sequence[Mount]) -> Iterator[Step]:
    names = {mount.name for mount in mounts}
    for hanger in find_hangers(tank, fixtures):
        parts = [fixtures[k] for k in hanger.numbers]
        who, holder = letters(hanger.numbers), parts[0].held_by
        x, y, _, _, height = centre_of(parts)
        on = f" on {escape_slots(holder)}" if holder in names else ""
        words = f"Hang {who}{on}: middle {{x}} from the left pane, {{y}} from the front pane."
        words += " Emitting area {height} above the water."
        rated = f"Two supports of its own, rated {hanger.rating} kg each." if hanger.rating and not on else ""
        yield Step(f"hang:{who}", "lights", words, rated, lengths={"x": x, "y": y, "height": height})
    yield Step("pull", "lights", "Pull on every light with its own weight before you let go.", "Second support first.")


def _power(leads: Sequence[Lead]) -> Iterator[Step]:
    for lead in leads:
        words = f"Lay the lead from {escape_slots(lead.start)} to {escape_slots(lead.end)} with a drip loop."
        yield Step(f"lead:{lead.start}:{lead.end}"[:160], "power", words + " Label both ends.")
    words = "Plugs and strips lie above splash and never under the tank's edge."
    caution = "Earth, residual-current protection and wiring by a licensed electrician, to local code."
    yield Step("dry", "power", words, caution)
    yield Step("residual", "power", "Press the test button of the residual-current device: everything must go off.")


def _swaps(swaps: Sequence[Swap]) -> Iterator[Step]:
    for number, swap in enumerate(swaps, 1):
        down, up = swap.down and f"Take down {swap.down}.", swap.up and f"Hang {swap.up}."
        words = {
            "swap": " ".join(filter(None, (down, up))),
            "move": f"Move {swap.up} to its new place.",
            "refit": f"Take down {swap.down}, change and set it as listed, hang it again as {swap.up}.",
        }[swap.way]
        caution = "Unplug the old light, and hold it before its last support is loose." if swap.down else ""
        if swap.ballast:
            caution = "Old ballast wiring may be live: unplug it, and have wiring changed by a licensed electrician."
        yield Step(f"swap:{number}:{swap.down}:{swap.up}"[:160], "swap", f"Stage {number}: {words}", caution)


def _trial(fixtures: Sequence[Fixture]) -> Iterator[Step]:
    arc = any(f.emitter.made_by.arc for f in fixtures)
    if arc:
        yield Step("shield", "trial", "Put the shield glass in place before power.",
                   "Without it splash shatters a hot lamp, and ultraviolet burns eyes, skin and corals.")  # fmt: skip
    yield Step("dim", "trial", "Switch on at the lowest level, with nobody looking into the lights.")
    yield Step("glare", "trial", "Sit down where you sit: shade or turn what dazzles.")
    yield Step(
        "loose", "trial", "Before you fix it for good, let it run for ten minutes: listen, smell, feel for wobble."
    )


def _after() -> Iterator[Step]:
    yield Step(
        "hour",
        "after",
        "After an hour: housings, drivers and plugs are warm and not hot; fans run; nothing has slipped.",
    )
    yield Step("day", "after", "After a day: clamps and screws tight, drip loops dry, the water no warmer than before.")
    yield Step("measure", "after", "Measure at the rock top, then change slowly.")

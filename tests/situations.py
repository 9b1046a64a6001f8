"""Situations that a good keeper judges at a glance: what hangs over what, and what must and must not be said of it.

All of it: common practice, no source. Lengths in inches, as the trade has them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from corlume.core.judging.intent import BY_STOCKING, Intent
from corlume.core.judging.target_zones import TargetZone
from corlume.core.judging.targets import SCHOOLS, LightTargets
from corlume.core.keeping.scene import Scene, Setup
from corlume.core.light.beam_optics import with_optic
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import SIDES, Brace, Pane, Rock, Tank
from corlume.core.light.lens import LensKey
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.placement.coral import Coral, Placement
from corlume.core.placement.coral_card import CoralCard
from corlume.core.units import DEGREE, INCH
from corlume.reference.catalogue import catalogue

WIDE: dict[str, Any] = {"ppf": 210.0, "fwhm": 110 * DEGREE}
TOLD: dict[str, dict[str, Any]] = {"cluster": WIDE, "module-grid": {"ppf": 55.0}}
"""The trade tells its rules of spacing and count of strong modules with a wide beam."""


def tank(length: float = 48, width: float = 24, depth: float = 20, **more: Any) -> Tank:
    """Water of so many inches, with a black back and other panes used."""
    panes = {side: Pane("plain", 0.08 if side == "back" else 0.6) for side in SIDES}
    return Tank(length * INCH, width * INCH, depth * INCH, **{"room_height": 1.2, **panes, **more})


def pillars(*places: float, top: float = 8, depth: float = 20) -> tuple[Rock, ...]:
    """Rocks of ten inches by ten, their tops so far down, with their middles at places along the tank."""
    height = (depth - top) * INCH
    return tuple(
        Rock((x - 5) * INCH, 7 * INCH, 0.0, 10 * INCH, 10 * INCH, height, f"Rock {k}") for k, x in enumerate(places)
    )


def row(
    key: str, places: Sequence[float], height: float, output: float | Sequence[float] = 1.0, *, y: float = 12,
    lens: LensKey | None = None,
) -> tuple[Fixture, ...]:  # fmt: skip
    """Fixtures of a kind along the tank."""
    part = catalogue()[key].parts[0]
    if key in TOLD:
        part = replace(part, emitter=replace(part.emitter, **TOLD[key]))
    outputs = [output] * len(places) if isinstance(output, float | int) else list(output)
    emitter = replace(part.emitter, y=y * INCH, height=height * INCH)
    emitter = with_optic(emitter, lens) if lens else emitter
    return tuple(
        replace(part, emitter=replace(emitter, x=x * INCH), output=float(o))
        for x, o in zip(places, outputs, strict=True)
    )


def tubes(key: str, across: Sequence[float], height: float, *, middle: float) -> tuple[Fixture, ...]:
    """Tubes side by side, their middles over the middle of the tank."""
    return tuple(tube for y in across for tube in row(key, [middle], height, y=y))


def grid(outputs: Sequence[float]) -> tuple[Fixture, ...]:
    """Eight small modules over four feet by two, two rows of four, each column at a level."""
    return tuple(f for y in (6, 18) for f in row("module-grid", (6, 18, 30, 42), 12, outputs, y=y))


@dataclass(frozen=True)
class Situation:
    """A tank with what hangs over it and what it is for; regular expressions of what must be said, and must not."""

    told: str
    hung: tuple[Fixture, ...]
    must: tuple[str, ...] = ()
    must_not: tuple[str, ...] = ()
    tank: Tank = field(default_factory=tank)
    stocking: str = "sps"
    school: str = "moderate"
    intent: Intent = BY_STOCKING
    zones: tuple[TargetZone, ...] = ()
    corals: tuple[Coral, ...] = ()
    surroundings: Surroundings = field(default_factory=Surroundings)

    @property
    def scene(self) -> Scene:
        targets = LightTargets(**SCHOOLS[self.school].limits, stocking=self.stocking, school=self.school)  # type: ignore[arg-type]
        setup = Setup("As it hangs", self.hung, True, self.intent)
        return Scene(self.told[:80], self.tank, targets, setups=(setup,), corals=self.corals, wanted=self.zones,
                     surroundings=self.surroundings)  # fmt: skip


CUBE, SIX_FEET = tank(24), tank(72)
BRACED = tank(braces=(Brace(22 * INCH, 0.0, 4 * INCH, 24 * INCH),))
LOW_CANOPY = tank(room_height=14 * INCH)
ROCKY = tank(rocks=pillars(12, 36))
EVENNESS = r"(Uniformity|Spread at rock top|Ends vs centre)[^:]*: [^.]*, (fair|poor)"
"""A grade of evenness that finds fault."""
STRONG_LEFT = row("cluster", (9, 24, 40), 11, (0.75, 0.35, 0.12))
ACRO = CoralCard("Acropora", "sps", 250, 350, "high", "peaceful", 0.0, 0.12)
TORCH = CoralCard("Torch", "lps", 80, 150, "medium", "aggressive", 0.15, 0.2)


def zone(name: str, x: float, low: float, high: float) -> TargetZone:
    """A zone a foot long, from the front to the back, in the upper half of the water."""
    return TargetZone(name, x * INCH, 0.0, 12 * INCH, 24 * INCH, 4 * INCH, 12 * INCH, low, high)


SITUATIONS = (
    Situation(
        "Two modules in equal parts over four feet", row("cluster", (16, 32), 10),
        (r"Ends vs centre: (4|5)\d %, poor", "Beams overlap in the middle",
        r"Move the outer modules out by 6 cm: .*reduces"),
        ("Dark middle",),
    ),
    Situation(
        "The same moved out to 13 in", row("cluster", (13, 35), 12),
        (r"Ends vs centre: (7[5-9]|8\d|9\d) %, good",), ("Beams overlap", "Dark middle", "Fatal"),
    ),
    Situation(
        "Four modules in equal parts", row("cluster", (9.6, 19.2, 28.8, 38.4), 10, 0.6),
        ("Beams overlap in the middle", r"Ends vs centre: 6\d %, fair"),
    ),
    Situation(
        "Four modules by the rule of four", row("cluster", (7.5, 17, 31, 40.5), 10, 0.6),
        (r"Ends vs centre: (7|8)\d %, (good|fair)",), ("Dark middle", "Beams overlap"),
    ),
    Situation(
        "One module over four feet of SPS", row("cluster", (24,), 10),
        (r"Uniformity[^:]*: .* poor", r"Ends vs centre: [1-4]\d? %, poor"),
        (r"(Uniformity|Spread at rock top)[^:]*: .*, good",),
    ),
    Situation(
        "A narrow module eight inches over a cube", row("cluster-narrow", (12,), 8),
        ("Hung too low", r"Raise all by 8 cm: .*reduces hung too low",
        r"Hottest point: .* poor.*the rest would be too dim"),
        (r"Turn all down by a fifth: [^.]*hung too low", r"Uniformity[^:]*: .*, good"), CUBE,
    ),
    Situation(
        "A narrow module eight inches over high rock", row("cluster-narrow", (12,), 8),
        ("Fatal hot spot", "Dimming cannot solve this", r"Raise all by 8 cm: .*(solves|reduces) fatal hot spot"),
        (r"Turn all down by a fifth: [^.]*fatal hot spot",), tank(24, rocks=pillars(12, top=2)),
    ),
    Situation(
        "The same at twenty inches", row("cluster-narrow", (12,), 20, 0.8), (), ("Fatal hot spot", "Hung too low"),
        CUBE,
    ),
    Situation(
        "A good layout dimmed to a tenth", row("cluster", (7, 17, 31, 41), 14, 0.07),
        ("Too weak for its goal", r"Turn all up by \d+ %", r"Rock.top.* in range: 0 %, poor"),
        (r"Too strong", "Problems: none"),
    ),
    Situation(
        "A poor layout dimmed to a tenth is no more even", row("cluster", (16, 32), 9, 0.1),
        (r"Spread at rock top: \d+ PAR, \d+ %, (fair|poor)", "Too weak"),
        (r"Spread at rock top: .*, good",),
    ),
    Situation(
        "Everything at full and nothing left", row("cluster-small", (16, 32), 14),
        ("Too weak", "Everything is at full output: add fixtures"), ("Turn all up",),
    ),
    Situation(
        "Six modules at full", row("cluster", (4, 12, 20, 28, 36, 44), 9),
        ("Too strong for its goal", "Turn all down by a fifth: .*reduces too strong"), ("Too weak",),
    ),
    Situation(
        "A module over the middle brace", row("cluster", (8, 24, 40), 7),
        ("Brace blocks light", r"blocks [2-9]\d % of the light of B",
        "Move fixtures over a brace to one side"),
        (r"Ends vs centre: 1\d\d %, good",), BRACED,
    ),
    Situation(
        "Two modules beside the middle brace", row("cluster", (12, 36), 10), (), ("Brace blocks light",),
        BRACED,
    ),
    Situation(
        "Modules close to the ends", row("cluster", (5, 43), 9),
        ("Dark middle", "Move the outer modules in by 6 cm"), (r"Ends vs centre: .*, good", "Beams overlap"),
    ),
    Situation(
        "Narrow modules far apart", row("cluster-narrow", (9, 39), 9),
        ("Dark triangles between fixtures", r"Take the lenses off: .*(solves|reduces) dark triangles"),
    ),
    Situation(
        "Five-foot tubes over six feet", tubes("t5-80", (5, 9, 15, 19), 8, middle=36),
        ("Tubes shorter than the tank", "Keepers live with it"), ("Fatal hot spot", "Hung too low"), SIX_FEET,
    ),
    Situation(
        "Four-foot tubes over four feet", tubes("t5-54", (4, 7, 10, 14, 17, 20), 8, middle=24),
        (r"Ends vs centre: (7|8|9)\d %, (good|fair)",), ("Tubes shorter", "Fatal hot spot", "Beams overlap"),
    ),
    Situation(
        "Six tubes light flat", tubes("t5-54", (4, 7, 10, 14, 17, 20), 8, middle=24),
        (r"Spread at rock top: .*, (good|fair)", r"Uniformity[^:]*: .*, (good|fair)"),
        ("Dark front", "Dark back", "Dark middle"),
    ),
    Situation(
        "One mid-size module over a cube of LPS", row("cluster", (12,), 12, 0.45),
        ("Goal: LPS light everywhere", r"Spots in range: [5-9]\d %, (good|fair)"),
        (EVENNESS, "Beams overlap", "Too"), CUBE,
        "lps",
    ),
    Situation(
        "An LPS tank under light for SPS", row("cluster", (13, 35), 12, 0.9),
        ("Too much for the tank's corals", "Turn all down by a fifth", "Corals in too much light bleach"),
        ("Too weak", "Too much for the low places"), stocking="lps",
    ),
    Situation(
        "An LPS tank in the dark half of the shop", row("cluster", (13, 35), 14, 0.1), ("Too weak",),
        ("Too much", "Beams overlap"), stocking="lps",
    ),
    Situation(
        "A strong end made on purpose", STRONG_LEFT,
        ("Goal: Strong end left", r"Strong end in range: .*, (good|fair)",
        "Not graded. Goal of this setup: strong end left"),
        ("Dark right", "Beams overlap", EVENNESS),
        intent=Intent("strong_left"),
    ),
    Situation(
        "The same where an even light is wanted", STRONG_LEFT, ("Dark right", r"Uniformity[^:]*: .*, poor"),
        ("Not graded",),
    ),
    Situation(
        "A strong end on the wrong side", STRONG_LEFT,
        ("Too weak for its goal", r"Strong end in range: .*, poor"), ("Dark left",),
        intent=Intent("strong_right"),
    ),
    Situation(
        "Modules hung at the back", row("cluster", (9, 24, 39), 9, 0.8, y=20),
        ("Dark front", "Move all 6 cm to the front"), (r"Uniformity[^:]*: .*, good", "Move all fixtures 6 cm back"),
    ),
    Situation(
        "Modules hung at the front glass", row("cluster", (9, 24, 39), 10, 0.8, y=5),
        ("Light on the front glass", r"Move all fixtures 6 cm back: .*(reduces|solves) light on the front glass",
        "feeds algae"),
        ("Move all 6 cm to the front",),
    ),
    Situation(
        "No lenses at two feet", row("cluster-bare", (13, 35), 24),
        ("Much light misses the water", "Lower all by 8 cm"),
        ("Take the lenses off:", "Fatal hot spot", "Hung too low"),
    ),
    Situation(
        "Narrow lenses under a low canopy", row("cluster", (13, 35), 6, lens="60"),
        ("Dark upper corners", "Take the lenses off", "hardly wider than 90"), (), LOW_CANOPY,
    ),
    Situation(
        "Too low, and no room to raise it", row("cluster-narrow", (12, 36), 7),
        (r"Raise all by 8 cm \(the canopy must rise by \d+(\.\d)? cm first\)",), (), LOW_CANOPY,
    ),
    Situation(
        "Too low, with room to raise it", row("cluster-narrow", (12, 36), 7), ("Raise all by 8 cm: ",),
        ("canopy must rise",),
    ),
    Situation(
        "Bare modules already", row("cluster-bare", (24,), 8), ("Ends vs centre",),
        (r"Take the lenses off: (solves|reduces)",),
    ),
    Situation(
        "A halide close under its lid", row("halide-250", (24,), 12), ("Heat of halides, problem", "Hot lamp"),
        (), tank(room_height=16 * INCH),
    ),
    Situation(
        "Halides with air above", row("halide-250", (12, 36), 13), ("Heat of halides, OK", "Hot lamp"), (),
        tank(room_height=1.5),
    ),
    Situation("Exactly 14 in over the water", row("cluster", (13, 35), 14), ("Splash and salt, OK",),
        ("collect salt:.*collect",)),
    Situation("At 13 in over the water", row("cluster", (13, 35), 13), (r"Splash and salt, check: .*2 collect salt",)),
    Situation(
        "Leads of half a metre over four feet", row("cluster", (13, 35), 12),
        ("Cables from fixture to fixture, problem",), surroundings=Surroundings(lead=0.5),
    ),
    Situation(
        "Long bodies whose ends are near", row("cluster-large", (12.5, 36), 12),
        ("Cables from fixture to fixture, OK",), surroundings=Surroundings(lead=0.5),
    ),
    Situation(
        "Tubes chained front to back", tubes("t5-54", (2, 22), 9, middle=24),
        ("Cables from fixture to fixture, problem",), surroundings=Surroundings(lead=0.6),
    ),
    Situation(
        "Halides on a small breaker", row("halide-400", (9, 24, 39), 16),
        ("Circuit, problem", "licensed electrician"),
        surroundings=Surroundings(volts=115, breaker=10),
    ),
    Situation(
        "Two large-format fixtures in equal parts", row("cluster-large", (12, 36), 12, 0.7),
        (r"Ends vs centre: (7[5-9]|8\d|9\d) %, good",), ("Beams overlap",),
    ),
    Situation(
        "A grid of many small ones forgives", grid((0.9, 0.9, 0.9, 0.9)),
        (r"Ends vs centre: (7|8|9)\d %, (good|fair)",),
        ("Fatal hot spot", "Dark middle", "Hung too low"),
    ),
    Situation(
        "The grid with its centre turned down", grid((1.0, 0.8, 0.8, 1.0)),
        (r"Ends vs centre: (8\d|9\d|100) %, good",), ("Beams overlap", "Dark middle"),
    ),
    Situation(
        "A mixed tank, bright down to the sand", row("cluster", (12, 24, 36), 10, 0.9),
        ("Goal: Mixed tank by places", "Too much for the low places", r"Low places in range: \d+ %\."), (),
        ROCKY, "mixed",
    ),
    Situation(
        "A mixed tank that wants 250 to 350 on top", row("cluster", (12, 36), 12, 0.8),
        (r"Rock top in range: .*Share of spots on rock tops .*at 250 to 350 PAR",
        "Your own light on top for this setup"), (),
        ROCKY, "mixed", intent=Intent(low=250, high=350),
    ),
    Situation(
        "Bright white light in the bright white school", row("cluster", (8, 18, 30, 40), 10, 0.75),
        (r"\bBright white\b",),
        ("Too strong for", "Too weak"), school="bright_white",
    ),
    Situation(
        "The same in the moderate school", row("cluster", (8, 18, 30, 40), 10, 0.75), ("Too strong", "Moderate"),
        ("Too weak",),
    ),
    Situation(
        "No rock yet", row("cluster", (13, 35), 12, 0.9), (r"Rock-top plane in range: .*as there is no rock",),
        ("seats on",),
    ),
    Situation(
        "Zones drawn and met", row("cluster", (12, 36), 12, (0.8, 0.3)),
        (r"Zones in range: (7|8|9)\d %, good", "Goal: Target zones"),
        ("Dark right", "Too weak", "Too strong"),
        intent=Intent("zones"), zones=(zone("High", 6, 180, 380), zone("Low", 30, 70, 220)),
    ),
    Situation(
        "Zones drawn and missed", row("cluster", (12, 36), 12, (0.8, 0.3)),
        (r"Zones in range: \d %, poor", "Too weak"), (),
        intent=Intent("zones"), zones=(zone("High", 30, 400, 500),),
    ),
    Situation(
        "Meant for zones, none drawn", row("cluster", (13, 35), 12), ("none is drawn",), ("Zones in range: .*, poor",),
        intent=Intent("zones"),
    ),
    Situation(
        "SPS from top to sand under two modules", row("cluster", (13, 35), 12, 0.8),
        (r"Spots in range: .*spots on rock and sand", "Goal: SPS from top to sand"),
        ("Too much for the low places",),
        ROCKY, intent=Intent("sps"),
    ),
    Situation("Everything off", row("cluster", (13, 35), 12, 0.0), ("Light: none, poor", "Problems: none"),
        ("Remedies", "good")),
    Situation(
        "A torch in light for Acropora", row("cluster", (12, 36), 12, 0.9),
        (r"Corals in their light: 1 of 2, poor", r"Torch at \d+, too strong by \d+"), ("Acropora at",), ROCKY,
        corals=(Coral(replace(ACRO, par_low=150, par_high=500), Placement(12 * INCH, 12 * INCH, 8 * INCH)),
                Coral(TORCH, Placement(36 * INCH, 12 * INCH, 8 * INCH))),
    ),
    Situation("Two 250 W halides five inches over the water", row("halide-250", (12, 36), 5),
        ("Hung too low", "Raise all by 8 cm: .*(solves|reduces) hung too low"), ("Uniformity[^:]*: [^.]*, good",)),
    Situation("Two 400 W halides five inches over the water", row("halide-400", (12, 36), 5),
        ("Hung too low: .*none of it dims",), ("Uniformity[^:]*: [^.]*, good",)),
    Situation("One halide five inches over a cube", row("halide-250", (12,), 5), ("Hung too low",), (),
        tank(24, 24, 20)),
    Situation("The same at ten inches", row("halide-250", (12,), 10), (), ("Hung too low", "Fatal hot spot"),
        tank(24, 24, 20)),
    Situation("Two halides at sixteen inches over deep water", row("halide-400", (12, 36), 16),
        ("Uniformity[^:]*: [^.]*, good",), ("Hung too low", "Fatal hot spot"),
        tank(depth=27, rocks=pillars(12, 36, top=12, depth=27))),
    Situation("One of four is dead, between others", row("cluster", (6, 18, 30, 42), 10, (0.6, 0, 0.6, 0.6)),
        ("Uniformity[^:]*: [^.]*, fair", r"One end has \d+ PAR and the other \d+"), ("Uniformity[^:]*: [^.]*, good",)),
    Situation("One of four is dead, the last", row("cluster", (6, 18, 30, 42), 10, (0.6, 0.6, 0.6, 0)),
        ("Dark right: .*Off: D", "Uniformity[^:]*: [^.]*, poor"), ("Hung too low", "Ends vs centre: [^.]*good")),
    Situation("One of two is dead", row("cluster", (13, 35), 10, (0.8, 0)),
        ("Dark right: .*Off: B", "Ends vs centre: [^.]*, poor"), ("Hung too low",)),
    Situation("One of two turned far down", row("cluster", (13, 35), 10, (1, 0.4)), ("Dark right",),
        ("Hung too low", "Off:", "Uniformity[^:]*: [^.]*, good")),
    Situation("Higher than the canopy", row("cluster", (13, 35), 10),
        (r"A is higher than the canopy or ceiling: 25\.4 cm; clearance is 20 cm", r"Lower A by 15\.4 cm"), (),
        tank(room_height=0.2)),
    Situation("Two modules two inches apart", row("cluster", (20, 22), 10),
        ("A and B overlap", r"Move B \d+(\.\d)? cm to the right"), ()),
    Situation("A module on the end pane", row("cluster", (2, 24), 1), ("A touches the left pane, lower than its rim",),
        (), tank(rim_height=0.05)),
    Situation("A bar along the front", row("bar", (24,), 8, y=4), ("Dark back", "Light on the front glass"),
        ("Dark front", "Hung too low")),
    Situation("A bar along the back", row("bar", (24,), 8, y=20), ("Dark front",), ("Dark back", "front glass:")),
    Situation("A frag tank ten inches deep", row("cluster", (12, 36), 8), ("Hung too low", "Too strong"),
        ("Too weak",), tank(depth=10)),
    Situation("Two tubes for SPS", tubes("t5-54", (10, 14), 8, middle=24), ("Too weak",),
        ("Too strong", "Turn all up")),
    Situation("Eight tubes for LPS", tubes("t5-54", (3, 5.5, 8, 10.5, 13, 15.5, 18, 20.5), 6, middle=24),
        ("Too much for the tank's corals",), ("Too weak", "Turn all down"), stocking="lps"),
    Situation("A dimmed module over a small cube of SPS", row("cluster", (9,), 10, 0.6, y=9),
        ("Rock top in range: [^.]*, good", "Uniformity[^:]*: [^.]*, good", "Much light misses the water"),
        ("Hung too low", "Dark upper", "Too"), tank(18, 18, 16, rocks=pillars(9, top=6, depth=16))),
    Situation("Modules at two and a half feet", row("cluster", (13, 35), 30),
        ("Much light misses the water", "Too weak", "Uniformity[^:]*: [^.]*, good"), ("Hung too low",)),
    Situation("Four strong halides over four feet", row("halide-400", (6, 18, 30, 42), 9),
        ("Too strong", "Hung too low"), ("Turn all down", "Too weak")),
    Situation("A short bar for LPS at a third", row("bar-short", (12, 36), 8, 0.3), ("Too weak", "Turn all up"),
        ("Too much", "Hung too low"), stocking="lps"),
    Situation("A strong end right, on purpose", row("cluster", (13, 35), 10, (0.35, 1)),
        ("Goal: Strong end right",), ("Dark left", "Hung too low", "Uniformity[^:]*: [^.]*, (good|fair|poor)"),
        intent=Intent("strong_right")),
)  # fmt: skip

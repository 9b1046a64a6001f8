"""Checks of a mounted layout: weight, canopy, splash, heat, cables and glare.

Rules follow common practice in the trade, no source; the factor of five on weight is what careful keepers use. They
defer to local code and licensed practice.
"""

from __future__ import annotations

import math
from collections.abc import Container, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Literal

from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture, extent
from corlume.core.light.geometry import Tank
from corlume.core.message_text import escape_slots
from corlume.core.mounting.alignment import units_of
from corlume.core.mounting.collisions import BODY_HEIGHT as BODY
from corlume.core.mounting.collisions import find_overlaps
from corlume.core.mounting.glare import seen_by
from corlume.core.mounting.surroundings import Surroundings
from corlume.core.units import INCH

Answer = Literal["yes", "no", "look", "listed"]
ANSWERS: dict[Answer, str] = {"yes": "OK", "no": "problem", "look": "check", "listed": "listed"}
"""What a check comes to, in a word; "listed" is a load with what its supports must be rated for, which no one but the
keeper can compare with the supports there are.
"""
SAFETY = 5.0
SUPPORTS = 2
SPLASH = 14 * INCH
"""Under this over water lights collect salt; at it they do not (common practice, no source) [m]."""
HEAT_GAP = 0.025
MUCH_HEAT = 500.0
SPAN, LEAST_SPAN = 0.7, 0.1
"""Two supports stand this share of the body's length apart [-], and at least so far [m]; ours, where a fixture has no
points of its own.
"""


@dataclass(frozen=True, slots=True)
class MountingCheck:
    """One mounting check: result, finding and rule; lengths in words by name [m]."""

    key: str
    title: str
    answer: Answer
    found: str
    rule: str
    lengths: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class DrillMark:
    """One fixture on the mounting sheet: centre from the left and the back pane, face above the water and above the
    rim [m].
    """

    number: int
    fixture: Fixture
    left: float
    back: float
    above_water: float
    above_rim: float


@dataclass(frozen=True, slots=True)
class Hanger:
    """A fixture, or a frame with its parts by number, that hangs from two supports of its own.

    ``points`` to drill at, from the left and the back pane [m]; ``weight`` of it all and ``rating`` of each support,
    0 when a weight is not known [kg].
    """

    frame: str
    numbers: tuple[int, ...]
    points: tuple[tuple[float, float], tuple[float, float]]
    weight: float
    rating: int


def support_load(weight: float) -> int:
    """Rated load of each of two supports: five times half of the weight [kg].

    In whole kilograms, always rounded up: what is printed must never be less than what is needed.
    """
    return math.ceil(SAFETY * weight / SUPPORTS - 1e-9)


def draw_marks(tank: Tank, fixtures: Sequence[Fixture]) -> tuple[DrillMark, ...]:
    """Places of all fixtures, measured as for drilling."""
    return tuple(
        DrillMark(i, f, f.emitter.x, tank.width - f.emitter.y, f.emitter.height, f.emitter.height - tank.rim_height)
        for i, f in enumerate(fixtures)
    )


def find_hangers(tank: Tank, fixtures: Sequence[Fixture]) -> tuple[Hanger, ...]:
    """Fixtures and frames with supports of their own, in the order of the fixtures."""
    found = []
    for numbers in units_of(fixtures):
        parts = [fixtures[i] for i in numbers]
        weights = [part.weight for part in parts]
        weight = sum(weights) if all(weights) else 0.0
        ends = [(x, tank.width - y) for x, y in _support_points(parts)]
        found.append(Hanger(parts[0].frame, tuple(numbers), (ends[0], ends[1]), weight, support_load(weight)))
    return tuple(found)


def _support_points(parts: Sequence[Fixture]) -> list[tuple[float, float]]:
    """Two points over the long axis of a face, or over the longer side of all the faces of a frame."""
    if len(parts) == 1:
        face = parts[0].emitter
        x, y, half = face.x, face.y, 0.5 * max(LEAST_SPAN, SPAN * face.length)
        along = (math.cos(face.turn), math.sin(face.turn))
    else:
        (x0, y0), (x1, y1) = extent(parts)
        x, y, half = 0.5 * (x0 + x1), 0.5 * (y0 + y1), 0.5 * max(LEAST_SPAN, SPAN * max(x1 - x0, y1 - y0))
        along = (1.0, 0.0) if x1 - x0 >= y1 - y0 else (0.0, 1.0)
    return [(x + side * half * along[0], y + side * half * along[1]) for side in (-1.0, 1.0)]


def check_mounting(
    tank: Tank, fixtures: Sequence[Fixture], around: Surroundings, held: Container[str] = (), *, chained: bool = True
) -> list[MountingCheck]:
    """Check all lights; those held by a mount of a name in ``held`` need no supports of their own, and cables are
    checked as chained only where no cords are entered.
    """
    if not fixtures:
        return []
    loose = [fixture for fixture in fixtures if fixture.held_by not in held]
    return [
        *([_weight(tank, loose), _behind(around)] if loose else []),
        *_bodies(tank, fixtures, around),
        _canopy(tank, fixtures),
        *_heat(tank, fixtures),
        _splash(fixtures),
        *(_leads(fixtures, around) if chained else []),
        _total_heat(fixtures),
        _glare(tank, fixtures, around),
    ]


def _weight(tank: Tank, fixtures: Sequence[Fixture]) -> MountingCheck:
    unknown = [escape_slots(f.name) for f in fixtures if not f.weight]
    heaviest = max(hanger.weight for hanger in find_hangers(tank, fixtures))
    told = []
    if len(unknown) < len(fixtures):
        told.append(f"{sum(f.weight for f in fixtures):.1f} kg in all" + " of what is known" * bool(unknown))
    if heaviest:
        told.append(f"the heaviest, {heaviest:.1f} kg, needs two supports rated {support_load(heaviest)} kg each")
    found = "; ".join(told)
    if unknown:
        found += ". " * bool(told) + f"Weight not known: {', '.join(dict.fromkeys(unknown))}"
    else:
        found += ". Fit supports rated as listed"
    rule = "Two independent supports for each, anchored in structure, rated five times their share of the weight."
    return MountingCheck("weight", "Weight", "look" if unknown else "listed", found + ".", rule)


def _bodies(tank: Tank, fixtures: Sequence[Fixture], around: Surroundings) -> list[MountingCheck]:
    rule = "No overlap of fixtures, or with a pane, brace, canopy or wall; measure the real bodies."
    return [
        MountingCheck("bodies", "Overlap", "no", f"{found.words} {found.move}", rule, found.lengths)
        for found in find_overlaps(tank, fixtures, around)
    ]


def _canopy(tank: Tank, fixtures: Sequence[Fixture]) -> MountingCheck:
    least = min(tank.room_height - f.emitter.height - BODY for f in fixtures)
    answer: Answer = "yes" if least >= 0.0 else "look" if least >= -0.5 * BODY else "no"
    return MountingCheck(
        "canopy",
        "Room above",
        answer,
        "{room} above the fixtures, at a body height of {body}."
        if least >= 0
        else "{short} short of room for a body {body} high.",
        "Measure the real body with its hanger; this height is our estimate.",
        {"room": max(0.0, least), "short": max(0.0, -least), "body": BODY},
    )


def _heat(tank: Tank, fixtures: Sequence[Fixture]) -> list[MountingCheck]:
    halides = [f for f in fixtures if f.emitter.made_by.arc]
    if not halides:
        return []
    gap = min(tank.room_height - f.emitter.height - BODY for f in halides)
    return [
        MountingCheck(
            "heat",
            "Heat of halides",
            "yes" if gap >= HEAT_GAP else "no",
            "{gap} between reflector and lid or canopy." if gap > 0 else "No room between reflector and lid or canopy.",
            "Lift a reflector at least {least} off a lid; fans, a cool room, shield glass in place before power. "
            "Hot lamp: off, unplugged and cool before touching.",
            {"gap": max(0.0, gap), "least": HEAT_GAP},
        )
    ]


def splashed(emitter: Emitter) -> bool:
    """Whether a face hangs so low that it collects salt; not at the limit itself, to the millimetre."""
    return emitter.height < SPLASH - 1e-3


def _splash(fixtures: Sequence[Fixture]) -> MountingCheck:
    low = [f for f in fixtures if splashed(f.emitter)]
    lowest = min(f.emitter.height for f in fixtures)
    return MountingCheck(
        "splash",
        "Splash and salt",
        "look" if low else "yes",
        "The lowest emitting area is {lowest} above the water." + (f" {len(low)} collect salt." if low else ""),
        "Lights under about {limit} over water collect salt: shield or clean them.",
        {"lowest": lowest, "limit": SPLASH},
    )


def _behind(around: Surroundings) -> MountingCheck:
    return MountingCheck(
        "behind",
        "Room behind for brackets",
        "yes" if around.gap >= 0.05 else "no",
        "{gap} behind the back pane.",
        "Brackets need about {least} behind the glass; fixtures hung from above need none.",
        {"gap": around.gap, "least": 0.05},
    )


def _leads(fixtures: Sequence[Fixture], around: Surroundings) -> list[MountingCheck]:
    if around.lead <= 0 or len(fixtures) < 2:
        return []
    chain = _chain([f.emitter for f in fixtures])
    widest = max(_between(a, b) for a, b in pairwise(chain))
    # a drip loop hangs down and comes up again
    need = widest + 0.3
    return [
        MountingCheck(
            "leads",
            "Cables from fixture to fixture",
            "yes" if need <= around.lead else "no",
            "The widest step from body to body is {widest}; with a drip loop it needs {need}, and the cable is {lead}.",
            "Cable length limits how far apart two chained fixtures can be.",
            {"widest": widest, "need": need, "lead": around.lead},
        )
    ]


def _chain(faces: Sequence[Emitter]) -> list[Emitter]:
    """Faces in the order of their cables: from the leftmost, always to the nearest that is left."""
    left = sorted(faces, key=lambda face: (face.x, face.y))
    chain = [left.pop(0)]
    while left:
        nearest = min(range(len(left)), key=lambda i: _between(chain[-1], left[i]))
        chain.append(left.pop(nearest))
    return chain


def _between(one: Emitter, other: Emitter) -> float:
    """Distance between two bodies [m]."""
    (ax, ay), (bx, by) = one.half_extent(), other.half_extent()
    aside = (max(0.0, abs(one.x - other.x) - ax - bx), max(0.0, abs(one.y - other.y) - ay - by))
    return math.hypot(*aside, one.height - other.height)


def _total_heat(fixtures: Sequence[Fixture]) -> MountingCheck:
    now, full = sum(f.power for f in fixtures), sum(f.watts for f in fixtures)
    return MountingCheck(
        "total_heat",
        "Total heat",
        "look" if full > MUCH_HEAT else "yes",
        f"{now:.0f} W as it is dimmed, {full:.0f} W at full output: all of it ends as heat in the room and the water.",
        f"Over {MUCH_HEAT:.0f} W (our estimate) plan fans and an open canopy, and watch the water's temperature "
        "for some days.",
    )


def _glare(tank: Tank, fixtures: Sequence[Fixture], around: Surroundings) -> MountingCheck:
    eye = (around.away, around.eye - around.stand)
    looks = [seen_by(tank, fixtures, k, eye, BODY) for k in range(len(fixtures))]
    worst = max(looks)
    name = escape_slots(fixtures[looks.index(worst)].name) if worst > 0 else ""
    steep = 90 - math.degrees(
        math.atan2(max(f.emitter.height for f in fixtures) + around.stand - around.eye, around.away)
    )
    return MountingCheck(
        "glare",
        "Glare for a seated eye",
        "look" if worst > 0.1 else "yes",
        f"{name or 'No face'} sends {100 * worst:.0f} % of its strongest light towards an eye {{away}} from the glass, "
        f"{steep:.0f} degrees from straight down, past the bodies and braces that hide it.",
        "Over a tenth dazzles: shield it, raise the skirt, lean it back or dim before working under it. Limit of our "
        "own. Never look into ultraviolet lamps.",
        {"away": around.away},
    )

"""Problems of a setup's light, and the computed effect of every change known to help."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from corlume.core.errors import InvalidInput
from corlume.core.judging.figures import Figures
from corlume.core.judging.intent import Intent
from corlume.core.judging.problems import WEAK, JudgedPart, LightMap, Problem, find_problems
from corlume.core.keeping.scene import Setup
from corlume.core.light.beam_optics import with_optic
from corlume.core.light.fixture import Fixture, fixture_errors, overlaps
from corlume.core.light.flux_budget import front_share
from corlume.core.light.geometry import Tank
from corlume.core.light.lens import lens_on
from corlume.core.mounting.collisions import BODY_HEIGHT as BODY
from corlume.core.units import DEGREE
from corlume.formats.round_steps import STEPS, RoundSteps
from corlume.services.judging.judge import verdict_case
from corlume.services.keeping.setups import add_setup
from corlume.services.light.fields import slice_plane
from corlume.services.light.points import same_tank
from corlume.services.light.spill import taken_by_braces
from corlume.services.placement.zone_placement import CoralChange, coral_change
from corlume.store.database import Database
from corlume.store.tables import NotFound
from corlume.store.tanks import StoredTank, load_tank

SHALLOW = 0.05
"""Just under the surface, where narrow beams leave gaps [m]."""
LEAN = 12 * DEGREE
LONGEST_MOVED = 0.6
"""Longest face that is moved along the tank [m]."""
LEAST_GAIN = 0.02
"""A fault that is smaller by less than this share is no smaller [-]."""
SLIDERS = ("dim", "dim_middle", "brighten")
"""Moves that change levels alone."""
Move = Callable[["Room", Sequence[Fixture]], list[Fixture]]


@dataclass(frozen=True, slots=True)
class Room:
    """What a change is computed for: the tank, the keeper's round steps, and the problems found."""

    tank: Tank
    steps: RoundSteps
    faults: dict[str, Problem] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class SuggestedChange:
    """A change in words with the fixtures after it, its figures and problems; ``lengths`` go into the words by name
    [m].

    ``eases`` says of each fault of the setup what is left of it: gone, or less. ``brings`` are the titles of faults
    that come with it, ``worsens`` of those that get worse. ``short`` is by how much the canopy must rise first, 0 where
    there is room [m]. ``corals`` says who would leave their light.
    """

    key: str
    words: str
    lengths: dict[str, float]
    fixtures: tuple[Fixture, ...]
    figures: Figures
    eases: dict[str, Literal["gone", "less"]]
    brings: tuple[str, ...]
    worsens: tuple[str, ...]
    short: float
    corals: CoralChange


@dataclass(frozen=True, slots=True)
class ProblemFound:
    """A problem with the keys of the changes that help; without any, ``why`` says what stands in the way."""

    fault: Problem
    remedies: tuple[str, ...]
    why: str = ""


@dataclass(frozen=True, slots=True)
class ProblemReport:
    """Figures of a setup, its problems, and every change that reduces one of them, each once."""

    now: Figures | None
    findings: tuple[ProblemFound, ...] = ()
    remedies: tuple[SuggestedChange, ...] = ()


def problems_of(
    stored: StoredTank, fixtures: Sequence[Fixture], intent: Intent, steps: RoundSteps = STEPS["cm"]
) -> ProblemReport:
    """Find a setup's figures and problems, and what helps each."""
    if not any(f.output > 0 for f in fixtures):
        return ProblemReport(None)
    now, faults = _judged(stored, fixtures, intent)
    room = Room(stored.tank, steps, {fault.key: fault for fault in faults})
    tried = {key: _try(key, stored, room, fixtures, intent) for fault in faults for key in fault.moves}
    findings = []
    for fault in faults:
        # what is known to help it first, then what was worked out for another fault and helps this one as well
        order = dict.fromkeys((*fault.moves, *tried))
        helpful = tuple(k for k in order if isinstance(r := tried[k], SuggestedChange) and fault.key in r.eases)
        findings.append(ProblemFound(fault, helpful, "" if helpful else _why(fault, tried)))
    used = {key for finding in findings for key in finding.remedies}
    remedies = (one for key, one in tried.items() if key in used and isinstance(one, SuggestedChange))
    return ProblemReport(now, tuple(findings), tuple(remedies))


def found_problems(stored: StoredTank, fixtures: Sequence[Fixture], intent: Intent) -> list[Problem]:
    """A setup's problems alone, without what helps."""
    return _judged(stored, fixtures, intent)[1] if any(f.output > 0 for f in fixtures) else []


def _why(fault: Problem, tried: dict[str, SuggestedChange | str]) -> str:
    """Why no change helps a problem, change by change."""
    told = [f"{_title(key)}: {one if isinstance(one, str) else 'does not ease it here'}" for key in fault.moves
            for one in (tried[key],)]  # fmt: skip
    return "; ".join(told) + "."


def _title(key: str) -> str:
    """A change in words, without its lengths."""
    return re.sub(r"( by)? \{\w+\}", "", MOVES[key][0])


def _judged(stored: StoredTank, fixtures: Sequence[Fixture], intent: Intent) -> tuple[Figures, list[Problem]]:
    case = verdict_case(stored, fixtures, intent)
    tank = same_tank(stored.lit_tank())
    return case.figures, find_problems(JudgedPart(tank, tuple(fixtures), light_map(tank, fixtures), case))


def light_map(tank: Tank, fixtures: Sequence[Fixture]) -> LightMap:
    """PAR map in which problems are found."""
    top = slice_plane(tank, fixtures, "plan", tank.rock_top())
    shallow = slice_plane(tank, fixtures, "plan", min(SHALLOW, 0.5 * tank.rock_top()))
    shares = [(f.strength * f.emitter.ppf, front_share(tank, f.emitter)) for f in fixtures]
    total = sum(light for light, _ in shares)
    front = sum(light * share for light, share in shares) / total if total else 0.0
    return LightMap(top.u, top.v, top.par, shallow.par, front, taken_by_braces(tank, fixtures))


def _try(
    key: str, stored: StoredTank, room: Room, fixtures: Sequence[Fixture], intent: Intent
) -> SuggestedChange | str:
    """Effect of a change, or the reason why it cannot be made here."""
    words, move = MOVES[key]
    now = list(room.faults.values())
    try:
        after = move(room, fixtures)
    except InvalidInput:
        return "has no clearance: a fixture would touch the water"
    if after == list(fixtures):
        return NOTHING_TO_MOVE.get(key, "finds nothing to move")
    if len(overlaps(after)) > len(overlaps(fixtures)):
        return "has no room: bodies would touch"
    # a canopy that is too low can be raised; by how much is said
    tops = max(f.emitter.height for f in after) + BODY
    short = max(0.0, tops - stored.tank.room_height) if key == "raise" else 0.0
    roomy = replace(stored.tank, room_height=stored.tank.room_height + short)
    if any(fixture_errors(roomy, f) for f in after):
        return "has no room"
    figured, faults = _judged(stored, after, intent)
    left = {fault.key: fault for fault in faults}
    eases: dict[str, Literal["gone", "less"]] = {}
    for fault in now:
        if key in SLIDERS and fault.key == "hot_spot":
            continue  # no slider mends it: turned down until it is no longer so strong, the rest is dark
        if fault.key not in left:
            eases[fault.key] = "gone"
        elif left[fault.key].severity < fault.severity * (1 - LEAST_GAIN):
            eases[fault.key] = "less"
    brings = tuple(fault.title for fault in faults if fault.key not in room.faults)
    worse = (f.title for f in faults if f.key in room.faults and f.severity > room.faults[f.key].severity * 1.1)
    lengths = {"lift": room.steps.lift, "aside": room.steps.aside, "short": short}
    words = words.replace("{share}", _share(fixtures, after))
    change = coral_change(stored, after)
    return SuggestedChange(key, words, lengths, tuple(after), figured, eases, brings, tuple(worse), short, change)


def _share(before: Sequence[Fixture], after: Sequence[Fixture]) -> str:
    """Factor by which everything dimmable was turned up, in words."""
    ratios = [b.output / a.output for a, b in zip(before, after, strict=True) if a.output and a.output != b.output]
    return f"{100 * (max(ratios) - 1):.0f} %" if ratios else ""


def try_change(db: Database, tank_id: int, setup_id: int, key: str, steps: RoundSteps) -> int:
    """Add a setup with a suggested change of another made; returns its id."""
    with db.reading() as connection:
        stored = load_tank(connection, tank_id)
    setup = stored.setup(setup_id)
    found = problems_of(stored, setup.hung, setup.intent, steps)
    return setup_of(db, tank_id, found, key, setup.name, setup.intent)


def setup_of(db: Database, tank_id: int, found: ProblemReport, key: str, name: str, intent: Intent) -> int:
    """Add a setup with the suggested change of a given name; returns its id. ``NotFound`` when there is none."""
    remedy = next((r for r in found.remedies if r.key == key), None)
    if remedy is None:
        raise NotFound(f"no change {key} for this setup")
    if remedy.short:
        raise NotFound("the canopy is too low for this change")
    return add_setup(db, tank_id, Setup(f"{name[:50]}: {_title(key).lower()}", remedy.fixtures, intent=intent))


def _moved(fixture: Fixture, **values: float) -> Fixture:
    e = fixture.emitter
    return replace(fixture, emitter=replace(e, **{k: getattr(e, k) + v for k, v in values.items()}))


def _sides(fixtures: Sequence[Fixture]) -> list[float]:
    """-1 for the leftmost modules, 1 for the rightmost, 0 for those between and for what spans the tank."""
    places = [f.emitter.x for f in fixtures if f.emitter.length < LONGEST_MOVED]
    if not places or max(places) - min(places) < 0.05:
        return [0.0] * len(fixtures)
    near = 0.02
    return [
        0.0
        if f.emitter.length >= LONGEST_MOVED
        else float(f.emitter.x > max(places) - near) - float(f.emitter.x < min(places) + near)
        for f in fixtures
    ]


def _out(sign: float) -> Move:
    """Outer modules moved out or in; of four along the tank the inner pair as well, by the rule."""

    def move(room: Room, fixtures: Sequence[Fixture]) -> list[Fixture]:
        by, sides = sign * room.steps.aside, _sides(fixtures)
        places = sorted({round(f.emitter.x, 2) for f in fixtures if f.emitter.length < LONGEST_MOVED})
        if len(places) == 4:
            middle = 0.5 * (places[0] + places[3])
            sides = [math.copysign(1.0, f.emitter.x - middle) if round(f.emitter.x, 2) in places else 0.0
                     for f in fixtures]  # fmt: skip
        return [_moved(f, x=by * side) for f, side in zip(fixtures, sides, strict=True)]

    return move


def _dim_middle(room: Room, fixtures: Sequence[Fixture]) -> list[Fixture]:
    return [
        replace(f, output=0.8 * f.output)
        if f.dimmable and not side and abs(f.emitter.x / room.tank.length - 0.5) <= 1 / 6
        else f
        for f, side in zip(fixtures, _sides(fixtures), strict=True)
    ]


def _no_lens(_: Room, fixtures: Sequence[Fixture]) -> list[Fixture]:
    def bare(f: Fixture) -> Fixture:
        if not f.emitter.made_by.lensed or lens_on(f.emitter).passes == 1.0 or lens_on(f.emitter).fwhm > 2.1:
            return f
        return replace(f, emitter=with_optic(f.emitter, "none"))

    return [bare(f) for f in fixtures]


def _inward(_: Room, fixtures: Sequence[Fixture]) -> list[Fixture]:
    return [_moved(f, pitch=-LEAN * side) for f, side in zip(fixtures, _sides(fixtures), strict=True)]


def _brighten(room: Room, fixtures: Sequence[Fixture]) -> list[Fixture]:
    """Everything dimmable turned up by as much as is missing, or as far as it goes with the ratios kept."""
    missing = room.faults["too_weak"].severity if "too_weak" in room.faults else 1 - WEAK
    wanted = 1 / max(0.02, 1 - missing)
    highest = max((f.output for f in fixtures if f.dimmable and f.output), default=1.0)
    factor = min(1.15 * wanted, 1.0 / highest)
    if factor < 1.01:
        return list(fixtures)
    return [replace(f, output=math.floor(100 * f.output * factor + 1e-9) / 100) if f.dimmable else f for f in fixtures]


def _off_brace(room: Room, fixtures: Sequence[Fixture]) -> list[Fixture]:
    """Modules over a brace moved to its nearer side until their bodies are clear."""

    def clear(f: Fixture) -> Fixture:
        e, (half, _) = f.emitter, f.emitter.half_extent()
        for brace in room.tank.braces:
            if brace.x - half < e.x < brace.x1 + half and e.length < LONGEST_MOVED:
                left, right = brace.x - half - 0.02, brace.x1 + half + 0.02
                at = left if e.x - brace.x <= brace.x1 - e.x else right
                grain = room.steps.grain
                at = (math.floor if at == left else math.ceil)(at / grain) * grain
                return replace(f, emitter=replace(e, x=at))
        return f

    return [clear(f) for f in fixtures]


def _all(sign: float, **axes: str) -> Move:
    """All fixtures moved by one of the keeper's steps along an axis."""
    [(axis, step)] = axes.items()
    return lambda room, fixtures: [_moved(f, **{axis: sign * getattr(room.steps, step)}) for f in fixtures]


MOVES: dict[str, tuple[str, Move]] = {
    "raise": ("Raise all by {lift}", _all(1, height="lift")),
    "lower": ("Lower all by {lift}", _all(-1, height="lift")),
    "spread": ("Move the outer modules out by {aside}", _out(1)),
    "closer": ("Move the outer modules in by {aside}", _out(-1)),
    "dim": (
        "Turn all down by a fifth",
        lambda _, fixtures: [replace(f, output=0.8 * f.output) if f.dimmable else f for f in fixtures],
    ),
    "dim_middle": ("Turn the middle down by a fifth", _dim_middle),
    "brighten": ("Turn all up by {share}", _brighten),
    "no_lens": ("Take the lenses off", _no_lens),
    "inward": ("Lean the outer modules inward by 12 degrees", _inward),
    "off_brace": ("Move fixtures over a brace to one side", _off_brace),
    "back": ("Move all fixtures {aside} back", _all(1, y="aside")),
    "lean_back": ("Lean all to the back by 12 degrees", lambda _, fixtures: [_moved(f, roll=LEAN) for f in fixtures]),
    "to_left": ("Move all {aside} to the left", _all(-1, x="aside")),
    "to_right": ("Move all {aside} to the right", _all(1, x="aside")),
    "to_front": ("Move all {aside} to the front", _all(-1, y="aside")),
}
NOTHING_TO_MOVE = {
    "spread": "needs two modules or more along the tank",
    "closer": "needs two modules or more along the tank",
    "inward": "needs two modules or more along the tank",
    "dim": "nothing here dims",
    "dim_middle": "nothing in the middle dims",
    "brighten": "everything is at full output: add fixtures or use stronger ones",
    "no_lens": "there are no lenses to remove",
    "off_brace": "the fixture over it is too long to fit beside it",
}
"""Why a move changes nothing."""

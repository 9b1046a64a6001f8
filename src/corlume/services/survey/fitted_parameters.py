"""Fitted numbers of a survey in words: outputs, reflectances, water, beams, places."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from corlume.core.light.fixture import Fixture
from corlume.core.message_text import letter
from corlume.core.survey.calibration import Calibration
from corlume.core.survey.parameters import MISFITS, Parameter, output_prior
from corlume.core.survey.priors import WEAK

Unit = Literal["share", "per_m", "length"]
DIFFERS = 1.0
"""A number is said to differ from its entry when it does by more than so many of its standard deviations [-]."""
HARDLY = 0.85
"""Readings hardly tell a number when they leave more than this of its standard deviation [-]."""
CHANNEL_SHARE, CHANNEL_NEAR = 0.2, 0.05
"""A channel of at least this share of the light is named when an output is within so much of that without it [-]."""
SEEN = {"middle": 0.04, "sides": 0.04, "right": 0.007, "back": 0.007}
"""A beam or a place that is off by less is not worth a look: logarithm of intensity [-], distance [m]."""
HINTS: dict[tuple[str, bool], str] = {
    ("wider", True): "Beams are wider than their figure says.",
    ("wider", False): "Beams are narrower than their figure says.",
    ("middle", True): "Brighter in the middle of the beam than entered: another lens or reflector?",
    ("middle", False): "Weaker in the middle of the beam than entered: a diffuser, or dirt on the lens?",
    ("sides", True): "More light goes to the sides than entered: salt on the lens scatters, or there is no lens?",
    ("sides", False): "Less light goes to the sides than entered: a deeper reflector, a skirt, or a narrower lens?",
    ("right", True): "Its light comes from further right than entered: check its place and that it is level.",
    ("right", False): "Its light comes from further left than entered: check its place and that it is level.",
    ("back", True): "Its light comes from further back than entered: check its place and that it is level.",
    ("back", False): "Its light comes from further to the front than entered: check its place and that it is level.",
    ("return", True): "Reflects more than entered: a cleaner pane, or a paler background?",
    ("return", False): "Reflects less than entered: film, salt or algae on the pane, or a darker background?",
    ("water", True): "The water absorbs more than entered: was it yellow or cloudy that day?",
    ("water", False): "The water is clearer than entered.",
}
"""What a number likely means that is higher than its entry, or lower."""


@dataclass(frozen=True, slots=True)
class FittedParameter:
    """A number as entered and as fitted, each with its standard deviation, and its likely meaning.

    ``unit`` says what it is: a share, a loss per metre, or a length [m].
    """

    label: str
    entered: float
    entered_sd: float
    found: float
    found_sd: float
    unit: Unit
    meaning: str
    basis: str


def parameters_found(found: Calibration) -> tuple[FittedParameter, ...]:
    """Every fitted number of a survey; of places and shapes of beams only those clearly off."""
    made = [
        _number(one, found.unknowns.fixtures, value, sd)
        for one, value, sd in zip(found.unknowns.all, found.vector.tolist(), found.sd.tolist(), strict=True)
        if one.what not in MISFITS or abs(value) > max(SEEN[one.what], DIFFERS * sd)
    ]
    return tuple(made)


def _number(one: Parameter, fixtures: Sequence[Fixture], value: float, sd: float) -> FittedParameter:
    log = one.what in ("output", "wider", "middle", "sides")
    entered = 1.0 if log else one.start
    shown = math.exp(value) if log else value
    known = sd * shown if log else sd
    unit: Unit = "per_m" if one.what == "water" else "length" if one.what in ("right", "back") else "share"
    prior = one.prior
    if prior is WEAK:
        prior, meaning = output_prior(fixtures[one.of[0]]), "It seems off: see above."
    else:
        meaning = _meaning(one, fixtures, entered, shown, known)
    return FittedParameter(one.label, entered, prior.sd, shown, known, unit, meaning, prior.basis)


def _meaning(one: Parameter, fixtures: Sequence[Fixture], entered: float, found: float, sd: float) -> str:
    scale = found if one.what in ("output", "wider") else 1.0
    if one.what not in MISFITS and sd > HARDLY * one.prior.sd * scale:
        return "Not enough readings: stays as entered."
    if abs(found - entered) < DIFFERS * sd:
        return "As entered."
    if one.what != "output":
        return HINTS[one.what, found > entered]
    gives = f"{100 * found:.0f} % of its figure"
    if found > entered:
        return f"{gives}: a stronger fixture, or another level than entered?"
    channel = _missing(fixtures[one.of[0]], found)
    return f"{gives}: salt or dust, lens, age, or another level?" + (
        f" The channel {channel} alone would explain it if it is off." if channel else ""
    )


def _missing(fixture: Fixture, found: float) -> str:
    """The channel whose absence would explain a fixture's fitted output; empty when there is none."""
    strengths = [s * c.share for s, c in zip(fixture.strengths, fixture.emitter.channels, strict=True)]
    if len(strengths) < 2 or not sum(strengths):
        return ""
    left = [
        (abs(1 - part / sum(strengths) - found), channel.name)
        for part, channel in zip(strengths, fixture.emitter.channels, strict=True)
        if part > CHANNEL_SHARE * sum(strengths)
    ]
    near = min(left, default=(1.0, ""))
    return near[1] if near[0] < CHANNEL_NEAR else ""


CERTAIN, LIKELY, POSSIBLE = 0.9, 0.5, 0.2
"""From so much probability on a lamp "seems off", "is likely off", "may be weak" [-]."""
APART = 0.25
"""Lamps with at least this share of the likeliest one's probability cannot be told from it [-]."""
CHECKS = {
    "led": "its plug and driver, its level at the controller, and the lead to the next fixture",
    "tube": "whether it lights at both ends, how it sits in its sockets, and the ballast lead",
    "arc": "whether it strikes and reaches its colour, then lamp and ballast",
}
CAUTION = "Switch off and unplug before you touch a lamp or its sockets, and let it cool; wiring is for an electrician."


@dataclass(frozen=True, slots=True)
class WeakLamp:
    """A failing lamp, or several of which one fails: its description, and what to check.

    ``sure`` says that the fit counts it as weak.
    """

    words: str
    check: str
    sure: bool


def weak_lamps(found: Calibration, letters: Sequence[str]) -> tuple[WeakLamp, ...]:
    """Lamps that fail or may fail, the likeliest first; ``letters`` name the fixtures."""
    fixtures, made = found.unknowns.fixtures, []
    for odds in found.odds:
        whole = sum(odds.values())
        if whole < POSSIBLE:
            continue
        best = max(odds.values())
        names = [i for i in sorted(odds, key=lambda i: -odds[i]) if odds[i] >= APART * best]
        sure = bool(set(names) & set(found.unknowns.weak)) and whole >= LIKELY
        how = "seems off" if whole >= CERTAIN else "is likely off" if whole >= LIKELY else "may be weak or off"
        if len(names) == 1:
            words = f"{_named(fixtures, letters, names[0])} {how}"
            words += _gives(found, names[0]) if sure else ""
        else:
            several = ", ".join(letters[i] for i in sorted(names)[:-1]) + f" or {letters[sorted(names)[-1]]}"
            words = f"One of {several} {how}: the readings do not show which"
        kinds = {fixtures[i].emitter.made_by.wears for i in names}
        check = "Check " + "; ".join(CHECKS[kind] for kind in sorted(kinds)) + "."
        made.append(WeakLamp(f"{words}.", check, sure))
    if len(found.unknowns.weak) > 1:
        together = "Several at once: a socket strip, a timer or a ballast that they share?"
        made[-1] = WeakLamp(made[-1].words, f"{made[-1].check} {together}", made[-1].sure)
    return tuple(made)


def _named(fixtures: Sequence[Fixture], letters: Sequence[str], i: int) -> str:
    return f"{letters[i]} ({fixtures[i].name})" if fixtures[i].name else letters[i]


def _gives(found: Calibration, i: int) -> str:
    """Output of a weak lamp as a share of that of others of its sort."""
    unknowns, value, sd = found.unknowns, found.vector[i], found.sd[i]
    mine = next(same for same in unknowns.sorts.values() if i in same)
    others = [k for k in mine if k not in unknowns.weak] or [
        k for k in range(len(unknowns.fixtures)) if k not in unknowns.weak
    ]
    mean = float(found.vector[others].mean())
    low, high = (100 * math.exp(value - mean + way * 1.645 * sd) for way in (-1, 1))
    low, high = (0.0 if low < FAINT else low), min(high, 100.0)
    return f": it gives {low:.0f} to {max(high, low + 1):.0f} % of the others"


FAINT = 2.0
"""Below this a lamp may as well give nothing [%]."""


def letters_of(fixtures: Sequence[Fixture]) -> list[str]:
    """Letters of the fixtures that are on, as in the setup."""
    return [letter(i) for i, f in enumerate(fixtures) if f.output > 0]

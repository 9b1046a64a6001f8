"""Checks of the power for the lights: leads, sockets, circuits, and protection beside salt water.

Rules follow common practice in the trade, no source, but where a standard is named, from memory. They defer to local
code and to a licensed electrician.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from corlume.core.light.fixture import Fixture
from corlume.core.message_text import escape_slots, letter
from corlume.core.mounting.cables import Lead, Load, leads_of, load_of, plugs_in, sockets_taken
from corlume.core.mounting.mount import PANELS, Mount
from corlume.core.mounting.mounting_checks import Answer, MountingCheck
from corlume.core.mounting.power import Cord, PowerPart
from corlume.core.mounting.surroundings import Surroundings

CONTINUOUS = 0.8
"""A continuous load may use this share of a breaker [-]; what careful keepers use."""
SURGE_TIMES = 3.0
"""A breaker holds an inrush of so many times its rated current whatever its type (IEC 60898-1, from memory) [-]."""
STANDING = 0.3
"""What leaks all the time may be this share of what the device trips at (wiring rules, from memory) [-]."""
TRIPS_AT = 30.0
"""A residual-current device that protects people trips at this or less [mA]."""
HOLE = 0.05
"""A cable cut-out passes its plug where it is so wide [m]; common practice, no source."""


def check_power(
    fixtures: Sequence[Fixture],
    cords: Sequence[Cord],
    parts: Sequence[PowerPart],
    mounts: Sequence[Mount],
    around: Surroundings,
) -> list[MountingCheck]:
    """Check leads, strips, circuits, protection and cut-outs; empty where nothing draws power."""
    if not fixtures:
        return []
    letters = [letter(k) for k in range(len(fixtures))]
    found = [check for lead in leads_of(fixtures, cords, parts, letters) for check in _lead(lead)]
    found += [check for part in parts for check in _sockets(part, fixtures, cords, parts)]
    outlets = [part for part in parts if part.type == "outlet"]
    known = load_of("", fixtures, cords, parts)
    if known.watts or not outlets:
        found += _circuit("", around.breaker, known, around, around.others)
    for outlet in outlets:
        load = load_of(outlet.name, fixtures, cords, parts)
        others = around.others if len(outlets) == 1 and not known.watts else 0.0
        found += _circuit(outlet.name, outlet.amps or around.breaker, load, around, others)
    for part in parts:
        if part.type != "outlet" and part.amps:
            found += _rated(part, load_of(part.name, fixtures, cords, parts), around)
    return [*found, *_protection(around), *_cut_outs(fixtures, mounts)]


def _lead(lead: Lead) -> Iterator[MountingCheck]:
    title = f"Lead {escape_slots(lead.start)} to {escape_slots(lead.end)}"
    rule = "Along walls and edges, with a tenth of slack and a drip loop that hangs {drip} lower than the plug."
    lengths = {"need": lead.need, "have": lead.have, "by": lead.short, "drip": 0.15}
    if not lead.have:
        words = "Needs {need}; how long the one there is, is not entered."
        yield MountingCheck("lead", title, "look", words, rule, lengths)
    elif lead.short:
        words = (
            "{by} too short: it is {have} and needs {need}. Move what it is plugged into nearer, or use a longer lead."
        )
        yield MountingCheck("lead", title, "no", words, rule, lengths)
    else:
        yield MountingCheck("lead", title, "yes", "Reaches: {have}, and {need} is needed.", rule, lengths)


def _sockets(
    part: PowerPart, fixtures: Sequence[Fixture], cords: Sequence[Cord], parts: Sequence[PowerPart]
) -> Iterator[MountingCheck]:
    widths = plugs_in(part, fixtures, cords, parts)
    taken = sockets_taken(widths, part.pitch)
    title, rule = (
        f"Sockets of {escape_slots(part.name)}",
        "Wide plugs cover the socket beside them; put the widest at the ends.",
    )
    if taken > part.sockets:
        words = (
            f"{len(widths)} plugs take {taken} sockets and it has {part.sockets}: use another strip, or short leads."
        )
        yield MountingCheck("sockets", title, "no", words, rule)
    elif widths:
        plugs = f"{len(widths)} plugs take" if len(widths) > 1 else "1 plug takes"
        words = f"{plugs} {taken} of its {part.sockets} sockets."
        yield MountingCheck("sockets", title, "yes", words, rule)


def _circuit(name: str, amps: float, load: Load, around: Surroundings, others: float) -> Iterator[MountingCheck]:
    named = f" behind {escape_slots(name)}" if name else ""
    watts, allowed = load.watts + others, CONTINUOUS * around.volts * amps
    words = f"{watts:.0f} W at full" + f", {others:.0f} W of it other things" * (others > 0)
    words += f"; {allowed:.0f} W is allowed."
    over = watts > allowed
    words += f" Put {watts - allowed:.0f} W on another circuit." if over else ""
    rule = f"A continuous load may use at most 80 % of a breaker: {amps:g} A at {around.volts:g} V. Earth, "
    rule += "residual-current protection, drip loops; wiring by a licensed electrician and to local code."
    yield MountingCheck("circuit", f"Circuit{named}", "no" if over else "yes", words, rule)
    rule = f"Any breaker holds three times its {amps:g} A for a moment; types C and D hold more."
    yield _summed("inrush", f"Inrush{named}", load.inrush, SURGE_TIMES * amps, "A", load.unknown_inrush, rule,
                  "switch them on one after another, by a timer or controller")  # fmt: skip
    trips = around.residual or TRIPS_AT
    rule = f"What leaks all the time may be 30 % of the {trips:g} mA at which the residual-current device trips."
    yield _summed("leakage", f"Earth leakage{named}", load.leakage, STANDING * trips, "mA", load.unknown_leakage, rule,
                  "share them out over two circuits")  # fmt: skip


def _summed(
    key: str, title: str, value: float, most: float, unit: str, unknown: Sequence[str], rule: str, mend: str
) -> MountingCheck:
    answer: Answer = "no" if value > most else "look" if unknown else "yes"
    words = f"{value:g} {unit} of {most:g} {unit}" if value else "Not known"
    words += f": {mend}." if answer == "no" else "."
    if unknown:
        words += (
            f" Not entered for {', '.join(map(escape_slots, unknown[:3]))}" + " and more" * (len(unknown) > 3) + "."
        )
    return MountingCheck(key, title, answer, words, rule)


def _rated(part: PowerPart, load: Load, around: Surroundings) -> Iterator[MountingCheck]:
    allowed = part.amps * around.volts
    answer: Answer = "no" if load.watts > allowed else "yes"
    words = f"{load.watts:.0f} W; it is rated for {part.amps:g} A, {allowed:.0f} W."
    words += " Plug less into it." if answer == "no" else ""
    yield MountingCheck(
        "rated", f"Load of {escape_slots(part.name)}", answer, words, "No part carries more than its rating."
    )


def _protection(around: Surroundings) -> Iterator[MountingCheck]:
    rule = "Mains beside salt water: a residual-current device of 30 mA or less, fitted by a licensed electrician."
    if not around.residual:
        yield MountingCheck(
            "residual",
            "Residual-current protection",
            "no",
            "None is entered: do not run lights over water without it.",
            rule,
        )
    elif around.residual > TRIPS_AT:
        words = f"It trips at {around.residual:g} mA: that protects from fire, not people."
        yield MountingCheck("residual", "Residual-current protection", "no", words, rule)
    else:
        words = f"Trips at {around.residual:g} mA. Press its test button each month."
        yield MountingCheck("residual", "Residual-current protection", "yes", words, rule)
    rule = "Drivers and controllers die of surges; a strip or a board with surge protection is cheap beside them."
    words = "Fitted." if around.surge else "None is entered: think of it for drivers and controllers."
    yield MountingCheck("surge", "Surge protection", "yes" if around.surge else "look", words, rule)


def _cut_outs(fixtures: Sequence[Fixture], mounts: Sequence[Mount]) -> Iterator[MountingCheck]:
    for mount in mounts:
        many = sum(fixture.held_by == mount.name for fixture in fixtures)
        if mount.type in PANELS and many:
            words = "One cord goes" if many == 1 else f"{many} cords go"
            words += " through it: cut-outs {hole} wide pass a plug, smooth and lined."
            rule = "Cut them over the body's cord end, so that no cord is bent sharply."
            title = f"Cut-outs in {escape_slots(mount.name)}"
            yield MountingCheck("cut-outs", title, "listed", words, rule, {"hole": HOLE})

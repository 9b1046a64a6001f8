"""Where a coral fits, and the reason for every no.

Four rules, all common practice in the trade, no source: light inside the coral's band, room to grow
before it meets a pane or the surface, flow when the keeper has noted one, and distance to neighbours
so that sweepers do not reach. Corals that would only grow together are no fault, but are named.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from corlume.core.judging.light_zones import LightZone
from corlume.core.light.geometry import Tank
from corlume.core.light.rockwork import way_to_rock
from corlume.core.message_text import escape_slots
from corlume.core.placement.coral_card import CoralCard, PlacedCoral
from corlume.core.placement.surface_orientation import orientations

Array = NDArray[np.float64]
Rule = Literal["light", "room", "flow", "neighbour"]
Answer = Literal["yes", "no", "unknown"]
FLOW_STEP = {"dead": -2, "low": 0, "medium": 1, "high": 2}
"""Steps of flow; a dead spot suits none: waste gathers there (common practice, no source)."""
NPS_DIM, NPS_MOST = 50.0, 150.0
"""Non-photosynthetic corals go under overhangs and into the dim, where algae do not overgrow them: best up to the
first, no place from the second on [umol/m2/s]; under about 50 is common practice, no source, the second ours."""
LEAST_SWEEPER = 0.03
"""What goes less far than this past the edge [m] is growth, not sweepers."""
BLAST = {"low": 0.2, "medium": 0.3, "high": 0.8}
"""Flow from which a coral that wants so much stands in a blast: it keeps its polyps in, and tissue tears [m/s]; that a
steady jet does so is common practice, no source, the numbers are ours."""
ADAPTS = 0.1
"""How far outside its range light may lie that a coral adapts to, as a share of the range's own limit [-]; that corals
adapt to light slightly outside is common practice, no source, the number ours."""
HAIR = 1e-6
"""What distances are compared by [m]."""
CROWDED = 0.5
"""Corals nearer than this share of the distance at which their grown edges meet grow over each other [-]; ours."""


@dataclass(frozen=True, slots=True)
class FitReason:
    """Result of one rule in words; lengths stand as {name} and come along in ``lengths`` [m], see ``words``."""

    rule: Rule
    answer: Answer
    text: str
    lengths: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ZoneFit:
    """Suitability of a zone for a coral.

    ``sites`` (n,) marks the zone's cells where every rule holds; ``best`` is the index of the one
    nearest to the middle of its band with most room, or None.
    """

    zone: LightZone
    sites: NDArray[np.bool_]
    best: int | None
    reasons: list[FitReason]

    @property
    def fits(self) -> bool:
        """Whether at least one site is suitable."""
        return self.best is not None


def check_place(
    tank: Tank,
    card: CoralCard,
    place: tuple[float, float, float],
    par: float,
    flow: str,
    others: Sequence[PlacedCoral],
    *,
    speed: float = math.nan,
    food: bool = False,
    height: float = 0.0,
) -> list[FitReason]:
    """Hold one place (x, y, depth [m]) with its PAR [umol/m2/s] and flow against every rule; ``speed`` is that
    of an estimate, NaN where the flow was seen [m/s]; what lives off ``food`` needs no light; ``height`` is how high it
    grows, 0 where that is not known [m].
    """
    point = np.array([place])
    gap, nearest = _gaps(card, point, others)
    room = float(room_at(tank, point)[0])
    return [
        _food_reason(par, par) if food else _light_reason(card, par, par),
        _room_reason(card, room, height=height, depth=place[2]),
        _flow_reason(card, flow, speed),
        _neighbour_reason(card, float(gap[0]), others[int(nearest[0])] if others else None),
    ]


def fit_zones(
    tank: Tank, card: CoralCard, zones: Sequence[LightZone], others: Sequence[PlacedCoral], *, food: bool = False
) -> list[ZoneFit]:
    """Test a coral against every zone: suitable zones first, most sites first, then the others from the top down."""
    fits = [_fit(tank, card, zone, others, food) for zone in zones]
    return sorted(fits, key=lambda fit: -int(fit.sites.sum()))


def light_miss(card: CoralCard, par: float) -> float:
    """How far a reading is out of a coral's target range [umol/m2/s]: positive too strong, negative too weak, 0 in
    range.
    """
    return max(0.0, par - card.par_high) - max(0.0, card.par_low - par)


def nearest_miss(card: CoralCard, fits: Sequence[ZoneFit]) -> tuple[ZoneFit, FitReason] | None:
    """The zone that comes nearest for a coral that fits nowhere, and the rule it breaks; None when it fits somewhere.

    Fewest broken rules first, then the light that is least far from its band.
    """
    if not fits or any(fit.fits for fit in fits):
        return None

    def miss(fit: ZoneFit) -> tuple[int, float]:
        low, high = fit.zone.par_range
        return sum(r.answer == "no" for r in fit.reasons), max(0.0, low - card.par_high, card.par_low - high)

    fit = min(fits, key=miss)
    return fit, fit.reasons[0]


def stung(card: CoralCard, place: tuple[float, float, float], others: Sequence[PlacedCoral]) -> list[PlacedCoral]:
    """Corals that a coral at a place would reach with its sweeper tentacles when grown, or that would reach it."""
    point = np.array([place])
    return [other for other in others if _gaps(card, point, [other])[0][0] < -HAIR]


def _fit(tank: Tank, card: CoralCard, zone: LightZone, others: Sequence[PlacedCoral], food: bool) -> ZoneFit:
    room = room_at(tank, zone.points)
    gap, nearest = _gaps(card, zone.points, others)
    light_ok = (zone.par >= card.par_low) & (zone.par <= card.par_high) | food
    room_ok = room >= card.size / 2
    gap_ok = (gap >= -HAIR) & ~_crowded(card, gap, nearest, others)
    flows = {word: _flow_reason(card, word) for word in np.unique(zone.flow.words).tolist()}
    flow_ok = np.array([flows[word].answer != "no" for word in zone.flow.words.tolist()])
    sites = light_ok & room_ok & gap_ok & flow_ok
    # the flow of most of the cells that have it right, or of most of all where none has
    words = zone.flow.words[flow_ok] if flow_ok.any() else zone.flow.words
    kinds, counts = np.unique(words, return_counts=True)
    most = str(kinds[counts.argmax()])
    speed = float(np.median(zone.flow.speed[zone.flow.words == most]))
    lit = _food_reason(*zone.par_range) if food else _light_reason(card, *zone.par_range)
    reasons = [lit, _flow_reason(card, most, speed)]
    # each further rule is judged where the rules before it hold, so that its no is the one that binds
    left = light_ok if light_ok.any() else np.ones_like(light_ok)
    reasons.append(_room_reason(card, float(room[left].max())))
    left = left & room_ok if (left & room_ok).any() else left
    k = int(np.flatnonzero(left)[gap[left].argmax()])
    reasons.append(_neighbour_reason(card, float(gap[k]), others[int(nearest[k])] if others else None))
    best = None
    if sites.any():
        best = int(np.where(sites, placement_score(card, zone.par, gap, room), np.inf).argmin())
    return ZoneFit(zone, sites, best, sorted(reasons, key=lambda r: ("no", "unknown", "yes").index(r.answer)))


def placement_score(card: CoralCard, par: Array, gap: Array, room: Array) -> Array:
    """Distance of each site from the ideal [-]; less is better.

    Light counts by its distance from the middle of the band, 1 at an end of it. Room to the nearest neighbour's
    sweepers and to pane or surface count in diameters of the grown coral, a diameter being enough: half of what light
    does, and a quarter. The weights are ours.
    """
    light = np.abs(par - 0.5 * (card.par_low + card.par_high)) / (0.5 * (card.par_high - card.par_low))
    crowd, edge = (1.0 - np.clip(free / card.size, 0.0, 1.0) for free in (gap, room))
    score: Array = light + 0.5 * crowd + 0.25 * edge
    return score


OWN_ROCK, LARGEST = 0.03, 0.4
"""Rock nearer than this is what a coral sits on, and none grows further than that [m]; ours."""


def room_at(tank: Tank, points: Array) -> Array:
    """Distance from each point to the nearest pane or the surface, or to rock in the way of its growth [m]; a coral on
    the back pane has that pane behind it.
    """
    x, y, depth = points[:, 0], points[:, 1], points[:, 2]
    what, ways = orientations(tank, points)
    back = np.where(what == "pane", np.inf, tank.width - y)
    rock = way_to_rock(tank.rockwork, np.ascontiguousarray(points), ways, OWN_ROCK, LARGEST)
    room: Array = np.minimum.reduce([x, tank.length - x, y, back, depth, rock])
    return room


def _gaps(card: CoralCard, points: Array, others: Sequence[PlacedCoral]) -> tuple[Array, NDArray[np.int64]]:
    """Distance from each point to the nearest foot less the sweepers' reach [m], and the index of that coral.

    Below zero the sweepers of one reach the edge of the other when both are grown, from one side or the other. Corals
    of one card may touch: kin rarely sting each other (common practice, no source).
    """
    if not others:
        return np.full(len(points), np.inf), np.zeros(len(points), dtype=np.int64)
    gaps = np.stack(
        [np.linalg.norm(points - np.array([o.x, o.y, o.depth]), axis=1) - _sting(card, o.card)[0] for o in others]
    )
    return gaps.min(axis=0), gaps.argmin(axis=0)


def _crowded(
    card: CoralCard, gap: Array, nearest: NDArray[np.int64], others: Sequence[PlacedCoral]
) -> NDArray[np.bool_]:
    """Whether a coral at each place would grow over its nearest neighbour."""
    if not others:
        return np.zeros(len(gap), dtype=bool)
    apart = np.array([_sting(card, o.card)[0] for o in others])
    grown = np.array([0.5 * (card.size + o.card.size) for o in others])
    found: NDArray[np.bool_] = gap + apart[nearest] < CROWDED * grown[nearest]
    return found


def sting(card: CoralCard, other: CoralCard) -> float:
    """Distance between the feet of two corals at which neither's sweeper tentacles reach the other's edge, both grown
    [m]; 0 for kin, and where neither stings.
    """
    return _sting(card, other)[0]


def _sting(card: CoralCard, other: CoralCard) -> tuple[float, CoralCard | None]:
    """Distance between their feet, edge to sweeper tentacles, both grown [m], and whose reach further; 0 for none."""
    if card.name == other.name:
        return 0.0, None
    owner = max((card, other), key=lambda c: c.sweepers)
    if owner.sweepers < LEAST_SWEEPER:
        return 0.0, None
    return 0.5 * (card.size + other.size) + owner.sweepers, owner


def _light_reason(card: CoralCard, low: float, high: float) -> FitReason:
    reads = f"Reads {low:.0f}" if round(low) == round(high) else f"Reads {low:.0f} to {high:.0f}"
    needs = f"{escape_slots(card.name)} needs {card.par_low:g} to {card.par_high:g} PAR"
    over, under = max(1.0, low - card.par_high), max(1.0, card.par_low - high)
    adapts = "Most corals adapt."
    if low > card.par_high:
        if low <= (1 + ADAPTS) * card.par_high:
            return FitReason("light", "no", f"{reads}; {needs}: a little above, by {over:.0f}. {adapts}")
        return FitReason("light", "no", f"{reads}; {needs}: too strong by {over:.0f}.")
    if high < card.par_low:
        if high >= (1 - ADAPTS) * card.par_low:
            return FitReason("light", "no", f"{reads}; {needs}: a little below, by {under:.0f}. {adapts}")
        return FitReason("light", "no", f"{reads}; {needs}: too weak by {under:.0f}.")
    return FitReason("light", "yes", f"{reads}; {needs}.")


def _food_reason(low: float, high: float) -> FitReason:
    reads = f"{low:.0f}" if round(low) == round(high) else f"{low:.0f} to {high:.0f}"
    if high > NPS_DIM:
        text = (
            f"Reads {reads}; it is non-photosynthetic (NPS): above {NPS_DIM:.0f} PAR algae may overgrow it. Move "
            "it under an overhang when one is free."
        )
        return FitReason("light", "unknown", text)
    return FitReason("light", "yes", f"Reads {reads}; it is non-photosynthetic (NPS) and needs no light.")


def _room_reason(card: CoralCard, room: float, *, height: float = 0.0, depth: float = math.inf) -> FitReason:
    lengths = {"size": card.size, "room": max(0.0, room), "height": height, "depth": depth}
    if room < card.size / 2:
        text = "Grows to {size} across and would meet a pane, the surface or rock, which is {room} away."
        return FitReason("room", "no", text, lengths)
    if height > depth:
        text = "Grows to {height} high and would reach the surface, {depth} above its foot: trim it then."
        return FitReason("room", "unknown", text, lengths)
    return FitReason("room", "yes", "Room to grow to {size} across.", lengths)


def _flow_reason(card: CoralCard, flow: str, speed: float = math.nan) -> FitReason:
    here = flow if math.isnan(speed) else f"{flow} ({100 * speed:.0f} cm/s)"
    needs = f"Needs {card.flow} flow"
    if not flow:
        return FitReason("flow", "unknown", f"{needs}; flow here is unknown.")
    if speed > BLAST[card.flow]:
        limit = 100 * BLAST[card.flow]
        text = f"{needs}; in a direct jet of {100 * speed:.0f} cm/s, over {limit:.0f}: polyps stay in and tear."
        return FitReason("flow", "no", text)
    if flow == "dead":
        return FitReason("flow", "no", f"{needs}; a dead spot: detritus settles here.")
    if FLOW_STEP[flow] == FLOW_STEP[card.flow]:
        return FitReason("flow", "yes", f"{needs}; here {here}.")
    if abs(FLOW_STEP[flow] - FLOW_STEP[card.flow]) == 1:
        return FitReason("flow", "unknown", f"{needs}; here {here}: one step off, which most accept.")
    return FitReason("flow", "no", f"{needs}; here {here}.")


def _neighbour_reason(card: CoralCard, gap: float, other: PlacedCoral | None) -> FitReason:
    if other is None:
        return FitReason("neighbour", "yes", "No neighbours yet.")
    sting, owner = _sting(card, other.card)
    distance, grown = gap + sting, 0.5 * (card.size + other.card.size)
    name = escape_slots(other.card.name)
    if gap < -HAIR and owner is not None:
        lengths = {"distance": distance, "sweepers": owner.sweepers, "size": owner.size, "apart": sting}
        text = (
            f"{{distance}} from {name}; keep {{apart}}: {escape_slots(owner.name)} grows to {{size}} and sweeps "
            f"{{sweepers}} past its edge."
        )
        return FitReason("neighbour", "no", text, lengths)
    if distance < CROWDED * grown:
        text = f"{{distance}} from {name}: both would grow over each other, as their edges meet at {{apart}}. Move one."
        return FitReason("neighbour", "no", text, {"distance": distance, "apart": grown})
    if distance < grown:
        text = f"Will meet {name}, {{distance}} away, when both are grown: trim or move one then."
        return FitReason("neighbour", "unknown", text, {"distance": distance})
    return FitReason("neighbour", "yes", f"Clear of {name} when both are grown.")

"""Rank light types by the keeper's weights: the order, the reasons, and the weight that would change it.

Every criterion puts the options between 0 and 1: the best of those that are compared has 1, the worst 0. The order is
by the weighted mean; nothing more is in it, so that it can be checked on paper. Which criteria there are is ours.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from corlume.core.errors import Rules
from corlume.core.judging.intent import Shimmer

MOST_WEIGHT = 5


@dataclass(frozen=True, slots=True)
class Criterion:
    """A criterion that can be given weight: its title, and what it measures in words."""

    title: str
    about: str


CRITERIA: dict[str, Criterion] = {
    "evenness": Criterion("even light", "P10 over mean PAR at the rock top"),
    "shade": Criterion("soft shade", "width of the shadow edge 10 cm below a ledge"),
    "growth": Criterion("growth", "common practice"),
    "colour": Criterion("colour and contrast", "common practice"),
    "control": Criterion("control of colour", "channels, mixed lamps, or none (common practice)"),
    "shimmer": Criterion("shimmer liked", "standard deviation over mean of the light under ripples"),
    "calm": Criterion("calm light wanted", "the same, less is better"),
    "power": Criterion("little power", "power as dimmed"),
    "price": Criterion("price", "fixtures to buy, electricity and lamps over five years"),
    "quiet": Criterion("quiet and cool", "fans and heat (common practice)"),
    "effort": Criterion("little effort", "lamps to change a year, fixtures to mount (our estimate)"),
}
USUAL: dict[str, int] = {
    "evenness": 3, "shade": 2, "growth": 3, "colour": 3, "control": 2, "shimmer": 0, "calm": 0, "power": 2, "price": 3,
    "quiet": 1, "effort": 1,
}  # fmt: skip
"""Weights to begin with, where shimmer does not matter; ours."""
SHIMMER_WEIGHTS: dict[Shimmer, dict[str, int]] = {
    "liked": {"shimmer": 2, "calm": 0}, "any": {"shimmer": 0, "calm": 0}, "calm": {"shimmer": 0, "calm": 3},
}  # fmt: skip
"""Weights of shimmer by what a keeper thinks of it; ours."""


@dataclass(frozen=True, slots=True)
class Candidate:
    """An option with its value by each criterion, in any unit; more is better."""

    key: str
    name: str
    values: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class RankedPlace:
    """An option in the ranking: its weighted mean score, and its scores [-]."""

    candidate: Candidate
    total: float
    scores: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class Turn:
    """The weight that would bring the second option first; None where no single weight from 0 to 5 does."""

    criterion: str
    weight: float


@dataclass(frozen=True, slots=True)
class Ranking:
    """Options in order, the best first, with the criteria that put the first ahead of the second and those that held it
    back.
    """

    places: tuple[RankedPlace, ...]
    ahead: tuple[str, ...]
    behind: tuple[str, ...]
    turn: Turn | None

    @property
    def margin(self) -> float:
        """Score of the first option less that of the second [-]."""
        return self.places[0].total - self.places[1].total if len(self.places) > 1 else 0.0


def check_weights(weights: Mapping[str, float]) -> None:
    """``InvalidInput`` for weights that say nothing, by the field "weights"."""
    rules = Rules()
    for key, weight in weights.items():
        rules.that(key in CRITERIA, "weights", f"have no {key[:20]}")
        rules.between(key, weight, 0, MOST_WEIGHT)
    rules.that(any(weight > 0 for weight in weights.values()), "weights", "are all 0: raise at least one")
    rules.finish()


def rank(candidates: Sequence[Candidate], weights: Mapping[str, float]) -> Ranking:
    """Put options in order by the weighted mean of their scores.

    ``weights`` are 0 to 5 by criterion, those left out 0; ``InvalidInput`` when all are 0. A value that is no number
    counts as the worst.
    """
    check_weights(weights)
    scored = _scores(candidates)
    whole = sum(weights.values())
    places = [
        RankedPlace(one, sum(weights.get(key, 0.0) * scores[key] for key in CRITERIA) / whole, scores)
        for one, scores in zip(candidates, scored, strict=True)
    ]
    places.sort(key=lambda place: -place.total)
    if len(places) < 2:
        return Ranking(tuple(places), (), (), None)
    gains = {key: weights.get(key, 0.0) * (places[0].scores[key] - places[1].scores[key]) for key in CRITERIA}
    ordered = sorted(gains, key=lambda key: -gains[key])
    ahead = tuple(key for key in ordered[:2] if gains[key] > 1e-9)
    behind = tuple(key for key in ordered[::-1][:2] if gains[key] < -1e-9)
    return Ranking(tuple(places), ahead, behind, _turn(places[0], places[1], weights, sum(gains.values())))


def _scores(candidates: Sequence[Candidate]) -> list[dict[str, float]]:
    """Every value as a share of the way from the worst to the best of all; 1 for all where they are equal [-]."""
    found: list[dict[str, float]] = [{} for _ in candidates]
    for key in CRITERIA:
        values = [one.values.get(key, float("nan")) for one in candidates]
        real = [value for value in values if value == value]
        low, high = (min(real), max(real)) if real else (0.0, 0.0)
        for scores, value in zip(found, values, strict=True):
            scores[key] = 0.0 if value != value else (value - low) / (high - low) if high > low else 1.0
    return found


def _turn(first: RankedPlace, second: RankedPlace, weights: Mapping[str, float], lead: float) -> Turn | None:
    """The smallest change of one weight that puts the second option first."""
    best: tuple[float, Turn] | None = None
    for key in CRITERIA:
        gap = first.scores[key] - second.scores[key]
        if abs(gap) < 1e-9:
            continue
        # lead + change * gap = 0
        change = -lead / gap
        weight = weights.get(key, 0.0) + change
        if 0 <= weight <= MOST_WEIGHT and (best is None or abs(change) < best[0]):
            best = abs(change), Turn(key, weight)
    return best[1] if best else None

"""Whether light made a coral ail: odds of four causes from what is known, and "cannot tell" where they do not suffice.

The rule, our estimate throughout: each cause starts with a prior; each piece of evidence multiplies it by how likely
that piece is under the cause; a cause is named where its share of the whole is ``SURE`` or more. Corals are compared by
counts: under a cause of light, those in the same light ail and the others do not; under another cause all ail alike.
The shares of ailing corals are not known, so they are integrated out (beta-binomial).
"""

from __future__ import annotations

import datetime
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

Cause = Literal["strong", "weak", "fast", "other"]
CAUSES: dict[Cause, str] = {
    "strong": "too strong",
    "weak": "too weak",
    "fast": "changed too fast",
    "other": "not the light",
}
Symptom = Literal["paler", "darker", "receding", "closed"]
SURE = 0.8
"""Share of the odds from which a cause is named [-]."""
PRIOR: dict[Cause, float] = {"strong": 0.2, "weak": 0.15, "fast": 0.2, "other": 0.45}
BEFORE = 30
"""Changes of so many days before a coral began to ail count [d]."""
STEADY, LARGE = 0.15, 0.5
"""A rise in PAR by less than the first share is no change, by more than the second a large one [-]."""
LEVELS: dict[Cause, tuple[float, float, float]] = {
    "strong": (0.93, 0.05, 0.02),
    "weak": (0.02, 0.08, 0.90),
    "fast": (0.35, 0.50, 0.15),
    "other": (0.15, 0.70, 0.15),
}
"""How often a coral that ails by a cause is above, in and below its range."""
RISES: dict[Cause, tuple[float, float, float]] = {
    "strong": (0.60, 0.25, 0.15),
    "weak": (0.88, 0.08, 0.04),
    "fast": (0.02, 0.38, 0.60),
    "other": (0.86, 0.09, 0.05),
}
"""How often its light was steady, rose, and rose by a lot."""
SYMPTOMS: dict[Cause, dict[Symptom, float]] = {
    "strong": {"paler": 0.55, "darker": 0.02, "receding": 0.20, "closed": 0.23},
    "weak": {"paler": 0.20, "darker": 0.42, "receding": 0.20, "closed": 0.18},
    "fast": {"paler": 0.55, "darker": 0.03, "receding": 0.20, "closed": 0.22},
    "other": {"paler": 0.25, "darker": 0.10, "receding": 0.35, "closed": 0.30},
}
"""How often it shows what; a coral can ail in several ways, and the most telling is counted."""
LOGGED = {"strong": 0.3, "weak": 0.3, "fast": 0.3, "other": 0.7}
"""How often another change (media, dosing, feeding, temperature, water, incident) was logged before it."""
ALIKE, APART, COMMON = (3.0, 1.5), (1.0, 6.0), (1.0, 1.5)
"""Beta priors of the share that ails: in the same light, in other light, and of all under another cause."""


@dataclass(frozen=True, slots=True)
class CoralEvidence:
    """What is known of the light of a coral, and whether it ails.

    Parameters
    ----------
    par : its PAR when it began to ail, or now [umol/m2/s]; None where not known. ``sd`` its standard deviation as a
        share [-].
    low, high : its range [umol/m2/s].
    rise : by which share its PAR rose in the ``BEFORE`` days [-]; 0 where it did not, None where that is not known.
    ails : None where it was not checked.
    """

    par: float | None
    sd: float
    low: float
    high: float
    rise: float | None = 0.0
    ails: bool | None = None

    @property
    def counts(self) -> bool:
        """Whether it can be compared: it was checked, and its light and the change of its light are known."""
        return self.ails is not None and self.par is not None and self.rise is not None

    def shares(self) -> tuple[float, float, float]:
        """Chances that its PAR is above, in and below its range [-]."""
        if self.par is None:
            return (1 / 3, 1 / 3, 1 / 3)
        above = _above(self.par, self.sd, self.high)
        below = 1.0 - _above(self.par, self.sd, self.low)
        return above, max(0.0, 1.0 - above - below), below

    def shares_cause(self, cause: Cause) -> bool:
        """Whether its light is such as the cause names."""
        above, _, below = self.shares()
        return {"strong": above >= 0.5, "weak": below >= 0.5, "fast": (self.rise or 0.0) >= STEADY, "other": False}[
            cause
        ]


def _above(par: float, sd: float, limit: float) -> float:
    """Chance that a PAR with a relative deviation is above a limit, log-normal."""
    if limit <= 0:
        return 1.0
    if par <= 0:
        return 0.0
    return 0.5 * math.erfc(math.log(limit / par) / (math.sqrt(2.0) * max(sd, 1e-6)))


@dataclass(frozen=True, slots=True)
class AilingCoral:
    """A coral that ails or was lost.

    Parameters
    ----------
    since : the day on which it was first seen to ail; ``symptom`` the most telling that was seen.
    others : the corals beside it.
    changes : other changes in the ``BEFORE`` days, in words.
    lost : whether it is gone, so that it cannot be checked again.
    """

    evidence: CoralEvidence
    since: datetime.date
    symptom: Symptom | None
    others: tuple[CoralEvidence, ...] = ()
    changes: tuple[str, ...] = ()
    lost: bool = False


@dataclass(frozen=True, slots=True)
class CauseAnswer:
    """The cause, None for "cannot tell"; the share of each [-], and the evidence by which it was found, in words."""

    cause: Cause | None
    odds: dict[Cause, float]
    evidence: tuple[str, ...]
    would_tell: tuple[str, ...]

    @property
    def words(self) -> str:
        """The answer in words."""
        return CAUSES[self.cause] if self.cause else "cannot tell"


def light_cause(coral: AilingCoral) -> CauseAnswer:
    """Weigh the causes of a coral's ailing by the rule of this module."""
    weights = {cause: PRIOR[cause] * _likelihood(coral, cause) for cause in PRIOR}
    whole = sum(weights.values())
    odds = {cause: weight / whole for cause, weight in weights.items()}
    best = max(odds, key=lambda cause: odds[cause])
    named = best if odds[best] >= SURE else None
    return CauseAnswer(named, odds, tuple(_evidence(coral)), tuple(_would_tell(coral)) if named is None else ())


def _likelihood(coral: AilingCoral, cause: Cause) -> float:
    light = coral.evidence
    found = sum(share * often for share, often in zip(light.shares(), LEVELS[cause], strict=True))
    if light.rise is not None:
        found *= RISES[cause][(light.rise >= STEADY) + (light.rise >= LARGE)]
    if coral.symptom:
        found *= SYMPTOMS[cause][coral.symptom]
    found *= LOGGED[cause] if coral.changes else 1 - LOGGED[cause]
    return found * math.exp(_by_counts(coral.others, cause))


def _by_counts(others: Sequence[CoralEvidence], cause: Cause) -> float:
    """Logarithm of the likelihood of which other corals ail, their shares integrated out."""
    checked = [one for one in others if one.counts]
    if cause == "other":
        return _beta_binomial(checked, COMMON)
    alike = [one for one in checked if one.shares_cause(cause)]
    rest = [one for one in checked if not one.shares_cause(cause)]
    return _beta_binomial(alike, ALIKE) + _beta_binomial(rest, APART)


def _beta_binomial(corals: Sequence[CoralEvidence], prior: tuple[float, float]) -> float:
    a, b = prior
    ill = sum(bool(one.ails) for one in corals)
    return _log_beta(a + ill, b + len(corals) - ill) - _log_beta(a, b)


def _log_beta(a: float, b: float) -> float:
    return math.lgamma(a) + math.lgamma(b) - math.lgamma(a + b)


def _evidence(coral: AilingCoral) -> list[str]:
    light, said = coral.evidence, list[str]()
    if light.par is None:
        said.append("Its PAR at that time is not known.")
    else:
        above, inside, below = light.shares()
        where = max((above, "above"), (inside, "in"), (below, "below"))
        said.append(
            f"PAR {light.par:.0f} ±{light.sd * light.par:.0f}: {where[1]} its range of {light.low:g} to {light.high:g} "
            f"with a chance of {100 * where[0]:.0f} %."
        )
        if light.rise is None:
            said.append(f"Whether its light rose in the {BEFORE} days before is not known.")
    if light.rise is not None:
        said.append(
            f"Its light rose by {100 * light.rise:.0f} % in the {BEFORE} days before."
            if light.rise >= STEADY
            else f"Its light did not rise by {100 * STEADY:.0f} % in the {BEFORE} days before."
        )
    if coral.symptom:
        said.append(f"Seen: {coral.symptom}.")
    said.append(
        f"Other changes in those days: {', '.join(coral.changes)}." if coral.changes else "No other change was logged."
    )
    checked = [one for one in coral.others if one.counts]
    ill = sum(bool(one.ails) for one in checked)
    if not checked:
        return [*said, "No other coral was checked in that time."]
    for cause in ("strong", "weak", "fast"):
        if light.shares_cause(cause):
            alike = [one for one in checked if one.shares_cause(cause)]
            sick = sum(bool(one.ails) for one in alike)
            same = (
                f"{sick} of {len(alike)} others in such light ail" if alike else "no other checked coral has such light"
            )
            said.append(
                f"Light {CAUSES[cause]}: {same}; {ill - sick} of {len(checked) - len(alike)} in other light ail."
            )
    if not any(light.shares_cause(cause) for cause in ("strong", "weak", "fast")):
        said.append(f"Of the other corals {ill} of {len(checked)} ail.")
    return said


def _would_tell(coral: AilingCoral) -> list[str]:
    light, said = coral.evidence, list[str]()
    if light.par is None or 0.1 < max(light.shares()[0], light.shares()[2]) < 0.9:
        said.append("A PAR reading at its spot.")
    unchecked = sum(one.ails is None for one in coral.others)
    if unchecked and not coral.lost:
        said.append(f"Checks of the other corals: {unchecked} were not checked in that time.")
    if not coral.lost:
        said.append("Two more days of checks: does it pale, darken or recede?")
    return said

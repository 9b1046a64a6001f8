"""Verdicts in words: each figure with its grade, reason and approach, and what would improve it.

Grades follow common practice in the trade, no source, unless the verdict says otherwise. What a setup is not meant for
is not graded. Lengths inside a sentence stand as {name} and come along in ``lengths`` [m], so that a face can print
cm or inches.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from corlume.core.judging.figures import FigurePart, Figures
from corlume.core.judging.intent import BLANKETS, LITTLE_SHIMMER, MUCH_SHIMMER, Intent, Purpose, in_words, shimmer_off
from corlume.core.judging.targets import SCHOOLS, LightTargets
from corlume.core.message_text import escape_slots

Grade = Literal["good", "fair", "poor", "plain"]
WORSE: tuple[Grade, ...] = ("good", "fair", "poor")
ENDS_GOAL, ENDS_FAIR = 0.75, 0.6
"""Weaker end over the centre from which it is good, and fair [-]; the first common practice, the second ours."""
TENTH_GOOD, TENTH_FAIR = 0.7, 0.5
LEAST_GOOD, LEAST_FAIR = 0.5, 0.3
"""Tenth percentile and least reading over the mean from which light is called even [-]; ours, see ``_uniformity``."""
SIDES_GOOD = 0.85
"""Weaker end over the stronger one from which light can be called even [-]; ours."""
SPREAD_GOOD, SPREAD_FAIR = 100.0, 200.0
"""Spread of most readings [umol/m2/s]; the first common practice, no source."""
RELATIVE_GOOD, RELATIVE_FAIR = 0.45, 0.8
"""The same over the mean [-]: 100 in the middle of a moderate SPS band is 0.36; ours."""
COVERED_GOOD, COVERED_FAIR = 0.7, 0.4
"""Share of the places in the light wanted [-]; ours."""
SHIMMER_FAIR = 0.05
"""Ripple fluctuation past its limit up to which shimmer is fair [-]; ours."""


@dataclass(frozen=True, slots=True)
class Verdict:
    """One verdict. ``value`` is ready to print with its unit; ``reason`` says why, ``school`` whose rule it is; ``may``
    are other grades that the uncertainty of the light allows.
    """

    key: str
    title: str
    value: str
    grade: Grade
    reason: str
    school: str
    improve: str
    lengths: dict[str, float] = field(default_factory=dict)
    may: tuple[Grade, ...] = ()

    @property
    def graded(self) -> str:
        """The grade in words, with other grades that it may have."""
        if len(self.may) == 1:
            return f"{self.grade}, may be {self.may[0]}"
        return f"{self.grade}, unsure" if self.may else self.grade

    def in_doubt(self, others: Iterable[Verdict]) -> Verdict:
        """The verdict with the other grades that the uncertainty of the light allows."""
        found = {one.grade for one in others if one.key == self.key} - {self.grade, "plain"}
        return replace(self, may=tuple(grade for grade in WORSE if grade in found))


@dataclass(frozen=True, slots=True)
class VerdictCase:
    """Everything a setup is judged by: its figures, the keeper's targets, and its goal."""

    figures: Figures
    targets: LightTargets
    intent: Intent

    @property
    def purpose(self) -> Purpose:
        """The purpose, or the one of the tank's stocking."""
        return self.intent.meant(self.targets.stocking)

    @property
    def blanket(self) -> bool:
        """Whether the goal is even light at the height of the rock top."""
        return self.purpose in BLANKETS

    def graded(self, verdict: Verdict) -> Verdict:
        """A verdict on evenness, ungraded where the goal is not even light."""
        if self.blanket or verdict.grade == "plain":
            return verdict
        why = f"Not graded. Goal of this setup: {in_words(self.purpose)}, which does not need even light."
        return replace(verdict, grade="plain", school=f"{why} {verdict.school}", improve=NOT_ASKED)


NOT_ASKED = "No target here. Change the goal of the setup on the PAR map."


def judge(case: VerdictCase, *, money: str) -> list[Verdict]:
    """Judge the figures of a setup; a single verdict when it is dark."""
    f = case.figures
    power = Verdict(
        "power",
        "Power",
        f"{f.watts:.0f} W, {money} {f.price:.0f} a year",
        "plain",
        f"All fixtures at their present output for {round(f.hours, 2):g} hours of full light a day. Dimmed fixtures "
        "draw power in proportion to their output.",
        "From power and your price of electricity; without lamps.",
        "Lower fixtures or less spill give the same PAR for fewer watts.",
    )
    if not f.mean > 0.5:
        dark = Verdict(
            "dark",
            "Light",
            "none",
            "poor",
            "No light reaches the water.",
            "Computed from this setup.",
            "Add a fixture, or turn one up.",
        )
        return [dark, power]
    judged = [
        *_covered(case),
        case.graded(_uniformity(f)),
        case.graded(_ends(f)),
        case.graded(_spread(f)),
        _volume(case),
        _hottest(case),
        _spill(f),
        *_shimmer(case),
    ]
    return [replace(v, improve="Nothing to change.") if v.grade == "good" else v for v in judged] + [power]


def coral_verdict(placed: int, out: Sequence[tuple[str, float, float]]) -> Verdict:
    """How many placed corals are in range.

    ``out`` are those that do not, with their PAR and by how much it misses their band, above 0 too strong [umol/m2/s].
    """
    named = [
        f"{escape_slots(name)} at {par:.0f}, too {'strong' if miss > 0 else 'weak'} by {max(1.0, abs(miss)):.0f}"
        for name, par, miss in out[:5]
    ]
    more = f", and {len(out) - 5} more" * (len(out) > 5)
    grade: Grade = "good" if not out else "fair" if len(out) <= placed / 4 else "poor"
    return Verdict(
        "corals",
        "Corals in their light",
        f"{placed - len(out)} of {placed}",
        grade,
        "Every placed coral is in its target range." if not out else f"Out of it: {'; '.join(named)}{more}.",
        "Ranges from your care cards. Grade (our estimate): fair with up to a quarter out of range.",
        "Move one that is out; where several are, change the light, slowly.",
    )


def _ends(f: Figures) -> Verdict:
    share = f.ends.share
    above = share > 1.005  # what prints as 100 % is graded
    if math.isnan(share) or above:
        grade: Grade = "plain"
    else:
        grade = _by(share, ENDS_GOAL, ENDS_FAIR)
    reason = (
        f"The weaker end over the middle, each a sixth of the length, {{depth}} down: {_par(f.ends.left)} left, "
        f"{_par(f.ends.middle)} in the middle, {_par(f.ends.right)} right. It ignores the rest of the plane; "
        "uniformity does not."
    )
    school = "Common practice: aim for 75 %; 84 to 88 % is excellent."
    improve = "Move the outer fixtures up to 10 cm (4 in) further out than equal spacing, then raise all fixtures."
    if above:
        school += " Not graded over 100 %: the middle is darker than the ends."
        improve = "The middle is darker than the ends: move the outer fixtures in, or look for what blocks its light."
    return Verdict(
        "ends", "Ends vs centre", f"{100 * share:.0f} %" if math.isfinite(share) else "no reading", grade, reason,
        school, improve, {"depth": f.depth},
    )  # fmt: skip


def _par(par: float) -> str:
    return f"{par:.0f} PAR" if math.isfinite(par) else "rock"


def _uniformity(f: Figures) -> Verdict:
    least, tenth = f.plane.uniformity, f.plane.tenth_share
    if not (math.isfinite(least) and math.isfinite(tenth)):
        grade: Grade = "plain"
    else:
        grade = max(_by(tenth, TENTH_GOOD, TENTH_FAIR), _by(least, LEAST_GOOD, LEAST_FAIR), key=WORSE.index)
    weaker, stronger = f.ends.weaker, max(f.ends.left, f.ends.right)
    lopsided = ""
    if grade == "good" and weaker < SIDES_GOOD * stronger:
        # one fixture off between others leaves most readings alike
        grade = "fair"
        lopsided = f" One end has {weaker:.0f} PAR and the other {stronger:.0f}: no more than fair."
    return Verdict(
        "uniformity",
        "Uniformity (min, P10)",
        f"{100 * least:.0f} and {100 * tenth:.0f} %" if math.isfinite(least) else "no reading",
        grade,
        f"At the rock top, {{depth}} down: min {f.plane.least:.0f} PAR, P10 {f.plane.tenth:.0f}, mean "
        f"{f.plane.mean:.0f}. The figures are min and P10 over the mean.{lopsided}",
        f"Grade (our estimate): good from {100 * LEAST_GOOD:.0f} % (min) and {100 * TENTH_GOOD:.0f} % (P10), fair from "
        f"{100 * LEAST_FAIR:.0f} and {100 * TENTH_FAIR:.0f} %.",
        "Find the dark place on the PAR map: move fixtures towards it, raise them, or remove what shades it.",
        {"depth": f.depth},
    )


def _covered(case: VerdictCase) -> Iterator[Verdict]:
    """Share of the goal's places that are in range."""
    f, purpose = case.figures, case.purpose
    if purpose == "zones" and not f.parts:
        yield Verdict(
            "coverage", "Zones in range", "no zones", "plain",
            "The goal is target zones, and none is drawn.",
            "Your own zones.", "Draw a zone, or change the goal.",
        )  # fmt: skip
        return
    if purpose == "zones":
        share, low = f.coverage, min(f.parts, key=lambda part: part.within)
        told = "; ".join(
            f"{escape_slots(p.name)} {100 * p.within:.0f} % of {p.low:g} to {p.high:g}" for p in f.parts[:4]
        )
        yield Verdict(
            "coverage", "Zones in range", f"{100 * share:.0f} %", _grade(share),
            f"Mean over {len(f.parts)} zone{'s' * (len(f.parts) > 1)} of the share at its target PAR: "
            f"{told}.",
            "Your own zones. Grade (our estimate): 70 % good, 40 % fair.", _more_or_less(low),
        )  # fmt: skip
        return
    titles = {"top": "Rock top in range", "seats": "Spots in range", "strong": "Strong end in range",
              "weak": "Weak end in range", "low": "Low places in range"}  # fmt: skip
    school = SCHOOLS[case.targets.school].name if case.targets.school in SCHOOLS else "Your own limits"
    for part in f.parts:
        own = case.intent.high and part.key not in ("weak", "low")
        rule = "Your own light on top for this setup" if own else school
        grade = _grade(part.within)
        if part.key == "low":
            grade, rule = "plain", f"{rule}; not graded"
        yield Verdict(
            "coverage" if part.key not in ("weak", "low") else part.key,
            titles[part.key] if "plane" not in part.name else titles[part.key].replace("Rock top", "Rock-top plane"),
            f"{100 * part.within:.0f} %",
            grade,
            f"Share of {part.name} at {part.low:g} to {part.high:g} PAR. The mean there is {part.light.mean:.0f}.",
            f"{rule}. Grade (our estimate): 70 % good, 40 % fair." if grade != "plain" else f"{rule}.",
            _more_or_less(part),
        )


def _grade(share: float) -> Grade:
    return _by(share, COVERED_GOOD, COVERED_FAIR)


def _by(share: float, good: float, fair: float) -> Grade:
    """Grade of a share by its limits, compared as printed, in whole percent."""
    printed = round(share, 2)
    return "good" if printed >= good else "fair" if printed >= fair else "poor"


def _more_or_less(part: FigurePart) -> str:
    if part.light.mean < part.low:
        return "Most of it is too weak: raise output, lower the fixtures, or add light."
    if part.light.mean >= part.high:
        return "Most of it is too strong: lower the output or raise the fixtures."
    return "The mean is right; spread the light so that more of the places share it."


def _spread(f: Figures) -> Verdict:
    spread, relative = f.plane.spread, f.plane.relative_spread
    good, fair = (
        spread <= SPREAD_GOOD and relative <= RELATIVE_GOOD,
        spread <= SPREAD_FAIR and relative <= RELATIVE_FAIR,
    )
    return Verdict(
        "spread",
        "Spread at rock top",
        f"{spread:.0f} PAR, {100 * relative:.0f} %",
        "good" if good else "fair" if fair else "poor",
        f"Eight of ten readings {{depth}} down lie within {spread:.0f} PAR of each other, {100 * relative:.0f} % of "
        f"their mean of {f.plane.mean:.0f}.",
        "Common practice for SPS: most readings at the rock top within about 100 PAR of each other. Relative to the "
        f"mean: {100 * RELATIVE_GOOD:.0f} % is good and {100 * RELATIVE_FAIR:.0f} % fair (our estimate).",
        "Raise the fixtures or spread them; dimming does not change the relative spread.",
        {"depth": f.depth},
    )


def _volume(case: VerdictCase) -> Verdict:
    low, high = case.targets.volume_band()
    return Verdict(
        "volume",
        "Water in range",
        f"{100 * case.figures.volume_share:.0f} %",
        "plain",
        f"Share of all water from the rock top to the sand at {low:g} to {high:g} PAR"
        + (", all target ranges of a mixed tank." if case.targets.stocking == "mixed" else "."),
        "Your own targets. No grade, as rock decides how much of the water matters.",
        "Turn what is too strong down first; low places suit corals of lower light.",
    )


def _hottest(case: VerdictCase) -> Verdict:
    f, t = case.figures, case.targets
    if f.hottest is None:
        return Verdict("hottest", "Hottest point", "no reading", "plain", "Every point is in rock.", "", "")
    par, ratio = f.hottest.par, f.hottest.par / f.mean
    peaked, most = ratio > 2.0, t.sps_low if case.purpose == "lps" else max(t.sps_high, case.intent.high)
    grade: Grade = "poor" if par > t.ceiling else "fair" if peaked or par > most else "good"
    return Verdict(
        "hottest",
        "Hottest point",
        f"{par:.0f} PAR",
        grade,
        f"The strongest reading at or below the rock top: {{x}} from the left, {{y}} from the front, {{depth}} down; "
        f"{ratio:.1f} times the mean of the rock-top plane.",
        f"Your ceiling is {t.ceiling:g}; few keepers run more than about 500 (common practice).",
        "Raise the fixture above it, or spread: dimmed until this point is right, the rest would be too dim."
        if peaked
        else "Turn it down a little, or raise the fixture above it.",
        {"x": f.hottest.x, "y": f.hottest.y, "depth": f.hottest.depth},
    )


def _shimmer(case: VerdictCase) -> Iterator[Verdict]:
    """Ripple fluctuation against what the keeper likes; None where it does not matter."""
    fluctuation, wanted = case.figures.shimmer, case.intent.shimmer
    if fluctuation is None or wanted == "any":
        return
    off = round(shimmer_off(wanted, round(fluctuation, 2)), 2)
    calm = wanted == "calm"
    limit = f"at most {100 * LITTLE_SHIMMER:.0f} %" if calm else f"{100 * MUCH_SHIMMER:.0f} % or more"
    yield Verdict(
        "shimmer",
        "Shimmer",
        f"{100 * fluctuation:.0f} %",
        "good" if not off else "fair" if off <= SHIMMER_FAIR else "poor",
        "Standard deviation over mean of the light in the middle of the tank, {depth} down, while the surface ripples. "
        f"{'Calm light is wanted' if calm else 'Shimmer is liked'}: {limit}.",
        "Our estimate: small lamps cast glitter lines, large and long ones wash them out.",
        "Lower the fixtures, or use tubes, panels or more and larger modules; point pumps away from the surface."
        if calm
        else "Raise the fixtures, or use small modules or halides, and let a pump break the surface.",
        {"depth": case.figures.depth},
    )


def _spill(f: Figures) -> Verdict:
    return Verdict(
        "spill",
        "Spill",
        f"{100 * f.spill:.0f} %",
        "good" if round(f.spill, 2) <= 0.25 else "fair" if round(f.spill, 2) <= 0.45 else "poor",
        "Share of all light given off that misses the opening: past the panes, onto the rim or a brace.",
        "Computed by following rays of equal flux. Grade (our estimate): 25 % good, 45 % fair.",
        "Lower the fixtures, use a narrower beam, or move outer fixtures in. Some spill is the price of evenness.",
    )

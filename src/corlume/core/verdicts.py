"""Verdicts in words: each figure with its grade, its reason, the school it follows and what would improve it.

Grades follow common practice in the trade, no source, unless the verdict says otherwise. Lengths inside
a sentence stand as {name} and come along in ``lengths`` [m], so that a face can print cm or inches.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Literal

from corlume.core.figures import Hottest
from corlume.core.targets import SCHOOLS, LightTargets

Grade = Literal["good", "fair", "poor", "plain"]


@dataclass(frozen=True, slots=True)
class Figures:
    """What was worked out about a setup: shares [-], PAR [umol/m2/s], depth [m], power [W], price [money a year]."""

    depth: float
    mean: float
    evenness: float
    coverage: float
    volume_share: float
    spread: float
    hottest: Hottest | None
    spill: float
    watts: float
    price: float


@dataclass(frozen=True, slots=True)
class Verdict:
    """One judgement. ``value`` is ready to print with its unit; ``reason`` says why, ``school`` whose rule it is."""

    key: str
    title: str
    value: str
    grade: Grade
    reason: str
    school: str
    improve: str
    lengths: dict[str, float] = field(default_factory=dict)


def judge(figures: Figures, targets: LightTargets, *, money: str, hours: float) -> list[Verdict]:
    """Judge the figures of a setup against the keeper's targets; one verdict about darkness when no light gets in."""
    power = Verdict(
        "power",
        "Power",
        f"{figures.watts:.0f} W, {money} {figures.price:.0f} a year",
        "plain",
        f"All fixtures at their present output, {hours:g} hours a day. Dimmed fixtures are taken to draw in "
        "proportion to their output.",
        "Worked out from the watts and the price of electricity that you gave; lamps are not in it yet.",
        "Less height or less spill gives the same PAR for fewer watts.",
    )
    if not figures.mean > 0.5:
        dark = Verdict(
            "dark",
            "Light",
            "none",
            "poor",
            "No light reaches the water.",
            "Worked out from the optics of this setup.",
            "Add a fixture, or turn one up.",
        )
        return [dark, power]
    judged = [
        _evenness(figures),
        _coverage(figures, targets),
        _spread(figures),
        _volume(figures, targets),
        _hottest(figures, targets),
        _spill(figures),
    ]
    return [replace(v, improve="Nothing: it is as it should be.") if v.grade == "good" else v for v in judged] + [power]


def _evenness(f: Figures) -> Verdict:
    if math.isnan(f.evenness):
        grade: Grade = "plain"
    else:
        grade = "good" if 0.75 <= f.evenness <= 1.25 else "fair" if 0.6 <= f.evenness <= 1.5 else "poor"
    brighter = f.evenness > 1.0
    return Verdict(
        "evenness",
        "Evenness",
        f"{100 * f.evenness:.0f} %" if math.isfinite(f.evenness) else "no reading",
        grade,
        "The ends (outer sixth of the length on either side) read this share of the middle sixth, {depth} down.",
        "Common practice, no source: 75 % is the goal, 84 to 88 % is excellent.",
        "The ends are stronger than the middle: move the outer fixtures in, or turn them down."
        if brighter
        else "Move the outer fixtures out from balanced spacing by {step}, then raise all of them.",
        {"depth": f.depth, "step": 0.0635},
    )


def _coverage(f: Figures, t: LightTargets) -> Verdict:
    band = t.goal_band()
    school = SCHOOLS[t.school].name + " school" if t.school in SCHOOLS else "Your own limits"
    return Verdict(
        "coverage",
        "Rock top in band",
        f"{100 * f.coverage:.0f} %",
        "good" if f.coverage >= 0.7 else "fair" if f.coverage >= 0.4 else "poor",
        f"Share of the plane {{depth}} down, the height of your rock top, that reads {band.low:g} to "
        f"{band.high:g} PAR. The mean there is {f.mean:.0f}.",
        f"{school}: {band.name} band. The grade (70 % good, 40 % fair) is our own.",
        "Most of it is too weak: raise output or add light."
        if f.mean < band.low
        else "Most of it is too strong: lower the output or raise the fixtures."
        if f.mean > band.high
        else "The mean is right; spread the light so that more of the plane shares it.",
        {"depth": f.depth},
    )


def _spread(f: Figures) -> Verdict:
    return Verdict(
        "spread",
        "Spread at rock top",
        f"{f.spread:.0f} PAR",
        "good" if f.spread <= 100 else "fair" if f.spread <= 200 else "poor",
        "Eight of ten readings {depth} down lie within this of each other.",
        "Common practice, no source: most readings at the rock top within about 100 of each other.",
        "Raise the fixtures; no slider mends a hot spot.",
        {"depth": f.depth},
    )


def _volume(f: Figures, t: LightTargets) -> Verdict:
    low, high = t.volume_band()
    return Verdict(
        "volume",
        "Water in band",
        f"{100 * f.volume_share:.0f} %",
        "plain",
        f"Share of all the water from the rock top to the sand that reads {low:g} to {high:g} PAR"
        + (", every band in which corals of a mixed tank live." if t.goal == "mixed" else "."),
        "Your own targets; no grade, as rock decides how much of the water matters.",
        "Turn what is too strong down first; low places can be filled with corals that want less.",
    )


def _hottest(f: Figures, t: LightTargets) -> Verdict:
    if f.hottest is None:
        return Verdict("hottest", "Hottest point", "no reading", "plain", "Every point is in rock.", "", "")
    par, ratio = f.hottest.par, f.hottest.par / f.mean
    grade: Grade = "poor" if par > t.ceiling else "fair" if ratio > 2.0 or par > t.sps_high else "good"
    return Verdict(
        "hottest",
        "Hottest point",
        f"{par:.0f} PAR",
        grade,
        f"The strongest reading at or below the rock top: {{x}} from the left, {{y}} from the front, {{depth}} down; "
        f"{ratio:.1f} times the mean of the rock-top plane.",
        f"Your ceiling is {t.ceiling:g}; about 500 is the most that keepers would run (common practice, no source).",
        "Raise the fixture above it, or turn that one down.",
        {"x": f.hottest.x, "y": f.hottest.y, "depth": f.hottest.depth},
    )


def _spill(f: Figures) -> Verdict:
    return Verdict(
        "spill",
        "Spill",
        f"{100 * f.spill:.0f} %",
        "good" if f.spill <= 0.25 else "fair" if f.spill <= 0.45 else "poor",
        "Share of all light given off that misses the opening: past the panes, onto the rim or a brace.",
        "Worked out by following rays of equal flux; the grade (25 % good, 45 % fair) is our own.",
        "Hang lower, use a narrower lobe, or move outer fixtures in. Some spill is the price of evenness.",
    )

"""Ranking of layouts: the miss of the target, and points added for what an old hand would not hang so.

Every answer, by search or by rule, is ranked by the same sum, in points: a point is one per cent off the target. What
is added is ours; of two answers that come as near, the plainer one is first.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from corlume.core.errors import InvalidInput
from corlume.core.judging.figures import Figures
from corlume.core.judging.intent import Intent, Shimmer, shimmer_off
from corlume.core.light.fixture import Fixture
from corlume.core.mounting.alignment import units_of
from corlume.core.search.level_solver import LevelTarget
from corlume.reference.catalogue import catalogue
from corlume.services.judging.judge import shimmer_of
from corlume.services.light.fields import par_at
from corlume.services.placement.zone_placement import CoralChange
from corlume.services.search.search_request import SearchRequest, aim_of
from corlume.services.search.starting_points import default_request
from corlume.store.tanks import StoredTank

EACH_MORE, LOPSIDED, LEVELS, CLOSE, LOWEST, REFITTED = 0.5, 2.0, 1.0, 2.0, 1.0, 1.0
"""Points for each fixture or frame after the first, for places that are no mirror image, for levels that differ, for
bodies less than a hand apart, for hanging at the lowest height that is allowed, and for other lenses, a lean or a
second size; ours.
"""
SHIMMER = 50.0
"""Points for ripple fluctuation that is past its limit by all of the light; for a part so much less; ours."""
CORALS = 30.0
"""Points for all placed corals out of their range; for a part of them so much less; ours."""
HAND = 0.08
"""Room between two bodies that a hand goes through [m]; ours."""
SAME = 0.02
"""Levels [-] and places [m] that differ by less are alike."""


@dataclass(frozen=True, slots=True)
class Rank:
    """Rank of a layout: RMS miss of the target [-], and the points added with their reasons."""

    off: float
    added: tuple[tuple[str, float], ...]

    @property
    def points(self) -> float:
        """Sum of the miss and the points added; less is better."""
        return 100 * self.off + sum(points for _, points in self.added)

    @property
    def words(self) -> str:
        """Reasons for the points, in words; empty where there are none."""
        return ", ".join(f"+{round(points, 1):g} for {words}" for words, points in self.added if points >= 0.5)


def rank_of(
    stored: StoredTank,
    aim: LevelTarget,
    fixtures: Sequence[Fixture],
    lowest: float | None,
    change: CoralChange | None = None,
    *,
    refitted: str = "",
    shimmer: Shimmer = "any",
) -> Rank:
    """Return the rank of fixtures over a tank.

    Parameters
    ----------
    aim : what PAR is wanted where, of all that hangs.
    lowest : the lowest height that is allowed [m]; None where the height is held.
    change : what becomes of the placed corals.
    refitted : in a word what has to be changed on the fixtures, such as other lenses; empty for nothing.
    shimmer : whether glitter lines are liked.
    """
    off = aim.off(par_at(stored.lit_tank(), fixtures, aim.points))
    added = plainness(fixtures, lowest)
    if refitted:
        added.append((refitted, REFITTED))
    added += shimmered(stored, fixtures, shimmer)
    if change and change.leave:
        many = "s" if len(change.leave) > 1 else ""
        added.append((f"{len(change.leave)} coral{many} out of range", CORALS * len(change.leave) / change.placed))
    return Rank(off, tuple(added))


def shimmered(stored: StoredTank, fixtures: Sequence[Fixture], wanted: Shimmer) -> list[tuple[str, float]]:
    """Return points added for more or less shimmer than is liked, in words with the points."""
    if wanted == "any":
        return []
    fluctuation = shimmer_of(stored, fixtures)
    off = shimmer_off(wanted, fluctuation)
    return [(f"shimmer of {100 * fluctuation:.0f} %", SHIMMER * off)] if off else []


def plainness(fixtures: Sequence[Fixture], lowest: float | None) -> list[tuple[str, float]]:
    """Return points added for the number of units and for crooked layouts, each in words with its points."""
    units = [[fixtures[i] for i in unit] for unit in units_of(fixtures)]
    found = [(f"{len(units)} fixtures", EACH_MORE * (len(units) - 1))] if len(units) > 1 else []
    middles = sorted(sum(f.emitter.x for f in unit) / len(unit) for unit in units)
    sums = [a + b for a, b in zip(middles, reversed(middles), strict=True)]
    if len(units) > 1 and max(sums) - min(sums) > SAME:
        found.append(("no mirror image", LOPSIDED))
    levels = [f.output for f in fixtures if f.dimmable]
    if levels and max(levels) - min(levels) > SAME:
        found.append(("different levels", LEVELS))
    if _close(units):
        found.append(("gaps under 8 cm", CLOSE))
    if lowest is not None and fixtures and min(f.emitter.height for f in fixtures) <= lowest + 1e-6:
        found.append(("lowest height allowed", LOWEST))
    return found


def _close(units: Sequence[Sequence[Fixture]]) -> bool:
    """Whether two modules in a row hang less than a hand apart; tubes and bars are made to lie side by side."""
    if any(f.emitter.made_by.long for unit in units for f in unit):
        return False
    spans = []
    for unit in units:
        ends = [(f.emitter.x - f.emitter.half_extent()[0], f.emitter.x + f.emitter.half_extent()[0]) for f in unit]
        spans.append((min(a for a, _ in ends), max(b for _, b in ends), unit[0].emitter.y))
    rows: dict[int, list[tuple[float, float]]] = {}
    for left, right, y in spans:
        rows.setdefault(round(y / 0.05), []).append((left, right))
    return any(b[0] - a[1] < HAND - 1e-9 for row in rows.values() for a, b in pairwise(sorted(row)))


def ahead_for(first: Figures, rule: Figures) -> str:
    """Return in words what a result gains over a starting point: the part of its goal that gains most, or nothing."""
    gains = [
        (mine.within - theirs.within, f"{mine.name} in range: {100 * theirs.within:.0f} to {100 * mine.within:.0f} %")
        for mine, theirs in zip(first.parts, rule.parts, strict=False)
        if mine.key == theirs.key
    ]
    gain, words = max(gains, default=(0.0, ""))
    return words if gain >= 0.02 else ""


@dataclass(frozen=True, slots=True)
class LayoutRanking:
    """Ranking of all layouts for one request, by search and by rule."""

    stored: StoredTank
    aim: LevelTarget | None
    lowest: float | None
    shimmer: Shimmer = "any"

    @classmethod
    def of_setup(cls, stored: StoredTank, intent: Intent) -> LayoutRanking:
        """Ranking for the goal of a setup, at any height."""
        return replace(cls.of(stored, default_request(stored, catalogue()["cluster"], intent=intent)), lowest=None)

    @classmethod
    def of(cls, stored: StoredTank, wish: SearchRequest) -> LayoutRanking:
        """Ranking for a request; none where it finds no water."""
        low, high = wish.heights
        try:
            aim = aim_of(stored, wish)
        except InvalidInput:
            aim = None
        return cls(stored, aim, low if high - low > 0.01 else None, wish.shimmer)

    def of_fixtures(self, fixtures: Sequence[Fixture], corals: CoralChange, refitted: str = "") -> Rank:
        """Rank of some fixtures, see ``rank_of``."""
        if self.aim is None:
            return Rank(0.0, ())
        return rank_of(self.stored, self.aim, fixtures, self.lowest, corals, refitted=refitted, shimmer=self.shimmer)

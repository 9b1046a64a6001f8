"""The answers of a search in their order: each with what it does to the placed corals and by what it is ranked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from corlume.core.errors import InvalidInput
from corlume.core.fixture import Fixture
from corlume.core.hanging.dimming import Aim
from corlume.core.optics.lens import LENSES
from corlume.services.advice.coral_sites import CoralChange, coral_change
from corlume.services.search.candidate import Found
from corlume.services.search.ranking import Rank, rank_of
from corlume.services.search.wish import Wish, aim_of
from corlume.store.tanks import StoredTank


@dataclass(frozen=True, slots=True)
class Answer:
    """A layout found: its number in the search, what becomes of the placed corals, and by what it is ranked."""

    number: int
    found: Found
    corals: CoralChange
    rank: Rank


def in_order(stored: StoredTank, wish: Wish, found: Sequence[Found]) -> list[Answer]:
    """Return the answers best first; as they are where the search was for the cheapest.

    ``InvalidInput`` when the corals cannot be read, as where no water is left.
    """
    ranking = Ranking.of(stored, wish)
    answers = []
    for number, one in enumerate(found):
        corals = coral_change(stored, one.fixtures)
        answers.append(Answer(number, one, corals, ranking.of_fixtures(one.fixtures, corals, refit(one))))
    return answers if wish.means == "cheapest" else sorted(answers, key=lambda answer: answer.rank.points)


@dataclass(frozen=True, slots=True)
class Ranking:
    """By what all answers to one wish are ranked, those by search and those by rule."""

    stored: StoredTank
    aim: Aim | None
    lowest: float | None

    @classmethod
    def of(cls, stored: StoredTank, wish: Wish) -> Ranking:
        """That of a wish; none where it finds no water."""
        low, high = wish.heights
        try:
            aim = aim_of(stored, wish)
        except InvalidInput:
            aim = None
        return cls(stored, aim, low if high - low > 0.01 else None)

    def of_fixtures(self, fixtures: Sequence[Fixture], corals: CoralChange, refitted: str = "") -> Rank:
        """By what some fixtures are ranked, see ``ranking.rank_of``."""
        if self.aim is None:
            return Rank(0.0, ())
        return rank_of(self.stored, self.aim, fixtures, self.lowest, corals, refitted=refitted)


def refit(one: Found) -> str:
    """What has to be changed on the fixtures of an answer, in a word or two; empty for nothing."""
    words = [LENSES[one.layout.lens].words] if one.layout.lens else []
    words += ["outer ones leaned"] * bool(one.layout.lean) + ["two sizes"] * bool(one.layout.outer)
    return ", ".join(words)

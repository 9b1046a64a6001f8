"""Answers of a search: the grid they come from, that they differ, and the reasons they give."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations, pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from corlume.core.judging.figures import EndFigures, FigurePart, Figures, LightFigures
from corlume.core.light.emitter import Emitter
from corlume.core.light.fixture import Fixture
from corlume.core.search.layout import Layout
from corlume.core.search.layout_search import TIDY, distinct, same_in_a_mirror
from corlume.core.units import DEGREE
from corlume.formats.measure import Measure
from corlume.reference.catalogue import catalogue
from corlume.services.light.fields import par_at
from corlume.services.search import candidate
from corlume.services.search.candidate import SearchCase
from corlume.services.search.layout_reasons import reasons_for
from corlume.services.search.run_search import other_sizes
from corlume.services.search.starting_points import default_request
from corlume.store.tanks import StoredTank

FIGURES = Figures(
    0.2, LightFigures(250.0, 150.0, 200.0, 290.0), EndFigures(200.0, 250.0, 210.0),
    (FigurePart("top", "seats", 200.0, 350.0, LightFigures(250.0, 150.0, 200.0, 290.0), 0.7),), 0.6, None, 0.2,
    200.0, 190.0,
)  # fmt: skip
LAMP = Fixture(Emitter("led_cluster", 200, 110 * DEGREE, 0.18, 0.14, 0.4, 0.3, 0.25), watts=100)
LAYOUT = Layout((0.3, 0.6, 0.9), 0.25, (0.3,), (0.7, 0.7, 0.7), off=0.1)


@given(side=st.floats(0.1, 5.0), step=st.sampled_from([0.03, 0.04, 0.06, 0.08]))
def test_places_of_a_grid_are_even_about_the_middle_and_inside(side: float, step: float) -> None:
    places = candidate.grid_places(side, step)
    assert len(places) % 2 == 1
    assert len(places) >= 7
    assert places[len(places) // 2] == pytest.approx(side / 2, abs=1e-4)
    assert 0 < places[0] < places[-1] < side
    assert all(a + b == pytest.approx(side, abs=3e-4) for a, b in zip(places, reversed(places), strict=True))
    gaps = [b - a for a, b in pairwise(places)]
    assert max(gaps) <= step + 2e-4
    assert max(gaps) - min(gaps) < 3e-4


@given(low=st.floats(0.05, 1.0), span=st.floats(0.0, 1.0))
def test_heights_of_a_grid_begin_and_end_at_the_limits(low: float, span: float) -> None:
    low, high = round(low, 3), round(low + span, 3)
    heights = candidate.grid_heights((low, high))
    assert (heights[0], heights[-1]) == (low, high)
    assert list(heights) == sorted(set(heights))
    assert all(b - a < candidate.HEIGHT_STEP + 0.011 for a, b in pairwise(heights))
    few = candidate.few_of(heights)
    assert {few[0], few[-1]} == {low, high}
    assert len(few) <= 5


LAYOUTS = st.builds(
    lambda places, height, merit: Layout(
        tuple(sorted(places)), height, (0.3,), (1.0,) * len(places), off=merit**0.5, merit=merit
    ),
    st.lists(st.floats(0.05, 1.15), min_size=1, max_size=4),
    st.floats(0.2, 0.6),
    st.floats(0.001, 0.5),
)


@given(pool=st.lists(LAYOUTS, min_size=1, max_size=30), most=st.integers(1, 6))
def test_answers_differ_come_best_first_and_hold_every_count_that_there_is_room_for(
    pool: list[Layout], most: int
) -> None:
    kept = distinct(pool, most)
    assert 1 <= len(kept) <= most
    for one, other in combinations(kept, 2):
        alike = len(one.places) == len(other.places) and abs(one.height - other.height) < 0.06
        assert not (alike and same_in_a_mirror(one.places, other.places, 0.06))
    ranks = [one.merit * (1 - TIDY * one.mirrored) for one in kept]
    assert ranks == sorted(ranks)
    assert ranks[0] == min(one.merit * (1 - TIDY * one.mirrored) for one in pool)
    counts = {len(one.places) for one in pool}
    assert len({len(one.places) for one in kept}) == min(most, len(counts))


def told(layout: Layout, even: Layout = LAYOUT, *, blanket: bool = True, now: tuple[Fixture, ...] = (LAMP,)) -> str:
    """All reasons of a layout against balanced spacing, in cm."""
    rule = replace(
        FIGURES, plane=LightFigures(200.0, 90.0, 110.0, 290.0), parts=(replace(FIGURES.parts[0], within=0.4),)
    )
    reasons = reasons_for(layout, even, FIGURES, rule, now, blanket=blanket)
    return " ".join(Measure("cm").fill(reason.words, reason.lengths) for reason in reasons)


def test_reasons_speak_of_spacing_with_both_figures() -> None:
    out = told(replace(LAYOUT, places=(0.24, 0.6, 0.96)))
    assert "6 cm further out than equally spaced" in out
    assert "comes to 55 % uniformity and 40 % in range; this to 80 % uniformity and 70 % in range" in out
    assert "6 cm further in than equally spaced" in told(replace(LAYOUT, places=(0.36, 0.6, 0.84)))
    across = told(replace(LAYOUT, places=(0.24, 0.6, 0.96), along="y"))
    assert "front and back" in across
    off = told(replace(LAYOUT, places=(0.24, 0.6, 0.96), off=0.12), replace(LAYOUT, off=0.3), blanket=False)
    assert "comes to 30 % off what was wanted; this to 12 % off" in off
    assert told(LAYOUT) == ""  # balanced, as high as what hangs, all alike: nothing sets it apart
    dark = replace(FIGURES, plane=LightFigures.of(np.empty(0)))
    moved = replace(LAYOUT, places=(0.24, 0.6, 0.96))
    assert "no uniformity" in " ".join(r.words for r in reasons_for(moved, LAYOUT, dark, dark, (), blanket=True))


def test_reasons_speak_of_levels_height_lenses_and_lean() -> None:
    assert "outer ones run at 90 %, the inner at 50 %" in told(replace(LAYOUT, levels=(0.9, 0.5, 0.9)))
    assert "inner ones run at 90 %, the outer at 50 %" in told(replace(LAYOUT, levels=(0.5, 0.9, 0.5)))
    assert "run at" not in told(replace(LAYOUT, levels=(0.75, 0.7, 0.75)))
    assert "10 cm higher than now" in told(replace(LAYOUT, height=0.35))
    assert "5 cm lower than the present fixtures" in told(replace(LAYOUT, height=0.2))
    assert "now" not in told(replace(LAYOUT, height=0.35), now=(replace(LAMP, output=0.0),))
    assert "90 degree lenses in place of what they have" in told(replace(LAYOUT, lens="90"))
    assert "lean inward" in told(replace(LAYOUT, lean=0.17))
    single = replace(LAYOUT, places=(0.6,), levels=(1.0,), height=0.4)
    assert [r.words for r in reasons_for(single, single, FIGURES, None, (), blanket=True)] == []


def test_two_sizes_in_a_row_are_hung_priced_and_judged_as_what_they_are(stored: StoredTank) -> None:
    """Four columns, the outer two of the larger module: counted, paid and powered by their own size, and as far off
    what is wanted as the light of these very fixtures is.
    """
    small, large = catalogue()["cluster-small"], catalogue()["cluster"]
    wish = replace(default_request(stored, small), counts=(4, 4), symmetric=True, watts=200.0)
    case = SearchCase.of(stored, small, wish, (), coarse=True)
    best = min((one for _, layouts in case.scan() for one in layouts), key=lambda one: one.merit)
    mixing = case.mixing(large)
    spread = replace(best, places=tuple(stored.tank.length * k for k in (0.15, 0.38, 0.62, 0.85)))
    found = mixing.mixed(spread)
    assert found
    hung = mixing.hung(found)
    by_place = sorted((f.emitter.x, f.emitter.ppf) for f in hung)
    assert [ppf for _, ppf in by_place] == [large.parts[0].emitter.ppf] + [small.parts[0].emitter.ppf] * 2 + [
        large.parts[0].emitter.ppf
    ]
    assert sum(f.power for f in hung) <= 200.5
    assert mixing.buy(found) == 2 * large.price + 2 * small.price
    assert mixing.named(found) == f"2 {large.name} outside, 2 {small.name} between"
    assert min(b - a for a, b in pairwise(found.places)) >= mixing.laid.gap - 1e-9
    levels = found.fixtures(mixing.laid.module)
    aim = case.columns.aim
    assert aim.off(par_at(stored.lit_tank(), levels, aim.points)) == pytest.approx(found.off, rel=1e-6)
    # sizes that do not fit between the places are no answer
    assert mixing.mixed(replace(best, places=(0.5, 0.58, 0.66, 0.74))) is None
    assert [one.key for one in other_sizes(small, list(catalogue().values()))]

"""Hang tubes, bars and frames: how they are laid over a tank, searched for, and hung beside what is there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from corlume.core.errors import InvalidInput
from corlume.core.judging.intent import BY_STOCKING
from corlume.core.light.fixture import Fixture, overlaps
from corlume.core.light.geometry import Tank
from corlume.core.search.layout import Module
from corlume.formats.measure import Measure
from corlume.reference.catalogue import catalogue
from corlume.services.judging.judge import figures
from corlume.services.search import cheapest, run_search
from corlume.services.search.arrangement import arrangement_of, column_counts
from corlume.services.search.candidate import LEAST_LEVEL
from corlume.services.search.search_request import SearchRequest
from corlume.services.search.starting_points import default_request, starting_points
from corlume.store.tanks import StoredTank
from tests.ruled import CLUSTER, RULED, last

KINDS = catalogue()


def test_tubes_lie_side_by_side_and_modules_along_the_tank() -> None:
    tubes, short, modules = (arrangement_of(RULED, KINDS[key].parts) for key in ("t5-54", "t5-24", "cluster"))
    assert (tubes.along, tubes.rows) == ("y", (pytest.approx(0.6096),))
    # tubes of 55 cm: two end to end over 122 cm, each in the middle of its half
    assert short.rows == pytest.approx((0.3048, 0.9144))
    assert (modules.along, modules.rows) == ("x", (pytest.approx(0.3048),))
    assert tubes.most == 8
    assert arrangement_of(Tank(1.2, 0.2, 0.4), KINDS["panel"].parts).most == 1  # at least one, however little room


@pytest.mark.parametrize("key", ["t5-54", "bar"])
def test_counts_of_tubes_and_bars_reach_the_band_by_their_light(stored: StoredTank, key: str) -> None:
    kind = KINDS[key]
    counts = list(column_counts(stored, kind))
    starts = {len(start.fixtures): start for start in starting_points(stored, kind)}
    band = stored.targets.goal_band()
    assert counts == sorted(counts)
    fewest = starts[counts[0]]
    assert fewest.figures.mean > 0.9 * band.low
    # one tube less would not do: light adds up, and the middle one has the most of it
    assert fewest.figures.mean * (counts[0] - 1) / counts[0] < 1.1 * band.low
    for start in starts.values():
        assert not overlaps(start.fixtures)
        assert all(0 < f.emitter.y < stored.tank.width for f in start.fixtures)


def test_starting_point_dims_what_dims_and_leaves_the_rest_full(stored: StoredTank) -> None:
    band = stored.targets.goal_band()
    for key in ("cluster", "t5-54", "hybrid-60"):
        for start in starting_points(stored, KINDS[key]):
            fixed, dims = ([f.output for f in start.fixtures if f.dimmable == one] for one in (False, True))
            assert set(fixed) <= {1.0}
            assert len(set(dims)) <= 1
            if dims and 0 < dims[0] < 1:
                assert start.figures.mean == pytest.approx(0.5 * (band.low + band.high), rel=0.02)


def test_tubes_are_searched_for_side_by_side(stored: StoredTank) -> None:
    wish = SearchRequest("t5-54", "even", (4, 6), (0.2, 0.3), (200, 350))
    step = last(stored, wish, kind="t5-54")
    assert len(step.best) >= 3
    best = step.best[0]
    assert best.layout.along == "y"
    assert {f.output for f in best.fixtures} == {1.0}
    assert {round(f.emitter.x, 3) for f in best.fixtures} == {0.61}
    assert not overlaps(best.fixtures)
    assert all(b - a >= 0.06 - 1e-6 for a, b in pairwise(best.layout.places))
    assert best.figures.coverage >= max(s.figures.coverage for s in starting_points(stored, KINDS["t5-54"])) - 0.02
    # alike from the front and from the back, as the tank is
    assert best.layout.mirrored


def test_frames_are_searched_for_and_hang_as_frames(stored: StoredTank) -> None:
    wish = SearchRequest("hybrid-60", "even", (2, 2), (0.2, 0.24), (200, 350), symmetric=True)
    best = last(stored, wish, kind="hybrid-60").best[0]
    frames: dict[str, list[Fixture]] = {}
    for f in best.fixtures:
        frames.setdefault(f.frame, []).append(f)
    assert len(frames) == 2
    assert "" not in frames
    kind = KINDS["hybrid-60"]
    for parts in frames.values():
        for a, b in pairwise(range(len(parts))):
            hung, made = ((some[b].emitter, some[a].emitter) for some in (parts, kind.parts))
            assert hung[0].x - hung[1].x == pytest.approx(made[0].x - made[1].x)
            assert hung[0].y - hung[1].y == pytest.approx(made[0].y - made[1].y)
    assert {f.output for f in best.fixtures if not f.dimmable} == {1.0}
    assert best.buy == 2 * kind.price


def test_what_is_added_to_what_hangs_takes_its_light_and_its_room_into_account(stored: StoredTank) -> None:
    tube = KINDS["t5-54"].parts[0]
    there = [replace(tube, emitter=replace(tube.emitter, x=0.61, y=y, height=0.22)) for y in (0.1, 0.3, 0.5)]
    wish = SearchRequest("cluster", "even", (2, 2), (0.2, 0.3), (200, 350), symmetric=True)
    alone, added = (
        last(stored, replace(wish, beside=beside), setup=there).best[0] for beside in (False, True)
    )  # what hangs is no part of the first
    assert len(alone.fixtures) == 2
    assert len(added.fixtures) == 5
    assert set(there) <= set(added.fixtures)
    assert not overlaps(added.fixtures)
    assert sum(added.layout.levels) < 0.8 * sum(alone.layout.levels)
    assert added.buy == 2 * CLUSTER.price  # only what is new is bought


def test_best_with_what_hangs_moves_frames_as_one_piece_and_leaves_the_rest(stored: StoredTank) -> None:
    frame = [replace(p, frame="Arrangement") for p in Module.of(KINDS["hybrid-60"].parts).at(0.5, 0.3, 0.3)]
    bar = KINDS["bar"].parts[0]
    bar = replace(bar, dimmable=False, emitter=replace(bar.emitter, x=0.6, y=0.05, height=0.5))
    wish = SearchRequest("cluster", "even", (1, 1), (0.2, 0.4), (200, 350), means="own")
    best = last(stored, wish, setup=[*frame, bar]).best[0]
    moved = [f for f in best.fixtures if f.frame]
    assert len(moved) == len(frame)
    assert bar in best.fixtures
    assert best.name == "Arrangement"
    assert best.buy == 0.0
    gaps = [{round(f.emitter.y - parts[0].emitter.y, 6) for f in parts} for parts in (moved, frame)]
    assert gaps[0] == gaps[1]
    assert moved[0].emitter.x != frame[0].emitter.x
    tubes = [replace(f, dimmable=False) for f in frame[1:3]]
    assert {f.frame for f in moved} == {"Arrangement"}
    only = last(stored, wish, setup=[replace(f, frame="") for f in tubes]).best[0]
    assert {f.emitter.technology for f in only.fixtures} == {"t5_tube"}  # nothing dims: what hangs most often is moved


def test_too_many_of_a_kind_cannot_be_moved(stored: StoredTank) -> None:
    small = KINDS["module-grid"].parts[0]
    many = [replace(small, emitter=replace(small.emitter, x=0.1 + 0.11 * k, y=0.3)) for k in range(9)]
    with pytest.raises(InvalidInput, match="at most 8"):
        last(stored, SearchRequest("cluster", "even", (1, 1), (0.2, 0.3), (200, 350), means="own"), setup=many)


def test_cheapest_leaves_out_only_what_could_not_come_in(stored: StoredTank, monkeypatch: pytest.MonkeyPatch) -> None:
    kinds = [KINDS[key] for key in ("cluster-small", "cluster", "bar-short", "t5-54", "halide-150")]
    wish = SearchRequest("cluster", "even", (2, 4), (0.2, 0.3), (150, 350), means="cheapest")
    pruned = last(stored, wish, entries=kinds).best
    monkeypatch.setattr(cheapest, "_money", lambda *_: 0.0)
    assert last(stored, wish, entries=kinds).best == pruned
    assert len({one.name for one in pruned}) >= 2


def test_reasons_are_worked_out_against_balanced_spacing(stored: StoredTank) -> None:
    best = last(stored, SearchRequest("cluster", "even", (2, 2), (0.25, 0.3), (200, 350), True)).best[0]
    words = " ".join(reason.words for reason in best.reasons)
    assert "further out than equally spaced" in words
    assert (
        f"this to {100 * best.figures.plane.tenth_share:.0f} % uniformity and {100 * best.figures.coverage:.0f} %"
        in words
    )
    # two modules are alike at their best levels: those of balanced spacing come to what the starting point does
    start = next(s for s in starting_points(stored, CLUSTER) if s.rule == "2, equally spaced")
    height = best.layout.height
    even = [replace(f, output=1.0, emitter=replace(f.emitter, height=height)) for f in start.fixtures]
    rule = figures(stored, even, BY_STOCKING)
    assert (
        f"comes to {100 * rule.plane.tenth_share:.0f} % uniformity" in words
    )  # a ratio, which no common level changes
    outs = [reason.lengths["out"] for reason in best.reasons if "out" in reason.lengths]
    assert outs == [pytest.approx(start.fixtures[0].emitter.x - best.layout.places[0], abs=1e-3)]


def test_default_wish_of_every_kind_can_be_searched(stored: StoredTank) -> None:
    for kind in KINDS.values():
        wish = default_request(stored, kind)
        first = next(run_search.search(stored, kind, replace(wish, heights=(wish.heights[1], wish.heights[1]))))
        assert first.judged > 0
        for found in first.best:
            assert not overlaps(found.fixtures)
            assert all(f.emitter.height <= stored.tank.room_height for f in found.fixtures)


@settings(max_examples=8, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    key=st.sampled_from(["cluster", "t5-54", "module-grid"]), goal=st.sampled_from(["even", "strong_left"]),
    watts=st.integers(60, 400), money=st.integers(300, 2000), low=st.floats(0.15, 0.3), beside=st.booleans(),
)  # fmt: skip
def test_limits_of_power_money_and_height_are_never_broken(
    stored: StoredTank, key: str, goal: str, watts: int, money: int, low: float, beside: bool
) -> None:
    bar = replace(KINDS["bar"].parts[0], output=0.5)
    setup = [replace(bar, emitter=replace(bar.emitter, x=0.6, y=0.05, height=0.5))]
    heights = (round(low, 3), round(low + 0.06, 3))
    wish = SearchRequest(key, goal, (1, 3), heights, (200, 350), True, beside=beside, watts=watts, money=money)  # type: ignore[arg-type]
    steps: Iterator[run_search.Step] = iter(())
    refused = set()
    try:
        steps = run_search.search(stored, KINDS[key], wish, setup)
    except InvalidInput as error:
        refused = {e.field for e in error.errors}
    assert refused <= {"watts", "money"}
    for step in steps:
        for one in step.best:
            assert sum(f.power for f in one.fixtures) <= watts + 1e-6
            assert one.buy <= money + 1e-6
            hung = [f for f in one.fixtures if f not in setup]
            assert all(heights[0] - 1e-6 <= f.emitter.height <= heights[1] + 1e-6 for f in hung)
            assert 1 <= len(one.layout.places) <= 3
            assert all(f.output >= LEAST_LEVEL for f in hung if f.dimmable)


@pytest.mark.parametrize(
    ("key", "change", "field", "words"),
    [
        ("cluster", {"money": 500.0}, "money", "2 at 420 each come to 840, not 500"),
        ("t5-54", {"watts": 100.0}, "watts", "fixtures that do not dim draw 108 W, not 100 W"),
        ("cluster", {"watts": 20.0, "beside": True}, "watts", "no more than the present fixtures draw, 25 W, not 20 W"),
        ("cluster", {"watts": -1.0}, "watts", "or blank"),
    ],
)
def test_budgets_that_buy_nothing_are_refused_by_field(
    stored: StoredTank, key: str, change: dict[str, float], field: str, words: str
) -> None:
    bar = replace(KINDS["bar"].parts[0], output=0.5)
    setup = [replace(bar, emitter=replace(bar.emitter, x=0.6, y=0.05, height=0.5))]
    wish = replace(SearchRequest(key, "even", (2, 3), (0.2, 0.3), (200, 350)), **change)  # type: ignore[arg-type]
    with pytest.raises(InvalidInput) as caught:
        run_search.search(stored, KINDS[key], wish, setup)
    assert words in {e.field: Measure("cm").message(e) for e in caught.value.errors}[field]


def test_a_limit_that_binds_is_told(stored: StoredTank) -> None:
    wish = SearchRequest("cluster", "even", (2, 3), (0.25, 0.3), (200, 350), True)
    free = last(stored, wish).best[0]
    tight = last(stored, replace(wish, watts=0.7 * free.figures.watts)).best[0]
    assert any("Limited by power" in words for words in tight.binds)
    assert tight.figures.mean < free.figures.mean
    two = last(stored, replace(wish, money=900.0))
    assert {len(one.layout.places) for one in two.best} == {2}
    assert any("Limited by money" in words for words in two.best[0].binds)
    levelled = last(stored, replace(wish, means="levels", watts=100.0), setup=free.fixtures).best[0]
    assert sum(f.power for f in levelled.fixtures) <= 100.0


def test_what_the_keeper_has_keeps_its_names_weights_and_wear(stored: StoredTank) -> None:
    lamp = CLUSTER.parts[0]
    mine = [
        replace(lamp, name=name, weight=weight, light_loss_factor=wear, emitter=replace(lamp.emitter, x=x, y=0.3))
        for name, weight, wear, x in (("Right", 2.0, 1.0, 0.9), ("Left", 3.0, 0.8, 0.2))
    ]
    best = last(stored, SearchRequest("cluster", "even", (1, 1), (0.2, 0.3), (200, 350), means="own"), setup=mine).best[
        0
    ]
    told = [(f.name, f.weight, f.light_loss_factor) for f in sorted(best.fixtures, key=lambda f: f.emitter.x)]
    assert told == [("Left", 3.0, 0.8), ("Right", 2.0, 1.0)]


def test_new_frames_do_not_join_those_that_stay(stored: StoredTank) -> None:
    there = [replace(p, frame="Frame 1") for p in Module.of(KINDS["hybrid-60"].parts).at(0.3, 0.3, 0.3)]
    wish = SearchRequest("hybrid-60", "even", (1, 1), (0.2, 0.22), (400, 600), True, beside=True)
    best = last(stored, wish, kind="hybrid-60", setup=there).best[0]
    sizes = [sum(f.frame == name for f in best.fixtures) for name in {f.frame for f in best.fixtures}]
    assert sizes == [len(there), len(there)]

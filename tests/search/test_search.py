"""The search itself: levels, scan and refinement, each against something outside of it."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations, pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import lsq_linear, minimize

from corlume.core.light.field import Medium, grid
from corlume.core.light.fixture import overlaps
from corlume.core.light.geometry import Pane, Tank
from corlume.core.search.layout import Layout, Module
from corlume.core.search.layout_search import Columns, Space, evened, levelled, refine, same_in_a_mirror, scan
from corlume.core.search.level_solver import LevelTarget, best_levels
from corlume.reference.catalogue import catalogue
from tests.ruled import CLUSTER

Array = np.ndarray[tuple[int, ...], np.dtype[np.float64]]


def small_case() -> tuple[Medium, Module, LevelTarget]:
    tank = Tank(0.8, 0.4, 0.4, left=Pane("plain", 0.5), sand_albedo=0.0, rock_albedo=0.0)
    points = grid(tank, (12, 5, 1), depths=(0.15, 0.15)).reshape(-1, 3)
    aim = LevelTarget(points, np.full(len(points), 200.0), np.full(len(points), 1 / len(points)))
    small = replace(CLUSTER.parts[0], emitter=replace(CLUSTER.parts[0].emitter, length=0.1, width=0.1))
    return Medium.of(tank), Module.of([small]), aim


def column(medium: Medium, module: Module, aim: LevelTarget, x: float, height: float) -> Array:
    """PAR of one module at full output over the middle of the small tank."""
    field: Array = module.fields(medium, aim.points, x, 0.2, height)[0]
    return field


def test_scan_agrees_with_brute_force_and_levels_with_scipy() -> None:
    medium, module, aim = small_case()
    columns = Columns(medium, module, aim)
    places = tuple(np.linspace(0.1, 0.7, 7).round(3).tolist())
    space = Space((2,), places, (0.2,), (0.2,), 0.15)
    [(judged, best)] = list(scan(columns, space))
    allowed = [pair for pair in combinations(places, 2) if pair[1] - pair[0] >= 0.15 - 1e-9]
    assert judged == len(allowed)
    root = np.sqrt(aim.weight)
    offs = {}
    for pair in allowed:
        fields = np.array([column(medium, module, aim, x, 0.2) for x in pair])
        solved = lsq_linear((fields * root).T, aim.wanted * root, (0, 1), tol=1e-12)
        offs[pair] = aim.off(solved.x @ fields)
        levels, off = best_levels(fields, aim)
        assert levels == pytest.approx(solved.x, abs=2e-3)
        assert off == pytest.approx(offs[pair], rel=1e-4)
    assert best[0].places == min(offs, key=lambda pair: offs[pair])
    assert best[0].off == pytest.approx(min(offs.values()), rel=1e-4)


def test_refined_best_is_within_two_percent_of_an_exhaustive_scan() -> None:
    medium, module, aim = small_case()
    columns = Columns(medium, module, aim)
    coarse = Space((2,), tuple(np.linspace(0.1, 0.7, 7).round(3).tolist()), (0.15, 0.2, 0.25), (0.2,), 0.15)
    fine = replace(
        coarse, places=tuple(np.linspace(0.1, 0.7, 61).round(3).tolist()), heights=tuple(np.arange(15, 26) / 100)
    )
    best = min((one for _, found in scan(columns, coarse) for one in found), key=lambda one: one.off)
    finest = min((one for _, found in scan(columns, fine) for one in found), key=lambda one: one.off)
    refined = refine(columns, coarse, best)
    assert refined is not None
    assert refined.off <= 1.02 * finest.off


@settings(max_examples=6, deadline=None)
@given(
    low=st.floats(0.15, 0.3), span=st.floats(0.0, 0.2), counts=st.tuples(st.integers(1, 3), st.integers(0, 1)),
    symmetric=st.booleans(),
)  # fmt: skip
def test_limits_are_never_broken(low: float, span: float, counts: tuple[int, int], symmetric: bool) -> None:
    medium, module, aim = small_case()
    columns = Columns(medium, module, aim)
    heights = (round(low, 3), round(low + span, 3))
    space = Space(
        (counts[0], counts[0] + counts[1]),
        tuple(np.linspace(0.06, 0.74, 15).tolist()),
        heights,
        (0.2,),
        0.12,
        symmetric,
    )
    for _, found in scan(columns, space):
        for layout in (*found, *(refine(columns, space, one) for one in found[:1])):
            assert layout is not None
            assert heights[0] - 1e-9 <= layout.height <= heights[1] + 1e-9
            assert counts[0] <= len(layout.places) <= sum(counts)
            assert all(0.0 <= level <= 1.0 for level in layout.levels)
            assert all(b - a >= 0.12 - 1e-6 for a, b in pairwise(layout.places))
            assert 0.06 - 1e-6 <= layout.places[0] <= layout.places[-1] <= 0.74 + 1e-6


def test_light_under_a_module_falls_and_evens_out_with_height() -> None:
    medium, module, aim = small_case()
    reads = [column(medium, module, aim, 0.4, h) for h in (0.15, 0.2, 0.3, 0.4)]
    assert all(a.max() > b.max() for a, b in pairwise(reads))
    assert all(a.std() / a.mean() > b.std() / b.mean() for a, b in pairwise(reads))


def test_layout_makes_emitters_column_by_column() -> None:
    layout = Layout((0.2, 0.6), 0.3, (0.1, 0.4), (0.5, 1.0))
    hung = layout.fixtures(Module.of(CLUSTER.parts))
    assert [(f.emitter.x, f.emitter.y, f.output) for f in hung] == [
        (0.2, 0.1, 0.5), (0.2, 0.4, 0.5), (0.6, 0.1, 1.0), (0.6, 0.4, 1.0),
    ]  # fmt: skip
    assert {round(f.emitter.height, 9) for f in hung} == {0.3}


def mixed_module() -> Module:
    """A frame of one module that dims and one tube that does not."""
    small = replace(CLUSTER.parts[0], emitter=replace(CLUSTER.parts[0].emitter, length=0.1, width=0.1, height=0.2))
    tube = catalogue()["t5-24"].parts[0]
    return Module.of([small, replace(tube, emitter=replace(tube.emitter, length=0.2, y=0.1, height=0.24))])


def test_what_does_not_dim_in_a_frame_stays_full_and_the_rest_is_solved_around_it() -> None:
    medium, _, aim = small_case()
    module, places = mixed_module(), (0.15, 0.4, 0.65)
    [(judged, best)] = list(scan(Columns(medium, module, aim), Space((2,), places, (0.2,), (0.15,), 0.15)))
    assert judged == 3
    root, offs = np.sqrt(aim.weight), {}
    for pair in combinations(places, 2):
        dims, fixed = (
            np.array([module.fields(medium, aim.points, x, 0.15, 0.2)[group] for x in pair]) for group in (0, 1)
        )
        left = aim.wanted - fixed.sum(axis=0)
        solved = lsq_linear((dims * root).T, left * root, (0, 1), tol=1e-12)
        offs[pair] = aim.off(solved.x @ dims + fixed.sum(axis=0)), solved.x
    layout = best[0]
    assert layout.places == min(offs, key=lambda pair: offs[pair][0])
    assert layout.off == pytest.approx(offs[layout.places][0], rel=1e-4)
    assert layout.levels == pytest.approx(offs[layout.places][1], abs=2e-3)
    hung = layout.fixtures(module)
    assert [f.output for f in hung if not f.dimmable] == [1.0, 1.0]
    assert [f.output for f in hung if f.dimmable] == pytest.approx(layout.levels)


def test_parts_of_a_frame_keep_their_places_to_each_other() -> None:
    module = mixed_module()
    module_half, (led, tube) = module.half_extent(), module.at(0.5, 0.3, 0.25)
    assert tube.emitter.height - led.emitter.height == pytest.approx(0.04)
    assert tube.emitter.y - led.emitter.y == pytest.approx(0.1)
    assert min(led.emitter.height, tube.emitter.height) == pytest.approx(0.25)
    fronts = [f.emitter.y - f.emitter.half_extent()[1] for f in (led, tube)]
    backs = [f.emitter.y + f.emitter.half_extent()[1] for f in (led, tube)]
    assert (min(fronts), max(backs)) == pytest.approx((0.3 - module_half[1], 0.3 + module_half[1]))


@settings(max_examples=10, deadline=None)
@given(x=st.floats(0.1, 0.7), y=st.floats(0.1, 0.3), height=st.floats(0.15, 0.3))
def test_nothing_is_hung_where_something_hangs_already(x: float, y: float, height: float) -> None:
    medium, module, aim = small_case()
    columns = Columns(medium, module, aim)
    there = replace(CLUSTER.parts[0], emitter=replace(CLUSTER.parts[0].emitter, x=x, y=y, height=height))
    places, heights = tuple(np.linspace(0.06, 0.74, 12).tolist()), (0.15, 0.2, 0.25, 0.3)
    space = Space((1, 2), places, heights, (0.2,), 0.12, others=(there,))
    free = replace(space, others=())
    judged, without = (sum(number for number, _ in scan(columns, one)) for one in (space, free))
    found = [layout for _, some in scan(columns, space) for layout in some]
    found += [one for layout in found[:2] if (one := refine(columns, space, layout))]
    for layout in found:
        assert not overlaps([*layout.fixtures(module), there])
    in_the_way = any(not space.empty(h).fits(module, p, (there,)) for h in heights for p in places)
    assert (judged < without) == in_the_way


def test_rows_and_columns_change_sides_for_what_lies_across() -> None:
    tube = Module.of(catalogue()["t5-54"].parts)
    layout = Layout((0.1, 0.3), 0.2, (0.6,), (1.0, 1.0), along="y")
    assert [(f.emitter.x, f.emitter.y) for f in layout.fixtures(tube)] == [(0.6, 0.1), (0.6, 0.3)]
    assert (layout.xs, layout.ys) == ((0.6,), (0.1, 0.3))
    leaned = replace(layout, lean=0.2, middle=0.2).fixtures(tube)
    # inward: from the front to the back, and from the back to the front
    assert leaned[0].emitter.roll > 0 > leaned[1].emitter.roll
    assert leaned[0].emitter.axes()[2][1] > 0 > leaned[1].emitter.axes()[2][1]
    assert not replace(layout, height=0.02, lean=1.2, middle=0.2).fits(tube, 0.1, ())  # an edge would hang in the water


def test_levels_of_a_known_layout_are_what_refining_starts_from() -> None:
    medium, module, aim = small_case()
    columns = Columns(medium, module, aim)
    space = Space((2,), tuple(np.linspace(0.06, 0.74, 12).tolist()), (0.2,), (0.2,), 0.12)
    even = Layout((0.8 / 3, 1.6 / 3), 0.2, (0.2,), (1.0, 1.0))
    judged = levelled(columns, space, even)
    fields = np.array([column(medium, module, aim, round(x, 4), 0.2) for x in even.places])
    assert judged.levels == pytest.approx(best_levels(fields, aim)[0])
    assert judged.off == pytest.approx(aim.off(np.array(judged.levels) @ fields), rel=1e-5)
    better = refine(columns, space, even)
    assert better is not None
    assert better.merit <= judged.merit
    assert refine(columns, space, even, mirrored=True).mirrored  # type: ignore[union-attr]
    assert evened(replace(even, places=(0.1, 0.5)), 0.8).places == pytest.approx((0.2, 0.6))


def test_mirror_images_are_no_other_layouts() -> None:
    assert same_in_a_mirror((0.1, 0.4), (0.4, 0.7), 0.06)  # mirrored about 0.4
    assert same_in_a_mirror((0.1, 0.4), (0.13, 0.42), 0.06)
    assert not same_in_a_mirror((0.1, 0.4), (0.1, 0.5), 0.06)


@settings(max_examples=25, deadline=None)
@given(
    seed=st.integers(0, 10_000), count=st.integers(1, 5), share=st.floats(0.05, 1.2),
)  # fmt: skip
def test_power_within_a_budget_is_spent_as_scipy_would(seed: int, count: int, share: float) -> None:
    """Held against SLSQP on small random problems: as near to the aim, and never over the budget."""
    random = np.random.default_rng(seed)
    fields, points = random.uniform(0.0, 100.0, (count, 30)), np.zeros((30, 3))
    aim = LevelTarget(points, random.uniform(50.0, 300.0, 30), random.uniform(0.1, 1.0, 30))
    watts = random.uniform(20.0, 200.0, count)
    budget = share * float(watts.sum())
    levels, off = best_levels(fields, aim, watts=watts, budget=budget)
    assert watts @ levels <= budget * (1 + 1e-9)
    assert ((levels >= 0) & (levels <= 1)).all()
    solved = minimize(
        lambda s: aim.off(s @ fields) ** 2, np.full(count, min(1.0, 0.9 * share)), method="SLSQP",
        bounds=[(0, 1)] * count, constraints=[{"type": "ineq", "fun": lambda s: budget - watts @ s}],
        options={"ftol": 1e-12, "maxiter": 300},
    )  # fmt: skip
    assert off == pytest.approx(aim.off(levels @ fields), rel=1e-5)
    assert off <= np.sqrt(solved.fun) * (1 + 2e-4)


def test_what_never_fits_the_budget_is_no_answer() -> None:
    medium, _, aim = small_case()
    tube = Module.of([replace(catalogue()["t5-24"].parts[0], watts=24.0)])
    places = (0.1, 0.2, 0.3)
    space = Space((1, 2, 3), places, (0.2,), (0.4,), 0.06, along="y", budget=50.0)
    [(judged, found)] = list(scan(Columns(medium, tube, aim), space))
    assert judged == 7  # all are looked at; three tubes take 72 W
    assert {len(one.places) for one in found} == {1, 2}
    three = Layout(places, 0.2, (0.4,), (1.0, 1.0, 1.0), along="y")
    assert refine(Columns(medium, tube, aim), space, three) is None

"""What it costs to place a stock at once: a greedy answer, the programme, and the demo's own page."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from itertools import count

import numpy as np

from benchmarks.clock import clock, row, sized
from corlume.core.light.geometry import Rock
from corlume.core.placement.assignment import Assignment, UnplacedCorals, greedy, solve
from corlume.services.flow.tank_flow import flow_plane
from corlume.services.flow.tank_flow import solve as solve_flow
from corlume.services.keeping.demo import demo_scene
from corlume.services.light.fields import medium_of
from corlume.services.placement.place_all import first_plan
from corlume.services.placement.placement_preview import preview_placement
from corlume.services.placement.placement_problem import PlacementRequest
from corlume.services.placement.spots import spots_of
from corlume.store.tanks import StoredTank, unstored


def made_up(corals: int, seats: int, seed: int = 1) -> UnplacedCorals:
    """A stock over 1.4 x 0.6 m of seats, two thirds of which suit each coral; every fourth coral has long sweepers."""
    random = np.random.default_rng(seed)
    worth = (1.0 + random.random((corals, seats))) * (random.random((corals, seats)) < 0.65)
    size, arms = random.uniform(0.08, 0.2, corals), np.where(np.arange(corals) % 4 == 0, 0.12, 0.01)
    reach = 0.5 * size + arms
    apart = np.maximum(np.maximum.outer(reach, reach), 0.25 * np.add.outer(size, size))
    np.fill_diagonal(apart, 0.0)
    return UnplacedCorals(worth, random.random((seats, 3)) * (1.4, 0.6, 0.4), apart)


def placing() -> None:
    """24 corals on 150 seats, 60 on 400, and the demo's ten that wait."""
    for corals, seats, quick in sized(((24, 150, 0.1), (60, 400, 0.5)), ((4, 20, 0.1),)):
        stock, last = made_up(corals, seats), list[Assignment]()
        row(f"greedy, {corals} corals x {seats} seats", clock(partial(greedy, stock), 5), quick)

        def better(stock: UnplacedCorals = stock, last: list[Assignment] = last) -> None:
            last[:] = list(solve(stock, seconds=sized(10.0, 0.5)))

        taken = clock(better, 1, warm=False)
        gap = last[-1].gap
        assert gap is not None
        gain = last[-1].value / last[0].value - 1
        note = f"proven within {100 * gap:.1f} %, {100 * gain:.1f} % over greedy"
        row(f"the best found, {corals} x {seats}", taken, 10.0 if seats == 150 else None, note)
    stored = unstored(demo_scene())
    medium_of(stored.lit_tank())
    row("first plan of the demo's ten", clock(lambda: first_plan(stored, stored.setup(), PlacementRequest()), 3))
    seats_and_flow(stored)
    rocks = tuple(
        Rock(0.05 + 0.068 * (k % 20), 0.03 + 0.058 * (k // 20), 0.0, 0.05, 0.05, 0.1 + 0.02 * (k % 9))
        for k in range(sized(200, 20))
    )
    scene = replace(demo_scene(), tank=replace(stored.tank, rocks=rocks), wanted=())
    pumps = tuple(replace(scene.pumps[k % 2], name=f"P{k}", depth=0.03 + 0.02 * (k // 2)) for k in range(6))
    seats_and_flow(unstored(replace(scene, pumps=pumps, corals=scene.corals[14:24])), "200 rocks, 6 pumps: ")


def seats_and_flow(stored: StoredTank, what: str = "") -> None:
    """The flow map over two slices, all seats with their light and flow, and a verdict for a coral that is held."""
    setup, coral = stored.setup(), stored.corals[-1].id
    medium_of(stored.lit_tank())

    def both() -> None:
        flow_plane(stored, "plan", 0.2)
        flow_plane(stored, "front", 0.3)

    row(f"{what}flow map, plan and front", clock(both, 3), 0.5)
    row(f"{what}flow solved", clock(lambda: solve_flow(stored), 1, warm=False), 8.0)
    row(f"{what}all seats with light and flow", clock(lambda: spots_of(stored, setup.hung), 3))
    place = count()

    def hold() -> None:
        preview_placement(stored, setup, coral, "plan", 0.2 + 0.01 * next(place), 0.3)

    row(f"{what}verdict while a coral is dragged", clock(hold, 5), 0.1)

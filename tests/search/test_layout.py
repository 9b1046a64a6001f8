"""Hang: rules, what is wished, what is found, and the page."""

from __future__ import annotations

import re
import time
from dataclasses import replace

import numpy as np
import pytest
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Tank
from corlume.core.light.lens import LENSES
from corlume.core.search.rules_of_thumb import balanced, count_for, wider
from corlume.core.units import DEGREE, INCH
from corlume.formats.measure import Measure
from corlume.reference.catalogue import catalogue
from corlume.services.keeping import tanks
from corlume.services.light.fields import par_at
from corlume.services.light.points import surfaces_of
from corlume.services.search import run_search, search_jobs
from corlume.services.search.cheapest import REACHED
from corlume.services.search.search_request import SearchRequest, aim_of
from corlume.services.search.starting_points import starting_points
from corlume.store.database import Database
from corlume.store.tanks import StoredTank
from tests.ruled import CLUSTER, RULED, last


def test_rules_of_count_and_spacing() -> None:
    assert [x / INCH for x in balanced(2, 48 * INCH)] == pytest.approx([16, 32])
    assert [x / INCH for x in wider(2, 48 * INCH)] == pytest.approx([13, 35])
    assert [x / INCH for x in wider(3, 48 * INCH)] == pytest.approx([9.5, 24, 38.5])
    assert count_for("lps", 48 * INCH, 24 * INCH) == (2, 2)
    assert count_for("sps", 48 * INCH, 24 * INCH) == (3, 4)
    assert count_for("lps", 24 * INCH, 24 * INCH) == (1, 1)
    assert count_for("sps", 24 * INCH, 24 * INCH)[1] == 2


def test_starting_points_show_what_the_rule_brings(stored: StoredTank) -> None:
    starts = {start.rule: start.figures for start in starting_points(stored, CLUSTER)}
    assert {"2, equally spaced", "2, wider"} <= starts.keys()
    # two modules over 48 in: balanced gives edges of 45 to 57 % of the centre, wider 75 % or more
    assert 0.42 < starts["2, equally spaced"].ends.share < 0.6
    assert starts["2, wider"].ends.share > 0.72


def test_two_modules_leave_balanced_and_end_near_the_wider_rule(stored: StoredTank) -> None:
    found = last(stored, SearchRequest("cluster", "even", (2, 2), (0.25, 0.32), (200, 350))).best[0]
    left, right = (x / INCH for x in found.layout.places)
    assert abs(left - 13) < 2
    assert abs(48 - right - 13) < 2
    assert left + right == pytest.approx(48, abs=0.3)  # a symmetric tank gives a symmetric best


def test_outer_modules_of_three_and_four_move_out(stored: StoredTank) -> None:
    for count in (3, 4):
        best = last(stored, SearchRequest("cluster", "even", (count, count), (0.25, 0.3), (200, 350), True)).best[0]
        assert best.layout.places[0] < balanced(count, RULED.length)[0]
        assert best.layout.places[-1] > balanced(count, RULED.length)[-1]


def test_single_module_is_raised_until_its_hot_spot_goes(stored: StoredTank) -> None:
    cube = replace(stored, tank=Tank(0.6, 0.6, 0.5))
    step = last(cube, SearchRequest("cluster", "even", (1, 1), (0.15, 0.6), (200, 350)))
    assert step.best[0].layout.height > 0.25
    assert step.best[0].layout.places[0] == pytest.approx(0.3, abs=0.02)


def test_answers_are_clearly_different_and_say_what_binds(stored: StoredTank) -> None:
    step = last(stored, SearchRequest("cluster", "even", (1, 4), (0.2, 0.24), (400, 600)))
    assert len(step.best) >= 3
    layouts = [f.layout for f in step.best]
    seen = {(one.lens, one.lean, round(one.height, 2), *(round(x, 1) for x in one.places)) for one in layouts}
    assert len(seen) == len(step.best)
    assert step.done == 1.0
    assert any("Limited by the highest height" in words for f in step.best for words in f.binds)
    assert [height for height, _, _ in step.curve] == sorted(height for height, _, _ in step.curve)


def test_strong_end_is_strong_and_what_hangs_already_stays(stored: StoredTank) -> None:
    left = last(stored, SearchRequest("cluster", "strong_left", (2, 3), (0.25, 0.3), (200, 350))).best[0]
    assert left.layout.levels[0] > left.layout.levels[-1]
    setup = [Fixture(replace(CLUSTER.parts[0].emitter, x=x, y=0.3), watts=115.0, name="mine") for x in (0.3, 0.5)]
    bar = catalogue()["bar"].parts[0]
    bar = replace(bar, emitter=replace(bar.emitter, x=0.6, y=0.1))
    own = last(
        stored, SearchRequest("cluster", "even", (1, 1), (0.2, 0.3), (200, 350), means="own"), setup=[*setup, bar]
    ).best[0]
    assert len(own.fixtures) == 3
    assert bar in own.fixtures
    with pytest.raises(InvalidInput):
        last(stored, SearchRequest("cluster", "even", (1, 1), (0.2, 0.3), (200, 350), means="own"), setup=[])


def test_lenses_and_lean_are_tried_and_hang_as_found(stored: StoredTank) -> None:
    narrow = catalogue()["cluster-narrow"]
    *_, step = run_search.search(
        stored, narrow, SearchRequest("cluster-narrow", "even", (2, 2), (0.2, 0.3), (200, 350))
    )
    best = step.best[0]
    # under a low ceiling 60 degree lenses leave gaps: wider ones come out ahead; common practice, no source
    lens = LENSES[best.layout.lens]  # type: ignore[index]
    assert lens.fwhm > 80 * DEGREE
    assert {f.emitter.fwhm for f in best.fixtures} == {lens.fwhm}
    # and what they pass of the light changes with them
    flux = narrow.parts[0].emitter.ppf * lens.passes / LENSES["60"].passes
    assert [f.emitter.ppf for f in best.fixtures] == pytest.approx([flux] * len(best.fixtures))
    leaned = [f for f in step.best if f.layout.lean]
    for one in leaned:
        left, right = one.fixtures[0].emitter, one.fixtures[-1].emitter
        assert left.pitch > 0 > right.pitch  # inward: to the right on the left, to the left on the right


@pytest.mark.parametrize("zones", ["each", "rows", "rings"])
def test_grid_is_levelled_by_zones(stored: StoredTank, zones: str) -> None:
    small = catalogue()["module-grid"]
    start = next(one for one in starting_points(stored, small) if "grid" in one.rule)
    assert len(start.fixtures) == 8  # one for each square foot of 4 x 2
    wish = SearchRequest("module-grid", "even", (1, 1), (0.2, 0.3), (200, 350), zones=zones, means="levels")  # type: ignore[arg-type]
    *_, step = run_search.search(stored, small, wish, setup=start.fixtures)
    found = step.best[0]
    outputs = {f.output for f in found.fixtures}
    assert len(outputs) <= {"each": 8, "rows": 2, "rings": 2}[zones]
    assert [replace(f, output=1.0) for f in found.fixtures] == [replace(f, output=1.0) for f in start.fixtures]
    assert all(0 <= output <= 1 for output in outputs)
    aim = aim_of(stored, wish)
    assert aim.off(par_at(stored.tank, found.fixtures, aim.points)) <= aim.off(
        par_at(stored.tank, start.fixtures, aim.points)
    )
    with pytest.raises(InvalidInput):
        list(run_search.search(stored, small, wish, setup=[]))


def test_cheapest_reaches_the_band_for_the_least(stored: StoredTank) -> None:
    kinds = [catalogue()[key] for key in ("cluster", "cluster-large", "halide-250", "t5-54")]
    step = last(
        stored, SearchRequest("cluster", "even", (1, 3), (0.2, 0.4), (200, 350), means="cheapest"), entries=kinds
    )
    reached = [f for f in step.best if f.figures.coverage >= REACHED]
    assert reached
    assert [f.cost for f in reached] == sorted(f.cost for f in reached)
    assert all(f.cost == pytest.approx(f.running + f.buy) for f in step.best)
    assert step.best[: len(reached)] == tuple(reached)
    assert all(f.buy > 0 for f in step.best)
    assert len({f.name for f in step.best}) > 1


def test_zoned_wish_puts_more_light_high_than_low(db: Database) -> None:
    demo = tanks.open_tank(db, 1)
    best = last(demo, SearchRequest("cluster", "mixed", (3, 3), (0.2, 0.3), (250, 350), True)).best[0]
    fixtures, tank = best.fixtures, demo.tank
    sand, *rock = sorted(surfaces_of(tank), key=lambda surface: not surface.is_sand)
    tops = np.concatenate([surface.points[surface.free] for surface in rock])
    high = par_at(tank, fixtures, tops[tops[:, 2] < 0.26]).mean()
    assert 230 < high < 380
    assert par_at(tank, fixtures, sand.points[sand.free]).mean() < 0.6 * high


def test_wish_out_of_reach_says_what_comes_closest(stored: StoredTank) -> None:
    best = last(stored, SearchRequest("cluster-small", "even", (1, 1), (0.3, 0.4), (900, 1000))).best[0]
    assert any("PAR on average where 900 to 1000 is wanted" in words for words in best.binds)
    assert any("Limited by full output" in words for words in best.binds)


@pytest.mark.parametrize(
    ("wish", "field", "words"),
    [
        (
            SearchRequest("cluster", "even", (2, 2), (0.2, 2.0), (200, 350)),
            "height_high",
            "canopy or ceiling is at 90 cm",
        ),
        (
            SearchRequest("cluster", "even", (2, 2), (0.4, 0.3), (200, 350)),
            "height_high",
            "lower than the lowest, 40 cm",
        ),
        (SearchRequest("cluster", "even", (3, 2), (0.2, 0.3), (200, 350)), "count_high", "less than the least"),
        (
            SearchRequest("cluster", "even", (2, 2), (0.2, 0.3), (350, 200)),
            "band_high",
            "above the start of the range",
        ),
        (SearchRequest("cluster", "even", (0, 2), (0.2, 0.3), (200, 350)), "count_low", "from 1 to 8"),
    ],
)
def test_wishes_that_cannot_be_are_refused_by_field(
    stored: StoredTank, wish: SearchRequest, field: str, words: str
) -> None:
    with pytest.raises(InvalidInput) as caught:
        last(stored, wish)
    assert words in {e.field: Measure("cm").message(e) for e in caught.value.errors}[field]


def test_search_is_watched_adopted_and_kept(client: TestClient, db: Database) -> None:
    form = {
        "entry": "cluster", "purpose": "even", "count_low": "2", "count_high": "3", "height_low": "24",
        "height_high": "30", "band_low": "200", "band_high": "350",
    }  # fmt: skip
    page = client.get("/tanks/1/layout").text
    assert "starts by itself" in page
    bad = client.post("/tanks/1/layout", data={**form, "height_high": "20", "count_low": "two"})
    assert bad.status_code == 422
    assert "must not be lower than the lowest" in bad.text or "is not a number" in bad.text
    assert 'value="two"' in bad.text
    assert client.post("/tanks/1/layout", data=form).status_code == 303
    for _ in range(400):
        seen = client.get("/tanks/1/layout/1").json()
        if seen["state"] not in ("waiting", "running"):
            break
        time.sleep(0.1)
    assert seen["state"] == "done"
    assert seen["done"] == 1.0
    assert "layouts tested" in seen["answers"]
    found = search_jobs.look(db, 1, 1).found
    chart = client.post("/tanks/1/layout/1/adopt/0").headers["location"]
    adopted = tanks.open_tank(db, 1).setup(int(chart.split("=")[1]))
    assert [k.value.emitter.x for k in adopted.fixtures] == pytest.approx([f.emitter.x for f in found[0].fixtures])
    assert client.post("/tanks/1/layout/1/adopt/99").status_code == 404
    begun = client.post("/tanks/1/layout/start/0", data={"entry": "cluster"}).headers["location"]
    assert "equally spaced" in tanks.open_tank(db, 1).setup(int(begun.split("=")[1])).name
    assert client.post("/tanks/1/layout/start/99", data={"entry": "cluster"}).status_code == 404
    assert client.get("/tanks/1/layout/77").status_code == 404


def test_a_fixed_arm_holds_height_and_distance_from_the_back(client: TestClient, db: Database) -> None:
    """Only the places along the tank are left; an arm that would hold it over no water, or a tube, is told."""
    stored = tanks.open_tank(db, 1)
    wish = SearchRequest("cluster", "even", (2, 3), (0.3, 0.3), (200, 350), arm=0.283)
    *_, step = run_search.search(stored, catalogue()["cluster"], wish)
    assert step.best
    for found in step.best:
        assert {round(f.emitter.y, 4) for f in found.fixtures} == {round(stored.tank.width - 0.283, 4)}
        assert {round(f.emitter.height, 4) for f in found.fixtures} == {0.3}
    form = {
        "entry": "cluster", "purpose": "even", "count_low": "2", "count_high": "2", "height_low": "30",
        "height_high": "30", "band_low": "200", "band_high": "350", "arm": "90",
    }  # fmt: skip
    answer = client.post("/tanks/1/layout", data=form)
    assert "must hold it over the tank" in answer.text
    assert 'value="90"' in answer.text
    with pytest.raises(InvalidInput, match="is for modules"):
        list(run_search.search(stored, catalogue()["t5-54"], replace(wish, entry="t5-54")))


def test_stopped_search_keeps_what_it_found(db: Database) -> None:
    number = search_jobs.begin(db, 1, 1, SearchRequest("cluster", "even", (2, 3), (0.2, 0.6), (200, 350)))
    while not search_jobs.look(db, 1, number).found:
        time.sleep(0.05)
    search_jobs.stop(db, 1, number)
    for _ in range(200):
        if (now := search_jobs.look(db, 1, number)).state not in ("waiting", "running"):
            break
        time.sleep(0.05)
    assert now.state == "stopped"
    assert now.found
    assert now.done < 1.0


def test_setups_side_by_side_show_their_difference(client: TestClient) -> None:
    page = client.get("/tanks/1/setups?a=1&b=2").text
    assert page.count("less that of LED only, as it hangs") == 1
    assert re.search(r">[+-]\d+</text>", page)
    assert "Ends vs centre" in page
    assert client.get("/tanks/1/setups").text.count("less that of") == 2
    assert client.get("/tanks/1/setups?a=1&b=99").status_code == 404


def test_grid_goes_from_rule_to_setup_to_levels_by_ring(client: TestClient, db: Database) -> None:
    page = client.get("/tanks/1/layout?entry=module-grid").text
    assert "One small module for each square foot" in page
    number = page.count("Save as new setup") - 1
    chart = client.post(f"/tanks/1/layout/start/{number}", data={"entry": "module-grid"}).headers["location"]
    setup = tanks.open_tank(db, 1).setup(int(chart.split("=")[1]))
    assert len(setup.fixtures) == 10  # 5 x 2 square feet
    page = client.get(f"/tanks/1/layout?setup={setup.id}&entry=module-grid").text
    assert f'<option value="{setup.id}" selected>' in page
    form = {
        "entry": "module-grid", "setup": str(setup.id), "purpose": "even", "means": "levels", "zones": "rings",
        "count_low": "1", "count_high": "1", "height_low": "20", "height_high": "30", "band_low": "200",
        "band_high": "350",
    }  # fmt: skip
    assert client.post("/tanks/1/layout", data=form).headers["location"].startswith(f"/tanks/1/layout?setup={setup.id}")
    for _ in range(100):
        if search_jobs.look(db, 1, 1).state not in ("waiting", "running"):
            break
        time.sleep(0.05)
    [found] = search_jobs.look(db, 1, 1).found
    assert len(found.fixtures) == 10
    assert len({f.output for f in found.fixtures}) <= 2
    assert f"Compared with {setup.name}" in client.get("/tanks/1/layout/1").json()["answers"]
    assert client.post("/tanks/1/layout", data={**form, "setup": "99"}).status_code == 404
    faults = client.get(f"/tanks/1/layout/faults?setup={setup.id}", headers={"Content-Type": "application/json"})
    assert setup.name in faults.json()["html"] or "Suggested changes" in faults.json()["html"]


def test_wish_that_cannot_be_is_refused_before_it_is_kept(client: TestClient, db: Database) -> None:
    form = {
        "entry": "cluster", "purpose": "even", "means": "own", "count_low": "2", "count_high": "3", "height_low": "24",
        "height_high": "30",
        "band_low": "200", "band_high": "350",
    }  # fmt: skip
    for change, words in (
        ({"entry": "lantern"}, "The fixture is not in the fixture library"),
        ({"purpose": "moon"}, "The goal is not one of those offered"),
        ({"means": "new", "watts": "lots"}, "Power is not a number"),
        ({"means": "new", "money": "400"}, "To buy is too little: 2 at 420 each come to 840, not 400"),
        ({"purpose": "zones", "band_low": ""}, 'id="band_low-error"'),
    ):
        page = client.post("/tanks/1/layout", data={**form, **change})
        assert page.status_code == 422
        assert words in page.text
    assert search_jobs.newest(db, 1) is None

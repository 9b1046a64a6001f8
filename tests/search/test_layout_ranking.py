"""What answers are ranked by, what they cost, and what they do to placed corals: one sum, one order, said before."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from starlette.testclient import TestClient

from corlume.core.judging.intent import LITTLE_SHIMMER, MUCH_SHIMMER
from corlume.core.judging.targets import LightTargets
from corlume.core.keeping.scene import Running, Scene
from corlume.core.light.fixture import Fixture
from corlume.core.light.geometry import Pane, Rock, Tank
from corlume.core.mounting.collisions import find_overlaps
from corlume.core.mounting.surroundings import Surroundings
from corlume.reference.catalogue import catalogue
from corlume.services.judging.judge import shimmer_of, verdicts
from corlume.services.judging.suggested_changes import problems_of
from corlume.services.keeping import hung_fixtures, setups, tanks
from corlume.services.placement.zone_placement import coral_change
from corlume.services.search import search_jobs
from corlume.services.search.costs import five_year_costs
from corlume.services.search.layout_ranking import LayoutRanking, plainness
from corlume.services.search.proposal import suggested
from corlume.services.search.run_search import search
from corlume.services.search.search_request import SearchRequest
from corlume.services.search.search_results import in_order
from corlume.services.search.starting_points import default_request, starting_points
from corlume.store.database import Database
from corlume.store.tanks import unstored
from tests.judging.test_judging import ended, plain

CLUSTER = catalogue()["cluster"]


def hung(*places: float, levels: tuple[float, ...] = (), height: float = 0.3) -> list[Fixture]:
    """Clusters in a row over a tank 60 cm wide."""
    part = CLUSTER.parts[0]
    levels = levels or (0.5,) * len(places)
    return [
        replace(part, emitter=replace(part.emitter, x=x, y=0.3, height=height), output=level)
        for x, level in zip(places, levels, strict=True)
    ]


def test_what_is_added_is_worked_by_hand() -> None:
    """Half a point for each after the first, two for no mirror image, one for levels, two if close, one for low."""
    assert plainness(hung(0.6), None) == []
    assert sum(points for _, points in plainness(hung(0.3, 0.9), 0.2)) == 0.5
    crooked = dict(plainness(hung(0.2, 0.42, 1.0, levels=(0.6, 0.2, 0.4), height=0.2), 0.2))
    assert crooked == {
        "3 fixtures": 1.0, "no mirror image": 2.0, "different levels": 1.0, "gaps under 8 cm": 2.0,
        "lowest height allowed": 1.0,
    }  # fmt: skip


ISLANDS = (
    Rock(0.085, 0.14, 0.0, 0.21, 0.24, 0.295, form="mound"), Rock(0.055, 0.11, 0.135, 0.14, 0.12, 0.045),
    Rock(0.42, 0.15, 0.0, 0.195, 0.21, 0.2, form="mound"),
)  # fmt: skip


def test_two_islands_in_seventy_centimetres_are_lit_plainly_first() -> None:
    """Once three crooked ones at the lowest height came first, worse in most columns than two by rule."""
    tank = Tank(0.7, 0.5, 0.45, back=Pane("plain", 0.1))
    tank = replace(tank, rocks=ISLANDS)
    stored = unstored(Scene("Two islands", tank, LightTargets(stocking="mixed"), Running()))
    wish = default_request(stored, CLUSTER)
    *_, last = search(stored, CLUSTER, wish)
    first = in_order(stored, wish, last.best)[0]
    ranking = LayoutRanking.of(stored, wish)
    rules = [
        ranking.of_fixtures(s.fixtures, coral_change(stored, s.fixtures)) for s in starting_points(stored, CLUSTER)
    ]
    assert first.proposal.rank.points <= min(rank.points for rank in rules)
    assert first.found.figures.coverage > 0.95
    assert not {"no mirror image", "gaps under 8 cm", "lowest height allowed"} & {
        w for w, _ in first.proposal.rank.added
    }


def test_money_is_one_sum_on_every_page(client: TestClient, db: Database) -> None:
    """What hangs in the setup in use is not bought again: in a row by rule, beside setups and in the search alike."""
    stored = tanks.open_tank(db, 1)
    now = stored.setup().hung
    assert five_year_costs(stored, now).buy == 0
    assert five_year_costs(stored, [*now, *CLUSTER.parts]).buy == CLUSTER.price
    page = client.get("/tanks/1/layout?entry=cluster").text
    row = page[page.index('<tbody class="rows starts">') :].partition("</tr>")[0]
    told = re.search(r'data-label="5 years, [^"]*">\s*([\d,]+)', row)
    post = re.search(r'<form method="post" action="([^"]+)"', row)
    assert told
    assert post
    client.post(post[1], data={"entry": "cluster", "setup": "1"})
    made = tanks.open_tank(db, 1).setups[-1]
    assert f"{five_year_costs(stored, made.hung).total:,.0f}" == told[1]
    assert told[1] in client.get(f"/tanks/1/setups?a=1&b={made.id}").text


def test_answers_stand_in_their_order_and_one_keeps_the_corals(client: TestClient, db: Database) -> None:
    """Where the first drives a third of the corals out, another beside it keeps them; adopting carries its levels."""
    wish = SearchRequest("cluster", "even", (2, 2), (0.14, 0.18), (350, 500))
    found = search_jobs.begin(db, 1, 1, wish)
    ended(db, found)
    page = client.get(f"/tanks/1/layout/{found}").json()["rows"]
    points = [float(v) for v in re.findall(r'<td data-v="([\d.e-]+)" data-label="Off target, points"', page)]
    assert points == sorted(points)
    assert len(points) > 1
    stored, answers = tanks.open_tank(db, 1), search_jobs.look(db, 1, found).found
    changes = [coral_change(stored, one.fixtures) for one in answers]
    assert len(changes[0].leave) >= changes[0].placed / 3
    kept = min(range(len(answers)), key=lambda k: len(changes[k].leave))
    assert len(changes[kept].leave) < changes[kept].placed / 3
    assert "for your corals" in plain(page)
    chart = client.post(f"/tanks/1/layout/{found}/adopt/{kept}").headers["location"]
    made = tanks.open_tank(db, 1).setup(int(chart.split("=")[1]))
    assert [f.output for f in made.hung] == [f.output for f in answers[kept].fixtures]


def test_bodies_in_one_place_are_told_on_chart_hang_and_sheet_with_a_move_that_mends_it(
    client: TestClient, db: Database
) -> None:
    tank = tanks.open_tank(db, 1).tank
    both = hung(0.6, 0.66)
    [conflict] = find_overlaps(tank, both, Surroundings())
    moved = replace(both[1], emitter=replace(both[1].emitter, x=0.66 + conflict.lengths["by"] + 0.001))
    assert find_overlaps(tank, [both[0], moved], Surroundings()) == []
    a, b, *_ = tanks.open_tank(db, 1).setup(1).fixtures
    hung_fixtures.change_fixtures(db, 1, 1, {b.id: {"x": a.value.emitter.x + 0.05, "y": a.value.emitter.y}})
    for page in ("par-map", "layout", "setups/1/mounting"):
        told = plain(client.get(f"/tanks/1/{page}").text)
        assert "A and B overlap" in told, page
        assert re.search(r"Move B \d+(\.\d)? cm to the right", told), told[told.index("overlap") :][:200]


@pytest.mark.parametrize("key", ["module-grid", "t5-54", "t5-54-plain", "cluster", "cluster-bare", "hybrid-60"])
def test_what_is_not_owned_is_bought_and_lamps_are_counted(db: Database, key: str) -> None:
    stored, entry = tanks.open_tank(db, 1), catalogue()[key]
    money = five_year_costs(stored, entry.parts)
    assert money.buy == entry.price
    assert (money.lamps > 0) == any(f.emitter.technology == "t5_tube" for f in entry.parts)
    assert five_year_costs(stored, entry.parts, hung=entry.parts).buy == 0


def test_suggested_changes_are_ranked_like_layouts_with_all_that_has_to_be_set(db: Database) -> None:
    """On Hang and after a survey alike: what is said to be set, set by hand on what hangs, is what is proposed."""
    stored = tanks.open_tank(db, 1)
    setup = stored.setup()
    found = problems_of(stored, setup.hung, setup.intent)
    now, changes = suggested(stored, setup.hung, setup.intent, found, ())
    assert now
    assert (now.money.buy, now.corals.leave, now.corals.back) == (0.0, (), ())
    points = [one.does.rank.points for one in changes]
    assert len(points) >= 3
    assert points == sorted(points)
    for one in changes:
        touched = {number for line in one.settings for number in line.numbers}
        assert touched == {
            k for k, pair in enumerate(zip(setup.hung, one.does.fixtures, strict=True)) if set_apart(*pair)
        }
        for line in one.settings:
            for number in line.numbers:
                for axis in ("x", "y", "height"):
                    at = getattr(one.does.fixtures[number].emitter, axis)
                    assert line.lengths.get(axis, at) == at
    words = " ".join(line.words for one in changes for line in one.settings)
    assert "no lenses in place of" in words
    assert "{height_was} to {height} above water" in words


def set_apart(a: Fixture, b: Fixture) -> bool:
    """Whether two fixtures differ in what can be set."""
    return any(getattr(a, key) != getattr(b, key) for key in ("output", "mix")) or (
        replace(a.emitter, ppf=1.0) != replace(b.emitter, ppf=1.0)
    )


def test_corals_that_leave_and_enter_their_range_are_named(client: TestClient, db: Database) -> None:
    copy = setups.copy_setup(db, 1, 1)
    outputs = {kept.id: {"output": 0.8 * kept.value.output} for kept in tanks.open_tank(db, 1).setup(copy).fixtures}
    hung_fixtures.change_fixtures(db, 1, copy, outputs)
    stored = tanks.open_tank(db, 1)
    change = coral_change(stored, stored.setup(copy).hung)
    assert change.leave
    assert change.back
    page = client.get(f"/tanks/1/par-map?setup={copy}").text
    for line in (*change.leaving, *change.entering):
        assert line in page
    assert len(change.entering) == len(change.back)


def test_shimmer_is_liked_or_not_wanted_by_what_a_setup_is_meant_for(client: TestClient, db: Database) -> None:
    """Low under large modules the light is calm, high under small ones it shimmers: graded and ranked both ways."""
    typed = {"purpose": "mixed", "low": "", "high": "", "end": ""}
    stored = tanks.open_tank(db, 1)
    assert stored.setup().intent.shimmer == "any"
    assert "shimmer" not in {v.key for v in verdicts(stored, stored.setup().hung, stored.setup().intent)}
    assert client.post("/tanks/1/setups/1/intent", data={**typed, "shimmer": "lots"}).status_code == 422
    client.post("/tanks/1/setups/1/intent", data={**typed, "shimmer": "calm"})
    stored = tanks.open_tank(db, 1)
    calm = stored.setup(1).intent
    assert calm.shimmer == "calm"
    small = catalogue()["cluster-small"].parts[0]
    low, high = (
        [replace(small, emitter=replace(small.emitter, x=x, y=0.3, height=height)) for x in (0.4, 0.75, 1.1)]
        for height in (0.15, 0.55)
    )
    fluctuations = shimmer_of(stored, low), shimmer_of(stored, high)
    assert fluctuations[0] < LITTLE_SHIMMER + 0.05 < MUCH_SHIMMER + 0.05 < fluctuations[1]
    grades = {
        (wanted, k): {v.key: v.grade for v in verdicts(stored, hung, replace(calm, shimmer=wanted))}["shimmer"]
        for wanted in ("calm", "liked")
        for k, hung in enumerate((low, high))
    }
    assert grades["calm", 1] == "poor"
    assert grades["liked", 1] == "good"
    wish = default_request(stored, CLUSTER, intent=calm)
    for wanted, added in (("any", None), ("calm", 50 * (fluctuations[1] - LITTLE_SHIMMER)), ("liked", None)):
        rank = LayoutRanking.of(stored, replace(wish, shimmer=wanted)).of_fixtures(high, coral_change(stored, high))
        told = {words: points for words, points in rank.added if words.startswith("shimmer")}
        assert told == ({} if added is None else {f"shimmer of {100 * fluctuations[1]:.0f} %": pytest.approx(added)})
    # kinds begin with weights of the same mind, and a file carries it
    page = client.get("/tanks/1/light-types?setup=1").text
    assert re.search(r'id="w-calm"[^>]* value="3"', page)
    assert "contradict the goal" not in page
    client.cookies.set("weights", "00000300000")
    assert "contradict the goal" in client.get("/tanks/1/light-types?setup=1").text
    again = tanks.open_tank(db, tanks.import_tank(db, tanks.export_tank(db, 1).encode()))
    assert again.setup().intent.shimmer == "calm"

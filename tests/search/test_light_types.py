"""Kinds of light: each at its own best, put in order by weights that can be checked on paper."""

from __future__ import annotations

import json
import re
import time
from dataclasses import asdict, replace
from itertools import takewhile

import numpy as np
import pytest
from starlette.testclient import TestClient

from corlume.core.errors import InvalidInput
from corlume.core.judging.ranking import Candidate, rank
from corlume.core.light.colour_blend import broad_mix, mix_variation
from corlume.core.light.fixture import measured
from corlume.core.light.spectrum import BandSpectrum
from corlume.formats.fixture_file import write_fixture
from corlume.reference.catalogue import catalogue
from corlume.reference.spectrum_tables import lamp_spectra
from corlume.services.judging.judge import figures
from corlume.services.keeping import demo, natural_rock, setups, surveys, tanks
from corlume.services.search import light_type_ranking, light_types, search_jobs
from corlume.services.search.costs import five_year_costs
from corlume.services.search.fixture_comparison import compare_fixtures
from corlume.services.search.light_types import LightType, light_types_for, light_types_request, quick, usable_part
from corlume.services.search.run_search import search
from corlume.services.search.search_jobs import Search
from corlume.services.search.starting_points import starting_points
from corlume.store.database import Database
from corlume.store.tables import NotFound
from tests.fields import BLOCKS
from tests.judging.test_judging import table, tiles


@pytest.fixture(scope="module")
def compared(tmp_path_factory: pytest.TempPathFactory) -> tuple[Database, Search]:
    """The demo with every kind worked out, each refined from one start alone, which takes a third of the time."""
    db = Database(tmp_path_factory.mktemp("kinds") / "kinds.db")
    demo.seed(db)
    stored = tanks.open_tank(db, 1)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(light_types, "QUICK_REFINED", 1)
        search_id = search_jobs.begin(db, 1, stored.setup().id, light_types_request(stored, stored.setup()))
        while (found := search_jobs.look(db, 1, search_id)).state in ("waiting", "running"):
            time.sleep(0.1)
    return db, found


def test_order_is_the_weighted_mean_worked_by_hand() -> None:
    """Three options, two criteria: scores 1, 0.5, 0 and 0, 1, 0.75; the weight that turns it by hand as well."""
    options = [
        Candidate("a", "A", {"evenness": 80.0, "price": -900.0}),
        Candidate("b", "B", {"evenness": 70.0, "price": -500.0}),
        Candidate("c", "C", {"evenness": 60.0, "price": -600.0}),
    ]
    found = rank(options, {"evenness": 3, "price": 1})
    assert [p.candidate.key for p in found.places] == ["a", "b", "c"]
    assert [p.total for p in found.places] == pytest.approx([0.75, 0.625, 0.1875])
    assert (found.ahead, found.behind) == (("evenness",), ("price",))
    # 3 x 0.5 against w x 1: level at w = 1.5, or evenness at 2: the smaller change is told
    assert found.turn
    assert (found.turn.criterion, found.turn.weight) == ("price", pytest.approx(1.5))
    assert rank(options, {"evenness": 3, "price": 1.6}).places[0].candidate.key == "b"
    # alike in all that counts: no weight turns it, and none is made up
    alike = rank([replace(options[0], key="d"), options[0]], {"evenness": 1})
    assert alike.margin == 0
    with pytest.raises(InvalidInput, match="weights"):
        rank(options, {"evenness": 0, "price": 0})


def test_every_kind_is_there_at_its_best_and_differs_as_keepers_say(compared: tuple[Database, Search]) -> None:
    db, found = compared
    stored = tanks.open_tank(db, 1)
    options = {o.key: o for o in light_type_ranking.options_of(stored, found)}
    assert set(options) == {kind.key for kind in light_types_for(stored.tank)}
    # long tubes throw softer shade than clusters, halides cost most in lamps and power; common practice, no source
    assert options["t5"].edge > 1.5 * options["led"].edge
    assert options["led"].lamps == 0 < options["t5"].lamps < options["halide"].lamps
    assert options["led"].figures.watts < options["t5"].figures.watts
    assert (options["led"].dimmable, options["t5"].dimmable, options["t5-led"].dimmable) == ("yes", "no", "in part")
    # one kind of source has one mix everywhere, two kinds do not
    assert options["led"].blend < 0.001  # water takes its reds first
    assert options["halide-t5"].blend > 0.002
    # a kind adopted is on the chart what it was in the table
    made_id = light_type_ranking.adopt(db, 1, found.id, "t5-led")
    again = tanks.open_tank(db, 1)
    made = again.setup(made_id)
    judged, told = figures(again, made.hung, made.intent), options["t5-led"].figures
    assert (judged.mean, judged.coverage, judged.watts) == pytest.approx((told.mean, told.coverage, told.watts))
    assert len({f.frame for f in made.hung}) == 1
    # it costs on both pages the same, and nothing is left to buy once it hangs (what was kept of the search said so)
    assert five_year_costs(again, made.hung).total == pytest.approx(options["t5-led"].money.total)
    setups.use_setup(db, 1, made_id)
    bought = {o.key: o.money.buy for o in light_type_ranking.options_of(tanks.open_tank(db, 1), found)}
    assert bought["t5-led"] == 0.0 < options["t5-led"].money.buy
    tanks.undo(db, 1)
    with pytest.raises(NotFound):
        light_type_ranking.adopt(db, 1, found.id, "candles")


def test_page_puts_them_in_another_order_when_a_weight_moves(
    compared: tuple[Database, Search], client: TestClient, db: Database
) -> None:
    """Results are kept until the tank changes; weights are kept on the device, and none at all is told."""
    _, found = compared
    stored = tanks.open_tank(db, 1)
    page = client.get("/tanks/1/light-types").text
    assert "Compare light types" in page
    wish = light_types_request(stored, stored.setup())
    assert wish.of == found.wish.of
    with db.writing() as connection:
        connection.execute(
            "INSERT INTO searches (id, tank_id, setup_id, version, wish, state, done, judged, found, curve) "
            "SELECT 7, 1, 1, version, :wish, 'done', 1, judged, :found, curve FROM (SELECT 3 AS version, 9 AS judged, "
            "'[]' AS curve)",
            _as_kept(found),
        )
    names = order(client.get("/tanks/1/light-types/7/answers?w=00000000500").json()["order"])
    assert names[0] == "LED bars"
    assert order(client.get("/tanks/1/light-types/7/answers?w=00500000000").json()["order"])[0] in GROWTH
    assert order(client.get("/tanks/1/light-types").text)[0] in GROWTH
    assert "raise at least one" in client.get("/tanks/1/light-types/7/answers?w=00000000000").json()["order"]
    # what the table says holds of the setup that is made of it
    told = table(client.get("/tanks/1/light-types/7/answers").json()["table"])
    best = order(client.get("/tanks/1/light-types").text)[0]
    key = next(kind.key for kind in light_types_for(stored.tank) if kind.name == best)
    again = tiles(client.get(client.post(f"/tanks/1/light-types/7/adopt/{key}").headers["location"]).text)
    pairs = {"In range": "Rock top in range", "Spread": "Spread at rock top"}
    for row in ("In range", "Uniformity (min, P10)", "Ends vs centre", "Spread", "Hottest point", "Spill"):
        assert told[row][0] == again[pairs.get(row, row)]
    # a comparison is no search for a layout: Hang does not know it (a 500 once)
    assert client.get("/tanks/1/layout/7").status_code == 404
    assert "Metal halide" in client.get("/tanks/1/light-types/7/side?a=led&b=halide").text
    natural_rock.delete_natural_rock(db, 1, stored.natural_rocks[0].id)
    assert "Compare light types" in client.get("/tanks/1/light-types").text


GROWTH = ("Metal halide", "Halide and LED", "Halide and T5")


def _as_kept(found: Search) -> dict[str, str]:
    rows = [{**asdict(one), "fixtures": [write_fixture(f) for f in one.fixtures]} for one in found.found]
    return {"wish": json.dumps(asdict(found.wish)), "found": json.dumps(rows)}


def order(html: str) -> list[str]:
    return re.findall(r'order-name">([^<]+)<', html)


@pytest.mark.parametrize("key", ["led", "t5", "t5-led"])
def test_quick_search_comes_within_three_percent_of_the_full_one(db: Database, key: str) -> None:
    """Modules as mirror images in both; over rock that lies to one side, the layout search may find a better layout."""
    stored = tanks.open_tank(db, 1)
    kind = next(one for one in light_types_for(stored.tank) if one.key == key)
    entry = kind.entries[0]
    wish = light_types_request(stored, stored.setup())
    _, fast = quick(stored, LightType(key, "", "", "", {}, (entry,)), wish, kind)
    assert fast
    counts = (len(fast.layout.places), len(fast.layout.places))
    wish = replace(wish, means="new", counts=counts, symmetric=key != "t5")
    if len(entry.parts) > 1:  # frames take long: heights about that of the quick one, from where the full one goes on
        wish = replace(wish, heights=(fast.layout.height - 0.06, fast.layout.height + 0.06))
    # the last step tries lenses and lean, which the quick one does not
    steps = takewhile(lambda step: step.done < 0.94, search(stored, entry, wish))
    best = min(one.layout.merit for step in steps for one in step.best)
    assert np.sqrt(fast.layout.merit) < 1.03 * np.sqrt(best)


def test_equal_usable_light_asks_more_par_of_what_is_of_less_use(db: Database) -> None:
    """Bars run at the PAR at which as much of their light is of use as of the modules' at the PAR that is wanted."""
    stored = tanks.open_tank(db, tanks.import_tank(db, BLOCKS.read_bytes()))
    kinds = {kind.key: kind for kind in light_types_for(stored.tank)}
    shares = {key: usable_part(kind.entries[0].parts) for key, kind in kinds.items()}
    assert all(0.3 < share < 1 for share in shares.values())
    white = replace(kinds["bars"].entries[0].parts[0])
    lamp = replace(white.emitter.channels[0], share=1.0, spectrum=lamp_spectra()["neutral-white"].spectrum)
    white = replace(white, emitter=replace(white.emitter, ppf=3 * white.emitter.ppf, channels=(lamp,)), levels=())
    kind = LightType("white", "White bars", "", "", {}, (replace(kinds["bars"].entries[0], parts=(white,)),))
    means = []
    for usable in (False, True):
        wish = light_types_request(stored, stored.setup(), usable=usable)
        found = quick(stored, kind, wish, kinds["led"])[1]
        assert found
        means.append(found.figures.mean)
    assert usable_part((white,)) < shares["led"]
    assert means[1] / means[0] == pytest.approx(shares["led"] / usable_part((white,)), rel=0.1)


def test_mix_of_colours_differs_by_what_would_have_to_change() -> None:
    """Two sources, one all blue and one all red, each alone at its place: half the photons are off the mean mix."""
    blue, red = (broad_mix(BandSpectrum(((1.0, nm, 10.0),))) for nm in (460.0, 640.0))
    assert blue == pytest.approx([0, 1, 0, 0], abs=0.02)
    apart = mix_variation(np.array([[1.0, 0.0], [0.0, 1.0]]), np.array([blue, red]))
    assert apart == pytest.approx(0.5, abs=0.02)
    assert mix_variation(np.array([[1.0, 3.0], [2.0, 6.0]]), np.array([blue, red])) == pytest.approx(0, abs=1e-12)
    assert np.isnan(mix_variation(np.zeros((1, 3)), np.array([blue])))


def test_fixtures_of_the_shelf_stand_beside_each_other_with_what_an_inch_costs(
    client: TestClient, db: Database
) -> None:
    """Few strong ones want exact places, many weak ones forgive; common practice, no source."""
    stored = tanks.open_tank(db, 1)
    entries = [catalogue()[key] for key in ("halide-250", "module-grid")]
    strong, weak = compare_fixtures(stored, stored.setup(), entries)
    assert len(strong.best.fixtures) < len(weak.best.fixtures)
    assert strong.inch > weak.inch > 0
    assert weak.even
    assert weak.even.coverage <= weak.best.figures.coverage + 0.03
    page = client.get("/tanks/1/light-types/fixtures/beside?entry=bar").json()["html"]
    assert "LED bar" in page
    many = "&".join(f"entry={key}" for key in list(catalogue())[:7])
    assert "at most 6 stand side by side" in client.get(f"/tanks/1/light-types/fixtures/beside?{many}").json()["html"]
    assert "tick at least one" in client.get("/tanks/1/light-types/fixtures/beside").json()["html"]


def test_what_a_survey_found_of_a_sort_holds_of_starts_and_searches(client: TestClient, db: Database) -> None:
    """A failure once: answers took new fixtures as told, and the chart of the setup made of them had them as found."""
    survey = surveys.all_surveys(db, 1)[0]
    assert client.post(f"/tanks/1/survey/{survey.id}/use").status_code == 303
    stored = tanks.open_tank(db, 1)
    hung = stored.setup().hung[0]
    entry = replace(catalogue()["cluster"], parts=(replace(hung, name="Another like it", measured=1.0),))
    start = starting_points(stored, entry)[0]
    assert {f.measured for f in start.fixtures} != {1.0}
    under = tanks.open_tank(db, 1)
    again = tuple(kept for kept in start.fixtures)
    assert measured([replace(f, measured=1.0) for f in again], under.correction) == again

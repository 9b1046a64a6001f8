"""All corals that wait, placed together on the demo tank: rules kept, reasons, what frees a place, one step of undo."""

from __future__ import annotations

import re
import time
from dataclasses import replace

import numpy as np
import pytest
from starlette.testclient import TestClient

from corlume.core.placement.growing_room import count_room
from corlume.core.placement.placement_preferences import KeptFree, PlacementPreferences
from corlume.core.schedule.dose import daily_range
from corlume.reference.coral_library import coral_library, suiting
from corlume.services.keeping import corals, hung_fixtures, placement_choices, tanks
from corlume.services.placement.place_all import first_plan, plans
from corlume.services.placement.placement_problem import PlacementRequest, problem_of
from corlume.services.placement.zone_placement import states
from corlume.services.placement.zone_summary import summarise_zones
from corlume.store.database import Database
from tests.cards import coral_cards


def test_plan_keeps_the_rules_and_ends_as_keepers_would(db: Database) -> None:
    """Common practice, no source: Acropora end in the top third, a sun coral in the shade, LPS lower than SPS."""
    stored = tanks.open_tank(db, 1)
    for kept in stored.corals:
        corals.place_coral(db, 1, kept.id, None)
    stored = tanks.open_tank(db, 1)
    first, *_, last = plans(stored, stored.setup(), PlacementRequest(), seconds=3.0)
    assert len(last.seated) >= len(first.seated) >= 19
    by_name = {one.coral.value.card.name: one for one in last.seated}
    assert all(by_name[name].place[2] < stored.tank.sand_depth / 2 for name in by_name if name.startswith("Acropora"))
    sun = by_name["Tubastraea (sun coral)"]
    assert sun.par < 75
    assert "Under" in sun.seat or "face" in sun.seat
    groups = {g: [one.place[2] for one in last.seated if one.coral.value.card.group == g] for g in ("sps", "lps")}
    assert sum(groups["sps"]) / len(groups["sps"]) < sum(groups["lps"]) / len(groups["lps"])
    for one in last.seated:
        assert not [r for r in one.reasons if r.answer == "no"]
        assert one.second is None or one.second[1] >= 0
    # taken as it stands, the page of corals says the same of every one
    corals.place_corals(db, 1, {one.coral.id: one.place for one in last.seated})
    stored = tanks.open_tank(db, 1)
    par = {one.coral.id: one.par for one in last.seated}
    for state in states(stored, stored.setup().hung):
        assert state.par is None or state.par == pytest.approx(par[state.id], abs=0.5)
        assert not [r for r in state.trouble if r.rule in ("flow", "neighbour")]


def test_a_coral_without_a_place_is_told_why_and_what_frees_one_is_true(db: Database) -> None:
    for kept in tanks.open_tank(db, 1).corals:
        corals.remove_coral(db, 1, kept.id)
    card = replace(coral_cards()["Acropora tenuis"], name="Bright one", par_low=430.0, par_high=600.0)
    hopeless = replace(card, name="Glaring one", par_low=1300.0, par_high=1500.0)
    ids = [corals.add_coral(db, 1, one) for one in (card, hopeless)]
    stored = tanks.open_tank(db, 1)
    *_, plan = plans(stored, stored.setup(), PlacementRequest(), seconds=2.0)
    none = {one.coral.id: one for one in plan.unseated}
    assert set(ids) <= set(none)
    assert re.match(r"Light: Bright one needs 430 to 600 PAR, and the strongest spot has \d+\.", none[ids[0]].why)
    assert not none[ids[1]].helps
    words = " ".join(help.words for help in none[ids[0]].helps)
    told = re.search(r"Turn ([A-C]) from \d+ to (\d+) %\.", words)
    assert told
    fixture = stored.setup().fixtures["ABC".index(told[1])]
    hung_fixtures.change_fixtures(db, 1, stored.setup().id, {fixture.id: {"output": int(told[2]) / 100}})
    stored = tanks.open_tank(db, 1)
    assert ids[0] in {one.coral.id for one in first_plan(stored, stored.setup(), PlacementRequest()).seated}


def test_page_plans_at_once_and_takes_all_in_one_step_of_undo(client: TestClient, db: Database) -> None:
    page = client.get("/tanks/1/corals/all").text
    assert "First plan." in page
    job = client.post("/tanks/1/corals/all/jobs", json={"months": 18}).json()["job"]
    looked = client.get(f"/tanks/1/corals/all/jobs/{job}").json()
    while looked["state"] == "looking":
        time.sleep(0.2)
        looked = client.get(f"/tanks/1/corals/all/jobs/{job}").json()
    assert looked["state"] == "done"
    better = looked["html"]
    assert re.search(r"No plan (is better|can be better by more than)|The best plan so far", better)
    fields = dict(re.findall(r'name="(coral-\d+)" value="([^"]+)"', better))
    assert len(fields) >= 6
    assert client.post("/tanks/1/corals/all", data=fields).status_code == 303
    assert sum(kept.value.place is None for kept in tanks.open_tank(db, 1).corals) == 10 - len(fields)
    tanks.undo(db, 1)
    assert sum(kept.value.place is None for kept in tanks.open_tank(db, 1).corals) == 10
    for bad in ({"coral-15": "1,2"}, {"coral-15": "9,9,9"}, {"coral-x": "1,1,1"}, {"coral-15": "nan,0,0"}):
        assert client.post("/tanks/1/corals/all", data=bad).status_code == 422
    assert client.post("/tanks/1/corals/all", data={"coral-999": "0.1,0.1,0.1"}).status_code == 404


def test_zones_are_read_against_the_stock_in_words_and_numbers(client: TestClient, db: Database) -> None:
    """By hand: on a row of seats 5 cm apart, 21 of them over a metre, corals of 20 cm have room for 6, and of 5 cm for
    all. The shares of parts, weighted by their seats, are that of all.
    """
    row = np.column_stack([np.linspace(0, 1, 21), np.zeros(21), np.zeros(21)])
    assert count_room(row, 0.2) == 6
    assert count_room(row, 0.05) == 21
    assert count_room(row[:0], 0.2) == 0
    stored = tanks.open_tank(db, 1)
    sps, lps, low = summarise_zones(stored, stored.setup().hung)
    assert (sps.have, lps.have, low.have) == (8, 14, 2)
    assert sps.share + lps.share + low.share < 1  # some lies between the bands, or is too strong
    assert dict(sps.parts)["rock tops"] > dict(sps.parts)["sand"]
    assert dict(low.parts)["rock tops"] < dict(low.parts)["sand"]
    assert "200 to 350 PAR" in client.get("/tanks/1/corals").text


def test_library_is_searched_suits_readings_and_adds(client: TestClient, db: Database) -> None:
    """Daily light by hand: 100 PAR over ten hours are 3.6 mol/m2."""
    library = coral_library()
    assert len(library) >= 60
    zoanthus = library["Zoanthus"]
    assert daily_range(zoanthus.card)[0] == pytest.approx(0.75 * 3.6)
    assert all(one.card.par_low <= 300 <= one.card.par_high for one in suiting(library.values(), 300))
    assert {one.card.group for one in suiting(library.values(), 300)} == {"sps"}
    assert not [one for one in suiting(library.values(), 30) if one.food]
    # common practice, no source: free-living plates lie on the sand, sun corals hang in the shade, palytoxin is told
    assert library["Fungia"].only_sand
    assert library["Tubastraea (sun coral)"].under
    assert all("palytoxin" in library[name].card.note for name in ("Zoanthus", "Palythoa", "Protopalythoa"))
    page = client.get("/tanks/1/corals/library?q=sand&group=lps&par=100").text
    assert "Trachyphyllia" in page
    assert "Acropora" not in page
    bad = client.get("/tanks/1/corals/library?par=bright")
    assert bad.status_code == 422
    assert "is not a number" in bad.text
    before = len(tanks.open_tank(db, 1).corals)
    client.post("/tanks/1/corals/add", data={"card": "Anacropora"})
    assert len(tanks.open_tank(db, 1).corals) == before + 1


def test_what_lies_on_the_sand_is_placed_there(db: Database) -> None:
    for kept in tanks.open_tank(db, 1).corals:
        corals.remove_coral(db, 1, kept.id)
    for name in ("Fungia", "Trachyphyllia", "Montipora (encrusting)"):
        corals.add_coral(db, 1, coral_cards()[name])
    stored = tanks.open_tank(db, 1)
    by_name = {
        one.coral.value.card.name: one.seat for one in first_plan(stored, stored.setup(), PlacementRequest()).seated
    }
    assert by_name["Fungia"] == by_name["Trachyphyllia"] == "Sand"
    assert by_name["Montipora (encrusting)"] != "Sand"


def test_more_corals_than_seats_pins_in_conflict_and_a_stop_are_told(client: TestClient, db: Database) -> None:
    stored = tanks.open_tank(db, 1)
    for rock in stored.rocks:
        tanks.delete_rock(db, 1, rock.id)
    galaxea, torch = (
        next(k for k in stored.corals if k.value.card.name.startswith(n)) for n in ("Galaxea", "Euphyllia g")
    )
    for kept in stored.corals:
        corals.place_coral(db, 1, kept.id, None)
    for kept, x in ((galaxea, 0.3), (torch, 0.4)):
        corals.place_coral(db, 1, kept.id, (x, 0.3, 0.52))
        placement_choices.save_preferences(db, 1, kept.id, PlacementPreferences(pinned=True))
    placement_choices.save_choice(db, 1, "kept_free", KeptFree("All of it", 0.25, 0.0, 1.25, 0.65))
    stored = tanks.open_tank(db, 1)
    job = client.post("/tanks/1/corals/all/jobs", json={"months": 18}).json()["job"]
    assert client.post(f"/tanks/1/corals/all/jobs/{job}/stop", json={}).status_code == 200
    *_, plan = plans(stored, stored.setup(), PlacementRequest(), seconds=1.0)
    assert len(plan.unseated) > len(plan.seated)
    assert all(one.why for one in plan.unseated)
    moved = " ".join(change.words for one in plan.unseated for change in one.helps if change.words.startswith("Move"))
    assert "Galaxea" not in moved
    assert torch.value.card.name not in moved
    places = {kept.id: kept.value.place for kept in (galaxea, torch)}
    assert places.keys().isdisjoint({one.coral.id for one in plan.seated})
    assert plan.pinned == (f"{torch.value.card.name} and {galaxea.value.card.name}",)
    assert "are both pinned and reach each other" in client.get("/tanks/1/corals/all").text
    assert client.get("/tanks/2/corals/all/jobs/1").status_code == 404
    assert client.post("/tanks/1/corals/all/jobs", json={"months": -3}).status_code == 422


def test_light_judged_by_the_day_asks_for_more_where_the_day_is_short(db: Database) -> None:
    """By hand: in a day of five hours, 300 PAR are as much as 150 in ten."""
    stored = tanks.open_tank(db, 1)
    bare = replace(stored, setups=tuple(replace(setup, groups=()) for setup in stored.setups)).under(stored.survey)
    short = replace(bare, running=replace(stored.running, hours=5.0))
    peak, daily = (problem_of(short, short.setup(), PlacementRequest(daily=by)) for by in (False, True))
    par = np.array([150.0, 300.0])
    lps = next(k for k, kept in enumerate(peak.waiting) if kept.value.card.name == "Goniopora")  # 80 to 170
    assert peak.light(lps, par)[0] > 0 == peak.light(lps, par)[1]
    assert daily.light(lps, par)[1] == pytest.approx(peak.light(lps, par)[0])
